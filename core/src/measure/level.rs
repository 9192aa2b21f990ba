//! Sample peak, RMS and crest.

use crate::signal::StereoBlock;
use crate::signal::decibel::{gain_to_db, power_to_db};

/// Peak and power of a stretch of sound.
#[derive(Clone, Copy, Debug, Default)]
pub struct LevelMeter {
    peak: f32,
    /// Sum of squares over both channels.
    squares: f64,
    samples: u64,
}

impl LevelMeter {
    /// Takes in the first `frames` frames of a block, both channels.
    pub fn push(&mut self, block: &StereoBlock, frames: usize) {
        for (l, r) in block.left[..frames].iter().zip(&block.right[..frames]) {
            self.peak = self.peak.max(l.abs()).max(r.abs());
            let (l, r) = (f64::from(*l), f64::from(*r));
            self.squares += l * l + r * r;
        }
        self.samples += 2 * frames as u64;
    }

    /// Largest sample magnitude in dBFS.
    #[must_use]
    pub fn peak_db(&self) -> f64 {
        gain_to_db(f64::from(self.peak))
    }

    /// RMS over everything taken in, in dBFS.
    #[must_use]
    pub fn rms_db(&self) -> f64 {
        if self.samples == 0 {
            return crate::signal::decibel::FLOOR_DB;
        }
        power_to_db(self.squares / self.samples as f64)
    }

    /// Peak minus RMS in dB; 0 for silence.
    #[must_use]
    pub fn crest_db(&self) -> f64 {
        self.peak_db() - self.rms_db()
    }
}
