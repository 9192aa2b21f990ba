//! What instruments share: analog-shaped filters over a whole part, phasors, levels.

use zinc_core::filter::analog::{self, Side};
use zinc_core::filter::matched::matched;
use zinc_core::filter::{AnalogSection, SvfChain, SvfDesign};
use zinc_core::rack::{Rack, RackSpec};
use zinc_core::signal::math::{TAU, cos, exp, pow, sin};
use zinc_core::signal::{BLOCK, StereoBlock};

use crate::player::Chance;
use crate::song::{FRAMES, RATE};

/// Sample rate as a number to calculate with.
pub const FS: f64 = RATE as f64;

/// One channel of silence as long as the song.
#[must_use]
pub fn silence() -> Vec<f32> {
    vec![0.0; FRAMES]
}

/// Frames filtered at a time.
const PART: usize = 256;

/// Filters a channel by a chain of analog shapes.
pub fn shape(channel: &mut [f32], chain: &[Vec<AnalogSection>]) {
    let designs: Vec<SvfDesign> = chain.iter().flatten().map(|a| matched(a, FS)).collect();
    let mut chain = SvfChain::at_rest(&designs, FS, 0.01);
    let mut frames = [[0.0f64; 2]; PART];
    for part in channel.chunks_mut(PART) {
        for (f, x) in frames.iter_mut().zip(part.iter()) {
            *f = [f64::from(*x), 0.0];
        }
        // The chain takes whole steps; what is beyond the end of the last is not kept.
        chain.process(&mut frames);
        for (x, f) in part.iter_mut().zip(&frames) {
            *x = f[0] as f32;
        }
    }
}

/// Removes what lies below `hz`.
#[must_use]
pub fn low_cut(hz: f64) -> Vec<AnalogSection> {
    analog::cut(Side::Low, hz, 2).collect()
}

/// Removes what lies above `hz`.
#[must_use]
pub fn high_cut(hz: f64) -> Vec<AnalogSection> {
    analog::cut(Side::High, hz, 2).collect()
}

/// Lifts (or dips) around `hz`.
#[must_use]
pub fn bell(hz: f64, gain_db: f64, q: f64) -> Vec<AnalogSection> {
    vec![analog::bell(hz, gain_db, q)]
}

/// Lifts (or dips) everything above `hz`.
#[must_use]
pub fn high_shelf(hz: f64, gain_db: f64) -> Vec<AnalogSection> {
    analog::shelf(Side::High, hz, gain_db, 0.707, 2).collect()
}

/// Lifts (or dips) everything below `hz`.
#[must_use]
pub fn low_shelf(hz: f64, gain_db: f64) -> Vec<AnalogSection> {
    analog::shelf(Side::Low, hz, gain_db, 0.707, 2).collect()
}

/// Two poles that may ring before they fall by 12 dB an octave: a coil with its cable, a body
/// above its last resonance.
#[must_use]
pub fn resonant_low_pass(hz: f64, q: f64) -> Vec<AnalogSection> {
    vec![AnalogSection { corner_hz: hz, num: [1.0, 0.0, 0.0], den: [1.0, 1.0 / q, 1.0] }]
}

/// One pole: falls by 6 dB an octave above `hz`.
#[must_use]
pub fn roll_off(hz: f64) -> Vec<AnalogSection> {
    analog::cut(Side::High, hz, 1).collect()
}

/// Scales channels together so that the largest sample is at `peak_db`.
pub fn set_peak(channels: &mut [Vec<f32>], peak_db: f64) {
    let peak = channels.iter().flatten().fold(0.0f32, |m, x| m.max(x.abs()));
    let gain = (pow(10.0, peak_db / 20.0) / f64::from(peak.max(1e-9))) as f32;
    channels.iter_mut().flatten().for_each(|x| *x *= gain);
}

/// Adds `from` times `gain`, starting `delay` frames later.
pub fn add(to: &mut [f32], from: &[f32], gain: f32, delay: usize) {
    for (t, f) in to.iter_mut().skip(delay).zip(from) {
        *t += f * gain;
    }
}

/// Adds noise of an RMS level in dBFS, coloured by a chain of shapes.
pub fn add_noise(channel: &mut [f32], seed: u64, rms_db: f64, chain: &[Vec<AnalogSection>]) {
    let mut chance = Chance::new(seed);
    let mut noise: Vec<f32> = (0..channel.len()).map(|_| chance.noise() as f32).collect();
    shape(&mut noise, chain);
    let power: f64 = noise.iter().map(|x| f64::from(*x).powi(2)).sum::<f64>() / noise.len() as f64;
    let gain = (pow(10.0, rms_db / 20.0) / power.sqrt().max(1e-12)) as f32;
    add(channel, &noise, gain, 0);
}

