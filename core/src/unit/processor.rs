//! What every unit can do while sound runs.

use super::settings::Settings;
use crate::signal::{BLOCK, Frame, StereoBlock};

/// A running unit. `process` never allocates, locks, panics or logs; everything
/// that may do so (design) happens in `set`.
pub trait Processor: Send {
    /// Takes new settings; audible values glide to them.
    fn set(&mut self, settings: &Settings);

    /// Ends every glide at once, for the start of a render.
    fn snap(&mut self);

    /// Forgets the past: afterwards the unit sounds as if newly built.
    fn reset(&mut self);

    /// Frames by which the output lags the input.
    fn latency(&self) -> usize {
        0
    }

    /// Works on one block in place. `key` is the sound that drives the unit instead of
    /// its own input, for kinds that take one.
    fn process(&mut self, block: &mut StereoBlock, key: Option<&StereoBlock>);

    /// Reduction in dB (>= 0) for each frame of the last block, for units that reduce.
    fn reduction(&self) -> Option<&[f32; BLOCK]> {
        None
    }

    /// dB by which the gain of each row moves now, for units with rows that move.
    fn moves(&self) -> &[f32] {
        &[]
    }

    /// What drove it in the last block, filtered as its detector hears it, for units that reduce.
    fn detected(&self) -> Option<&[Frame; BLOCK]> {
        None
    }
}
