//! The curve through the points, and what becomes of it.
//!
//! On an axis of octaves the points are joined by monotone cubics (Fritsch & Carlson,
//! *Monotone Piecewise Cubic Interpolation*, SIAM J. Numer. Anal. 1980), so that the curve
//! never swings past what was drawn; beyond the outer points it stays level. `contour` then
//! bends it: at one half it is that cubic; above, each span between two points gathers its
//! rise in the middle, until it is nearly a step; below, the curve is averaged over a window
//! that widens to an octave and a half.

use super::table::{MAX_POINTS, OPEN_HZ};
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

/// A point of a curve.
#[derive(Clone, Copy, Debug, PartialEq, serde::Serialize, serde::Deserialize)]
pub struct Point {
    /// Frequency in Hz.
    pub freq_hz: f64,
    /// Gain in dB.
    pub gain_db: f64,
}

/// Gain in dB at a place of a tabulated curve, straight lines between entries.
fn look_up(table: &[f64], octave: f64) -> f64 {
    let x = (octave * PER_OCTAVE as f64).clamp(0.0, (ENTRIES - 1) as f64);
    let i = (x as usize).min(ENTRIES - 2);
    table[i] + (table[i + 1] - table[i]) * (x - i as f64)
}

/// Everything the unit does to the level of a frequency. Drawing it anew allocates nothing.
#[derive(Clone)]
pub struct DrawnCurve {
    /// By place: whether it has points, and its gains in dB.
    places: [(bool, Vec<f64>); Place::ALL.len()],
    ends_hz: [f64; 2],
    work: Workshop,
}

/// Room to work in.
#[derive(Clone)]
struct Workshop {
    /// Points of one place as octave and dB, and the slopes there.
    points: Vec<(f64, f64)>,
    slopes: Vec<f64>,
    /// How free the curve is at each entry: 1, or 0 in a protected range, or the reverse.
    free: Vec<f64>,
    /// A curve being averaged.
    curve: Vec<f64>,
}

impl Workshop {
    fn new() -> Self {
        Self {
            points: Vec::with_capacity(MAX_POINTS),
            slopes: Vec::with_capacity(MAX_POINTS),
            free: vec![1.0; ENTRIES],
            curve: vec![0.0; ENTRIES],
        }
    }
}

impl DrawnCurve {
    pub fn new(settings: &Settings) -> Self {
        let places = std::array::from_fn(|_| (false, vec![0.0; ENTRIES]));
        let mut curve = Self { places, ends_hz: OPEN_HZ, work: Workshop::new() };
        curve.draw(settings);
        curve
    }

    /// Takes other settings over.
    pub fn draw(&mut self, settings: &Settings) {
        let fixed = &settings.fixed;
        let (contour, strength) = (fixed.number("contour"), fixed.number("strength"));
        set_free(settings, &mut self.work.free);
        for (place, (has_points, table)) in Place::ALL.into_iter().zip(&mut self.places) {
            collect_points(settings.rows(), place, &mut self.work.points);
            *has_points = !self.work.points.is_empty();
            if *has_points {
                through(&mut self.work, contour, table);
                table.iter_mut().zip(&self.work.free).for_each(|(gain, free)| *gain *= free * strength);
            }
        }
        self.ends_hz = [fixed.number("low_end_hz"), fixed.number("high_end_hz")];
    }

    /// Takes another curve over, into the room there is.
    pub fn copy(&mut self, other: &Self) {
        for ((has_points, table), (others, from)) in self.places.iter_mut().zip(&other.places) {
            *has_points = *others;
            table.copy_from_slice(from);
        }
        self.ends_hz = other.ends_hz;
    }

    /// Whether it has points for other places than the whole image, which comes first.
    pub fn tells_parts_apart(&self) -> bool {
        self.places[1..].iter().any(|(has_points, _)| *has_points)
    }

