//! The journal: every edit with its inverse, and undo and redo through it.

use diesel::prelude::*;
use diesel::sqlite::SqliteConnection;
use zinc_core::session::{Edit, Session, Touch};

use super::audio::known_audio;
use super::changes::{self, KnownChange, back, meetings, record};
use super::database::{Store, StoreError};
use super::requester::Requester;
use super::schema::{journal, sessions};
use super::sessions::{Stored, entries_after, load_whole, write_edited};

/// Which way through the journal.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Direction {
    /// Takes the last edit back.
    Undo,
    /// Does the last undone edit again.
    Redo,
}

/// What a change left behind.
pub struct Change {
    /// The document afterwards.
    pub session: Session,
    /// The edit as applied, with identities filled in.
    pub edit: Edit,
    /// Version before the change.
    pub version_before: i32,
    /// Version afterwards.
    pub version: i32,
    /// Edits that can be undone now.
    pub undo: i32,
    /// Edits that can be redone now.
    pub redo: i32,
    /// Windows whose change of the same value, or of what it removed, it came after.
    pub overtook: Vec<String>,
    /// What brings back what it removed, where another window had just set something of that.
    pub back: Option<Edit>,
}

/// Which steps are made all the same.
#[derive(Clone, Copy, Debug, Default)]
pub struct Consent {
    /// One of another window.
    pub foreign: bool,
    /// One that cannot be made: it is passed over.
    pub unfit: bool,
}

#[derive(Queryable, Insertable)]
#[diesel(table_name = journal)]
struct Entry {
    session_id: i32,
    seq: i32,
    edit: String,
    inverse: String,
    gesture: String,
    window: String,
}

impl Store {
    /// Applies an edit, writes what it touched and its journal entry, all or
    /// nothing. What only goes into the notebook is no step of undo. Edits of one gesture (not
    /// empty) on one value become one step of undo. A request that was answered before is
    /// answered again and not applied again. An edit made without knowing of what another
    /// window did meanwhile is applied beside it, over it, or refused (see
    /// [`zinc_core::session::Meeting`]).
    ///
    /// # Errors
    /// An edit the core refuses, one that collides, no such session, or the database.
    pub fn apply(&self, id: i32, edit: &Edit, gesture: &str, requester: &Requester) -> Result<Change, StoreError> {
        self.write(|c| {
            let stored = load_whole(c, id)?;
            if let Some(known) = changes::answered(c, id, &requester.ident)? {
                return Ok(again(stored, known));
            }
            known_audio(c, edit, stored.session.rate)?;
            let met = meetings(c, id, edit, requester, &stored.session)?;
            let before = Before::of(&stored);
            let mut session = stored.session;
            let (edit, inverse) = edit.apply(&mut session).map_err(|e| StoreError::Refused(e.to_string()))?;
            write_edited(c, id, &session, &edit)?;
            if edit.touches() == Touch::Notebook {
                return finish(
                    c,
                    id,
                    requester,
                    before,
                    Change::of(session, edit, before.undo, before.redo, met.overtook),
                );
            }
            diesel::delete(journal::table.filter(journal::session_id.eq(id).and(journal::seq.gt(before.undo))))
                .execute(c)?;
            let undo = if extend_last(c, id, before.undo, (&edit, &inverse), gesture, requester)? {
                before.undo
            } else {
                let seq = before.undo + 1;
                let entry = Entry {
                    session_id: id,
                    seq,
                    edit: to_text(&edit)?,
                    inverse: to_text(&inverse)?,
                    gesture: gesture.to_string(),
                    window: requester.window.clone(),
                };
                diesel::insert_into(journal::table).values(&entry).execute(c)?;
                seq
            };
            let back = met.removes.then_some(inverse);
            let change = Change { back, ..Change::of(session, edit, undo, 0, met.overtook) };
            finish(c, id, requester, before, change)
        })
    }

    /// Brings back what a change removed although another window had just set something of it: a change of its own.
    ///
    /// # Errors
    /// That change removed nothing of the kind or is too long ago, what it removed does not fit any more, no such session, or
    /// the database.
    pub fn bring_back(&self, id: i32, version: i32, requester: &Requester) -> Result<Change, StoreError> {
        let edit = back(&mut *self.connection()?, id, version)?;
        self.apply(id, &edit, "", requester)
    }

