//! One print on its way: made stretch by stretch in the order of the song, from its start to be kept, or from a place
//! within it to be heard until the kept one has come there.

use std::sync::Arc;

use zinc_core::render::Plan;
use zinc_core::render::offline::{BlockSource, Rendering};
use zinc_core::session::Session;
use zinc_core::signal::{BLOCK, StereoBlock};

use super::cache::{Cache, Recording};
use super::growth::{FRAME_BYTES, GrowingReader, Growth};
use crate::jobs::JobError;
use crate::shelf::{Checksum, PayloadReader, SampleWriter, Temporary, settle};

/// Blocks that are made before another print has its turn: two thirds of a second at 48 kHz.
const STRETCH: u64 = 256;

/// Blocks between two looks whether it is still wanted: a sixteenth of that, so that what is not stops within 50 ms even where
/// it takes as long to make as to hear.
const LOOKS_EVERY: u64 = 16;

/// What a print is made from: sound that is there, or another print that grows.
pub enum Input {
    Whole(PayloadReader),
    Growing(GrowingReader),
}

impl BlockSource for Input {
    type Error = JobError;

    fn next_block(&mut self, block: &mut StereoBlock) -> Result<(), JobError> {
        match self {
            Self::Whole(reader) => Ok(reader.next_block(block)?),
            Self::Growing(reader) => reader.next_block(block),
        }
    }
}

/// A print's growth, which ends with whoever makes it: given up, unless it is whole by then.
struct Ending(Arc<Growth>);

impl Drop for Ending {
    fn drop(&mut self) {
        self.0.end();
    }
}

/// What a print on its way is for.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Purpose {
    /// It is kept, as one side if it may be and both are alike to the end.
    Kept { may_be_mono: bool },
    /// It is heard from a frame of the song on, where the kept one has not come yet, its sources read from another.
    Passage { at: u64, from: u64 },
}

/// One print on its way.
pub struct Making {
    /// What it is known by.
    pub key: String,
    /// How many were begun before it.
    pub number: u64,
    /// The recordings among its sources, to be found whole before it is.
    recordings: Vec<Recording>,
    growth: Ending,
    file: Temporary,
    writer: SampleWriter,
    rendering: Rendering<Input>,
    /// The prints among its sources that grow.
    awaited: Vec<Arc<Growth>>,
    /// Frame of the song up to which its sources are read, and up to which it is written.
    read: u64,
    written: u64,
    frames: u64,
    purpose: Purpose,
    is_alike: bool,
}

impl Making {
    /// A print that has not begun, from its sources in the order of its plan's lanes, where it reads them.
    ///
    /// # Errors
    /// Those of the file system.
    pub fn new(
        cache: &Cache,
        session: &Session,
        (key, number, plan): (String, u64, &Plan),
        inputs: Vec<Input>,
        awaited: Vec<Arc<Growth>>,
        purpose: Purpose,
    ) -> Result<Self, JobError> {
        let file = cache.shelf.temporary_file();
        let writer = SampleWriter::create(&file)?;
        let frames = plan.length(session).frames;
        let (written, read) = match purpose {
            Purpose::Kept { .. } => (0, 0),
            Purpose::Passage { at, from } => (at, from),
        };
        let growth = Ending(Growth::of(&file, (written, frames))?);
        let rendering = Rendering::new(plan, session, inputs, 0).starting_at(written, read);
        let is_alike = true;
        let recordings = cache.recordings(session, plan);
        Ok(Self {
            key,
            number,
            recordings,
            growth,
            file,
            writer,
            rendering,
            awaited,
            read,
            written,
            frames,
            purpose,
            is_alike,
        })
    }

    /// How far it has come, to be read.
    pub fn growth(&self) -> Arc<Growth> {
        Arc::clone(&self.growth.0)
    }

    /// Frames that a passage of it is run in for.
    pub fn lead_in(&self) -> u64 {
        self.rendering.lead_in()
    }

    /// Whether it is only to be heard meanwhile: it is made as far as it is waited for.
    pub fn is_passage(&self) -> bool {
        matches!(self.purpose, Purpose::Passage { .. })
    }

    /// Frame of the song up to which it has read its sources: who has read least is furthest behind.
    pub fn read(&self) -> u64 {
        self.read
    }

