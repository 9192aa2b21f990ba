//! Whether a note that sounds explains what stands at a frequency.

use super::peers::Line;
use super::scale::{STEPS, hz_at, quantile, step_at};
use super::surplus::{Partials, Surplus};

/// A line stands this far in dB over the opened spectrum.
const LINE_DB: f32 = 9.0;
/// Lowest fundamental of a note, in Hz.
const LOWEST_NOTE_HZ: f64 = 55.0;
/// Highest partial looked for, in Hz.
const HIGHEST_PARTIAL_HZ: f64 = 11_000.0;
/// Share of the other partials that must be there for a note to be.
const NOTE_SHARE: f64 = 0.67;
/// Partials of a note that a frequency is read as.
const READINGS: std::ops::RangeInclusive<u32> = 1..=10;
/// A line is at a frequency if it is no more steps from it.
const AT: f32 = 3.0;
/// Moments at which it stands out by this much less than at its best are those when it rings, in dB.
const RINGING_DB: f32 = 6.0;
/// What lies beside a frequency, in steps from it.
const BESIDE: std::ops::Range<usize> = 8..25;

/// The lines of one moment, and what stands out at each step of the scale.
pub(super) struct Lines {
    /// One bit a bin: a line within one bin of it.
    near: Vec<u64>,
    bin_hz: f64,
    /// Every line.
    pub all: Vec<Line>,
    /// dB by which each step stands out of what lies beside it.
    pub contrast: Vec<f32>,
    /// What of each step no note accounts for.
    pub surplus: Vec<Surplus>,
}

impl Lines {
    /// Of a spectrum in dB and its opening, bins from 0 on.
    pub fn of(bins: &[f32], opened: &[f32], bin_hz: f64) -> Self {
        let (mut near, mut all) = (vec![0u64; bins.len() / 64 + 1], Vec::new());
        for k in 2..bins.len() - 1 {
            if bins[k] > bins[k - 1] && bins[k] >= bins[k + 1] && bins[k] > opened[k] + LINE_DB {
                (k - 1..=k + 1).for_each(|bit| near[bit / 64] |= 1 << (bit % 64));
                all.push(line_at(bins, k, bin_hz));
            }
        }
        let partials = Partials::of(bins, bin_hz);
        let surplus = (0..STEPS).map(|step| partials.surplus(hz_at(step as f64))).collect();
        Self { near, bin_hz, all, contrast: contrast(bins, bin_hz), surplus }
    }

    fn has(&self, hz: f64) -> bool {
        let bin = (hz / self.bin_hz).round() as usize;
        self.near.get(bin / 64).is_some_and(|word| word >> (bin % 64) & 1 == 1)
    }

    /// Whether `hz` is one of the first ten partials of a note most of whose other
    /// partials are there too.
    fn explain(&self, hz: f64) -> bool {
        let mut readings = READINGS;
        readings.any(|partial| self.explain_as(partial, hz))
    }

    /// Whether most of the other partials of the note are there of which `hz` is this partial.
    fn explain_as(&self, partial: u32, hz: f64) -> bool {
        let fundamental = hz / f64::from(partial);
        let others = |n: &u32| match partial {
            1 => (2..=5).contains(n),
            2 => *n != 2 && *n <= 6,
            // Higher ones may not be there: many tones have few.
            _ => *n != partial && *n <= partial + 1 && (n.abs_diff(partial) <= 4 || *n <= 2),
        };
        let of = |n: u32| f64::from(n) * fundamental;
        let looked: Vec<u32> =
            (1..=12).filter(others).filter(|n| partial <= 2 || of(*n) < HIGHEST_PARTIAL_HZ).take(9).collect();
        let there = looked.iter().filter(|n| self.has(of(**n))).count();
        fundamental >= LOWEST_NOTE_HZ && looked.len() > 1 && there as f64 >= NOTE_SHARE * looked.len() as f64
    }

    /// Where the line at a step is in Hz: a note's partial is beside a resonance more often than on it.
    fn line_hz(&self, step: usize) -> f64 {
        let off = |line: &&Line| (line.step - step as f32).abs();
        let nearest = self.all.iter().min_by(|a, b| off(a).total_cmp(&off(b)));
        nearest.filter(|line| off(line) <= AT).map_or(hz_at(step as f64), |line| hz_at(f64::from(line.step)))
    }
}

/// A line, its top between bins by the parabola through three.
fn line_at(bins: &[f32], k: usize, bin_hz: f64) -> Line {
    let (low, top, high) = (bins[k - 1], bins[k], bins[k + 1]);
    let bend = (low - 2.0 * top + high).min(-1e-6);
    let beside = (0.5 * (low - high) / bend).clamp(-0.5, 0.5);
    let step = step_at((k as f64 + f64::from(beside)) * bin_hz) as f32;
    Line { step, db: top - 0.25 * (low - high) * beside }
}

/// dB by which each step, the highest of its three nearest bins, stands out of the middle of
/// what lies beside it.
fn contrast(bins: &[f32], bin_hz: f64) -> Vec<f32> {
    let beyond = BESIDE.end;
    let highest = |i: usize| {
        let hz = hz_at(i as f64 - beyond as f64);
        let bin = ((hz / bin_hz).round() as usize).clamp(1, bins.len() - 2);
        bins[bin - 1].max(bins[bin]).max(bins[bin + 1])
    };
    let levels: Vec<f32> = (0..STEPS + 2 * beyond).map(highest).collect();
    (beyond..beyond + STEPS)
        .map(|at| {
            let mut beside: Vec<f32> = BESIDE.flat_map(|d| [levels[at - d], levels[at + d]]).collect();
            levels[at - 1].max(levels[at]).max(levels[at + 1]) - quantile(&mut beside, 0.5)
        })
        .collect()
}

/// How closely a frequency goes with one note: of the moments at which it rings the share at which the other partials
/// of that note sound, less that share of the moments at which it does not; of the note for which that is most. About 1
/// for a partial, which sounds when its note does and only then; less for a resonance, which many notes meet.
pub(super) fn one_note(moments: &[&Lines], step: usize) -> f64 {
    let mut contrasts: Vec<f32> = moments.iter().map(|m| m.contrast[step]).collect();
    let from = quantile(&mut contrasts, 0.9) - RINGING_DB;
    let (ringing, others): (Vec<&Lines>, Vec<&Lines>) =
        moments.iter().copied().partition(|moment| moment.contrast[step] > from);
    let share = |some: &[&Lines], partial: u32| {
        let explained = some.iter().filter(|moment| moment.explain_as(partial, moment.line_hz(step))).count();
        explained as f64 / some.len().max(1) as f64
    };
    READINGS.map(|partial| share(&ringing, partial) - share(&others, partial)).fold(0.0, f64::max)
}

/// dB by which a frequency stands out at three of four moments at which no note explains
/// it, or `None` if there are too few of those.
pub(super) fn unexplained_db<'a>(moments: impl Iterator<Item = &'a Lines>, hz: f64, step: usize) -> Option<f64> {
    const FEWEST: usize = 6;
    let mut contrasts: Vec<f32> = moments.filter(|m| !m.explain(hz)).map(|m| m.contrast[step]).collect();
    (contrasts.len() >= FEWEST).then(|| f64::from(quantile(&mut contrasts, 0.25)))
}
