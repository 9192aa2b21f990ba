//! One second-order section, run as a trapezoidal state-variable filter.
//!
//! Simper's form (*Linear Trapezoidal State Variable Filter*, 2013) holds two
//! integrator states that keep their meaning while the coefficients move, so a
//! band can be dragged while sound runs. Any digital biquad maps onto it
//! exactly: with `p = (z - 1) / (z + 1)` a biquad is
//! `(n2 p^2 + n1 p + n0) / (p^2 + k g p + g^2)`, and the filter's outputs are
//! `v0 = x`, band `v1 = g p / D`, low `v2 = g^2 / D`, mixed by `m0, m1, m2`.
//!
//! Per sample, with `a1 = 1 / (1 + g (g + k))`, `a2 = g a1`, `a3 = g a2`:
//!
//! ```text
//! v1  = a1 s1 + a2 (x - s2)        s1' = 2 v1 - s1
//! v2  = s2 + a2 s1 + a3 (x - s2)   s2' = 2 v2 - s2
//! y   = m0 x + m1 v1 + m2 v2
//! ```
//!
//! which is rewritten as one linear map of `(s1, s2, x)` to shorten the
//! dependency between samples.

use crate::signal::block::Frame;
use crate::signal::math::{Complex, LN_10, SQRT_2, flush, log, tan};

/// Coefficients of one section: `g` (tan of half the corner angle), `k`
/// (damping, 1/Q) and the output mix.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct SvfDesign {
    /// Integrator gain, > 0.
    pub g: f64,
    /// Damping, > 0 for a stable section.
    pub k: f64,
    /// Share of input, band and low output.
    pub m: [f64; 3],
}

impl SvfDesign {
    /// Lets everything through unchanged.
    pub const IDENTITY: Self = Self { g: 0.1, k: SQRT_2, m: [1.0, 0.0, 0.0] };

    /// From biquad coefficients `b0 b1 b2 / 1 a1 a2` of a stable filter.
    #[must_use]
    pub fn from_biquad(b: [f64; 3], a: [f64; 2]) -> Self {
        let d2 = 1.0 - a[0] + a[1];
        let g2 = (1.0 + a[0] + a[1]) / d2;
        let g = g2.sqrt();
        let kg = 2.0 * (1.0 - a[1]) / d2;
        let n2 = (b[0] - b[1] + b[2]) / d2;
        let n1 = 2.0 * (b[0] - b[2]) / d2;
        let n0 = (b[0] + b[1] + b[2]) / d2;
        Self { g, k: kg / g, m: [n2, (n1 - n2 * kg) / g, n0 / g2 - n2] }
    }

    /// Response at `angle` radians per sample (0 to pi).
    #[must_use]
    pub fn response(&self, angle: f64) -> Complex {
        let t = tan(angle / 2.0).min(1e12);
        let den = Complex::new(self.g * self.g - t * t, self.k * self.g * t);
        let num = Complex::new(
            self.m[0] * (self.g * self.g - t * t) + self.m[2] * self.g * self.g,
            (self.m[0] * self.k + self.m[1]) * self.g * t,
        );
        num.over(den)
    }

    /// Squared magnitude of the response where the tangent of half the angle is `t`.
    #[must_use]
    pub fn power(&self, t: f64) -> f64 {
        let low = self.g * self.g - t * t;
        let re = self.m[0] * low + self.m[2] * self.g * self.g;
        let im = (self.m[0] * self.k + self.m[1]) * self.g * t;
        (re * re + im * im) / (low * low + self.k * self.k * self.g * self.g * t * t)
    }

    /// Frames in which what it holds falls by `db` (> 0).
    ///
    /// The poles of `p^2 + k g p + g^2` with `p = (z - 1) / (z + 1)`: a complex pair lies at
    /// the radius `sqrt((1 - g k + g^2) / (1 + g k + g^2))`; of a real pair the slower one
    /// counts.
    #[must_use]
    pub fn decay(&self, db: f64) -> usize {
        let (g, k) = (self.g, self.k);
        let radius = if k < 2.0 {
            ((1.0 - g * k + g * g) / (1.0 + g * k + g * g)).sqrt()
        } else {
            let slow = g * (0.5 * k - (0.25 * k * k - 1.0).sqrt());
            ((1.0 - slow) / (1.0 + slow)).abs()
        };
        let fall = -log(radius.clamp(1e-9, 1.0 - 1e-9)) * 20.0 / LN_10;
        (db / fall).ceil() as usize
    }

