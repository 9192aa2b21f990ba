//! The few bands of a surgical EQ that come nearest to a curve.
//!
//! Bands are placed one after another where most is left over, then all are moved together
//! by damped least squares (Levenberg 1944, Marquardt 1963) over frequency, gain and width on
//! logarithmic scales. The outermost may be shelves; of the ways to have shelves or none the
//! best is kept. Gains are those of the analog prototypes, which the equaliser follows.

use crate::rack::UnitSpec;
use crate::unit::value::WrittenRow;
use serde::Serialize;

use crate::filter::AnalogSection;
use crate::filter::analog::{self, Side};
use crate::rack::proposed::unit_of_rows;
use crate::signal::decibel::power_to_db;
use crate::signal::math::{exp, log};
use crate::signal::solve::solve;
use crate::unit::Param;
use crate::unit::eq::surgical::KIND as SURGICAL;
use crate::unit::proposed::values;

/// The parameters of a band.
const BAND: &[Param] = SURGICAL.tables.lists[0].params;

/// Bounds of what is tried: Hz, dB, Q.
const HZ: [f64; 2] = [20.0, 18_000.0];
const GAIN_DB: [f64; 2] = [-24.0, 24.0];
const Q: [f64; 2] = [0.25, 12.0];
/// Rounds of least squares after each band and at the end.
const ROUNDS: usize = 12;
const LAST_ROUNDS: usize = 40;
/// Step of the numeric slopes.
const STEP: f64 = 1e-4;

/// The bands and how near they come.
#[derive(Clone, Debug, PartialEq, Serialize)]
#[cfg_attr(feature = "types", derive(ts_rs::TS))]
pub struct Fit {
    /// Bands of a surgical EQ as in a rack file, by frequency.
    #[cfg_attr(feature = "types", ts(type = "Params[]"))]
    pub bands: Vec<WrittenRow>,
    /// Largest error in dB at any of the frequencies.
    pub worst_db: f64,
    /// Root of the mean square error in dB.
    pub rms_db: f64,
}

impl Fit {
    /// The surgical EQ of these bands.
    #[must_use]
    pub fn unit(&self) -> UnitSpec {
        unit_of_rows(&SURGICAL, &self.bands)
    }
}

#[derive(Clone, Copy, PartialEq)]
enum Shape {
    Bell,
    Low,
    High,
}

/// One band while it is being fitted: logarithms of Hz and Q, dB.
#[derive(Clone, Copy)]
struct FitBand {
    shape: Shape,
    at: [f64; 3],
}

impl FitBand {
    fn new(shape: Shape, hz: f64, gain_db: f64, q: f64) -> Self {
        Self { shape, at: [log(hz), gain_db, log(q)] }
    }

    fn hz(&self) -> f64 {
        exp(self.at[0])
    }

    fn q(&self) -> f64 {
        exp(self.at[2])
    }

    fn clamp(&mut self) {
        self.at[0] = self.at[0].clamp(log(HZ[0]), log(HZ[1]));
        self.at[1] = self.at[1].clamp(GAIN_DB[0], GAIN_DB[1]);
        // A shelf of a high Q swings; bells may be narrow.
        let most = if self.shape == Shape::Bell { Q[1] } else { 1.0 };
        self.at[2] = self.at[2].clamp(log(Q[0]), log(most));
    }

    fn section(&self) -> Option<AnalogSection> {
        let (hz, gain, q) = (self.hz(), self.at[1], self.q());
        match self.shape {
            Shape::Bell => Some(analog::bell(hz, gain, q)),
            Shape::Low => analog::shelf(Side::Low, hz, gain, q, 2).next(),
            Shape::High => analog::shelf(Side::High, hz, gain, q, 2).next(),
        }
    }

    /// Gains in dB.
    fn gains(&self, freqs: &[f64]) -> Vec<f64> {
        let Some(section) = self.section() else { return vec![0.0; freqs.len()] };
        freqs.iter().map(|hz| power_to_db(section.response(*hz).norm_sqr())).collect()
    }

