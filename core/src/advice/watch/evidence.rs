//! What is known of a unit at work, in steps of five milliseconds.

use crate::filter::analog::{Side, cut};
use crate::filter::matched::matched;
use crate::filter::{Svf, SvfDesign};
use crate::signal::decibel::{db_to_gain, gain_to_db, power_to_db};
use crate::signal::{BLOCK, Frame};
use crate::trial::{Passage, Take};

/// Seconds of a step.
pub const STEP_S: f64 = 0.005;
/// Under the loudest step by more than this is a rest, in dB.
const REST_DB: f64 = 45.0;
/// Regions that drive and that suffer: rumble below, lows below, highs above, in Hz.
const RUMBLE_HZ: f64 = 60.0;
const LOWS_HZ: f64 = 200.0;
const HIGHS_HZ: f64 = 2000.0;
/// A stroke rises by so much over the lowest of the steps before it, in dB.
const STROKE_DB: f64 = 8.0;
/// Steps in which it has to have risen, and before the next one may come.
const RISE_STEPS: usize = 6;
const APART_STEPS: usize = 16;

/// A unit's evidence; all levels in dBFS, one for each step.
pub struct Evidence {
    /// Mean level in and out.
    pub level_in: Vec<f64>,
    /// See `level_in`.
    pub level_out: Vec<f64>,
    /// Peak in and out.
    pub peak_in: Vec<f64>,
    /// See `peak_in`.
    pub peak_out: Vec<f64>,
    /// Mean reduction.
    pub reduction: Vec<f64>,
    /// Mean reduction with what lies below the notes kept from driving it; none where that is done already.
    pub without_rumble: Option<Vec<f64>>,
    /// Level in below 60 Hz, below 200 Hz, above 200 Hz, above 2 kHz.
    pub rumble: Vec<f64>,
    /// See `rumble`.
    pub lows: Vec<f64>,
    /// See `rumble`.
    pub notes: Vec<f64>,
    /// See `rumble`.
    pub highs: Vec<f64>,
    /// Steps at which a stroke begins.
    pub strokes: Vec<usize>,
    /// Level under which it rests.
    pub rest_db: f64,
    /// Mean powers in and out, in dBFS.
    pub body_db: [f64; 2],
}

impl Evidence {
    /// Of what went into a unit, what came out, and what would with no rumble driving it.
    pub fn of(before: &Passage, after: &Take, without_rumble: Option<&Take>) -> Self {
        let step = (STEP_S * before.rate) as usize;
        let reduction = |take: &Take| take.reduction().chunks(step).map(mean).collect::<Vec<f64>>();
        let level_in = levels(&before.left, &before.right, step);
        let rest_db = level_in.iter().copied().fold(f64::MIN, f64::max) - REST_DB;
        let region = |removes: Side, hz: f64| filtered(before, removes, hz, step);
        Self {
            level_out: levels(&after.sound.left, &after.sound.right, step),
            peak_in: peaks(before, step),
            peak_out: peaks(&after.sound, step),
            reduction: reduction(after),
            without_rumble: without_rumble.map(reduction),
            rumble: region(Side::High, RUMBLE_HZ),
            lows: region(Side::High, LOWS_HZ),
            notes: region(Side::Low, LOWS_HZ),
            highs: region(Side::Low, HIGHS_HZ),
            strokes: strokes(&level_in, rest_db),
            rest_db,
            body_db: [body(before), body(&after.sound)],
            level_in,
        }
    }

    /// Seconds at a step.
    pub fn seconds(step: usize) -> f64 {
        step as f64 * STEP_S
    }

    /// Steps in which the part sounds.
    pub fn active(&self) -> impl Iterator<Item = usize> + '_ {
        (0..self.level_in.len()).filter(|step| self.level_in[*step] > self.rest_db)
    }

    /// The step of the largest of some values.
    pub fn most(steps: impl Iterator<Item = usize>, value: impl Fn(usize) -> f64) -> usize {
        steps.max_by(|a, b| value(*a).total_cmp(&value(*b))).unwrap_or(0)
    }

    /// Whether it ever takes away as much as `db`.
    pub fn works(&self, db: f64) -> bool {
        self.reduction.iter().any(|r| *r >= db)
    }
}

