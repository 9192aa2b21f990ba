//! Figures of recorded and printed sound: what a rack did to a whole part, how loud a
//! track is, how both sides of a comparison are made equally loud. Kept beside the
//! prints under a hash of all that determines them.

use serde::Serialize;
use serde::de::DeserializeOwned;
use serde_json::{Value as Json, json};
use sha2::{Digest, Sha256};
use zinc_core::measure::alignment::{Alignment, align};
use zinc_core::measure::floor::FloorMeter;
use zinc_core::measure::heard::{HeardAlone, next_match};
use zinc_core::measure::level::LevelMeter;
use zinc_core::measure::loudness::{LoudnessMeter, integrated_lufs};
use zinc_core::measure::overview::Overview;
use zinc_core::measure::raw::{Raw, RawMeter};
use zinc_core::measure::rings::{Ring, RingMeter};
use zinc_core::measure::treatment::{Treatment, TreatmentRun};
use zinc_core::render::offline::BlockSource;
use zinc_core::render::{Plan, Source};
use zinc_core::session::{Change, Reference, Session, Strip};
use zinc_core::signal::{BLOCK, StereoBlock};

use crate::jobs::{Job, Stopped, side_by_side};
use crate::prints::{Prints, VERSION, is_cancelled};
use crate::shelf::{PayloadReader, hex, settle};

/// Pairs of a track's waveform on the Desk: two for each pixel of a wide screen's row.
const GLANCE_PAIRS: usize = 1024;
/// Two sides count as equally loud within this; a third of what is promised.
const MATCHED_WITHIN_LU: f64 = 0.03;
/// Runs of the untouched side at most; two are the rule behind a bus compressor.
const MOST_TRIES: usize = 4;
/// Seconds of two recordings that are measured against each other.
const COMPARED_S: u64 = 120;
/// Seconds played before a stretch is measured: longer than ordinary release times.
const RUN_UP_S: u64 = 3;
impl Prints {
    /// Figures known already, or made now and kept.
    pub(crate) fn remembered<T: Serialize + DeserializeOwned>(
        &self,
        what: &str,
        make: impl FnOnce() -> Result<T, Stopped>,
    ) -> Result<T, Stopped> {
        let mut hasher = Sha256::new();
        hasher.update(VERSION);
        hasher.update(what);
        let file = self.shelf.figures_file(&hex(&hasher.finalize()));
        if let Some(known) = std::fs::read(&file).ok().and_then(|b| serde_json::from_slice(&b).ok()) {
            return Ok(known);
        }
        let made = make()?;
        let temporary = self.shelf.temporary_file();
        std::fs::write(&*temporary, serde_json::to_vec(&made)?)?;
        settle(&temporary, &file)?;
        Ok(made)
    }

    /// How the recording of one track lies against another's; none where they share too
    /// little.
    ///
    /// # Errors
    /// As [`Prints::ensure`], or strips that are no tracks.
    pub fn alignment(
        &self,
        session: &Session,
        first: u32,
        second: u32,
        job: &Job,
    ) -> Result<Option<Alignment>, Stopped> {
        let is_track = |id| session.strip(id).is_some_and(Strip::is_track);
        if !is_track(first) || !is_track(second) || first == second {
            return Err(Stopped::Failed("Two different tracks are needed; nothing was measured.".into()));
        }
        let sources = [Source::Raw { strip: first }, Source::Raw { strip: second }];
        let mut inputs = self.open_all(session, &sources)?;
        let frames = session.frames().min(u64::from(session.rate) * COMPARED_S);
        let mut sounds = [Vec::with_capacity(frames as usize), Vec::with_capacity(frames as usize)];
        for_each_block(&mut inputs, frames, job, |blocks| {
            for (sound, block) in sounds.iter_mut().zip(blocks) {
                sound.extend(block.left.iter().zip(&block.right).map(|(l, r)| 0.5 * (l + r)));
            }
        })?;
        Ok(align(&sounds[0], &sounds[1], f64::from(session.rate)))
    }

