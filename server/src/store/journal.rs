//! The journal: every edit with its inverse, and undo and redo through it.

use diesel::prelude::*;
use diesel::sqlite::SqliteConnection;
use zinc_core::session::{Edit, Session, Touch};

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
    /// nothing. What only goes into the notebook is no step of undo. Edits of one gesture (not empty) on one value become one step of
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
            if edit.touches() == Touch::Notebook {
                return finish(c, id, session, edit, stored.version, stored.undo, stored.redo);
            }
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

#[cfg(test)]
#[allow(clippy::unwrap_used)]
mod tests {
    use super::*;
    use serde_json::json;
    use zinc_core::rack::UnitSpec;
    use zinc_core::session::Family;
    use zinc_core::unit::catalogue::KINDS;

    /// A store in a folder of its own with one session: a bus (2) with one unit of each kind.
    fn store() -> (tempfile::TempDir, Store, i32) {
        let folder = tempfile::tempdir().unwrap();
        let store = Store::open(&folder.path().join("zinc.sqlite")).unwrap();
        let mut session = Session::new("test", 48_000);
        let bus = session.add_strip("Bus", Family::Gt, zinc_core::session::Role::Bus, 1);
        KINDS.iter().for_each(|kind| session.add_unit(bus, UnitSpec::new(kind)));
        let id = store.create_session(&session).unwrap();
        (folder, store, id)
    }

    fn level(value: f64) -> Edit {
        Edit::SetControl { strip: 2, control: "level_db".into(), value: json!(value) }
    }

    fn level_of(session: &Session) -> f64 {
        session.strip(2).unwrap().controls.number("level_db")
    }

    #[test]
    fn a_session_reads_back_exactly_as_it_was_stored() {
        let (_folder, store, id) = store();
        let stored = store.load(id).unwrap().session;
        assert_eq!(stored.strips[0].rack.units.len(), KINDS.len());
        let again = store.create_session(&stored).unwrap();
        assert_eq!(store.load(again).unwrap().session, stored);
    }

    #[test]
    fn undo_and_redo_walk_the_journal_even_after_the_file_was_opened_anew() {
        let (folder, store, id) = store();
        for db in [-1.0, -2.0, -3.0] {
            store.apply(id, &level(db), "").unwrap();
        }
        drop(store);
        let store = Store::open(&folder.path().join("zinc.sqlite")).unwrap();
        assert_eq!(level_of(&store.step(id, Direction::Undo).unwrap().session), -2.0);
        let change = store.step(id, Direction::Undo).unwrap();
        assert_eq!((level_of(&change.session), change.undo, change.redo), (-1.0, 1, 2));
        assert_eq!(level_of(&store.step(id, Direction::Redo).unwrap().session), -2.0);
        assert_eq!(level_of(&store.load(id).unwrap().session), -2.0);
    }

    #[test]
    fn a_new_edit_after_undo_ends_what_could_be_redone() {
        let (_folder, store, id) = store();
        store.apply(id, &level(-1.0), "").unwrap();
        store.step(id, Direction::Undo).unwrap();
        let change = store.apply(id, &level(-9.0), "").unwrap();
        assert_eq!((change.undo, change.redo), (1, 0));
        assert!(matches!(store.step(id, Direction::Redo), Err(StoreError::NothingThere("redo"))));
    }

    #[test]
    fn the_edits_of_one_drag_are_one_step_and_two_drags_are_two() {
        let (_folder, store, id) = store();
        for (db, gesture) in [(-1.0, "a"), (-2.0, "a"), (-3.0, "a"), (-4.0, "b"), (-5.0, "b")] {
            store.apply(id, &level(db), gesture).unwrap();
        }
        assert_eq!(level_of(&store.step(id, Direction::Undo).unwrap().session), -3.0);
        assert_eq!(level_of(&store.step(id, Direction::Undo).unwrap().session), 0.0);
        assert!(store.step(id, Direction::Undo).is_err());
    }

    #[test]
    fn the_notebook_is_kept_beside_undo_and_takes_nothing_from_it() {
        let (_folder, store, id) = store();
        store.apply(id, &level(-1.0), "").unwrap();
        store.step(id, Direction::Undo).unwrap();
        let note = Edit::Note { note: zinc_core::session::notebook::Entry::Done { steps: vec![2] } };
        let change = store.apply(id, &note, "").unwrap();
        assert_eq!((change.undo, change.redo), (0, 1));
        assert_eq!(store.load(id).unwrap().session.notebook.done, [2]);
        let change = store.step(id, Direction::Redo).unwrap();
        assert_eq!((level_of(&change.session), change.session.notebook.done), (-1.0, vec![2]));
    }

    #[test]
    fn a_refused_edit_changes_neither_document_nor_journal_nor_version() {
        let (_folder, store, id) = store();
        store.apply(id, &level(-1.0), "").unwrap();
        let before = store.load(id).unwrap();
        let refused = store.apply(id, &level(500.0), "");
        assert!(refused.is_err_and(|e| e.to_string().contains("must be -90 to 12")));
        assert!(store.apply(id, &Edit::RemoveStrip { strip: 99 }, "").is_err());
        let after = store.load(id).unwrap();
        assert_eq!(after.session, before.session);
        assert_eq!((after.version, after.undo), (before.version, before.undo));
    }

    #[test]
    fn every_kind_of_edit_is_written_as_it_was_applied() {
        let (_folder, store, id) = store();
        let unit = |store: &Store| store.load(id).unwrap().session.strip(2).unwrap().rack.units[0].id;
        let first = unit(&store);
        let edits = [
            Edit::Rename { strip: 2, name: "Twelve strings".into() },
            Edit::SetNote { strip: 2, note: "boxy".into() },
            Edit::MoveUnit { strip: 2, unit: first, to: 1 },
            Edit::AddUnit { strip: 2, at: 0, unit: json!({"kind": "compressor"}) },
            Edit::RemoveUnit { strip: 2, unit: first },
            Edit::SetSections {
                sections: vec![zinc_core::session::Section { name: "Verse".into(), start: 0, end: 10 }],
            },
            Edit::ReplaceRack { strip: 2, rack: json!({"zinc_rack": 1, "units": []}) },
            Edit::RemoveStrip { strip: 2 },
        ];
        for edit in &edits {
            let change = store.apply(id, edit, "").unwrap();
            assert_eq!(store.load(id).unwrap().session, change.session, "{edit:?}");
        }
        for _ in &edits {
            let change = store.step(id, Direction::Undo).unwrap();
            assert_eq!(store.load(id).unwrap().session, change.session);
        }
    }
}
