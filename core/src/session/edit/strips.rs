//! Edits of strips: their controls, names and notes, which there are and in what order.

use super::change::{Applied, Edit, strip_mut};
use super::error::EditError;
use super::{paths, units};
use crate::session::{Family, Part, Role, Session, Strip};
use crate::unit::value::Written;

pub(super) fn set_control(session: &mut Session, id: u32, control: &str, value: &Written) -> Applied {
    let strip = strip_mut(session, id)?;
    let old = strip.set_control(control, value).map_err(EditError::Control)?;
    let edit = |value| Edit::SetControl { strip: id, control: control.to_string(), value };
    Ok((edit(value.clone()), edit(old)))
}

pub(super) fn rename(session: &mut Session, id: u32, name: &str) -> Applied {
    let name = name.trim();
    let strip = strip_mut(session, id)?;
    let old = std::mem::replace(&mut strip.name, name.to_string());
    Ok((Edit::Rename { strip: id, name: name.to_string() }, Edit::Rename { strip: id, name: old }))
}

pub(super) fn set_note(session: &mut Session, id: u32, note: &str) -> Applied {
    let strip = strip_mut(session, id)?;
    let old = std::mem::replace(&mut strip.note, note.to_string());
    Ok((Edit::SetNote { strip: id, note: note.to_string() }, Edit::SetNote { strip: id, note: old }))
}

pub(super) fn add_strip(session: &mut Session, at: usize, strip: &Strip) -> Applied {
    let mut strip = strip.clone();
    if strip.role == Role::Main {
        return Err(EditError::BadText("a session has one main already"));
    }
    if !session.may_have(strip.id) || session.strip(strip.id).is_some() {
        strip.id = session.take_id();
    }
    session.reserve_id(strip.id);
    // A copy of a strip brings units along that are known already.
    units::identify(session, &mut strip.rack.units, None);
    let id = strip.id;
    let at = at.min(session.strips.len() - 1);
    session.strips.insert(at, strip.clone());
    Ok((Edit::AddStrip { at, strip: Box::new(strip) }, Edit::RemoveStrip { strip: id }))
}

pub(super) fn remove_strip(session: &mut Session, id: u32) -> Applied {
    let at = session.strips.iter().position(|s| s.id == id).ok_or(EditError::NoStrip(id))?;
    if session.main_id() == id {
        return Err(EditError::InUse("a session needs its main".into()));
    }
    if let Some(why) = paths::who_uses(session, id) {
        return Err(EditError::InUse(why));
    }
    let removed = session.strips.remove(at);
    Ok((Edit::RemoveStrip { strip: id }, Edit::AddStrip { at, strip: Box::new(removed) }))
}

pub(super) fn move_strip(session: &mut Session, id: u32, to: usize) -> Applied {
    let at = session.strips.iter().position(|s| s.id == id).ok_or(EditError::NoStrip(id))?;
    if session.main_id() == id {
        return Err(EditError::InUse("the main stays last".into()));
    }
    let moved = session.strips.remove(at);
    let to = to.min(session.strips.len() - 1);
    session.strips.insert(to, moved);
    Ok((Edit::MoveStrip { strip: id, to }, Edit::MoveStrip { strip: id, to: at }))
}

pub(super) fn set_part(session: &mut Session, id: u32, part: Part, family: Family, guessed: bool) -> Applied {
    let strip = strip_mut(session, id)?;
    let edit = |s: &Strip| Edit::SetPart { strip: id, part: s.part, family: s.family, guessed: s.guessed };
    let before = edit(strip);
    (strip.part, strip.family, strip.guessed) = (part, family, guessed);
    // What another version said it was, it is no longer.
    strip.kept.retain(|name, _| name != "part" && name != "family");
    Ok((edit(strip), before))
}

pub(super) fn set_take_set(session: &mut Session, id: u32, set: u32) -> Applied {
    let strip = strip_mut(session, id)?;
    if !strip.is_track() {
        return Err(EditError::BadText("only tracks belong to a set of recordings"));
    }
    let old = std::mem::replace(&mut strip.take_set, set);
    Ok((Edit::SetTakeSet { strip: id, set }, Edit::SetTakeSet { strip: id, set: old }))
}

pub(super) fn set_start(session: &mut Session, id: u32, (start, stamp): (u64, Option<u64>)) -> Applied {
    match &mut strip_mut(session, id)?.role {
        Role::Track(audio) => {
            let old = (audio.start, audio.stamp);
            (audio.start, audio.stamp) = (start, stamp);
            let edit = |(start, stamp)| Edit::SetStart { strip: id, start, stamp };
            Ok((edit((start, stamp)), edit(old)))
        }
        _ => Err(EditError::BadText("only tracks begin somewhere")),
    }
}
