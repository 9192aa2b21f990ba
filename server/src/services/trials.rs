//! Trials: a passage over several racks, rendered side by side.

use serde_json::{Value as Json, json};
use zinc_core::rack::RackSpec;
use zinc_core::rack::lead_in;
use zinc_core::session::Edit;
use zinc_core::trial::carry;
use zinc_core::trial::hit::{Hit, loudest};
use zinc_core::trial::take::unlike_db;
use zinc_core::trial::{Passage, Take, Trial, Variant};
use zinc_core::unit::dynamics::compressor::KIND as COMPRESSOR;
use zinc_core::unit::value::Written;

use super::passages::Passages;
use super::work::Work;
use crate::jobs::{JobError, side_by_side};

/// Longest passage tried, in seconds.
const LONGEST_S: f64 = 120.0;

/// Beginning and end in seconds of what a trial is about, in a sound of so many seconds.
///
/// # Errors
/// Where there is no such passage.
pub fn stretch_of(trial: &Trial, seconds: f64) -> Result<[f64; 2], String> {
    let from = trial.from_s.unwrap_or(0.0);
    let to = trial.to_s.unwrap_or_else(|| seconds.min(from + LONGEST_S));
    if !(from >= 0.0 && to > from && from < seconds) {
        return Err(format!("there is no passage from {from} s to {to} s in a sound of {seconds:.2} s"));
    }
    if to - from > LONGEST_S {
        return Err(format!("a passage is at most {LONGEST_S} s long"));
    }
    Ok([from, to])
}

/// Every variant's figures; `progress` hears the share that is done and may stop it.
///
/// # Errors
/// Stopped on the way.
pub fn run(
    passage: &Passage,
    variants: &[Variant],
    progress: impl Fn(f64) -> Result<(), JobError> + Sync,
) -> Result<Json, JobError> {
    let takes = side_by_side(variants, |done, variant| {
        progress(done)?;
        let take = Take::of(passage, &variant.rack, None);
        let figures = take.figures(passage);
        Ok((take, figures))
    })?;
    let first = &takes[0].0;
    let hit = loudest(passage);
    let row = |(variant, (take, figures)): (&Variant, &(Take, _))| {
        let mut row = json!(figures);
        row["name"] = json!(variant.name);
        row["rack"] = variant.rack.to_json();
        row["like_first"] = json!(take.sound == first.sound);
        row["unlike_first_db"] = json!(unlike_db(&take.reduction(), &first.reduction()));
        row["wave"] = json!(wave(&take.sound));
        row["hit"] = json!(Hit::at(&take.sound, hit));
        row
    };
    let rows: Vec<Json> = variants.iter().zip(&takes).map(row).collect();
    let untouched = Take::of(passage, &RackSpec { units: Vec::new() }, None);
    let mut original = json!(untouched.figures(passage));
    original["wave"] = json!(wave(passage));
    original["hit"] = json!(Hit::at(passage, hit));
    original["hit_at_s"] = json!(hit as f64 / passage.rate);
    Ok(json!({"seconds": passage.seconds(), "original": original, "variants": rows}))
}

/// Points of an outline.
const POINTS: usize = 480;

/// Largest magnitude of each of some stretches, in thousandths of full scale.
fn wave(sound: &Passage) -> Vec<u32> {
    let size = sound.frames().div_ceil(POINTS).max(1);
    let peak = |part: &[f64]| part.iter().fold(0.0f64, |m, x| m.max(*x));
    sound.magnitude().chunks(size).map(|part| (1000.0 * peak(part)).round() as u32).collect()
}

/// Trials on a strip of a session.
pub struct Trials<'a>(pub Work<'a>);

