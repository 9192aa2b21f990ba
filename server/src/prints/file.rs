//! A strip printed to a WAV file that can be fetched.

use std::time::Duration;

use sha2::{Digest, Sha256};
use zinc_core::render::offline::{LatencyTrim, Subplan};
use zinc_core::render::{Plan, Source};
use zinc_core::session::Session;
use zinc_core::signal::{BLOCK, StereoBlock};
use zinc_sound::{Bits, WavWriter};

use super::supply::Prints;
use super::{parallel, render};
use crate::jobs::{Job, JobError};
use crate::shelf::{PayloadReader, hex, settle};

/// Most bytes of files printed to be fetched.
const PRINTED_LIMIT: u64 = 8 << 30;
/// A file printed within this time may still be fetched.
const FETCHED_WITHIN: Duration = Duration::from_secs(3600);

/// A file printed to be fetched.
pub struct PrintedFile {
    /// Its name among the printed files.
    pub key: String,
    /// Samples above full scale that were clipped.
    pub clipped: u64,
    /// Its length.
    pub frames: u64,
    /// Whether nothing is heard in it.
    pub is_silent: bool,
}

/// What is printed to a file.
pub struct Order {
    /// The strip; the main for the mix.
    pub strip: u32,
    /// How samples are written.
    pub bits: Bits,
    /// Frames of the song from which and up to which it is printed; all of it where there are none.
    pub passage: Option<(u64, u64)>,
}

/// Prints a strip to a WAV file among the printed files. A passage is the same samples as those of the whole.
///
/// # Errors
/// As [`Prints::ensure`]; a passage that is empty or does not lie within the print.
pub fn to_file(prints: &Prints, session: &Session, order: &Order, job: &Job) -> Result<PrintedFile, JobError> {
    let Order { strip, bits, passage } = *order;
    let missing = || JobError::Failed(format!("There is no strip {strip}."));
    let found = session.strip(strip).ok_or_else(missing)?;
    let plan = Plan::stem(session, strip).ok_or_else(missing)?;
    let sources = sources_of(&plan);
    let total = plan.length(session).frames;
    let (from, to) = passage.unwrap_or((0, total));
    if from >= to || to > total {
        return Err(JobError::Failed("That passage does not lie within the print; nothing was written.".into()));
    }
    let written = (to - from) * 2 * u64::from(bits.bytes());
    prints.cache.room_for(session, &sources, written).map_err(JobError::Failed)?;
    prints.cache.remove_damaged(session, &sources)?;
    prints.ensure(session, &sources, job)?;
    let mono = found.is_track() && is_mono(prints, session, strip, job)?;
    let temporary = prints.cache.shelf.temporary_file();
    let channels = if mono { 1 } else { 2 };
    let mut writer = WavWriter::create(&temporary, channels, session.rate, bits)?;
    let label = format!("writing {}", found.name);
    let (mut done, mut peak) = (0u64, 0.0f32);
    let mut cut = LatencyTrim::new(from as usize, to - from);
    let write = |block: &StereoBlock, frames: usize| {
        let is_wanted = cut.pass(block, &mut |block: &StereoBlock, frames: usize| {
            let sides = block.left[..frames].iter().chain(&block.right[..frames]);
            peak = sides.fold(peak, |peak, x| peak.max(x.abs()));
            writer.write(block, frames).map_err(std::io::Error::other)?;
            Ok::<bool, std::io::Error>(true)
        })?;
        done += frames as u64;
        let is_told = done.is_multiple_of(512 * BLOCK as u64);
        let goes_on = !is_told || job.progress(&label, done as f64 / to.max(1) as f64).is_ok();
        Ok(is_wanted && cut.wants_more() && goes_on)
    };
    match Plan::in_parts(session, strip) {
        Some(sums) => parallel::run(&sums, session, parts_of(prints, session, &sums)?, job, write)?,
        None => render::run(&plan, session, &mut prints.cache.open(session, &sources)?, job, write)?,
    }
    job.progress(&label, 1.0)?;
    let clipped = writer.finish()?;
    let mut hasher = Sha256::new();
    std::io::copy(&mut std::fs::File::open(&*temporary)?, &mut hasher)?;
    let key = hex(&hasher.finalize());
    settle(&temporary, &prints.cache.shelf.wav_file(&key))?;
    prints.cache.shelf.trim_printed(PRINTED_LIMIT, FETCHED_WITHIN)?;
    Ok(PrintedFile { key, clipped, frames: to - from, is_silent: peak == 0.0 })
}

fn sources_of(plan: &Plan) -> Vec<Source> {
    plan.lanes().map(|(_, source)| source.clone()).collect()
}

/// The sums that are a plan's lanes, ready to be worked out beside each other.
fn parts_of(prints: &Prints, session: &Session, sums: &Plan) -> Result<Vec<Subplan<PayloadReader>>, JobError> {
    let plans = sums.lanes().filter_map(|(_, source)| Plan::of_source(session, source));
    plans.map(|plan| Ok(Subplan::new(&plan, session, prints.cache.open(session, &sources_of(&plan))?))).collect()
}

fn is_mono(prints: &Prints, session: &Session, strip: u32, job: &Job) -> Result<bool, JobError> {
    let streams = prints.ensure(session, &[Source::Racked { strip }], job)?;
    Ok(streams.iter().all(|s| s.channels == 1))
}
