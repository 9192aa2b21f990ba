//! The curve through the points, and what becomes of it.
//!
//! On an axis of octaves the points are joined by monotone cubics (Fritsch & Carlson,
//! *Monotone Piecewise Cubic Interpolation*, SIAM J. Numer. Anal. 1980), so that the curve
//! never swings past what was drawn; beyond the outer points it stays level. `contour` then
//! bends it: at one half it is that cubic; above, each span between two points gathers its
//! rise in the middle, until it is nearly a step; below, the curve is averaged over a window
//! that widens to an octave and a half.

use super::pull::Point;
use super::table::OPEN_HZ;
use crate::signal::math::{LN_10, exp, log, pow};
use crate::signal::place::Place;
use crate::unit::settings::{Record, Settings};

/// Entries of a tabulated curve to an octave.
const PER_OCTAVE: usize = 48;
/// Lowest frequency of the table in Hz, and its octaves; level beyond.
const LOW_HZ: f64 = 5.0;
const OCTAVES: usize = 14;
const ENTRIES: usize = OCTAVES * PER_OCTAVE + 1;
/// Half width in octaves of the widest averaging.
const SMOOTHEST: f64 = 0.75;
/// How hard the sharpest contour gathers a rise: an exponent.
const SHARPEST: f64 = 12.0;
/// Octaves over which protection sets in, outside the range.
const EDGE: f64 = 1.0 / 6.0;
/// Order of an end cut, a Butterworth magnitude: 24 dB/oct.
const END_ORDER: f64 = 4.0;

fn octave(hz: f64) -> f64 {
    log(hz / LOW_HZ) / std::f64::consts::LN_2
}

/// The gains of one place over frequency, ready to be looked up.
#[derive(Clone)]
struct Table {
    gain_db: Vec<f64>,
}

impl Table {
    /// Gain in dB at a frequency, straight lines between entries.
    fn at(&self, octave: f64) -> f64 {
        let x = (octave * PER_OCTAVE as f64).clamp(0.0, (ENTRIES - 1) as f64);
        let i = (x as usize).min(ENTRIES - 2);
        self.gain_db[i] + (self.gain_db[i + 1] - self.gain_db[i]) * (x - i as f64)
    }
}

/// Everything the unit does to the level of a frequency.
#[derive(Clone)]
pub struct DrawnCurve {
    /// By place; none for one without points.
    places: [Option<Table>; Place::ALL.len()],
    ends_hz: [f64; 2],
}

impl DrawnCurve {
    pub fn new(settings: &Settings) -> Self {
        let fixed = &settings.fixed;
        let free = free_of(settings);
        let places = Place::ALL.map(|place| {
            let points = points_of(settings.rows(), place);
            let scale = fixed.number("strength");
            let table =
                || through(&points, fixed.number("contour")).iter().zip(&free).map(|(g, f)| g * f * scale).collect();
            (!points.is_empty()).then(|| Table { gain_db: table() })
        });
        Self { places, ends_hz: [fixed.number("low_end_hz"), fixed.number("high_end_hz")] }
    }

    /// Factor of each part of the image at a frequency in Hz.
    pub fn gains(&self, hz: f64) -> [f64; Place::ALL.len()] {
        let at = octave(hz.max(0.1));
        let mut gains = [1.0; Place::ALL.len()];
        for (gain, table) in gains.iter_mut().zip(&self.places) {
            if let Some(table) = table {
                *gain = exp(table.at(at) * LN_10 / 20.0);
            }
        }
        gains[0] *= self.ends(hz);
        gains
    }

    fn ends(&self, hz: f64) -> f64 {
        let cut = |ratio: f64| 1.0 / (1.0 + pow(ratio, 2.0 * END_ORDER)).sqrt();
        let low = if self.ends_hz[0] > OPEN_HZ[0] { cut(self.ends_hz[0] / hz.max(0.1)) } else { 1.0 };
        let high = if self.ends_hz[1] < OPEN_HZ[1] { cut(hz / self.ends_hz[1]) } else { 1.0 };
        low * high
    }
}

/// Gains in dB at frequencies in Hz of the curve through points as drawn, before strength,
/// protection and end cuts.
pub fn drawn(points: &[Point], contour: f64, freqs: &[f64]) -> Vec<f64> {
    let mut points: Vec<_> = points.iter().map(|p| (octave(p.freq_hz), p.gain_db)).collect();
    put_in_order(&mut points);
    if points.is_empty() {
        return vec![0.0; freqs.len()];
    }
    let table = Table { gain_db: through(&points, contour) };
    freqs.iter().map(|hz| table.at(octave(*hz))).collect()
}

