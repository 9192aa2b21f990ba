//! Filters that change level only: every frequency is late by the same time.
//!
//! The gain wanted at each frequency is a real, even spectrum; its inverse transform,
//! centred, cut to length and tapered, is the kernel (the frequency-sampling method of
//! Oppenheim & Schafer, *Discrete-Time Signal Processing*, ch. 7, with twice the points).
//! At 44.1 and 48 kHz it has 16384 taps, at higher rates 32768: a third of a second. What
//! rings longer than half of that is broadened: a boost of 12 dB at 100 Hz keeps its height
//! within 0.1 dB up to a Q of 5, at 1 kHz up to a Q of 50. The response shown is that of
//! the kernel itself.
//!
//! A kernel is designed in small steps, one a block, so that a drag never holds up the
//! sound: about 13 blocks (35 ms at 48 kHz), then one partition to fade it in.

use std::sync::Arc;

use zinc_fourier::{Complex64, ComplexToReal, inverse_f64};

use super::convolver::{self, Convolver, Kernel, Transform, WAYS};
use crate::signal::math::{PI, cos};
use crate::signal::place::Place;
use crate::signal::{BLOCK, Frame};

/// Frames of a partition.
const PART: usize = 1024;

/// What a kernel is made of.
pub trait Gains: Clone + Send + 'static {
    /// Gain of each part of the image ([`Place::ALL`]) at an angle in radians per sample,
    /// worked on in that order.
    fn at(&self, angle: f64) -> [f64; Place::ALL.len()];

    /// Whether some part of the image is treated otherwise than the whole.
    fn tell_parts_apart(&self) -> bool;
}

/// Ways that a kernel for some gains may use.
fn ways_for(gains: &impl Gains) -> usize {
    if gains.tell_parts_apart() { WAYS } else { 1 }
}

/// Bins whose gains are computed in one step.
const BINS_A_STEP: usize = 2048;
/// Partitions transformed in one step.
const PARTS_A_STEP: usize = 4;

/// Taps of a kernel at a rate in Hz.
#[must_use]
pub fn taps(rate: f64) -> usize {
    if rate > 50_000.0 { 32_768 } else { 16_384 }
}

/// Frames by which the output lags.
#[must_use]
pub fn latency(rate: f64) -> usize {
    taps(rate) / 2 + convolver::lag(PART)
}

/// Frames for which it goes on after its input has stopped, its latency apart: the half of the
/// kernel behind its centre.
#[must_use]
pub fn tail(rate: f64) -> usize {
    taps(rate) / 2
}

/// What is to be done next for the kernel in hand.
#[derive(Clone, Copy)]
enum Step {
    /// Gains from this bin on.
    Gains(usize),
    /// The taps of this way.
    Taps(usize),
    /// Spectra from this partition on, counted over all ways.
    Spectra(usize),
    Done,
}

/// Makes kernels, a step at a time.
#[derive(Clone)]
struct Designer<G> {
    taps: usize,
    gains: G,
    step: Step,
    back: Arc<dyn ComplexToReal<f64>>,
    scratch: Vec<Complex64>,
    time: Vec<f64>,
    /// By way: bins from 0 to half the rate; empty for ways that are not used.
    spectra: [Vec<Complex64>; WAYS],
    /// By way: the finished taps.
    kernel_taps: [Vec<f64>; WAYS],
    transform: Transform,
    kernel: Kernel,
}

impl<G: Gains> Designer<G> {
    fn new(rate: f64, gains: G) -> Self {
        let taps = taps(rate);
        let (back, ways) = (inverse_f64(2 * taps), ways_for(&gains));
        Self {
            taps,
            gains,
            step: Step::Done,
            scratch: vec![Complex64::ZERO; back.get_scratch_len()],
            back,
            time: vec![0.0; 2 * taps],
            spectra: std::array::from_fn(|way| vec![Complex64::ZERO; if way < ways { taps + 1 } else { 0 }]),
            kernel_taps: std::array::from_fn(|way| vec![0.0; if way < ways { taps } else { 0 }]),
            transform: Transform::new(PART),
            kernel: Kernel::silent(PART, taps / PART, ways),
        }
    }

    /// Makes room for so many of the ways.
    fn make_room(&mut self, ways: usize) {
        self.spectra.iter_mut().take(ways).for_each(|spectrum| spectrum.resize(self.taps + 1, Complex64::ZERO));
        self.kernel_taps.iter_mut().take(ways).for_each(|taps| taps.resize(self.taps, 0.0));
    }

