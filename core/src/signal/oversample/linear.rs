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

use crate::signal::Frame;
use crate::signal::math::{PI, sin};

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

/// A line of the last frames.
#[derive(Clone)]
struct Line {
    frames: Vec<Frame>,
    newest: usize,
}

impl Line {
    fn new(len: usize) -> Self {
        Self { frames: vec![[0.0; 2]; len], newest: 0 }
    }

    fn push(&mut self, frame: Frame) {
        self.newest = if self.newest == 0 { self.frames.len() - 1 } else { self.newest - 1 };
        self.frames[self.newest] = frame;
    }

    /// The frame pushed `back` pushes ago.
    fn at(&self, back: usize) -> Frame {
        let i = self.newest + back;
        self.frames[if i >= self.frames.len() { i - self.frames.len() } else { i }]
    }

    fn reset(&mut self) {
        self.frames.fill([0.0; 2]);
    }
}

/// The way down.
#[derive(Clone)]
enum Falling {
    /// Through the half-band: inputs that fall on the middle tap's phase, and on the others'.
    Half { middle: Line, others: Line },
    /// Through a low-pass that stops from half the base rate on: the middle tap and those
    /// outwards from it, and the inputs.
    Edge { taps: Vec<f64>, line: Line },
}

/// The stage, running both ways.
#[derive(Clone)]
pub(super) struct LinearStage {
    /// The taps beside the middle, outwards; the same on both sides.
    taps: Vec<f64>,
    /// Inputs of the way up.
    rising: Line,
    falling: Falling,
    /// What waits for whole frames.
    waiting: Line,
    wait: usize,
}

impl LinearStage {
    pub(super) fn new(transition: f64, doubled: u32) -> Self {
        let reach = reach(transition);
        let (_, _, wait) = delays(transition, doubled);
        let tap = |k: usize| {
            let n = (2 * k + 1) as f64;
            sin(0.5 * PI * n) / (PI * n) * window(n / (2.0 * reach as f64))
        };
        let mut taps: Vec<f64> = (0..reach).map(tap).collect();
        // Both phases let a constant pass alike: the outer taps sum to one half.
        let sum: f64 = 2.0 * taps.iter().sum::<f64>();
        taps.iter_mut().for_each(|tap| *tap *= 0.5 / sum);
        Self {
            taps,
            rising: Line::new(2 * reach),
            falling: if doubled == 0 {
                let taps = edge_taps(transition);
                Falling::Edge { line: Line::new(2 * taps.len() - 1), taps }
            } else {
                Falling::Half { middle: Line::new(reach + 1), others: Line::new(2 * reach) }
            },
            waiting: Line::new(wait + 1),
            wait,
        }
    }

    pub(super) fn reset(&mut self) {
        self.rising.reset();
        self.waiting.reset();
        match &mut self.falling {
            Falling::Half { middle, others } => {
                middle.reset();
                others.reset();
            }
            Falling::Edge { line, .. } => line.reset(),
        }
    }

    /// Sum over the taps of frames either side of the middle of a line.
    fn sum(taps: &[f64], line: &Line) -> Frame {
        let reach = taps.len();
        let mut sum = [0.0; 2];
        for (k, tap) in taps.iter().enumerate() {
            let (a, b) = (line.at(reach - 1 - k), line.at(reach + k));
            sum[0] += tap * (a[0] + b[0]);
            sum[1] += tap * (a[1] + b[1]);
        }
        sum
    }

    /// Twice as many frames: between each two the sum over the outer taps.
    pub(super) fn up(&mut self, low: &[Frame], high: &mut [Frame]) {
        let reach = self.taps.len();
        for (x, pair) in low.iter().zip(high.chunks_exact_mut(2)) {
            self.rising.push(*x);
            // Twice the taps: half of the frames at the upper rate are zeros.
            let [l, r] = Self::sum(&self.taps, &self.rising);
            pair[0] = [2.0 * l, 2.0 * r];
            pair[1] = self.rising.at(reach - 1);
        }
    }

    /// Half as many frames.
    pub(super) fn down(&mut self, high: &[Frame], low: &mut [Frame]) {
        let reach = self.taps.len();
        for (pair, out) in high.chunks_exact(2).zip(low) {
            let mut late = [[0.0; 2]; 2];
            for (x, late) in pair.iter().zip(&mut late) {
                self.waiting.push(*x);
                *late = self.waiting.at(self.wait);
            }
            *out = match &mut self.falling {
                // The middle tap falls on the second frame of a pair that came up a moment ago.
                Falling::Half { middle, others } => {
                    others.push(late[0]);
                    let [l, r] = Self::sum(&self.taps, others);
                    let central = middle.at(reach - 1);
                    middle.push(late[1]);
                    [0.5 * central[0] + l, 0.5 * central[1] + r]
                }
                Falling::Edge { taps, line } => {
                    line.push(late[0]);
                    let sum = sum_about_the_middle(taps, line);
                    line.push(late[1]);
                    sum
                }
            };
        }
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

fn sum_about_the_middle(taps: &[f64], line: &Line) -> Frame {
    let reach = taps.len() - 1;
    let middle = line.at(reach);
    let mut sum = [taps[0] * middle[0], taps[0] * middle[1]];
    for (n, tap) in taps.iter().enumerate().skip(1) {
        let (a, b) = (line.at(reach - n), line.at(reach + n));
        sum[0] += tap * (a[0] + b[0]);
        sum[1] += tap * (a[1] + b[1]);
    }
    sum
}
