//! What stands out of a strip, and what would hold it.

use serde_json::{Value as Json, json};
use zinc_core::advice::hold;
use zinc_core::measure::events::EventMeter;
use zinc_core::trial::Passage;

use super::passages::Passages;
use super::work::Work;
use crate::jobs::{JobError, side_by_side};

/// Seconds of the song that are listened to.
const LONGEST_S: f64 = 120.0;
/// Events that are offered, the strongest.
const OFFERED: usize = 6;

/// Events of a part, found and held.
pub struct Listening<'a>(pub Work<'a>);

impl Listening<'_> {
    /// Moments of a strip at which one region stands out, with the unit that holds each.
    ///
    /// # Errors
    /// As [`Passages::before_rack`].
    pub fn events(&self, strip: u32, region: Option<[f64; 2]>) -> Result<Json, JobError> {
        let passage = self.passage(strip)?;
        let events = listened(&passage).found(region);
        let held = side_by_side(&events[..events.len().min(OFFERED)], |done, event| {
            self.0.job.progress("finding what holds each", done)?;
            let mut report = json!(event);
            report["bands"] = json!(hold::bands(&passage, event, &events));
            Ok(report)
        })?;
        Ok(json!(held))
    }

    /// What stands out of a strip at a moment that somebody has marked, with the unit that holds it.
    ///
    /// # Errors
    /// As [`Passages::before_rack`]; nothing that rises there.
    pub fn marked(&self, strip: u32, at_s: f64) -> Result<Json, JobError> {
        let passage = self.passage(strip)?;
        let meter = listened(&passage);
        let none =
            || JobError::Failed("Nothing rises over its usual level at that moment; mark it where it is heard.".into());
        let event = meter.marked(at_s).ok_or_else(none)?;
        let mut report = json!(event);
        report["bands"] = json!(hold::bands(&passage, &event, &[event]));
        Ok(report)
    }

    /// Four ways to hold the event of a strip that is nearest to a moment, of those of a region if one is given,
    /// measured.
    ///
    /// # Errors
    /// As [`Passages::before_rack`]; nothing that stands out.
    pub fn ways(&self, strip: u32, at_s: f64, region: Option<[f64; 2]>) -> Result<Json, JobError> {
        let passage = self.passage(strip)?;
        let meter = listened(&passage);
        let events = meter.found(region);
        // One that somebody has marked is none of those found.
        let marked = meter.marked(at_s).filter(|_| region.is_none());
        let found = events.iter().find(|event| (event.from_s..=event.to_s).contains(&at_s));
        let nearest = events.iter().min_by(|a, b| (a.at_s - at_s).abs().total_cmp(&(b.at_s - at_s).abs()));
        let nearest = found.or(marked.as_ref()).or(nearest);
        let none = || JobError::Failed("Nothing stands out of its usual level here.".into());
        let event = nearest.ok_or_else(none)?;
        let held = side_by_side(&hold::Way::ALL, |done, way| {
            self.0.job.progress("holding it four ways", done)?;
            Ok(way.hold(&passage, event, &events))
        })?;
        Ok(json!(held))
    }

    fn passage(&self, strip: u32) -> Result<Passage, JobError> {
        Passages(self.0).before_rack(strip, [0.0, LONGEST_S])
    }
}

/// A passage, looked at for what stands out.
fn listened(passage: &Passage) -> EventMeter {
    let mut meter = EventMeter::new(passage.rate);
    passage.blocks().for_each(|(block, frames)| meter.push(&block, frames));
    meter
}
