//! Edits and links: copies that follow, and what follows when a unit is set.

use super::error::EditError;
use super::{Applied, Edit, units};
use crate::rack::{Follow, RackSpec, UnitSpec};
use crate::session::Session;

/// How a copy is made.
pub(super) struct How<'a> {
    pub linked: bool,
    pub mirrored: &'a [usize],
}

fn find(session: &Session, unit: u32) -> Option<&UnitSpec> {
    session.strips.iter().flat_map(|s| &s.rack.units).find(|u| u.id == unit)
}

/// A unit that follows another has that one's parameters, whatever it was given.
pub(super) fn take_over(session: &Session, unit: &mut UnitSpec) {
    let Some(follow) = &unit.follows else { return };
    if let Some(source) = find(session, follow.unit).filter(|s| s.kind.id == unit.kind.id && s.id != unit.id) {
        unit.settings = follow.of(&source.settings);
    }
}

/// A change of a unit, with the changes of all that follow it.
pub(super) fn with_followers(session: &mut Session, unit: u32, (edit, inverse): (Edit, Edit)) -> (Edit, Edit) {
    let Some(source) = find(session, unit).map(|u| (u.kind.id, u.settings.clone())) else { return (edit, inverse) };
    let (mut edits, mut inverses) = (vec![edit], vec![inverse]);
    for strip in &mut session.strips {
        for follower in &mut strip.rack.units {
            let Some(follow) = follower.follows.clone().filter(|f| f.unit == unit) else { continue };
            if follower.kind.id != source.0 || follower.id == unit {
                continue;
            }
            inverses.push(Edit::SetUnit { strip: strip.id, unit: follower.to_json() });
            follower.settings = follow.of(&source.1);
            edits.push(Edit::SetUnit { strip: strip.id, unit: follower.to_json() });
        }
    }
    match edits.len() {
        1 => (edits.remove(0), inverses.remove(0)),
        _ => (Edit::Several { edits }, Edit::Several { edits: inverses }),
    }
}

/// A copy of a unit as it would stand elsewhere.
fn copy(unit: &UnitSpec, how: &How) -> UnitSpec {
    let link = Follow { unit: unit.id, mirrored: how.mirrored.to_vec() };
    let mut copy = unit.clone();
    copy.id = 0;
    copy.settings = link.of(&unit.settings);
    let root = unit.follows.as_ref().map(|first| link.through(first));
    copy.follows = how.linked.then(|| root.unwrap_or(link));
    copy
}

pub(super) fn copy_unit(session: &mut Session, id: u32, unit: u32, to: u32, how: How) -> Applied {
    let strip = session.strip(id).ok_or(EditError::NoStrip(id))?;
    let unit = strip.rack.units.iter().find(|u| u.id == unit).ok_or(EditError::NoUnit(unit))?;
    let copied = copy(unit, &how).to_json();
    units::add_unit(session, to, usize::MAX, &copied)
}

pub(super) fn copy_rack(session: &mut Session, id: u32, to: u32, linked: bool) -> Applied {
    let strip = session.strip(id).ok_or(EditError::NoStrip(id))?;
    let how = How { linked, mirrored: &[] };
    let rack = RackSpec { units: strip.rack.units.iter().map(|unit| copy(unit, &how)).collect() };
    units::replace_rack(session, to, &rack.to_json())
}
