//! Transcendental functions that give the same bits on every machine.
//!
//! `f64::sin` and its kin call the platform's maths library, which differs
//! between native builds and WebAssembly in the last place. The `libm` crate is
//! plain Rust and does not. Square root, floor and absolute value are exact by
//! IEEE 754 and may be used from the standard library.

pub use core::f64::consts::{LN_10, PI, SQRT_2, TAU};
pub use libm::{asinh, atan2, cos, cosh, exp, log, pow, sin, sinh, tan};

/// Magnitudes below this are taken as zero by recursive filters at the end of
/// every block. -400 dBFS is far below any converter and far above the
/// denormal range (1e-308), where some processors slow down a hundredfold.
pub const SILENCE: f64 = 1e-20;

/// Adding it to a number rounds that to a whole one, which then stands in the lowest bits of the
/// sum; subtracting it gives the whole number (3 * 2^51).
pub const ROUND: f64 = 6_755_399_441_055_744.0;

/// `x`, or exactly zero when it is too small to matter (see [`SILENCE`]).
#[inline]
#[must_use]
pub fn flush(x: f64) -> f64 {
    if x.abs() < SILENCE { 0.0 } else { x }
}

/// A complex number for filter responses; only what designs need.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Complex {
    /// Real part.
    pub re: f64,
    /// Imaginary part.
    pub im: f64,
}

impl Complex {
    /// The number 1.
    pub const ONE: Self = Self { re: 1.0, im: 0.0 };

    /// `re + j im`.
    #[must_use]
    pub const fn new(re: f64, im: f64) -> Self {
        Self { re, im }
    }

    /// `e^(j angle)`, `angle` in radians.
    #[must_use]
    pub fn from_angle(angle: f64) -> Self {
        Self::new(cos(angle), sin(angle))
    }

    /// Product.
    #[must_use]
    pub fn times(self, o: Self) -> Self {
        Self::new(self.re * o.re - self.im * o.im, self.re * o.im + self.im * o.re)
    }

    /// Quotient; infinite or NaN where `o` is zero.
    #[must_use]
    pub fn over(self, o: Self) -> Self {
        let d = o.norm_sqr();
        Self::new((self.re * o.re + self.im * o.im) / d, (self.im * o.re - self.re * o.im) / d)
    }

    /// Sum.
    #[must_use]
    pub fn plus(self, o: Self) -> Self {
        Self::new(self.re + o.re, self.im + o.im)
    }

    /// Multiplied by a real number.
    #[must_use]
    pub fn scale(self, k: f64) -> Self {
        Self::new(self.re * k, self.im * k)
    }

    /// Squared magnitude.
    #[must_use]
    pub fn norm_sqr(self) -> f64 {
        self.re * self.re + self.im * self.im
    }

    /// Phase in degrees, -180..180.
    #[must_use]
    pub fn phase_deg(self) -> f64 {
        atan2(self.im, self.re) * 180.0 / PI
    }
}
