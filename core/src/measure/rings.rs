//! Rings: narrow resonances that stay where they are while the notes change.
//!
//! A resonance lifts everything that passes it, also the quiet between the partials of
//! notes; a note lifts its own partials while it sounds. So the spectrum of every moment
//! is laid over its own smooth surroundings, and of each frequency the level is taken that
//! it exceeds at 85 of 100 moments: notes come and go below that, what stays is the shape
//! of a resonance. It is told from notes that hardly ever rest by its shape: partials are
//! lines no wider than the transform, a resonance has a width of its own. A line counts as
//! a ring only if no other line is its harmonic and it dies away after each stroke; one
//! that never moves at a multiple of the mains is hum.

use realfft::{RealFftPlanner, RealToComplex};
use serde::Serialize;
use serde_json::{Value as Json, json};
use std::sync::Arc;

use crate::signal::StereoBlock;
use crate::signal::decibel::power_to_db;
use crate::signal::math::{TAU, cos, log, pow};
use crate::unit::text::note_name;

/// Lowest and highest frequency in Hz that is looked at.
const RANGE_HZ: [f64; 2] = [90.0, 9000.0];
/// Transform at up to 50 kHz; twice that above.
const SIZE: usize = 16_384;
/// Most moments kept; of longer sounds every second, fourth... one.
const MOST_MOMENTS: usize = 1024;
/// Fewest moments that tell notes from resonances: 1.5 s.
const FEWEST_MOMENTS: usize = 16;
/// Moments this far under the loudest are rests.
const REST_DB: f64 = 40.0;
/// Share of moments below the level taken of each frequency.
const LOW_SHARE: f64 = 0.15;
/// Half the width in octaves of the surroundings.
const AROUND_OCT: f64 = 1.0 / 6.0;
/// A bump is looked at this far either side, in octaves.
const REACH_OCT: f64 = 0.25;
/// dB by which a ring stands out at least.
const LEAST_DB: f64 = 9.0;
/// The same for a line, which might be a note.
const LEAST_LINE_DB: f64 = 14.0;
/// Bumps from here count as possible partials.
const PARTIAL_DB: f64 = 6.0;
/// Bins that a steady tone is wide, half-way up; wider than this times it is a resonance.
const LINE_BINS: f64 = 3.2;
const WIDER: f64 = 1.45;
/// From this Q on a bump may be one partial of a chord that hardly ever rests.
const FAMILY_Q: f64 = 30.0;
/// Under this frequency in Hz a note that stays shows its fundamental.
const LOW_HZ: f64 = 700.0;
/// Broader than this is tone, not a ring.
const LEAST_Q: f64 = 11.0;
/// Narrower than this is the partial of a note.
const MOST_Q: f64 = 75.0;
/// Moments at which it stands out by this much less than it does at its best count as
/// those when it rings.
const RINGING_DB: f64 = 6.0;
/// Under this share of time a cut is better made only when it rings.
const SELDOM: f64 = 0.3;

/// One ring.
#[derive(Clone, Debug, PartialEq, Serialize)]
pub struct Ring {
    /// Frequency in Hz.
    pub hz: f64,
    /// The nearest note.
    pub note: String,
    /// dB by which it stands out of its surroundings.
    pub prominence_db: f64,
    /// Time in ms in which it falls by 60 dB.
    pub ring_ms: f64,
    /// Share of the time something plays in which it rings.
    pub share: f64,
    /// `ring` or `hum`.
    pub is: &'static str,
    /// A band of the surgical EQ against it, to be heard before it is kept.
    pub suggest: Json,
    /// Why that one.
    pub why: String,
}

/// Takes in a sound and finds its rings.
pub struct RingMeter {
    rate: f64,
    size: usize,
    fft: Arc<dyn RealToComplex<f32>>,
    window: Vec<f32>,
    waiting: Vec<f32>,
    /// Levels in dB of the bins of [`RANGE_HZ`] at each moment kept.
    moments: Vec<Vec<f32>>,
    /// Every how many moments one is kept, and how many passed.
    every: usize,
    passed: usize,
}

impl RingMeter {
    /// For a sound at `rate` Hz.
    #[must_use]
    pub fn new(rate: f64) -> Self {
        let size = if rate > 50_000.0 { 2 * SIZE } else { SIZE };
        Self {
            rate,
            size,
            fft: RealFftPlanner::new().plan_fft_forward(size),
            window: (0..size).map(|i| blackman_harris(i as f64 / size as f64) as f32).collect(),
            waiting: Vec::with_capacity(size),
            moments: Vec::new(),
            every: 1,
            passed: 0,
        }
    }