    /// One step back or forth. A step that another window made, or that does not fit what is there, is made or passed over
    /// only with consent.
    ///
    /// # Errors
    /// Nothing to undo or redo, a step that takes consent, no such session, or the database.
    pub fn step(
        &self,
        id: i32,
        direction: Direction,
        requester: &Requester,
        consent: Consent,
    ) -> Result<Change, StoreError> {
        self.write(|c| {
            let stored = load_whole(c, id)?;
            if let Some(known) = changes::answered(c, id, &requester.ident)? {
                return Ok(again(stored, known));
            }
            let (seq, word) = match direction {
                Direction::Undo => (stored.undo, "undo"),
                Direction::Redo => (stored.undo + 1, "redo"),
            };
            let entry: Entry =
                journal::table.find((id, seq)).first(c).optional()?.ok_or(StoreError::NothingThere(word))?;
            let foreign = !entry.window.is_empty() && !requester.window.is_empty() && entry.window != requester.window;
            let text = if direction == Direction::Undo { &entry.inverse } else { &entry.edit };
            let unfit = |why: String| StoreError::Unfit { way: word, why };
            let nothing = Edit::Several { edits: Vec::new() };
            let read = serde_json::from_str(text).map_err(|_| unfit("it cannot be read".into()));
            let edit = if consent.unfit { read.unwrap_or_else(|_| nothing.clone()) } else { read? };
            if foreign && !consent.foreign {
                return Err(StoreError::Elsewhere { way: word, what: edit.in_words(&stored.session) });
            }
            let before = Before::of(&stored);
            let mut session = stored.session;
            let made = edit.apply_kept(&mut session).map_err(|e| unfit(e.to_string()));
            let edit = if consent.unfit { made.map_or(nothing, |(edit, _)| edit) } else { made?.0 };
            write_edited(c, id, &session, &edit)?;
            let undo = if direction == Direction::Undo { seq - 1 } else { seq };
            let redo = entries_after(c, id, undo)?;
            finish(c, id, requester, before, Change::of(session, edit, undo, redo, Vec::new()))
        })
    }
}

/// Where the journal stood before a change.
#[derive(Clone, Copy)]
struct Before {
    version: i32,
    undo: i32,
    redo: i32,
}

impl Before {
    fn of(stored: &Stored) -> Self {
        Self { version: stored.version, undo: stored.undo, redo: stored.redo }
    }
}

impl Change {
    fn of(session: Session, edit: Edit, undo: i32, redo: i32, overtook: Vec<String>) -> Self {
        Self { session, edit, version_before: 0, version: 0, undo, redo, overtook, back: None }
    }
}

/// The answer to a request that comes a second time.
fn again(stored: Stored, known: KnownChange) -> Change {
    Change {
        version_before: stored.version,
        version: stored.version,
        undo: stored.undo,
        redo: stored.redo,
        session: stored.session,
        edit: known.edit,
        overtook: known.overtook,
        back: known.back,
    }
}

/// Lets the last entry end where `edit` ends, if both belong to one gesture.
fn extend_last(
    c: &mut SqliteConnection,
    id: i32,
    seq: i32,
    (edit, inverse): (&Edit, &Edit),
    gesture: &str,
    requester: &Requester,
) -> Result<bool, StoreError> {
    if gesture.is_empty() {
        return Ok(false);
    }
    let last: Option<Entry> = journal::table.find((id, seq)).first(c).optional()?;
    let Some(last) = last.filter(|e| e.gesture == gesture && e.window == requester.window) else { return Ok(false) };
    let (before, back) = (from_text(&last.edit)?, from_text(&last.inverse)?);
    let Some((edit, inverse)) = joined(before, back, edit, inverse) else { return Ok(false) };
    diesel::update(journal::table.find((id, seq)))
        .set((journal::edit.eq(to_text(&edit)?), journal::inverse.eq(to_text(&inverse)?)))
        .execute(c)?;
    Ok(true)
}

/// Two edits of one gesture as one, with its inverse: the values set last, and those there were
/// before the first. A drag that begins upwards and then goes sideways too is one step. None
/// where one of them is no setting of values.
fn joined(before: Edit, back: Edit, edit: &Edit, inverse: &Edit) -> Option<(Edit, Edit)> {
    if before.same_target(edit) {
        return Some((edit.clone(), back));
    }
    let (mut set, mut restore) = (before.into_parts(), back.into_parts());
    let (later, undone) = (edit.clone().into_parts(), inverse.clone().into_parts());
    if !set.iter().chain(&later).all(|part| part.same_target(part)) {
        return None;
    }
    for part in later {
        if let Some(known) = set.iter_mut().find(|known| known.same_target(&part)) {
            *known = part;
            continue;
        }
        // Of a value set twice, what stood there first is taken back last.
        restore.insert(0, undone.iter().rev().find(|back| back.same_target(&part))?.clone());
        set.push(part);
    }
    Some((Edit::Several { edits: set }, Edit::Several { edits: restore }))
}

fn finish(
    c: &mut SqliteConnection,
    id: i32,
    requester: &Requester,
    before: Before,
    change: Change,
) -> Result<Change, StoreError> {
    let version = before.version + 1;
    diesel::update(sessions::table.find(id))
        .set((
            sessions::version.eq(version),
            sessions::journal_at.eq(change.undo),
            sessions::next_id.eq(change.session.next_id as i32),
        ))
        .execute(c)?;
    record(c, id, version, requester, &change.edit, (&change.overtook, change.back.as_ref()))?;
    Ok(Change { version_before: before.version, version, ..change })
}

fn to_text(edit: &Edit) -> Result<String, StoreError> {
    serde_json::to_string(edit).map_err(|e| StoreError::Damaged(e.to_string()))
}

fn from_text(text: &str) -> Result<Edit, StoreError> {
    serde_json::from_str(text).map_err(|e| StoreError::Damaged(e.to_string()))
}
