//! Units that follow the level.

use super::kind::UnitKind;

pub mod compressor;

/// The kinds of this folder, in the order in which the page offers them.
pub const KINDS: &[&UnitKind] = &[&compressor::KIND];
