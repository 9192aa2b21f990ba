//! Advice that takes rendering: what pairs of settings do together, where tracks collide, what making room would bring.
//! Measured on prints of the session as it is and as it would be; nothing is changed.

use serde::Serialize;
use serde_json::{Value as Json, json};
use zinc_core::advice::{pairs, room};
use zinc_core::measure::audibility::AudibilityMeter;
use zinc_core::measure::moments::Moments;
use zinc_core::rack::UnitSpec;
use zinc_core::render::offline::Subplan;
use zinc_core::render::{Plan, fader_gain};
use zinc_core::session::{Edit, Session, Strip};
use zinc_core::signal::StereoBlock;
use zinc_core::unit::tone::amp::KIND as AMP;

use super::figures::Figures;
use super::watching::Watching;
use super::work::Work;
use crate::jobs::{JobError, side_by_side};
use crate::prints::render::for_each_block;
use crate::shelf::PayloadReader;

/// Most pairs of tracks listed.
const MOST_LISTED: usize = 12;
/// Share of what is lost at the ear in the worst pair that another has to lose to be listed.
const LEAST_SHARE: f64 = 0.2;

/// Two tracks in each other's way.
#[derive(Serialize)]
struct Collision {
    first: u32,
    second: u32,
    #[serde(flatten)]
    overlap: room::Overlap,
    /// How much of each is heard beside the other, 0..1.
    heard: [f64; 2],
}

impl Collision {
    /// Share of the one that loses more that is not heard beside the other.
    fn lost(&self) -> f64 {
        1.0 - self.heard[0].min(self.heard[1])
    }
}

/// What the part that matters gains beside one that gives way: the share of it that is
/// heard, and the dB by which it stands over the other where room is made.
#[derive(Serialize)]
struct Gain {
    strip: u32,
    before: f64,
    after: f64,
    over_before_db: f64,
    over_after_db: f64,
}

/// What is said of racks and of parts beside each other.
pub struct Advice<'a>(pub Work<'a>);

