//! Long stereo convolution in equal partitions.
//!
//! Overlap-save with a delay line of input spectra (Stockham 1966; Gardner, *Efficient
//! Convolution without Input-Output Delay*, JAES 1995, section on uniform partitions): the
//! input is transformed once for every partition of the kernel, and what the partitions give
//! is added up before the way back. A new kernel is faded in over one partition. The
//! transforms come from a library that may choose other instructions on another machine:
//! its double-precision results differ below -250 dB, and after rounding to 32-bit samples
//! below -140 dBFS.

use std::sync::Arc;

use zinc_fourier::{Complex64, ComplexToReal, RealToComplex, forward_f64, inverse_f64};

use crate::signal::{BLOCK, Frame};

/// Frames by which the output of partitions of `part` frames lags beyond the kernel itself:
/// none for partitions of one block, which are whole as soon as the block is there.
#[must_use]
pub const fn lag(part: usize) -> usize {
    part - BLOCK
}

/// Bins of a partition's spectrum.
pub(super) const fn bins(part: usize) -> usize {
    part + 1
}

/// The ways through a stereo kernel, in the order of [`Kernel`]: left to left, right to
/// right, right to left, left to right.
pub const WAYS: usize = 4;

/// A kernel ready to run: for each way the spectra of its partitions, one after another.
#[derive(Clone)]
pub struct Kernel {
    ways: [Vec<Complex64>; WAYS],
    /// Whether right to right differs from left to left.
    pub apart: bool,
    /// Whether the sides reach into each other.
    pub crossed: bool,
}

impl Kernel {
    /// Room for `parts` partitions of `part` frames in so many of the ways, silent.
    #[must_use]
    pub fn silent(part: usize, parts: usize, ways: usize) -> Self {
        let mut kernel = Self { ways: std::array::from_fn(|_| Vec::new()), apart: false, crossed: false };
        kernel.make_room(parts * bins(part), ways);
        kernel
    }

    /// Makes room of so many numbers in so many of the ways; what is in it stays.
    fn make_room(&mut self, numbers: usize, ways: usize) {
        self.ways.iter_mut().take(ways).for_each(|way| way.resize(numbers, Complex64::ZERO));
    }

    /// Whether both sides go through the same, each by itself.
    fn is_of_one_side(&self) -> bool {
        !self.apart && !self.crossed
    }

    /// Ways that have to be filled in: the first, and the others where they differ.
    pub fn used_ways(&self) -> usize {
        if self.crossed { WAYS } else { 1 + usize::from(self.apart) }
    }
}

/// The transforms between a partition with as many zeros or predecessors, and a spectrum.
#[derive(Clone)]
pub struct Transform {
    part: usize,
    forward: Arc<dyn RealToComplex<f64>>,
    back: Arc<dyn ComplexToReal<f64>>,
    /// What goes in and comes out.
    pub(super) time: Vec<f64>,
    scratch: Vec<Complex64>,
}

impl Transform {
    /// Plans the transforms for partitions of `part` frames.
    #[must_use]
    pub fn new(part: usize) -> Self {
        let (forward, back) = (forward_f64(2 * part), inverse_f64(2 * part));
        let scratch = vec![Complex64::ZERO; forward.get_scratch_len().max(back.get_scratch_len())];
        Self { part, forward, back, time: vec![0.0; 2 * part], scratch }
    }

    /// Puts partition `part` of the taps of one way into a kernel.
    pub fn put(&mut self, kernel: &mut Kernel, way: usize, part: usize, taps: &[f64]) {
        self.time.fill(0.0);
        self.time[..self.part].copy_from_slice(taps);
        let bins = bins(self.part);
        self.analyse(&mut kernel.ways[way][part * bins..(part + 1) * bins]);
    }

    /// Spectrum of `self.time`, which is used up.
    pub(super) fn analyse(&mut self, spectrum: &mut [Complex64]) {
        // The lengths are those it was planned for; it can refuse nothing else.
        let _ = self.forward.process_with_scratch(&mut self.time, spectrum, &mut self.scratch);
    }

