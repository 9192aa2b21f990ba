//! A plan over a whole song, source by source, block by block.

use super::length::Length;
use super::mixer::Mixer;
use super::plan::Plan;
use crate::rack::lead_in;
use crate::session::Session;
use crate::signal::{BLOCK, StereoBlock, StereoDelay};

/// Gives the blocks of one source in order, silence after its end.
pub trait BlockSource {
    /// What went wrong while reading.
    type Error;

    /// Fills `block` with the next 128 frames.
    ///
    /// # Errors
    /// Whatever keeps the source from giving it.
    fn next_block(&mut self, block: &mut StereoBlock) -> Result<(), Self::Error>;
}

/// Renders a plan from the start of the song to the end of its [`Length`](super::Length).
/// `sink` receives each block with the number
/// of frames in it that count, and returns whether to go on. The mix's latency is
/// taken out: the first frame given is the first of the song.
///
/// # Errors
/// Those of the sources and of the sink.
pub fn render<S: BlockSource<Error = E>, E>(
    plan: &Plan,
    session: &Session,
    sources: &mut [S],
    sink: impl FnMut(&StereoBlock, usize) -> Result<bool, E>,
) -> Result<(), E> {
    render_late(plan, session, sources, 0, sink)
}

/// The same of sources that all begin `late` frames before the song ([`Subplan`]).
///
/// # Errors
/// Those of the sources and of the sink.
pub fn render_late<S: BlockSource<Error = E>, E>(
    plan: &Plan,
    session: &Session,
    sources: &mut [S],
    late: usize,
    mut sink: impl FnMut(&StereoBlock, usize) -> Result<bool, E>,
) -> Result<(), E> {
    let mut rendering = Rendering::new(plan, session, sources.iter_mut().collect(), late);
    while !rendering.is_over() {
        rendering.step(&mut sink)?;
    }
    Ok(())
}

impl<S: BlockSource> BlockSource for &mut S {
    type Error = S::Error;

    fn next_block(&mut self, block: &mut StereoBlock) -> Result<(), S::Error> {
        (**self).next_block(block)
    }
}

/// A plan that is rendered a block at a time ([`render`] does all of it).
pub struct Rendering<S> {
    mixer: Mixer,
    sources: Vec<S>,
    inputs: Vec<StereoBlock>,
    out: StereoBlock,
    length: Length,
    /// Frames by which its sources begin before the song, and by which what comes out is late.
    late: usize,
    latency: usize,
    lead_in: u64,
    trim: LatencyTrim,
    song_frame: i64,
}

impl<S: BlockSource> Rendering<S> {
    /// At the start of the song, of sources that all begin `late` frames before it.
    #[must_use]
    pub fn new(plan: &Plan, session: &Session, sources: Vec<S>, late: usize) -> Self {
        let mixer = Mixer::new(plan, session);
        let length = plan.length(session);
        let latency = mixer.latency() + late;
        let racks = plan.nodes.iter().filter(|node| node.rack).filter_map(|node| session.strip(node.strip?));
        let seconds = racks.map(|strip| lead_in::exact_seconds(&strip.rack)).fold(0.0, f64::max);
        Self {
            lead_in: (seconds * f64::from(session.rate)) as u64 + latency as u64,
            mixer,
            inputs: vec![StereoBlock::SILENT; sources.len()],
            sources,
            out: StereoBlock::SILENT,
            length,
            late,
            latency,
            trim: LatencyTrim::new(latency, length.frames),
            song_frame: 0,
        }
    }

    /// Frames that it has to hear before it sounds as if it had run from the start of the song: as long as its racks
    /// remember, and its own lateness.
    #[must_use]
    pub fn lead_in(&self) -> u64 {
        self.lead_in
    }

    /// From frame `at` of the song, with its sources at frame `from` before it, a whole number of blocks ([`run_in`]):
    /// what its units have heard until then is what they would remember of all that came before.
    #[must_use]
    pub fn starting_at(mut self, at: u64, from: u64) -> Self {
        self.song_frame = from as i64;
        self.trim = LatencyTrim::new(self.latency + (at - from) as usize, self.length.frames.saturating_sub(at));
        self
    }

    /// Whether the song is over, or the sink has stopped it.
    #[must_use]
    pub fn is_over(&self) -> bool {
        !self.trim.wants_more()
    }

