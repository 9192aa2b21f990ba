//! The waveform at a glance: smallest and largest sample of each stretch.

use crate::signal::StereoBlock;

/// Frames summarised by one pair.
pub const FRAMES_PER_PAIR: usize = 512;

/// As it is handed out: full scale = 1000.
fn whole(x: f32) -> i16 {
    (x * 1000.0).round().clamp(-32_000.0, 32_000.0) as i16
}

/// Collects pairs of extremes over both channels.
#[derive(Clone, Debug, Default)]
pub struct Overview {
    pairs: Vec<[f32; 2]>,
    now: [f32; 2],
    filled: usize,
    /// Frames still to be left out.
    late: usize,
}

impl Overview {
    /// Of sound that is `late` frames late: begins that much later.
    #[must_use]
    pub fn late(late: usize) -> Self {
        Self { late, ..Self::default() }
    }

    /// Takes in the first `frames` of a block.
    pub fn push(&mut self, block: &StereoBlock, frames: usize) {
        let from = self.late.min(frames);
        self.late -= from;
        for (l, r) in block.left[from..frames].iter().zip(&block.right[from..frames]) {
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
        self.pairs.iter().map(|p| p.map(whole)).collect()
    }

    /// The same in at most `most` pairs, neighbours drawn together.
    #[must_use]
    pub fn finish_within(self, most: usize) -> Vec<[i16; 2]> {
        let pairs = self.finish();
        let together = pairs.len().div_ceil(most.max(1)).max(1);
        let widest = |group: &[[i16; 2]]| group.iter().fold([0; 2], |w: [i16; 2], p| [w[0].min(p[0]), w[1].max(p[1])]);
        pairs.chunks(together).map(widest).collect()
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    /// A ramp: block `n` lies between `-n` and `n` hundredths.
    fn ramp(blocks: usize) -> Overview {
        let mut overview = Overview::default();
        for n in 0..blocks {
            let height = n as f32 / 100.0;
            overview.push(&StereoBlock { left: [height; 128], right: [-height; 128] }, 128);
        }
        overview
    }

    #[test]
    fn few_pairs_keep_every_extreme_and_the_order() {
        // 40 blocks are 10 pairs; within 4 they go together by threes.
        assert_eq!(ramp(40).finish_within(4), [[-110, 110], [-230, 230], [-350, 350], [-390, 390]]);
        assert_eq!(ramp(40).finish_within(1), [[-390, 390]]);
    }

    #[test]
    fn what_fits_is_left_as_it_is() {
        assert_eq!(ramp(40).finish_within(10), ramp(40).finish());
        assert!(Overview::default().finish_within(10).is_empty());
    }
    #[test]
    fn sound_that_is_late_shows_the_moments_of_the_one_that_is_not() {
        let hit = |at: usize| {
            let mut overview = Overview::late(at);
            for start in (0..4096 + at).step_by(128) {
                let left = core::array::from_fn(|i| if start + i == at + 1030 { 0.5 } else { 0.0 });
                overview.push(&StereoBlock { left, right: [0.0; 128] }, 128);
            }
            overview.finish()
        };
        let on_time = hit(0);
        assert_eq!(on_time[2], [0, 500]);
        for late in [1, 128, 700, 4095] {
            assert_eq!(hit(late)[..8], on_time[..8], "{late} frames late");
        }
    }
}