    /// The same corner, everything let through.
    #[must_use]
    pub fn passing(self) -> Self {
        Self { m: Self::IDENTITY.m, ..self }
    }

    fn matrix(&self) -> Matrix {
        let a1 = 1.0 / (1.0 + self.g * (self.g + self.k));
        let a2 = self.g * a1;
        let a3 = self.g * a2;
        let [m0, m1, m2] = self.m;
        Matrix([
            2.0 * a1 - 1.0,
            -2.0 * a2,
            2.0 * a2,
            2.0 * a2,
            1.0 - 2.0 * a3,
            2.0 * a3,
            m1 * a1 + m2 * a2,
            m2 * (1.0 - a3) - m1 * a2,
            m0 + m1 * a2 + m2 * a3,
        ])
    }
}

/// Rows `s1'`, `s2'`, `y` over columns `s1`, `s2`, `x`.
#[derive(Clone, Copy, Debug)]
pub(super) struct Matrix([f64; 9]);

impl Matrix {
    /// One frame through the section: its output, the states moved on.
    #[inline(always)]
    pub(super) fn step(&self, x: Frame, s1: &mut Frame, s2: &mut Frame) -> Frame {
        let Self(c) = self;
        let mut y = [0.0; 2];
        for lane in 0..2 {
            y[lane] = c[8] * x[lane] + c[6] * s1[lane] + c[7] * s2[lane];
            let next1 = (c[2] * x[lane] + c[1] * s2[lane]) + c[0] * s1[lane];
            let next2 = (c[5] * x[lane] + c[3] * s1[lane]) + c[4] * s2[lane];
            s1[lane] = next1;
            s2[lane] = next2;
        }
        y
    }
}

/// The same for a section of its own on each side.
#[derive(Clone, Copy, Debug)]
pub(super) struct SideMatrix([Frame; 9]);

impl SideMatrix {
    pub(super) fn new(left: &Matrix, right: &Matrix) -> Self {
        Self(core::array::from_fn(|i| [left.0[i], right.0[i]]))
    }

    /// As [`Matrix::step`].
    #[inline(always)]
    pub(super) fn step(&self, x: Frame, s1: &mut Frame, s2: &mut Frame) -> Frame {
        let Self(c) = self;
        let mut y = [0.0; 2];
        for lane in 0..2 {
            y[lane] = c[8][lane] * x[lane] + c[6][lane] * s1[lane] + c[7][lane] * s2[lane];
            let next1 = (c[2][lane] * x[lane] + c[1][lane] * s2[lane]) + c[0][lane] * s1[lane];
            let next2 = (c[5][lane] * x[lane] + c[3][lane] * s1[lane]) + c[4][lane] * s2[lane];
            s1[lane] = next1;
            s2[lane] = next2;
        }
        y
    }
}

/// A running stereo section.
#[derive(Clone, Debug)]
pub struct Svf {
    now: SvfDesign,
    target: SvfDesign,
    pub(super) matrix: Matrix,
    /// Knots still to pass until `now == target`.
    knots_left: u32,
    glide_knots: u32,
    knots_per_s: f64,
    /// Integrator states of both channels; finite, flushed to zero when tiny.
    pub(super) s1: Frame,
    pub(super) s2: Frame,
}

impl Svf {
    /// Frames between two exact coefficient sets while a section moves; between
    /// them the matrix is interpolated sample by sample.
    pub const KNOT: usize = 16;

    /// A section at rest on `design`; moves take `glide_s` seconds.
    #[must_use]
    pub fn new(design: SvfDesign, rate: f64, glide_s: f64) -> Self {
        Self {
            now: design,
            target: design,
            matrix: design.matrix(),
            knots_left: 0,
            knots_per_s: rate / Self::KNOT as f64,
            glide_knots: ((glide_s * rate) as u32 / Self::KNOT as u32).max(1),
            s1: [0.0; 2],
            s2: [0.0; 2],
        }
    }

