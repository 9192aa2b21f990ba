//! The unit of work: 128 stereo frames, the browser's own render quantum.

/// Frames in a block. Everything is computed in blocks of this size, live and
/// offline, so that block-rate work falls on the same frames in both.
pub const BLOCK: usize = 128;

/// One frame of both channels as two lanes, so that the compiler may compute
/// left and right in one vector register. Lane 0 is left.
pub type Frame = [f64; 2];

/// A block of audio between units: planar 32-bit float, left and right.
/// A mono source is carried as two equal channels.
#[derive(Clone, Debug)]
pub struct StereoBlock {
    /// Left channel.
    pub left: [f32; BLOCK],
    /// Right channel.
    pub right: [f32; BLOCK],
}

impl Default for StereoBlock {
    fn default() -> Self {
        Self::SILENT
    }
}

impl StereoBlock {
    /// A block of zeros.
    pub const SILENT: Self = Self { left: [0.0; BLOCK], right: [0.0; BLOCK] };

    /// Sets every sample to zero.
    pub fn clear(&mut self) {
        self.left.fill(0.0);
        self.right.fill(0.0);
    }

    /// Adds `other` sample by sample.
    pub fn add(&mut self, other: &Self) {
        for (a, b) in self.left.iter_mut().zip(&other.left) {
            *a += b;
        }
        for (a, b) in self.right.iter_mut().zip(&other.right) {
            *a += b;
        }
    }

    /// The largest magnitude.
    #[must_use]
    pub fn peak(&self) -> f32 {
        self.left.iter().chain(&self.right).fold(0.0, |m, x| m.max(x.abs()))
    }

    /// Both channels of frame `i` as double-precision lanes.
    #[inline]
    #[must_use]
    pub fn frame(&self, i: usize) -> Frame {
        [f64::from(self.left[i]), f64::from(self.right[i])]
    }

    /// All frames as double-precision lanes.
    #[inline]
    #[must_use]
    pub fn frames(&self) -> [Frame; BLOCK] {
        std::array::from_fn(|i| self.frame(i))
    }

    /// Stores all frames, rounding to 32-bit float.
    #[inline]
    pub fn set_frames(&mut self, frames: &[Frame; BLOCK]) {
        for (i, frame) in frames.iter().enumerate() {
            self.set_frame(i, *frame);
        }
    }

    /// Stores `frame` at `i`, rounding to 32-bit float.
    #[inline]
    pub fn set_frame(&mut self, i: usize, frame: Frame) {
        self.left[i] = frame[0] as f32;
        self.right[i] = frame[1] as f32;
    }

    /// Replaces every non-finite sample by zero, so that one bad sample in a
    /// file cannot silence a recursive filter for good, and every sample too
    /// small to matter, so that denormal numbers never slow a unit down.
    pub fn make_sane(&mut self) {
        for sample in self.left.iter_mut().chain(self.right.iter_mut()) {
            if !(sample.is_finite() && sample.abs() > 1e-20) {
                *sample = 0.0;
            }
        }
    }
}