    /// A track at a glance: the waveform as recorded, loudness and peak after its rack.
    ///
    /// # Errors
    /// As [`Prints::ensure`].
    pub fn glance(&self, session: &Session, track: &Strip, job: &Job) -> Result<Json, Stopped> {
        let strip = track.id;
        let sources = [Source::Raw { strip }, Source::Racked { strip }];
        let keys = sources.each_ref().map(|s| Self::key(session, s)).join(" ");
        let start = track.audio().map_or(0, |a| a.start);
        self.remembered(&format!("glance {GLANCE_PAIRS} {keys} {start} {}", session.frames()), || {
            self.ensure(session, &sources, job)?;
            let mut inputs = self.open_all(session, &sources)?;
            let mut wave = Overview::default();
            let (mut level, mut tenths) = (LevelMeter::default(), Vec::new());
            let mut loudness = LoudnessMeter::new(f64::from(session.rate), 2);
            let frames = Plan::treatment(session, track).length(session).frames;
            for_each_block(&mut inputs, frames, job, |blocks| {
                wave.push(&blocks[0], BLOCK);
                level.push(&blocks[1], BLOCK);
                loudness.push(&blocks[1], BLOCK, |tenth| tenths.push(tenth));
            })?;
            let lufs = integrated_lufs(&tenths);
            Ok(json!({ "strip": strip, "wave": wave.finish_within(GLANCE_PAIRS), "lufs": lufs, "peak_db": level.peak_db() }))
        })
        .map(|mut known: Json| {
            // The same sound may stand on several strips.
            known["strip"] = json!(strip);
            known
        })
    }

