//! Advice that takes rendering: what pairs of settings do together, where tracks collide,
//! what making room would bring. Measured on prints of the session as it is and as it would
//! be; nothing is changed.

use serde::Serialize;
use serde_json::{Value as Json, json};
use zinc_core::advice::{pairs, room};
use zinc_core::measure::audibility::AudibilityMeter;
use zinc_core::measure::moments::{MomentMeter, Moments};
use zinc_core::render::{Plan, Source, fader_gain};
use zinc_core::session::{Edit, Session, Strip};
use zinc_core::signal::{BLOCK, StereoBlock};

use crate::figures::for_each_block;
use crate::jobs::{Job, Stopped, side_by_side};
use crate::prints::Prints;

/// Most pairs of tracks listed.
const MOST_LISTED: usize = 12;

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

impl Prints {
    /// What pairs of settings in a strip's rack do together, and what its compressors do wrong.
    ///
    /// # Errors
    /// As [`Prints::treatment`].
    pub fn pairs(&self, session: &Session, id: u32, job: &Job) -> Result<Json, Stopped> {
        let strip = found(session, id)?;
        let rate = f64::from(session.rate);
        let mut all = pairs::seen(&strip.rack, rate);
        if strip.rack.units.iter().any(|unit| unit.kind.id == "amp") {
            all.extend(pairs::amp_inputs(id, &strip.rack, &self.treatment(session, id, job)?));
        }
        for suspect in pairs::suspects(&strip.rack) {
            let mut without = session.clone();
            if let Some(other) = without.strip_mut(id) {
                other.rack = suspect.without(&strip.rack);
            }
            let (with, without) = (self.treatment(session, id, job)?, self.treatment(&without, id, job)?);
            all.extend(suspect.explain(id, &strip.rack, &with, &without));
        }
        let mut all: Vec<Json> = all.iter().map(|pair| json!(pair)).collect();
        all.extend(self.watch(session, id, job)?);
        Ok(json!(all))
    }

