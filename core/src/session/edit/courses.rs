//! Edits of what changes with the song, and what becomes of it when something else is edited: rows
//! that move take their lanes along, sections and sends that go take their values with them, points
//! stay on their beats.

use super::change::{Applied, DrawnOver, Edit, strip_mut};
use super::error::EditError;
use super::links;
use super::units::unit_at;
use crate::course::json::{WrittenPoint, fits, follow, read, read_points, write_points};
use crate::course::{Course, CourseError, Courses, merged};
use crate::rack::{MAX_SHAPES, UnitSpec};
use crate::session::controls::sent_to;
use crate::session::document::{Session, Strip};
use crate::unit::param::Param;
use crate::unit::value::{Written, write_value};

/// What may change with the song: a unit of a strip, or the strip itself (0).
struct Owner<'a> {
    strip: u32,
    unit: u32,
    param: &'a str,
}

impl Owner<'_> {
    fn unit<'s>(&self, session: &'s mut Session) -> Result<&'s mut UnitSpec, EditError> {
        let strip = strip_mut(session, self.strip)?;
        let at = unit_at(strip, self.unit)?;
        Ok(&mut strip.rack.units[at])
    }

    /// The parameter named, and the courses it is in.
    fn find<'s>(&self, session: &'s mut Session) -> Result<(&'static Param, &'s mut Courses), EditError> {
        let unknown = || EditError::Course(CourseError::Unknown(self.param.to_string()));
        if self.unit == 0 {
            let strip = strip_mut(session, self.strip)?;
            return Ok((strip.changing(self.param).ok_or_else(unknown)?, &mut strip.courses));
        }
        if !self.unit(session)?.common.has(self.param) {
            links::is_free(session, self.unit)?;
        }
        let unit = self.unit(session)?;
        Ok((unit.param(self.param).ok_or_else(unknown)?, &mut unit.courses))
    }

    /// The change with that of the units which follow this one. One that asks for more shapes of the
    /// unit than it may have is taken back.
    fn settle(&self, session: &mut Session, before: Courses, applied: (Edit, Edit)) -> Applied {
        if self.unit == 0 {
            return Ok(applied);
        }
        let spans = session.spans();
        let unit = self.unit(session)?;
        unit.courses.supply(&spans);
        if unit.shape_count() > MAX_SHAPES {
            unit.courses = before;
            return Err(EditError::BadText(
                "what steps in this unit would take more than 16 combinations over the song; the old ones were kept",
            ));
        }
        let is_common = unit.common.has(self.param);
        Ok(if is_common { applied } else { links::with_followers(session, self.unit, applied) })
    }
}

pub(super) fn set_here(
    session: &mut Session,
    (strip, unit, param): (u32, u32, &str),
    section: u32,
    value: Option<&Written>,
) -> Applied {
    if value.is_some() && !session.sections.iter().any(|s| s.id == section) {
        return Err(EditError::BadSections("that section is not there any more; nothing was changed".into()));
    }
    let place = Owner { strip, unit, param };
    let (found, courses) = place.find(session)?;
    let read = value.map(|value| read(found, param, value)).transpose().map_err(EditError::Course)?;
    let before = courses.clone();
    let old = courses.entry(param).set_here(section, read);
    courses.tidy();
    let edit = |value| Edit::SetHere { strip, unit, param: param.to_string(), section, value };
    let applied = (edit(value.cloned()), edit(old.map(|old| write_value(&found.domain, &old))));
    place.settle(session, before, applied)
}

pub(super) fn set_lane(
    session: &mut Session,
    (strip, unit, param): (u32, u32, &str),
    points: &[WrittenPoint],
    over: Option<&DrawnOver>,
) -> Applied {
    let place = Owner { strip, unit, param };
    let factor = over.map_or(1.0, |over| over.factor(session));
    let (found, courses) = place.find(session)?;
    let read = |points: &[WrittenPoint]| {
        let here: Vec<WrittenPoint> = points.iter().map(|point| point.following(factor)).collect();
        read_points(found, param, &here).map_err(EditError::Course)
    };
    let mut read_as_drawn = read(points)?;
    let before = courses.clone();
    let course = courses.entry(param);
    if let Some(over) = over {
        read_as_drawn = merged(&course.points, &read(&over.points)?, &read_as_drawn);
        // Of two that draw at once each may fill half of it.
        fits(&read_as_drawn).map_err(EditError::Course)?;
    }
    let old = write_points(&found.domain, &std::mem::replace(&mut course.points, read_as_drawn));
    let new = write_points(&found.domain, &course.points);
    courses.tidy();
    let edit = |points| Edit::SetLane { strip, unit, param: param.to_string(), points, over: None };
    place.settle(session, before, (edit(new), edit(old)))
}

