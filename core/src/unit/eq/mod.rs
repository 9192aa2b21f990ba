//! Equalisers.

use super::kind::UnitKind;

pub mod drawn;
mod shared;
pub mod surgical;

/// The kinds of this folder, in the order in which the page offers them.
pub const KINDS: &[&UnitKind] = &[&surgical::KIND, &drawn::KIND];
