//! Figures of recorded and printed sound: what a rack did to a whole part, how loud a track is, what it was before
//! anyone touched it. Kept beside the prints under all that determines them.

use serde::Serialize;
use serde::de::DeserializeOwned;
use serde_json::{Value as Json, json};
use zinc_core::measure::alignment::{Alignment, align};
use zinc_core::measure::floor::FloorMeter;
use zinc_core::measure::level::LevelMeter;
use zinc_core::measure::loudness::{LoudnessMeter, integrated_lufs};
use zinc_core::measure::moments::{MomentMeter, Moments};
use zinc_core::measure::overview::Overview;
use zinc_core::measure::raw::{Raw, RawMeter};
use zinc_core::measure::rings::{Ring, RingMeter};
use zinc_core::measure::treatment::{Treatment, TreatmentRun};
use zinc_core::rack::lead_in;
use zinc_core::render::offline::run_in;
use zinc_core::render::{Plan, Source, fader_gain};
use zinc_core::session::Strip;
use zinc_core::signal::BLOCK;

use super::work::Work;
use crate::jobs::JobError;
use crate::prints::render::for_each_block;
use crate::shelf::PayloadReader;

/// Pairs of a track's waveform on the Desk: two for each pixel of a wide screen's row.
const GLANCE_PAIRS: usize = 1024;
/// A part shorter than this, in seconds, is measured whole as soon as a stretch of it would be.
const SOON_S: u64 = 45;
/// Longest stretch that is measured before the whole, in seconds.
const STRETCH_S: u64 = 30;
/// Seconds of two recordings that are measured against each other.
const COMPARED_S: u64 = 120;

/// What is measured of tracks and their racks.
pub struct Figures<'a>(pub Work<'a>);