    /// Gain in dB that makes the other side of a comparison of one strip as loud as the
    /// session where the strip is heard alone, between two frames; found from a first
    /// guess.
    ///
    /// # Errors
    /// As [`Self::ensure`].
    pub fn heard_match(
        &self,
        session: &Session,
        strip: u32,
        other: &Reference,
        range: std::ops::Range<u64>,
        guess_db: f64,
        job: &Job,
    ) -> Result<f64, Stopped> {
        let side = |gain_db: Option<f64>| -> Result<Session, Stopped> {
            let Some(db) = gain_db else { return Ok(session.clone()) };
            let mut changes = other.changes.clone();
            changes.push(Change::Level { strip, db });
            Reference { changes }.of(session).map_err(|e| Stopped::Failed(e.to_string()))
        };
        let loudness = |gain_db: Option<f64>| self.heard_lufs(&side(gain_db)?, strip, &range, job);
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

    fn heard_lufs(
        &self,
        session: &Session,
        strip: u32,
        range: &std::ops::Range<u64>,
        job: &Job,
    ) -> Result<Option<f64>, Stopped> {
        let run_up = range.start.min(u64::from(session.rate) * RUN_UP_S);
        let missing = || Stopped::Failed(format!("There is no strip {strip}."));
        let plan = Plan::bench(session, strip, &[]).ok_or_else(missing)?;
        let sources: Vec<Source> = plan.lanes().map(|(_, source)| source.clone()).collect();
        self.ensure(session, &sources, job)?;
        let mut heard = HeardAlone::new(session, strip, range.start - run_up, run_up as usize).ok_or_else(missing)?;
        let mut inputs = self.open_all(session, &sources)?;
        inputs.iter_mut().try_for_each(|input| input.skip_to(range.start - run_up))?;
        let frames = range.end - range.start + run_up;
        for_each_block(&mut inputs, frames, job, |blocks| heard.push(blocks))?;
        Ok(heard.lufs())
    }

    /// The rings of a track as it was recorded, without those that were said to be none.
    ///
    /// # Errors
    /// As [`Prints::ensure`].
    pub fn rings(&self, session: &Session, strip: u32, job: &Job) -> Result<Vec<Ring>, Stopped> {
        let mut meter = RingMeter::new(f64::from(session.rate));
        let what = "looking for rings";
        let mut rings: Vec<Ring> = self.of_recording(what, session, strip, job, move |inputs, frames| {
            for_each_block(inputs, frames, job, |blocks| meter.push(&blocks[0], BLOCK))?;
            Ok(meter.finish())
        })?;
        rings.retain(|ring| session.notebook.is_ring(strip, ring.hz));
        Ok(rings)
    }

    /// Where a track as it was recorded begins.
    ///
    /// # Errors
    /// As [`Prints::ensure`].
    pub fn floor(&self, session: &Session, strip: u32, job: &Job) -> Result<Json, Stopped> {
        let mut meter = FloorMeter::new(f64::from(session.rate));
        let what = "finding where it begins";
        self.of_recording(what, session, strip, job, move |inputs, frames| {
            for_each_block(inputs, frames, job, |blocks| meter.push(&blocks[0], BLOCK))?;
            Ok(json!(meter.finish()))
        })
    }

    /// What a track is before anyone touched it, without the rings that were said to be none.
    ///
    /// # Errors
    /// As [`Prints::ensure`].
    pub fn raw(&self, session: &Session, strip: u32, job: &Job) -> Result<Raw, Stopped> {
        let channels = session.strip(strip).and_then(Strip::audio).map_or(1, |a| a.channels);
        let mut meter = RawMeter::new(f64::from(session.rate), channels);
        let mut raw: Raw =
            self.of_recording("looking at the raw part", session, strip, job, move |inputs, frames| {
                for_each_block(inputs, frames, job, |blocks| meter.push(&blocks[0]))?;
                Ok(meter.finish())
            })?;
        raw.rings.retain(|ring| session.notebook.is_ring(strip, ring.hz));
        Ok(raw)
    }

    /// Something measured of a track's recording, remembered under its name.
    fn of_recording<T: Serialize + DeserializeOwned>(
        &self,
        what: &str,
        session: &Session,
        strip: u32,
        job: &Job,
        measure: impl FnOnce(&mut [PayloadReader], u64) -> Result<T, Stopped>,
    ) -> Result<T, Stopped> {
        let source = [Source::Raw { strip }];
        let frames = session.strip(strip).and_then(Strip::audio).map(|a| a.start + a.frames);
        let Some(frames) = frames else {
            return Err(Stopped::Failed("Only recorded tracks can be looked at in this way.".into()));
        };
        self.remembered(&format!("{what} {} {frames}", Self::key(session, &source[0])), || {
            job.progress(what, 0.2)?;
            let mut inputs = self.open_all(session, &source)?;
            measure(&mut inputs, frames)
        })
    }

    /// What a strip's rack does to its whole part.
    ///
    /// # Errors
    /// As [`Self::ensure`].
    pub fn treatment(&self, session: &Session, strip: u32, job: &Job) -> Result<Treatment, Stopped> {
        let found = session.strip(strip).ok_or_else(|| Stopped::Failed(format!("There is no strip {strip}.")))?;
        let mut run = TreatmentRun::new(session, found);
        let key = Self::key(session, &Source::Racked { strip });
        let what = format!("treatment {} {key} {}", session.rate, found.rack.to_json());
        self.remembered(&what, || {
            let sources = run.sources().to_vec();
            self.ensure(session, &sources, job)?;
            job.progress(&format!("measuring {}", found.name), 0.5)?;
            let mut inputs = self.open_all(session, &sources)?;
            let frames = Plan::treatment(session, found).length(session).frames + run.latency() as u64;
            for_each_block(&mut inputs, frames, job, |blocks| run.process(blocks))?;
            Ok(run.finish())
        })
    }
}

/// Reads all inputs block by block for `frames` frames.
pub(crate) fn for_each_block(
    inputs: &mut [PayloadReader],
    frames: u64,
    job: &Job,
    mut work: impl FnMut(&[StereoBlock]),
) -> Result<(), Stopped> {
    let mut blocks = vec![StereoBlock::SILENT; inputs.len()];
    for n in 0..frames.div_ceil(BLOCK as u64) {
        if n.is_multiple_of(512) && is_cancelled(job) {
            return Err(Stopped::Cancelled);
        }
        for (input, block) in inputs.iter_mut().zip(&mut blocks) {
            input.next_block(block)?;
        }
        work(&blocks);
    }
    Ok(())
}
