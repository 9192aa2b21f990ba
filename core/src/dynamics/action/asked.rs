//! What a control loop is asked: a law, the typed times, where to listen.

use crate::dynamics::law::Law;
use crate::signal::BLOCK;

/// Where the detector listens.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Topology {
    /// At the input.
    Forward,
    /// At the output.
    Feedback,
}

/// The typed times, all in ms.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Times {
    /// Attack; 0 is at once.
    pub attack_ms: f64,
    /// Release.
    pub release_ms: f64,
    /// Whether the release depends on what came before.
    pub auto_release: bool,
}

/// What a block's levels ask for: one law, or one for each frame while it moves.
#[derive(Clone, Copy, Debug)]
pub enum Asked<'a> {
    /// The law rests.
    Still(Law),
    /// It moves.
    Moving(&'a [Law; BLOCK]),
}

impl Asked<'_> {
    /// The law of a frame.
    #[inline]
    #[must_use]
    pub fn at(&self, frame: usize) -> Law {
        match self {
            Self::Still(law) => *law,
            Self::Moving(laws) => laws[frame],
        }
    }
}
