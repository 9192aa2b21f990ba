//! Edits that copy units and racks, linked or free.

use super::change::Applied;
use super::error::EditError;
use super::units;
use crate::rack::{Follow, RackSpec, UnitSpec};
use crate::session::Session;

/// How a copy is made.
pub(super) struct How<'a> {
    pub linked: bool,
    pub mirrored: &'a [usize],
}

/// A copy of a unit as it would stand elsewhere.
fn copy(unit: &UnitSpec, how: &How) -> UnitSpec {
    let link = Follow { unit: unit.id, mirrored: how.mirrored.to_vec() };
    let mut copy = unit.clone();
    copy.id = 0;
    copy.settings = link.of(&unit.settings);
    copy.courses = link.courses(&unit.courses, &unit.courses, |path| unit.common.has(path));
    let root = unit.follows.as_ref().map(|first| link.through(first));
    copy.follows = how.linked.then(|| root.unwrap_or(link));
    copy
}

pub(super) fn copy_unit(session: &mut Session, id: u32, unit: u32, to: u32, how: How) -> Applied {
    let strip = session.strip(id).ok_or(EditError::NoStrip(id))?;
    let unit = strip.rack.units.iter().find(|u| u.id == unit).ok_or(EditError::NoUnit(unit))?;
    let copied = copy(unit, &how);
    units::put_in(session, to, usize::MAX, copied)
}

pub(super) fn copy_rack(session: &mut Session, id: u32, to: u32, linked: bool) -> Applied {
    let strip = session.strip(id).ok_or(EditError::NoStrip(id))?;
    let how = How { linked, mirrored: &[] };
    let rack = RackSpec { units: strip.rack.units.iter().map(|unit| copy(unit, &how)).collect() };
    units::exchange(session, to, rack)
}
