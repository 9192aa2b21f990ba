//! Every kind of unit there is: the list, and nothing else.

use super::dynamics::compressor;
use super::eq::{drawn, surgical};
use super::kind::UnitKind;
use super::space::width;

/// All kinds, in the order in which the page offers them.
pub const KINDS: &[&UnitKind] = &[&surgical::KIND, &drawn::KIND, &compressor::KIND, &width::KIND];

/// The kind named `id`.
#[must_use]
pub fn kind(id: &str) -> Option<&'static UnitKind> {
    KINDS.iter().copied().find(|k| k.id == id)
}

/// Names of all kinds, for error texts.
#[must_use]
pub fn kind_names() -> String {
    KINDS.iter().map(|k| k.id).collect::<Vec<_>>().join(", ")
}