/// Points of one place as octave and dB, in order, of two at one frequency the later.
fn points_of(rows: &[Record], place: Place) -> Vec<(f64, f64)> {
    let own = rows.iter().filter(|row| Place::from_id(row.choice("place")) == place);
    let mut points: Vec<_> = own.map(|row| (octave(row.number("freq_hz")), row.number("gain_db"))).collect();
    put_in_order(&mut points);
    points
}

fn put_in_order(points: &mut Vec<(f64, f64)>) {
    points.sort_by(|a, b| a.0.total_cmp(&b.0));
    points.dedup_by(|later, earlier| {
        let same = later.0 - earlier.0 < 1e-6;
        if same {
            *earlier = *later;
        }
        same
    });
}

/// How free the curve is at each entry: 1, or 0 in a protected range, or the reverse.
fn free_of(settings: &Settings) -> Vec<f64> {
    let ranges: Vec<(f64, f64)> = settings.lists[1]
        .iter()
        .map(|r| (octave(r.number("low_hz")), octave(r.number("high_hz"))))
        .map(|(a, b)| (a.min(b), a.max(b)))
        .collect();
    let only = settings.fixed.is_on("protect_only");
    if ranges.is_empty() {
        return vec![1.0; ENTRIES];
    }
    (0..ENTRIES)
        .map(|i| {
            let at = i as f64 / PER_OCTAVE as f64;
            let away =
                ranges.iter().map(|(low, high)| (low - at).max(at - high).max(0.0)).fold(f64::INFINITY, f64::min);
            let outside = (away / EDGE).min(1.0);
            let eased = outside * outside * (3.0 - 2.0 * outside);
            if only { 1.0 - eased } else { eased }
        })
        .collect()
}

/// Gains in dB at every entry of the table.
fn through(points: &[(f64, f64)], contour: f64) -> Vec<f64> {
    let slopes = monotone_slopes(points);
    let sharp = pow(SHARPEST, (2.0 * contour - 1.0).max(0.0));
    let value = |i: usize| {
        let at = i as f64 / PER_OCTAVE as f64;
        let after = points.partition_point(|p| p.0 <= at);
        if after == 0 {
            return points[0].1;
        }
        let Some((b, a)) = points.get(after).zip(points.get(after - 1)) else { return points[after - 1].1 };
        let width = b.0 - a.0;
        let t = gathered((at - a.0) / width, sharp);
        hermite(a.1, b.1, slopes[after - 1] * width, slopes[after] * width, t)
    };
    let curve: Vec<f64> = (0..ENTRIES).map(value).collect();
    let half = (SMOOTHEST * (1.0 - 2.0 * contour).max(0.0) * PER_OCTAVE as f64).round() as usize;
    if half == 0 { curve } else { averaged(&averaged(&curve, half), half) }
}

/// `t` drawn toward the nearer end, the more the sharper.
fn gathered(t: f64, sharp: f64) -> f64 {
    if sharp <= 1.0 {
        return t;
    }
    let (a, b) = (pow(t, sharp), pow(1.0 - t, sharp));
    a / (a + b)
}

fn hermite(y0: f64, y1: f64, m0: f64, m1: f64, t: f64) -> f64 {
    let (t2, t3) = (t * t, t * t * t);
    y0 * (2.0 * t3 - 3.0 * t2 + 1.0) + m0 * (t3 - 2.0 * t2 + t) + y1 * (3.0 * t2 - 2.0 * t3) + m1 * (t3 - t2)
}

/// Slopes at the points that keep every span monotone: the harmonic mean of the slopes
/// beside it, weighted by the spans (Fritsch & Butland 1984), level at turns and at the ends.
fn monotone_slopes(points: &[(f64, f64)]) -> Vec<f64> {
    let mut slopes = vec![0.0; points.len()];
    for i in 1..points.len().saturating_sub(1) {
        let (before, after) = (points[i].0 - points[i - 1].0, points[i + 1].0 - points[i].0);
        let (s0, s1) = ((points[i].1 - points[i - 1].1) / before, (points[i + 1].1 - points[i].1) / after);
        if s0 * s1 > 0.0 {
            let (w0, w1) = (2.0 * after + before, after + 2.0 * before);
            slopes[i] = (w0 + w1) / (w0 / s0 + w1 / s1);
        }
    }
    slopes
}

/// Mean over `half` entries either side; the ends go on level.
fn averaged(curve: &[f64], half: usize) -> Vec<f64> {
    let last = curve.len() - 1;
    let near = |i: usize| (0..=2 * half).map(|k| curve[(i + k).saturating_sub(half).min(last)]).sum::<f64>();
    (0..curve.len()).map(|i| near(i) / (2 * half + 1) as f64).collect()
}
