//! Plans run over whole songs, for as long as their job is wanted.

use std::cell::Cell;

use zinc_core::render::Plan;
use zinc_core::render::offline::{BlockSource, render};
use zinc_core::session::Session;
use zinc_core::signal::{BLOCK, StereoBlock};

use super::hearing::Patience;
use crate::jobs::{Job, JobError};
use crate::shelf::PayloadReader;

/// Blocks between two looks at whether the job is still wanted.
const LOOKS_EVERY: u32 = 512;

/// A sink that looks now and then whether its job is to stop, and says so in `cancelled`.
pub fn watched<E: From<std::io::Error>>(
    job: &Job,
    cancelled: &Cell<bool>,
    mut sink: impl FnMut(&StereoBlock, usize) -> Result<bool, std::io::Error>,
) -> impl FnMut(&StereoBlock, usize) -> Result<bool, E> {
    let mut blocks = 0u32;
    move |block, frames| {
        blocks += 1;
        cancelled.set(blocks.is_multiple_of(LOOKS_EVERY) && job.is_cancelled());
        Ok(!cancelled.get() && sink(block, frames)?)
    }
}

/// Runs a plan over the whole song from its sources, in the order of its lanes.
///
/// # Errors
/// Those of sources and sink, or a request to stop.
pub fn run(
    plan: &Plan,
    session: &Session,
    sources: &mut [PayloadReader],
    job: &Job,
    sink: impl FnMut(&StereoBlock, usize) -> Result<bool, std::io::Error>,
) -> Result<(), JobError> {
    let cancelled = Cell::new(false);
    render(plan, session, sources, watched::<std::io::Error>(job, &cancelled, sink))?;
    if cancelled.get() { Err(JobError::Cancelled) } else { Ok(()) }
}

/// Reads all sources beside each other, block by block, for so many frames, to measure them: whoever waits to hear
/// something comes first.
///
/// # Errors
/// Those of the sources, or a request to stop.
pub fn for_each_block<S: BlockSource>(
    sources: &mut [S],
    frames: u64,
    job: &Job,
    mut work: impl FnMut(&[StereoBlock]),
) -> Result<(), JobError>
where
    JobError: From<S::Error>,
{
    let mut blocks = vec![StereoBlock::SILENT; sources.len()];
    let mut patience = Patience::default();
    for n in 0..frames.div_ceil(BLOCK as u64) {
        if n.is_multiple_of(u64::from(LOOKS_EVERY)) {
            patience.give_way(|| !job.is_cancelled());
            if job.is_cancelled() {
                return Err(JobError::Cancelled);
            }
        }
        for (source, block) in sources.iter_mut().zip(&mut blocks) {
            source.next_block(block)?;
        }
        work(&blocks);
    }
    Ok(())
}
