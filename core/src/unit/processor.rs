//! What every unit can do while sound runs.

use super::settings::Settings;
use crate::signal::{BLOCK, Frame, StereoBlock};

/// A running unit. `process`, `take_settings` and `arrive` never allocate, free, lock, panic
/// or log; what has to may happen in `set`.
pub trait Processor: Send {
    /// Its own copy of its settings, to be written to.
    fn settings_mut(&mut self) -> &mut Settings;

    /// Goes to what its copy says now; audible values glide there.
    fn take_settings(&mut self);

    /// Takes new settings.
    fn set(&mut self, settings: &Settings) {
        if *self.settings_mut() != *settings {
            self.settings_mut().clone_from(settings);
            self.take_settings();
        }
    }

    /// What glides now arrives within so many seconds; 0 is at once. For what changes with the
    /// song, which says block by block where to be at the block's end.
    fn arrive(&mut self, within_s: f64);

    /// Ends every glide at once, for the start of a render.
    fn snap(&mut self) {
        self.arrive(0.0);
    }

    /// Forgets the past: afterwards the unit sounds as if newly built and at rest.
    fn reset(&mut self);

    /// The same unit once more, in its present state, to run beside this one.
    fn fork(&self) -> Box<dyn Processor>;

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
