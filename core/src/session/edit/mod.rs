//! Every change to a session, as a value with an inverse.
//!
//! `apply` changes the document and returns the edit that takes it back. Undo
//! and redo are nothing else than applying inverses. An edit that cannot be
//! applied changes nothing.

mod error;
mod frame;
mod links;
mod paths;
mod strips;
mod units;

use serde::{Deserialize, Serialize};
use serde_json::Value as Json;

pub use error::EditError;

use super::document::{Section, Session, Strip};
use super::family::Family;
use super::notebook::Entry;
use super::part::Part;
use super::routing::Send;

/// One change.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
#[serde(tag = "edit", rename_all = "kebab-case")]
pub enum Edit {
    /// Sets a strip's level, pan or mute.
    SetControl {
        /// Which strip.
        strip: u32,
        /// Which control.
        control: String,
        /// Its new value.
        value: Json,
    },
    /// Renames a strip.
    Rename {
        /// Which strip.
        strip: u32,
        /// New name.
        name: String,
    },
    /// Changes the note written on first hearing.
    SetNote {
        /// Which strip.
        strip: u32,
        /// New note.
        note: String,
    },
    /// Puts a unit into a rack. An identity of 0 or none means: give it a new one.
    AddUnit {
        /// Which strip.
        strip: u32,
        /// Position, 0 first.
        at: usize,
        /// The unit as in a rack file.
        unit: Json,
    },
    /// Takes a unit out.
    RemoveUnit {
        /// Which strip.
        strip: u32,
        /// Which unit.
        unit: u32,
    },
    /// Moves a unit within its rack.
    MoveUnit {
        /// Which strip.
        strip: u32,
        /// Which unit.
        unit: u32,
        /// New position, counted without the unit.
        to: usize,
    },
    /// Replaces a unit's values; the identity says which.
    SetUnit {
        /// Which strip.
        strip: u32,
        /// The unit as in a rack file, with its identity.
        unit: Json,
    },
    /// Puts a copy of a unit at the end of another rack, linked or free.
    CopyUnit {
        /// Strip of the unit.
        strip: u32,
        /// The unit.
        unit: u32,
        /// Strip that gets the copy.
        to: u32,
        /// Whether the copy goes on following.
        linked: bool,
        /// Rows of its first list whose gains are turned over in the copy.
        #[serde(default)]
        mirrored: Vec<usize>,
    },
    /// Replaces another strip's rack by a copy of this one's, linked or free.
    CopyRack {
        /// Strip of the rack.
        strip: u32,
        /// Strip that gets the copy.
        to: u32,
        /// Whether the copies go on following.
        linked: bool,
    },
    /// Replaces a whole rack. Units without identity get one.
    ReplaceRack {
        /// Which strip.
        strip: u32,
        /// The rack file.
        rack: Json,
    },
    /// Adds a strip.
    AddStrip {
        /// Position among the strips.
        at: usize,
        /// The strip in full; identity 0 means: give it a new one.
        strip: Json,
    },
    /// Removes a track or bus that nothing feeds.
    RemoveStrip {
        /// Which strip.
        strip: u32,
    },
    /// Moves a strip to another place in the list.
    MoveStrip {
        /// Which strip.
        strip: u32,
        /// New position, counted without the strip.
        to: usize,
    },
    /// Lets a strip feed another bus, or the main.
    SetFeeds {
        /// Which strip.
        strip: u32,
        /// What it feeds.
        to: u32,
    },
    /// Replaces a strip's sends.
    SetSends {
        /// Which strip.
        strip: u32,
        /// The sends.
        sends: Vec<Send>,
    },
    /// Says what a track is.
    SetPart {
        /// Which strip.
        strip: u32,
        /// What it plays.
        part: Part,
        /// Its family's mark, which may differ from the part's own.
        family: Family,
        /// Whether this is a guess nobody has looked at.
        #[serde(default)]
        guessed: bool,
    },
    /// Puts a track into a set of recordings of one performance, or out of one (0).
    SetTakeSet {
        /// Which strip.
        strip: u32,
        /// Number of the set.
        set: u32,
    },
    /// Moves where a track's audio begins in the song.
    SetStart {
        /// Which strip.
        strip: u32,
        /// First frame.
        start: u64,
    },
    /// Changes tempo and metre.
    SetTempo {
        /// Quarter notes per minute.
        tempo_bpm: f64,
        /// Quarter notes per bar.
        beats_per_bar: u32,
    },
    /// Replaces all sections.
    SetSections {
        /// The sections.
        sections: Vec<Section>,
    },
    /// Writes something into the notebook: no sound changes, and it is no step of undo.
    Note {
        /// What.
        note: Entry,
    },
    /// Several changes as one, all or none.
    Several {
        /// The changes in order.
        edits: Vec<Edit>,
    },
}

/// The part of a document an edit changed: what must be stored and heard anew.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Touch {
    /// A strip's own fields.
    Strip(u32),
    /// A strip's rack.
    Rack(u32),
    /// What a strip feeds and is sent to.
    Paths(u32),
    /// The list of strips.
    Strips,
    /// Name, tempo, sections.
    Frame,
    /// What is kept beside the sound.
    Notebook,
    /// Any of it.
    Everything,
}

/// Longest name in characters.
const MAX_NAME: usize = 80;