    /// Starts moving to `design`.
    pub fn glide_to(&mut self, design: SvfDesign) {
        if design == self.target {
            return;
        }
        if self.is_idle() {
            // It was not heard: start afresh at the new corner, so that only
            // the output mix has to move.
            self.reset();
            self.now = SvfDesign { m: SvfDesign::IDENTITY.m, ..design };
            self.matrix = self.now.matrix();
        }
        self.target = design;
        self.knots_left = self.glide_knots;
    }

    /// Moves to `design` over so many knots of [`Self::KNOT`] frames, whatever it was doing.
    pub fn glide_over(&mut self, design: SvfDesign, knots: u32) {
        if self.is_idle() && design != self.target {
            self.glide_to(design);
        }
        self.target = design;
        self.knots_left = if design == self.now { 0 } else { knots };
    }

    /// Where it is going.
    #[must_use]
    pub fn design(&self) -> SvfDesign {
        self.target
    }

    /// Starts moving to where the section passes everything, corner unchanged.
    pub fn glide_to_idle(&mut self) {
        if !self.is_idle() {
            self.glide_to(self.target.passing());
        }
    }

    /// Starts moving to a design, or to where the section passes everything.
    pub fn glide_to_or_idle(&mut self, design: Option<SvfDesign>) {
        match design {
            Some(design) => self.glide_to(design),
            None => self.glide_to_idle(),
        }
    }

    /// What moves now arrives within so many seconds; 0 is at once.
    pub fn arrive(&mut self, within_s: f64) {
        if within_s <= 0.0 {
            self.now = self.target;
            self.matrix = self.now.matrix();
            self.knots_left = 0;
        } else if self.knots_left > 0 {
            self.knots_left = (within_s * self.knots_per_s).round().max(1.0) as u32;
        }
    }

    /// Forgets the past.
    pub fn reset(&mut self) {
        self.s1 = [0.0; 2];
        self.s2 = [0.0; 2];
    }

    /// True while the section is not on its way elsewhere.
    pub(super) fn is_steady(&self) -> bool {
        self.knots_left == 0
    }

    /// True when the section passes everything and is not on its way elsewhere.
    #[must_use]
    pub fn is_idle(&self) -> bool {
        self.knots_left == 0 && self.now.m == SvfDesign::IDENTITY.m
    }

    /// Filters `frames` in place. The length is a multiple of 16.
    pub fn process(&mut self, frames: &mut [Frame]) {
        if self.knots_left == 0 {
            self.run_steady(frames);
        } else {
            for part in frames.chunks_mut(Self::KNOT) {
                if self.knots_left > 0 {
                    self.run_moving(part);
                } else {
                    self.run_steady(part);
                }
            }
        }
        self.flush();
    }

    /// Takes states too small to matter as zero.
    pub(super) fn flush(&mut self) {
        for lane in 0..2 {
            self.s1[lane] = flush(self.s1[lane]);
            self.s2[lane] = flush(self.s2[lane]);
        }
    }

    fn run_steady(&mut self, frames: &mut [Frame]) {
        let (mut s1, mut s2) = (self.s1, self.s2);
        for frame in frames {
            *frame = self.matrix.step(*frame, &mut s1, &mut s2);
        }
        (self.s1, self.s2) = (s1, s2);
    }