    fn written(self) -> WrittenRow {
        let round = |x: f64, to: f64| (x / to).round() * to;
        let tidy = |x: f64| (x * 1000.0).round() / 1000.0;
        let shape = match self.shape {
            Shape::Bell => "bell",
            Shape::Low => "low-shelf",
            Shape::High => "high-shelf",
        };
        let hz = self.hz();
        let freq_hz = tidy(round(hz, if hz < 1000.0 { 0.1 } else { 1.0 }));
        values!(BAND, {"shape": shape, "freq_hz": freq_hz, "gain_db": tidy(round(self.at[1], 0.01)), "q": tidy(self.q())})
    }
}

/// The `count` bands that come nearest to `curve` (dB at frequencies in Hz).
#[must_use]
pub fn fit(hz: &[f64], curve: &[f64], count: usize) -> Fit {
    let starts: &[&[Shape]] = match count {
        0 => &[&[]],
        1 => &[&[], &[Shape::Low], &[Shape::High]],
        _ => &[&[], &[Shape::Low], &[Shape::High], &[Shape::Low, Shape::High]],
    };
    let fitted = starts.iter().map(|shelves| fit_with(hz, curve, count, shelves));
    let best = fitted.min_by(|a, b| squares(hz, curve, a).total_cmp(&squares(hz, curve, b))).unwrap_or_default();
    report(hz, curve, best)
}

fn report(hz: &[f64], curve: &[f64], mut bands: Vec<FitBand>) -> Fit {
    bands.sort_by(|a, b| a.at[0].total_cmp(&b.at[0]));
    let left = residual(hz, curve, &bands);
    let worst_db = left.iter().fold(0.0, |m: f64, e| m.max(e.abs()));
    let rms_db = (left.iter().map(|e| e * e).sum::<f64>() / left.len().max(1) as f64).sqrt();
    Fit { bands: bands.into_iter().map(FitBand::written).collect(), worst_db, rms_db }
}

fn fit_with(hz: &[f64], curve: &[f64], count: usize, shelves: &[Shape]) -> Vec<FitBand> {
    let edge = |shape: &Shape| match shape {
        Shape::Low => FitBand::new(Shape::Low, 150.0, curve.first().copied().unwrap_or(0.0), 0.7),
        _ => FitBand::new(Shape::High, 5000.0, curve.last().copied().unwrap_or(0.0), 0.7),
    };
    let mut bands: Vec<FitBand> = shelves.iter().map(edge).collect();
    improve(hz, curve, &mut bands, ROUNDS);
    while bands.len() < count {
        bands.push(bell_for(hz, &residual(hz, curve, &bands)));
        improve(hz, curve, &mut bands, ROUNDS);
    }
    improve(hz, curve, &mut bands, LAST_ROUNDS);
    bands
}

/// A bell over the hill or hollow that holds most of what is left.
fn bell_for(hz: &[f64], left: &[f64]) -> FitBand {
    let (mut best, mut from) = ((0.0, 0, 0), 0);
    for i in 1..=left.len() {
        if i == left.len() || left[i] * left[from] <= 0.0 {
            let size: f64 = left[from..i].iter().map(|e| e * e).sum();
            if size > best.0 {
                best = (size, from, i);
            }
            from = i;
        }
    }
    let (_, from, to) = best;
    let span = from..to.max(from + 1).min(left.len());
    let peak = span.clone().max_by(|a, b| left[*a].abs().total_cmp(&left[*b].abs())).unwrap_or(0);
    let octaves = (log(hz[span.end - 1] / hz[span.start]) / std::f64::consts::LN_2 / 2.0).max(0.2);
    FitBand::new(Shape::Bell, hz[peak], left[peak], 1.4 / octaves)
}

fn residual(hz: &[f64], curve: &[f64], bands: &[FitBand]) -> Vec<f64> {
    let mut left = curve.to_vec();
    for band in bands {
        left.iter_mut().zip(band.gains(hz)).for_each(|(e, gain)| *e -= gain);
    }
    left
}

fn squares(hz: &[f64], curve: &[f64], bands: &[FitBand]) -> f64 {
    residual(hz, curve, bands).iter().map(|e| e * e).sum()
}

