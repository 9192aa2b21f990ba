//! A short stereo FIR whose taps can move without a click.

use super::correction::{TAPS, identity};
use crate::signal::block::{BLOCK, Frame};
use crate::signal::math::Complex;

/// Runs [`TAPS`] taps over both channels.
#[derive(Clone, Debug)]
pub struct ShortFir {
    now: [f64; TAPS],
    target: [f64; TAPS],
    /// Blocks until `now == target`.
    blocks_left: u32,
    glide_blocks: u32,
    blocks_per_s: f64,
    /// The last `TAPS - 1` inputs, oldest first, then room for one block.
    window: [Frame; TAPS - 1 + BLOCK],
}

impl ShortFir {
    /// At rest on `taps`; moves take `glide_s` seconds.
    #[must_use]
    pub fn new(taps: [f64; TAPS], rate: f64, glide_s: f64) -> Self {
        let glide_blocks = ((glide_s * rate) as u32 / BLOCK as u32).max(1);
        let blocks_per_s = rate / BLOCK as f64;
        Self {
            now: taps,
            target: taps,
            blocks_left: 0,
            glide_blocks,
            blocks_per_s,
            window: [[0.0; 2]; TAPS - 1 + BLOCK],
        }
    }

    /// Starts moving to `taps`.
    pub fn glide_to(&mut self, taps: [f64; TAPS]) {
        if taps != self.target {
            self.target = taps;
            self.blocks_left = self.glide_blocks;
        }
    }

    /// What moves now arrives within so many seconds, by whole blocks; 0 is at once.
    pub fn arrive(&mut self, within_s: f64) {
        if within_s <= 0.0 {
            self.now = self.target;
            self.blocks_left = 0;
        } else if self.blocks_left > 0 {
            self.blocks_left = (within_s * self.blocks_per_s).round().max(1.0) as u32;
        }
    }

    /// Forgets the past.
    pub fn reset(&mut self) {
        self.window = [[0.0; 2]; TAPS - 1 + BLOCK];
    }

    /// Response of the target taps at `angle` radians per sample.
    #[must_use]
    pub fn response(taps: &[f64; TAPS], angle: f64) -> Complex {
        let step = Complex::from_angle(-angle);
        // Horner's rule in z^-1, highest tap first.
        taps.iter().rev().fold(Complex::new(0.0, 0.0), |sum, t| {
            let shifted = sum.times(step);
            Complex::new(shifted.re + t, shifted.im)
        })
    }

    /// Filters one block in place. At rest on the identity it touches nothing.
    pub fn process(&mut self, frames: &mut [Frame; BLOCK]) {
        self.window[TAPS - 1..].copy_from_slice(frames);
        if self.blocks_left == 0 && self.now == identity() {
            // The window is kept up to date for the next move.
        } else if self.blocks_left == 0 {
            for (i, out) in frames.iter_mut().enumerate() {
                *out = convolve(&self.now, &self.window, i);
            }
        } else {
            self.run_moving(frames);
        }
        self.window.copy_within(BLOCK.., 0);
    }

    /// Two of them, one a side, in the time of one: false where one of them moves; nothing is then done.
    pub fn run_beside(left: &mut Self, right: &mut Self, frames: &mut [Frame; BLOCK]) -> bool {
        if left.blocks_left > 0 || right.blocks_left > 0 {
            return false;
        }
        // Each keeps the whole window, so that either can go on by itself.
        left.window[TAPS - 1..].copy_from_slice(frames);
        let taps: [Frame; TAPS] = core::array::from_fn(|n| [left.now[n], right.now[n]]);
        if left.now != identity() || right.now != identity() {
            for (i, out) in frames.iter_mut().enumerate() {
                *out = convolve_sides(&taps, &left.window, i);
            }
        }
        left.window.copy_within(BLOCK.., 0);
        right.window = left.window;
        true
    }

    fn run_moving(&mut self, frames: &mut [Frame; BLOCK]) {
        let share = 1.0 / f64::from(self.blocks_left);
        self.blocks_left -= 1;
        let mut next = self.now;
        for (n, t) in next.iter_mut().zip(&self.target) {
            *n = if self.blocks_left == 0 { *t } else { *n + (*t - *n) * share };
        }
        for (i, out) in frames.iter_mut().enumerate() {
            let a = convolve(&self.now, &self.window, i);
            let b = convolve(&next, &self.window, i);
            let k = (i + 1) as f64 / BLOCK as f64;
            *out = [a[0] + (b[0] - a[0]) * k, a[1] + (b[1] - a[1]) * k];
        }
        self.now = next;
    }
}

/// `sum taps[n] * window[at + TAPS - 1 - n]`, four partial sums to shorten the
/// chain. Fixed lengths let the compiler unroll it and drop the bounds checks.
#[inline(always)]
fn convolve(taps: &[f64; TAPS], window: &[Frame], at: usize) -> Frame {
    let mut sums = [[0.0f64; 2]; 4];
    let Some(Ok(window)) = window.get(at..at + TAPS).map(<&[Frame; TAPS]>::try_from) else { return [0.0; 2] };
    for group in 0..TAPS / 4 {
        for (k, sum) in sums.iter_mut().enumerate() {
            let n = 4 * group + k;
            let x = window[TAPS - 1 - n];
            sum[0] += taps[n] * x[0];
            sum[1] += taps[n] * x[1];
        }
    }
    [(sums[0][0] + sums[1][0]) + (sums[2][0] + sums[3][0]), (sums[0][1] + sums[1][1]) + (sums[2][1] + sums[3][1])]
}

/// The same with taps of its own on each side.
#[inline(always)]
fn convolve_sides(taps: &[Frame; TAPS], window: &[Frame], at: usize) -> Frame {
    let mut sums = [[0.0f64; 2]; 4];
    let Some(Ok(window)) = window.get(at..at + TAPS).map(<&[Frame; TAPS]>::try_from) else { return [0.0; 2] };
    for group in 0..TAPS / 4 {
        for (k, sum) in sums.iter_mut().enumerate() {
            let n = 4 * group + k;
            let x = window[TAPS - 1 - n];
            sum[0] += taps[n][0] * x[0];
            sum[1] += taps[n][1] * x[1];
        }
    }
    [(sums[0][0] + sums[1][0]) + (sums[2][0] + sums[3][0]), (sums[0][1] + sums[1][1]) + (sums[2][1] + sums[3][1])]
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn an_impulse_returns_the_taps_across_block_borders() {
        let mut taps = [0.0; TAPS];
        for (i, t) in taps.iter_mut().enumerate() {
            *t = i as f64 + 1.0;
        }
        let mut fir = ShortFir::new(taps, 48_000.0, 0.01);
        let mut first = [[0.0; 2]; BLOCK];
        first[BLOCK - 3] = [1.0, 2.0];
        let mut second = [[0.0; 2]; BLOCK];
        fir.process(&mut first);
        fir.process(&mut second);
        let out: Vec<f64> = first[BLOCK - 3..].iter().chain(&second).map(|f| f[0]).collect();
        assert_eq!(&out[..TAPS], &taps);
        assert!(out[TAPS..].iter().all(|x| *x == 0.0));
    }
}