    fn run_moving(&mut self, frames: &mut [Frame]) {
        let share = 1.0 / f64::from(self.knots_left);
        self.knots_left -= 1;
        let (from, to) = (self.now, self.target);
        let mix = |a: f64, b: f64| a + (b - a) * share;
        self.now = if self.knots_left == 0 {
            to
        } else {
            SvfDesign {
                g: mix(from.g, to.g),
                k: mix(from.k, to.k),
                m: [mix(from.m[0], to.m[0]), mix(from.m[1], to.m[1]), mix(from.m[2], to.m[2])],
            }
        };
        let end = self.now.matrix();
        let mut c = self.matrix.0;
        let mut step = [0.0; 9];
        for i in 0..9 {
            step[i] = (end.0[i] - c[i]) / frames.len() as f64;
        }
        for frame in frames.iter_mut() {
            for i in 0..9 {
                c[i] += step[i];
            }
            self.matrix = Matrix(c);
            self.run_steady(core::slice::from_mut(frame));
        }
        self.matrix = end;
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::signal::math::{PI, TAU, sin};

    #[test]
    fn a_biquad_and_its_state_variable_form_have_one_response() {
        let (b, a) = ([0.8, -1.1, 0.5], [-1.5, 0.7]);
        let design = SvfDesign::from_biquad(b, a);
        for i in 1..50 {
            let w = PI * f64::from(i) / 50.0;
            let z1 = Complex::from_angle(-w);
            let z2 = z1.times(z1);
            let num = Complex::new(b[0], 0.0).plus(z1.scale(b[1])).plus(z2.scale(b[2]));
            let den = Complex::ONE.plus(z1.scale(a[0])).plus(z2.scale(a[1]));
            let (want, got) = (num.over(den), design.response(w));
            assert!((want.re - got.re).abs() < 1e-9 && (want.im - got.im).abs() < 1e-9);
        }
    }

    #[test]
    fn the_impulse_response_is_the_recurrence_of_the_biquad() {
        let (b, a) = ([0.8, -1.1, 0.5], [-1.5, 0.7]);
        let mut section = Svf::new(SvfDesign::from_biquad(b, a), 48_000.0, 0.01);
        let mut frames = [[0.0; 2]; 64];
        frames[0] = [1.0, -2.0];
        section.process(&mut frames);
        let (mut x, mut y) = ([0.0; 3], [0.0; 3]);
        for (n, frame) in frames.iter().enumerate() {
            x = [if n == 0 { 1.0 } else { 0.0 }, x[0], x[1]];
            let out = b[0] * x[0] + b[1] * x[1] + b[2] * x[2] - a[0] * y[0] - a[1] * y[1];
            y = [out, y[0], y[1]];
            assert!((frame[0] - out).abs() < 1e-12);
            assert!((frame[1] + 2.0 * out).abs() < 1e-12);
        }
    }

    #[test]
    fn what_a_section_holds_falls_by_so_much_in_the_time_it_says() {
        for (g, k) in [(0.01, 0.02), (0.05, 1.2), (0.3, 0.3), (0.02, 5.0), (0.9, 2.0)] {
            let design = SvfDesign { g, k, m: [0.0, 1.0, 1.0] };
            let mut section = Svf::new(design, 48_000.0, 0.01);
            let mut frames = vec![[0.0; 2]; 16];
            frames[0] = [1.0; 2];
            section.process(&mut frames);
            // Energy of the states, which swings within a turn by the pole's angle alone.
            let energy = |s: &Svf| (s.s1[0].powi(2) + s.s2[0].powi(2)).sqrt();
            let begun = energy(&section);
            let frames = design.decay(60.0).next_multiple_of(16);
            section.process(&mut vec![[0.0; 2]; frames]);
            let fell = 20.0 * (begun / energy(&section)).log10();
            // The energy of a pair swings within each turn; a real pair falls by its faster pole
            // first, so by more.
            let stated = 60.0 * frames as f64 / design.decay(60.0) as f64;
            assert!(fell > stated - 6.0 && (fell < stated + 6.0 || k >= 2.0), "{g} {k}: {fell} dB in {frames} frames");
        }
    }

    #[test]
    fn moving_a_section_makes_no_step_beyond_the_signal() {
        let at = |w: f64, m1: f64| SvfDesign { g: (w / 2.0).tan(), k: 0.2, m: [1.0, m1, 0.0] };
        let mut section = Svf::new(at(0.05, 0.0), 48_000.0, 0.01);
        let mut last = 0.0;
        let mut worst: f64 = 0.0;
        for block in 0..80 {
            if block == 20 {
                section.glide_to(at(0.05, 0.6));
            }
            if block == 40 {
                section.glide_to(at(0.4, -0.19));
            }
            let mut frames = [[0.0; 2]; 128];
            for (i, f) in frames.iter_mut().enumerate() {
                *f = [sin(TAU * 0.005 * (block * 128 + i) as f64); 2];
            }
            section.process(&mut frames);
            for f in frames {
                worst = worst.max((f[0] - last).abs());
                last = f[0];
            }
        }
        // The bell lifts the sine to at most 4 x; its own largest step is
        // 2 pi 0.005 = 0.0314 per sample, so 0.126 when lifted.
        assert!(worst < 0.14, "largest step {worst}");
    }
}
