//! True peak: the largest magnitude between samples as well as on them.
//!
//! Four times oversampling ([`crate::signal::between`]). A block that could not set a new maximum
//! even in the worst case is not oversampled at all.

use crate::signal::between::{TAPS, between};
use crate::signal::decibel::gain_to_db;
use crate::signal::{BLOCK, StereoBlock};

/// Tracks the true peak of both channels together.
#[derive(Clone)]
pub struct TruePeakMeter {
    history: [[f32; TAPS - 1 + BLOCK]; 2],
    max: f64,
}

impl Default for TruePeakMeter {
    fn default() -> Self {
        Self { history: [[0.0; TAPS - 1 + BLOCK]; 2], max: 0.0 }
    }
}

impl TruePeakMeter {
    /// Takes in a block.
    pub fn push(&mut self, block: &StereoBlock) {
        let filter = between();
        for (history, input) in self.history.iter_mut().zip([&block.left, &block.right]) {
            history[TAPS - 1..].copy_from_slice(input);
            let peak = history.iter().fold(0.0f32, |m, x| m.max(x.abs()));
            if f64::from(peak) * filter.worst > self.max {
                for i in 0..BLOCK {
                    for phase in &filter.phases {
                        let y: f64 = phase.iter().zip(&history[i..i + TAPS]).map(|(h, x)| h * f64::from(*x)).sum();
                        self.max = self.max.max(y.abs());
                    }
                }
            }
            history.copy_within(BLOCK.., 0);
        }
    }

    /// The largest magnitude so far, linear.
    #[must_use]
    pub fn max(&self) -> f64 {
        self.max
    }

    /// The largest magnitude so far, in dBTP.
    #[must_use]
    pub fn dbtp(&self) -> f64 {
        gain_to_db(self.max)
    }

    /// Forgets the maximum, not the last samples.
    pub fn reset_max(&mut self) {
        self.max = 0.0;
    }
}