impl Trials<'_> {
    /// A trial on a strip's rack. Figures are of the unit `about` (1 first) alone, on what comes to
    /// it, or of the whole rack.
    ///
    /// # Errors
    /// As [`Passages::before_rack`]; a trial that cannot be made.
    pub fn trial(&self, strip: u32, trial: &Trial, about: Option<usize>) -> Result<Json, JobError> {
        let Work { session, job, .. } = self.0;
        let seconds = session.frames() as f64 / f64::from(session.rate);
        let stretch =
            stretch_of(trial, seconds).map_err(|why| JobError::Failed(format!("This cannot be tried: {why}.")))?;
        let rack = session.strip(strip).map(|s| s.rack.clone()).unwrap_or(RackSpec { units: Vec::new() });
        let mut variants =
            trial.variants(&rack).map_err(|why| JobError::Failed(format!("This cannot be tried: {why}.")))?;
        for variant in &mut variants {
            session.supply_rack(&mut variant.rack);
        }
        let lead_s = variants.iter().map(|variant| lead_in::seconds(&variant.rack)).fold(0.0, f64::max);
        let part = Passages(self.0).led_before_rack(strip, stretch, lead_s)?;
        let progress = |done| job.progress("trying", done);
        let Some(at) = about.and_then(|unit| unit.checked_sub(1)).filter(|at| *at < rack.units.len()) else {
            return run(&part, &variants, progress);
        };
        let before = Take::of(&part, &RackSpec { units: rack.units[..at].to_vec() }, None).sound;
        let alone = |variant: &Variant| Variant {
            name: variant.name.clone(),
            rack: RackSpec { units: variant.rack.units.get(at).cloned().into_iter().collect() },
        };
        let alone: Vec<Variant> = variants.iter().map(alone).collect();
        let mut report = run(&before, &alone, progress)?;
        for (row, variant) in report["variants"].as_array_mut().into_iter().flatten().zip(&variants) {
            row["rack"] = variant.rack.to_json();
        }
        Ok(report)
    }

    /// The settings of another action with which a compressor behaves most alike on a passage: how
    /// alike, and the edit that takes them over.
    ///
    /// # Errors
    /// As [`Passages::before_rack`]; no such unit.
    pub fn carry(&self, strip: u32, unit: u32, action: &str, [from, to]: [f64; 2]) -> Result<Json, JobError> {
        let Work { session, job, .. } = self.0;
        let gone = || JobError::Failed("This compressor is not there any more; nothing was changed.".into());
        let rack = session.strip(strip).map(|s| s.rack.clone()).ok_or_else(gone)?;
        let at = rack.units.iter().position(|u| u.id == unit && u.kind.id == COMPRESSOR.id).ok_or_else(gone)?;
        let stretch = [from.max(0.0), to.min(from.max(0.0) + carry::LONGEST_S)];
        let part = Passages(self.0).led_before_rack(strip, stretch, lead_in::seconds(&rack))?;
        let before = Take::of(&part, &RackSpec { units: rack.units[..at].to_vec() }, None).sound;
        let mut alone = rack.units[at].clone();
        // What another sound drives is compared as if it drove itself.
        alone.key = None;
        alone.common.switch("on", true);
        let wanted = carry::reduction(&before, &alone);
        if wanted.iter().all(|r| *r < 0.5) {
            return Err(JobError::Failed("It takes nothing away here: there is no behaviour to carry over.".into()));
        }
        let mut asked = 0.0f64;
        let found = carry::search(&alone, action, |units| {
            asked += 1.0;
            job.progress("comparing", 1.0 - (-asked / 25.0).exp())?;
            side_by_side(units, |_, unit| Ok::<f64, JobError>(carry::unlike(&before, unit, &wanted)))
        })?;
        let set =
            |param: &str, value: &Written| Edit::SetParam { strip, unit, param: param.into(), value: value.clone() };
        let chosen = [("action", Written::from(action)), ("release_note", Written::from("ms"))];
        let all = chosen.iter().chain(&found.set);
        let edits: Vec<Edit> = all.clone().map(|(param, value)| set(param, value)).collect();
        let mut carried = alone.clone();
        for (param, value) in all {
            // They were measured a moment ago.
            let _ = carried.set(param, value);
        }
        let peak_db = carry::peak_apart_db(&before, &carried, &alone);
        Ok(json!({
            "peak_db": peak_db, "set": found.set, "unlike_db": found.unlike_db, "before_db": found.before_db,
            "edit": Edit::Several { edits },
        }))
    }
}