impl Figures<'_> {
    /// How the recording of one track lies against another's; none where they share too
    /// little.
    ///
    /// # Errors
    /// As [`crate::prints::Prints::ensure`], or strips that are no tracks.
    pub fn alignment(&self, first: u32, second: u32) -> Result<Option<Alignment>, JobError> {
        let Work { session, job, .. } = self.0;
        let is_track = |id| session.strip(id).is_some_and(Strip::is_track);
        if !is_track(first) || !is_track(second) || first == second {
            return Err(JobError::Failed("Two different tracks are needed; nothing was measured.".into()));
        }
        let sources = [Source::Raw { strip: first }, Source::Raw { strip: second }];
        let mut inputs = self.0.prints.cache.open(session, &sources)?;
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
    /// As [`crate::prints::Prints::ensure`].
    pub fn glance(&self, track: &Strip) -> Result<Json, JobError> {
        let Work { session, job, .. } = self.0;
        let strip = track.id;
        let sources = [Source::Raw { strip }, Source::Racked { strip }];
        let keys = sources.each_ref().map(|s| self.0.key(s)).join(" ");
        let start = track.audio().map_or(0, |a| a.start);
        self.0.remembered(&format!("glance {GLANCE_PAIRS} {keys} {start} {}", session.frames()), || {
            let mut inputs = self.0.read(&sources)?;
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

    /// The rings of a track as it was recorded, without those that were said to be none.
    ///
    /// # Errors
    /// As [`crate::prints::Prints::ensure`].
    pub fn rings(&self, strip: u32) -> Result<Vec<Ring>, JobError> {
        let Work { session, job, .. } = self.0;
        let mut meter = RingMeter::new(f64::from(session.rate));
        let what = "looking for rings";
        let mut rings: Vec<Ring> = self.of_recording(what, strip, move |inputs, frames| {
            for_each_block(inputs, frames, job, |blocks| meter.push(&blocks[0], BLOCK))?;
            Ok(meter.finish())
        })?;
        rings.retain(|ring| session.notebook.is_ring(strip, ring.hz));
        Ok(rings)
    }

    /// Where a track as it was recorded begins.
    ///
    /// # Errors
    /// As [`crate::prints::Prints::ensure`].
    pub fn floor(&self, strip: u32) -> Result<Json, JobError> {
        let Work { session, job, .. } = self.0;
        let mut meter = FloorMeter::new(f64::from(session.rate));
        let what = "finding where it begins";
        self.of_recording(what, strip, move |inputs, frames| {
            for_each_block(inputs, frames, job, |blocks| meter.push(&blocks[0], BLOCK))?;
            Ok(json!(meter.finish()))
        })
    }

    /// What a track is before anyone touched it, without the rings that were said to be none.
    ///
    /// # Errors
    /// As [`crate::prints::Prints::ensure`].
    pub fn raw(&self, strip: u32) -> Result<Raw, JobError> {
        let Work { session, job, .. } = self.0;
        let channels = session.strip(strip).and_then(Strip::audio).map_or(1, |a| a.channels);
        let mut meter = RawMeter::new(f64::from(session.rate), channels);
        let mut raw: Raw = self.of_recording("looking at the raw part", strip, move |inputs, frames| {
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
        strip: u32,
        measure: impl FnOnce(&mut [PayloadReader], u64) -> Result<T, JobError>,
    ) -> Result<T, JobError> {
        let Work { session, job, .. } = self.0;
        let source = [Source::Raw { strip }];
        let frames = session.strip(strip).and_then(Strip::audio).map(|a| a.start + a.frames);
        let Some(frames) = frames else {
            return Err(JobError::Failed("Only recorded tracks can be looked at in this way.".into()));
        };
        self.0.remembered(&format!("{what} {} {frames}", self.0.key(&source[0])), || {
            job.progress(what, 0.2)?;
            let mut inputs = self.0.prints.cache.open(session, &source)?;
            measure(&mut inputs, frames)
        })
    }

    /// What a strip's rack does to its whole part.
    ///
    /// # Errors
    /// As [`crate::prints::Prints::ensure`].
    pub fn treatment(&self, strip: u32) -> Result<Treatment, JobError> {
        let Work { session, job, .. } = self.0;
        let found = self.0.strip(strip)?;
        let mut run = TreatmentRun::new(session, found);
        let key = self.0.key(&Source::Racked { strip });
        let what = format!("treatment {} {key} {}", session.rate, found.rack.to_json());
        self.0.remembered(&what, || {
            let sources = run.sources().to_vec();
            let mut inputs = self.0.read(&sources)?;
            job.progress(&format!("measuring {}", found.name), 0.5)?;
            let frames = Plan::treatment(session, found).length(session).frames + run.latency() as u64;
            for_each_block(&mut inputs, frames, job, |blocks| run.process(blocks))?;
            Ok(run.finish())
        })
    }

    /// The same of a stretch of the song alone, between two frames, heard after what its units remember: long before the
    /// whole part is measured. None where the part is measured soon, where there is nothing of
    /// the song, or what it reads is not printed yet.
    ///
    /// # Errors
    /// No such strip, a damaged payload, or a request to stop.
    pub fn treatment_within(&self, strip: u32, [from, to]: [u64; 2]) -> Result<Option<Treatment>, JobError> {
        let Work { session, job, prints } = self.0;
        let found = self.0.strip(strip)?;
        let run = TreatmentRun::new(session, found);
        let sources = run.sources().to_vec();
        let is_there =
            |source: &Source| matches!(source, Source::Raw { .. }) || prints.cache.stream(session, source).is_some();
        if session.frames() < SOON_S * u64::from(session.rate) || !sources.iter().all(is_there) {
            return Ok(None);
        }
        let to = to.min(session.frames()).min(from.saturating_add(STRETCH_S * u64::from(session.rate)));
        if from >= to {
            return Ok(None);
        }
        let late = run.latency() as u64;
        let led_in = (lead_in::seconds(&found.rack) * f64::from(session.rate)) as u64;
        let first = run_in(from, led_in);
        let mut inputs = prints.cache.open(session, &sources)?;
        inputs.iter_mut().try_for_each(|input| input.skip_to(first))?;
        let mut run = run.starting_at(first, from + late - first);
        for_each_block(&mut inputs, to.saturating_sub(first) + late, job, |blocks| run.process(blocks))?;
        Ok(Some(run.finish()))
    }

    /// What a track takes up moment by moment, at the level its fader gives it.
    ///
    /// # Errors
    /// As [`crate::prints::Prints::ensure`]; no such strip.
    pub fn moments(&self, strip: u32) -> Result<Moments, JobError> {
        let Work { session, job, .. } = self.0;
        let source = [Source::Racked { strip }];
        let what = format!("moments {} {}", self.0.key(&source[0]), session.frames());
        let mut moments: Moments = self.0.remembered(&what, || {
            let mut inputs = self.0.read(&source)?;
            let mut meter = MomentMeter::new(f64::from(session.rate));
            for_each_block(&mut inputs, session.frames(), job, |blocks| meter.push(&blocks[0], BLOCK))?;
            Ok(meter.finish())
        })?;
        let power = fader_gain(self.0.strip(strip)?).powi(2) as f32;
        moments.energy.iter_mut().flatten().for_each(|energy| *energy *= power);
        Ok(moments)
    }
}
