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

/// The last samples and the newest ones behind them, each side in one piece: sums over it need no wrapping. As long as
/// both sides are the same, as of one microphone, only the left is kept.
#[derive(Clone)]
struct Window {
    sides: [Vec<f64>; 2],
    /// Samples of the past that sums reach back to.
    past: usize,
    /// Which of them holds the right.
    right: usize,
}

impl Window {
    /// With room for `most` new frames at a time.
    fn new(past: usize, most: usize) -> Self {
        Self { sides: [(); 2].map(|()| vec![0.0; past + most]), past, right: 0 }
    }

    /// Puts new frames behind the past; the first of them is then number `past`.
    fn add<'a>(&mut self, new: impl Iterator<Item = &'a Frame> + Clone) {
        let apart = new.clone().fold(0, |differs, [l, r]| differs | (l.to_bits() ^ r.to_bits()));
        let [left, right] = &mut self.sides;
        if self.right == 0 && apart != 0 {
            right[..self.past].copy_from_slice(&left[..self.past]);
            self.right = 1;
        }
        if self.right == 0 {
            left[self.past..].iter_mut().zip(new).for_each(|(to, frame)| *to = frame[0]);
        } else {
            let both = left[self.past..].iter_mut().zip(&mut right[self.past..]);
            both.zip(new).for_each(|((l, r), frame)| [*l, *r] = *frame);
        }
    }

    /// Left and right from a sample on.
    fn both(&self, from: usize) -> [&[f64]; 2] {
        [0, self.right].map(|side| &self.sides[side][from..])
    }

    /// Makes so many new frames the past.
    fn slide(&mut self, new: usize) {
        self.sides[..=self.right].iter_mut().for_each(|side| side.copy_within(new..new + self.past, 0));
    }

    fn reset(&mut self) {
        self.sides.iter_mut().for_each(|side| side.fill(0.0));
        self.right = 0;
    }
}

/// Sums that are made side by side.
const GROUP: usize = 4;

/// Adds sums over taps of pairs of samples: to number `n` of `to` that in which the first tap meets
/// `below[n + taps - 1]` and `above[n]`, and those behind it what lies further down and up. `to` holds whole groups.
fn add_pairs(taps: &[f64], below: &[f64], above: &[f64], to: &mut [f64]) {
    // What four taps of a group reach.
    const SPAN: usize = GROUP + 3;
    let (four, rest) = taps.as_chunks::<4>();
    for (at, to) in to.as_chunks_mut::<GROUP>().0.iter_mut().enumerate() {
        let from = at * GROUP;
        let (mut below, mut above) = (&below[from..from + taps.len() + GROUP - 1], &above[from..]);
        // One for each of four taps, so that none need wait for another.
        let mut lanes = [[0.0; GROUP]; 4];
        for taps in four {
            let (Some(a), Some(b)) = (below.last_chunk::<SPAN>(), above.first_chunk::<SPAN>()) else { break };
            for (k, (lane, tap)) in lanes.iter_mut().zip(taps).enumerate() {
                lane.iter_mut().enumerate().for_each(|(n, sum)| *sum += tap * (a[3 - k + n] + b[k + n]));
            }
            (below, above) = (&below[..below.len() - 4], &above[4..]);
        }
        for tap in rest {
            let (Some(a), Some(b)) = (below.last_chunk::<GROUP>(), above.first_chunk::<GROUP>()) else { break };
            lanes[0].iter_mut().zip(a.iter().zip(b)).for_each(|(sum, (a, b))| *sum += tap * (a + b));
            (below, above) = (&below[..below.len() - 1], &above[1..]);
        }
        let [one, two, three, four] = lanes;
        to.iter_mut().enumerate().for_each(|(n, to)| *to += (one[n] + two[n]) + (three[n] + four[n]));
    }
}

/// What is made of windows, left and right; the left alone where all of them have both sides the same.
#[derive(Clone)]
struct Sums {
    sides: [Vec<f64>; 2],
    right: usize,
}

impl Sums {
    fn new(most: usize) -> Self {
        Self { sides: [(); 2].map(|()| vec![0.0; most]), right: 0 }
    }

    /// Begins with so much of a window's samples from one on; another whose sums come to it is known by its right.
    fn begin(&mut self, gain: f64, window: &Window, from: usize, other: &Window) {
        self.right = window.right.max(other.right);
        for (side, given) in self.sides[..=self.right].iter_mut().zip(window.both(from)) {
            side.iter_mut().zip(given).for_each(|(to, x)| *to = gain * x);
        }
    }

