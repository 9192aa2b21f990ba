//! How wide: what differs between the sides against what they share, and how alike they move.

use crate::signal::StereoBlock;
use crate::signal::decibel::power_to_db;

/// Under this many dB of side against mid a sound counts as mono: below the rounding
/// noise of a 16-bit file at ordinary level.
pub const MONO_DB: f64 = -60.0;

/// Powers of the half sum and the half difference of both sides.
#[derive(Clone, Copy, Debug, Default)]
pub struct WidthMeter {
    mid: f64,
    side: f64,
}

impl WidthMeter {
    /// Takes in the first `frames` of a block.
    pub fn push(&mut self, block: &StereoBlock, frames: usize) {
        for (l, r) in block.left[..frames].iter().zip(&block.right) {
            self.mid += f64::from(0.5 * (l + r)).powi(2);
            self.side += f64::from(0.5 * (l - r)).powi(2);
        }
    }

    /// Lets what was taken in count for less: a share `keep` of it stays.
    pub fn forget(&mut self, keep: f64) {
        self.mid *= keep;
        self.side *= keep;
    }

    /// Side against mid in dB: near 0 for wide sound, far below for nearly mono, above 0
    /// for sides that mostly cancel each other. Silence reads as mono.
    #[must_use]
    pub fn width_db(&self) -> f64 {
        if self.side <= 1e-20 { -200.0 } else { power_to_db(self.side) - power_to_db(self.mid) }
    }
}

/// How alike both sides move, over time: 1 for equal ones, 0 for strangers, -1 for opposites.
#[derive(Clone, Debug)]
pub struct Correlation {
    /// Frames of one figure.
    step: usize,
    filled: usize,
    /// Sums of left times right, and of the squares of both.
    sums: [f64; 3],
    trace: Vec<Option<i8>>,
}

/// Mean square of a stretch under which it is silence: -90 dBFS.
const SILENCE: f64 = 1e-9;

impl Correlation {
    /// A figure for each `step` frames.
    #[must_use]
    pub fn new(step: usize) -> Self {
        Self { step: step.max(1), filled: 0, sums: [0.0; 3], trace: Vec::new() }
    }

    /// Takes in the first `frames` of a block.
    pub fn push(&mut self, block: &StereoBlock, frames: usize) {
        for (l, r) in block.left[..frames].iter().zip(&block.right) {
            let (l, r) = (f64::from(*l), f64::from(*r));
            self.sums = [self.sums[0] + l * r, self.sums[1] + l * l, self.sums[2] + r * r];
            self.filled += 1;
            if self.filled == self.step {
                self.end_step();
            }
        }
    }

    fn end_step(&mut self) {
        let [both, left, right] = self.sums;
        let sounds = left.max(right) > SILENCE * self.filled as f64;
        // One side alone has nothing to be like.
        let alike = both / (left * right).sqrt().max(1e-30);
        self.trace.push(sounds.then(|| (100.0 * alike).round() as i8));
        (self.sums, self.filled) = ([0.0; 3], 0);
    }

    /// All figures in hundredths; none where it is silent. A last short stretch is not told.
    #[must_use]
    pub fn finish(self) -> Vec<Option<i8>> {
        self.trace
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::signal::BLOCK;

    fn width_of(left: f32, right: f32) -> f64 {
        let mut meter = WidthMeter::default();
        meter.push(&StereoBlock { left: [left; BLOCK], right: [right; BLOCK] }, BLOCK);
        meter.width_db()
    }

    #[test]
    fn equal_sides_are_mono_one_side_is_even_and_opposite_ones_are_all_side() {
        assert!(width_of(0.5, 0.5) < MONO_DB);
        assert!(width_of(0.5, 0.0).abs() < 1e-9);
        assert!(width_of(0.5, -0.5) > 100.0);
        assert!((width_of(1.0, 0.5) - 20.0 * (1.0f64 / 3.0).log10()).abs() < 1e-6);
        assert!(width_of(0.0, 0.0) < MONO_DB);
    }
    #[test]
    fn alike_strange_and_opposite_sides_read_one_nothing_and_minus_one() {
        let mut meter = Correlation::new(BLOCK);
        let tone: [f32; BLOCK] = core::array::from_fn(|i| (i as f32 * core::f32::consts::TAU / 32.0).sin());
        let other: [f32; BLOCK] = core::array::from_fn(|i| (i as f32 * core::f32::consts::TAU / 16.0).sin());
        for (left, right) in [(tone, tone), (tone, tone.map(|x| -0.2 * x)), (tone, other), (tone, [0.0; BLOCK])] {
            meter.push(&StereoBlock { left, right }, BLOCK);
        }
        meter.push(&StereoBlock::SILENT, BLOCK);
        meter.push(&StereoBlock::SILENT, 5);
        assert_eq!(meter.finish(), [Some(100), Some(-100), Some(0), Some(0), None]);
    }
}
