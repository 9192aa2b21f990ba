//! A value that glides to its target in a straight line, so that a control
//! moved while sound runs makes no step.

use super::math::{exp, log};

/// Time a control takes to reach a new value, in seconds. 10 ms: short enough
/// to feel immediate, long enough that a full-range move has no audible edge.
pub const GLIDE_S: f64 = 0.010;

/// A linear glide in frames.
#[derive(Clone, Copy, Debug)]
pub struct Ramp {
    value: f64,
    target: f64,
    /// What each frame adds, and what it multiplies by.
    step: f64,
    ratio: f64,
    /// Whether a move that has to arrive goes in equal ratios.
    is_gain: bool,
    /// Frames until `value == target`; zero when at rest.
    left: u32,
    frames: u32,
}

impl Ramp {
    /// At rest on `value`; later moves take [`GLIDE_S`] at `rate` Hz.
    #[must_use]
    pub fn new(value: f64, rate: f64) -> Self {
        let frames = (GLIDE_S * rate).max(1.0) as u32;
        Self { value, target: value, step: 0.0, ratio: 1.0, is_gain: false, left: 0, frames }
    }

    /// The same for a factor: a move that has to arrive ([`Self::arrive`]) is even in dB.
    #[must_use]
    pub fn of_gain(value: f64, rate: f64) -> Self {
        Self { is_gain: true, ..Self::new(value, rate) }
    }

    /// Starts gliding to `target` from wherever the value is now.
    pub fn glide_to(&mut self, target: f64) {
        if target != self.target {
            self.target = target;
            self.left = self.frames;
            (self.step, self.ratio) = ((target - self.value) / f64::from(self.frames), 1.0);
        }
    }

    /// What glides now arrives within so many seconds; 0 is at once.
    pub fn arrive(&mut self, within_s: f64) {
        if within_s <= 0.0 {
            self.snap();
        } else if self.left > 0 {
            self.left = (within_s / GLIDE_S * f64::from(self.frames)).round().max(1.0) as u32;
            (self.step, self.ratio) = if self.is_gain && self.value > 0.0 && self.target > 0.0 {
                (0.0, exp(log(self.target / self.value) / f64::from(self.left)))
            } else {
                ((self.target - self.value) / f64::from(self.left), 1.0)
            };
        }
    }

    /// Jumps to the target at once.
    pub fn snap(&mut self) {
        self.value = self.target;
        self.left = 0;
    }

    /// Jumps to `value` at once.
    pub fn snap_to(&mut self, value: f64) {
        self.target = value;
        self.snap();
    }

    /// The value for the next frame.
    #[inline]
    pub fn next_value(&mut self) -> f64 {
        if self.left > 0 {
            self.left -= 1;
            self.value = if self.left == 0 { self.target } else { self.value * self.ratio + self.step };
        }
        self.value
    }

    /// True when nothing moves any more.
    #[inline]
    #[must_use]
    pub fn at_rest(&self) -> bool {
        self.left == 0
    }

    /// The present value.
    #[inline]
    #[must_use]
    pub fn value(&self) -> f64 {
        self.value
    }

    /// Where it is going.
    #[must_use]
    pub fn target(&self) -> f64 {
        self.target
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn what_has_to_arrive_does_so_evenly_and_a_gain_evenly_in_decibels() {
        let within_s = 128.0 / 48_000.0;
        for (mut ramp, halfway) in [
            (Ramp::new(1.0, 48_000.0), 0.505),
            (Ramp::of_gain(1.0, 48_000.0), 0.1),
            (Ramp::of_gain(1.0, 192_000.0), 0.1),
        ] {
            ramp.glide_to(0.01);
            ramp.arrive(within_s);
            let frames = (ramp.frames as f64 / GLIDE_S * within_s).round() as u32;
            let middle = (0..frames / 2).map(|_| ramp.next_value()).last().unwrap();
            assert!((middle - halfway).abs() < 1e-9, "{middle}");
            let end = (0..frames / 2).map(|_| ramp.next_value()).last().unwrap();
            assert!(end == 0.01 && ramp.at_rest());
        }
    }

    #[test]
    fn arrives_exactly_and_never_steps_more_than_its_slope() {
        let mut ramp = Ramp::new(0.0, 48_000.0);
        ramp.glide_to(1.0);
        let mut last = 0.0;
        for _ in 0..480 {
            let v = ramp.next_value();
            assert!((v - last).abs() <= 1.0 / 480.0 + 1e-12);
            last = v;
        }
        assert_eq!(last, 1.0);
        assert!(ramp.at_rest());
    }
}