    /// Takes in the first `frames` of a block, both sides together.
    pub fn push(&mut self, block: &StereoBlock, frames: usize) {
        for (l, r) in block.left[..frames].iter().zip(&block.right[..frames]) {
            self.waiting.push(0.5 * (l + r));
            if self.waiting.len() == self.size {
                self.look();
                self.waiting.drain(..self.size / 4);
            }
        }
    }

    fn look(&mut self) {
        self.passed += 1;
        if !(self.passed - 1).is_multiple_of(self.every) {
            return;
        }
        if self.moments.len() == MOST_MOMENTS {
            let mut keep = false;
            self.moments.retain(|_| {
                keep = !keep;
                keep
            });
            self.every *= 2;
        }
        let mut scratch: Vec<f32> = self.waiting.iter().zip(&self.window).map(|(x, w)| x * w).collect();
        let mut spectrum = self.fft.make_output_vec();
        if self.fft.process(&mut scratch, &mut spectrum).is_ok() {
            let bins = self.bins();
            let level = |h: &realfft::num_complex::Complex32| power_to_db(f64::from(h.norm_sqr()) + 1e-20) as f32;
            self.moments.push(spectrum[bins].iter().map(level).collect());
        }
    }

    fn bins(&self) -> std::ops::Range<usize> {
        let [low, high] = RANGE_HZ.map(|hz| (hz * self.size as f64 / self.rate) as usize);
        low..high
    }

    fn hz_of(&self, bin: f64) -> f64 {
        (self.bins().start as f64 + bin) * self.rate / self.size as f64
    }

    /// Seconds between two moments.
    fn step_s(&self) -> f64 {
        (self.size / 4 * self.every) as f64 / self.rate
    }

    /// The rings, strongest first.
    #[must_use]
    pub fn finish(mut self) -> Vec<Ring> {
        let power = |m: &Vec<f32>| power_to_db(m.iter().map(|db| pow(10.0, f64::from(*db) / 10.0)).sum());
        let loud: Vec<f64> = self.moments.iter().map(power).collect();
        let floor = loud.iter().fold(f64::NEG_INFINITY, |m, db| m.max(*db)) - REST_DB;
        let mut playing = loud.iter().map(|db| *db > floor);
        self.moments.retain(|_| playing.next().unwrap_or(false));
        if self.moments.len() < FEWEST_MOMENTS {
            return Vec::new();
        }
        let raised: Vec<Vec<f32>> = self.moments.iter().map(|m| self.over_surroundings(m)).collect();
        let stays = low_level(&raised);
        let bumps = self.bumps(&stays);
        let mut rings: Vec<Ring> = bumps.iter().filter_map(|b| self.ring(b, &bumps, &raised)).collect();
        rings.sort_by(|a, b| b.prominence_db.total_cmp(&a.prominence_db));
        rings
    }

    /// Each bin over the middle level of what surrounds it.
    fn over_surroundings(&self, moment: &[f32]) -> Vec<f32> {
        let offset = self.bins().start as f64;
        let reach = pow(2.0, AROUND_OCT);
        let mut out = moment.to_vec();
        let (mut at, mut last) = (0usize, None::<(usize, f32)>);
        while at < moment.len() {
            let centre = offset + at as f64;
            let from = ((centre / reach - offset).max(0.0)) as usize;
            let to = ((centre * reach - offset) as usize + 1).min(moment.len());
            let mut around = moment[from..to].to_vec();
            let middle = around.len() / 2;
            let (_, base, _) = around.select_nth_unstable_by(middle, f32::total_cmp);
            let base = *base;
            let (before, level) = last.unwrap_or((at, base));
            for (i, value) in out.iter_mut().enumerate().take(at + 1).skip(before) {
                let share = if at == before { 1.0 } else { (i - before) as f32 / (at - before) as f32 };
                if i > before || last.is_none() {
                    *value -= level + (base - level) * share;
                }
            }
            last = Some((at, base));
            // A new middle every 1/48 of an octave.
            let next = at + ((centre / 69.0) as usize).max(1);
            at = if next >= moment.len() && at + 1 < moment.len() { moment.len() - 1 } else { next };
        }
        out
    }

