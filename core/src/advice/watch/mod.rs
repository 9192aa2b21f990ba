//! What to watch for in a unit that reduces: each fault with its figure, a moment at which it is
//! heard, and a mend.
//!
//! [`evidence`] is what is known of the unit at work, moment by moment; each other file judges one
//! kind of fault by it. A fault is said only where its figure leaves no doubt: a false alarm costs
//! more trust than a fault not said.

mod always;
mod choking;
mod ducked;
mod evidence;
mod found;
mod lows;
mod nothing;
mod pops;
mod pumping;
mod quieter;

use serde::Serialize;

use crate::rack::{RackSpec, UnitSpec};
use crate::trial::{Passage, Take};
use crate::unit::dynamics::compressor::KIND as COMPRESSOR;
use evidence::Evidence;
pub use found::Found;

/// A fault of a unit of a rack.
#[derive(Clone, Debug, PartialEq, Serialize)]
pub struct Fault {
    /// The unit's place in the rack, 1 first.
    pub unit: usize,
    /// What is wrong with it.
    #[serde(flatten)]
    pub found: Found,
}

/// The judges, the gravest fault first.
const JUDGES: [fn(&Evidence, &UnitSpec) -> Option<Found>; 9] = [
    nothing::judge,
    choking::judge,
    pops::judge,
    lows::rumble,
    lows::highs_pulled,
    pumping::judge,
    ducked::judge,
    always::judge,
    quieter::judge,
];

/// Faults of the units of a rack that reduce the whole of a sound by its level (`compressor`), on
/// this passage.
#[must_use]
pub fn faults(passage: &Passage, rack: &RackSpec) -> Vec<Fault> {
    let mut faults = Vec::new();
    let mut before = passage.clone();
    for (at, unit) in rack.units.iter().enumerate() {
        let after = Take::of(&before, &RackSpec { units: vec![unit.clone()] }, None);
        // One that another sound drives is meant to move with that.
        if unit.is_on() && unit.kind.id == COMPRESSOR.id && unit.key.is_none() {
            let without_rumble = lows::without_rumble(&before, unit, &after);
            let evidence = Evidence::of(&before, &after, without_rumble.as_ref());
            let found = JUDGES.iter().filter_map(|judge| judge(&evidence, unit));
            faults.extend(found.map(|found| Fault { unit: at + 1, found: within_reach(unit, found) }));
        }
        before = after.sound;
    }
    faults
}

/// A mend by a control that does nothing with the unit's action is none: said, and not offered.
fn within_reach(unit: &UnitSpec, mut found: Found) -> Found {
    let rests = |id: &str| {
        let param = unit.kind.tables.params.iter().find(|param| param.id == id);
        param.is_some_and(|param| unit.settings.fixed.rests(param))
    };
    // A release in milliseconds takes the place of a note value together with it.
    let by_note = found.set.iter().any(|(id, _)| *id == "release_note") && !rests("release_note");
    if found.set.iter().any(|(id, _)| rests(id) && !(by_note && *id == "release_ms")) {
        found.set.clear();
        found.mend =
            "its times are its own with this action: a lower ratio, or an action whose times can be set".into();
    }
    found
}

#[cfg(test)]
mod tests {
    use super::*;
    use serde_json::json;

    /// A release that is proposed for a compressor with these settings.
    fn proposed(params: serde_json::Value) -> Found {
        let file = json!({"zinc_rack": 1, "units": [{"kind": "compressor", "params": params}]});
        let unit = RackSpec::from_json(&file).unwrap().units.remove(0);
        let set = vec![("release_ms", 900.into()), ("release_note", "ms".into())];
        let mend = "a release of 900 ms".to_string();
        let found = Found {
            code: "pumping",
            says: String::new(),
            figure: 6.0,
            measured_in: "dB",
            at_s: 1.0,
            mend,
            set,
            worse: Vec::new(),
        };
        within_reach(&unit, found)
    }

    #[test]
    fn a_mend_is_offered_where_it_does_something_and_said_otherwise_to_be_out_of_reach() {
        assert_eq!(proposed(json!({})).set.len(), 2);
        assert_eq!(proposed(json!({"release_note": "1/8"})).set.len(), 2, "it takes the place of the note value");
        let opto = proposed(json!({"action": "opto"}));
        assert!(opto.set.is_empty() && opto.mend.contains("its own"), "{opto:?}");
    }
}
