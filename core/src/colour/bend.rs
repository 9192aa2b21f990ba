//! Shapes that bend a wave, averaged along the line between two samples: antiderivative
//! antialiasing of first order ([`crate::signal::antiderivative`]) for both sides at once.
//!
//! The average over two samples takes the top down by `cos(w / 2)` and is half a sample late.
//! [`Straighten`] gives both back; a dry part that is mixed in has to be averaged as well
//! ([`mean`]).

use crate::signal::Frame;
use crate::signal::math::{cos, flush, sin};

/// A shape through zero, of slope 1 there.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Shape {
    /// `x / sqrt(1 + x^2)`: bends from the start and never quite arrives at 1.
    Soft,
    /// `x - x^5 / 5` up to 1, then 0.8: straight at first, then a firm edge.
    Firm,
    /// `sin x`: comes back when pushed further.
    Fold,
}

impl Shape {
    /// Its value.
    #[inline]
    #[must_use]
    pub fn at(self, x: f64) -> f64 {
        match self {
            Self::Soft => x / (1.0 + x * x).sqrt(),
            Self::Firm if x.abs() >= 1.0 => 0.8f64.copysign(x),
            Self::Firm => x - 0.2 * x * (x * x) * (x * x),
            Self::Fold => sin(x),
        }
    }

    /// Its slope.
    #[must_use]
    pub fn slope(self, x: f64) -> f64 {
        match self {
            Self::Soft => 1.0 / ((1.0 + x * x) * (1.0 + x * x).sqrt()),
            Self::Firm => (1.0 - (x * x) * (x * x)).max(0.0),
            Self::Fold => cos(x),
        }
    }

    /// Its antiderivative.
    #[inline]
    #[must_use]
    pub fn integral(self, x: f64) -> f64 {
        let xx = x * x;
        match self {
            Self::Soft => (1.0 + xx).sqrt(),
            Self::Firm if xx >= 1.0 => 0.8 * x.abs() - 1.0 / 3.0,
            Self::Firm => 0.5 * xx - xx * xx * xx / 30.0,
            Self::Fold => -cos(x),
        }
    }
}

/// Inputs nearer to each other than this are taken as one.
const NEAR: f64 = 1e-5;

/// Both sides of a shape with the last sample.
#[derive(Clone, Copy, Debug)]
pub struct Bend {
    shape: Shape,
    last: Frame,
    integral: Frame,
}

impl Bend {
    /// At rest on `x`.
    #[must_use]
    pub fn new(shape: Shape, x: f64) -> Self {
        Self { shape, last: [x; 2], integral: [shape.integral(x); 2] }
    }

    /// The mean of the shape from the last sample to this one.
    #[inline(always)] // in the innermost loop of every colour
    pub fn next(&mut self, x: Frame) -> Frame {
        let shape = self.shape;
        let here = x.map(|x| shape.integral(x));
        let y = if shape == Shape::Soft {
            // The difference of the roots, written without a difference.
            [0, 1].map(|k| (x[k] + self.last[k]) / (here[k] + self.integral[k]))
        } else {
            [0, 1].map(|k| {
                let run = x[k] - self.last[k];
                if run.abs() < NEAR {
                    shape.at(0.5 * (x[k] + self.last[k]))
                } else {
                    (here[k] - self.integral[k]) / run
                }
            })
        };
        (self.last, self.integral) = (x, here);
        y
    }
}

/// The mean of the last sample and this one: what a bend does to what it does not bend.
#[inline]
#[must_use]
pub fn mean(last: Frame, x: Frame) -> Frame {
    [0.5 * (last[0] + x[0]), 0.5 * (last[1] + x[1])]
}

/// How much of the inverse of the mean is taken: the whole would ring for ever at half the
/// rate. At a quarter of the rate 0.06 dB are left.
const STRAIGHT: f64 = 0.85;

/// Gives back what the mean of two samples takes: `(1 + a) / (1 + a / z)`.
#[derive(Clone, Copy, Debug, Default)]
pub struct Straighten {
    last: Frame,
}

impl Straighten {
    /// The next frame.
    #[inline]
    pub fn next(&mut self, x: Frame) -> Frame {
        self.last = [0, 1].map(|k| (1.0 + STRAIGHT) * x[k] - STRAIGHT * self.last[k]);
        self.last
    }

    /// Takes what is too small to matter as zero.
    pub fn flush(&mut self) {
        self.last = self.last.map(flush);
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::signal::math::TAU;

    const SHAPES: [Shape; 3] = [Shape::Soft, Shape::Firm, Shape::Fold];

    #[test]
    fn each_shape_has_slope_one_at_zero_and_is_the_slope_of_its_integral() {
        for shape in SHAPES {
            assert_eq!(shape.at(0.0), 0.0);
            assert!((shape.slope(0.0) - 1.0).abs() < 1e-12);
            for i in -40..=40 {
                let x = f64::from(i) * 0.07;
                let by = 1e-5;
                let risen = (shape.integral(x + by) - shape.integral(x - by)) / (2.0 * by);
                assert!((risen - shape.at(x)).abs() < 1e-8, "{shape:?} at {x}");
                let slope = (shape.at(x + by) - shape.at(x - by)) / (2.0 * by);
                assert!((slope - shape.slope(x)).abs() < 2e-5, "{shape:?} at {x}");
            }
        }
    }

    #[test]
    fn a_bend_gives_the_mean_of_its_shape_along_the_line() {
        for shape in SHAPES {
            for (from, to) in [(-0.3, 1.9), (2.0, 2.5), (0.4, 0.4 + 1e-7), (-4.0, 3.0)] {
                let mut bend = Bend::new(shape, from);
                let steps = 20_000;
                let at = |i: i32| shape.at(from + (to - from) * (f64::from(i) + 0.5) / f64::from(steps));
                let slow = (0..steps).map(at).sum::<f64>() / f64::from(steps);
                let [left, right] = bend.next([to; 2]);
                assert!((left - slow).abs() < 1e-7 && left == right, "{shape:?}: {left} and {slow}");
            }
        }
    }

    #[test]
    fn what_the_mean_takes_is_given_back_up_to_20_khz_at_twice_48_khz() {
        let mut straight = Straighten::default();
        for hz in [50.0, 5000.0, 15_000.0, 20_000.0] {
            let tone = |n: usize| sin(TAU * hz * n as f64 / 96_000.0);
            let (mut power_in, mut power_out) = (0.0, 0.0);
            for n in 1..9600 {
                let y = straight.next(mean([tone(n - 1); 2], [tone(n); 2]))[0];
                if n > 4800 {
                    power_in += tone(n) * tone(n);
                    power_out += y * y;
                }
            }
            let db = 10.0 * (power_out / power_in).log10();
            assert!(db.abs() < 0.03, "{db} dB at {hz} Hz");
        }
    }
}
