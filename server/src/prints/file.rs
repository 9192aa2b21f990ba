//! A strip printed to a WAV file that can be fetched.

use std::time::Duration;

use sha2::{Digest, Sha256};
use zinc_core::render::offline::Subplan;
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
}

/// Prints a strip to a WAV file among the printed files.
///
/// # Errors
/// As [`Prints::ensure`].
pub fn to_file(prints: &Prints, session: &Session, strip: u32, bits: Bits, job: &Job) -> Result<PrintedFile, JobError> {
    let missing = || JobError::Failed(format!("There is no strip {strip}."));
    let found = session.strip(strip).ok_or_else(missing)?;
    let plan = Plan::stem(session, strip).ok_or_else(missing)?;
    let sources = sources_of(&plan);
    prints.cache.remove_damaged(session, &sources)?;
    prints.ensure(session, &sources, job)?;
    let mono = found.is_track() && is_mono(prints, session, strip, job)?;
    let temporary = prints.cache.shelf.temporary_file();
    let channels = if mono { 1 } else { 2 };
    let mut writer = WavWriter::create(&temporary, channels, session.rate, bits)?;
    let label = format!("writing {}", found.name);
    let (mut done, total) = (0u64, plan.length(session).frames);
    let write = |block: &StereoBlock, frames: usize| {
        writer.write(block, frames).map_err(std::io::Error::other)?;
        done += frames as u64;
        Ok(!done.is_multiple_of(512 * BLOCK as u64) || job.progress(&label, done as f64 / total.max(1) as f64).is_ok())
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
    Ok(PrintedFile { key, clipped, frames: total })
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
