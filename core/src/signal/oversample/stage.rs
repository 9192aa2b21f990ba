//! A half-band stage of linear phase.
//!
//! The ideal half-band low-pass `h[n] = sin(pi n / 2) / (pi n)`, weighted by a Kaiser window
//! (Kaiser 1974; Oppenheim & Schafer, *Discrete-Time Signal Processing*, sec. 7.5.3): of its taps
//! every second but the middle one is zero, so that going up one output in two is the input
//! itself, and coming down only half of the sums are needed.
//!
//! A half-band stops as far above the middle as it passes below it. That does for all stages
//! but the way down of the first: there it would let what lies just above half the base rate
//! fold back. So the first comes down through a low-pass of its own, by the same window, which
//! stops from half the base rate on.

use crate::signal::math::{PI, sin};
use crate::signal::{BLOCK, Frame};

/// Attenuation the window is made for, in dB: a little over what is promised.
const DESIGN_DB: f64 = 106.0;

/// Kaiser's estimate of how many taps a transition takes that is this share of the rate.
fn taps_for(transition: f64) -> f64 {
    (DESIGN_DB - 7.95) / (2.285 * 2.0 * PI * transition) + 1.0
}

/// Taps either side of the middle that are not zero, for a transition that is this share of the
/// upper rate.
fn reach(transition: f64) -> usize {
    // Of the taps on one side every second counts.
    (taps_for(transition) / 4.0).ceil() as usize
}

/// Taps either side of the middle of the first stage's low-pass; its transition is half as wide.
/// Odd, so that with the way up, which is late by an odd number, it makes whole frames.
fn edge_reach(transition: f64) -> usize {
    (taps_for(0.5 * transition) / 2.0).ceil() as usize | 1
}

/// Frames at the upper rate by which the ways up and down are late, and those that are waited
/// for so that both together are late by whole frames at the base rate, `doubled` doublings
/// below.
fn delays(transition: f64, doubled: u32) -> (usize, usize, usize) {
    let up = 2 * reach(transition) - 1;
    let down = if doubled == 0 { edge_reach(transition) } else { up };
    let base = 2usize << doubled;
    (up, down, (base - (up + down) % base) % base)
}

/// Frames at the base rate by which both ways together are late.
pub(super) fn latency(transition: f64, doubled: u32) -> usize {
    let (up, down, waiting) = delays(transition, doubled);
    (up + down + waiting) >> (doubled + 1)
}

/// Kaiser's window at a share of half its length from the middle.
fn window(share: f64) -> f64 {
    let beta = 0.1102 * (DESIGN_DB - 8.7);
    bessel_i0(beta * (1.0 - share * share).max(0.0).sqrt()) / bessel_i0(beta)
}

/// Modified Bessel function of order 0, by its series.
fn bessel_i0(x: f64) -> f64 {
    let (mut sum, mut term, mut k) = (1.0, 1.0, 1.0);
    while term > 1e-18 * sum {
        term *= (x / (2.0 * k)) * (x / (2.0 * k));
        sum += term;
        k += 1.0;
    }
    sum
}

/// The last frames and the newest ones behind them, in one piece: sums over it need no wrapping.
#[derive(Clone)]
struct Window {
    frames: Vec<Frame>,
    /// Frames of the past that sums reach back to.
    past: usize,
}

impl Window {
    /// With room for `most` new frames at a time.
    fn new(past: usize, most: usize) -> Self {
        Self { frames: vec![[0.0; 2]; past + most], past }
    }

    /// Puts new frames behind the past; the first of them is then number `past`.
    fn add<'a>(&mut self, new: impl Iterator<Item = &'a Frame>) {
        self.frames[self.past..].iter_mut().zip(new).for_each(|(to, frame)| *to = *frame);
    }

    /// Makes so many new frames the past.
    fn slide(&mut self, new: usize) {
        self.frames.copy_within(new..new + self.past, 0);
    }

    fn reset(&mut self) {
        self.frames.fill([0.0; 2]);
    }
}

/// A tap for both sides, where a processor fetches it at once.
#[derive(Clone, Copy)]
#[repr(align(16))]
struct Tap(Frame);

impl Tap {
    fn new(tap: f64) -> Self {
        Self([tap; 2])
    }
}

/// Sum over taps of pairs of frames: `below` runs back from its last, `above` on from its first.
/// Four sums side by side, so that one need not wait for another.
#[inline]
fn sum_of_pairs(taps: &[Tap], below: &[Frame], above: &[Frame]) -> Frame {
    const LANES: usize = 4;
    let add = |sum: Frame, tap: Tap, a: Frame, b: Frame| {
        let [left, right] = tap.0;
        [sum[0] + left * (a[0] + b[0]), sum[1] + right * (a[1] + b[1])]
    };
    let (mut s0, mut s1, mut s2, mut s3) = ([0.0; 2], [0.0; 2], [0.0; 2], [0.0; 2]);
    let (four, rest) = (taps.chunks_exact(LANES), taps.len() % LANES);
    for ((tap, a), b) in four.zip(below.rchunks_exact(LANES)).zip(above.chunks_exact(LANES)) {
        s0 = add(s0, tap[0], a[3], b[0]);
        s1 = add(s1, tap[1], a[2], b[1]);
        s2 = add(s2, tap[2], a[1], b[2]);
        s3 = add(s3, tap[3], a[0], b[3]);
    }
    let whole = taps.len() - rest;
    for (k, tap) in taps[whole..].iter().enumerate() {
        s0 = add(s0, *tap, below[rest - 1 - k], above[whole + k]);
    }
    [(s0[0] + s1[0]) + (s2[0] + s3[0]), (s0[1] + s1[1]) + (s2[1] + s3[1])]
}