    /// Factor of each part of the image at a frequency in Hz.
    pub fn gains(&self, hz: f64) -> [f64; Place::ALL.len()] {
        let at = octave(hz.max(0.1));
        let mut gains = [1.0; Place::ALL.len()];
        for (gain, (has_points, table)) in gains.iter_mut().zip(&self.places) {
            if *has_points {
                *gain = exp(look_up(table, at) * LN_10 / 20.0);
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
    let mut work = Workshop::new();
    work.points.extend(points.iter().map(|p| (octave(p.freq_hz), p.gain_db)));
    put_in_order(&mut work.points);
    if work.points.is_empty() {
        return vec![0.0; freqs.len()];
    }
    let mut table = vec![0.0; ENTRIES];
    through(&mut work, contour, &mut table);
    freqs.iter().map(|hz| look_up(&table, octave(*hz))).collect()
}

/// Points of one place as octave and dB, in order, of two at one frequency the later.
fn collect_points(rows: &[Record], place: Place, points: &mut Vec<(f64, f64)>) {
    let own = rows.iter().filter(|row| Place::from_id(row.choice("place")) == place);
    points.clear();
    points.extend(own.map(|row| (octave(row.number("freq_hz")), row.number("gain_db"))));
    put_in_order(points);
}

/// By frequency; those at one frequency stay in the order of the rows (sorted by insertion:
/// they nearly are in order, and a stable sort of the library's would allocate).
fn put_in_order(points: &mut Vec<(f64, f64)>) {
    for end in 1..points.len() {
        let at = points[..end].partition_point(|p| p.0 <= points[end].0);
        points[at..=end].rotate_right(1);
    }
    points.dedup_by(|later, earlier| {
        let same = later.0 - earlier.0 < 1e-6;
        if same {
            *earlier = *later;
        }
        same
    });
}

/// Finds how free the curve is at each entry.
fn set_free(settings: &Settings, free: &mut [f64]) {
    let ranges = settings.lists[1].iter().map(|r| {
        let (a, b) = (octave(r.number("low_hz")), octave(r.number("high_hz")));
        (a.min(b), a.max(b))
    });
    if settings.lists[1].is_empty() {
        free.fill(1.0);
        return;
    }
    let only = settings.fixed.is_on("protect_only");
    for (i, free) in free.iter_mut().enumerate() {
        let at = i as f64 / PER_OCTAVE as f64;
        let away = ranges.clone().map(|(low, high)| (low - at).max(at - high).max(0.0)).fold(f64::INFINITY, f64::min);
        let outside = (away / EDGE).min(1.0);
        let eased = outside * outside * (3.0 - 2.0 * outside);
        *free = if only { 1.0 - eased } else { eased };
    }
}

/// Gains in dB at every entry of the table, through the points of the workshop (at least one).
fn through(work: &mut Workshop, contour: f64, table: &mut [f64]) {
    let Workshop { points, slopes, curve, .. } = work;
    set_monotone_slopes(points, slopes);
    let sharp = pow(SHARPEST, (2.0 * contour - 1.0).max(0.0));
    for (i, gain) in table.iter_mut().enumerate() {
        let at = i as f64 / PER_OCTAVE as f64;
        let after = points.partition_point(|p| p.0 <= at);
        *gain = match (after.checked_sub(1).map(|before| points[before]), points.get(after)) {
            (Some(a), Some(b)) => {
                let width = b.0 - a.0;
                let t = gathered((at - a.0) / width, sharp);
                hermite(a.1, b.1, slopes[after - 1] * width, slopes[after] * width, t)
            }
            (Some(end), None) => end.1,
            (None, start) => start.map_or(0.0, |p| p.1),
        };
    }
    let half = (SMOOTHEST * (1.0 - 2.0 * contour).max(0.0) * PER_OCTAVE as f64).round() as usize;
    if half > 0 {
        average(table, half, curve);
        average(curve, half, table);
    }
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
fn set_monotone_slopes(points: &[(f64, f64)], slopes: &mut Vec<f64>) {
    slopes.clear();
    slopes.resize(points.len(), 0.0);
    for i in 1..points.len().saturating_sub(1) {
        let (before, after) = (points[i].0 - points[i - 1].0, points[i + 1].0 - points[i].0);
        let (s0, s1) = ((points[i].1 - points[i - 1].1) / before, (points[i + 1].1 - points[i].1) / after);
        if s0 * s1 > 0.0 {
            let (w0, w1) = (2.0 * after + before, after + 2.0 * before);
            slopes[i] = (w0 + w1) / (w0 / s0 + w1 / s1);
        }
    }
}

/// Mean over `half` entries either side; the ends go on level.
fn average(curve: &[f64], half: usize, means: &mut [f64]) {
    let last = curve.len() - 1;
    let near = |i: usize| (0..=2 * half).map(|k| curve[(i + k).saturating_sub(half).min(last)]).sum::<f64>();
    means.iter_mut().enumerate().for_each(|(i, mean)| *mean = near(i) / (2 * half + 1) as f64);
}
