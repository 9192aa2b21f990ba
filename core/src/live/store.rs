//! Stretches of a source that have arrived from the server.

use crate::signal::StereoBlock;

/// Frames in one stretch.
pub const CHUNK: usize = 32_768;

/// The stretches of one source.
#[derive(Debug)]
pub struct ChunkStore {
    channels: usize,
    frames: u64,
    /// Frames of silence in the song before the payload begins.
    start: u64,
    /// Interleaved samples by stretch; `None` where nothing has arrived.
    chunks: Vec<Option<Box<[f32]>>>,
}

impl ChunkStore {
    /// For a source of `frames` frames with 1 or 2 channels that begins `start` frames
    /// into the song.
    #[must_use]
    pub fn new(channels: usize, frames: u64, start: u64) -> Self {
        let count = frames.div_ceil(CHUNK as u64) as usize;
        Self { channels, frames, start, chunks: (0..count).map(|_| None).collect() }
    }

    /// Takes in stretch `index`: interleaved samples, zero-padded if short.
    pub fn put(&mut self, index: usize, samples: &[f32]) {
        let size = CHUNK * self.channels;
        if let Some(slot) = self.chunks.get_mut(index) {
            let mut chunk = vec![0.0; size].into_boxed_slice();
            let n = samples.len().min(size);
            chunk[..n].copy_from_slice(&samples[..n]);
            *slot = Some(chunk);
        }
    }

    /// Lets go of stretch `index`.
    pub fn drop_chunk(&mut self, index: usize) {
        if let Some(slot) = self.chunks.get_mut(index) {
            *slot = None;
        }
    }

    /// Whether frames `from .. from + count` of the song can be read (before the
    /// beginning and beyond the end always).
    #[must_use]
    pub fn has(&self, from: u64, count: u64) -> bool {
        let end = (from + count).saturating_sub(self.start).min(self.frames);
        let from = from.saturating_sub(self.start);
        if from >= end {
            return true;
        }
        let (first, last) = (from / CHUNK as u64, (end - 1) / CHUNK as u64);
        (first..=last).all(|i| self.chunks[i as usize].is_some())
    }

    /// Both channels of one frame of the song; silence where there is nothing.
    #[inline]
    #[must_use]
    pub fn frame(&self, at: u64) -> [f32; 2] {
        let Some(at) = at.checked_sub(self.start) else { return [0.0; 2] };
        let (chunk, offset) = ((at / CHUNK as u64) as usize, (at % CHUNK as u64) as usize);
        match self.chunks.get(chunk) {
            Some(Some(samples)) if self.channels == 2 => [samples[2 * offset], samples[2 * offset + 1]],
            Some(Some(samples)) => [samples[offset]; 2],
            _ => [0.0; 2],
        }
    }

    /// Adds `gain` times frame `at` to frame `i` of a block.
    #[inline]
    pub fn add_frame(&self, at: u64, gain: f32, block: &mut StereoBlock, i: usize) {
        let [l, r] = self.frame(at);
        block.left[i] += l * gain;
        block.right[i] += r * gain;
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_payload_that_begins_later_is_silent_until_then() {
        let mut store = ChunkStore::new(1, 100, 50);
        assert!(store.has(0, 50) && !store.has(0, 51) && !store.has(149, 1) && store.has(150, 10));
        store.put(0, &[0.5; 100]);
        assert!(store.has(0, 1000));
        assert_eq!([49, 50, 149, 150].map(|at| store.frame(at)[0]), [0.0, 0.5, 0.5, 0.0]);
    }

    #[test]
    fn what_was_let_go_of_is_missed_again() {
        let mut store = ChunkStore::new(2, 2 * CHUNK as u64, 0);
        (0..2).for_each(|i| store.put(i, &[0.1; 2 * CHUNK]));
        store.drop_chunk(0);
        assert!(!store.has(0, 1) && store.has(CHUNK as u64, 10));
    }
}
