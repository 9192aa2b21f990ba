//! Convolution with a recorded response of any length, without delay.
//!
//! Partitions of two lengths (Gardner, *Efficient Convolution without Input-Output Delay*, JAES
//! 1995): short ones for the beginning, so that nothing is late, long ones for the rest, so that
//! seconds cost little. The long ones come out late by just what the short ones cover. The work
//! for them is spread evenly over the blocks between two of their transforms, so that no block
//! takes much longer than another; so is the making of their spectra, of which each is there
//! before the sound that meets it.

use std::sync::Arc;

use zinc_fourier::Complex64;

use super::convolver::{Convolver, Kernel, Transform, add_product, bins, lag, right_as_left};
use crate::signal::{BLOCK, Frame, Sound};

/// Frames of a long partition.
const PART: usize = 2048;
/// Blocks in one.
const BLOCKS: usize = PART / BLOCK;
/// Responses up to this length have short partitions only.
const SHORT: usize = 2 * PART;

/// A running convolution of the left with the left side of a response, of the right with its
/// right.
#[derive(Clone)]
pub struct LongConvolver {
    head: Convolver,
    rest: Option<Rest>,
}

impl LongConvolver {
    /// At rest on a response.
    #[must_use]
    pub fn new(response: &Arc<Sound>) -> Self {
        let frames = response.frames();
        let covered = if frames <= SHORT { frames } else { lag(PART) };
        let parts = covered.div_ceil(BLOCK).max(1);
        let mut head = Convolver::new(BLOCK, parts, 1 + usize::from(!response.is_mono()));
        head.change_to(&mut kernel(response, parts));
        head.snap();
        Self { head, rest: (frames > SHORT).then(|| Rest::new(response)) }
    }

    /// Takes another response at once and gives what that makes of what was heard before: whoever
    /// runs it fades from what it was. Where it takes more partitions of a kind than there were, what
    /// those would have heard is silence.
    pub fn turn_to(&mut self, response: &Arc<Sound>) {
        let mut turned = Self::new(response);
        turned.head.go_on_from(&self.head);
        if let (Some(rest), Some(before)) = (&mut turned.rest, &self.rest) {
            rest.go_on_from(before);
        }
        *self = turned;
    }

    /// Forgets the past.
    pub fn reset(&mut self) {
        self.head.reset();
        if let Some(rest) = &mut self.rest {
            rest.reset();
        }
    }

    /// Works on a block in place.
    pub fn process(&mut self, frames: &mut [Frame; BLOCK]) {
        let Some(rest) = &mut self.rest else {
            self.head.process(frames);
            return;
        };
        let late = *rest.process(frames);
        self.head.process(frames);
        for (frame, late) in frames.iter_mut().zip(late) {
            frame[0] += late[0];
            frame[1] += late[1];
        }
    }
}

/// The first short partitions of a response.
fn kernel(response: &Sound, parts: usize) -> Kernel {
    let mut transform = Transform::new(BLOCK);
    let apart = !response.is_mono();
    let mut kernel = Kernel::silent(BLOCK, parts, 1 + usize::from(apart));
    kernel.apart = apart;
    for way in 0..kernel.used_ways() {
        for part in 0..parts {
            transform.put(&mut kernel, way, part, &taps::<BLOCK>(response, way, part * BLOCK));
        }
    }
    kernel
}

/// Taps of one side from one on, silence behind the last.
fn taps<const N: usize>(response: &Sound, side: usize, from: usize) -> [f64; N] {
    let all = response.sides()[side];
    std::array::from_fn(|i| all.get(from + i).copied().map_or(0.0, f64::from))
}

/// Spectra of the long partitions of a response, of one side or both.
struct LongKernel {
    sides: Arc<Vec<Vec<Complex64>>>,
    /// Partitions whose spectra have been made. Until all are, nobody else holds the spectra.
    made: usize,
    parts: usize,
}

impl Clone for LongKernel {
    /// What is made is shared: it is much, and it never changes again.
    fn clone(&self) -> Self {
        let whole = self.made == self.parts;
        let sides = if whole { self.sides.clone() } else { Arc::new(Vec::clone(&self.sides)) };
        Self { sides, ..*self }
    }
}

impl LongKernel {
    fn new(parts: usize, sides: usize) -> Self {
        let silent = || vec![Complex64::ZERO; parts * bins(PART)];
        Self { sides: Arc::new((0..sides).map(|_| silent()).collect()), made: 0, parts }
    }

