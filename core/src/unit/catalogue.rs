//! Every kind of unit there is: the list, and nothing else.

use super::kind::UnitKind;
use super::{dynamics, eq, space, tone};

/// The folders of kinds, in the order in which the page offers them.
const FOLDERS: [&[&UnitKind]; 4] = [eq::KINDS, dynamics::KINDS, tone::KINDS, space::KINDS];

/// All kinds, in the order in which the page offers them.
pub const KINDS: &[&UnitKind] = &joined::<{ count() }>();

const fn count() -> usize {
    let (mut count, mut folder) = (0, 0);
    while folder < FOLDERS.len() {
        count += FOLDERS[folder].len();
        folder += 1;
    }
    count
}

const fn joined<const N: usize>() -> [&'static UnitKind; N] {
    let mut all = [FOLDERS[0][0]; N];
    let (mut at, mut folder) = (0, 0);
    while folder < FOLDERS.len() {
        let mut kind = 0;
        while kind < FOLDERS[folder].len() {
            all[at] = FOLDERS[folder][kind];
            at += 1;
            kind += 1;
        }
        folder += 1;
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
