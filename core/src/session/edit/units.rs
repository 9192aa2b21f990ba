//! Edits of racks: units put in, taken out, moved, set.

use serde_json::Value as Json;

use super::change::{Applied, Edit, id_of, strip_mut};
use super::error::EditError;
use super::links;
use crate::rack::spec::MAX_UNITS;
use crate::rack::{RackSpec, UnitSpec};
use crate::session::{Session, Strip};

pub(super) fn unit_at(strip: &Strip, unit: u32) -> Result<usize, EditError> {
    strip.rack.units.iter().position(|u| u.id == unit).ok_or(EditError::NoUnit(unit))
}

/// A unit that has been in a session comes back as it was there, whatever version wrote it; a new one is of this version.
fn read_unit(json: &Json, number: usize) -> Result<UnitSpec, EditError> {
    let has_been_there = id_of(json) != 0;
    let read = if has_been_there { UnitSpec::of_any_version(json, number) } else { UnitSpec::from_json(json, number) };
    read.map_err(EditError::Rack)
}

pub(super) fn add_unit(session: &mut Session, id: u32, at: usize, unit: &Json) -> Applied {
    put_in(session, id, at, read_unit(unit, at.saturating_add(1))?)
}

/// Puts a unit into a rack.
pub(super) fn put_in(session: &mut Session, id: u32, at: usize, mut unit: UnitSpec) -> Applied {
    links::may_follow(session, &unit)?;
    links::take_over(session, &mut unit);
    let strip = session.strip(id).ok_or(EditError::NoStrip(id))?;
    if strip.rack.units.len() >= MAX_UNITS {
        return Err(EditError::RackFull);
    }
    let taken = |unit_id| session.strips.iter().any(|s| s.rack.units.iter().any(|u| u.id == unit_id));
    if unit.id == 0 || taken(unit.id) {
        unit.id = session.take_id();
    }
    session.reserve_id(unit.id);
    let unit_id = unit.id;
    let json = unit.to_json();
    let strip = strip_mut(session, id)?;
    let at = at.min(strip.rack.units.len());
    strip.rack.units.insert(at, unit);
    Ok((Edit::AddUnit { strip: id, at, unit: json }, Edit::RemoveUnit { strip: id, unit: unit_id }))
}

pub(super) fn remove_unit(session: &mut Session, id: u32, unit: u32) -> Applied {
    let strip = strip_mut(session, id)?;
    let at = unit_at(strip, unit)?;
    let removed = strip.rack.units.remove(at);
    Ok((Edit::RemoveUnit { strip: id, unit }, Edit::AddUnit { strip: id, at, unit: removed.to_json() }))
}

pub(super) fn move_unit(session: &mut Session, id: u32, unit: u32, to: usize) -> Applied {
    let strip = strip_mut(session, id)?;
    let at = unit_at(strip, unit)?;
    let moved = strip.rack.units.remove(at);
    let to = to.min(strip.rack.units.len());
    strip.rack.units.insert(to, moved);
    Ok((Edit::MoveUnit { strip: id, unit, to }, Edit::MoveUnit { strip: id, unit, to: at }))
}

pub(super) fn set_unit(session: &mut Session, id: u32, unit: &Json) -> Applied {
    let mut unit = read_unit(unit, 1)?;
    links::may_follow(session, &unit)?;
    links::take_over(session, &mut unit);
    let (unit_id, settings, courses, kept) = (unit.id, unit.settings.clone(), unit.courses.clone(), unit.kept.clone());
    let strip = strip_mut(session, id)?;
    let at = unit_at(strip, unit.id)?;
    let json = unit.to_json();
    let old = std::mem::replace(&mut strip.rack.units[at], unit);
    let applied = (Edit::SetUnit { strip: id, unit: json }, Edit::SetUnit { strip: id, unit: old.to_json() });
    let same = old.settings == settings && old.courses.list == courses.list && old.kept == kept;
    Ok(if same { applied } else { links::with_followers(session, unit_id, applied) })
}

pub(super) fn replace_rack(session: &mut Session, id: u32, rack: &Json) -> Applied {
    let has_been_there = rack["units"].as_array().is_some_and(|units| units.iter().any(|unit| id_of(unit) != 0));
    let read = if has_been_there { RackSpec::of_any_version(rack) } else { RackSpec::from_json(rack) };
    exchange(session, id, read.map_err(EditError::Rack)?)
}

/// Puts a rack in place of another.
pub(super) fn exchange(session: &mut Session, id: u32, mut rack: RackSpec) -> Applied {
    session.strip(id).ok_or(EditError::NoStrip(id))?;
    for unit in rack.units.iter_mut().filter(|u| u.id == 0) {
        unit.id = session.take_id();
    }
    rack.units.iter().for_each(|unit| session.reserve_id(unit.id));
    let json = rack.to_json();
    let strip = strip_mut(session, id)?;
    let old = std::mem::replace(&mut strip.rack, rack);
    Ok((Edit::ReplaceRack { strip: id, rack: json }, Edit::ReplaceRack { strip: id, rack: old.to_json() }))
}