/// Some rounds of damped least squares.
fn improve(hz: &[f64], curve: &[f64], bands: &mut Vec<FitBand>, rounds: usize) {
    if bands.is_empty() {
        return;
    }
    let (mut damping, mut best) = (1e-2, squares(hz, curve, bands));
    for _ in 0..rounds {
        let slopes: Vec<Vec<f64>> = bands.iter().flat_map(|band| slopes_of(band, hz)).collect();
        let left = residual(hz, curve, bands);
        let dot = |a: &[f64], b: &[f64]| a.iter().zip(b).map(|(x, y)| x * y).sum::<f64>();
        let mut normal: Vec<Vec<f64>> = slopes.iter().map(|a| slopes.iter().map(|b| dot(a, b)).collect()).collect();
        for (i, row) in normal.iter_mut().enumerate() {
            row[i] += damping * (row[i] + 1e-3);
        }
        let toward: Vec<f64> = slopes.iter().map(|slope| dot(slope, &left)).collect();
        let Some(by) = solve(&normal, &toward) else { return };
        let mut tried = bands.clone();
        for (k, band) in tried.iter_mut().enumerate() {
            (0..3).for_each(|i| band.at[i] += by[3 * k + i].clamp(-1.0, 1.0) * if i == 1 { 3.0 } else { 1.0 });
            band.clamp();
        }
        let now = squares(hz, curve, &tried);
        if now < best {
            (*bands, best) = (tried, now);
            damping = (damping * 0.3).max(1e-9);
        } else {
            damping = (damping * 4.0).min(1e6);
        }
    }
}

/// How the gains change with each of a band's three numbers.
fn slopes_of(band: &FitBand, hz: &[f64]) -> [Vec<f64>; 3] {
    std::array::from_fn(|i| {
        let mut moved = *band;
        moved.at[i] += STEP;
        moved.gains(hz).iter().zip(band.gains(hz)).map(|(b, a)| (b - a) / STEP).collect()
    })
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;
    use serde_json::json;

    fn freqs() -> Vec<f64> {
        (0..121).map(|i| 20.0 * 10f64.powf(f64::from(i) / 40.0)).collect()
    }

    #[test]
    fn a_curve_made_of_bands_is_found_again() {
        let made = [
            FitBand::new(Shape::Low, 120.0, 4.0, 0.7),
            FitBand::new(Shape::Bell, 800.0, -6.0, 2.0),
            FitBand::new(Shape::Bell, 3200.0, 3.0, 1.0),
        ];
        let hz = freqs();
        let curve: Vec<f64> = residual(&hz, &vec![0.0; hz.len()], &made).iter().map(|e| -e).collect();
        let found = fit(&hz, &curve, 3);
        assert!(found.worst_db < 0.05, "{found:?}");
        assert_eq!(json!(found.bands[0]["shape"]), "low-shelf");
        assert!((json!(found.bands[1]["freq_hz"]).as_f64().unwrap() - 800.0).abs() < 5.0, "{found:?}");
    }

    proptest! {
        #![proptest_config(ProptestConfig { cases: 24, ..ProptestConfig::default() })]

        #[test]
        fn more_bands_come_nearer_and_the_error_stated_is_the_error(
            gains in prop::collection::vec(-8.0f64..8.0, 6)
        ) {
            let hz = freqs();
            // A smooth curve through six gains, by cosines.
            let curve: Vec<f64> = (0..hz.len()).map(|i| {
                let x = i as f64 / 24.0001;
                let k = x as usize;
                let t = 0.5 - 0.5 * ((x - k as f64) * std::f64::consts::PI).cos();
                gains[k.min(5)] + (gains[(k + 1).min(5)] - gains[k.min(5)]) * t
            }).collect();
            let errors: Vec<f64> = [2, 4, 7].iter().map(|n| fit(&hz, &curve, *n).rms_db).collect();
            prop_assert!(errors[2] <= errors[0] + 0.02 && errors[1] <= errors[0] + 0.02, "{errors:?}");
            prop_assert!(errors[2] < 1.0, "{errors:?}");
        }
    }
}