pub(super) fn set_points_on(session: &mut Session, beats: bool) -> Applied {
    let old = std::mem::replace(&mut session.points_on_beats, beats);
    Ok((Edit::SetPointsOn { beats }, Edit::SetPointsOn { beats: old }))
}

/// Everything of a session that changes with the song.
fn each(session: &mut Session, mut change: impl FnMut(&mut Courses)) {
    for strip in &mut session.strips {
        change(&mut strip.courses);
        strip.rack.units.iter_mut().for_each(|unit| change(&mut unit.courses));
    }
}

/// Forgets values of sections that are not there.
pub(super) fn keep_sections(session: &mut Session) {
    let known: Vec<u32> = session.sections.iter().map(|s| s.id).collect();
    each(session, |courses| {
        courses.list.iter_mut().for_each(|course| course.sections.retain(|here| known.contains(&here.section)));
        courses.tidy();
    });
}

/// Forgets what sends did that are not there.
pub(super) fn keep_sends(strip: &mut Strip) {
    let sends: Vec<u32> = strip.sends.iter().map(|send| send.to).collect();
    strip.courses.list.retain(|course| sent_to(&course.param).is_none_or(|to| sends.contains(&to)));
}

/// Moves points with their beats from one tempo to another, where the session says so.
pub(super) fn follow_tempo(session: &mut Session, from_bpm: f64) {
    if !session.points_on_beats || from_bpm == session.tempo_bpm {
        return;
    }
    let factor = from_bpm / session.tempo_bpm;
    each(session, |courses| {
        for course in &mut courses.list {
            course.points.iter_mut().for_each(|point| point.at = follow(point.at, factor));
            course.points.dedup_by_key(|point| point.at);
        }
    });
}

/// Renames lanes of the rows of a list from a row on; those of a row that is gone go with it.
pub(super) fn move_rows(courses: &mut Courses, list: &str, from: usize, by: isize) {
    let moved = |param: &str| -> Option<String> {
        let Some((row, field)) = row_of(param, list).filter(|(row, _)| *row >= from) else {
            return Some(param.to_string());
        };
        let gone = by < 0 && row == from;
        (!gone).then(|| format!("{list}[{}].{field}", row.saturating_add_signed(by)))
    };
    courses.list = std::mem::take(&mut courses.list)
        .into_iter()
        .filter_map(|course| Some(Course { param: moved(&course.param)?, ..course }))
        .collect();
    courses.tidy();
}

/// Row and field that a path names in a list.
fn row_of<'a>(param: &'a str, list: &str) -> Option<(usize, &'a str)> {
    let (row, field) = param.strip_prefix(list)?.strip_prefix('[')?.split_once("].")?;
    Some((row.parse().ok()?, field))
}

/// Edits that give courses back what they had before something else was edited.
fn restoring(
    strip: u32,
    unit: u32,
    find: impl Fn(&str) -> Option<&'static Param>,
    was: &Courses,
    is: &Courses,
) -> Vec<Edit> {
    let mut edits = Vec::new();
    for course in &was.list {
        let Some(domain) = find(&course.param).map(|p| p.domain) else { continue };
        let now = is.of(&course.param);
        let param = course.param.clone();
        if now.map_or(&[][..], |now| &now.points) != course.points {
            let points = write_points(&domain, &course.points);
            edits.push(Edit::SetLane { strip, unit, param: param.clone(), points, over: None });
        }
        for here in &course.sections {
            if now.and_then(|now| now.here(here.section)) != Some(&here.value) {
                let value = Some(write_value(&domain, &here.value));
                edits.push(Edit::SetHere { strip, unit, param: param.clone(), section: here.section, value });
            }
        }
    }
    edits
}

/// An edit whose inverse gives back what else it took from what changes with the song. `before` is the
/// session before it.
pub(super) fn with_restored(before: &Session, after: &mut Session, (edit, inverse): (Edit, Edit)) -> Applied {
    // What comes back by itself need not be restored.
    let mut back = after.clone();
    inverse.change(&mut back)?;
    let mut edits = Vec::new();
    for strip in &before.strips {
        let Some(now) = back.strip(strip.id) else { continue };
        edits.extend(restoring(strip.id, 0, |path| strip.changing(path), &strip.courses, &now.courses));
        for unit in &strip.rack.units {
            let Some(now) = now.rack.units.iter().find(|u| u.id == unit.id) else { continue };
            // A follower gets back its source's with the source; what every unit has is its own.
            let free = !links::follows_one_there(before, unit);
            let own = |path: &str| unit.param(path).filter(|_| free || unit.common.has(path));
            edits.extend(restoring(strip.id, unit.id, own, &unit.courses, &now.courses));
        }
    }
    if edits.is_empty() {
        return Ok((edit, inverse));
    }
    let mut inverses = inverse.into_parts();
    inverses.extend(edits);
    Ok((edit, Edit::Several { edits: inverses }))
}
