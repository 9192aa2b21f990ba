//! The last fraction of a decibel near half the rate, for a whole equaliser.
//!
//! Matched sections ([`super::matched`]) follow the analog curve exactly at low
//! frequencies and stray by up to a few decibels near half the rate. The stray
//! of *all* bands together is one smooth curve. Its logarithm is fitted by a
//! short cosine series, `ln |C(w)| = c0 + 2 sum c_n cos(n w)`, which is linear
//! least squares with a fixed matrix, and a cosine series of the log magnitude
//! is the cepstrum of a minimum-phase filter (Oppenheim & Schafer,
//! *Discrete-Time Signal Processing*, ch. 13), whose taps follow by
//!
//! ```text
//! h[0] = exp(c0)      h[n] = sum_{k=1..n} (k / n) 2 c_k h[n - k]
//! ```
//!
//! so the correction adds no latency, costs one short FIR however many bands
//! there are, and needs no iteration. Limits: a shape narrower than about a
//! thirtieth of the band cannot be fitted; none occurs, since narrow bands are
//! already matched by their own poles.

use std::sync::OnceLock;

use super::analog::AnalogSection;
use super::svf::SvfDesign;
use crate::signal::math::{LN_10, PI, cos, exp, log};

/// Taps of the correction filter.
pub const TAPS: usize = 32;
/// Cosine terms of the fit, c0 included.
const TERMS: usize = 20;
/// Points of the fit, spread evenly from 0 to half the rate.
const POINTS: usize = 128;
/// Up to here (share of half the rate) the fit counts fully: 18 kHz at
/// 44.1 kHz is 0.816. Above it the stray may be anything, which is what lets a
/// short series fit the rest well.
const FULL_WEIGHT_TO: f64 = 0.84;
/// Weight at half the rate itself; chosen as the smallest for which the fit
/// stays tame there (below 3 dB of excursion over all bells of the tests).
const END_WEIGHT: f64 = 0.002;
/// Attenuation in dB from which the stray is faded out of the fit, and where
/// it no longer counts: nobody hears an error 90 dB down, and it would bend
/// the rest of the curve.
const DEEP_DB: [f64; 2] = [90.0, 150.0];
/// Series terms below this (in nepers; 2e-5 is 0.0002 dB) are left out, so that
/// an equaliser that works at low frequencies only runs without a correction.
const NEGLIGIBLE: f64 = 2e-5;

/// What one band promises and what its sections give, at the points of the
/// fit: natural logarithms of squared magnitude. Kept per band, so that moving
/// one band of many costs one band.
#[derive(Clone)]
pub struct ErrorCurve {
    analog_ln: [f64; POINTS],
    digital_ln: [f64; POINTS],
}

impl ErrorCurve {
    /// Of a chain of analog sections and the digital ones that stand for them.
    #[must_use]
    pub fn of(analog: &[AnalogSection], digital: &[SvfDesign], rate: f64) -> Self {
        let ln = |power: f64| log(power.max(1e-60));
        let mut curve = Self { analog_ln: [0.0; POINTS], digital_ln: [0.0; POINTS] };
        if analog.is_empty() {
            return curve;
        }
        for j in 0..POINTS {
            let at = fraction(j);
            curve.analog_ln[j] = ln(analog.iter().map(|s| s.response(at * rate / 2.0).norm_sqr()).product());
            curve.digital_ln[j] = ln(digital.iter().map(|s| s.response(at * PI).norm_sqr()).product());
        }
        curve
    }
}

/// Taps of the minimum-phase filter that turns the digital response of all
/// bands together into the analog one. Exactly [`identity`] where there is
/// nothing worth correcting.
pub fn fit<'a>(curves: impl Iterator<Item = &'a ErrorCurve>) -> [f64; TAPS] {
    let mut analog = [0.0; POINTS];
    let mut stray = [0.0; POINTS];
    for curve in curves {
        for j in 0..POINTS {
            analog[j] += curve.analog_ln[j];
            stray[j] += curve.analog_ln[j] - curve.digital_ln[j];
        }
    }
    let cepstrum = series(|j| 0.5 * stray[j] * fade(analog[j]));
    if cepstrum.iter().all(|c| c.abs() < NEGLIGIBLE) {
        return identity();
    }
    minimum_phase(&cepstrum)
}

/// Taps of the minimum-phase filter with this power at each share of half the rate; for smooth
/// curves that do not go deeper than some 60 dB.
pub fn of_power(power: impl Fn(f64) -> f64) -> [f64; TAPS] {
    minimum_phase(&series(|j| 0.5 * log(power(fraction(j)).max(1e-6))))
}

/// The cosine series nearest to a curve in nepers at the points of the fit.
fn series(nepers: impl Fn(usize) -> f64) -> [f64; TERMS] {
    let mut cepstrum = [0.0; TERMS];
    for (j, column) in solver().iter().enumerate() {
        let nepers = nepers(j);
        for (c, s) in cepstrum.iter_mut().zip(column) {
            *c += s * nepers;
        }
    }
    cepstrum
}

/// The filter that changes nothing.
#[must_use]
pub fn identity() -> [f64; TAPS] {
    let mut taps = [0.0; TAPS];
    taps[0] = 1.0;
    taps
}

