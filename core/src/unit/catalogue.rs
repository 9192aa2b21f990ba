//! Every kind of unit there is: the list, and nothing else.

use super::kind::UnitKind;
use super::{dynamics, eq, space, tone};

/// The kinds in groups, each with its name, in the order in which the page offers them: a folder each.
pub const GROUPS: [(&str, &[&UnitKind]); 4] =
    [("EQ", eq::KINDS), ("Dynamics", dynamics::KINDS), ("Tone", tone::KINDS), ("Space", space::KINDS)];

/// All kinds, in the order in which the page offers them.
pub const KINDS: &[&UnitKind] = &joined::<{ count() }>();

const fn count() -> usize {
    let (mut count, mut group) = (0, 0);
    while group < GROUPS.len() {
        count += GROUPS[group].1.len();
        group += 1;
    }
    count
}

const fn joined<const N: usize>() -> [&'static UnitKind; N] {
    let mut all = [GROUPS[0].1[0]; N];
    let (mut at, mut group) = (0, 0);
    while group < GROUPS.len() {
        let mut kind = 0;
        while kind < GROUPS[group].1.len() {
            all[at] = GROUPS[group].1[kind];
            at += 1;
            kind += 1;
        }
        group += 1;
    }
    all
}

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
