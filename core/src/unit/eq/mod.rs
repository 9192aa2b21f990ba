//! Equalisers.

use super::kind::UnitKind;

mod colour_stage;
pub mod console;
pub mod drawn;
pub mod passive;
mod shared;
pub mod simple;
pub mod surgical;

/// The kinds of this folder, in the order in which the page offers them.
pub const KINDS: &[&UnitKind] =
    &[&surgical::KIND, &drawn::KIND, &console::KIND, &passive::KIND, &simple::graphic::KIND, &simple::weight_air::KIND];
