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
    /// `sin x`: comes back when pushed further, twice, and then stays: a folder has so many cells.
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
            Self::Fold if x.abs() >= FOLDS_TO => 1.0f64.copysign(x),
            Self::Fold => sin(x),
        }
    }

    /// Its slope.
    #[must_use]
    pub fn slope(self, x: f64) -> f64 {
        match self {
            Self::Soft => 1.0 / ((1.0 + x * x) * (1.0 + x * x).sqrt()),
            Self::Firm => (1.0 - (x * x) * (x * x)).max(0.0),
            Self::Fold if x.abs() >= FOLDS_TO => 0.0,
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
            Self::Fold if x.abs() >= FOLDS_TO => x.abs() - FOLDS_TO,
            Self::Fold => -cos(x),
        }
    }
}

/// Where a fold has come back twice, at its top again: `5 pi / 2`.
const FOLDS_TO: f64 = 2.5 * core::f64::consts::PI;

/// Inputs nearer to each other than this are taken as one.
const NEAR: f64 = 1e-5;

/// What leans a wave: `x^2 (3 + x^2) / (3 (1 + x^2)^2)`, even, never above 0.36 and a third in the end, so
/// that a hard driven wave is leant no further than a soft one and keeps its crest.
#[inline]
#[must_use]
pub fn lean(x: f64) -> f64 {
    let square = x * x;
    square * (3.0 + square) / (3.0 * (1.0 + square) * (1.0 + square))
}

/// The mean of [`lean`] from one value to another. Its antiderivative is `(x - x / (1 + x^2)) / 3`, of
/// which the difference is written without one.
#[inline]
fn mean_lean(from: f64, to: f64) -> f64 {
    let product = from * to;
    (1.0 - (1.0 - product) / ((1.0 + from * from) * (1.0 + to * to))) / 3.0
}

/// Both sides of a shape with the last sample.
#[derive(Clone, Copy, Debug)]
pub struct Bend {
    shape: Shape,
    last: Frame,
    integral: Frame,
}

impl Bend {
    /// At rest on zero.
    #[must_use]
    pub fn new(shape: Shape) -> Self {
        Self { shape, last: [0.0; 2], integral: [shape.integral(0.0); 2] }
    }

    /// The mean from the last frame to this one of the shape and a share of [`lean`], for each frame in
    /// turn and in place. `driven` gives, by its number, the gain before the bend, one over it, and the share
    /// that leans.
    pub fn run(&mut self, frames: &mut [Frame], driven: impl FnMut(usize) -> [f64; 3]) {
        // A loop of its own for each shape: nothing is chosen within it.
        match self.shape {
            Shape::Soft => self.each(frames, driven, Self::soft),
            Shape::Firm => self.each(frames, driven, |bend, x| bend.of(Shape::Firm, x)),
            Shape::Fold => self.each(frames, driven, |bend, x| bend.of(Shape::Fold, x)),
        }
    }

    #[inline(always)]
    fn each(
        &mut self,
        frames: &mut [Frame],
        mut driven: impl FnMut(usize) -> [f64; 3],
        next: impl Fn(&mut Self, Frame) -> Frame,
    ) {
        // Here and not in `self`, so that it stays in registers.
        let mut bend = *self;
        for (at, frame) in frames.iter_mut().enumerate() {
            *frame = bend.driven(*frame, driven(at), &next);
        }
        *self = bend;
    }

    #[inline(always)]
    fn driven(&mut self, frame: Frame, how: [f64; 3], next: impl Fn(&mut Self, Frame) -> Frame) -> Frame {
        let ([gain, down, share], last) = (how, self.last);
        let x = frame.map(|x| gain * x);
        let mut y = next(self, x);
        if share != 0.0 {
            y = [0, 1].map(|k| y[k] + share * mean_lean(last[k], x[k]));
        }
        y.map(|y| y * down)
    }

    /// One frame of [`Self::run`], driven so, for a bend that is soft.
    #[inline(always)]
    pub fn next_soft(&mut self, frame: Frame, driven: [f64; 3]) -> Frame {
        self.driven(frame, driven, Self::soft)
    }

    /// The mean of the shape from the last frame to this one.
    #[inline]
    pub fn next(&mut self, x: Frame) -> Frame {
        if self.shape == Shape::Soft { self.soft(x) } else { self.of(self.shape, x) }
    }

    #[inline(always)] // in the innermost loop of every colour
    fn soft(&mut self, x: Frame) -> Frame {
        let here = x.map(|x| Shape::Soft.integral(x));
        // The difference of the roots, written without a difference.
        let y = [0, 1].map(|k| (x[k] + self.last[k]) / (here[k] + self.integral[k]));
        (self.last, self.integral) = (x, here);
        y
    }

    #[inline(always)]
    fn of(&mut self, shape: Shape, x: Frame) -> Frame {
        let here = x.map(|x| shape.integral(x));
        let y = [0, 1].map(|k| {
            let run = x[k] - self.last[k];
            if run.abs() < NEAR { shape.at(0.5 * (x[k] + self.last[k])) } else { (here[k] - self.integral[k]) / run }
        });
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

    /// A stretch in place.
    pub fn process(&mut self, frames: &mut [Frame]) {
        // Here and not in `self`, so that it stays in registers.
        let mut straight = *self;
        frames.iter_mut().for_each(|frame| *frame = straight.next(*frame));
        *self = straight;
        self.flush();
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
            for i in -140..=140 {
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
                let mut bend = Bend::new(shape);
                bend.next([from; 2]);
                let steps = 20_000;
                let at = |i: i32| shape.at(from + (to - from) * (f64::from(i) + 0.5) / f64::from(steps));
                let slow = (0..steps).map(at).sum::<f64>() / f64::from(steps);
                let [left, right] = bend.next([to; 2]);
                assert!((left - slow).abs() < 1e-7 && left == right, "{shape:?}: {left} and {slow}");
            }
        }
    }

    #[test]
    fn what_leans_is_even_bounded_and_averaged_along_the_line() {
        for (from, to) in [(-0.3, 1.9), (2.0, 2.0), (0.4, 0.4 + 1e-7), (-40.0, 3.0)] {
            let steps = 20_000;
            let at = |i: i32| lean(from + (to - from) * (f64::from(i) + 0.5) / f64::from(steps));
            let slow = (0..steps).map(at).sum::<f64>() / f64::from(steps);
            assert!((mean_lean(from, to) - slow).abs() < 1e-6, "{from} to {to}: {slow}");
        }
        assert!((0..4000).all(|n| lean(0.01 * f64::from(n)) < 0.376 && lean(-0.7) == lean(0.7)));
        // The second rises as x^2 / 2 while it is soft.
        assert!((lean(0.01) - 1e-4).abs() < 1e-7);
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