/// The way down, and what it has been given, with what waits for whole frames.
#[derive(Clone)]
enum Falling {
    /// Through the half-band: of each pair of frames the first meets the outer taps, the second the middle one.
    Half { beside: Window, middle: Window },
    /// Through a low-pass that stops from half the base rate on: the middle tap and those
    /// outwards from it.
    Edge { middle: f64, taps: Vec<Tap>, given: Window },
}

impl Falling {
    /// Of the stage behind so many doublings, for `reach` outer taps and blocks of `low` frames.
    fn new(transition: f64, doubled: u32, reach: usize, low: usize) -> Self {
        let (_, _, wait) = delays(transition, doubled);
        if doubled == 0 {
            let taps = edge_taps(transition);
            let given = Window::new(2 * (taps.len() - 1) + wait, 2 * low);
            Self::Edge { middle: taps[0], taps: taps[1..].iter().copied().map(Tap::new).collect(), given }
        } else {
            // Both ways together are late by a whole number of pairs here, and so is what waits.
            let wait = wait / 2;
            Self::Half { beside: Window::new(2 * reach - 1 + wait, low), middle: Window::new(reach + wait, low) }
        }
    }

    fn reset(&mut self) {
        match self {
            Self::Half { beside, middle } => [beside, middle].into_iter().for_each(Window::reset),
            Self::Edge { given, .. } => given.reset(),
        }
    }

    /// Half as many frames; `outer` are the taps of the half-band.
    fn run(&mut self, outer: &[Tap], high: &[Frame], low: &mut [Frame]) {
        match self {
            Self::Half { beside, middle } => {
                let reach = outer.len();
                beside.add(high.iter().step_by(2));
                middle.add(high.iter().skip(1).step_by(2));
                for ((out, about), itself) in low.iter_mut().zip(beside.frames.windows(2 * reach)).zip(&middle.frames) {
                    let (below, above) = about.split_at(reach);
                    let [l, r] = sum_of_pairs(outer, below, above);
                    *out = [l + 0.5 * itself[0], r + 0.5 * itself[1]];
                }
                beside.slide(low.len());
                middle.slide(low.len());
            }
            Self::Edge { middle, taps, given } => {
                let reach = taps.len();
                given.add(high.iter());
                for (out, about) in low.iter_mut().zip(given.frames.windows(2 * reach + 1).step_by(2)) {
                    let [l, r] = sum_of_pairs(taps, &about[..reach], &about[reach + 1..]);
                    *out = [l + *middle * about[reach][0], r + *middle * about[reach][1]];
                }
                given.slide(high.len());
            }
        }
    }
}

/// The stage, running both ways.
#[derive(Clone)]
pub(super) struct Stage {
    /// The taps beside the middle, outwards; the same on both sides.
    taps: Vec<Tap>,
    /// Inputs of the way up.
    rising: Window,
    falling: Falling,
}

impl Stage {
    pub(super) fn new(transition: f64, doubled: u32) -> Self {
        let reach = reach(transition);
        let tap = |k: usize| {
            let n = (2 * k + 1) as f64;
            sin(0.5 * PI * n) / (PI * n) * window(n / (2.0 * reach as f64))
        };
        let taps: Vec<f64> = (0..reach).map(tap).collect();
        // Both phases let a constant pass alike: the outer taps sum to one half.
        let sum: f64 = 2.0 * taps.iter().sum::<f64>();
        let low = BLOCK << doubled;
        Self {
            taps: taps.iter().map(|tap| Tap::new(tap * (0.5 / sum))).collect(),
            rising: Window::new(2 * reach - 1, low),
            falling: Falling::new(transition, doubled, reach, low),
        }
    }

    pub(super) fn reset(&mut self) {
        self.rising.reset();
        self.falling.reset();
    }

    /// Twice as many frames: between each two the sum over the outer taps.
    pub(super) fn up(&mut self, low: &[Frame], high: &mut [Frame]) {
        let reach = self.taps.len();
        self.rising.add(low.iter());
        for (pair, frames) in high.chunks_exact_mut(2).zip(self.rising.frames.windows(2 * reach)) {
            let (below, above) = frames.split_at(reach);
            // Twice the taps: half of the frames at the upper rate are zeros.
            let [l, r] = sum_of_pairs(&self.taps, below, above);
            pair[0] = [2.0 * l, 2.0 * r];
            pair[1] = above[0];
        }
        self.rising.slide(low.len());
    }

    /// Half as many frames.
    pub(super) fn down(&mut self, high: &[Frame], low: &mut [Frame]) {
        self.falling.run(&self.taps, high, low);
    }
}

/// Taps of the first stage's low-pass, the middle one and those outwards from it.
fn edge_taps(transition: f64) -> Vec<f64> {
    let reach = edge_reach(transition);
    // The middle of the transition between what passes and half the base rate, in periods a
    // frame at the upper rate.
    let cut = 0.25 - 0.25 * transition;
    let tap = |n: usize| match n {
        0 => 2.0 * cut,
        _ => sin(2.0 * PI * cut * n as f64) / (PI * n as f64) * window(n as f64 / (reach as f64 + 1.0)),
    };
    let mut taps: Vec<f64> = (0..=reach).map(tap).collect();
    let sum = 2.0 * taps.iter().sum::<f64>() - taps[0];
    taps.iter_mut().for_each(|tap| *tap /= sum);
    taps
}
