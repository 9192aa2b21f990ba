//! A print that grows: written in the order of the song, from its start or from a place within it, and readable as far as
//! it has come.

use std::fs::File;
use std::io;
use std::os::unix::fs::FileExt;
use std::path::Path;
use std::sync::{Arc, Condvar, Mutex, PoisonError};
use std::time::{Duration, Instant};

use zinc_core::render::offline::BlockSource;
use zinc_core::signal::{BLOCK, StereoBlock};

use crate::jobs::{JobError, lock};

/// Bytes of a frame: both sides, as floats.
pub const FRAME_BYTES: u64 = 8;
/// Longest wait of a reader for the next block before it looks whether the print has been given up.
const LOOK: Duration = Duration::from_millis(100);

/// How far it has come, in frames of the song.
#[derive(Clone, Debug, Default)]
struct Standing {
    /// Where what can be read ends.
    written: u64,
    /// Where what somebody wants to read now ends.
    asked: u64,
    /// Whether somebody waits for all of it.
    is_wanted_whole: bool,
    /// Whether nobody wants it any more.
    is_unwanted: bool,
    /// Whether nothing more comes: it is whole, or was given up.
    is_over: bool,
    /// Why it was given up.
    failure: Option<String>,
}

/// How much a print on its way is waited for, the most first.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub enum Urgency {
    /// Somebody waits for the next of it.
    Awaited,
    /// Somebody waits for all of it.
    Whole,
    /// It will be played: it comes with the others.
    InStep,
}

/// A print on its way, both sides of each frame.
pub struct Growth {
    sound: File,
    /// Frame of the song at which it begins, and at which it ends once it is whole.
    from: u64,
    frames: u64,
    standing: Mutex<Standing>,
    changed: Condvar,
}

impl Growth {
    /// Of a file that is being written, from one frame of the song to another.
    ///
    /// # Errors
    /// A file that cannot be read.
    pub fn of(file: &Path, (from, frames): (u64, u64)) -> io::Result<Arc<Self>> {
        let standing = Mutex::new(Standing { written: from, ..Standing::default() });
        Ok(Arc::new(Self { sound: File::open(file)?, from, frames, standing, changed: Condvar::new() }))
    }

    /// Frame of the song at which it begins.
    #[must_use]
    pub fn from(&self) -> u64 {
        self.from
    }

    /// Frame of the song up to which it can be read.
    #[must_use]
    pub fn written(&self) -> u64 {
        lock(&self.standing).written
    }

    /// Whether it can be read up to a frame of the song, or to its end.
    #[must_use]
    pub fn has(&self, frames: u64) -> bool {
        lock(&self.standing).written >= frames.min(self.frames)
    }

    /// Whether nothing more comes.
    #[must_use]
    pub fn is_over(&self) -> bool {
        lock(&self.standing).is_over
    }

    /// Says up to which frame of the song it can be read.
    pub fn grown(&self, written: u64) {
        lock(&self.standing).written = written;
        self.changed.notify_all();
    }

    /// Says that it is wanted now up to a frame of the song.
    pub fn ask(&self, frames: u64) {
        let mut standing = lock(&self.standing);
        standing.asked = standing.asked.max(frames.min(self.frames));
    }

    /// Says that somebody waits for all of it.
    pub fn ask_whole(&self) {
        lock(&self.standing).is_wanted_whole = true;
    }

    /// Says that nobody wants it any more: who makes it stops.
    pub fn give_up(&self) {
        lock(&self.standing).is_unwanted = true;
    }

    /// Whether nobody wants it any more.
    #[must_use]
    pub fn is_given_up(&self) -> bool {
        lock(&self.standing).is_unwanted
    }

    /// How much it is waited for.
    #[must_use]
    pub fn urgency(&self) -> Urgency {
        match &*lock(&self.standing) {
            standing if standing.asked > standing.written => Urgency::Awaited,
            standing if standing.is_wanted_whole => Urgency::Whole,
            _ => Urgency::InStep,
        }
    }

    /// Share of it that can be read.
    #[must_use]
    pub fn share(&self) -> f64 {
        let standing = lock(&self.standing);
        if standing.is_over { 1.0 } else { standing.written as f64 / self.frames.max(1) as f64 }
    }

    /// Why it was given up, if it was.
    #[must_use]
    pub fn failure(&self) -> Option<String> {
        lock(&self.standing).failure.clone()
    }

    /// Says that nothing more comes, and why.
    pub fn fail(&self, why: String) {
        lock(&self.standing).failure = Some(why);
        self.end();
    }

    /// Says that nothing more comes.
    pub fn end(&self) {
        lock(&self.standing).is_over = true;
        self.changed.notify_all();
    }

