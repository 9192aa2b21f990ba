//! How wide: what differs between the sides against what they share.

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
}