    /// Makes the spectra of the next partition.
    fn make_one(&mut self, response: &Sound, transform: &mut Transform) {
        let Some(sides) = Arc::get_mut(&mut self.sides).filter(|_| self.made < self.parts) else { return };
        let slot = self.made * bins(PART)..(self.made + 1) * bins(PART);
        for (side, spectra) in sides.iter_mut().enumerate() {
            transform.time[..PART].copy_from_slice(&taps::<PART>(response, side, lag(PART) + self.made * PART));
            transform.time[PART..].fill(0.0);
            transform.analyse(&mut spectra[slot.clone()]);
        }
        self.made += 1;
    }

    /// Spectrum of a partition for a channel.
    fn of(&self, channel: usize, part: usize) -> &[Complex64] {
        &self.sides[channel.min(self.sides.len() - 1)][part * bins(PART)..(part + 1) * bins(PART)]
    }
}

/// What lies behind the short partitions.
#[derive(Clone)]
struct Rest {
    response: Arc<Sound>,
    transform: Transform,
    kernel: LongKernel,
    /// The partition before and the one being filled, for each channel.
    input: [Vec<f64>; 2],
    /// What the last whole partition gave.
    output: [Vec<f64>; 2],
    /// Frames of the partition being filled.
    filled: usize,
    /// Spectra of the last inputs of each channel, as many as the kernel has partitions: a ring.
    heard: [Vec<Complex64>; 2],
    newest: usize,
    /// What all but the first partition will give next, as far as it has been added up.
    sum: [Vec<Complex64>; 2],
    /// Partitions of it added up, the first left out.
    added: usize,
    given: [Frame; BLOCK],
    /// As that of a [`Convolver`].
    alike: bool,
}

impl Rest {
    fn new(response: &Arc<Sound>) -> Self {
        let parts = (response.frames() - lag(PART)).div_ceil(PART);
        Self {
            response: response.clone(),
            transform: Transform::new(PART),
            kernel: LongKernel::new(parts, if response.is_mono() { 1 } else { 2 }),
            input: std::array::from_fn(|_| vec![0.0; 2 * PART]),
            output: std::array::from_fn(|_| vec![0.0; PART]),
            filled: 0,
            heard: std::array::from_fn(|_| vec![Complex64::ZERO; parts * bins(PART)]),
            newest: 0,
            sum: std::array::from_fn(|_| vec![Complex64::ZERO; bins(PART)]),
            added: 0,
            given: [[0.0; 2]; BLOCK],
            alike: response.is_mono(),
        }
    }

    /// From here on both sides are worked out, the right from what the left has heard.
    fn part_sides(&mut self) {
        if std::mem::take(&mut self.alike) {
            right_as_left(&mut self.input);
            right_as_left(&mut self.output);
            right_as_left(&mut self.heard);
            right_as_left(&mut self.sum);
        }
    }

    /// Sides that are worked out.
    fn sides(&self) -> usize {
        if self.alike { 1 } else { 2 }
    }

    /// Goes on from what another has heard: all spectra are made, and what the partition being
    /// filled is answered with is worked out anew.
    fn go_on_from(&mut self, other: &Self) {
        let (bins, parts) = (bins(PART), self.kernel.parts);
        while self.kernel.made < parts {
            self.kernel.make_one(&self.response, &mut self.transform);
        }
        (self.filled, self.newest) = (other.filled, parts - 1);
        for channel in 0..2 {
            let heard = if other.alike { 0 } else { channel };
            self.input[channel].copy_from_slice(&other.input[heard]);
            for ago in 0..parts.min(other.kernel.parts) {
                let from = (other.newest + other.kernel.parts - ago) % other.kernel.parts * bins;
                let to = (self.newest - ago) * bins;
                self.heard[channel][to..to + bins].copy_from_slice(&other.heard[heard][from..from + bins]);
            }
        }
        self.alike = other.alike && self.response.is_mono();
        for channel in 0..self.sides() {
            for ago in 0..parts {
                let heard = (self.newest - ago) * bins..(self.newest - ago + 1) * bins;
                add_product(&mut self.sum[channel], &self.heard[channel][heard], self.kernel.of(channel, ago));
            }
            self.lay_out(channel);
        }
    }

