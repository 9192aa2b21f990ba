//! A value that glides to its target in a straight line, so that a control
//! moved while sound runs makes no step.

/// Time a control takes to reach a new value, in seconds. 10 ms: short enough
/// to feel immediate, long enough that a full-range move has no audible edge.
pub const GLIDE_S: f64 = 0.010;

/// A linear glide in frames.
#[derive(Clone, Copy, Debug)]
pub struct Ramp {
    value: f64,
    target: f64,
    step: f64,
    /// Frames until `value == target`; zero when at rest.
    left: u32,
    frames: u32,
}

impl Ramp {
    /// At rest on `value`; later moves take [`GLIDE_S`] at `rate` Hz.
    #[must_use]
    pub fn new(value: f64, rate: f64) -> Self {
        let frames = (GLIDE_S * rate).max(1.0) as u32;
        Self { value, target: value, step: 0.0, left: 0, frames }
    }

    /// Starts gliding to `target` from wherever the value is now.
    pub fn glide_to(&mut self, target: f64) {
        if target != self.target {
            self.target = target;
            self.left = self.frames;
            self.step = (target - self.value) / f64::from(self.frames);
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
            self.value = if self.left == 0 { self.target } else { self.value + self.step };
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