impl Edit {
    /// Changes `session` and returns the edit as applied (with identities filled
    /// in) and the one that takes it back.
    ///
    /// # Errors
    /// See [`EditError`]; the session is then unchanged.
    pub fn apply(&self, session: &mut Session) -> Result<(Edit, Edit), EditError> {
        match self {
            Self::SetControl { strip, control, value } => strips::set_control(session, *strip, control, value),
            Self::Rename { strip, name } => strips::rename(session, *strip, name),
            Self::SetNote { strip, note } => strips::set_note(session, *strip, note),
            Self::AddUnit { strip, at, unit } => units::add_unit(session, *strip, *at, unit),
            Self::RemoveUnit { strip, unit } => units::remove_unit(session, *strip, *unit),
            Self::MoveUnit { strip, unit, to } => units::move_unit(session, *strip, *unit, *to),
            Self::SetUnit { strip, unit } => units::set_unit(session, *strip, unit),
            Self::CopyUnit { strip, unit, to, linked, mirrored } => {
                links::copy_unit(session, *strip, *unit, *to, links::How { linked: *linked, mirrored })
            }
            Self::CopyRack { strip, to, linked } => links::copy_rack(session, *strip, *to, *linked),
            Self::ReplaceRack { strip, rack } => units::replace_rack(session, *strip, rack),
            Self::MoveStrip { strip, to } => strips::move_strip(session, *strip, *to),
            Self::SetFeeds { strip, to } => paths::set_feeds(session, *strip, *to),
            Self::SetSends { strip, sends } => paths::set_sends(session, *strip, sends),
            Self::SetPart { strip, part, family, guessed } => {
                strips::set_part(session, *strip, *part, *family, *guessed)
            }
            Self::SetTakeSet { strip, set } => strips::set_take_set(session, *strip, *set),
            Self::SetStart { strip, start } => strips::set_start(session, *strip, *start),
            Self::SetTempo { tempo_bpm, beats_per_bar } => frame::set_tempo(session, *tempo_bpm, *beats_per_bar),
            Self::Note { note } => write_note(session, note),
            Self::Several { edits } => several(session, edits),
            Self::AddStrip { at, strip } => strips::add_strip(session, *at, strip),
            Self::RemoveStrip { strip } => strips::remove_strip(session, *strip),
            Self::SetSections { sections } => frame::set_sections(session, sections),
        }
    }

    /// What it changes.
    #[must_use]
    pub fn touches(&self) -> Touch {
        match self {
            Self::SetControl { strip, .. }
            | Self::Rename { strip, .. }
            | Self::SetNote { strip, .. }
            | Self::SetPart { strip, .. }
            | Self::SetTakeSet { strip, .. }
            | Self::SetStart { strip, .. } => Touch::Strip(*strip),
            Self::SetFeeds { strip, .. } | Self::SetSends { strip, .. } => Touch::Paths(*strip),
            Self::AddUnit { strip, .. }
            | Self::RemoveUnit { strip, .. }
            | Self::MoveUnit { strip, .. }
            | Self::SetUnit { strip, .. }
            | Self::CopyUnit { to: strip, .. }
            | Self::CopyRack { to: strip, .. }
            | Self::ReplaceRack { strip, .. } => Touch::Rack(*strip),
            Self::AddStrip { .. } | Self::RemoveStrip { .. } | Self::MoveStrip { .. } => Touch::Strips,
            Self::SetSections { .. } | Self::SetTempo { .. } => Touch::Frame,
            Self::Note { .. } => Touch::Notebook,
            Self::Several { .. } => Touch::Everything,
        }
    }

    /// Whether `later` changes the very same value, so that both may be one
    /// step of undo when they belong to one gesture.
    #[must_use]
    pub fn same_target(&self, later: &Edit) -> bool {
        match (self, later) {
            (Self::SetControl { strip: a, control: c, .. }, Self::SetControl { strip: b, control: d, .. }) => {
                a == b && c == d
            }
            (Self::SetUnit { strip: a, unit: u }, Self::SetUnit { strip: b, unit: v }) => a == b && u["id"] == v["id"],
            (Self::SetSends { strip: a, sends: s }, Self::SetSends { strip: b, sends: t }) => {
                a == b && s.len() == t.len()
            }
            (Self::SetTempo { .. }, Self::SetTempo { .. }) => true,
            // A unit and those that follow it.
            (Self::Several { edits: a }, Self::Several { edits: b }) => {
                a.len() == b.len() && a.iter().zip(b).all(|(a, b)| a.same_target(b))
            }
            _ => false,
        }
    }
}

/// The edit as applied, and its inverse.
pub(super) type Applied = Result<(Edit, Edit), EditError>;

pub(super) fn strip_mut(session: &mut Session, id: u32) -> Result<&mut Strip, EditError> {
    session.strip_mut(id).ok_or(EditError::NoStrip(id))
}

fn write_note(session: &mut Session, note: &Entry) -> Applied {
    let old = session.notebook.write(note).map_err(EditError::Notebook)?;
    Ok((Edit::Note { note: note.clone() }, Edit::Note { note: old }))
}

/// Most edits in one; a guard against hostile requests.
const MOST_AT_ONCE: usize = 2000;

fn several(session: &mut Session, edits: &[Edit]) -> Applied {
    if edits.len() > MOST_AT_ONCE || edits.iter().any(|e| matches!(e, Edit::Several { .. })) {
        return Err(EditError::BadText("at most 2000 changes go together, and none of them may be several itself"));
    }
    let mut whole = session.clone();
    let mut applied = Vec::with_capacity(edits.len());
    let mut inverses = Vec::with_capacity(edits.len());
    for edit in edits {
        let (done, inverse) = edit.apply(&mut whole)?;
        applied.push(done);
        inverses.push(inverse);
    }
    inverses.reverse();
    *session = whole;
    Ok((Edit::Several { edits: applied }, Edit::Several { edits: inverses }))
}

#[cfg(test)]
mod tests;
