//! What lies between the samples, at four times the rate.
//!
//! A polyphase windowed sinc, as ITU-R BS.1770-4 annex 2 describes, under a Kaiser window. With 24
//! taps a phase, for meters, it reads a quarter-rate sine within 0.05 dB at any phase; with 64, for
//! what has to be held, it is true up to 22 kHz at 48 kHz.

use std::sync::OnceLock;

use super::block::{BLOCK, Frame};
use super::math::{PI, sin};

/// Values for each sample.
pub const PHASES: usize = 4;
/// Samples that each value of a meter is made of.
pub const TAPS: usize = 24;
/// Samples that each value of an [`Interpolator`] is made of: all but right up to half the rate.
const LONG: usize = 64;

/// The taps of `N` samples a phase.
#[derive(Debug)]
pub struct Between<const N: usize> {
    /// Of the sample in the middle of a window, and of the places a quarter, a half and three
    /// quarters of a sample before it; the taps of the oldest sample first.
    pub phases: [[f64; N]; PHASES],
    /// Largest sum of tap magnitudes of any phase: no output exceeds the input
    /// peak by more than this factor.
    pub worst: f64,
}

/// Those of a meter, made once: a Kaiser window of beta 8.
pub fn between() -> &'static Between<TAPS> {
    static FILTER: OnceLock<Between<TAPS>> = OnceLock::new();
    FILTER.get_or_init(|| Between::new(8.0))
}

impl<const N: usize> Between<N> {
    fn new(beta: f64) -> Self {
        let mut phases = [[0.0; N]; PHASES];
        let centre = (N / 2) as f64;
        for (p, phase) in phases.iter_mut().enumerate() {
            for (n, tap) in phase.iter_mut().enumerate() {
                let t = n as f64 - centre + p as f64 / PHASES as f64;
                let sinc = if t.abs() < 1e-12 { 1.0 } else { sin(PI * t) / (PI * t) };
                *tap = sinc * kaiser(t / centre, beta);
            }
            let sum: f64 = phase.iter().sum();
            phase.iter_mut().for_each(|tap| *tap /= sum);
        }
        let worst = phases.iter().map(|p| p.iter().map(|t| t.abs()).sum::<f64>()).fold(1.0, f64::max);
        Self { phases, worst }
    }
}

/// Kaiser window at `x` in -1..1.
fn kaiser(x: f64, beta: f64) -> f64 {
    if x.abs() >= 1.0 {
        return 0.0;
    }
    bessel_i0(beta * (1.0 - x * x).sqrt()) / bessel_i0(beta)
}

/// Modified Bessel function of order zero by its power series.
fn bessel_i0(x: f64) -> f64 {
    let (mut sum, mut term) = (1.0, 1.0);
    for k in 1..40 {
        term *= (x / (2.0 * f64::from(k))).powi(2);
        sum += term;
    }
    sum
}

/// Those of an interpolator, in single precision; as [`Between`].
#[derive(Debug)]
struct LongTaps {
    phases: [[f32; LONG]; PHASES],
    worst: f64,
}

fn long() -> &'static LongTaps {
    static TAPS: OnceLock<LongTaps> = OnceLock::new();
    TAPS.get_or_init(|| {
        let Between { phases, worst } = Between::new(7.0);
        LongTaps { phases: phases.map(|phase| phase.map(|tap| tap as f32)), worst }
    })
}

/// Places between two samples that are read closely, and one either side of them.
const CLOSE_STEPS: usize = 8;
const CLOSE_PLACES: usize = CLOSE_STEPS + 3;
/// Samples that a close value is made of, and one that is read more closely still: true up to 23.2 and
/// 23.8 kHz at 48 kHz. Noise has something even there.
const CLOSE: usize = 128;
const CLOSER: usize = 512;

/// Reads one place of a wave as closely as anybody would: eight times between two samples, with a
/// parabola through what is highest. Dear, and so only for places that matter.
#[derive(Clone, Debug)]
pub struct CloseReader {
    /// What came before the block, and the block.
    window: Vec<[f64; 2]>,
    close: &'static [[f64; CLOSE]; CLOSE_PLACES],
    closer: &'static [[f64; CLOSER]; CLOSE_PLACES],
}

/// Taps for the places from an eighth of a sample before the one sample to an eighth after the next.
fn places<const N: usize>() -> [[f64; N]; CLOSE_PLACES] {
    core::array::from_fn(|place| {
        let at = (N / 2 - 1) as f64 + (place as f64 - 1.0) / CLOSE_STEPS as f64;
        let taps: [f64; N] = core::array::from_fn(|n| {
            let t = n as f64 - at;
            let sinc = if t.abs() < 1e-12 { 1.0 } else { sin(PI * t) / (PI * t) };
            sinc * kaiser(t / (N / 2 + 1) as f64, 7.0)
        });
        let sum: f64 = taps.iter().sum();
        taps.map(|tap| tap / sum)
    })
}

