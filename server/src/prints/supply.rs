//! What is wanted of a session's sound: what there is of it, and what is missing made.

use std::io;
use std::sync::Arc;
use std::time::{Duration, Instant};

use zinc_core::render::Source;
use zinc_core::session::Session;

use super::cache::{Cache, Stream, both_sides, damaged};
use super::growth::{FRAME_BYTES, Growth};
use super::hearing::Hearing;
use super::pool::{Pool, Wanted};
use super::source::name_of;
use crate::jobs::{Job, JobError};
use crate::shelf::{PayloadReader, Shelf};

/// Longest wait for a stretch of a print that grows, and how long until it is looked for one that does not grow yet.
const PATIENCE: Duration = Duration::from_secs(8);
const LOOK: Duration = Duration::from_millis(50);
/// Frames in which a passage goes over to the print that has come there: 43 ms at 48 kHz.
const GO_OVER: u64 = 2048;
/// Most bytes of prints kept.
const CACHE_LIMIT: u64 = 16 << 30;
/// A print used within this time may be about to be read.
const IN_USE: Duration = Duration::from_secs(600);

/// Sound of both sides of a print.
#[derive(Debug, PartialEq)]
pub struct Sides {
    pub bytes: Vec<u8>,
    /// Whether it is of a passage: what it is from a run-in, until the print itself has come there.
    pub is_settling: bool,
}

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

    /// Those on their way.
    #[cfg(test)]
    pub fn pool(&self) -> &Pool {
        &self.pool
    }

    /// A passage of a print from a frame of the song on, where that is sooner there; none where it cannot be made either.
    fn passage(&self, key: &str, at: u64) -> Option<Arc<Growth>> {
        self.pool.passage(&self.cache, key, at).ok().flatten()
    }

    /// The same as [`Self::read_sides`] for whoever has a passage of the print in the ear: where that goes on and the print
    /// itself has come, it goes over from one to the other.
    ///
    /// # Errors
    /// As [`Self::read_sides`].
    pub fn read_joined(&self, of: (&str, u64), from: u64, to: u64) -> io::Result<Sides> {
        let at = from / FRAME_BYTES;
        let passage = self.pool.known_passage(of.0, at);
        let mut sides = self.read_sides(of, from, to)?;
        let over = (to / FRAME_BYTES + 1 - at).min(GO_OVER);
        if let Some(passage) = passage.filter(|_| !sides.is_settling) {
            passage.ask(at + over);
            if passage.wait_for(at + over, PATIENCE) {
                let before = passage.read(from, from + over * FRAME_BYTES - 1)?;
                go_over(&before, &mut sides.bytes, over);
            }
        }
        Ok(sides)
    }

    /// Says that a print is about to be read up to byte `to` of both its sides: what is waited for is made first.
    pub fn ask(&self, key: &str, from: u64, to: u64) {
        let (at, end) = (from / FRAME_BYTES, to / FRAME_BYTES + 1);
        if let Some(growth) = self.pool.growth(key).filter(|growth| !growth.has(end)) {
            self.passage(key, at).unwrap_or(growth).ask(end);
        }
    }

    /// Bytes `from..=to` of both sides of a print of `frames` frames, waited for where it grows; from a passage of it where
    /// that is sooner there.
    ///
    /// # Errors
    /// A print that is not there and does not grow, or does not come so far in time.
    pub fn read_sides(&self, (key, frames): (&str, u64), from: u64, to: u64) -> io::Result<Sides> {
        let until = Instant::now() + PATIENCE;
        let end = to / FRAME_BYTES + 1;
        loop {
            let left = until.saturating_duration_since(Instant::now());
            if let Some(growth) = self.pool.growth(key) {
                // One of them is asked for: the print itself, asked for all that lies before, would hold the passage up.
                let passage = if growth.has(end) { None } else { self.passage(key, from / FRAME_BYTES) };
                let is_settling = passage.is_some();
                let comes = passage.unwrap_or(growth);
                comes.ask(end);
                let _hearing = Hearing::begin();
                if comes.wait_for(end, left) {
                    return Ok(Sides { bytes: comes.read(from, to)?, is_settling });
                }
            } else if let Some(bytes) = both_sides(&self.cache.shelf.print_file(key), frames, from, to)? {
                return Ok(Sides { bytes, is_settling: false });
            }
            if left.is_zero() {
                return Err(io::Error::new(io::ErrorKind::NotFound, "it is not there and does not come"));
            }
            std::thread::sleep(LOOK);
        }
    }
}

/// Lets sound go over from what was `before` to what it is, in so many frames: both are nearly alike.
fn go_over(before: &[u8], after: &mut [u8], frames: u64) {
    let sample = |bytes: &[u8]| f32::from_le_bytes([bytes[0], bytes[1], bytes[2], bytes[3]]);
    for (n, (before, after)) in before.chunks_exact(4).zip(after.chunks_exact_mut(4)).enumerate() {
        let share = (n as u64 / 2 + 1) as f32 / (frames + 1) as f32;
        let (old, new) = (sample(before), sample(after));
        after.copy_from_slice(&(old + (new - old) * share).to_le_bytes());
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn one_sound_goes_over_to_another_evenly_on_both_sides() {
        let bytes = |sound: &[f32]| sound.iter().flat_map(|x| x.to_le_bytes()).collect::<Vec<u8>>();
        let mut after = bytes(&[1.0, -1.0, 1.0, -1.0, 1.0, -1.0, 9.0, 9.0]);
        go_over(&bytes(&[0.0, 1.0, 0.0, 1.0, 0.0, 1.0]), &mut after, 3);
        assert_eq!(after, bytes(&[0.25, 0.5, 0.5, 0.0, 0.75, -0.5, 9.0, 9.0]));
    }
}
