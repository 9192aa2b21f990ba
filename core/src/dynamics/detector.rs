//! How loud it is: the RMS detector. (Peak detection is the magnitude itself.)
//!
//! Two one-pole averages of the squared signal in a row, each with half the
//! window as its time constant. One pole alone answers a sudden onset with its
//! steepest slope at once, so that a drum's first millisecond would already be
//! reduced; two start flat, as an engineer expects of an RMS detector, and leave
//! less ripple for the same window.

use crate::signal::math::{exp, flush};

/// Mean square over a sliding window.
#[derive(Clone, Copy, Debug)]
pub struct RmsDetector {
    keep: f64,
    first: f64,
    second: f64,
}

impl RmsDetector {
    /// Window of `window_ms` milliseconds at `rate` Hz.
    #[must_use]
    pub fn new(window_ms: f64, rate: f64) -> Self {
        let mut detector = Self { keep: 0.0, first: 0.0, second: 0.0 };
        detector.set_window(window_ms, rate);
        detector
    }

    /// Changes the window without forgetting the past.
    pub fn set_window(&mut self, window_ms: f64, rate: f64) {
        self.keep = exp(-1.0 / (window_ms / 2000.0 * rate).max(1.0));
    }

    /// Forgets the past.
    pub fn reset(&mut self) {
        (self.first, self.second) = (0.0, 0.0);
    }

    /// Mean power after taking in a frame of power `power`.
    #[inline]
    pub fn next_power(&mut self, power: f64) -> f64 {
        // `x (1 - k) + y k` rather than `x + (y - x) k`: one operation less to wait for.
        let take = 1.0 - self.keep;
        self.first = power * take + self.first * self.keep;
        self.second = self.first * take + self.second * self.keep;
        self.second
    }

    /// Ends a block: what has become too small to matter is taken as zero.
    pub fn settle(&mut self) {
        (self.first, self.second) = (flush(self.first), flush(self.second));
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::signal::math::{TAU, sin};

    #[test]
    fn a_full_scale_sine_settles_on_minus_three_decibels() {
        let mut d = RmsDetector::new(30.0, 48_000.0);
        let mut power = 0.0;
        for n in 0..48_000 {
            let x = sin(TAU * 997.0 * f64::from(n) / 48_000.0);
            power = d.next_power(x * x);
        }
        assert!((10.0 * power.log10() + 3.01).abs() < 0.02);
    }

    #[test]
    fn it_covers_most_of_a_step_within_twice_its_window() {
        let mut d = RmsDetector::new(20.0, 48_000.0);
        let mut power = 0.0;
        for _ in 0..1920 {
            power = d.next_power(1.0);
        }
        // Two poles of 10 ms after 40 ms: 1 - 5 e^-4 = 0.908.
        assert!((power - (1.0 - 5.0 * (-4.0f64).exp())).abs() < 0.002);
    }
}
