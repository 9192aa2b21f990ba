//! The difference of two sounds, as a curve that could be applied.

use crate::rack::UnitSpec;
use crate::unit::value::WrittenRow;
use serde::Serialize;

use crate::measure::third_octave::{bands_of, centre_of};
use crate::rack::proposed::unit_of_rows;
use crate::signal::math::{exp, log};
use crate::unit::eq::drawn::KIND as DRAWN;
use crate::unit::eq::drawn::pull::grid;
use crate::unit::proposed::{id, values};

/// A band this far under a sound's loudest, or under this level in dBFS, is noise: what
/// differs there says nothing.
const AUDIBLE_DB: f64 = 60.0;
const NOISE_DBFS: f64 = -100.0;
/// What an unknown band weighs against one that is known.
const UNKNOWN: f64 = 1e-3;
/// Most dB of a curve.
const MOST_DB: f64 = 24.0;

/// A curve over frequency.
#[derive(Clone, Debug, PartialEq, Serialize)]
#[cfg_attr(feature = "types", derive(ts_rs::TS), ts(rename = "Difference"))]
pub struct DifferenceCurve {
    /// Frequencies in Hz, in equal ratios.
    pub hz: Vec<f64>,
    /// Difference of the two levels in dB, as measured; none where either is noise.
    pub measured: Vec<Option<f64>>,
    /// The same, smoothed and without `level_db`.
    pub smooth: Vec<f64>,
    /// By how many dB the one is louder as a whole: the median of the difference.
    pub level_db: f64,
}

/// What leads from one spectrum to another: both levels in dBFS in as many equal bands per
/// decade (see [`crate::measure::third_octave`]). `smooth_oct` is the width in octaves of
/// the averaging (standard deviation of a Gaussian, 0 for none).
#[must_use]
pub fn difference(from: &[f64], to: &[f64], per_decade: usize, smooth_oct: f64) -> DifferenceCurve {
    let count = bands_of(per_decade).min(from.len()).min(to.len());
    let hz: Vec<f64> = (0..count).map(|i| centre_of(i, per_decade)).collect();
    let floor = |levels: &[f64]| (levels.iter().fold(f64::MIN, |m, l| m.max(*l)) - AUDIBLE_DB).max(NOISE_DBFS);
    let (from_floor, to_floor) = (floor(from), floor(to));
    let known = |i: usize| from[i] > from_floor && to[i] > to_floor;
    let measured: Vec<Option<f64>> = (0..count).map(|i| known(i).then(|| to[i] - from[i])).collect();
    let level_db = middle(measured.iter().flatten().copied().collect());
    let octaves = log(10.0) / log(2.0) / per_decade as f64;
    let smooth = (0..count).map(|i| smoothed(&measured, i, smooth_oct / octaves, level_db)).collect();
    DifferenceCurve { hz, measured, smooth, level_db }
}

/// The median: what is changed in one place only leaves the rest where it was.
fn middle(mut values: Vec<f64>) -> f64 {
    values.sort_by(f64::total_cmp);
    match values.len() {
        0 => 0.0,
        n => 0.5 * (values[(n - 1) / 2] + values[n / 2]),
    }
}

/// Gaussian mean round band `at`, `bands` wide; what is not known counts a little, as no
/// difference.
fn smoothed(measured: &[Option<f64>], at: usize, bands: f64, level_db: f64) -> f64 {
    let (mut sum, mut weight) = (0.0, UNKNOWN);
    for (i, db) in measured.iter().enumerate() {
        let away = i as f64 - at as f64;
        let w = if bands > 0.0 { exp(-0.5 * away * away / (bands * bands)) } else { f64::from(u8::from(i == at)) };
        if let Some(db) = db {
            sum += w * (db - level_db);
            weight += w;
        }
    }
    (sum / weight).clamp(-MOST_DB, MOST_DB)
}