impl Advice<'_> {
    /// What pairs of settings in a strip's rack do together, and what its compressors do wrong.
    ///
    /// # Errors
    /// As [`Figures::treatment`].
    pub fn pairs(&self, id: u32) -> Result<Json, JobError> {
        let session = self.0.session;
        let strip = self.0.strip(id)?;
        let rate = f64::from(session.rate);
        let mut all = pairs::seen(&strip.rack, rate);
        if strip.rack.units.iter().any(|unit| unit.kind.id == AMP.id) {
            all.extend(pairs::amp_inputs(id, &strip.rack, &Figures(self.0).treatment(id)?));
        }
        for suspect in pairs::suspects(&strip.rack) {
            let mut without = session.clone();
            if let Some(other) = without.strip_mut(id) {
                other.rack = suspect.without(&strip.rack);
            }
            let (with, without) = (Figures(self.0).treatment(id)?, Figures(self.0.on(&without)).treatment(id)?);
            all.extend(suspect.explain(id, &strip.rack, &with, &without));
        }
        let mut all: Vec<Json> = all.iter().map(|pair| json!(pair)).collect();
        all.extend(Watching(self.0).faults(id)?);
        Ok(json!(all))
    }

    /// Pairs of tracks that are most in each other's way, worst first.
    ///
    /// # Errors
    /// As [`crate::prints::Prints::ensure`].
    pub fn collisions(&self) -> Result<Json, JobError> {
        let Work { session, job, .. } = self.0;
        let tracks: Vec<&Strip> = session.tracks().filter(|t| fader_gain(t) > 0.0).collect();
        let moments = side_by_side(&tracks, |done, track| {
            job.progress(&format!("listening to {}", track.name), done)?;
            Figures(self.0).moments(track.id)
        })?;
        let mut all = Vec::new();
        for (i, first) in tracks.iter().enumerate() {
            for (j, second) in tracks.iter().enumerate().skip(i + 1) {
                // Two recordings of one performance are one part.
                let same_take = first.take_set != 0 && first.take_set == second.take_set;
                if let Some(overlap) = room::overlap(&moments[i], &moments[j]).filter(|_| !same_take) {
                    let heard = [(i, j), (j, i)].map(|(a, b)| room::audibility(&moments[a], &moments[b]).0);
                    all.push(Collision { first: first.id, second: second.id, overlap, heard });
                }
            }
        }
        all.sort_by(|a, b| b.overlap.weight.total_cmp(&a.overlap.weight));
        all.truncate(MOST_LISTED);
        // What hardly matters beside the worst is left out; the rest stands in the order of what is shown of it.
        let worst = all.first().map_or(0.0, |one| one.overlap.weight);
        all.retain(|one| one.overlap.weight >= LEAST_SHARE * worst);
        all.sort_by(|a, b| b.lost().total_cmp(&a.lost()));
        Ok(json!(all))
    }

    /// What a return adds on small speakers and on large ones, by its level, against the strips
    /// that are sent to it.
    ///
    /// # Errors
    /// As [`crate::prints::Prints::ensure`]; no such return, or nothing sent to it.
    pub fn audibility(&self, id: u32) -> Result<Json, JobError> {
        let Work { session, job, .. } = self.0;
        let path = self.0.strip(id)?;
        let senders: Vec<&Strip> = session.strips.iter().filter(|s| s.sends.iter().any(|send| send.to == id)).collect();
        if senders.is_empty() {
            return Err(JobError::Failed(format!(
                "Nothing is sent to {}; there is nothing to compare it with.",
                path.name
            )));
        }
        let mut open = session.clone();
        if let Some(path) = open.strip_mut(id) {
            let set = path.set_control("level_db", &0.into()).and_then(|_| path.set_control("muted", &false.into()));
            set.map_err(|e| JobError::Failed(e.to_string()))?;
        }
        // The return, the mix, and what is sent, beside each other from the start of the song to its end.
        job.progress("listening to what it adds", 0.2)?;
        let gains = senders.iter().map(|s| if s.is_track() { fader_gain(s) as f32 } else { 1.0 }).collect::<Vec<_>>();
        let mut parts = vec![Advice(self.0.on(&open)).part(id)?, self.part(session.main_id())?];
        parts.extend(senders.iter().map(|strip| self.part(strip.id)).collect::<Result<Vec<_>, _>>()?);
        let (late, rate) = (parts.iter().map(Subplan::latency).max().unwrap_or(0), f64::from(session.rate));
        let mut parts: Vec<Subplan<PayloadReader>> =
            parts.into_iter().map(|part| part.as_late_as(late, rate)).collect();
        job.progress("listening on small and large speakers", 0.6)?;
        let mut meter = AudibilityMeter::new(rate);
        for_each_block(&mut parts, session.frames() + late as u64, job, |blocks| {
            let (added, mix, mut direct) = (&blocks[0], &blocks[1], StereoBlock::SILENT);
            for (gain, sent) in gains.iter().zip(&blocks[2..]) {
                direct.left.iter_mut().zip(&sent.left).for_each(|(sum, x)| *sum += gain * x);
                direct.right.iter_mut().zip(&sent.right).for_each(|(sum, x)| *sum += gain * x);
            }
            meter.push(&direct, added, mix);
        })?;
        Ok(json!(meter.finish()))
    }

    /// A strip as it would be printed, to be worked out beside others.
    fn part(&self, id: u32) -> Result<Subplan<PayloadReader>, JobError> {
        let gone = || JobError::Failed(format!("There is no strip {id} in this session."));
        let plan = Plan::stem(self.0.session, id).ok_or_else(gone)?;
        Ok(Subplan::new(&plan, self.0.session, self.0.read_for(&plan)?))
    }

    /// The edit that makes room for one track among others, and what it brings, measured on
    /// the session as it would be. All that give way share one hole.
    ///
    /// # Errors
    /// As [`crate::prints::Prints::ensure`]; no such tracks.
    pub fn room(&self, greater: u32, lesser: &[u32], way: room::Way) -> Result<Json, JobError> {
        let Work { session, job, .. } = self.0;
        let strip = self.0.strip(greater)?;
        if lesser.is_empty() || lesser.contains(&greater) {
            return Err(JobError::Failed(
                "Choose the track that matters and at least one other that gives way.".into(),
            ));
        }
        job.progress(&format!("listening to {}", strip.name), 0.1)?;
        let part = Figures(self.0).moments(greater)?;
        let mut others = Moments::default();
        for id in lesser {
            others.add(&Figures(self.0).moments(*id)?);
        }
        // One hole for all: where they cost the part most, taken together.
        let (hz, level_db) = room::lost_at(&part, &others);
        // The key is heard before the fader.
        let level_db = level_db - 20.0 * fader_gain(strip).max(1e-6).log10();
        let (dip, lift) = room::units(way, greater, &strip.name, hz, level_db);
        let add_to = |strip: u32, unit: &UnitSpec| {
            let at = session.strip(strip).map_or(0, |s| s.rack.units.len());
            Edit::AddUnit { strip, at, unit: Box::new(unit.clone()) }
        };
        let mut edits: Vec<Edit> = lesser.iter().map(|id| add_to(*id, &dip)).collect();
        edits.extend(lift.iter().map(|unit| add_to(greater, unit)));
        let edit = Edit::Several { edits };
        let mut after = session.clone();
        edit.apply(&mut after).map_err(|e| JobError::Failed(format!("Room cannot be made here: {e}")))?;
        job.progress("measuring what it brings", 0.5)?;
        let mut gains = Vec::new();
        for id in lesser {
            let heard = |session: &Session| -> Result<(f64, f64), JobError> {
                let figures = Figures(self.0.on(session));
                let (own, other) = (figures.moments(greater)?, figures.moments(*id)?);
                Ok((room::audibility(&own, &other).0, room::stands_over(&own, &other, hz)))
            };
            let ((before, over_before_db), (after, over_after_db)) = (heard(session)?, heard(&after)?);
            gains.push(Gain { strip: *id, before, after, over_before_db, over_after_db });
        }
        Ok(json!({ "hz": hz, "edit": edit, "gains": gains }))
    }
}
