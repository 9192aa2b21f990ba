//! Delays of whole frames: of blocks, whose length may change without a click, and of frames in full precision.

use super::block::{BLOCK, Frame, StereoBlock};
use super::ramp::GLIDE_S;

/// Delays a stereo signal by 0 to `max` frames. A change of length crossfades
/// from the old tap to the new one.
#[derive(Clone, Debug)]
pub struct StereoDelay {
    left: Vec<f32>,
    right: Vec<f32>,
    /// Ring index of the next frame to write; `< left.len()`.
    write: usize,
    delay: usize,
    from: usize,
    /// Frames of crossfade still to go from `from` to `delay`.
    fade_left: u32,
    fade_frames: u32,
    /// The length asked for last, which waits until a crossfade under way has ended.
    wanted: usize,
}

impl StereoDelay {
    /// A delay that can be set to at most `max` frames, now `delay`.
    #[must_use]
    pub fn new(max: usize, delay: usize, rate: f64) -> Self {
        let size = max + BLOCK;
        Self {
            left: vec![0.0; size],
            right: vec![0.0; size],
            write: 0,
            delay: delay.min(max),
            from: delay.min(max),
            fade_left: 0,
            fade_frames: (GLIDE_S * rate).max(1.0) as u32,
            wanted: delay.min(max),
        }
    }

    /// Changes the length; clipped to the maximum given to [`Self::new`]. A change during a
    /// crossfade waits for its end.
    pub fn set_delay(&mut self, frames: usize) {
        self.wanted = frames.min(self.left.len() - BLOCK);
        self.start_crossfade();
    }

    fn start_crossfade(&mut self) {
        if self.fade_left == 0 && self.wanted != self.delay {
            self.from = self.delay;
            self.delay = self.wanted;
            self.fade_left = self.fade_frames;
        }
    }

    /// Is at once where it was going.
    pub fn snap(&mut self) {
        self.delay = self.wanted;
        self.fade_left = 0;
    }

    /// Forgets the past.
    pub fn reset(&mut self) {
        self.left.fill(0.0);
        self.right.fill(0.0);
        self.snap();
    }

    /// Takes a block in without giving anything out, for when it may be wanted later.
    fn remember(&mut self, block: &StereoBlock) {
        let first = BLOCK.min(self.left.len() - self.write);
        for (ring, side) in [(&mut self.left, &block.left), (&mut self.right, &block.right)] {
            ring[self.write..self.write + first].copy_from_slice(&side[..first]);
            ring[..BLOCK - first].copy_from_slice(&side[first..]);
        }
        self.write = (self.write + BLOCK) % self.left.len();
    }

    /// Replaces `block` by itself `delay` frames ago.
    pub fn process(&mut self, block: &mut StereoBlock) {
        self.start_crossfade();
        let size = self.left.len();
        if self.delay == 0 && self.fade_left == 0 {
            self.remember(block);
            return;
        }
        // Both sides are below `size`, so one comparison replaces a division.
        let wrap = |index: usize| if index >= size { index - size } else { index };
        for i in 0..BLOCK {
            self.left[self.write] = block.left[i];
            self.right[self.write] = block.right[i];
            let tap = wrap(self.write + size - self.delay);
            let (mut l, mut r) = (self.left[tap], self.right[tap]);
            if self.fade_left > 0 {
                let old = wrap(self.write + size - self.from);
                let k = self.fade_left as f32 / self.fade_frames as f32;
                l += (self.left[old] - l) * k;
                r += (self.right[old] - r) * k;
                self.fade_left -= 1;
            }
            block.left[i] = l;
            block.right[i] = r;
            self.write = wrap(self.write + 1);
        }
    }
}

/// Delays frames by as many for good.
#[derive(Clone, Debug)]
pub struct FrameDelay {
    /// The frames that wait, in a ring.
    waiting: Vec<Frame>,
    next: usize,
}

impl FrameDelay {
    /// A delay of so many frames.
    #[must_use]
    pub fn new(frames: usize) -> Self {
        Self { waiting: vec![[0.0; 2]; frames], next: 0 }
    }

    /// Frames by which it delays.
    #[must_use]
    pub fn frames(&self) -> usize {
        self.waiting.len()
    }

    /// Forgets the past.
    pub fn reset(&mut self) {
        self.waiting.fill([0.0; 2]);
    }

    /// Replaces each frame by the one that came as many before it.
    pub fn process(&mut self, frames: &mut [Frame]) {
        for frame in frames {
            let Some(waits) = self.waiting.get_mut(self.next) else { return };
            std::mem::swap(waits, frame);
            self.next = if self.next + 1 < self.waiting.len() { self.next + 1 } else { 0 };
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn ramp_block(start: usize) -> StereoBlock {
        let mut b = StereoBlock::default();
        for i in 0..BLOCK {
            b.left[i] = (start + i) as f32;
            b.right[i] = -((start + i) as f32);
        }
        b
    }

    #[test]
    fn delays_by_exactly_the_frames_asked() {
        for delay in [0usize, 1, 64, 127, 128, 129, 300] {
            let mut line = StereoDelay::new(300, delay, 48_000.0);
            let mut seen = Vec::new();
            for n in 0..6 {
                let mut b = ramp_block(n * BLOCK);
                line.process(&mut b);
                seen.extend(b.left);
            }
            for (i, v) in seen.iter().enumerate().skip(delay) {
                assert_eq!(*v, (i - delay) as f32, "delay {delay} frame {i}");
            }
        }
    }

    #[test]
    fn frames_come_as_many_later_as_asked_in_blocks_of_any_length() {
        for delay in [0usize, 1, 49, 300] {
            let mut line = FrameDelay::new(delay);
            let mut frames: Vec<Frame> = (0..1000).map(|n| [f64::from(n), -f64::from(n)]).collect();
            frames.chunks_mut(77).for_each(|part| line.process(part));
            for (n, frame) in frames.iter().enumerate() {
                let came = n.saturating_sub(delay) as f64;
                assert_eq!(*frame, [came, -came], "delay {delay} frame {n}");
            }
        }
    }

    /// Largest step and last value of 60 blocks of a ramp, with lengths set at blocks.
    fn stepped(changes: &[(usize, usize)]) -> (f32, f32) {
        let mut line = StereoDelay::new(200, 0, 48_000.0);
        let (mut last, mut worst) = (0.0f32, 0.0f32);
        for n in 0..60 {
            for (_, frames) in changes.iter().filter(|(at, _)| *at == n) {
                line.set_delay(*frames);
            }
            let mut b = ramp_block(n * BLOCK);
            line.process(&mut b);
            for v in b.left {
                worst = worst.max((v - last).abs());
                last = v;
            }
        }
        (worst, last)
    }

    /// The ramp's own step, and a change of 200 frames over a crossfade of 480.
    const SMOOTH: f32 = 1.0 + 200.0 / 480.0 + 1e-2;

    #[test]
    fn a_change_of_length_crossfades_without_a_jump() {
        let (worst, last) = stepped(&[(5, 200)]);
        assert!(worst <= SMOOTH, "largest step {worst}");
        assert_eq!(last, (60 * BLOCK - 1 - 200) as f32);
    }

    #[test]
    fn changes_that_follow_each_other_within_a_crossfade_make_no_jump_and_the_last_one_stands() {
        let (worst, last) = stepped(&[(10, 200), (11, 0), (12, 150)]);
        assert!(worst <= SMOOTH, "largest step {worst}");
        assert_eq!(last, (60 * BLOCK - 1 - 150) as f32);
    }
}