    /// Lays out what a channel's partitions give together.
    fn lay_out(&mut self, channel: usize) {
        let sum = &mut self.sum[channel];
        let scale = 1.0 / (2 * PART) as f64;
        sum.iter_mut().for_each(|bin| *bin *= scale);
        self.transform.synthesise(sum);
        sum.fill(Complex64::ZERO);
        self.output[channel].copy_from_slice(&self.transform.time[PART..]);
    }

    fn reset(&mut self) {
        for channel in 0..2 {
            self.input[channel].fill(0.0);
            self.output[channel].fill(0.0);
            self.heard[channel].fill(Complex64::ZERO);
            self.sum[channel].fill(Complex64::ZERO);
        }
        (self.filled, self.added) = (0, 0);
        self.alike = self.response.is_mono();
    }

    /// Takes in a block and gives what falls into it.
    fn process(&mut self, frames: &[Frame; BLOCK]) -> &[Frame; BLOCK] {
        if !frames.iter().all(|[left, right]| left == right) {
            self.part_sides();
        }
        let last = self.sides() - 1;
        for (i, frame) in frames.iter().enumerate() {
            for (channel, sample) in frame.iter().enumerate().take(last + 1) {
                self.input[channel][PART + self.filled + i] = *sample;
            }
        }
        self.filled += BLOCK;
        self.kernel.make_one(&self.response, &mut self.transform);
        self.add_up_to((self.kernel.parts - 1) * (self.filled / BLOCK) / BLOCKS);
        if self.filled == PART {
            self.filled = 0;
            self.turn();
        }
        for (i, frame) in self.given.iter_mut().enumerate() {
            *frame = [0, last].map(|channel| self.output[channel][self.filled + i]);
        }
        &self.given
    }

    /// Adds up what the partitions behind the first will give, so many of them.
    fn add_up_to(&mut self, count: usize) {
        let bins = bins(PART);
        while self.added < count {
            self.added += 1;
            // The input that is being filled will be the newest by then.
            let slot = (self.newest + 1 + self.kernel.parts - self.added) % self.kernel.parts;
            for channel in 0..self.sides() {
                let heard = &self.heard[channel][slot * bins..(slot + 1) * bins];
                add_product(&mut self.sum[channel], heard, self.kernel.of(channel, self.added));
            }
        }
    }