    fn start(&mut self) {
        self.step = Step::Gains(0);
        (self.kernel.apart, self.kernel.crossed) = (false, false);
    }

    /// Does one step. True when that was the last and the kernel is ready.
    fn advance(&mut self) -> bool {
        self.step = match self.step {
            Step::Gains(bin) => self.find_gains(bin),
            Step::Taps(way) => self.find_taps(way),
            Step::Spectra(at) => self.find_spectra(at),
            Step::Done => return false,
        };
        matches!(self.step, Step::Done)
    }

    fn find_gains(&mut self, from: usize) -> Step {
        let to = (from + BINS_A_STEP).min(self.taps + 1);
        for bin in from..to {
            let ways = ways_of(self.gains.at(PI * bin as f64 / self.taps as f64));
            self.kernel.apart |= ways[0] != ways[1];
            self.kernel.crossed |= ways[2] != 0.0 || ways[3] != 0.0;
            for (spectrum, gain) in self.spectra.iter_mut().zip(ways).filter(|(spectrum, _)| !spectrum.is_empty()) {
                spectrum[bin] = Complex64::new(gain, 0.0);
            }
        }
        if to > self.taps { Step::Taps(0) } else { Step::Gains(to) }
    }

    fn find_taps(&mut self, way: usize) -> Step {
        // The lengths are those it was planned for; it can refuse nothing else.
        let _ = self.back.process_with_scratch(&mut self.spectra[way], &mut self.time, &mut self.scratch);
        let (half, size) = (self.taps / 2, 2 * self.taps);
        for (i, tap) in self.kernel_taps[way].iter_mut().enumerate() {
            *tap = self.time[(i + size - half) % size] * taper(i, half) / size as f64;
        }
        if way + 1 < self.kernel.used_ways() { Step::Taps(way + 1) } else { Step::Spectra(0) }
    }

    fn find_spectra(&mut self, from: usize) -> Step {
        let parts = self.taps / PART;
        let to = from + PARTS_A_STEP;
        for at in from..to {
            let (way, part) = (at / parts, at % parts);
            let taps = &self.kernel_taps[way][part * PART..(part + 1) * PART];
            self.transform.put(&mut self.kernel, way, part, taps);
        }
        if to < self.kernel.used_ways() * parts { Step::Spectra(to) } else { Step::Done }
    }
}

/// Flat over the middle half, falling to nothing at the ends as a cosine.
fn taper(i: usize, half: usize) -> f64 {
    let away = (i as f64 - half as f64).abs() / half as f64;
    if away <= 0.5 { 1.0 } else { 0.5 + 0.5 * cos(PI * (2.0 * away - 1.0)) }
}

/// Gains of the ways through (left to left, right to right, right to left, left to right).
fn ways_of([stereo, mid, side, left, right]: [f64; Place::ALL.len()]) -> [f64; WAYS] {
    let (kept, crossed) = (0.5 * stereo * (mid + side), 0.5 * stereo * (mid - side));
    [left * kept, right * kept, left * crossed, right * crossed]
}

/// A running linear-phase filter.
#[derive(Clone)]
pub struct LinearPhase<G> {
    convolver: Convolver,
    designer: Designer<G>,
    /// What was asked for while a kernel was in hand; only the latest counts. Its room is
    /// used again and again, so that nothing is freed while sound runs.
    waiting: G,
    is_waiting: bool,
}

impl<G: Gains> LinearPhase<G> {
    /// Silence at first; on its way to `gains`.
    #[must_use]
    pub fn new(rate: f64, gains: &G) -> Self {
        let mut designer = Designer::new(rate, gains.clone());
        designer.start();
        let convolver = Convolver::new(PART, designer.taps / PART, ways_for(gains));
        Self { convolver, designer, waiting: gains.clone(), is_waiting: false }
    }

    /// Moves to other gains, written by `fill`, as soon as their kernel is made. Allocates only
    /// where parts of the image are told apart for the first time.
    pub fn set(&mut self, fill: impl FnOnce(&mut G)) {
        let at_once = matches!(self.designer.step, Step::Done) && !self.convolver.is_changing();
        let gains = if at_once { &mut self.designer.gains } else { &mut self.waiting };
        fill(gains);
        let ways = ways_for(gains);
        self.designer.make_room(ways);
        self.convolver.make_room(&mut self.designer.kernel, ways);
        if at_once {
            self.designer.start();
        } else {
            self.is_waiting = true;
        }
    }