    /// Reads a block of each source and hands on what comes out.
    ///
    /// # Errors
    /// Those of the sources and of the sink.
    pub fn step<E: From<S::Error>>(
        &mut self,
        sink: &mut impl FnMut(&StereoBlock, usize) -> Result<bool, E>,
    ) -> Result<(), E> {
        for (source, input) in self.sources.iter_mut().zip(&mut self.inputs) {
            source.next_block(input)?;
        }
        self.mixer.process(&self.inputs, self.song_frame - self.late as i64, &mut self.out, |_, _| {});
        self.length.fade(self.song_frame - self.latency as i64, &mut self.out);
        self.song_frame += BLOCK as i64;
        self.trim.pass(&self.out, sink)?;
        Ok(())
    }
}

/// Frame of the song at which a plan's sources begin to be read for it to sound from frame `at`, after so many frames of
/// [`Rendering::lead_in`]: a whole number of blocks from the start of the song.
#[must_use]
pub fn run_in(at: u64, lead_in: u64) -> u64 {
    at.saturating_sub(lead_in) / BLOCK as u64 * BLOCK as u64
}

/// A plan at work as a source of another, with all that it gives before the song begins: what rings
/// ahead of a sound at the very start is heard by what follows.
pub struct Subplan<S> {
    mixer: Mixer,
    sources: Vec<S>,
    inputs: Vec<StereoBlock>,
    late: StereoDelay,
    song_frame: i64,
}

impl<S> Subplan<S> {
    /// A plan at rest on its sources.
    #[must_use]
    pub fn new(plan: &Plan, session: &Session, sources: Vec<S>) -> Self {
        Self {
            mixer: Mixer::new(plan, session),
            inputs: vec![StereoBlock::SILENT; sources.len()],
            sources,
            late: StereoDelay::new(0, 0, f64::from(session.rate)),
            song_frame: 0,
        }
    }

    /// Frames by which it is late by itself.
    #[must_use]
    pub fn latency(&self) -> usize {
        self.mixer.latency()
    }

    /// Makes it as late as the latest of several, `late` frames.
    #[must_use]
    pub fn as_late_as(mut self, late: usize, rate: f64) -> Self {
        let lacks = late.saturating_sub(self.latency());
        self.late = StereoDelay::new(lacks, lacks, rate);
        self
    }
}

impl<S: BlockSource> BlockSource for Subplan<S> {
    type Error = S::Error;

    fn next_block(&mut self, block: &mut StereoBlock) -> Result<(), S::Error> {
        for (source, input) in self.sources.iter_mut().zip(&mut self.inputs) {
            source.next_block(input)?;
        }
        self.mixer.process(&self.inputs, self.song_frame, block, |_, _| {});
        self.song_frame += BLOCK as i64;
        self.late.process(block);
        Ok(())
    }
}

/// Takes a known delay off the front of a stream of blocks and ends it after a
/// number of frames.
pub struct LatencyTrim {
    skip: usize,
    left: u64,
    held: StereoBlock,
    held_frames: usize,
}

impl LatencyTrim {
    /// Drops the first `latency` frames, then passes `frames`.
    #[must_use]
    pub fn new(latency: usize, frames: u64) -> Self {
        Self { skip: latency, left: frames, held: StereoBlock::SILENT, held_frames: 0 }
    }

    /// Whether more input is needed.
    #[must_use]
    pub fn wants_more(&self) -> bool {
        self.left > 0
    }

    /// Takes a block in and hands full blocks (and the last, short one) to `sink`;
    /// false when the sink asked to stop.
    ///
    /// # Errors
    /// Those of the sink.
    pub fn pass<E>(
        &mut self,
        block: &StereoBlock,
        sink: &mut impl FnMut(&StereoBlock, usize) -> Result<bool, E>,
    ) -> Result<bool, E> {
        if self.skip == 0 && self.held_frames == 0 && self.left >= BLOCK as u64 {
            // Nothing is held over: the block itself is what comes next.
            self.left -= BLOCK as u64;
            let go_on = sink(block, BLOCK)?;
            self.left = if go_on { self.left } else { 0 };
            return Ok(go_on);
        }
        let from = self.skip.min(BLOCK);
        self.skip -= from;
        for i in from..BLOCK {
            self.held.left[self.held_frames] = block.left[i];
            self.held.right[self.held_frames] = block.right[i];
            self.held_frames += 1;
            let enough = self.held_frames as u64 == self.left;
            if self.held_frames == BLOCK || enough {
                self.left -= self.held_frames as u64;
                let go_on = sink(&self.held, self.held_frames)?;
                self.held_frames = 0;
                if !go_on || self.left == 0 {
                    self.left = 0;
                    return Ok(go_on);
                }
            }
        }
        Ok(true)
    }
}
