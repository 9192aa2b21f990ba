//! Sections of first order for both sides: shelves, cuts, and their exact inverses.
//!
//! From the analog `(n1 s + n0) / (s + d0)` in units of the corner by the bilinear transform,
//! prewarped there.

use crate::signal::Frame;
use crate::signal::math::{Complex, LN_10, PI, TAU, flush, tan};

/// Decibels by which a first order falls in each of its time constants, `20 / ln 10`.
const DB_A_TIME_CONSTANT: f64 = 20.0 / LN_10;

/// Frames in which what a section of first order at `hz` holds falls by `db` (> 0).
#[must_use]
pub fn decay(hz: f64, db: f64, rate: f64) -> usize {
    (db / DB_A_TIME_CONSTANT * rate / (TAU * hz)).ceil() as usize
}

/// `(b0 + b1 / z) / (1 + a / z)`, and what it holds.
#[derive(Clone, Copy, Debug)]
pub struct FirstOrder {
    b: [f64; 2],
    a: f64,
    held: Frame,
}

impl FirstOrder {
    /// The analog `(n1 s + n0) / (s + d0)` with `s` in units of `hz`.
    fn from_analog(n: [f64; 2], d0: f64, hz: f64, rate: f64) -> Self {
        let g = tan(PI * (hz / rate).clamp(1e-6, 0.49));
        let [n1, n0] = n;
        let whole = 1.0 + d0 * g;
        Self { b: [(n1 + n0 * g) / whole, (n0 * g - n1) / whole], a: (d0 * g - 1.0) / whole, held: [0.0; 2] }
    }

    /// Falls by 6 dB an octave above `hz`.
    #[must_use]
    pub fn low_pass(hz: f64, rate: f64) -> Self {
        Self::from_analog([0.0, 1.0], 1.0, hz, rate)
    }

    /// Falls by 6 dB an octave below `hz`.
    #[must_use]
    pub fn high_pass(hz: f64, rate: f64) -> Self {
        Self::from_analog([1.0, 0.0], 1.0, hz, rate)
    }

    /// Lets lows pass and multiplies highs by `gain`, half of it (in dB) at `hz`.
    #[must_use]
    pub fn high_shelf(hz: f64, gain: f64, rate: f64) -> Self {
        let root = gain.sqrt();
        Self::from_analog([gain, root], root, hz, rate)
    }

    /// Lets highs pass and multiplies lows by `gain`, half of it (in dB) at `hz`.
    #[must_use]
    pub fn low_shelf(hz: f64, gain: f64, rate: f64) -> Self {
        let root = gain.sqrt();
        Self::from_analog([1.0, root], 1.0 / root, hz, rate)
    }

    /// What undoes it, for shelves.
    #[must_use]
    pub fn inverse(&self) -> Self {
        let [b0, b1] = self.b;
        Self { b: [1.0 / b0, self.a / b0], a: b1 / b0, held: [0.0; 2] }
    }

    /// Takes the coefficients of another and keeps what it holds.
    pub fn retune(&mut self, to: &Self) {
        (self.b, self.a) = (to.b, to.a);
    }

    /// The next frame, in transposed form.
    #[inline]
    pub fn next(&mut self, x: Frame) -> Frame {
        let y = [0, 1].map(|k| self.b[0] * x[k] + self.held[k]);
        self.held = [0, 1].map(|k| self.b[1] * x[k] - self.a * y[k]);
        y
    }

    /// The next frame: so much of `x` itself and so much of what passes. What comes of the past is
    /// worked out aside, so that a loop waits for one product and one sum.
    #[inline]
    pub fn mixed(&mut self, x: Frame, itself: f64, passed: f64) -> Frame {
        let (at_once, before) = (itself + passed * self.b[0], self.held);
        self.next(x);
        [0, 1].map(|k| at_once * x[k] + passed * before[k])
    }

    /// Takes what each side is to hold.
    pub fn hold(&mut self, held: Frame) {
        self.held = held;
    }

    /// Takes what is too small to matter as zero.
    pub fn flush(&mut self) {
        self.held = self.held.map(flush);
    }

    /// Forgets the past.
    pub fn reset(&mut self) {
        self.held = [0.0; 2];
    }