    fn start_waiting(&mut self) {
        self.is_waiting = false;
        std::mem::swap(&mut self.designer.gains, &mut self.waiting);
        self.designer.start();
    }

    /// Is at once where it was going.
    pub fn snap(&mut self) {
        if self.is_waiting {
            self.start_waiting();
        }
        while !matches!(self.designer.step, Step::Done) {
            if self.designer.advance() {
                self.convolver.change_to(&mut self.designer.kernel);
            }
        }
        self.convolver.snap();
    }

    /// Forgets the past.
    pub fn reset(&mut self) {
        self.convolver.reset();
    }

    /// Works on a block in place.
    pub fn process(&mut self, frames: &mut [Frame; BLOCK]) {
        if self.designer.advance() {
            self.convolver.change_to(&mut self.designer.kernel);
        } else if matches!(self.designer.step, Step::Done) && !self.convolver.is_changing() && self.is_waiting {
            self.start_waiting();
        }
        self.convolver.process(frames);
    }
}

/// What the kernel for these gains keeps in the middle of a sound in the middle, at angles
/// in radians per sample; its lateness left out, so that it is real.
#[must_use]
pub fn response(gains: &impl Gains, rate: f64, angles: &[f64]) -> Vec<f64> {
    let mut designer = Designer::new(rate, gains.clone());
    designer.start();
    while !matches!(designer.step, Step::Spectra(_) | Step::Done) {
        designer.advance();
    }
    let used = designer.kernel.used_ways();
    let half = designer.taps / 2;
    let middle: Vec<f64> = (half..designer.taps)
        .map(|i| {
            let [ll, rr, rl, lr] =
                std::array::from_fn(|way| if way < used { designer.kernel_taps[way][i] } else { 0.0 });
            if used == 1 { ll } else { 0.5 * (ll + rr + rl + lr) }
        })
        .collect();
    angles.chunks(LANES).flat_map(|some| cosine_sums(&middle, some)).collect()
}

/// Angles summed side by side.
const LANES: usize = 8;

/// `taps[0] + 2 sum taps[n] cos(n angle)` for a few angles, the cosines by Chebyshev's
/// recurrence.
fn cosine_sums(taps: &[f64], angles: &[f64]) -> Vec<f64> {
    let mut twice = [0.0; LANES];
    for (t, angle) in twice.iter_mut().zip(angles) {
        *t = 2.0 * cos(*angle);
    }
    let (mut before, mut now) = (twice.map(|t| 0.5 * t), [1.0; LANES]);
    let mut sums = [0.0; LANES];
    for (n, tap) in taps.iter().enumerate() {
        let weight = if n == 0 { *tap } else { 2.0 * tap };
        for lane in 0..LANES {
            sums[lane] += weight * now[lane];
            let next = twice[lane] * now[lane] - before[lane];
            before[lane] = now[lane];
            now[lane] = next;
        }
    }
    sums[..angles.len()].to_vec()
}

#[cfg(test)]
mod tests {
    use super::*;

    const RATE: f64 = 48_000.0;

    /// The same at every frequency.
    #[derive(Clone)]
    struct Flat([f64; 5]);

    impl Gains for Flat {
        fn at(&self, _angle: f64) -> [f64; 5] {
            self.0
        }

        fn tell_parts_apart(&self) -> bool {
            self.0[1..].iter().any(|gain| *gain != 1.0)
        }
    }

    /// Stereo falling towards the top, the side halved, the right lowered.
    #[derive(Clone)]
    struct Bent;

    impl Gains for Bent {
        fn at(&self, angle: f64) -> [f64; 5] {
            [1.0 + 0.8 * cos(2.0 * angle), 1.0, 0.5, 1.0, 0.7]
        }

        fn tell_parts_apart(&self) -> bool {
            true
        }
    }

    fn at_rest<G: Gains>(gains: &G) -> LinearPhase<G> {
        let mut filter = LinearPhase::new(RATE, gains);
        filter.snap();
        filter
    }

    fn run<G: Gains>(filter: &mut LinearPhase<G>, frames: usize, signal: impl Fn(usize) -> Frame) -> Vec<Frame> {
        let mut out = Vec::new();
        for first in (0..frames).step_by(BLOCK) {
            let mut block = std::array::from_fn(|i| signal(first + i));
            filter.process(&mut block);
            out.extend(block);
        }
        out
    }

