//! The other side of a comparison: the session with something taken away or changed.
//!
//! Before/after of a band, a unit, a rack, or of any set of them across tracks, and
//! one candidate against another, are all the same thing: two documents that differ
//! in what is being judged, played side by side, and brought to equal loudness.

use crate::unit::value::WrittenRow;
use serde::{Deserialize, Serialize};
use serde_json::Value as Json;

use super::document::{Session, Strip};
use crate::rack::{RackError, RackSpec, UnitSpec, UnitTap};
use crate::unit::SoundId;
use crate::unit::value::Value;

/// One difference of the other side.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case", tag = "change")]
pub enum Change {
    /// A strip's whole rack is off.
    RackOff {
        /// Which strip.
        strip: u32,
    },
    /// One unit is off.
    UnitOff {
        /// Which strip.
        strip: u32,
        /// Which unit.
        unit: u32,
    },
    /// All units from a station on are off: what is heard is the rack up to there.
    OffFrom {
        /// Which strip.
        strip: u32,
        /// The first station that is off, 0 first.
        station: usize,
    },
    /// One row of a unit's list (a band) is left out.
    RowOff {
        /// Which strip.
        strip: u32,
        /// Which unit.
        unit: u32,
        /// Which row, 0 first.
        row: usize,
    },
    /// What drives a unit is heard in its place, and no unit after it works.
    KeyHeard {
        /// Which strip.
        strip: u32,
        /// Which unit.
        unit: u32,
    },
    /// Only the region that one row of a unit's list works on is heard, or what it takes
    /// away, and no unit after it works.
    RowHeard {
        /// Which strip.
        strip: u32,
        /// Which unit.
        unit: u32,
        /// Which row, 0 first.
        row: usize,
    },
    /// The same of a row that is not there (yet): a band thought of.
    ThoughtHeard {
        /// Which strip.
        strip: u32,
        /// Which unit.
        unit: u32,
        /// The row as in a rack file.
        row: WrittenRow,
    },
    /// Another rack stands in its place.
    Rack {
        /// Which strip.
        strip: u32,
        /// The rack file.
        rack: Json,
    },
    /// The strip is louder or softer by so many dB.
    Level {
        /// Which strip.
        strip: u32,
        /// By how much.
        db: f64,
    },
}

/// Everything in which the other side differs.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize)]
#[serde(transparent)]
pub struct Reference {
    /// The differences, applied in order.
    pub changes: Vec<Change>,
}

impl Reference {
    /// The session with the differences applied. What names something that is not
    /// there (a unit removed meanwhile) changes nothing.
    ///
    /// # Errors
    /// A rack that cannot be read.
    pub fn of(&self, session: &Session) -> Result<Session, RackError> {
        let mut other = session.clone();
        for change in &self.changes {
            if let Some(strip) = other.strip_mut(change.strip()) {
                change.apply(strip)?;
            }
        }
        other.supply();
        Ok(other)
    }
}

impl Reference {
    /// Sounds that racks of the other side name; a rack that cannot be read names none.
    pub fn named_sounds(&self) -> Vec<SoundId> {
        let racks = self.changes.iter().filter_map(|change| match change {
            Change::Rack { rack, .. } => RackSpec::of_any_version(rack).ok(),
            _ => None,
        });
        racks.flat_map(|rack| rack.sounds().collect::<Vec<_>>()).collect()
    }
}

impl Change {
    /// The strip it concerns.
    #[must_use]
    pub fn strip(&self) -> u32 {
        match self {
            Self::RackOff { strip }
            | Self::UnitOff { strip, .. }
            | Self::OffFrom { strip, .. }
            | Self::KeyHeard { strip, .. }
            | Self::RowHeard { strip, .. }
            | Self::ThoughtHeard { strip, .. }
            | Self::RowOff { strip, .. }
            | Self::Rack { strip, .. }
            | Self::Level { strip, .. } => *strip,
        }
    }

