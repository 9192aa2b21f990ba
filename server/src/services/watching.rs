//! What the compressors of a strip do wrong, and which units should change places.

use serde_json::{Value as Json, json};
use zinc_core::advice::{order, watch};
use zinc_core::rack::RackSpec;
use zinc_core::render::Source;
use zinc_core::session::{Edit, Role};
use zinc_core::unit::eq::surgical::KIND as SURGICAL;
use zinc_core::unit::value::Written;

use super::passages::Passages;
use super::work::Work;
use crate::jobs::JobError;

/// Seconds of the song that compressors are listened to on.
const ADVISED_S: f64 = 60.0;

/// A rack at work, listened to.
pub struct Watching<'a>(pub Work<'a>);

impl Watching<'_> {
    /// What the compressors of a strip do wrong, and which units should change places, each as a
    /// sentence with its mend.
    ///
    /// # Errors
    /// As [`Passages::before_rack`].
    pub fn faults(&self, strip: u32) -> Result<Vec<Json>, JobError> {
        let session = self.0.session;
        // A return is meant to be extreme.
        let Some(path) = session.strip(strip).filter(|s| s.role != Role::Return) else { return Ok(Vec::new()) };
        let rack = &path.rack;
        if !rack.units.iter().any(|unit| unit.is_on() && unit.kind.reduces) {
            return Ok(Vec::new());
        }
        // The same as long as what comes in and the rack are the same; its mends name the strip and the
        // units, which a copy of both has others of.
        let names: Vec<u32> = std::iter::once(strip).chain(rack.units.iter().map(|unit| unit.id)).collect();
        let what =
            format!("watched {names:?} {} {} {}", self.0.key(&Source::Racked { strip }), session.rate, rack.to_json());
        self.0.remembered(&what, || self.heard_anew(strip))
    }

    fn heard_anew(&self, strip: u32) -> Result<Vec<Json>, JobError> {
        let Work { session, job, .. } = self.0;
        let Some(rack) = session.strip(strip).map(|s| &s.rack) else { return Ok(Vec::new()) };
        let passage = Passages(self.0).before_rack(strip, [0.0, ADVISED_S])?;
        job.progress("listening to the compressors", 0.5)?;
        let faults = watch::faults(&passage, rack).into_iter().map(|watch::Fault { unit: place, found: fault }| {
            let unit = rack.units[place - 1].id;
            let with = |set: &[(&str, Written)]| shown(rack, place - 1, set);
            let edits: Vec<Edit> = fault
                .set
                .iter()
                .map(|(param, value)| Edit::SetParam { strip, unit, param: (*param).into(), value: value.clone() })
                .collect();
            let mend = (!edits.is_empty()).then(|| json!([fault.mend, Edit::Several { edits }]));
            json!({"stations": [place - 1], "says": fault.says, "mend": mend, "code": fault.code, "at_s": fault.at_s,
                "shown": [with(&fault.worse), with(&fault.set)]})
        });
        let mut all: Vec<Json> = faults.collect();
        // Lifts of a surgical EQ before a compressor are said in figures already.
        let pairs = order::pairs(rack).into_iter().filter(|(eq, _)| rack.units[*eq].kind.id != SURGICAL.id);
        for (eq, by) in pairs {
            job.progress("listening to both orders", 0.8)?;
            if let Some(found) = order::check(&passage, rack, eq, by).filter(|order| order.matters) {
                let edit = Edit::MoveUnit { strip, unit: rack.units[eq].id, to: by };
                let words = if eq < by { "put it after" } else { "put it before" };
                all.push(json!({"stations": [eq, by], "says": found.says, "mend": [words, edit]}));
            }
        }
        Ok(all)
    }
}

/// A rack with other values of one unit, to be heard; none where there are none.
fn shown(rack: &RackSpec, at: usize, set: &[(&str, Written)]) -> Option<Json> {
    let mut rack = rack.clone();
    let unit = rack.units.get_mut(at)?;
    for (param, value) in set {
        unit.set(param, value).ok()?;
    }
    (!set.is_empty()).then(|| rack.to_json())
}