/// Magnitude of a side at one place.
fn read(taps: &[f64], seen: &[[f64; 2]], side: usize) -> f64 {
    taps.iter().zip(seen).map(|(tap, frame)| tap * frame[side]).sum::<f64>().abs()
}

/// The top of the parabola through three neighbours where the middle one is the highest; else that one itself.
fn top([before, middle, after]: [f64; 3]) -> f64 {
    let (bend, rise) = (before - 2.0 * middle + after, before - after);
    if middle >= before && middle >= after && bend < -1e-12 { middle - rise * rise / (8.0 * bend) } else { middle }
}

impl CloseReader {
    /// Frames by which what is read lags what came.
    pub const LATENCY: usize = CLOSER / 2 - 1;

    /// In silence.
    #[must_use]
    pub fn new() -> Self {
        static CLOSE_TAPS: OnceLock<[[f64; CLOSE]; CLOSE_PLACES]> = OnceLock::new();
        static CLOSER_TAPS: OnceLock<[[f64; CLOSER]; CLOSE_PLACES]> = OnceLock::new();
        Self {
            window: vec![[0.0; 2]; CLOSER - 1 + BLOCK],
            close: CLOSE_TAPS.get_or_init(places),
            closer: CLOSER_TAPS.get_or_init(places),
        }
    }

    /// Forgets the past.
    pub fn reset(&mut self) {
        self.window.fill([0.0; 2]);
    }

    /// Takes in a block.
    pub fn take(&mut self, frames: &[Frame; BLOCK]) {
        self.window.copy_within(BLOCK.., 0);
        self.window[CLOSER - 1..].copy_from_slice(frames);
    }

    /// The highest magnitude of a side between the frames [`Self::LATENCY`] + 1 and [`Self::LATENCY`] before
    /// frame `at` of the block taken in last; one of more than `near` is read more closely still.
    #[must_use]
    pub fn peak(&self, at: usize, side: usize, near: f64) -> f64 {
        let seen = &self.window[at..at + CLOSER];
        let middle = &seen[(CLOSER - CLOSE) / 2..(CLOSER + CLOSE) / 2];
        let found: [f64; CLOSE_PLACES] = core::array::from_fn(|place| read(&self.close[place], middle, side));
        // Those at both ends belong to the spans beside this one.
        let highest = (1..CLOSE_PLACES - 1).max_by(|a, b| found[*a].total_cmp(&found[*b])).unwrap_or(1);
        let about = [highest - 1, highest, highest + 1];
        let peak = top(about.map(|place| found[place]));
        if peak <= near { peak } else { top(about.map(|place| read(&self.closer[place], seen, side))) }
    }
}

impl Default for CloseReader {
    fn default() -> Self {
        Self::new()
    }
}

/// Frames worked out beside each other: as many sums as stay in registers.
pub const BESIDE: usize = 8;

/// Largest value read between the samples: whatever is higher is taken as this.
const MOST: f64 = 1e30;

/// Gives the values between the samples of both sides, eight frames at a time, in single precision: a
/// peak is read within a millionth of itself, in half the time.
#[derive(Clone, Debug)]
pub struct Interpolator {
    /// What came before the block, one frame more than a value is made of, and the block.
    window: [[f32; 2]; LONG + BLOCK],
    /// The largest magnitude that each eight frames are made of.
    most: [f32; BLOCK / BESIDE],
    filter: &'static LongTaps,
}

/// Values about a frame, in order of time.
pub type Values = [Frame; PHASES];

impl Interpolator {
    /// Frames by which what is given lags what came.
    pub const LATENCY: usize = LONG / 2 - 1;

    /// In silence.
    #[must_use]
    pub fn new() -> Self {
        Self { window: [[0.0; 2]; LONG + BLOCK], most: [0.0; BLOCK / BESIDE], filter: long() }
    }

    /// Takes in a block.
    pub fn take(&mut self, frames: &[Frame; BLOCK]) {
        self.window.copy_within(BLOCK.., 0);
        for (seen, frame) in self.window[LONG..].iter_mut().zip(frames) {
            *seen = frame.map(|x| x.clamp(-MOST, MOST) as f32);
        }
        let of_eight = |at: usize| {
            let eight = self.window[1..].chunks(BESIDE).nth(at);
            eight.map_or(0.0, |eight| eight.as_flattened().iter().fold(0.0f32, |most, x| most.max(x.abs())))
        };
        let eights: [f32; (LONG + BLOCK) / BESIDE] = core::array::from_fn(of_eight);
        for (most, eights) in self.most.iter_mut().zip(eights.windows(LONG / BESIDE + 1)) {
            *most = eights.iter().fold(0.0, |most, x| most.max(*x));
        }
    }

    /// No value of the eighth `group` of frames of the block, and no top of a parabola through three of them, is
    /// higher than this.
    #[must_use]
    pub fn bound(&self, group: usize) -> f64 {
        /// Such a top is at most a quarter higher than what it goes through; and what rounding makes.
        const TOP: f64 = 1.2501;
        f64::from(self.most[group]) * self.filter.worst * TOP
    }