    /// Whether its sources have come far enough for a stretch.
    pub fn is_ready(&self) -> bool {
        let is_far = |growth: &Growth| growth.has(self.next()) && !self.is_kept_next();
        self.awaited.iter().all(|growth| growth.is_over() || is_far(growth))
    }

    /// Asks its sources to come as far as its next stretch reads.
    pub fn ask(&self) {
        let ask = |growth: &Arc<Growth>| if self.is_kept_next() { growth.ask_whole() } else { growth.ask(self.next()) };
        self.awaited.iter().for_each(ask);
    }

    /// Whether it may be kept after its next stretch: all that it is made from has to be whole by then, also what rings on
    /// after it.
    fn is_kept_next(&self) -> bool {
        self.may_end() && !self.is_passage()
    }

    /// Whether its next stretch may be its last.
    fn may_end(&self) -> bool {
        self.next() >= self.frames
    }

    /// Frame of the song up to which it has read its sources after its next stretch.
    fn next(&self) -> u64 {
        self.read + STRETCH * BLOCK as u64
    }

    /// Makes the next stretch; whether that was the last.
    ///
    /// # Errors
    /// A missing or damaged recording, a full disk, a source that was given up, or that nobody wants it any more.
    pub fn stretch(&mut self, cache: &Cache) -> Result<bool, JobError> {
        // To hash a recording takes as long as to print some seconds of it: whoever waits to hear it is not kept waiting for
        // that, and what is made from this print waits for its end and is not kept either.
        if self.may_end() {
            self.recordings.drain(..).try_for_each(|recording| cache.check(&recording))?;
            let failed = self.awaited.iter().find_map(|growth| growth.failure());
            failed.map_or(Ok(()), |why| Err(JobError::Failed(why)))?;
        }
        let Self { rendering, writer, written, is_alike, .. } = self;
        let mut sink = |block: &StereoBlock, frames: usize| -> Result<bool, JobError> {
            *is_alike &= block.left[..frames] == block.right[..frames];
            writer.write_block(block, frames, 2)?;
            *written += frames as u64;
            Ok(true)
        };
        for n in 0..STRETCH {
            if rendering.is_over() {
                break;
            }
            if n.is_multiple_of(LOOKS_EVERY) && self.growth.0.is_given_up() {
                return Err(JobError::Cancelled);
            }
            rendering.step(&mut sink)?;
        }
        self.read = self.next();
        self.writer.flush()?;
        self.growth.0.grown(self.written);
        Ok(self.rendering.is_over())
    }

    /// Gives a whole print that is kept its place.
    ///
    /// # Errors
    /// Those of the file system.
    pub fn finish(self, cache: &Cache) -> Result<(), JobError> {
        let Self { key, growth, file, writer, frames, purpose, is_alike, .. } = self;
        let Purpose::Kept { may_be_mono } = purpose else { return Ok(()) };
        let mut sum = writer.finish()?;
        let mut whole = file;
        if may_be_mono && is_alike {
            let mono = cache.shelf.temporary_file();
            sum = one_side(&growth.0, frames, &mono)?;
            whole = mono;
        }
        let said = cache.shelf.temporary_file();
        std::fs::write(&*said, sum.to_text())?;
        settle(&said, &cache.shelf.sum_file(&key))?;
        settle(&whole, &cache.shelf.print_file(&key))?;
        Ok(())
    }
}

/// Writes the left side of a print whose sides are alike.
fn one_side(growth: &Growth, frames: u64, to: &std::path::Path) -> Result<Checksum, JobError> {
    const AT_ONCE: u64 = 1 << 15;
    let mut writer = SampleWriter::create(to)?;
    for from in (0..frames).step_by(AT_ONCE as usize) {
        let to = (from + AT_ONCE).min(frames);
        let bytes = growth.read(from * FRAME_BYTES, to * FRAME_BYTES - 1)?;
        let left = |frame: &[u8]| f32::from_le_bytes([frame[0], frame[1], frame[2], frame[3]]);
        writer.write(&bytes.chunks_exact(FRAME_BYTES as usize).map(left).collect::<Vec<f32>>())?;
    }
    Ok(writer.finish()?)
}
