//! Loudness by ITU-R BS.1770-4, gating by its section 5.1 (EBU R 128).

use crate::filter::KWeighting;
use crate::signal::{BLOCK, Frame, StereoBlock};

/// Absolute gate in LUFS.
const ABSOLUTE_GATE: f64 = -70.0;
/// Relative gate in LU under the loudness of what passes the absolute gate.
const RELATIVE_GATE: f64 = -10.0;
/// Offset of the loudness formula in dB (BS.1770-4 eq. 2).
const OFFSET: f64 = -0.691;
/// Tenths of a second in a gating window of 400 ms.
const WINDOW: usize = 4;

/// Measures loudness in steps of a tenth of a second.
#[derive(Clone)]
pub struct LoudnessMeter {
    weighting: KWeighting,
    frames: [Frame; BLOCK],
    frames_per_tenth: u32,
    /// Frames and sum of squares of the tenth being filled.
    filled: u32,
    squares: f64,
    /// Channels counted: a mono file carried on both channels counts once.
    channels: usize,
}

impl LoudnessMeter {
    /// A meter for 1 or 2 channels at `rate` Hz.
    #[must_use]
    pub fn new(rate: f64, channels: usize) -> Self {
        Self {
            weighting: KWeighting::new(rate),
            frames: [[0.0; 2]; BLOCK],
            frames_per_tenth: (rate / 10.0).round() as u32,
            filled: 0,
            squares: 0.0,
            channels,
        }
    }

    /// Takes in a block; calls `tenth` with the mean square of each completed
    /// tenth of a second, summed over channels. Only the first `frames` count.
    pub fn push(&mut self, block: &StereoBlock, frames: usize, mut tenth: impl FnMut(f64)) {
        for (i, frame) in self.frames.iter_mut().enumerate() {
            *frame = block.frame(i);
        }
        self.weighting.process(&mut self.frames);
        for frame in &self.frames[..frames] {
            let right = if self.channels == 2 { frame[1] * frame[1] } else { 0.0 };
            self.squares += frame[0] * frame[0] + right;
            self.filled += 1;
            if self.filled == self.frames_per_tenth {
                tenth(self.squares / f64::from(self.frames_per_tenth));
                (self.filled, self.squares) = (0, 0.0);
            }
        }
    }

    /// Forgets the past.
    pub fn reset(&mut self) {
        self.weighting.reset();
        (self.filled, self.squares) = (0, 0.0);
    }
}

/// Loudness in LUFS of a mean square summed over channels.
#[must_use]
pub fn lufs(mean_square: f64) -> f64 {
    OFFSET + crate::signal::decibel::power_to_db(mean_square)
}

/// Gated loudness in LUFS of a run of tenths of a second; `None` where nothing
/// passes the gates (silence, or less than 400 ms).
#[must_use]
pub fn integrated_lufs(tenths: &[f64]) -> Option<f64> {
    let windows = || tenths.windows(WINDOW).map(|w| w.iter().sum::<f64>() / WINDOW as f64);
    let above = |gate: f64| mean(windows().filter(|power| lufs(*power) > gate));
    let ungated = above(ABSOLUTE_GATE)?;
    above((lufs(ungated) + RELATIVE_GATE).max(ABSOLUTE_GATE)).map(lufs)
}

fn mean(values: impl Iterator<Item = f64>) -> Option<f64> {
    let (sum, count) = values.fold((0.0, 0u32), |(s, n), v| (s + v, n + 1));
    (count > 0).then(|| sum / f64::from(count))
}
