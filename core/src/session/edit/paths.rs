//! Edits of the paths between strips, and the check that they lead somewhere and run
//! in no circle.

use super::change::{Applied, Edit, strip_mut};
use super::courses;
use super::error::EditError;
use crate::rack::UnitSpec;
use crate::session::controls::OFF_DB;
use crate::session::routing::{edges, order};
use crate::session::{AuxSend, Role, Session};

/// Whether an edit may lead a path somewhere else.
pub(super) fn may_lead_elsewhere(edit: &Edit) -> bool {
    let is_keyed = |unit: &UnitSpec| unit.key.is_some();
    match edit {
        Edit::SetFeeds { .. } | Edit::SetSends { .. } | Edit::SetKey { .. } | Edit::AddStrip { .. } => true,
        Edit::AddUnit { unit, .. } | Edit::SetUnit { unit, .. } => is_keyed(unit),
        Edit::ReplaceRack { rack, .. } => rack.units.iter().any(is_keyed),
        Edit::CopyUnit { .. } | Edit::CopyRack { .. } => true,
        Edit::Several { edits } => edits.iter().any(may_lead_elsewhere),
        _ => false,
    }
}

/// Whether every path leads to a strip that can take it, and none in a circle.
pub(super) fn check(session: &Session) -> Result<(), EditError> {
    for strip in &session.strips {
        let takes = |id: u32| session.strip(id).map(|s| &s.role);
        let main = strip.role == Role::Main;
        match strip.feeds.map(takes) {
            None if main => {}
            Some(Some(Role::Bus | Role::Return | Role::Main)) if !main => {}
            _ => return Err(EditError::NoSuchPath(format!("\"{}\" must feed a bus or the main", strip.name))),
        }
        if strip.sends.iter().any(|s| !matches!(takes(s.to), Some(Role::Bus | Role::Return))) {
            return Err(EditError::NoSuchPath(format!("\"{}\" can be sent to buses and returns only", strip.name)));
        }
        for unit in strip.rack.units.iter().filter_map(|u| u.key) {
            if unit.strip().and_then(takes).is_none() {
                return Err(EditError::NoSuchPath(format!(
                    "a key on \"{}\" listens to a strip that is not in this session",
                    strip.name
                )));
            }
        }
    }
    order(session).map(|_| ()).map_err(|circle| EditError::Circle(circle.in_words(session)))
}

/// Who would miss a strip, in words.
pub(super) fn who_uses(session: &Session, id: u32) -> Option<String> {
    let edge = edges(session).into_iter().find(|e| (e.to == id && e.is_sound()) || (e.from == id && !e.is_sound()))?;
    let name = |id| session.strip(id).map_or("?", |s| s.name.as_str());
    Some(if edge.is_sound() {
        format!("{} feeds it or is sent to it", name(edge.from))
    } else {
        format!("a unit on {} is keyed by it", name(edge.to))
    })
}

pub(super) fn set_feeds(session: &mut Session, id: u32, to: u32) -> Applied {
    let strip = strip_mut(session, id)?;
    let Some(old) = strip.feeds else { return Err(EditError::NoSuchPath("the main feeds the listener".into())) };
    strip.feeds = Some(to);
    Ok((Edit::SetFeeds { strip: id, to }, Edit::SetFeeds { strip: id, to: old }))
}

pub(super) fn set_sends(session: &mut Session, id: u32, sends: &[AuxSend]) -> Applied {
    if sends.iter().any(|s| !(OFF_DB..=12.0).contains(&s.level_db)) {
        return Err(EditError::BadNumber("a send's level is -90 (off) to +12 dB; the old one was kept"));
    }
    let strip = strip_mut(session, id)?;
    let old = std::mem::replace(&mut strip.sends, sends.to_vec());
    courses::keep_sends(strip);
    Ok((Edit::SetSends { strip: id, sends: sends.to_vec() }, Edit::SetSends { strip: id, sends: old }))
}