    /// Response at `angle` radians a sample.
    #[must_use]
    pub fn response(&self, angle: f64) -> Complex {
        let z = Complex::from_angle(-angle);
        let top = Complex::new(self.b[0] + self.b[1] * z.re, self.b[1] * z.im);
        top.over(Complex::new(1.0 + self.a * z.re, self.a * z.im))
    }
}

/// Two sections, of each a side, beside each other: a frame is one value for each.
#[derive(Clone, Copy, Debug)]
pub struct FirstOrders {
    b: [Frame; 2],
    a: Frame,
    held: Frame,
}

impl FirstOrders {
    /// Of each a section and which of its sides, with what that holds.
    #[must_use]
    pub fn new(of: [(&FirstOrder, usize); 2]) -> Self {
        let b = [0, 1].map(|n| of.map(|(section, _)| section.b[n]));
        Self { b, a: of.map(|(section, _)| section.a), held: of.map(|(section, side)| section.held[side]) }
    }

    /// What both hold.
    #[must_use]
    pub fn held(&self) -> Frame {
        self.held
    }

    /// Takes what one of another holds.
    pub fn take_side(&mut self, side: usize, from: &Self) {
        self.held[side] = from.held[side];
    }

    /// As [`FirstOrder::next`].
    #[inline(always)] // in the innermost loop of an amplifier
    pub fn next(&mut self, x: Frame) -> Frame {
        let y = [0, 1].map(|k| self.b[0][k] * x[k] + self.held[k]);
        self.held = [0, 1].map(|k| self.b[1][k] * x[k] - self.a[k] * y[k]);
        y
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    const RATE: f64 = 96_000.0;

    fn db(section: &FirstOrder, hz: f64) -> f64 {
        10.0 * section.response(TAU * hz / RATE).norm_sqr().log10()
    }

    #[test]
    fn cuts_are_3_db_down_at_their_corner_and_shelves_half_way() {
        assert!((db(&FirstOrder::low_pass(500.0, RATE), 500.0) + 3.0103).abs() < 1e-3);
        assert!((db(&FirstOrder::high_pass(500.0, RATE), 500.0) + 3.0103).abs() < 1e-3);
        let high = FirstOrder::high_shelf(2000.0, 4.0, RATE);
        assert!((db(&high, 2000.0) - 6.0206).abs() < 1e-3 && db(&high, 20.0).abs() < 0.01);
        assert!((db(&high, 40_000.0) - 12.04).abs() < 0.1);
        let low = FirstOrder::low_shelf(200.0, 0.25, RATE);
        assert!((db(&low, 200.0) + 6.0206).abs() < 1e-3 && db(&low, 20_000.0).abs() < 0.01);
        assert!((db(&low, 2.0) + 12.04).abs() < 0.01);
    }

    #[test]
    fn a_shelf_and_its_inverse_leave_the_sound_as_it_was() {
        let mut there = FirstOrder::high_shelf(3000.0, 2.5, RATE);
        let mut back = there.inverse();
        for n in 0..200 {
            let x = [f64::from(n % 7) - 3.0, f64::from(n % 5)];
            let y = back.next(there.next(x));
            assert!((y[0] - x[0]).abs() < 1e-12 && (y[1] - x[1]).abs() < 1e-12);
        }
    }

    #[test]
    fn what_it_holds_has_fallen_by_what_was_asked_after_the_frames_it_says() {
        let mut section = FirstOrder::low_pass(50.0, RATE);
        (0..200_000).for_each(|_| {
            section.next([1.0; 2]);
        });
        let fallen = (0..decay(50.0, 60.0, RATE)).fold(0.0, |_, _| section.next([0.0; 2])[0]);
        assert!((20.0 * fallen.log10() + 60.0).abs() < 0.1, "{fallen}");
    }

    #[test]
    fn what_runs_is_what_the_response_says() {
        let mut section = FirstOrder::high_shelf(1500.0, 0.3, RATE);
        let (mut re, mut im) = (0.0, 0.0);
        let angle = TAU * 4000.0 / RATE;
        for n in 0..4000 {
            let y = section.next([if n == 0 { 1.0 } else { 0.0 }; 2])[0];
            re += y * (angle * f64::from(n)).cos();
            im -= y * (angle * f64::from(n)).sin();
        }
        let stated = section.response(angle);
        assert!((re - stated.re).abs() < 1e-9 && (im - stated.im).abs() < 1e-9);
    }
}
