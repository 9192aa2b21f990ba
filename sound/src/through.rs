//! A sound through a rack, all at once: test signals.

use zinc_core::rack::{Rack, RackSpec};
use zinc_core::signal::{BLOCK, StereoBlock};
use zinc_core::unit::Tail;

/// Longest that is waited for what rings on, in seconds.
const LONGEST_TAIL_S: f64 = 4.0;

/// What leaves a rack at rest for these samples on both sides, its lateness taken off, with what
/// rings on.
pub fn through(rack: &RackSpec, rate: f64, samples: &[f32]) -> [Vec<f32>; 2] {
    let mut running = Rack::new(rack, rate);
    let latency = running.latency();
    let longest = (LONGEST_TAIL_S * rate) as usize;
    let tail = match rack.tail(rate) {
        Tail::Frames(frames) => frames.min(longest),
        Tail::Endless => longest,
    };
    let frames = samples.len() + tail;
    let mut out = [Vec::new(), Vec::new()];
    for first in (0..frames + latency).step_by(BLOCK) {
        let mut block = StereoBlock::SILENT;
        let from = first.min(samples.len());
        for (i, x) in samples[from..].iter().take(BLOCK).enumerate() {
            (block.left[i], block.right[i]) = (*x, *x);
        }
        running.process(&mut block);
        out[0].extend_from_slice(&block.left);
        out[1].extend_from_slice(&block.right);
    }
    out.map(|side| side[latency..latency + frames].to_vec())
}