    /// Pairs of tracks that are most in each other's way, worst first.
    ///
    /// # Errors
    /// As [`Prints::ensure`].
    pub fn collisions(&self, session: &Session, job: &Job) -> Result<Json, Stopped> {
        let tracks: Vec<&Strip> = session.tracks().filter(|t| fader_gain(t) > 0.0).collect();
        let moments = side_by_side(&tracks, |done, track| {
            job.progress(&format!("listening to {}", track.name), done)?;
            self.moments(session, track.id, job)
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
        Ok(json!(all))
    }

    /// What a return adds on small speakers and on large ones, by its level, against the strips
    /// that are sent to it.
    ///
    /// # Errors
    /// As [`Prints::ensure`]; no such return, or nothing sent to it.
    pub fn audibility(&self, session: &Session, id: u32, job: &Job) -> Result<Json, Stopped> {
        let path = found(session, id)?;
        let senders: Vec<&Strip> = session.strips.iter().filter(|s| s.sends.iter().any(|send| send.to == id)).collect();
        if senders.is_empty() {
            return Err(Stopped::Failed(format!(
                "Nothing is sent to {}; there is nothing to compare it with.",
                path.name
            )));
        }
        let mut open = session.clone();
        if let Some(path) = open.strip_mut(id) {
            let set = path.set_control("level_db", &json!(0)).and_then(|()| path.set_control("muted", &json!(false)));
            set.map_err(|e| Stopped::Failed(e.to_string()))?;
        }
        job.progress("listening to what is sent", 0.1)?;
        let mut direct: Vec<StereoBlock> = Vec::new();
        for strip in senders {
            let gain = if strip.is_track() { fader_gain(strip) as f32 } else { 1.0 };
            for (at, block) in self.blocks(session, strip.id, job)?.iter().enumerate() {
                if at == direct.len() {
                    direct.push(StereoBlock::SILENT);
                }
                let StereoBlock { left, right } = &mut direct[at];
                left.iter_mut().zip(&block.left).for_each(|(sum, x)| *sum += gain * x);
                right.iter_mut().zip(&block.right).for_each(|(sum, x)| *sum += gain * x);
            }
        }
        job.progress("listening to what it adds", 0.5)?;
        let added = self.blocks(&open, id, job)?;
        job.progress("listening to the mix", 0.7)?;
        let mix = self.blocks(session, session.main_id(), job)?;
        let mut meter = AudibilityMeter::new(f64::from(session.rate));
        direct.iter().zip(&added).zip(&mix).for_each(|((direct, added), mix)| meter.push(direct, added, mix));
        Ok(json!(meter.finish()))
    }

    /// A strip as it would be printed, whole.
    fn blocks(&self, session: &Session, id: u32, job: &Job) -> Result<Vec<StereoBlock>, Stopped> {
        let gone = || Stopped::Failed(format!("There is no strip {id}."));
        let plan = Plan::stem(session, id).ok_or_else(gone)?;
        let sources: Vec<Source> = plan.lanes().map(|(_, source)| source.clone()).collect();
        self.ensure(session, &sources, job)?;
        let mut blocks = Vec::new();
        self.run(session, &plan, job, |block, _| {
            blocks.push(block.clone());
            Ok(true)
        })?;
        Ok(blocks)
    }

    /// The edit that makes room for one track among others, and what it brings, measured on
    /// the session as it would be. All that give way share one hole.
    ///
    /// # Errors
    /// As [`Prints::ensure`]; no such tracks.
    pub fn room(
        &self,
        session: &Session,
        greater: u32,
        lesser: &[u32],
        way: room::Way,
        job: &Job,
    ) -> Result<Json, Stopped> {
        let strip = found(session, greater)?;
        if lesser.is_empty() || lesser.contains(&greater) {
            return Err(Stopped::Failed("Choose the track that matters and at least one other that gives way.".into()));
        }
        job.progress(&format!("listening to {}", strip.name), 0.1)?;
        let part = self.moments(session, greater, job)?;
        let mut others = Moments::default();
        for id in lesser {
            found(session, *id)?;
            let one = self.moments(session, *id, job)?;
            add(&mut others, &one);
        }
        // One hole for all: where they cost the part most, taken together.
        let (hz, level_db) = room::lost_at(&part, &others);
        // The key is heard before the fader.
        let level_db = level_db - 20.0 * fader_gain(strip).max(1e-6).log10();
        let (dip, lift) = room::units(way, greater, &strip.name, hz, level_db);
        let add_to = |strip: u32, unit: &Json| {
            let at = session.strip(strip).map_or(0, |s| s.rack.units.len());
            Edit::AddUnit { strip, at, unit: unit.clone() }
        };
        let mut edits: Vec<Edit> = lesser.iter().map(|id| add_to(*id, &dip)).collect();
        edits.extend(lift.iter().map(|unit| add_to(greater, unit)));
        let edit = Edit::Several { edits };
        let mut after = session.clone();
        edit.apply(&mut after).map_err(|e| Stopped::Failed(format!("Room cannot be made here: {e}")))?;
        job.progress("measuring what it brings", 0.5)?;
        let mut gains = Vec::new();
        for id in lesser {
            let heard = |session: &Session| -> Result<(f64, f64), Stopped> {
                let (own, other) = (self.moments(session, greater, job)?, self.moments(session, *id, job)?);
                Ok((room::audibility(&own, &other).0, room::stands_over(&own, &other, hz)))
            };
            let ((before, over_before_db), (after, over_after_db)) = (heard(session)?, heard(&after)?);
            gains.push(Gain { strip: *id, before, after, over_before_db, over_after_db });
        }
        Ok(json!({ "hz": hz, "edit": edit, "gains": gains }))
    }

    /// What a track takes up moment by moment, at the level its fader gives it.
    fn moments(&self, session: &Session, strip: u32, job: &Job) -> Result<Moments, Stopped> {
        let source = [Source::Racked { strip }];
        let what = format!("moments {} {}", Self::key(session, &source[0]), session.frames());
        let mut moments: Moments = self.remembered(&what, || {
            self.ensure(session, &source, job)?;
            let mut inputs = self.open_all(session, &source)?;
            let mut meter = MomentMeter::new(f64::from(session.rate));
            for_each_block(&mut inputs, session.frames(), job, |blocks| meter.push(&blocks[0], BLOCK))?;
            Ok(meter.finish())
        })?;
        let power = fader_gain(found(session, strip)?).powi(2) as f32;
        moments.energy.iter_mut().flatten().for_each(|energy| *energy *= power);
        Ok(moments)
    }
}

fn found(session: &Session, strip: u32) -> Result<&Strip, Stopped> {
    session.strip(strip).ok_or_else(|| Stopped::Failed(format!("There is no strip {strip} in this session.")))
}

/// Adds one part's energy to that of others.
fn add(sum: &mut Moments, part: &Moments) {
    sum.energy.resize(sum.energy.len().max(part.energy.len()), Default::default());
    for (sum, energy) in sum.energy.iter_mut().zip(&part.energy) {
        sum.iter_mut().zip(energy).for_each(|(s, e)| *s += e);
    }
}
