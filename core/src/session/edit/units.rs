//! Edits of racks: units put in, taken out, moved, set.

use std::collections::HashSet;

use super::change::{Applied, Edit, strip_mut};
use super::error::EditError;
use super::links;
use crate::rack::spec::MAX_UNITS;
use crate::rack::{RackSpec, UnitSpec};
use crate::session::{Session, Strip};

pub(super) fn unit_at(strip: &Strip, unit: u32) -> Result<usize, EditError> {
    strip.rack.units.iter().position(|u| u.id == unit).ok_or(EditError::NoUnit(unit))
}

/// Gives units that come into a session identities that nobody else has: those they bring where they can have them. The units
/// of the strip they take the place of do not count.
pub(super) fn identify(session: &mut Session, units: &mut [UnitSpec], instead_of: Option<u32>) {
    let others = session.strips.iter().filter(|strip| Some(strip.id) != instead_of);
    let mut taken: HashSet<u32> = others.flat_map(|strip| strip.rack.units.iter().map(|unit| unit.id)).collect();
    for unit in units {
        if !session.may_have(unit.id) || taken.contains(&unit.id) {
            unit.id = session.take_id();
        }
        session.reserve_id(unit.id);
        taken.insert(unit.id);
    }
}

/// Puts a unit into a rack.
pub(super) fn put_in(session: &mut Session, id: u32, at: usize, mut unit: UnitSpec) -> Applied {
    links::may_follow(session, &unit)?;
    links::take_over(session, &mut unit);
    let strip = session.strip(id).ok_or(EditError::NoStrip(id))?;
    if strip.rack.units.len() >= MAX_UNITS {
        return Err(EditError::RackFull);
    }
    identify(session, std::slice::from_mut(&mut unit), None);
    let unit_id = unit.id;
    let strip = strip_mut(session, id)?;
    let at = at.min(strip.rack.units.len());
    strip.rack.units.insert(at, unit.clone());
    Ok((Edit::AddUnit { strip: id, at, unit: Box::new(unit) }, Edit::RemoveUnit { strip: id, unit: unit_id }))
}

pub(super) fn remove_unit(session: &mut Session, id: u32, unit: u32) -> Applied {
    let strip = strip_mut(session, id)?;
    let at = unit_at(strip, unit)?;
    let removed = strip.rack.units.remove(at);
    Ok((Edit::RemoveUnit { strip: id, unit }, Edit::AddUnit { strip: id, at, unit: Box::new(removed) }))
}

pub(super) fn move_unit(session: &mut Session, id: u32, unit: u32, to: usize) -> Applied {
    let strip = strip_mut(session, id)?;
    let at = unit_at(strip, unit)?;
    let moved = strip.rack.units.remove(at);
    let to = to.min(strip.rack.units.len());
    strip.rack.units.insert(to, moved);
    Ok((Edit::MoveUnit { strip: id, unit, to }, Edit::MoveUnit { strip: id, unit, to: at }))
}

pub(super) fn set_unit(session: &mut Session, id: u32, unit: &UnitSpec) -> Applied {
    let mut unit = unit.clone();
    links::may_follow(session, &unit)?;
    links::take_over(session, &mut unit);
    let strip = strip_mut(session, id)?;
    let at = unit_at(strip, unit.id)?;
    let old = std::mem::replace(&mut strip.rack.units[at], unit.clone());
    let same = old.settings == unit.settings && old.courses.list == unit.courses.list && old.kept == unit.kept;
    let unit_id = unit.id;
    let edit = |unit| Edit::SetUnit { strip: id, unit: Box::new(unit) };
    let applied = (edit(unit), edit(old));
    Ok(if same { applied } else { links::with_followers(session, unit_id, applied) })
}

/// Puts a rack in place of another.
pub(super) fn exchange(session: &mut Session, id: u32, mut rack: RackSpec) -> Applied {
    session.strip(id).ok_or(EditError::NoStrip(id))?;
    identify(session, &mut rack.units, Some(id));
    let strip = strip_mut(session, id)?;
    let old = std::mem::replace(&mut strip.rack, rack.clone());
    Ok((Edit::ReplaceRack { strip: id, rack }, Edit::ReplaceRack { strip: id, rack: old }))
}