fn mean(part: &[f32]) -> f64 {
    part.iter().map(|x| f64::from(*x)).sum::<f64>() / part.len() as f64
}

fn body(passage: &Passage) -> f64 {
    let squares: f64 = passage.left.iter().chain(&passage.right).map(|x| f64::from(*x) * f64::from(*x)).sum();
    power_to_db(squares / (2 * passage.frames()).max(1) as f64)
}

fn levels(left: &[f32], right: &[f32], step: usize) -> Vec<f64> {
    let power = |part: &[f32]| part.iter().map(|x| f64::from(*x) * f64::from(*x)).sum::<f64>() / part.len() as f64;
    left.chunks(step).zip(right.chunks(step)).map(|(l, r)| power_to_db(power(l).max(power(r)))).collect()
}

fn peaks(passage: &Passage, step: usize) -> Vec<f64> {
    let peak = |part: &[f32]| part.iter().fold(0.0f32, |m, x| m.max(x.abs()));
    let both = passage.left.chunks(step).zip(passage.right.chunks(step));
    both.map(|(l, r)| gain_to_db(f64::from(peak(l).max(peak(r))))).collect()
}

/// Levels of a region: a fourth-order cut.
fn filtered(passage: &Passage, removes: Side, hz: f64, step: usize) -> Vec<f64> {
    let designs: Vec<SvfDesign> = cut(removes, hz, 4).map(|section| matched(&section, passage.rate)).collect();
    let mut sections: Vec<Svf> = designs.into_iter().map(|design| Svf::new(design, passage.rate, 0.01)).collect();
    let (mut left, mut right) = (Vec::with_capacity(passage.frames()), Vec::with_capacity(passage.frames()));
    for (block, frames) in passage.blocks() {
        let mut part: [Frame; BLOCK] = block.frames();
        sections.iter_mut().for_each(|section| section.process(&mut part));
        left.extend(part[..frames].iter().map(|f| f[0] as f32));
        right.extend(part[..frames].iter().map(|f| f[1] as f32));
    }
    levels(&left, &right, step)
}

/// Steps at which the level jumps.
fn strokes(level: &[f64], rest_db: f64) -> Vec<usize> {
    let mut strokes: Vec<usize> = Vec::new();
    for at in RISE_STEPS..level.len() {
        let before = level[at - RISE_STEPS..at].iter().copied().fold(f64::MAX, f64::min);
        let long_since = strokes.last().is_none_or(|last| at - last >= APART_STEPS);
        if level[at] > rest_db + 15.0 && level[at] - before.max(rest_db) >= STROKE_DB && long_since {
            strokes.push(at);
        }
    }
    strokes
}

/// Levels over longer moments: means of the power over so many steps about each.
pub fn smoothed(levels: &[f64], steps: usize) -> Vec<f64> {
    let powers: Vec<f64> = levels.iter().map(|db| db_to_gain(2.0 * db)).collect();
    let about = |at: usize| {
        let part = &powers[at.saturating_sub(steps / 2)..(at + steps / 2 + 1).min(powers.len())];
        power_to_db(part.iter().sum::<f64>() / part.len() as f64)
    };
    (0..powers.len()).map(about).collect()
}

/// How two runs of values go together: -1 to 1.
pub fn correlation(one: &[f64], other: &[f64]) -> f64 {
    let n = one.len().max(1) as f64;
    let (a, b) = (one.iter().sum::<f64>() / n, other.iter().sum::<f64>() / n);
    let (mut both, mut first, mut second) = (0.0, 0.0, 0.0);
    for (x, y) in one.iter().zip(other) {
        both += (x - a) * (y - b);
        first += (x - a) * (x - a);
        second += (y - b) * (y - b);
    }
    if first > 0.0 && second > 0.0 { both / (first * second).sqrt() } else { 0.0 }
}

/// The value that a share of all lies below.
pub fn quantile(values: &mut [f64], share: f64) -> f64 {
    values.sort_by(f64::total_cmp);
    values.get(((values.len() as f64 - 1.0) * share).round().max(0.0) as usize).copied().unwrap_or(0.0)
}
