//! Holds a peak for a time, and looks for peaks ahead.
//!
//! Both are timed by the signal alone, never by when the unit was made: the same sound a few
//! frames later must be treated alike, or a track behind a lookahead would print differently
//! from how it plays.

/// Gives out the largest value that came within the last frames, so many after a peak; then the
/// largest that came since.
#[derive(Clone, Copy, Debug)]
pub struct PeakHold {
    /// Frames a peak is held; at least 1, which holds nothing.
    frames: u32,
    held: f64,
    /// Largest value since the held one.
    since: f64,
    /// Frames until `held` gives way to `since`; 1 to `frames`.
    left: u32,
}

impl PeakHold {
    /// At rest on zero.
    #[must_use]
    pub fn new(frames: u32) -> Self {
        let frames = frames.max(1);
        Self { frames, held: 0.0, since: 0.0, left: frames }
    }

    /// Changes for how long, without forgetting what is held.
    pub fn set_frames(&mut self, frames: u32) {
        self.frames = frames.max(1);
        self.left = self.left.min(self.frames);
    }

    /// Forgets the past.
    pub fn reset(&mut self) {
        *self = Self::new(self.frames);
    }

    /// Takes in a value (>= 0) and gives out the held one.
    #[inline]
    pub fn next(&mut self, value: f64) -> f64 {
        if value >= self.held {
            self.hold(value);
        } else {
            self.since = self.since.max(value);
            self.left -= 1;
            if self.left == 0 {
                self.hold(self.since);
            }
        }
        self.held
    }

    /// What [`Self::next`] would give out.
    #[inline]
    #[must_use]
    pub fn peek(&self, value: f64) -> f64 {
        if value >= self.held {
            value
        } else if self.left == 1 {
            self.since.max(value)
        } else {
            self.held
        }
    }

    #[inline]
    fn hold(&mut self, value: f64) {
        self.held = value;
        self.since = 0.0;
        self.left = self.frames;
    }
}

/// Largest of the last so many values, exactly: what a peak asks for is known from when it is
/// seen until it has left (the ascending minima of Lemire, *Streaming Maximum-Minimum Filter
/// Using No More than Three Comparisons per Element*, 2006, turned over).
#[derive(Clone, Debug)]
pub struct SlidingMax {
    /// Values that may still be the largest, falling, with the frame of each; a ring.
    ring: Vec<(f64, u64)>,
    first: usize,
    len: usize,
    frame: u64,
}

impl SlidingMax {
    /// Over the present value and `before` values before it, silent.
    #[must_use]
    pub fn new(before: usize) -> Self {
        Self { ring: vec![(0.0, 0); before + 1], first: 0, len: 0, frame: 0 }
    }

    /// Forgets the past.
    pub fn reset(&mut self) {
        (self.first, self.len, self.frame) = (0, 0, 0);
    }

    /// Takes in a value and gives out the largest in sight.
    pub fn next(&mut self, value: f64) -> f64 {
        let size = self.ring.len();
        if size == 1 {
            return value;
        }
        // No remainder: a division takes longer than all else here.
        let within = |at: usize| if at >= size { at - size } else { at };
        if self.len > 0 && self.ring[self.first].1 + size as u64 <= self.frame {
            self.first = within(self.first + 1);
            self.len -= 1;
        }
        while self.len > 0 && self.ring[within(self.first + self.len - 1)].0 <= value {
            self.len -= 1;
        }
        self.ring[within(self.first + self.len)] = (value, self.frame);
        self.len += 1;
        self.frame += 1;
        self.ring[self.first].0
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    proptest! {
        #[test]
        fn a_sliding_maximum_is_that_of_the_window(values in prop::collection::vec(0.0f64..1.0, 1..200), before in 0usize..40) {
            let mut max = SlidingMax::new(before);
            for (n, value) in values.iter().enumerate() {
                let window = &values[n.saturating_sub(before)..=n];
                prop_assert_eq!(max.next(*value), window.iter().copied().fold(0.0, f64::max));
            }
        }

        #[test]
        fn a_hold_never_falls_below_what_comes_and_gives_way_to_what_came_since(values in prop::collection::vec(0.0f64..1.0, 1..200), frames in 1u32..30) {
            let mut hold = PeakHold::new(frames);
            for (n, value) in values.iter().enumerate() {
                let foretold = hold.peek(*value);
                let held = hold.next(*value);
                prop_assert_eq!(held, foretold);
                let longest = &values[n.saturating_sub(2 * frames as usize)..=n];
                prop_assert!(held >= *value && longest.contains(&held));
            }
        }
    }
}
