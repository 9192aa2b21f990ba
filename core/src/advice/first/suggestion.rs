//! A first move: what was found, what is done about it, and the edit that makes it.

use crate::rack::proposed::because;
use serde::{Deserialize, Serialize};

use crate::rack::{RackSpec, UnitSpec};
use crate::session::Edit;
use crate::unit::Record;
use crate::unit::eq::surgical::KIND as SURGICAL;

/// Kind of unit that cuts.
pub const EQUALISER: &str = SURGICAL.id;
/// Two frequencies of one move are no further apart than this share.
const SAME: f64 = 0.06;

/// A move, its reason, and the unit that makes it.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "types", derive(ts_rs::TS))]
pub struct FirstMove {
    /// What was found, with its figure.
    pub says: String,
    /// What the unit does about it.
    pub does: String,
    /// The unit, as a session holds it.
    #[cfg_attr(feature = "types", ts(type = "Unit"))]
    pub unit: UnitSpec,
}

impl FirstMove {
    pub(in crate::advice) fn new(says: String, does: String, unit: UnitSpec) -> Self {
        Self { unit: because(says.clone(), unit), says, does }
    }

    /// The edit that makes the move on a rack: several cuts are one EQ, each a row of its own, so that a cut joins an
    /// equaliser that stands first and a new one goes there; what holds comes last.
    #[must_use]
    pub fn edit(&self, strip: u32, rack: &RackSpec) -> Edit {
        if let Some(edits) = rack.units.first().and_then(|first| self.joining(strip, first)) {
            return Edit::Several { edits };
        }
        let at = if self.unit.kind.id == EQUALISER { 0 } else { rack.units.len() };
        Edit::AddUnit { strip, at, unit: Box::new(self.unit.clone()) }
    }

    /// The rows of this move added to a unit, and its reason, if that is an equaliser that can take them. Each is an edit
    /// of its own, so that what another window does to the unit meanwhile stays.
    fn joining(&self, strip: u32, unit: &UnitSpec) -> Option<Vec<Edit>> {
        if unit.kind.id != EQUALISER || self.unit.kind.id != EQUALISER || !unit.is_on() || unit.follows.is_some() {
            return None;
        }
        let [list] = unit.kind.tables.lists else { return None };
        let (rows, held) = (self.unit.settings.rows(), unit.settings.rows().len());
        if held + rows.len() > list.max {
            return None;
        }
        let add = |(n, row): (usize, &Record)| Edit::AddRow {
            strip,
            unit: unit.id,
            list: list.id.into(),
            at: held + n,
            row: row.written(),
        };
        let why = [unit.why.as_str(), &self.says].join(" ").trim().to_string();
        Some(rows.iter().enumerate().map(add).chain([Edit::SetWhy { strip, unit: unit.id, why }]).collect())
    }

    /// Whether a rack makes this move already.
    #[must_use]
    pub fn is_made(&self, rack: &RackSpec) -> bool {
        let alike = |unit: &&UnitSpec| unit.kind.id == self.unit.kind.id;
        rack.units.iter().filter(alike).any(|unit| {
            self.unit.settings.rows().iter().all(|row| {
                let near = |other: &Record| {
                    other.choice("shape") == row.choice("shape")
                        && (other.number("freq_hz") / row.number("freq_hz") - 1.0).abs() < SAME
                };
                unit.settings.rows().iter().any(near)
            })
        })
    }
}