    /// Adds what taps make of a window, where the first of them meets sample `above` and one below.
    fn add(&mut self, taps: &[f64], window: &Window, above: usize) {
        let both = window.both(0).into_iter().zip(window.both(above));
        for (side, (below, above)) in self.sides[..=self.right].iter_mut().zip(both) {
            add_pairs(taps, below, above, side);
        }
    }

    fn frames(&self) -> impl Iterator<Item = Frame> {
        let [left, right] = [0, self.right].map(|side| &self.sides[side]);
        left.iter().zip(right).map(|(l, r)| [*l, *r])
    }
}

/// The way down, and what it has been given, with what waits for whole frames; of each pair of frames the first is even,
/// the second odd.
#[derive(Clone)]
enum Falling {
    /// Through the half-band: the even frames meet the outer taps, the odd ones the middle one.
    Half { even: Window, odd: Window },
    /// Through a low-pass that stops from half the base rate on: the middle tap and every second of those outwards from
    /// it meet the odd frames, those between them the even ones.
    Edge { middle: f64, beside: Vec<f64>, between: Vec<f64>, even: Window, odd: Window },
}

impl Falling {
    /// Of the stage behind so many doublings, for `reach` outer taps and blocks of `low` frames.
    fn new(transition: f64, doubled: u32, reach: usize, low: usize) -> Self {
        let (_, _, wait) = delays(transition, doubled);
        // Both ways together are late by a whole number of pairs, and so is what waits.
        let wait = wait / 2;
        if doubled == 0 {
            let taps = edge_taps(transition);
            let outwards = |from: usize| taps[from..].iter().copied().step_by(2).collect();
            let window = || Window::new(taps.len() - 1 + wait, low);
            Self::Edge { middle: taps[0], beside: outwards(2), between: outwards(1), even: window(), odd: window() }
        } else {
            Self::Half { even: Window::new(2 * reach - 1 + wait, low), odd: Window::new(reach + wait, low) }
        }
    }

    fn windows(&mut self) -> [&mut Window; 2] {
        match self {
            Self::Half { even, odd } | Self::Edge { even, odd, .. } => [even, odd],
        }
    }

    /// Half as many frames; `outer` are the taps of the half-band.
    fn run(&mut self, outer: &[f64], high: &[Frame], sums: &mut Sums) {
        let [even, odd] = self.windows();
        even.add(high.iter().step_by(2));
        odd.add(high.iter().skip(1).step_by(2));
        match self {
            Self::Half { even, odd } => {
                sums.begin(0.5, odd, 0, even);
                sums.add(outer, even, outer.len());
            }
            Self::Edge { middle, beside, between, even, odd } => {
                sums.begin(*middle, odd, beside.len(), even);
                sums.add(between, even, between.len());
                // The middle lies between those beside it.
                sums.add(beside, odd, beside.len() + 1);
            }
        }
        self.windows().into_iter().for_each(|window| window.slide(high.len() / 2));
    }
}

/// The stage, running both ways.
#[derive(Clone)]
pub(super) struct Stage {
    /// The taps beside the middle, outwards; the same on both sides.
    taps: Vec<f64>,
    /// Inputs of the way up.
    rising: Window,
    falling: Falling,
    sums: Sums,
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
            taps: taps.iter().map(|tap| tap * (0.5 / sum)).collect(),
            rising: Window::new(2 * reach - 1, low),
            falling: Falling::new(transition, doubled, reach, low),
            sums: Sums::new(low),
        }
    }

    pub(super) fn reset(&mut self) {
        self.rising.reset();
        self.falling.windows().into_iter().for_each(Window::reset);
    }

    /// Twice as many frames: between each two the sum over the outer taps.
    pub(super) fn up(&mut self, low: &[Frame], high: &mut [Frame]) {
        let Self { taps, rising, sums, .. } = self;
        rising.add(low.iter());
        sums.begin(0.0, rising, taps.len(), rising);
        sums.add(taps, rising, taps.len());
        let [left, right] = rising.both(taps.len());
        let itself = left.iter().zip(right);
        for ((pair, [l, r]), (left, right)) in high.as_chunks_mut::<2>().0.iter_mut().zip(sums.frames()).zip(itself) {
            // Twice the taps: half of the frames at the upper rate are zeros.
            *pair = [[2.0 * l, 2.0 * r], [*left, *right]];
        }
        rising.slide(low.len());
    }

    /// Half as many frames.
    pub(super) fn down(&mut self, high: &[Frame], low: &mut [Frame]) {
        self.falling.run(&self.taps, high, &mut self.sums);
        low.iter_mut().zip(self.sums.frames()).for_each(|(to, frame)| *to = frame);
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
