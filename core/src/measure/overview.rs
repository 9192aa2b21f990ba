//! The waveform at a glance: smallest and largest sample of each stretch.

use crate::signal::StereoBlock;

/// Frames summarised by one pair.
pub const FRAMES_PER_PAIR: usize = 512;

/// Collects pairs of extremes over both channels.
#[derive(Clone, Debug, Default)]
pub struct Overview {
    pairs: Vec<[f32; 2]>,
    now: [f32; 2],
    filled: usize,
}

impl Overview {
    /// Takes in the first `frames` of a block.
    pub fn push(&mut self, block: &StereoBlock, frames: usize) {
        for (l, r) in block.left[..frames].iter().zip(&block.right[..frames]) {
            self.now = [self.now[0].min(*l).min(*r), self.now[1].max(*l).max(*r)];
            self.filled += 1;
            if self.filled == FRAMES_PER_PAIR {
                self.end_pair();
            }
        }
    }

    fn end_pair(&mut self) {
        self.pairs.push(self.now);
        (self.now, self.filled) = ([0.0; 2], 0);
    }

    /// All pairs as integers, full scale = 1000; a last short stretch included.
    #[must_use]
    pub fn finish(mut self) -> Vec<[i16; 2]> {
        if self.filled > 0 {
            self.end_pair();
        }
        let whole = |x: f32| (x * 1000.0).round().clamp(-32_000.0, 32_000.0) as i16;
        self.pairs.iter().map(|p| p.map(whole)).collect()
    }
}
