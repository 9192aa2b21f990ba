//! The journal: every edit with its inverse, and undo and redo through it.

use diesel::prelude::*;
use diesel::sqlite::SqliteConnection;
use zinc_core::session::{Edit, Session};

use super::schema::{journal, sessions};
use super::sessions::{load, write_touched};
use super::{Store, StoreError};

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
}

#[derive(Queryable, Insertable)]
#[diesel(table_name = journal)]
struct Entry {
    session_id: i32,
    seq: i32,
    edit: String,
    inverse: String,
    gesture: String,
}

impl Store {
    /// Applies an edit, writes what it touched and its journal entry, all or
    /// nothing. Edits of one gesture (not empty) on one value become one step of
    /// undo.
    ///
    /// # Errors
    /// An edit the core refuses, no such session, or the database.
    pub fn apply(&self, id: i32, edit: &Edit, gesture: &str) -> Result<Change, StoreError> {
        self.connection()?.immediate_transaction(|c| {
            let stored = load(c, id)?;
            let mut session = stored.session;
            let (edit, inverse) = edit.apply(&mut session).map_err(|e| StoreError::Refused(e.to_string()))?;
            write_touched(c, id, &session, edit.touches())?;
            diesel::delete(journal::table.filter(journal::session_id.eq(id).and(journal::seq.gt(stored.undo))))
                .execute(c)?;
            let undo = if extend_last(c, id, stored.undo, &edit, gesture)? {
                stored.undo
            } else {
                let seq = stored.undo + 1;
                let entry = Entry {
                    session_id: id,
                    seq,
                    edit: to_text(&edit)?,
                    inverse: to_text(&inverse)?,
                    gesture: gesture.to_string(),
                };
                diesel::insert_into(journal::table).values(&entry).execute(c)?;
                seq
            };
            finish(c, id, session, edit, stored.version, undo, 0)
        })
    }

    /// One step back or forth.
    ///
    /// # Errors
    /// Nothing to undo or redo, no such session, or the database.
    pub fn step(&self, id: i32, direction: Direction) -> Result<Change, StoreError> {
        self.connection()?.immediate_transaction(|c| {
            let stored = load(c, id)?;
            let (seq, word) = match direction {
                Direction::Undo => (stored.undo, "undo"),
                Direction::Redo => (stored.undo + 1, "redo"),
            };
            let entry: Entry =
                journal::table.find((id, seq)).first(c).optional()?.ok_or(StoreError::NothingThere(word))?;
            let text = if direction == Direction::Undo { &entry.inverse } else { &entry.edit };
            let edit: Edit = serde_json::from_str(text).map_err(|e| StoreError::Damaged(e.to_string()))?;
            let mut session = stored.session;
            let (edit, _) = edit.apply(&mut session).map_err(|e| StoreError::Refused(e.to_string()))?;
            write_touched(c, id, &session, edit.touches())?;
            let undo = if direction == Direction::Undo { seq - 1 } else { seq };
            let redo = entries_after(c, id, undo)?;
            finish(c, id, session, edit, stored.version, undo, redo)
        })
    }
}

/// Number of entries after `seq`.
pub(super) fn entries_after(c: &mut SqliteConnection, id: i32, seq: i32) -> Result<i32, StoreError> {
    let count: i64 =
        journal::table.filter(journal::session_id.eq(id).and(journal::seq.gt(seq))).count().get_result(c)?;
    Ok(count as i32)
}

/// Lets the last entry end where `edit` ends, if both belong to one gesture.
fn extend_last(c: &mut SqliteConnection, id: i32, seq: i32, edit: &Edit, gesture: &str) -> Result<bool, StoreError> {
    if gesture.is_empty() {
        return Ok(false);
    }
    let last: Option<Entry> = journal::table.find((id, seq)).first(c).optional()?;
    let Some(last) = last.filter(|e| e.gesture == gesture) else { return Ok(false) };
    let before: Edit = serde_json::from_str(&last.edit).map_err(|e| StoreError::Damaged(e.to_string()))?;
    if !before.same_target(edit) {
        return Ok(false);
    }
    diesel::update(journal::table.find((id, seq))).set(journal::edit.eq(to_text(edit)?)).execute(c)?;
    Ok(true)
}

fn finish(
    c: &mut SqliteConnection,
    id: i32,
    session: Session,
    edit: Edit,
    version_before: i32,
    undo: i32,
    redo: i32,
) -> Result<Change, StoreError> {
    let version = version_before + 1;
    diesel::update(sessions::table.find(id))
        .set((
            sessions::version.eq(version),
            sessions::journal_at.eq(undo),
            sessions::next_id.eq(session.next_id as i32),
        ))
        .execute(c)?;
    Ok(Change { session, edit, version_before, version, undo, redo })
}

fn to_text(edit: &Edit) -> Result<String, StoreError> {
    serde_json::to_string(edit).map_err(|e| StoreError::Damaged(e.to_string()))
}
