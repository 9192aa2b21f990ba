//! What is made from a part: a return by a recipe, a unit that gives way, a level set by hand, a gate before an amp.

use serde_json::{Value as Json, json};
use zinc_core::advice::by_hand::ByHand;
use zinc_core::advice::duck::{self, Duck};
use zinc_core::advice::parallel::{beside, there};
use zinc_core::advice::recipe::{self, PartFigures, Recipe};
use zinc_core::advice::{adds, blend, noise};
use zinc_core::rack::Key;
use zinc_core::rack::KeyTap;
use zinc_core::rack::RackSpec;
use zinc_core::rack::UnitSpec;
use zinc_core::session::Edit;
use zinc_core::trial::Take;

use super::figures::Figures;
use super::passages::Passages;
use super::work::Work;
use crate::jobs::JobError;

/// Seconds of the song that are listened to.
const LONGEST_S: f64 = 120.0;
/// Seconds of a part that an amplifier is heard on.
const AMPLIFIED_S: f64 = 20.0;

/// Edits proposed from what is heard of a part.
pub struct Making<'a>(pub Work<'a>);

impl Making<'_> {
    /// A return beside a strip by a recipe, its settings derived from the part: the edit that makes
    /// it, and what was heard.
    ///
    /// # Errors
    /// As [`Passages::before_rack`]; a part that is silent.
    pub fn beside(&self, strip: u32, recipe: Recipe) -> Result<Json, JobError> {
        let Work { session, job, .. } = self.0;
        if let Some(there) = there(session, strip, recipe.name()) {
            return Ok(json!({"there": there}));
        }
        let passage = Passages(self.0).sent(strip, [0.0, LONGEST_S])?;
        let silent = || JobError::Failed("There is nothing to hear on this strip yet; nothing was made.".into());
        let heard = PartFigures::of(&passage).ok_or_else(silent)?;
        let units = recipe::units(recipe, &heard, session.tempo_bpm);
        job.progress("hearing what it adds", 0.7)?;
        let adds = adds::of(&passage, &units);
        let edit = beside(session, strip, recipe.name(), units).ok_or_else(silent)?;
        Ok(json!({"edit": edit, "heard": heard, "adds": adds}))
    }

    /// The level of a unit set by hand: the edit that makes it leave the whole part as loud as it came,
    /// and the trim.
    ///
    /// # Errors
    /// As [`crate::prints::Prints::ensure`]; no such unit, a part that is silent.
    pub fn by_hand(&self, strip: u32, unit: u32) -> Result<Json, JobError> {
        let Work { session, .. } = self.0;
        let none = || JobError::Failed("This unit is no longer there; nothing was changed.".into());
        let by_hand = ByHand::of(session, strip, unit).ok_or_else(none)?;
        let treatment = Figures(self.0.on(&by_hand.session)).treatment(strip)?;
        let silent = || JobError::Failed("Nothing plays on this strip yet; nothing was changed.".into());
        let trim_db = by_hand.trim_db(&treatment).ok_or_else(silent)?;
        Ok(json!({"edit": by_hand.edit(trim_db), "trim_db": trim_db}))
    }

    /// What an amplifier does to its part: what its dry blend takes away and what mends it, and what it makes of the
    /// pauses, with a gate before it.
    ///
    /// # Errors
    /// As [`Passages::before_rack`]; no such unit.
    pub fn amplified(&self, strip: u32, unit: u32) -> Result<Json, JobError> {
        let Work { session, job, .. } = self.0;
        let gone = || JobError::Failed("This unit is no longer there; nothing was changed.".into());
        let rack = session.strip(strip).map(|s| s.rack.clone()).ok_or_else(gone)?;
        let at = rack.units.iter().position(|u| u.id == unit).ok_or_else(gone)?;
        let part = Passages(self.0).before_rack(strip, [0.0, AMPLIFIED_S])?;
        job.progress("hearing the amplifier", 0.4)?;
        let before = Take::of(&part, &RackSpec { units: rack.units[..at].to_vec() }, None).sound;
        let behind = Take::of(&before, &RackSpec { units: vec![rack.units[at].clone()] }, None).sound;
        let found = noise::noise(&before, &behind);
        let gate = found.as_ref().and_then(|found| found.gate.clone()).map(|unit| Edit::AddUnit {
            strip,
            at,
            unit: Box::new(unit),
        });
        Ok(json!({"blend": blend::blend(&before, &rack.units[at]), "noise": found, "gate": gate}))
    }

    /// The unit that makes a strip give way by so many dB at each hit of another.
    ///
    /// # Errors
    /// As [`Passages::before_rack`]; a key that never hits.
    pub fn duck(&self, strip: u32, key: u32, depth_db: f64) -> Result<Json, JobError> {
        let Work { session, job, .. } = self.0;
        if !(0.5..=24.0).contains(&depth_db) || strip == key {
            return Err(JobError::Failed(
                "Ask for 0.5 to 24 dB, at the hits of another strip; nothing was made.".into(),
            ));
        }
        let passage = Passages(self.0).before_rack(key, [0.0, LONGEST_S])?;
        job.progress("solving", 0.5)?;
        let none = || JobError::Failed("No hits were found on that strip; nothing was made.".into());
        let Duck { unit, hits, depths_db } = duck::solve(&passage, depth_db).ok_or_else(none)?;
        let at = session.strip(strip).map_or(0, |s| s.rack.units.len());
        let name = session.strip(key).map_or("", |s| &s.name);
        let key = Some(Key::Strip { strip: key, tap: KeyTap::BeforeRack });
        let why = format!("gives way by {depth_db} dB at each hit of {name}");
        let unit = Box::new(UnitSpec { key, why, ..unit });
        let most = |pick: fn(f64, f64) -> f64, from: f64| depths_db.iter().copied().fold(from, pick);
        Ok(json!({
            "edit": Edit::AddUnit { strip, at, unit }, "hits": hits.len(),
            "least_db": most(f64::min, f64::MAX), "most_db": most(f64::max, f64::MIN),
        }))
    }
}
