//! What is wanted of a session's sound: what there is of it, and what is missing made.

use std::io;
use std::sync::Arc;
use std::time::{Duration, Instant};

use zinc_core::render::Source;
use zinc_core::session::Session;

use super::cache::{Cache, Stream, both_sides, damaged};
use super::growth::FRAME_BYTES;
use super::pool::{Pool, Wanted};
use super::source::name_of;
use crate::jobs::{Job, JobError};
use crate::shelf::{PayloadReader, Shelf};

/// Longest wait for a stretch of a print that grows, and how long until it is looked for one that does not grow yet.
const PATIENCE: Duration = Duration::from_secs(8);
const LOOK: Duration = Duration::from_millis(50);
/// Most bytes of prints kept.
const CACHE_LIMIT: u64 = 16 << 30;
/// A print used within this time may be about to be read.
const IN_USE: Duration = Duration::from_secs(600);

/// The prints of all sessions: those that are there, and those on their way.
#[derive(Clone)]
pub struct Prints {
    pub cache: Arc<Cache>,
    pool: Arc<Pool>,
}

impl Prints {
    /// The prints on a shelf.
    #[must_use]
    pub fn new(shelf: Shelf) -> Self {
        Self { cache: Arc::new(Cache::new(shelf)), pool: Arc::default() }
    }

    /// The streams of all sources, in order, whether they are there or are still to be made; and what is, which is made
    /// as long as that is held.
    ///
    /// # Errors
    /// A missing recording, or a full disk.
    pub fn begin(&self, session: &Session, sources: &[Source]) -> Result<(Vec<Stream>, Wanted), JobError> {
        let wanted = Wanted::of(&self.cache, &self.pool, session, sources)?;
        let stream = |source: &Source| {
            let there = self.cache.stream(session, source).or_else(|| self.cache.to_come(session, source));
            there.ok_or_else(|| damaged(&name_of(session, source), "no such file"))
        };
        Ok((sources.iter().map(stream).collect::<Result<_, _>>()?, wanted))
    }

    /// Makes what is missing, whole, and returns the streams of all sources, in order.
    ///
    /// # Errors
    /// A missing or damaged payload, a full disk, or a request to stop.
    pub fn ensure(&self, session: &Session, sources: &[Source], job: &Job) -> Result<Vec<Stream>, JobError> {
        let wanted = Wanted::of(&self.cache, &self.pool, session, sources)?;
        wanted.whole();
        wanted.make(job)?;
        let missing = || JobError::Failed("A print vanished while the page was being prepared; try again.".into());
        let there = |source: &Source| self.cache.stream(session, source).ok_or_else(missing);
        let streams: Vec<Stream> = sources.iter().map(there).collect::<Result<_, _>>()?;
        streams.iter().for_each(|stream| self.cache.touch(stream));
        self.cache.shelf.trim_prints(CACHE_LIMIT, IN_USE)?;
        Ok(streams)
    }

    /// Sources, printed where they have not been, and opened.
    ///
    /// # Errors
    /// As [`Self::ensure`].
    pub fn read(&self, session: &Session, sources: &[Source], job: &Job) -> Result<Vec<PayloadReader>, JobError> {
        self.ensure(session, sources, job)?;
        self.cache.open(session, sources)
    }

    /// Says that a print is about to be read up to byte `to` of both its sides: what is waited for is made first.
    pub fn ask(&self, key: &str, to: u64) {
        if let Some(growth) = self.pool.growth(key) {
            growth.ask(to / FRAME_BYTES + 1);
        }
    }

    /// Bytes `from..=to` of both sides of a print of `frames` frames, waited for where it grows.
    ///
    /// # Errors
    /// A print that is not there and does not grow, or does not come so far in time.
    pub fn read_sides(&self, (key, frames): (&str, u64), from: u64, to: u64) -> io::Result<Vec<u8>> {
        let until = Instant::now() + PATIENCE;
        loop {
            let left = until.saturating_duration_since(Instant::now());
            if let Some(growth) = self.pool.growth(key) {
                growth.ask(to / FRAME_BYTES + 1);
                if growth.wait_for(to / FRAME_BYTES + 1, left) {
                    return growth.read(from, to);
                }
            } else if let Some(bytes) = both_sides(&self.cache.shelf.print_file(key), frames, from, to)? {
                return Ok(bytes);
            }
            if left.is_zero() {
                return Err(io::Error::new(io::ErrorKind::NotFound, "it is not there and does not come"));
            }
            std::thread::sleep(LOOK);
        }
    }
}
