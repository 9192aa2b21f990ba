//! Parts of a mix worked out beside each other: each on a thread of its own, which hands its blocks to
//! whoever sums them.

use std::sync::mpsc::{Receiver, SyncSender, sync_channel};
use std::thread::Scope;

use zinc_core::render::offline::{BlockSource, render};
use zinc_core::render::{Plan, Source};
use zinc_core::session::Session;
use zinc_core::signal::{BLOCK, StereoBlock};

use crate::jobs::{Job, Stopped};
use crate::prints::{Prints, is_cancelled};

/// Blocks handed over at once, and how often before whoever makes them waits.
const BATCH: usize = 64;
const AHEAD: usize = 4;

type Batch = Result<Vec<StereoBlock>, Stopped>;

/// A part that is being worked out; silence after its end.
struct Part {
    comes: Receiver<Batch>,
    batch: std::vec::IntoIter<StereoBlock>,
}

impl BlockSource for Part {
    type Error = Stopped;

    fn next_block(&mut self, block: &mut StereoBlock) -> Result<(), Stopped> {
        if self.batch.as_slice().is_empty()
            && let Ok(batch) = self.comes.recv()
        {
            self.batch = batch?.into_iter();
        }
        *block = self.batch.next().unwrap_or(StereoBlock::SILENT);
        Ok(())
    }
}

impl Prints {
    /// Runs a plan whose lanes are sums ([`Plan::in_parts`]) over the whole song, as
    /// [`Prints::run`] does; what the sums are made of must be there.
    ///
    /// # Errors
    /// As [`Prints::run`].
    pub fn run_in_parts(
        &self,
        session: &Session,
        plan: &Plan,
        job: &Job,
        mut sink: impl FnMut(&StereoBlock, usize) -> Result<bool, std::io::Error>,
    ) -> Result<(), Stopped> {
        let (mut blocks, mut cancelled) = (0u32, false);
        std::thread::scope(|scope| {
            let mut parts: Vec<Part> = plan.lanes().map(|(_, source)| self.part(scope, session, source, job)).collect();
            render(plan, session, &mut parts, |block, frames| {
                blocks += 1;
                cancelled = blocks.is_multiple_of(512) && is_cancelled(job);
                Ok::<bool, Stopped>(!cancelled && sink(block, frames)?)
            })
        })?;
        if cancelled { Err(Stopped::Cancelled) } else { Ok(()) }
    }

    /// Begins to work out a part.
    fn part<'s>(&'s self, scope: &'s Scope<'s, '_>, session: &'s Session, source: &'s Source, job: &'s Job) -> Part {
        let (gives, comes) = sync_channel::<Batch>(AHEAD);
        scope.spawn(move || self.hand_over(session, source, job, &gives));
        Part { comes, batch: Vec::new().into_iter() }
    }

    /// Works a part out for as long as somebody listens.
    fn hand_over(&self, session: &Session, source: &Source, job: &Job, to: &SyncSender<Batch>) {
        let Some(plan) = Plan::of_source(session, source) else { return };
        let mut batch = Vec::with_capacity(BATCH);
        let done = self.run(session, &plan, job, |block, frames| {
            let mut whole = block.clone();
            whole.left[frames..].fill(0.0);
            whole.right[frames..].fill(0.0);
            batch.push(whole);
            let full = batch.len() == BATCH || frames < BLOCK;
            Ok(!full || to.send(Ok(std::mem::replace(&mut batch, Vec::with_capacity(BATCH)))).is_ok())
        });
        // Nobody may be listening any more; then nobody misses it.
        let _ = to.send(done.map(|()| batch));
    }
}
