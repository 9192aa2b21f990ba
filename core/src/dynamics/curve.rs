//! The static law: reduction against level.
//!
//! Giannoulis, Massberg & Reiss, *Digital Dynamic Range Compressor Design*
//! (JAES 2012), eq. 4: hard above the knee, nothing below it, quadratic within.

use crate::signal::decibel::db_to_gain;

/// A compression curve.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct StaticCurve {
    /// Level in dBFS at the middle of the knee.
    pub threshold_db: f64,
    /// Share of the excess that is taken away, `1 - 1/ratio`: 0 for 1:1, 1 for a limiter.
    pub slope: f64,
    /// Width of the knee in dB, 0 for a hard one.
    pub knee_db: f64,
}

impl StaticCurve {
    /// From a ratio of 1 to infinity.
    #[must_use]
    pub fn new(threshold_db: f64, ratio: f64, knee_db: f64) -> Self {
        Self { threshold_db, slope: 1.0 - 1.0 / ratio, knee_db }
    }

    /// Reduction in dB (>= 0) for a steady `level_db`.
    #[inline]
    #[must_use]
    pub fn reduction_db(&self, level_db: f64) -> f64 {
        let over = level_db - self.threshold_db;
        let half = self.knee_db / 2.0;
        if over <= -half {
            0.0
        } else if over < half {
            let into = over + half;
            self.slope * into * into / (2.0 * self.knee_db)
        } else {
            self.slope * over
        }
    }

    /// The power below which nothing is ever reduced; lets the audio loop skip the
    /// logarithms of a quiet block.
    #[must_use]
    pub fn floor_power(&self) -> f64 {
        // A hair lower, so that rounding never skips what the law would reduce.
        db_to_gain(2.0 * (self.threshold_db - self.knee_db / 2.0 - 1e-9))
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::signal::decibel::power_to_db;

    #[test]
    fn the_textbook_figures_come_out() {
        let hard = StaticCurve::new(-20.0, 2.0, 0.0);
        assert!((hard.reduction_db(0.0) - 10.0).abs() < 1e-12);
        assert_eq!(hard.reduction_db(-20.0), 0.0);
        let wall = StaticCurve::new(-20.0, f64::INFINITY, 0.0);
        assert!((wall.reduction_db(-3.0) - 17.0).abs() < 1e-12);
        // Quadratic knee of 10 dB at 4:1: slope 0.75, at the threshold 0.75 * 25 / 20.
        assert!((StaticCurve::new(-20.0, 4.0, 10.0).reduction_db(-20.0) - 0.9375).abs() < 1e-12);
    }

    #[test]
    fn the_knee_joins_both_sides_without_a_step_or_a_bend() {
        let c = StaticCurve::new(-24.0, 3.0, 12.0);
        for edge in [-30.0, -18.0] {
            let h = 1e-5;
            let (a, b, d) = (c.reduction_db(edge - h), c.reduction_db(edge), c.reduction_db(edge + h));
            assert!((d - a).abs() < 1e-4);
            assert!(((d - b) - (b - a)).abs() / h < 1e-4);
        }
    }

    #[test]
    fn below_the_floor_the_law_takes_nothing() {
        let c = StaticCurve::new(-24.0, 3.0, 12.0);
        let floor_db = power_to_db(c.floor_power());
        assert_eq!(c.reduction_db(floor_db), 0.0);
        assert!(c.reduction_db(floor_db + 1e-3) > 0.0);
    }
}
