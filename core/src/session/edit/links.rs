//! Edits and links: what follows when a unit is set.

use super::change::Edit;
use super::error::EditError;
use crate::rack::UnitSpec;
use crate::session::Session;

fn find(session: &Session, unit: u32) -> Option<&UnitSpec> {
    session.strips.iter().flat_map(|s| &s.rack.units).find(|u| u.id == unit)
}

/// Whether two units are of one kind, also one that this version does not know.
fn is_alike(a: &UnitSpec, b: &UnitSpec) -> bool {
    a.kind.id == b.kind.id && a.kept.kind == b.kept.kind
}

/// A unit that follows another has that one's parameters, whatever it was given.
pub(super) fn take_over(session: &Session, unit: &mut UnitSpec) {
    let Some(follow) = &unit.follows else { return };
    if let Some(source) = find(session, follow.unit).filter(|s| is_alike(s, unit) && s.id != unit.id) {
        let (settings, courses) =
            (follow.of(&source.settings), follow.courses(&source.courses, &unit.courses, |path| unit.common.has(path)));
        let kept = source.kept.clone();
        (unit.settings, unit.courses) = (settings, courses);
        unit.kept.follow(&kept);
    }
}

/// Whether a unit may begin to follow what it says. Links have one level: what is changed reaches those that
/// follow it, and nobody further.
pub(super) fn may_follow(session: &Session, unit: &UnitSpec) -> Result<(), EditError> {
    let Some(follow) = &unit.follows else { return Ok(()) };
    if find(session, unit.id).is_some_and(|now| now.follows == unit.follows) {
        return Ok(());
    }
    if find(session, follow.unit).is_some_and(|source| source.follows.is_some()) {
        return Err(EditError::BadText("that unit follows another itself; follow that one"));
    }
    let mut others = session.strips.iter().flat_map(|s| &s.rack.units);
    if unit.id != 0 && others.any(|other| other.follows.as_ref().is_some_and(|f| f.unit == unit.id)) {
        return Err(EditError::BadText("others follow this unit; end their links first"));
    }
    Ok(())
}

/// Whether a unit's own parameters are those of another that is there; one whose source is gone goes by itself.
pub(super) fn follows_one_there(session: &Session, unit: &UnitSpec) -> bool {
    let source = unit.follows.as_ref().and_then(|follow| find(session, follow.unit));
    source.is_some_and(|source| is_alike(source, unit) && source.id != unit.id)
}

/// Refuses a unit whose own parameters are those of another.
pub(super) fn is_free(session: &Session, unit: u32) -> Result<(), EditError> {
    match find(session, unit).filter(|unit| follows_one_there(session, unit)) {
        Some(_) => Err(EditError::BadText("this unit follows another; change that one, or end the link first")),
        None => Ok(()),
    }
}

/// A change of a unit, with the changes of all that follow it.
pub(super) fn with_followers(session: &mut Session, unit: u32, (edit, inverse): (Edit, Edit)) -> (Edit, Edit) {
    let Some(source) = find(session, unit).cloned() else { return (edit, inverse) };
    let (mut edits, mut inverses) = (vec![edit], vec![inverse]);
    for strip in &mut session.strips {
        for follower in &mut strip.rack.units {
            let Some(follow) = follower.follows.clone().filter(|f| f.unit == unit) else { continue };
            if !is_alike(follower, &source) || follower.id == unit {
                continue;
            }
            inverses.push(Edit::SetUnit { strip: strip.id, unit: Box::new(follower.clone()) });
            follower.courses = follow.courses(&source.courses, &follower.courses, |path| follower.common.has(path));
            follower.settings = follow.of(&source.settings);
            follower.kept.follow(&source.kept);
            edits.push(Edit::SetUnit { strip: strip.id, unit: Box::new(follower.clone()) });
        }
    }
    match edits.len() {
        1 => (edits.remove(0), inverses.remove(0)),
        _ => (Edit::Several { edits }, Edit::Several { edits: inverses }),
    }
}