    /// Samples of a spectrum, which is used up, into `self.time`, as many times louder as the
    /// transform is long.
    pub(super) fn synthesise(&mut self, spectrum: &mut [Complex64]) {
        // The two bins that are real by nature must be so to the last bit.
        spectrum[0].im = 0.0;
        spectrum[self.part].im = 0.0;
        let _ = self.back.process_with_scratch(spectrum, &mut self.time, &mut self.scratch);
    }
}

/// A running convolution. Its output lags by [`lag`] frames.
#[derive(Clone)]
pub struct Convolver {
    /// Frames of a partition, a multiple of a block.
    part: usize,
    parts: usize,
    transform: Transform,
    /// The partition before and the one being filled, for each channel.
    input: [Vec<f64>; 2],
    /// What the last whole partition gave.
    output: [Vec<f64>; 2],
    /// Frames of the partition being filled.
    filled: usize,
    /// Spectra of the last `parts` inputs of each channel, a ring.
    spectra: [Vec<Complex64>; 2],
    newest: usize,
    sum: Vec<Complex64>,
    now: Kernel,
    next: Kernel,
    changing: bool,
    /// Whether both sides have been the same ever since it was at rest, and are convolved alike: the left is
    /// worked out for both, and of the right nothing is held.
    alike: bool,
}

impl Convolver {
    /// Convolves with silence until it is given a kernel of `parts` partitions of `part`
    /// frames, a multiple of a block, that uses so many of the ways.
    #[must_use]
    pub fn new(part: usize, parts: usize, ways: usize) -> Self {
        Self {
            part,
            parts,
            transform: Transform::new(part),
            input: std::array::from_fn(|_| vec![0.0; 2 * part]),
            output: std::array::from_fn(|_| vec![0.0; part]),
            filled: 0,
            spectra: std::array::from_fn(|_| vec![Complex64::ZERO; parts * bins(part)]),
            newest: 0,
            sum: vec![Complex64::ZERO; bins(part)],
            now: Kernel::silent(part, parts, ways),
            next: Kernel::silent(part, parts, ways),
            changing: false,
            alike: true,
        }
    }

    /// Makes room for kernels that use more of the ways, this one's own and `other`; not while
    /// sound runs.
    pub fn make_room(&mut self, other: &mut Kernel, ways: usize) {
        let numbers = self.parts * bins(self.part);
        for kernel in [&mut self.now, &mut self.next, other] {
            kernel.make_room(numbers, ways);
        }
    }

    /// Whether a kernel given earlier still waits to be faded in.
    #[must_use]
    pub fn is_changing(&self) -> bool {
        self.changing
    }

    /// Fades to another kernel with the next partition; what was in it before is handed back
    /// in its place as room for the one after.
    pub fn change_to(&mut self, kernel: &mut Kernel) {
        std::mem::swap(&mut self.next, kernel);
        self.changing = true;
        if !self.next.is_of_one_side() {
            self.part_sides();
        }
    }

    /// From here on both sides are worked out, the right from what the left has heard.
    fn part_sides(&mut self) {
        if std::mem::take(&mut self.alike) {
            right_as_left(&mut self.input);
            right_as_left(&mut self.output);
            right_as_left(&mut self.spectra);
        }
    }

    /// Ends a change at once.
    pub fn snap(&mut self) {
        if std::mem::take(&mut self.changing) {
            std::mem::swap(&mut self.now, &mut self.next);
        }
    }

    /// Goes on from what another of the same partitions has heard, which may be longer or shorter.
    pub fn go_on_from(&mut self, other: &Self) {
        let bins = bins(self.part);
        (self.filled, self.newest) = (other.filled, self.parts - 1);
        self.alike = other.alike;
        for channel in 0..self.sides() {
            self.input[channel].copy_from_slice(&other.input[channel]);
            self.output[channel].copy_from_slice(&other.output[channel]);
            self.spectra[channel].fill(Complex64::ZERO);
            for ago in 0..self.parts.min(other.parts) {
                let from = (other.newest + other.parts - ago) % other.parts * bins;
                let to = (self.newest - ago) * bins;
                self.spectra[channel][to..to + bins].copy_from_slice(&other.spectra[channel][from..from + bins]);
            }
        }
        if !self.now.is_of_one_side() {
            self.part_sides();
        }
    }

    /// Sides that are worked out.
    fn sides(&self) -> usize {
        if self.alike { 1 } else { 2 }
    }

