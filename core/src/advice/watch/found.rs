//! A fault as one judge finds it.

use crate::unit::value::Written;
use serde::Serialize;

use crate::rack::UnitSpec;
use crate::unit::dynamics::compressor::KIND as COMPRESSOR;
use crate::unit::proposed::id;

/// A fault, whichever unit has it.
#[derive(Clone, Debug, PartialEq, Serialize)]
pub struct Found {
    /// Its name: `pumping`, `highs-pulled-down`, `choking`, `pops`, `ducked-after`, `quieter`,
    /// `rumble`, `always-working`, `nothing-to-do`.
    pub code: &'static str,
    /// What happens, with the figure.
    pub says: String,
    /// The figure alone.
    pub figure: f64,
    /// What it measures.
    pub measured_in: &'static str,
    /// Where it is heard best, in seconds.
    pub at_s: f64,
    /// What to do, in words.
    pub mend: String,
    /// The same as values of the unit; empty where the mend is to take it out.
    pub set: Vec<(&'static str, Written)>,
    /// Values of the unit with which the fault is far worse, so that the ear learns it; empty where
    /// there is nothing to hear.
    pub worse: Vec<(&'static str, Written)>,
}

/// What makes any unit's faults worse: a wall, its threshold so many dB lower.
pub(super) fn harder(unit: &UnitSpec, lower_db: f64) -> [(&'static str, Written); 2] {
    let threshold_db = (unit.settings.fixed.number("threshold_db") - lower_db).max(-60.0);
    [
        (id!(COMPRESSOR.tables.params, "threshold_db"), Written::from(threshold_db)),
        (id!(COMPRESSOR.tables.params, "ratio"), Written::from(20.0)),
    ]
}