    fn bumps(&self, stays: &[f32]) -> Vec<Bump> {
        let offset = self.bins().start as f64;
        let span = |octaves: f64, k: usize| (((offset + k as f64) * (pow(2.0, octaves) - 1.0)) as usize).max(4);
        let lowest = |part: &[f32]| part.iter().fold(f32::INFINITY, |m, x| m.min(*x));
        let mut found = Vec::new();
        for k in 4..stays.len() - 4 {
            let (near, far) = (span(REACH_OCT / 3.0, k), span(REACH_OCT, k));
            let part = &stays[k.saturating_sub(near)..(k + near + 1).min(stays.len())];
            if part.iter().any(|x| *x > stays[k]) {
                continue;
            }
            let left = lowest(&stays[k.saturating_sub(far)..k]);
            let right = lowest(&stays[k + 1..(k + far + 1).min(stays.len())]);
            let prominence = f64::from(stays[k] - left.max(right));
            if prominence < PARTIAL_DB {
                continue;
            }
            let half = f64::from(stays[k]) - (prominence / 2.0).min(6.0);
            let edge = |way: isize| {
                let mut at = k as isize;
                while (0..stays.len() as isize).contains(&(at + way)) && f64::from(stays[at as usize]) > half {
                    at += way;
                }
                at as f64
            };
            let (from, to) = (edge(-1), edge(1));
            found.push(Bump {
                bin: k,
                hz: self.hz_of(peak_between(stays, k)),
                prominence,
                width_bins: to - from - 1.0,
            });
        }
        found
    }

    fn ring(&self, bump: &Bump, all: &[Bump], raised: &[Vec<f32>]) -> Option<Ring> {
        let line = bump.width_bins < WIDER * LINE_BINS;
        let bin_hz = self.rate / self.size as f64;
        let q = bump.hz / (bump.width_bins * bin_hz);
        let over: Vec<f32> = raised.iter().map(|m| m[bump.bin]).collect();
        let levels: Vec<f32> = self.moments.iter().map(|m| m[bump.bin]).collect();
        let hum = line && is_hum(bump.hz, &levels);
        if !hum {
            let kin = all.iter().any(|o| o.bin != bump.bin && are_harmonic(bump.hz, o.hz));
            let dies = dies_away(&levels);
            if q > FAMILY_Q && in_family(bump, all) {
                return None;
            }
            let least = if !line || (dies && !kin) { LEAST_DB } else { LEAST_LINE_DB };
            if bump.prominence < least || !(LEAST_Q..MOST_Q).contains(&q) || (line && !dies) {
                return None;
            }
        }
        let best = f64::from(quantile(&over, 0.9));
        let rings = over.iter().map(|x| f64::from(*x) > best - RINGING_DB);
        let ringing: Vec<f32> = rings.zip(&levels).filter(|(rings, _)| *rings).map(|(_, level)| *level).collect();
        let share = ringing.len() as f64 / over.len() as f64;
        let ring_ms = 1000.0 * self.fall_time_s(&levels).max(2.2 * q / bump.hz);
        // Three quarters of the moments when it rings are over the threshold.
        let threshold_db = f64::from(quantile(&ringing, 0.25)) + self.tone_db();
        let (suggest, why) = suggestion(bump, q, share, hum, threshold_db);
        Some(Ring {
            hz: bump.hz,
            note: note_name(bump.hz),
            prominence_db: bump.prominence,
            ring_ms,
            share,
            is: if hum { "hum" } else { "ring" },
            suggest,
            why,
        })
    }

    /// From the level of a bin to the peak level in dBFS of the tone that stands in it: half of
    /// its amplitude times the sum of the window.
    fn tone_db(&self) -> f64 {
        -power_to_db(pow(0.5 * 0.358_75 * self.size as f64, 2.0))
    }

    /// Time in which it falls by 60 dB, from the middle of its steady falls.
    fn fall_time_s(&self, levels: &[f32]) -> f64 {
        let falls: Vec<f32> = levels.windows(2).map(|w| w[0] - w[1]).filter(|fall| *fall > 0.5).collect();
        if falls.is_empty() { 0.0 } else { 60.0 * self.step_s() / f64::from(quantile(&falls, 0.5)) }
    }
}

/// A place that stands out of what stays.
struct Bump {
    bin: usize,
    hz: f64,
    prominence: f64,
    width_bins: f64,
}

/// Four-term window of Blackman and Harris (Harris 1978), 92 dB down beside its main lobe.
fn blackman_harris(at: f64) -> f64 {
    0.358_75 - 0.488_29 * cos(TAU * at) + 0.141_28 * cos(2.0 * TAU * at) - 0.011_68 * cos(3.0 * TAU * at)
}