    /// A partition is whole: its own product is added and what all give is laid out.
    fn turn(&mut self) {
        let bins = bins(PART);
        self.newest = (self.newest + 1) % self.kernel.parts;
        let slot = self.newest * bins..(self.newest + 1) * bins;
        for channel in 0..self.sides() {
            self.transform.time.copy_from_slice(&self.input[channel]);
            self.transform.analyse(&mut self.heard[channel][slot.clone()]);
            self.input[channel].copy_within(PART.., 0);
            let own = self.kernel.of(channel, 0);
            add_product(&mut self.sum[channel], &self.heard[channel][slot.clone()], own);
            self.lay_out(channel);
        }
        self.added = 0;
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::signal::noise::white;

    /// A stereo response with a few taps: side, frame, value.
    fn response(frames: usize, set: &[(usize, usize, f32)]) -> Arc<Sound> {
        let mut samples = vec![0.0; 2 * frames];
        set.iter().for_each(|(side, at, value)| samples[2 * at + side] = *value);
        Arc::new(Sound::new(&samples, 2, 48_000.0))
    }

    fn noise(n: usize) -> Frame {
        [0.5 * white(n), 0.5 * white(n + 1_000_003)]
    }

    fn run(convolver: &mut LongConvolver, frames: usize) -> Vec<Frame> {
        let block = |first: usize| {
            let mut block = std::array::from_fn(|i| noise(first + i));
            convolver.process(&mut block);
            block
        };
        (0..frames).step_by(BLOCK).flat_map(block).collect()
    }

    #[test]
    fn it_is_the_sum_of_delayed_copies_without_delay_at_any_length() {
        for frames in [1, 100, 4096, 4097, 5000, 30_000] {
            let places = [0, 1, 127, 1919, 1920, 2047, 3967, 3968, 4095, 4096, 12_345, 29_999];
            let taps: Vec<_> = places
                .iter()
                .filter(|at| **at < frames)
                .enumerate()
                .map(|(i, at)| (i % 2, *at, 0.5 - i as f32 * 0.0625))
                .collect();
            let mut convolver = LongConvolver::new(&response(frames, &taps));
            for (n, found) in run(&mut convolver, 40_960).iter().enumerate() {
                for (side, found) in found.iter().enumerate() {
                    let own = taps.iter().filter(|t| t.0 == side);
                    let want: f64 = own.filter_map(|t| Some(f64::from(t.2) * noise(n.checked_sub(t.1)?)[side])).sum();
                    assert!((found - want).abs() < 1e-12, "{frames} frames, side {side}, frame {n}");
                }
            }
        }
    }

    #[test]
    fn sides_that_part_after_a_while_go_on_from_what_both_have_heard() {
        let taps = [(0, 0.5f32), (3000, -0.25), (9000, 1.0)];
        let mut samples = vec![0.0; 10_000];
        taps.iter().for_each(|(at, value)| samples[*at] = *value);
        let response = Arc::new(Sound::new(&samples, 1, 48_000.0));
        for parts_at in [0, 1280, 12_800] {
            let signal = |n: usize| if n < parts_at { [noise(n)[0]; 2] } else { noise(n) };
            let mut convolver = LongConvolver::new(&response);
            for block in 0..250 {
                let mut frames = std::array::from_fn(|i| signal(block * BLOCK + i));
                convolver.process(&mut frames);
                for (i, found) in frames.iter().enumerate() {
                    let n = block * BLOCK + i;
                    let copy =
                        |side: usize| move |t: &(usize, f32)| Some(f64::from(t.1) * signal(n.checked_sub(t.0)?)[side]);
                    let want = [0, 1].map(|side| taps.iter().filter_map(copy(side)).sum::<f64>());
                    assert!((0..2).all(|k| (found[k] - want[k]).abs() < 1e-12), "apart from {parts_at}, frame {n}");
                }
                if block == 200 {
                    // What it turns to goes on from the same.
                    convolver.turn_to(&response);
                }
            }
        }
    }

    #[test]
    fn a_twin_taken_before_all_spectra_are_made_goes_on_as_the_first_does() {
        let response = response(60_000, &[(0, 0, 1.0), (1, 9000, 0.5), (0, 59_999, -0.5)]);
        for blocks in [0, 3, 20, 60] {
            let mut first = LongConvolver::new(&response);
            run(&mut first, blocks * BLOCK);
            let mut twin = first.clone();
            assert_eq!(run(&mut first, 90_112), run(&mut twin, 90_112), "after {blocks} blocks");
        }
    }

    #[test]
    fn turned_to_another_response_it_goes_on_as_if_it_had_always_had_it() {
        // The last two take more short partitions than there were: those begin in silence.
        let lengths =
            [(20_000, 20_000, 0), (20_000, 9000, 0), (4000, 3000, 0), (3000, 4000, 4096), (20_000, 3000, 3072)];
        for (before, after, silent) in lengths {
            for blocks in [3, 16, 37, 200] {
                let old = response(before, &[(0, 0, 1.0), (1, before - 1, 0.5)]);
                let new = response(after, &[(0, 1, -0.5), (1, 700, 1.0), (0, after - 1, 0.25)]);
                let (mut turned, mut always) = (LongConvolver::new(&old), LongConvolver::new(&new));
                run(&mut turned, blocks * BLOCK);
                run(&mut always, blocks * BLOCK);
                turned.turn_to(&new);
                // What each hears from here on is the same.
                let (a, b) = (run(&mut turned, 40_960), run(&mut always, 40_960));
                let off = a.iter().zip(&b).skip(silent).flat_map(|(a, b)| [a[0] - b[0], a[1] - b[1]]);
                let most = off.fold(0.0f64, |most, x| most.max(x.abs()));
                assert!(most < 1e-12, "{before} to {after} after {blocks} blocks: {most}");
            }
        }
    }

    #[test]
    fn reset_in_the_midst_of_a_partition_it_sounds_as_if_new() {
        let response = response(20_000, &[(0, 0, 1.0), (1, 5000, 0.5), (0, 19_999, -0.5)]);
        let (mut used, mut fresh) = (LongConvolver::new(&response), LongConvolver::new(&response));
        run(&mut used, 5 * BLOCK);
        used.reset();
        assert_eq!(run(&mut used, 24_576), run(&mut fresh, 24_576));
    }
}