    /// Forgets the past.
    pub fn reset(&mut self) {
        for channel in 0..2 {
            self.input[channel].fill(0.0);
            self.output[channel].fill(0.0);
            self.spectra[channel].fill(Complex64::ZERO);
        }
        self.filled = 0;
        self.alike = self.now.is_of_one_side() && !self.changing;
    }

    /// Works on a block in place.
    pub fn process(&mut self, frames: &mut [Frame; BLOCK]) {
        if !frames.iter().all(|[left, right]| left == right) {
            self.part_sides();
        }
        let last = self.sides() - 1;
        for (i, frame) in frames.iter().enumerate() {
            for (channel, sample) in frame.iter().enumerate().take(last + 1) {
                self.input[channel][self.part + self.filled + i] = *sample;
            }
        }
        self.filled += BLOCK;
        if self.filled == self.part {
            self.filled = 0;
            self.run_partition();
        }
        // A partition is given out from the block that made it whole.
        for (i, frame) in frames.iter_mut().enumerate() {
            *frame = [0, last].map(|channel| self.output[channel][self.filled + i]);
        }
    }

    fn run_partition(&mut self) {
        self.newest = (self.newest + 1) % self.parts;
        let (part, bins) = (self.part, bins(self.part));
        for channel in 0..self.sides() {
            self.transform.time.copy_from_slice(&self.input[channel]);
            let slot = self.newest * bins..(self.newest + 1) * bins;
            self.transform.analyse(&mut self.spectra[channel][slot]);
            self.input[channel].copy_within(part.., 0);
        }
        for side in 0..self.sides() {
            self.add_up(side, false);
            self.output[side].copy_from_slice(&self.transform.time[part..]);
        }
        if self.changing {
            for side in 0..self.sides() {
                self.add_up(side, true);
                for (i, (out, new)) in self.output[side].iter_mut().zip(&self.transform.time[part..]).enumerate() {
                    *out += (new - *out) * (i as f64 + 0.5) / part as f64;
                }
            }
            self.snap();
        }
    }

    /// What a kernel gives on one side for the inputs so far, into the transform's samples.
    fn add_up(&mut self, side: usize, next: bool) {
        let kernel = if next { &self.next } else { &self.now };
        let straight = if side == 1 && kernel.apart { 1 } else { 0 };
        self.sum.fill(Complex64::ZERO);
        accumulate(&mut self.sum, &self.spectra[side], &kernel.ways[straight], self.newest);
        if kernel.crossed {
            accumulate(&mut self.sum, &self.spectra[1 - side], &kernel.ways[2 + side], self.newest);
        }
        // The way back and forth multiplies by the length of the transform.
        let scale = 1.0 / (2 * self.part) as f64;
        self.sum.iter_mut().for_each(|bin| *bin *= scale);
        self.transform.synthesise(&mut self.sum);
    }
}

/// Takes the right of a pair as the left is.
pub(super) fn right_as_left<T: Copy>([left, right]: &mut [Vec<T>; 2]) {
    right.copy_from_slice(left);
}

/// Adds the products of partition `p` with the input `p` partitions ago, for all of them.
fn accumulate(sum: &mut [Complex64], ring: &[Complex64], kernel: &[Complex64], newest: usize) {
    let bins = sum.len();
    let parts = ring.len() / bins;
    for (p, taps) in kernel.chunks_exact(bins).enumerate() {
        let slot = (newest + parts - p) % parts;
        add_product(sum, &ring[slot * bins..(slot + 1) * bins], taps);
    }
}

