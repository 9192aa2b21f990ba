//! What bends a wave: colour, drive, loudspeakers.

use super::kind::UnitKind;

pub mod amp;
pub mod cabinet;
mod hold;
pub mod saturator;
pub mod tape;

/// The kinds of this folder, in the order in which the page offers them.
pub const KINDS: &[&UnitKind] = &[&amp::KIND, &cabinet::KIND, &saturator::KIND, &tape::KIND];
