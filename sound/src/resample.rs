//! Resampling while sound streams by, by synchronous FFT (rubato): a file of any length
//! takes no more memory than one chunk of it.

use rubato::audioadapter_buffers::direct::InterleavedSlice;
use rubato::{Fft, FixedSync, Indexing, Resampler};

/// Frames of a chunk at least; it is made longer to what the rates allow.
const CHUNK: usize = 4096;

/// Frames of input in a chunk: a whole number of times the shortest stretch that is whole at both rates, and an
/// even number of times, since the filter is late by half a chunk, which has to be whole at both rates as well:
/// else all of a file comes half a sample late beside others.
fn chunk(from: u32, to: u32) -> usize {
    let (mut shortest, mut rest) = (from, to);
    while rest > 0 {
        (shortest, rest) = (rest, shortest % rest);
    }
    let shortest = (from / shortest.max(1)) as usize;
    2 * shortest * CHUNK.div_ceil(2 * shortest)
}

/// Turns interleaved sound of one rate into another, delay taken out.
pub struct StreamResampler {
    inner: Fft<f32>,
    channels: usize,
    /// Interleaved input not yet used.
    waiting: Vec<f32>,
    out: Vec<f32>,
    /// Output frames still to be dropped: the filter's delay.
    trim: usize,
    taken: u64,
    given: u64,
    from: u64,
    to: u64,
}

impl StreamResampler {
    /// From one rate to another, both in Hz; `None` for rates that cannot be had.
    #[must_use]
    pub fn new(from: u32, to: u32, channels: usize) -> Option<Self> {
        let inner = Fft::<f32>::new(from as usize, to as usize, chunk(from, to), channels, FixedSync::Both).ok()?;
        let out = vec![0.0; inner.output_frames_max() * channels];
        Some(Self {
            channels,
            waiting: Vec::new(),
            out,
            trim: inner.output_delay(),
            taken: 0,
            given: 0,
            from: u64::from(from),
            to: u64::from(to),
            inner,
        })
    }

    /// Takes interleaved samples in and hands out what is ready.
    pub fn push<E>(&mut self, samples: &[f32], mut sink: impl FnMut(&[f32]) -> Result<(), E>) -> Result<(), E> {
        self.taken += (samples.len() / self.channels) as u64;
        self.waiting.extend_from_slice(samples);
        let mut used = 0;
        loop {
            let needed = self.inner.input_frames_next() * self.channels;
            if self.waiting.len() - used < needed {
                break;
            }
            self.step(used, u64::MAX, &mut sink)?;
            used += needed;
        }
        self.waiting.drain(..used);
        Ok(())
    }

    /// Hands out the rest: in all as many frames as the input lasts.
    pub fn finish<E>(mut self, mut sink: impl FnMut(&[f32]) -> Result<(), E>) -> Result<(), E> {
        // In whole numbers: a ratio of floats would add a frame now and then.
        let end = (self.taken * self.to).div_ceil(self.from);
        while self.given < end {
            let needed = self.inner.input_frames_next() * self.channels;
            self.waiting.resize(needed.max(self.waiting.len()), 0.0);
            self.step(0, end, &mut sink)?;
            self.waiting.drain(..needed);
        }
        Ok(())
    }

    /// Resamples one chunk of what waits from sample `at`, up to frame `end` of the output.
    fn step<E>(&mut self, at: usize, end: u64, sink: &mut impl FnMut(&[f32]) -> Result<(), E>) -> Result<(), E> {
        let frames_in = self.inner.input_frames_next();
        let frames_out = self.inner.output_frames_max();
        let made = {
            let input =
                InterleavedSlice::new(&self.waiting[at..at + frames_in * self.channels], self.channels, frames_in);
            let output = InterleavedSlice::new_mut(&mut self.out, self.channels, frames_out);
            match (input, output) {
                (Ok(input), Ok(mut output)) => {
                    let done = self.inner.process_into_buffer(&input, &mut output, None::<&Indexing>);
                    // The sizes are the resampler's own, so that it has nothing to refuse.
                    done.map_or(0, |(_, made)| made)
                }
                _ => 0,
            }
        };
        let dropped = self.trim.min(made);
        self.trim -= dropped;
        let kept = ((made - dropped) as u64).min(end - self.given) as usize;
        self.given += kept as u64;
        sink(&self.out[dropped * self.channels..(dropped + kept) * self.channels])
    }
}