/// Of each bin, the level exceeded at all but [`LOW_SHARE`] of the moments.
fn low_level(raised: &[Vec<f32>]) -> Vec<f32> {
    (0..raised[0].len())
        .map(|bin| {
            let column: Vec<f32> = raised.iter().map(|m| m[bin]).collect();
            quantile(&column, LOW_SHARE)
        })
        .collect()
}

fn quantile(values: &[f32], share: f64) -> f32 {
    let mut sorted = values.to_vec();
    let at = ((sorted.len() - 1) as f64 * share) as usize;
    *sorted.select_nth_unstable_by(at, f32::total_cmp).1
}

/// The top of a peak between bins, by the parabola through three of them.
fn peak_between(levels: &[f32], k: usize) -> f64 {
    let [a, b, c] = [levels[k - 1], levels[k], levels[k + 1]].map(f64::from);
    let bend = a - 2.0 * b + c;
    k as f64 + if bend < 0.0 { 0.5 * (a - c) / bend } else { 0.0 }
}

/// Whether two frequencies are partials of one note, up to the eighth. Low in the range
/// only whole multiples count: the note itself would be there, and wider kinship is chance.
fn are_harmonic(a: f64, b: f64) -> bool {
    let (low, high) = (a.min(b), a.max(b));
    let near = |m: u32, n: u32| log(low * f64::from(m) / (high * f64::from(n))).abs() < 0.004;
    (2..=8).any(|m| (1..if low < LOW_HZ { 2 } else { m }).any(|n| near(m, n)))
}

/// Whether a bump is a partial of notes that hardly ever rest: a strummed chord's common
/// strings show as a row of lines at whole multiples of one frequency. More of them must
/// fit than would by chance.
fn in_family(bump: &Bump, all: &[Bump]) -> bool {
    const WITHIN: f64 = 0.0045;
    (1..=12).any(|n| {
        let fundamental = bump.hz / f64::from(n);
        if !(65.0..=600.0).contains(&fundamental) {
            return false;
        }
        let (mut fits, mut chance) = (0.0, 0.0);
        for other in all.iter().filter(|o| o.bin != bump.bin && o.width_bins < 10.0) {
            let times = other.hz / fundamental;
            if (1.5..=26.0).contains(&times) {
                chance += 2.0 * WITHIN * times;
                fits += f64::from(u8::from((times / times.round() - 1.0).abs() < WITHIN));
            }
        }
        fits >= 4.0 && fits > 2.5 * chance
    })
}

/// Whether the level falls far more often than it stands still.
fn dies_away(levels: &[f32]) -> bool {
    let steps = levels.windows(2).map(|w| w[1] - w[0]);
    let (mut falls, mut stands) = (0, 0);
    for step in steps {
        falls += u32::from(step < -1.0);
        stands += u32::from(step.abs() <= 0.5);
    }
    falls > 2 * stands
}

/// Whether it stands still at a multiple of the mains frequency.
fn is_hum(hz: f64, levels: &[f32]) -> bool {
    let near = [50.0, 60.0].iter().any(|mains| {
        let n = (hz / mains).round();
        (1.0..=12.0).contains(&n) && (hz - n * mains).abs() < 1.0
    });
    near && quantile(levels, 0.9) - quantile(levels, 0.1) < 3.0
}

fn suggestion(bump: &Bump, q: f64, share: f64, hum: bool, threshold_db: f64) -> (Json, String) {
    let gain_db = -(bump.prominence * 0.8).clamp(3.0, 18.0).round();
    let mut band = json!({ "shape": "bell", "freq_hz": (bump.hz * 10.0).round() / 10.0, "gain_db": gain_db, "q": (q * 10.0).round().clamp(1.0, 1000.0) / 10.0 });
    if hum {
        band = json!({ "shape": "notch", "freq_hz": bump.hz.round(), "q": 30 });
        return (band, "Mains hum stands still: a notch takes it and nothing else.".into());
    }
    if share < SELDOM {
        band["gain_db"] = json!(0);
        band["dynamic"] = json!({ "on": true, "threshold_db": threshold_db.clamp(-80.0, 0.0).round(), "ratio": 4, "range_db": -gain_db, "attack_ms": 5, "release_ms": 150 });
        let why =
            format!("It rings {:.0} % of the time: a band that acts only then costs the rest nothing.", 100.0 * share);
        return (band, why);
    }
    (band, format!("It rings {:.0} % of the time: a steady cut.", 100.0 * share))
}
