//! Every change to a session, as a value with an inverse.
//!
//! `apply` changes the document and returns the edit that takes it back. Undo
//! and redo are nothing else than applying inverses. An edit that cannot be
//! applied changes nothing.

mod bounds;
mod change;
mod copies;
mod courses;
mod drawn_over;
mod error;
mod facts;
mod frame;
mod identities;
mod in_section;
mod least;
mod links;
mod meet;
mod paths;
mod strips;
mod units;
mod values;
mod words;

pub use bounds::{LATEST_FRAME, MAX_SECTIONS, MAX_STRIPS};
pub use change::{Edit, Touch};
pub use error::EditError;
pub use facts::{About, Facts, Reach};
pub use meet::Meeting;

use change::Applied;

use super::document::Session;
use super::notebook::Entry;
use crate::rack::UnitSpec;

impl Edit {
    /// Changes `session` and returns the edit as applied (with identities filled
    /// in) and the one that takes it back.
    ///
    /// # Errors
    /// See [`EditError`]; the session is then unchanged.
    pub fn apply(&self, session: &mut Session) -> Result<(Edit, Edit), EditError> {
        bounds::check(self, session)?;
        self.make(session, bounds::check_made)
    }

    /// The same for an edit that was kept before, or takes such a one back: it is not held against [`bounds`] again, which
    /// may have been others when it was made, so that the way back is always open.
    ///
    /// # Errors
    /// Where it does not fit the session, which is then unchanged.
    pub fn apply_kept(&self, session: &mut Session) -> Result<(Edit, Edit), EditError> {
        self.make(session, |_, _, _| Ok(()))
    }

    /// Makes it as one, whatever it is made of: what it leads to and what else it takes along is looked at once, at its end.
    fn make(&self, session: &mut Session, fits: bounds::CheckMade) -> Applied {
        let next_id = session.next_id;
        let facts = self.facts();
        // What else it takes along of what changes with the song, its inverse gives back.
        let before = (facts.takes_along && session.changes_with_the_song()).then(|| session.clone());
        // What was taken for something that is refused is free again.
        let applied = self.change(session).inspect_err(|_| session.next_id = next_id)?;
        let applied = match before {
            Some(before) => {
                let restored = courses::with_restored(&before, session, applied);
                if restored.is_err() {
                    *session = before;
                }
                restored?
            }
            None => applied,
        };
        if facts.brings_units {
            courses::keep_sections(session);
        }
        let leads = if paths::may_lead_elsewhere(self) { paths::check(session) } else { Ok(()) };
        if let Err(why) = leads.and_then(|()| fits(&applied, session, facts.brings_units)) {
            applied.1.change(session)?;
            session.next_id = next_id;
            session.supply();
            return Err(why);
        }
        session.supply();
        Ok(applied)
    }

    fn change(&self, session: &mut Session) -> Applied {
        match self {
            Self::SetControl { strip, control, value } => strips::set_control(session, *strip, control, value),
            Self::Rename { strip, name } => strips::rename(session, *strip, name),
            Self::SetNote { strip, note } => strips::set_note(session, *strip, note),
            Self::AddUnit { strip, at, unit } => units::put_in(session, *strip, *at, UnitSpec::clone(unit)),
            Self::RemoveUnit { strip, unit } => units::remove_unit(session, *strip, *unit),
            Self::MoveUnit { strip, unit, to } => units::move_unit(session, *strip, *unit, *to),
            Self::SetUnit { strip, unit } => units::set_unit(session, *strip, unit),
            Self::SetParam { strip, unit, param, value } => values::set_param(session, *strip, *unit, param, value),
            Self::AddRow { strip, unit, list, at, row } => values::add_row(session, *strip, *unit, list, *at, row),
            Self::RemoveRow { strip, unit, list, at } => values::remove_row(session, *strip, *unit, list, *at),
            Self::SetHere { strip, unit, param, section, value } => {
                courses::set_here(session, (*strip, *unit, param), *section, value.as_ref())
            }
            Self::SetLane { strip, unit, param, points, over } => {
                courses::set_lane(session, (*strip, *unit, param), points, over.as_deref())
            }
            Self::SetPointsOn { beats } => courses::set_points_on(session, *beats),
            Self::NameUnit { strip, unit, name } => values::name_unit(session, *strip, *unit, name),
            Self::SetWhy { strip, unit, why } => values::set_why(session, *strip, *unit, why),
            Self::SetKey { strip, unit, key } => values::set_key(session, *strip, *unit, *key),
            Self::SetFollows { strip, unit, follows } => values::set_follows(session, *strip, *unit, follows.as_ref()),
            Self::CopyUnit { strip, unit, to, linked, mirrored } => {
                copies::copy_unit(session, *strip, *unit, *to, copies::How { linked: *linked, mirrored })
            }
            Self::CopyRack { strip, to, linked } => copies::copy_rack(session, *strip, *to, *linked),
            Self::ReplaceRack { strip, rack } => units::exchange(session, *strip, rack.clone()),
            Self::MoveStrip { strip, to } => strips::move_strip(session, *strip, *to),
            Self::SetFeeds { strip, to } => paths::set_feeds(session, *strip, *to),
            Self::SetSends { strip, sends } => paths::set_sends(session, *strip, sends),
            Self::SetPart { strip, part, family, guessed } => {
                strips::set_part(session, *strip, *part, *family, *guessed)
            }
            Self::SetTakeSet { strip, set } => strips::set_take_set(session, *strip, *set),
            Self::SetStart { strip, start, stamp } => strips::set_start(session, *strip, (*start, *stamp)),
            Self::SetTempo { tempo_bpm, beats_per_bar } => frame::set_tempo(session, *tempo_bpm, *beats_per_bar),
            Self::Note { note } => write_note(session, note),
            Self::Several { edits } => several(session, edits),
            Self::AddStrip { at, strip } => strips::add_strip(session, *at, strip),
            Self::RemoveStrip { strip } => strips::remove_strip(session, *strip),
            Self::AddSection { section } => frame::add_section(session, section),
            Self::SetSection { section } => frame::set_section(session, section),
            Self::RemoveSection { section } => frame::remove_section(session, *section),
            Self::SetSections { sections } => frame::set_sections(session, sections),
        }
    }
}

fn write_note(session: &mut Session, note: &Entry) -> Applied {
    let old = session.notebook.write(note).map_err(EditError::Notebook)?;
    Ok((Edit::Note { note: note.clone() }, Edit::Note { note: old }))
}

fn several(session: &mut Session, edits: &[Edit]) -> Applied {
    if edits.iter().any(|e| matches!(e, Edit::Several { .. })) {
        return Err(EditError::BadText("none of several changes may be several itself"));
    }
    let mut whole = session.clone();
    let mut applied = Vec::with_capacity(edits.len());
    let mut inverses = Vec::with_capacity(edits.len());
    let mut size = bounds::Size::default();
    for edit in edits {
        // One that others follow comes back as several itself; what is kept has one level.
        let (done, inverse) = edit.change(&mut whole)?;
        size.add(&done, &inverse)?;
        applied.extend(done.into_parts());
        inverses.extend(inverse.into_parts().into_iter().rev());
    }
    inverses.reverse();
    *session = whole;
    Ok((Edit::Several { edits: applied }, Edit::Several { edits: inverses }))
}

#[cfg(test)]
mod tests;
