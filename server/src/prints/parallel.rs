//! Parts of a mix worked out beside each other: each on a thread of its own, which hands its blocks to
//! whoever sums them.

use std::cell::Cell;
use std::sync::mpsc::{Receiver, SyncSender, sync_channel};

use zinc_core::render::Plan;
use zinc_core::render::offline::{BlockSource, Subplan, render_late};
use zinc_core::session::Session;
use zinc_core::signal::StereoBlock;

use super::render::watched;
use crate::jobs::{Job, JobError};
use crate::shelf::PayloadReader;

/// Blocks handed over at once, and how often before whoever makes them waits.
const BATCH: usize = 64;
const AHEAD: usize = 4;

type Batch = Result<Vec<StereoBlock>, JobError>;

/// Blocks that come from another thread; silence once none do.
struct Coming {
    comes: Receiver<Batch>,
    batch: std::vec::IntoIter<StereoBlock>,
}

impl BlockSource for Coming {
    type Error = JobError;

    fn next_block(&mut self, block: &mut StereoBlock) -> Result<(), JobError> {
        if self.batch.as_slice().is_empty()
            && let Ok(batch) = self.comes.recv()
        {
            self.batch = batch?.into_iter();
        }
        *block = self.batch.next().unwrap_or(StereoBlock::SILENT);
        Ok(())
    }
}

/// Runs a plan whose lanes are sums ([`Plan::in_parts`]) over the whole song, as [`super::render::run`] does, from the
/// sums in the order of its lanes.
///
/// # Errors
/// Those of sources and sink, or a request to stop.
pub fn run(
    plan: &Plan,
    session: &Session,
    parts: Vec<Subplan<PayloadReader>>,
    job: &Job,
    sink: impl FnMut(&StereoBlock, usize) -> Result<bool, std::io::Error>,
) -> Result<(), JobError> {
    let late = parts.iter().map(Subplan::latency).max().unwrap_or(0);
    let cancelled = Cell::new(false);
    std::thread::scope(|scope| {
        let begin = |part: Subplan<PayloadReader>| {
            let (gives, comes) = sync_channel::<Batch>(AHEAD);
            let part = part.as_late_as(late, f64::from(session.rate));
            scope.spawn(move || hand_over(part, &gives));
            Coming { comes, batch: Vec::new().into_iter() }
        };
        let mut coming: Vec<Coming> = parts.into_iter().map(begin).collect();
        render_late(plan, session, &mut coming, late, watched::<JobError>(job, &cancelled, sink))
    })?;
    if cancelled.get() { Err(JobError::Cancelled) } else { Ok(()) }
}

/// Works a part out for as long as somebody takes it.
fn hand_over(mut part: Subplan<PayloadReader>, to: &SyncSender<Batch>) {
    let next = |part: &mut Subplan<PayloadReader>| -> Batch {
        let mut batch = vec![StereoBlock::SILENT; BATCH];
        batch.iter_mut().try_for_each(|block| part.next_block(block))?;
        Ok(batch)
    };
    loop {
        let batch = next(&mut part);
        let is_last = batch.is_err();
        if to.send(batch).is_err() || is_last {
            return;
        }
    }
}