    #[test]
    fn gains_of_one_are_a_pure_delay_of_the_latency_stated() {
        let mut filter = at_rest(&Flat([1.0; 5]));
        let out = run(&mut filter, 2 * latency(RATE), |n| if n == 5 { [1.0, -0.5] } else { [0.0; 2] });
        for (n, [l, r]) in out.iter().enumerate() {
            let expected = if n == latency(RATE) + 5 { [1.0, -0.5] } else { [0.0; 2] };
            assert!((l - expected[0]).abs() < 1e-12 && (r - expected[1]).abs() < 1e-12, "{n}: {l} {r}");
        }
    }

    #[test]
    fn each_part_of_the_image_gets_its_own_gain() {
        // Side silenced, then the left halved: left = mid / 2, right = mid.
        let mut filter = at_rest(&Flat([1.0, 1.0, 0.0, 0.5, 1.0]));
        let out = run(&mut filter, 2 * latency(RATE), |n| if n == 0 { [1.0, 0.5] } else { [0.0; 2] });
        let [l, r] = out[latency(RATE)];
        assert!((l - 0.375).abs() < 1e-12 && (r - 0.75).abs() < 1e-12, "{l} {r}");
    }

    #[test]
    fn parts_of_the_image_told_apart_later_sound_as_if_they_had_been_from_the_start() {
        let (mut moved, mut fresh) =
            (at_rest(&Flat([0.5, 1.0, 1.0, 1.0, 1.0])), at_rest(&Flat([0.5, 1.0, 0.0, 1.0, 0.25])));
        moved.set(|gains| gains.0 = [0.5, 1.0, 0.0, 1.0, 0.25]);
        let tone = |n: usize| [cos(0.02 * n as f64), cos(0.031 * n as f64)];
        let frames = 4 * latency(RATE).next_multiple_of(BLOCK);
        let (a, b) = (run(&mut moved, frames, tone), run(&mut fresh, frames, tone));
        for (x, y) in a.iter().zip(&b).skip(frames / 2) {
            assert!((x[0] - y[0]).abs() < 1e-12 && (x[1] - y[1]).abs() < 1e-12);
        }
    }

    #[test]
    fn the_response_stated_is_that_of_a_tone_through_it() {
        let mut filter = at_rest(&Bent);
        for hz in [30.0, 440.0, 9000.0, 20_000.0] {
            let angle = 2.0 * PI * hz / RATE;
            filter.reset();
            let out = run(&mut filter, 96_000, |n| [cos(angle * n as f64); 2]);
            let (mut in_phase, mut power) = (0.0, 0.0);
            for (n, frame) in out.iter().enumerate().skip(48_000) {
                let tone = cos(angle * (n as f64 - latency(RATE) as f64));
                in_phase += 0.5 * (frame[0] + frame[1]) * tone;
                power += tone * tone;
            }
            let stated = response(&Bent, RATE, &[angle])[0];
            assert!((in_phase / power - stated).abs() < 1e-4, "{hz} Hz: {} {stated}", in_phase / power);
        }
    }

    #[test]
    fn a_filter_not_put_at_rest_is_there_within_a_fifth_of_a_second_of_its_latency() {
        let gains = Flat([0.5; 5]);
        let (mut early, mut rest) = (LinearPhase::new(RATE, &gains), at_rest(&gains));
        let tone = |n: usize| [cos(0.02 * n as f64); 2];
        let frames = (latency(RATE) + 9600).next_multiple_of(BLOCK);
        let (a, b) = (run(&mut early, 2 * frames, tone), run(&mut rest, 2 * frames, tone));
        assert_eq!(a[0], [0.0; 2]);
        assert!(a[frames..].iter().zip(&b[frames..]).all(|(x, y)| (x[0] - y[0]).abs() < 1e-12));
    }

    #[test]
    fn gains_moved_while_sound_runs_make_no_step() {
        let mut filter = at_rest(&Flat([1.0; 5]));
        let tone = |n: usize| [cos(2.0 * PI * 100.0 / RATE * n as f64); 2];
        let mut out = run(&mut filter, 48_000, tone);
        for k in 1..40u32 {
            let gain = if k % 2 == 0 { 1.0 } else { 0.25 };
            filter.set(|gains| gains.0 = [gain; 5]);
            out.extend(run(&mut filter, 8 * BLOCK, |n| tone(48_000 + (k as usize - 1) * 8 * BLOCK + n)));
        }
        let slope = 2.0 * PI * 100.0 / RATE;
        let steepest = out[24_000..].windows(2).map(|w| (w[1][0] - w[0][0]).abs()).fold(0.0, f64::max);
        assert!(steepest < slope + 1.0 / PART as f64, "{steepest}");
    }
}
