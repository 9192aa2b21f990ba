//! Antiderivative antialiasing: a waveshaper without memory, worked on as if the line between
//! two samples were shaped and then averaged.
//!
//! First order (Parker, Zavalishin, Le Bivic, *Reducing the Aliasing of Nonlinear Waveshaping
//! Using Continuous-Time Convolution*, DAFx 2016, eq. 10):
//!
//! ```text
//! y[n] = (F(x[n]) - F(x[n-1])) / (x[n] - x[n-1])      F the antiderivative of the shape f
//! y[n] = f((x[n] + x[n-1]) / 2)                       where both are too near each other
//! ```
//!
//! It delays by half a sample and softens the top as the mean of two samples does (-1.25 dB at a
//! quarter of the rate), so that it belongs inside oversampling, where both vanish.

use super::math::{exp, log};

/// Inputs nearer to each other than this are taken as one: below it the difference of the
/// antiderivatives loses more than the middle point does (both about 1e-10 for a smooth shape).
pub const NEAR: f64 = 1e-5;

/// One channel of a shaper.
#[derive(Clone, Copy, Debug, Default)]
pub struct Shaper {
    last: f64,
    last_integral: f64,
}

impl Shaper {
    /// At rest on zero, for a shape whose antiderivative is `integral_of_zero` there.
    #[must_use]
    pub const fn new(integral_of_zero: f64) -> Self {
        Self { last: 0.0, last_integral: integral_of_zero }
    }

    /// The next output for a shape and its antiderivative.
    #[inline]
    pub fn next(&mut self, x: f64, shape: impl Fn(f64) -> f64, integral: impl Fn(f64) -> f64) -> f64 {
        let here = integral(x);
        let run = x - self.last;
        let y = if run.abs() < NEAR { shape(0.5 * (x + self.last)) } else { (here - self.last_integral) / run };
        (self.last, self.last_integral) = (x, here);
        y
    }
}

/// Hyperbolic tangent, the softest of limits.
#[inline]
#[must_use]
pub fn tanh(x: f64) -> f64 {
    // Of the magnitude, so that the exponential never overflows.
    let e = exp(-2.0 * x.abs());
    let t = (1.0 - e) / (1.0 + e);
    if x < 0.0 { -t } else { t }
}

/// Its antiderivative, `ln cosh x`.
#[inline]
#[must_use]
pub fn ln_cosh(x: f64) -> f64 {
    x.abs() + log(0.5 + 0.5 * exp(-2.0 * x.abs()))
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::signal::math::{TAU, cos, sin};

    /// Level of the strongest line under 15 kHz that is no harmonic, in dB against full scale.
    fn alias_db(out: &[f64], periods: usize) -> f64 {
        let len = out.len();
        let bin = |k: usize| {
            let (mut re, mut im) = (0.0, 0.0);
            for (n, x) in out.iter().enumerate() {
                let angle = TAU * ((k * n) % len) as f64 / len as f64;
                re += x * cos(angle);
                im += x * sin(angle);
            }
            2.0 / len as f64 * (re * re + im * im).sqrt()
        };
        let strays = (1..len * 15 / 48).filter(|k| k % periods != 0);
        20.0 * strays.map(bin).fold(0.0, f64::max).log10()
    }

    /// A loud 5 kHz tone (a whole number of periods in 2048 frames at 48 kHz) through tanh.
    fn shaped(clever: bool) -> Vec<f64> {
        let (mut shaper, len, periods) = (Shaper::new(ln_cosh(0.0)), 2048, 213);
        let tone = |n: usize| 4.0 * sin(TAU * ((periods * n) % len) as f64 / len as f64);
        let out: Vec<f64> =
            (0..2 * len).map(|n| if clever { shaper.next(tone(n), tanh, ln_cosh) } else { tanh(tone(n)) }).collect();
        out[len..].to_vec()
    }

    #[test]
    fn what_a_loud_tone_folds_back_to_where_it_is_heard_falls_by_the_mean_over_a_sample() {
        // What lands under 15 kHz comes from above 33 kHz, where the mean over one sample,
        // sin(pi f / rate) / (pi f / rate), takes 8.6 dB or more.
        let (plain, clever) = (alias_db(&shaped(false), 213), alias_db(&shaped(true), 213));
        assert!(clever < plain - 8.0, "{plain:.1} dB without and {clever:.1} dB with");
    }

    #[test]
    fn a_steady_value_comes_out_as_its_shape_and_a_slow_one_nearly() {
        let mut shaper = Shaper::new(0.0);
        for _ in 0..3 {
            shaper.next(0.7, tanh, ln_cosh);
        }
        assert!((shaper.next(0.7, tanh, ln_cosh) - 0.7f64.tanh()).abs() < 1e-12);
        for n in 0..2000 {
            let x = 2.0 * sin(0.001 * f64::from(n));
            let y = shaper.next(x, tanh, ln_cosh);
            assert!(n == 0 || (y - x.tanh()).abs() < 2e-3, "{y} for {x}");
        }
    }

    #[test]
    fn near_and_far_inputs_join_without_a_step() {
        // Either side of the border between the two formulas.
        for x in [0.0, 0.3, -2.0, 5.0] {
            let of = |run: f64| {
                let mut shaper = Shaper::new(0.0);
                shaper.next(x, tanh, ln_cosh);
                shaper.next(x + run, tanh, ln_cosh)
            };
            assert!((of(0.99 * NEAR) - of(1.01 * NEAR)).abs() < 1e-6, "at {x}");
        }
    }

    #[test]
    fn tanh_and_its_integral_are_those_of_the_textbook_far_out_as_well() {
        for x in [-800.0, -3.0, -1e-9, 0.0, 0.5, 2.0, 800.0f64] {
            assert!((tanh(x) - x.tanh()).abs() < 1e-15);
            if x.abs() < 300.0 {
                assert!((ln_cosh(x) - x.cosh().ln()).abs() < 1e-12);
            }
            assert!(ln_cosh(x).is_finite());
        }
    }
}