fn fraction(j: usize) -> f64 {
    (j as f64 + 0.5) / POINTS as f64
}

/// 1 where the promise can be heard, 0 deep in a stop band.
fn fade(analog_ln: f64) -> f64 {
    let depth_db = -10.0 / LN_10 * analog_ln;
    ((DEEP_DB[1] - depth_db) / (DEEP_DB[1] - DEEP_DB[0])).clamp(0.0, 1.0)
}

fn minimum_phase(cepstrum: &[f64; TERMS]) -> [f64; TAPS] {
    let mut taps = [0.0; TAPS];
    taps[0] = exp(cepstrum[0]);
    for n in 1..TAPS {
        let mut sum = 0.0;
        for k in 1..=n.min(TERMS - 1) {
            sum += k as f64 * 2.0 * cepstrum[k] * taps[n - k];
        }
        taps[n] = sum / n as f64;
    }
    taps
}

/// Column `j` holds what one neper of stray at point `j` adds to each cosine
/// term: the weighted least-squares solution, computed once.
fn solver() -> &'static Vec<[f64; TERMS]> {
    static SOLVER: OnceLock<Vec<[f64; TERMS]>> = OnceLock::new();
    SOLVER.get_or_init(|| {
        let basis: Vec<[f64; TERMS]> = (0..POINTS).map(basis_at).collect();
        let weights: Vec<f64> = (0..POINTS).map(|j| weight(fraction(j))).collect();
        let mut normal = [[0.0; TERMS]; TERMS];
        for (row, w) in basis.iter().zip(&weights) {
            for a in 0..TERMS {
                for b in 0..TERMS {
                    normal[a][b] += w * row[a] * row[b];
                }
            }
        }
        for (n, row) in normal.iter_mut().enumerate() {
            // A trace of ridge, growing with order, keeps unneeded terms small.
            row[n] += 1e-7 * (1.0 + (n * n) as f64);
        }
        let factor = cholesky(normal);
        basis.iter().zip(&weights).map(|(row, w)| solve(&factor, row.map(|x| x * w))).collect()
    })
}

fn basis_at(j: usize) -> [f64; TERMS] {
    let mut row = [1.0; TERMS];
    for (n, value) in row.iter_mut().enumerate().skip(1) {
        *value = 2.0 * cos(n as f64 * PI * fraction(j));
    }
    row
}

fn weight(fraction: f64) -> f64 {
    if fraction <= FULL_WEIGHT_TO {
        return 1.0;
    }
    let t = (fraction - FULL_WEIGHT_TO) / (1.0 - FULL_WEIGHT_TO);
    exp(log(END_WEIGHT) * t.min(1.0))
}

/// Lower triangle `L` of a positive definite matrix `L L^T`.
fn cholesky(m: [[f64; TERMS]; TERMS]) -> [[f64; TERMS]; TERMS] {
    let mut l = [[0.0; TERMS]; TERMS];
    for i in 0..TERMS {
        for j in 0..=i {
            let dot: f64 = (0..j).map(|k| l[i][k] * l[j][k]).sum();
            l[i][j] = if i == j { (m[i][i] - dot).sqrt() } else { (m[i][j] - dot) / l[j][j] };
        }
    }
    l
}

fn solve(l: &[[f64; TERMS]; TERMS], rhs: [f64; TERMS]) -> [f64; TERMS] {
    let mut y = [0.0; TERMS];
    for i in 0..TERMS {
        let dot: f64 = (0..i).map(|k| l[i][k] * y[k]).sum();
        y[i] = (rhs[i] - dot) / l[i][i];
    }
    let mut x = [0.0; TERMS];
    for i in (0..TERMS).rev() {
        let dot: f64 = (i + 1..TERMS).map(|k| l[k][i] * x[k]).sum();
        x[i] = (y[i] - dot) / l[i][i];
    }
    x
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::signal::math::Complex;

    /// A curve whose stray is `stray_db` at each fraction of half the rate.
    fn curve(stray_db: impl Fn(f64) -> f64) -> ErrorCurve {
        let mut curve = ErrorCurve { analog_ln: [0.0; POINTS], digital_ln: [0.0; POINTS] };
        for j in 0..POINTS {
            curve.digital_ln[j] = -stray_db(fraction(j)) * LN_10 / 10.0;
        }
        curve
    }

    #[test]
    fn no_stray_gives_the_identity() {
        assert_eq!(fit([curve(|_| 0.0)].iter()), identity());
    }

    #[test]
    fn a_smooth_stray_is_reproduced_by_the_taps() {
        // 4 dB growing with the square of frequency, shared by two bands.
        let target_db = |at: f64| 4.0 * at * at;
        let taps = fit([curve(|at| 0.25 * target_db(at)), curve(|at| 0.75 * target_db(at))].iter());
        for i in 0..84 {
            let at = f64::from(i) / 100.0;
            let mut h = Complex::new(0.0, 0.0);
            for (n, t) in taps.iter().enumerate() {
                h = h.plus(Complex::from_angle(-PI * at * n as f64).scale(*t));
            }
            let error_db = 10.0 * h.norm_sqr().log10() - target_db(at);
            assert!(error_db.abs() < 0.01, "{error_db} dB at {at}");
        }
    }
}
