//! Units that follow the level.

use super::kind::UnitKind;

pub mod compressor;
pub mod gate;
pub mod limiter;
pub mod multiband;
mod shared;
pub mod transient;

/// The kinds of this folder, in the order in which the page offers them.
pub const KINDS: &[&UnitKind] = &[&compressor::KIND, &multiband::KIND, &transient::KIND, &gate::KIND, &limiter::KIND];