impl DifferenceCurve {
    /// Gain in dB at a frequency in Hz, straight lines between bands, level beyond.
    #[must_use]
    pub fn at(&self, hz: f64) -> f64 {
        let after = self.hz.partition_point(|f| *f < hz);
        match (after.checked_sub(1), self.smooth.get(after)) {
            (None, first) => first.copied().unwrap_or(0.0),
            (Some(before), None) => self.smooth[before],
            (Some(before), Some(next)) => {
                let t = log(hz / self.hz[before]) / log(self.hz[after] / self.hz[before]);
                self.smooth[before] + (next - self.smooth[before]) * t
            }
        }
    }

    /// Parameters of a drawn EQ that follows it, held at every place of a grid.
    #[must_use]
    pub fn drawn(&self, grid_id: &str) -> UnitSpec {
        let hundredth = |x: f64| (x * 100.0).round() / 100.0;
        let inside = |hz: &f64| *hz >= self.hz[0] * 0.9 && *hz <= self.hz[self.hz.len() - 1] * 1.1;
        let points: Vec<WrittenRow> = grid(grid_id)
            .into_iter()
            .filter(inside)
            .map(|hz| values!(DRAWN.tables.lists[0].params, {"freq_hz": hz, "gain_db": hundredth(self.at(hz))}))
            .collect();
        let mut drawn = unit_of_rows(&DRAWN, &points);
        drawn.settings.fixed.choose(id!(DRAWN.tables.params, "grid"), grid_id);
        drawn
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::measure::third_octave::TWELFTHS;

    fn spectrum(shape: impl Fn(f64) -> f64) -> Vec<f64> {
        (0..bands_of(TWELFTHS)).map(|i| shape(centre_of(i, TWELFTHS))).collect()
    }

    #[test]
    fn a_tilt_between_two_sounds_is_found_and_their_levels_are_kept_apart() {
        let from = spectrum(|_| -40.0);
        let to = spectrum(|hz| -34.0 + 3.0 * (hz / 632.0).log10());
        let found = difference(&from, &to, TWELFTHS, 0.0);
        assert!((found.level_db - 6.0).abs() < 0.05, "{}", found.level_db);
        assert!((found.at(6324.0) - 3.0).abs() < 0.06 && (found.at(63.2) + 3.0).abs() < 0.06);
    }

    #[test]
    fn smoothing_is_a_gaussian_of_the_width_asked_for() {
        // A single band 12 dB up, smoothed over a sixth of an octave.
        let from = spectrum(|_| -40.0);
        let mut to = from.clone();
        to[60] += 12.0;
        let found = difference(&from, &to, TWELFTHS, 1.0 / 6.0);
        let sigma = (1.0 / 6.0) / (10f64.log2() / 40.0);
        let peak = 12.0 / (sigma * std::f64::consts::TAU.sqrt());
        assert!((found.smooth[60] - peak).abs() < 0.15, "{} {peak}", found.smooth[60]);
    }

    #[test]
    fn what_is_noise_in_either_says_nothing() {
        let from = spectrum(|hz| if hz > 8000.0 { -120.0 } else { -30.0 });
        let to = spectrum(|_| -30.0);
        let found = difference(&from, &to, TWELFTHS, 0.1);
        assert!(found.measured[bands_of(TWELFTHS) - 1].is_none());
        assert!(found.smooth.iter().all(|db| db.abs() < 1e-9));
    }

    #[test]
    fn the_drawn_eq_of_a_curve_has_its_gains_at_the_grid() {
        let to = spectrum(|hz| -40.0 + 4.0 * (-((hz / 1000.0).log2()).powi(2)).exp());
        let curve = difference(&spectrum(|_| -40.0), &to, TWELFTHS, 0.0);
        let drawn = curve.drawn("third");
        let points = drawn.settings.rows();
        let at_1k = points.iter().find(|p| p.number("freq_hz") == 1000.0).unwrap();
        assert!((at_1k.number("gain_db") + curve.level_db - 4.0).abs() < 0.02);
    }
}