/// Adds the product of two spectra.
pub(super) fn add_product(sum: &mut [Complex64], heard: &[Complex64], taps: &[Complex64]) {
    for ((s, x), h) in sum.iter_mut().zip(heard).zip(taps) {
        s.re += x.re * h.re - x.im * h.im;
        s.im += x.re * h.im + x.im * h.re;
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::signal::noise::white;

    /// A kernel of taps given sparsely, by way.
    fn kernel(part: usize, parts: usize, taps: &[(usize, usize, f64)]) -> Kernel {
        let mut transform = Transform::new(part);
        let mut kernel = Kernel::silent(part, parts, WAYS);
        kernel.apart = taps.iter().any(|t| t.0 == 1);
        kernel.crossed = taps.iter().any(|t| t.0 > 1);
        for way in 0..WAYS {
            let mut all = vec![0.0; parts * part];
            taps.iter().filter(|t| t.0 == way).for_each(|t| all[t.1] = t.2);
            all.chunks_exact(part).enumerate().for_each(|(p, taps)| transform.put(&mut kernel, way, p, taps));
        }
        kernel
    }

    fn run(convolver: &mut Convolver, frames: usize, signal: impl Fn(usize) -> Frame) -> Vec<Frame> {
        let mut out = Vec::new();
        for first in (0..frames).step_by(BLOCK) {
            let mut block = std::array::from_fn(|i| signal(first + i));
            convolver.process(&mut block);
            out.extend(block);
        }
        out
    }

    fn noise(n: usize) -> Frame {
        [0.5 * white(n), 0.5 * white(n + 1_000_003)]
    }

    #[test]
    fn it_is_the_sum_of_delayed_copies_as_late_as_it_says_and_not_at_all_in_parts_of_a_block() {
        let taps = [(0, 0, 0.5), (0, 1500, -0.25), (1, 3000, 1.0), (2, 40, 0.125), (3, 2047, 0.75)];
        for (part, parts, late) in [(1024, 3, 896), (256, 12, 128), (128, 24, 0)] {
            let mut convolver = Convolver::new(part, parts, WAYS);
            convolver.change_to(&mut kernel(part, parts, &taps));
            convolver.snap();
            assert_eq!(lag(part), late);
            let out = run(&mut convolver, 8192, noise);
            for (n, found) in out.iter().enumerate() {
                let copies = |way: usize, from: usize| -> f64 {
                    let own = taps.iter().filter(|t| t.0 == way);
                    own.filter_map(|t| Some(t.2 * noise(n.checked_sub(late + t.1)?)[from])).sum()
                };
                assert!((found[0] - copies(0, 0) - copies(2, 1)).abs() < 1e-12, "left at {n}");
                assert!((found[1] - copies(1, 1) - copies(3, 0)).abs() < 1e-12, "right at {n}");
            }
        }
    }

    #[test]
    fn sides_that_part_after_a_while_go_on_from_what_both_have_heard() {
        let taps = [(0, 0, 0.5), (0, 200, -0.25), (0, 1023, 1.0)];
        let alike = |n: usize| [noise(n)[0]; 2];
        for parts_at in [0, 128, 1300, 4096] {
            let mut convolver = Convolver::new(256, 4, 1);
            convolver.change_to(&mut kernel(256, 4, &taps));
            convolver.snap();
            let signal = |n: usize| if n < parts_at { alike(n) } else { noise(n) };
            let out = run(&mut convolver, 8192, signal);
            for (n, found) in out.iter().enumerate() {
                for (side, found) in found.iter().enumerate() {
                    let copy = |t: &(usize, usize, f64)| Some(t.2 * signal(n.checked_sub(lag(256) + t.1)?)[side]);
                    let want: f64 = taps.iter().filter_map(copy).sum();
                    assert!((found - want).abs() < 1e-12, "apart from {parts_at}, side {side}, frame {n}");
                }
            }
            assert_eq!(convolver.alike, parts_at > 8192);
        }
    }

    #[test]
    fn a_new_kernel_is_faded_in_over_one_partition() {
        const PART: usize = 1024;
        let mut convolver = Convolver::new(PART, 1, 1);
        convolver.change_to(&mut kernel(PART, 1, &[(0, 0, 1.0)]));
        convolver.snap();
        run(&mut convolver, 4 * PART, |_| [1.0; 2]);
        convolver.change_to(&mut kernel(PART, 1, &[(0, 0, -1.0)]));
        let out = run(&mut convolver, 4 * PART, |_| [1.0; 2]);
        let step = out.windows(2).map(|w| (w[1][0] - w[0][0]).abs()).fold(0.0, f64::max);
        assert!(step < 2.1 / PART as f64, "{step}");
        assert!((out[0][0] - 1.0).abs() < 1e-12 && (out[4 * PART - 1][1] + 1.0).abs() < 1e-12);
    }
}
