//! How both sides of a comparison are made equally loud.

use std::ops::Range;

use zinc_core::measure::heard::{HeardAlone, next_match};
use zinc_core::render::Plan;
use zinc_core::session::{Change, Reference, Session};

use super::work::Work;
use crate::jobs::{JobError, side_by_side};
use crate::prints::render::for_each_block;

/// Two sides count as equally loud within this; a third of what is promised.
const MATCHED_WITHIN_LU: f64 = 0.03;
/// Runs of the untouched side at most; two are the rule behind a bus compressor.
const MOST_TRIES: usize = 4;
/// Seconds played before a stretch is measured: longer than ordinary release times.
const RUN_UP_S: u64 = 3;

/// Loudness of a strip heard alone, on either side of a comparison.
pub struct Matching<'a>(pub Work<'a>);

impl Matching<'_> {
    /// Gain in dB that makes the other side of a comparison of one strip as loud as the
    /// session where the strip is heard alone, between two frames; found from a first
    /// guess.
    ///
    /// # Errors
    /// As [`crate::prints::Prints::ensure`].
    pub fn gain_db(&self, strip: u32, other: &Reference, range: Range<u64>, guess_db: f64) -> Result<f64, JobError> {
        let session = self.0.session;
        let side = |gain_db: Option<f64>| -> Result<Session, JobError> {
            let Some(db) = gain_db else { return Ok(session.clone()) };
            let mut changes = other.changes.clone();
            changes.push(Change::Level { strip, db });
            Reference { changes }.of(session).map_err(|e| JobError::Failed(e.to_string()))
        };
        let loudness = |gain_db: Option<f64>| {
            let side = side(gain_db)?;
            Matching(self.0.on(&side)).heard_lufs(strip, &range)
        };
        let first = side_by_side(&[None, Some(guess_db)], |_, gain_db| loudness(*gain_db))?;
        let (Some(goal), Some(mut heard)) = (first[0], first[1]) else { return Ok(guess_db) };
        let mut tried = vec![(guess_db, heard)];
        while (heard - goal).abs() > MATCHED_WITHIN_LU && tried.len() < MOST_TRIES {
            let gain_db = next_match(&tried, goal);
            heard = loudness(Some(gain_db))?.unwrap_or(heard);
            tried.push((gain_db, heard));
        }
        let best = tried.iter().min_by(|a, b| (a.1 - goal).abs().total_cmp(&(b.1 - goal).abs()));
        Ok(best.map_or(guess_db, |t| t.0))
    }

    fn heard_lufs(&self, strip: u32, range: &Range<u64>) -> Result<Option<f64>, JobError> {
        let Work { session, job, .. } = self.0;
        let run_up = range.start.min(u64::from(session.rate) * RUN_UP_S);
        let missing = || JobError::Failed(format!("There is no strip {strip}."));
        let plan = Plan::bench(session, strip, &[]).ok_or_else(missing)?;
        let mut heard = HeardAlone::new(session, strip, range.start - run_up, run_up as usize).ok_or_else(missing)?;
        let mut inputs = self.0.read_for(&plan)?;
        inputs.iter_mut().try_for_each(|input| input.skip_to(range.start - run_up))?;
        let frames = range.end - range.start + run_up;
        for_each_block(&mut inputs, frames, job, |blocks| heard.push(blocks))?;
        Ok(heard.lufs())
    }
}