    /// The values after the frame before that of [`Self::LATENCY`] ago, up to it, for the frames of that group.
    #[must_use]
    pub fn group(&self, group: usize) -> [Values; BESIDE] {
        let mut values = [[[0.0; 2]; PHASES]; BESIDE];
        let Some((seen, _)) = self.window[1 + group * BESIDE..].split_first_chunk() else { return values };
        let [_, first, second, third] = &self.filter.phases;
        for (phase, taps) in [third, second, first].into_iter().enumerate() {
            let sums = weighted(taps, seen);
            for (out, sum) in values.iter_mut().zip(sums.chunks_exact(2)) {
                out[phase] = [f64::from(sum[0]), f64::from(sum[1])];
            }
        }
        let itself = &seen[LONG / 2..];
        values.iter_mut().zip(itself).for_each(|(out, frame)| out[PHASES - 1] = frame.map(f64::from));
        values
    }

    /// The last two values before those of a group.
    #[must_use]
    pub fn before(&self, group: usize) -> [Frame; 2] {
        let seen = &self.window[group * BESIDE..][..LONG];
        let [_, first, ..] = &self.filter.phases;
        let sum = |side: usize| first.iter().zip(seen).fold(0.0f32, |sum, (tap, frame)| sum + tap * frame[side]);
        [[sum(0), sum(1)].map(f64::from), seen[LONG / 2].map(f64::from)]
    }
}

/// Sums of the frames seen from some frames in a row, weighted by their taps; left and right in turn.
// By itself, so that the compiler sees one row of numbers and not pairs.
#[inline(never)]
fn weighted(taps: &[f32; LONG], seen: &[[f32; 2]; LONG + BESIDE - 1]) -> [f32; 2 * BESIDE] {
    let mut sums = [0.0f32; 2 * BESIDE];
    for (tap, seen) in taps.iter().zip(seen.as_flattened().windows(2 * BESIDE).step_by(2)) {
        for (sum, x) in sums.iter_mut().zip(seen) {
            *sum += tap * x;
        }
    }
    sums
}

impl Default for Interpolator {
    fn default() -> Self {
        Self::new()
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::signal::math::TAU;

    #[test]
    fn a_tone_of_23_and_a_half_khz_is_read_closely_at_its_own_height_wherever_its_samples_fall() {
        let mut reader = CloseReader::new();
        for block in 0..8 {
            reader.take(&std::array::from_fn(|i| [sin(TAU * 23.5 / 48.0 * (block * BLOCK + i) as f64 + 0.3), 0.0]));
        }
        // Over some samples it passes its height.
        for at in 0..BLOCK - 50 {
            let peak = (at..at + 50).map(|at| reader.peak(at, 0, 0.5)).fold(0.0, f64::max);
            assert!((peak - 1.0).abs() < 0.005, "{peak} at {at}");
            assert_eq!(reader.peak(at, 1, 0.5), 0.0);
        }
    }

    #[test]
    fn values_between_the_samples_are_those_of_the_wave_in_order_of_time() {
        let mut between = Interpolator::new();
        let wave = |t: f64| sin(TAU * 0.2 * t);
        for block in 0..3 {
            let first = block * BLOCK;
            between.take(&std::array::from_fn(|i| [wave((first + i) as f64), -wave((first + i) as f64)]));
            for (i, values) in (0..BLOCK / BESIDE).flat_map(|group| between.group(group)).enumerate() {
                if first + i < 2 * LONG {
                    continue;
                }
                let here = (first + i) as f64 - Interpolator::LATENCY as f64;
                for (k, value) in values.into_iter().enumerate() {
                    let t = here - 0.75 + 0.25 * k as f64;
                    assert!((value[0] - wave(t)).abs() < 1e-3, "{value:?} at {t}: {}", wave(t));
                    assert_eq!(value[1], -value[0]);
                }
            }
        }
    }

    #[test]
    fn values_before_a_group_are_those_of_the_group_before_and_none_is_over_its_bound() {
        let mut between = Interpolator::new();
        let mut last = [[0.0; 2]; 2];
        let mut nearest = 0.0f64;
        for block in 0..20 {
            // Noise that comes and goes, and the samples that make the most of the taps.
            let loud = if block % 3 == 0 { 0.01 } else { 1.0 };
            between.take(&std::array::from_fn(|i| {
                let hash = ((block * BLOCK + i) as u32).wrapping_mul(2_654_435_761);
                [loud * (f64::from(hash) / f64::from(u32::MAX) - 0.5), if (i / 3) % 2 == 0 { 1.0 } else { -1.0 }]
            }));
            for group in 0..BLOCK / BESIDE {
                assert_eq!(between.before(group), last);
                let values = between.group(group);
                let most = values.as_flattened().as_flattened().iter().fold(0.0f64, |most, x| most.max(x.abs()));
                assert!(most <= between.bound(group), "{most}");
                nearest = nearest.max(most / between.bound(group));
                last = [values[BESIDE - 1][PHASES - 2], values[BESIDE - 1][PHASES - 1]];
            }
        }
        assert!(nearest > 0.3, "the bound is of their size: {nearest}");
    }
}
