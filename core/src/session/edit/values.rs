//! Edits of one thing of a unit: a value, a row, its words, its key, what it follows.

use super::change::{Applied, Edit, strip_mut};
use super::courses;
use super::error::EditError;
use super::links;
use super::units::unit_at;
use crate::rack::{Follow, Key, RackError, UnitSpec};
use crate::session::Session;
use crate::unit::SettingsError;
use crate::unit::param::Rows;
use crate::unit::value::{Written, WrittenRow};

fn unit_mut(session: &mut Session, strip: u32, unit: u32) -> Result<&mut UnitSpec, EditError> {
    let strip = strip_mut(session, strip)?;
    let at = unit_at(strip, unit)?;
    Ok(&mut strip.rack.units[at])
}

fn refused(unit: &UnitSpec, error: SettingsError) -> EditError {
    EditError::Rack(RackError::Settings { unit: 1, kind: unit.kind.id, error })
}

/// The unit as it is, if something of another version is kept of it.
fn with_kept(unit: &UnitSpec) -> Option<UnitSpec> {
    (!unit.kept.is_empty()).then(|| unit.clone())
}

/// A change whose inverse gives back what was kept of the unit as well.
fn exactly(before: Option<UnitSpec>, unit: &UnitSpec, strip: u32, (edit, inverse): (Edit, Edit)) -> (Edit, Edit) {
    match before.filter(|before| before.kept != unit.kept) {
        Some(before) => (edit, Edit::SetUnit { strip, unit: Box::new(before) }),
        None => (edit, inverse),
    }
}

pub(super) fn set_param(session: &mut Session, strip: u32, id: u32, param: &str, value: &Written) -> Applied {
    if !unit_mut(session, strip, id)?.common.has(param) {
        links::is_free(session, id)?;
    }
    let unit = unit_mut(session, strip, id)?;
    let before = with_kept(unit);
    let old = unit.set(param, value).map_err(|error| refused(unit, error))?;
    unit.kept.forget(param);
    let edit = |value| Edit::SetParam { strip, unit: id, param: param.to_string(), value };
    let applied = exactly(before, unit, strip, (edit(value.clone()), edit(old)));
    Ok(if unit.common.has(param) { applied } else { links::with_followers(session, id, applied) })
}

fn list_of(unit: &UnitSpec, list: &str) -> Result<(usize, &'static Rows), EditError> {
    let found = unit.kind.tables.lists.iter().enumerate().find(|(_, rows)| rows.id == list);
    let known = || unit.kind.tables.lists.iter().map(|rows| rows.id).collect::<Vec<_>>().join(", ");
    found.ok_or_else(|| refused(unit, SettingsError::Unknown { path: list.into(), known: known() }))
}

pub(super) fn add_row(session: &mut Session, strip: u32, id: u32, list: &str, at: usize, row: &WrittenRow) -> Applied {
    links::is_free(session, id)?;
    let unit = unit_mut(session, strip, id)?;
    let (number, rows) = list_of(unit, list)?;
    let read = rows.row(row).map_err(|error| refused(unit, error))?;
    let held = unit.settings.lists[number].len();
    if held >= rows.max {
        return Err(refused(unit, SettingsError::TooMany { path: list.into(), given: held + 1, max: rows.max }));
    }
    let at = at.min(held);
    let written = read.written();
    unit.settings.lists[number].insert(at, read);
    courses::move_rows(&mut unit.courses, list, at, 1);
    unit.kept.move_rows(list, at, 1);
    let list = list.to_string();
    let applied = (
        Edit::AddRow { strip, unit: id, list: list.clone(), at, row: written },
        Edit::RemoveRow { strip, unit: id, list, at },
    );
    Ok(links::with_followers(session, id, applied))
}

pub(super) fn remove_row(session: &mut Session, strip: u32, id: u32, list: &str, at: usize) -> Applied {
    links::is_free(session, id)?;
    let unit = unit_mut(session, strip, id)?;
    let (number, rows) = list_of(unit, list)?;
    let before = with_kept(unit);
    if at >= unit.settings.lists[number].len() {
        let known = format!("{} of them", unit.settings.lists[number].len());
        return Err(refused(unit, SettingsError::Unknown { path: format!("{} {at}", rows.label), known }));
    }
    let row = unit.settings.lists[number].remove(at).written();
    courses::move_rows(&mut unit.courses, list, at, -1);
    unit.kept.move_rows(list, at, -1);
    let list = list.to_string();
    let edits =
        (Edit::RemoveRow { strip, unit: id, list: list.clone(), at }, Edit::AddRow { strip, unit: id, list, at, row });
    let applied = exactly(before, unit, strip, edits);
    Ok(links::with_followers(session, id, applied))
}

pub(super) fn name_unit(session: &mut Session, strip: u32, id: u32, name: &str) -> Applied {
    let name = name.trim();
    let unit = unit_mut(session, strip, id)?;
    let old = std::mem::replace(&mut unit.name, name.to_string());
    let edit = |name| Edit::NameUnit { strip, unit: id, name };
    Ok((edit(name.to_string()), edit(old)))
}

pub(super) fn set_why(session: &mut Session, strip: u32, id: u32, why: &str) -> Applied {
    let unit = unit_mut(session, strip, id)?;
    let old = std::mem::replace(&mut unit.why, why.to_string());
    let edit = |why| Edit::SetWhy { strip, unit: id, why };
    Ok((edit(why.to_string()), edit(old)))
}

pub(super) fn set_key(session: &mut Session, strip: u32, id: u32, key: Option<Key>) -> Applied {
    let unit = unit_mut(session, strip, id)?;
    if key.is_some() && !unit.kind.takes_key {
        let reason = "this kind of unit has no key".into();
        return Err(EditError::Rack(RackError::Key { unit: 1, kind: unit.kind.id, reason }));
    }
    let old = std::mem::replace(&mut unit.key, key);
    let edit = |key| Edit::SetKey { strip, unit: id, key };
    Ok((edit(key), edit(old)))
}

pub(super) fn set_follows(session: &mut Session, strip: u32, id: u32, follows: Option<&Follow>) -> Applied {
    let mut unit = unit_mut(session, strip, id)?.clone();
    let before = unit.clone();
    unit.follows = follows.cloned();
    links::may_follow(session, &unit)?;
    links::take_over(session, &mut unit);
    let changed = unit.settings != before.settings || unit.courses != before.courses || unit.kept != before.kept;
    *unit_mut(session, strip, id)? = unit.clone();
    if !changed {
        let edit = |follows| Edit::SetFollows { strip, unit: id, follows };
        return Ok((edit(unit.follows), edit(before.follows)));
    }
    // What it takes over from the unit it follows has to be taken back as well.
    let whole = |unit: &UnitSpec| Edit::SetUnit { strip, unit: Box::new(unit.clone()) };
    Ok(links::with_followers(session, id, (whole(&unit), whole(&before))))
}
