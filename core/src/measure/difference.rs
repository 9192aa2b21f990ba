//! What is left when one sound is taken from another.

use super::level::LevelMeter;
use crate::signal::StereoBlock;

/// Level of the sample-by-sample difference of two stretches.
#[derive(Clone, Copy, Debug, Default)]
pub struct Difference {
    meter: LevelMeter,
}

impl Difference {
    /// Takes in the first `frames` of two blocks.
    pub fn push(&mut self, a: &StereoBlock, b: &StereoBlock, frames: usize) {
        let mut d = a.clone();
        for i in 0..frames {
            d.left[i] -= b.left[i];
            d.right[i] -= b.right[i];
        }
        self.meter.push(&d, frames);
    }

    /// RMS of the difference in dBFS; the floor for identical sounds.
    #[must_use]
    pub fn rms_db(&self) -> f64 {
        self.meter.rms_db()
    }

    /// Peak of the difference in dBFS.
    #[must_use]
    pub fn peak_db(&self) -> f64 {
        self.meter.peak_db()
    }
}
