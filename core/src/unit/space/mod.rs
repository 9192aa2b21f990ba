//! Units that place a sound.

use super::kind::UnitKind;

pub mod impulse;
pub mod width;

/// The kinds of this folder, in the order in which the page offers them.
pub const KINDS: &[&UnitKind] = &[&width::KIND, &impulse::KIND];