    /// Waits until it can be read up to a frame of the song, or nothing more comes, or for so long; whether it can.
    #[must_use]
    pub fn wait_for(&self, frames: u64, patience: Duration) -> bool {
        let until = Instant::now() + patience;
        let mut standing = lock(&self.standing);
        loop {
            let left = until.saturating_duration_since(Instant::now());
            if standing.written >= frames.min(self.frames) || standing.is_over || left.is_zero() {
                return standing.written >= frames.min(self.frames);
            }
            standing = self.changed.wait_timeout(standing, left).unwrap_or_else(PoisonError::into_inner).0;
        }
    }

    /// Bytes `from..=to` of the song's, which must have been written.
    ///
    /// # Errors
    /// Those of the file system.
    pub fn read(&self, from: u64, to: u64) -> io::Result<Vec<u8>> {
        let mut bytes = vec![0u8; (to + 1).saturating_sub(from) as usize];
        self.read_at(&mut bytes, from)?;
        Ok(bytes)
    }

    /// Fills `bytes` with those of the song from one on.
    fn read_at(&self, bytes: &mut [u8], from: u64) -> io::Result<()> {
        self.sound.read_exact_at(bytes, from - self.from * FRAME_BYTES)
    }
}

/// Reads a print while it grows, waiting for what has not come yet.
pub struct GrowingReader {
    growth: Arc<Growth>,
    at: u64,
}

impl GrowingReader {
    /// From a frame of the song on, which is not before it begins.
    #[must_use]
    pub fn new(growth: Arc<Growth>, at: u64) -> Self {
        Self { growth, at }
    }
}

impl BlockSource for GrowingReader {
    type Error = JobError;

    fn next_block(&mut self, block: &mut StereoBlock) -> Result<(), JobError> {
        block.clear();
        let frames = self.growth.frames.saturating_sub(self.at).min(BLOCK as u64);
        while !self.growth.wait_for(self.at + frames, LOOK) {
            if self.growth.is_over() {
                return Err(JobError::Cancelled);
            }
        }
        let mut bytes = [0u8; BLOCK * FRAME_BYTES as usize];
        let bytes = &mut bytes[..(frames * FRAME_BYTES) as usize];
        self.growth.read_at(bytes, self.at * FRAME_BYTES)?;
        for (i, frame) in bytes.chunks_exact(FRAME_BYTES as usize).enumerate() {
            let sample = |at: usize| f32::from_le_bytes([frame[at], frame[at + 1], frame[at + 2], frame[at + 3]]);
            (block.left[i], block.right[i]) = (sample(0), sample(4));
        }
        self.at += frames;
        Ok(())
    }
}

#[cfg(test)]
#[allow(clippy::unwrap_used)]
mod tests {
    use super::*;
    use crate::shelf::SampleWriter;

    #[test]
    fn what_grows_is_read_as_far_as_it_has_come_and_waited_for_beyond() {
        let folder = tempfile::tempdir().unwrap();
        let file = folder.path().join("print");
        let mut writer = SampleWriter::create(&file).unwrap();
        let growth = Growth::of(&file, (0, 300)).unwrap();
        assert!(!growth.wait_for(1, Duration::ZERO) && growth.has(0));
        let sound: Vec<f32> = (0..600).map(|n| n as f32).collect();
        let mut reader = GrowingReader::new(Arc::clone(&growth), 0);
        let reads = std::thread::spawn(move || {
            let mut blocks = [StereoBlock::SILENT; 4];
            blocks.iter_mut().for_each(|block| reader.next_block(block).unwrap());
            blocks
        });
        for (from, to) in [(0, 100), (100, 260), (260, 300)] {
            std::thread::sleep(Duration::from_millis(5));
            writer.write(&sound[2 * from..2 * to]).unwrap();
            writer.flush().unwrap();
            growth.grown(to as u64);
        }
        growth.end();
        let blocks = reads.join().unwrap();
        let frame = |n: usize| blocks[n / BLOCK].frame(n % BLOCK);
        assert_eq!([0, 127, 128, 299].map(frame), [0.0, 127.0, 128.0, 299.0].map(|n| [2.0 * n, 2.0 * n + 1.0]));
        assert_eq!([300, 511].map(frame), [[0.0; 2]; 2], "silence after its end");
        assert_eq!(growth.read(8 * 7, 8 * 8 - 1).unwrap(), [14.0f32.to_le_bytes(), 15.0f32.to_le_bytes()].concat());
        assert!(growth.has(1_000_000), "more than there is to come is not waited for");
    }

    #[test]
    fn who_waits_for_a_print_that_is_given_up_is_told() {
        let folder = tempfile::tempdir().unwrap();
        let file = folder.path().join("print");
        std::fs::write(&file, []).unwrap();
        let growth = Growth::of(&file, (0, 300)).unwrap();
        let mut reader = GrowingReader::new(Arc::clone(&growth), 0);
        let waits = std::thread::spawn(move || reader.next_block(&mut StereoBlock::SILENT.clone()));
        growth.end();
        assert!(matches!(waits.join().unwrap(), Err(JobError::Cancelled)));
    }
}
