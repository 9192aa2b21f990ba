//! The shape of a resonance, laid on the curves of what stays.

use super::scale::PER_OCTAVE;
use crate::signal::decibel::power_to_db;
use crate::signal::math::pow;
use crate::signal::solve::solve;

/// Half the width in steps of what a bell is laid on: 0.23 octaves.
pub(super) const REACH: usize = 22;
const WIDTH: usize = 2 * REACH + 1;
/// Qs that are tried.
const QS: [f64; 6] = [12.0, 18.0, 26.0, 38.0, 60.0, 110.0];
/// Gain of the bells tried; its shape hardly changes with it.
const GAIN_DB: f64 = 15.0;

/// Bells of several Qs on a sloping ground, fitted by least squares.
pub(super) struct Bells {
    fits: Vec<Fit>,
}

struct Fit {
    /// The bell, 1, and the place in octaves, at each step.
    columns: [[f64; WIDTH]; 3],
    /// What each step brings to the three.
    inverse: [[f64; WIDTH]; 3],
}

/// The bell that fits best at one step.
#[derive(Clone)]
pub(super) struct Laid {
    /// Its Q.
    pub q: f64,
    /// Its gain in dB on each of the curves.
    pub gains_db: Vec<f64>,
}

impl Bells {
    pub fn new() -> Self {
        Self { fits: QS.iter().map(|q| Fit::new(*q)).collect() }
    }

    /// Lays the bells on several curves around one step, which must be [`REACH`] from their
    /// ends. One Q serves all of them: that with the least error.
    pub fn lay(&self, curves: &[Vec<f64>], step: usize) -> Laid {
        let parts: Vec<&[f64]> = curves.iter().map(|c| &c[step - REACH..=step + REACH]).collect();
        let tried = self.fits.iter().map(|fit| parts.iter().map(|part| fit.lay(part)).collect::<Vec<_>>());
        let error = |laid: &Vec<(f64, f64)>| laid.iter().map(|(_, error)| error).sum::<f64>();
        let best = tried.zip(QS).min_by(|a, b| error(&a.0).total_cmp(&error(&b.0)));
        let (laid, q) = best.unwrap_or_default();
        Laid { q, gains_db: laid.into_iter().map(|(gain, _)| gain).collect() }
    }
}

impl Fit {
    fn new(q: f64) -> Self {
        let octaves: [f64; WIDTH] = std::array::from_fn(|i| (i as f64 - REACH as f64) / PER_OCTAVE);
        let columns = [octaves.map(|u| bell_db(u, q) / GAIN_DB), [1.0; WIDTH], octaves];
        let dot = |a: &[f64; WIDTH], b: &[f64; WIDTH]| a.iter().zip(b).map(|(x, y)| x * y).sum::<f64>();
        let normal: Vec<Vec<f64>> = columns.iter().map(|a| columns.iter().map(|b| dot(a, b)).collect()).collect();
        let mut inverse = [[0.0; WIDTH]; 3];
        for i in 0..WIDTH {
            let one: Vec<f64> = columns.iter().map(|c| c[i]).collect();
            // Three different shapes: the system is never singular.
            for (row, x) in inverse.iter_mut().zip(solve(&normal, &one).unwrap_or_default()) {
                row[i] = x;
            }
        }
        Self { columns, inverse }
    }

    /// Gain of the bell and squared error, in dB.
    fn lay(&self, part: &[f64]) -> (f64, f64) {
        let [bell, ground, slope] =
            self.inverse.each_ref().map(|row| row.iter().zip(part).map(|(w, y)| w * y).sum::<f64>());
        let [a, b, c] = &self.columns;
        let error = (0..WIDTH).map(|i| part[i] - bell * a[i] - ground * b[i] - slope * c[i]).map(|e| e * e).sum();
        (bell, error)
    }
}

/// Gain in dB of an analog bell, so many octaves from its centre.
fn bell_db(octaves: f64, q: f64) -> f64 {
    let (a, w) = (pow(10.0, GAIN_DB / 40.0), pow(2.0, octaves));
    let real = (1.0 - w * w) * (1.0 - w * w);
    let part = |k: f64| real + (w * k / q) * (w * k / q);
    power_to_db(part(a) / part(1.0 / a))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_bell_on_a_slope_is_found_with_its_gain_and_q() {
        for (q, gain_db) in [(18.0, 9.0), (38.0, 15.0), (60.0, 20.0)] {
            let at = |i: usize| (i as f64 - 100.0) / PER_OCTAVE;
            let curve: Vec<f64> =
                (0..200).map(|i| gain_db * bell_db(at(i), q) / GAIN_DB - 7.0 + 12.0 * at(i)).collect();
            let laid = Bells::new().lay(&[curve.clone(), curve], 100);
            assert!((laid.q - q).abs() < 1e-9, "{} for {q}", laid.q);
            assert!(laid.gains_db.iter().all(|gain| (gain - gain_db).abs() < 1e-6), "{:?}", laid.gains_db);
        }
    }

    #[test]
    fn the_bell_tried_is_half_its_gain_at_the_edges_of_its_bandwidth() {
        // By the definition of Q for bells: the edges lie f / Q apart.
        for q in [12.0, 40.0] {
            let edge = (1.0_f64 / (2.0 * q)).asinh() / core::f64::consts::LN_2;
            assert!((bell_db(edge, q) - GAIN_DB / 2.0).abs() < 0.01, "{}", bell_db(edge, q));
            assert!((bell_db(0.0, q) - GAIN_DB).abs() < 1e-9);
        }
    }
}