    fn apply(&self, strip: &mut Strip) -> Result<(), RackError> {
        let units = &mut strip.rack.units;
        match self {
            Self::RackOff { .. } => units.iter_mut().for_each(|u| put_switch(u, "on", false)),
            Self::UnitOff { unit, .. } => {
                units.iter_mut().filter(|u| u.id == *unit).for_each(|u| put_switch(u, "on", false));
            }
            Self::OffFrom { station, .. } => {
                units.iter_mut().skip(*station).for_each(|u| put_switch(u, "on", false));
            }
            Self::KeyHeard { unit, .. } => {
                let Some(at) = units.iter().position(|u| u.id == *unit) else { return Ok(()) };
                units[at].heard = UnitTap::Key;
                hear_plainly(units, at);
            }
            Self::RowHeard { unit, row, .. } => {
                let Some(at) = units.iter().position(|u| u.id == *unit) else { return Ok(()) };
                hear_row(units, at, *row);
            }
            Self::ThoughtHeard { unit, row, .. } => {
                let Some(at) = units.iter().position(|u| u.id == *unit) else { return Ok(()) };
                let (kind, settings) = (units[at].kind, &mut units[at].settings);
                if let (Some(list), Some(rows)) = (kind.tables.lists.first(), settings.lists.first_mut()) {
                    let read = list.row(row);
                    rows.push(read.map_err(|error| RackError::Settings { unit: at + 1, kind: kind.id, error })?);
                    let last = rows.len() - 1;
                    hear_row(units, at, last);
                }
            }
            Self::RowOff { unit, row, .. } => {
                for unit in units.iter_mut().filter(|u| u.id == *unit) {
                    if let Some(list) = unit.kind.tables.lists.first() {
                        put_switch(unit, &format!("{}[{row}].on", list.id), false);
                    }
                }
            }
            Self::Rack { rack, .. } => strip.rack = RackSpec::of_any_version(rack)?,
            Self::Level { db, .. } => {
                // Not an edit: the match may lie beyond the fader's own range, and holds wherever
                // the level is drawn.
                strip.lift_db += db;
            }
        }
        Ok(())
    }
}

/// Only the region of one row of a unit is heard, with nothing after it.
fn hear_row(units: &mut [UnitSpec], at: usize, row: usize) {
    let listened = units[at].kind.regions.and_then(|regions| (regions.listen)(&units[at].settings, row));
    if let Some(settings) = listened {
        units[at].settings = settings;
        // Its rows are others: nothing that was drawn for those can move them.
        units[at].courses.list.clear();
        hear_plainly(units, at);
    }
}

/// A unit on at full mix, and nothing after it.
fn hear_plainly(units: &mut [UnitSpec], at: usize) {
    put_switch(&mut units[at], "on", true);
    units[at].common.put_number("mix", 1.0);
    units[at].courses.forget("mix");
    units.iter_mut().skip(at + 1).for_each(|u| put_switch(u, "on", false));
}

/// Puts a switch of a unit, whatever the song would have of it.
fn put_switch(unit: &mut UnitSpec, path: &str, on: bool) {
    unit.put(path, &Value::On(on));
    unit.courses.forget(path);
}

#[cfg(test)]
mod tests {
    use super::super::{Family, Role};
    use super::*;
    use serde_json::json;

    fn session() -> Session {
        let mut s = Session::new("sides", 48_000);
        let bus = s.add_strip("Bus", Family::Gt, Role::Bus, 1);
        for unit in [
            json!({"kind": "surgical-eq", "params": {"bands": [{"gain_db": 3}, {"gain_db": -3}]}}),
            json!({"kind": "compressor"}),
        ] {
            s.add_unit(bus, UnitSpec::from_json(&unit, 1).unwrap());
        }
        s
    }

    fn other(change: Change) -> Strip {
        let reference = Reference { changes: vec![change] };
        reference.of(&session()).unwrap().strip(2).unwrap().clone()
    }

    #[test]
    fn each_change_takes_away_just_what_it_names() {
        let on = |strip: &Strip| strip.rack.units.iter().map(|u| u.common.is_on("on")).collect::<Vec<_>>();
        let unit = session().strip(2).unwrap().rack.units[0].id;
        assert_eq!(on(&other(Change::RackOff { strip: 2 })), [false, false]);
        assert_eq!(on(&other(Change::UnitOff { strip: 2, unit })), [false, true]);
        assert_eq!(on(&other(Change::OffFrom { strip: 2, station: 1 })), [true, false]);
        let rows = other(Change::RowOff { strip: 2, unit, row: 1 }).rack.units[0].settings.rows().to_vec();
        assert_eq!(rows.iter().map(|r| r.is_on("on")).collect::<Vec<_>>(), [true, false]);
        assert_eq!(other(Change::Level { strip: 2, db: 20.0 }).lift_db, 20.0);
        let empty = json!({"zinc_rack": 1, "units": []});
        assert!(other(Change::Rack { strip: 2, rack: empty }).rack.units.is_empty());
    }

    #[test]
    fn what_is_not_there_changes_nothing_and_the_session_itself_never_changes() {
        let before = session();
        let reference =
            Reference { changes: vec![Change::UnitOff { strip: 2, unit: 99 }, Change::RackOff { strip: 99 }] };
        assert_eq!(reference.of(&before).unwrap(), before);
    }
}