/// A decaying, turning vector: one mode of a struck body.
#[derive(Clone, Copy, Debug)]
pub struct Mode {
    re: f64,
    im: f64,
    turn: [f64; 2],
}

impl Mode {
    /// Starts from zero with `amplitude` to come, at `hz`, falling by 60 dB in `t60_s` seconds.
    #[must_use]
    pub fn new(hz: f64, amplitude: f64, t60_s: f64) -> Self {
        let angle = TAU * hz / FS;
        let keep = exp(-6.9078 / (t60_s * FS));
        Self { re: 0.0, im: amplitude, turn: [keep * cos(angle), keep * sin(angle)] }
    }

    /// Goes on for ever, from `angle` in radians.
    #[must_use]
    pub fn turning(hz: f64, amplitude: f64, angle: f64) -> Self {
        let step = TAU * hz / FS;
        Self { re: amplitude * sin(angle), im: amplitude * cos(angle), turn: [cos(step), sin(step)] }
    }

    /// The next sample.
    #[inline]
    pub fn next_sample(&mut self) -> f64 {
        let out = self.re;
        let re = self.re * self.turn[0] + self.im * self.turn[1];
        self.im = self.im * self.turn[0] - self.re * self.turn[1];
        self.re = re;
        out
    }
}

/// Weights of the points one before, at, one and two after a place, for a value `x` of the way
/// from the second to the third (Lagrange's cubic).
#[must_use]
pub fn between(x: f64) -> [f64; 4] {
    [
        -x * (x - 1.0) * (x - 2.0) / 6.0,
        (x + 1.0) * (x - 1.0) * (x - 2.0) / 2.0,
        -(x + 1.0) * x * (x - 2.0) / 2.0,
        (x + 1.0) * x * (x - 1.0) / 6.0,
    ]
}

/// `sum levels[n - 1] sin(n angle)`, the sines by Chebyshev's recurrence.
#[must_use]
pub fn sum_of_partials(levels: &[f64], angle: f64) -> f64 {
    let (mut before, mut now, twice) = (0.0, sin(angle), 2.0 * sin(angle + 0.25 * TAU));
    let mut sum = 0.0;
    for level in levels {
        sum += level * now;
        (before, now) = (now, twice * now - before);
    }
    sum
}

/// A level that falls by a share every frame.
#[derive(Clone, Copy, Debug)]
pub struct Fall {
    level: f64,
    keep: f64,
}

impl Fall {
    /// From `level`, to 1/e of it in `seconds`.
    #[must_use]
    pub fn new(level: f64, seconds: f64) -> Self {
        Self { level, keep: exp(-1.0 / (seconds * FS)) }
    }

    /// The level now; the next is lower.
    #[inline]
    pub fn next_level(&mut self) -> f64 {
        let now = self.level;
        self.level *= self.keep;
        now
    }
}

/// Mixes channels into one, each with the same share.
#[must_use]
pub fn mono(channels: &[Vec<f32>]) -> Vec<f32> {
    let share = 1.0 / channels.len() as f32;
    let frames = channels.first().map_or(0, Vec::len);
    (0..frames).map(|i| channels.iter().map(|c| c[i] * share).sum()).collect()
}

/// Frame number of a time in seconds.
#[must_use]
pub fn frame(seconds: f64) -> usize {
    (seconds * FS).max(0.0) as usize
}

/// A sound of one channel in blocks, the same on both sides, each with its number of frames.
pub fn mono_blocks(sound: &[f32]) -> impl Iterator<Item = (StereoBlock, usize)> {
    sound.chunks(BLOCK).map(|part| {
        let mut block = StereoBlock::SILENT;
        block.left[..part.len()].copy_from_slice(part);
        block.right[..part.len()].copy_from_slice(part);
        (block, part.len())
    })
}

/// What leaves a rack at rest for a part on both sides, on the left: its whole blocks.
#[must_use]
pub fn through_rack(spec: &RackSpec, part: &[f32]) -> Vec<f32> {
    let mut rack = Rack::new(spec, f64::from(RATE));
    let mut out = Vec::with_capacity(part.len());
    for piece in part.chunks_exact(BLOCK) {
        let mut block = StereoBlock::SILENT;
        block.left.copy_from_slice(piece);
        block.right.copy_from_slice(piece);
        rack.process(&mut block);
        out.extend_from_slice(&block.left);
    }
    out
}
