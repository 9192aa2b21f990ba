//! The journal: every edit with its inverse, and undo and redo through it.

use diesel::prelude::*;
use diesel::sqlite::SqliteConnection;
use zinc_core::session::{Edit, Session, Touch};

use super::audio::known_audio;
use super::changes::{self, KnownChange, back, meetings, record};
use super::database::{Store, StoreError};
use super::requester::Requester;
use super::schema::{journal, sessions};
use super::sessions::{Stored, entries_after, load, write_edited};

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
            let stored = load(c, id)?;
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

    /// One step back or forth. A step that another window made is taken back only `anyway`.
    ///
    /// # Errors
    /// Nothing to undo or redo, a step of another window, no such session, or the database.
    pub fn step(
        &self,
        id: i32,
        direction: Direction,
        requester: &Requester,
        anyway: bool,
    ) -> Result<Change, StoreError> {
        self.write(|c| {
            let stored = load(c, id)?;
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
            let edit = from_text(text)?;
            if foreign && !anyway {
                return Err(StoreError::Elsewhere { way: word, what: edit.in_words(&stored.session) });
            }
            let before = Before::of(&stored);
            let mut session = stored.session;
            let (edit, _) = edit.apply_kept(&mut session).map_err(|e| StoreError::Refused(e.to_string()))?;
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

    fn nobody() -> Requester {
        Requester::default()
    }

    /// A window that knows of this version.
    fn window(name: &str, version: i32, ident: &str) -> Requester {
        Requester { version, window: name.into(), ident: ident.into() }
    }

    fn param(store: &Store, id: i32, kind: &str, param: &str, value: f64) -> Edit {
        let session = store.load(id).unwrap().session;
        let unit = session.strip(2).unwrap().rack.units.iter().find(|u| u.kind.id == kind).unwrap().id;
        Edit::SetParam { strip: 2, unit, param: param.into(), value: value.into() }
    }

    fn level(value: f64) -> Edit {
        Edit::SetControl { strip: 2, control: "level_db".into(), value: value.into() }
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
    fn of_sessions_that_are_made_together_all_are_there_or_none() {
        let (_folder, store, _) = store();
        let good = Session::new("good", 48_000);
        let mut bad = Session::new("bad", 48_000);
        // Two strips of one identity cannot be kept.
        bad.strips.insert(0, bad.strips[0].clone());
        assert!(store.create_sessions(&[good.clone(), bad]).is_err());
        assert_eq!(store.sessions().unwrap().len(), 1);
        store.create_sessions(&[good.clone(), good]).unwrap();
        assert_eq!(store.sessions().unwrap().len(), 3);
    }

    #[test]
    fn a_track_that_names_no_recording_of_the_shelf_or_one_of_another_rate_is_refused_and_the_session_still_opens() {
        use zinc_core::session::{AudioRef, Role, Strip};
        let (_folder, store, id) = store();
        let row = |hash: &str, rate: i32| crate::store::AudioRow {
            hash: hash.into(),
            name: "take".into(),
            channels: 2,
            rate,
            frames: 1000,
            time_reference: None,
        };
        for (hash, rate) in [("aa", 48_000), ("bb", 44_100)] {
            store.put_audio(&row(hash, rate)).unwrap();
        }
        let add = |hash: &str, frames: u64| {
            let audio = AudioRef { hash: hash.into(), channels: 2, frames, start: 0, stamp: None };
            let strip = Box::new(Strip::new(0, "take", Family::Bs, Role::Track(audio), Some(1)));
            let one = Edit::AddStrip { at: 0, strip };
            store.apply(id, &Edit::Several { edits: vec![level(-1.0), one] }, "", &nobody())
        };
        for (hash, frames) in [("cc", 1000), ("bb", 1000), ("aa", 33_000_000_000), ("aa", 999)] {
            let why = add(hash, frames).err().unwrap().to_string();
            assert!(why.contains("import its file") && why.contains("Everything is as it was"), "{hash}: {why}");
            assert_eq!(store.load(id).unwrap().version, 0);
        }
        add("aa", 1000).unwrap();
        assert_eq!(store.load(id).unwrap().session.tracks().count(), 1);
    }

    /// Rows that a change writes, counted by the database.
    fn written(store: &Store, id: i32, edit: &Edit) -> i64 {
        #[derive(diesel::QueryableByName)]
        struct Row {
            #[diesel(sql_type = diesel::sql_types::BigInt)]
            n: i64,
        }
        // Of the whole pool, since each connection counts its own.
        let total = || -> i64 {
            let mut pool: Vec<_> = (0..4).map(|_| store.connection().unwrap()).collect();
            let of = |c: &mut SqliteConnection| {
                diesel::sql_query("SELECT total_changes() AS n").get_result::<Row>(c).unwrap().n
            };
            pool.iter_mut().map(|c| of(c)).sum()
        };
        let before = total();
        store.apply(id, edit, "", &nobody()).unwrap();
        total() - before
    }

    #[test]
    fn a_change_of_many_strips_or_units_writes_each_of_them_once() {
        use zinc_core::session::{Role, Strip};
        let (_folder, store, id) = store();
        let bus = |n: usize| Edit::AddStrip {
            at: n,
            strip: Box::new(Strip::new(0, &format!("Bus {n}"), Family::Gt, Role::Bus, Some(1))),
        };
        let units = KINDS.len() as i64;
        // The strips there were go and come back with their units, the new ones come; the rest is the journal's.
        let rows = written(&store, id, &Edit::Several { edits: (0..300).map(bus).collect() });
        assert!((300..300 + 3 * units + 20).contains(&rows), "{rows}");
        let session = store.load(id).unwrap().session;
        let of_rack = session.strip(2).unwrap().rack.units.iter();
        let mix = |unit: u32| Edit::SetParam { strip: 2, unit, param: "mix".into(), value: 0.5.into() };
        let edits: Vec<Edit> = of_rack.map(|unit| mix(unit.id)).collect();
        let rows = written(&store, id, &Edit::Several { edits });
        assert!((units..3 * units + 20).contains(&rows), "{rows}");
    }

    #[test]
    fn who_writes_waits_for_whoever_came_before_and_nobody_is_turned_away() {
        let (_folder, store, id) = store();
        let other = store.create_session(&Session::new("other", 48_000)).unwrap();
        let held = store.turn.lock();
        let threads: Vec<_> = (0..12)
            .map(|n| {
                let store = store.clone();
                std::thread::spawn(move || match n % 2 {
                    0 => store.apply(id, &level(-f64::from(n)), "", &nobody()).map(|_| ()),
                    _ => store
                        .apply(other, &Edit::SetTempo { tempo_bpm: 90.0, beats_per_bar: 4 }, "", &nobody())
                        .map(|_| ()),
                })
            })
            .collect();
        // Longer than SQLite and the pool of connections would wait.
        std::thread::sleep(std::time::Duration::from_secs(6));
        assert_eq!(store.load(id).unwrap().version, 0, "whoever reads does not wait");
        drop(held);
        for thread in threads {
            thread.join().unwrap().unwrap();
        }
        assert_eq!((store.load(id).unwrap().version, store.load(other).unwrap().version), (6, 6));
    }

    #[test]
    fn a_session_that_is_removed_can_be_put_back_as_it_was_until_it_is_gone_for_good() {
        let (_folder, store, id) = store();
        store.apply(id, &level(-7.0), "", &nobody()).unwrap();
        store.remove_session(id, 5000).unwrap();
        assert!(store.sessions().unwrap().is_empty() && store.removed_sessions().unwrap().len() == 1);
        for refused in [
            store.load(id).err(),
            store.apply(id, &level(-8.0), "", &nobody()).err(),
            store.remove_session(id, 6000).err(),
        ] {
            assert!(matches!(refused, Some(StoreError::NoSession(_))));
        }
        store.put_back(id).unwrap();
        assert_eq!(level_of(&store.load(id).unwrap().session), -7.0);
        assert_eq!(store.step(id, Direction::Undo, &nobody(), false).unwrap().redo, 1, "with its journal");
        // What is not in the bin is not removed for good, however long ago it was put there before.
        assert!(store.remove_for_good(id).is_err() && store.put_back(id).is_err());
        assert_eq!(store.empty_bin(i64::MAX).unwrap(), 0);
        store.remove_session(id, 7000).unwrap();
        assert_eq!((store.empty_bin(7000).unwrap(), store.empty_bin(7001).unwrap()), (0, 1));
        assert!(store.removed_sessions().unwrap().is_empty() && store.put_back(id).is_err());
    }

    #[test]
    fn what_one_window_removes_while_another_sets_it_comes_back_as_it_was_set_also_after_other_changes() {
        let (_folder, store, id) = store();
        let unit = store.load(id).unwrap().session.strip(2).unwrap().rack.units[0].id;
        let find = |session: &Session| session.strip(2).unwrap().rack.units.iter().find(|u| u.id == unit).cloned();
        let mix = Edit::SetParam { strip: 2, unit, param: "mix".into(), value: 0.25.into() };
        store.apply(id, &mix, "", &window("a", 0, "a1")).unwrap();
        let set = find(&store.load(id).unwrap().session).unwrap();
        // B does not know of it.
        let removed = store.apply(id, &Edit::RemoveUnit { strip: 2, unit }, "", &window("b", 0, "b1")).unwrap();
        assert_eq!((removed.overtook.as_slice(), removed.back.is_some()), (&["a".to_string()][..], true));
        let known = store.since(id, 1).unwrap().changes.unwrap();
        assert!(known[0].back.is_some(), "whoever follows can bring it back");
        store.apply(id, &level(-4.0), "", &window("b", removed.version, "b2")).unwrap();
        let back = store.bring_back(id, removed.version, &window("a", 1, "a2")).unwrap();
        assert_eq!(find(&back.session), Some(set));
        assert_eq!(level_of(&back.session), -4.0);
        // Once more, or of a change that removed nothing, it says so.
        for version in [back.version, 1, 99] {
            let why = store.bring_back(id, version, &window("a", back.version, "")).err().unwrap().to_string();
            assert!(why.contains("nothing to bring back"), "{why}");
        }
        // One who knew what was there removes it without a word.
        let gone = store.apply(id, &Edit::RemoveUnit { strip: 2, unit }, "", &window("b", back.version, "b3")).unwrap();
        assert!(gone.overtook.is_empty() && gone.back.is_none());
    }

    #[test]
    fn undo_and_redo_walk_the_journal_even_after_the_file_was_opened_anew() {
        let (folder, store, id) = store();
        for db in [-1.0, -2.0, -3.0] {
            store.apply(id, &level(db), "", &nobody()).unwrap();
        }
        drop(store);
        let store = Store::open(&folder.path().join("zinc.sqlite")).unwrap();
        assert_eq!(level_of(&store.step(id, Direction::Undo, &nobody(), false).unwrap().session), -2.0);
        let change = store.step(id, Direction::Undo, &nobody(), false).unwrap();
        assert_eq!((level_of(&change.session), change.undo, change.redo), (-1.0, 1, 2));
        assert_eq!(level_of(&store.step(id, Direction::Redo, &nobody(), false).unwrap().session), -2.0);
        assert_eq!(level_of(&store.load(id).unwrap().session), -2.0);
    }

    #[test]
    fn a_new_edit_after_undo_ends_what_could_be_redone() {
        let (_folder, store, id) = store();
        store.apply(id, &level(-1.0), "", &nobody()).unwrap();
        store.step(id, Direction::Undo, &nobody(), false).unwrap();
        let change = store.apply(id, &level(-9.0), "", &nobody()).unwrap();
        assert_eq!((change.undo, change.redo), (1, 0));
        assert!(matches!(store.step(id, Direction::Redo, &nobody(), false), Err(StoreError::NothingThere("redo"))));
    }

    #[test]
    fn the_edits_of_one_drag_are_one_step_and_two_drags_are_two() {
        let (_folder, store, id) = store();
        for (db, gesture) in [(-1.0, "a"), (-2.0, "a"), (-3.0, "a"), (-4.0, "b"), (-5.0, "b")] {
            store.apply(id, &level(db), gesture, &nobody()).unwrap();
        }
        assert_eq!(level_of(&store.step(id, Direction::Undo, &nobody(), false).unwrap().session), -3.0);
        assert_eq!(level_of(&store.step(id, Direction::Undo, &nobody(), false).unwrap().session), 0.0);
        assert!(store.step(id, Direction::Undo, &nobody(), false).is_err());
    }

    #[test]
    fn a_drag_that_goes_sideways_on_its_way_is_one_step_there_and_back() {
        let (_folder, store, id) = store();
        let pan = |v: f64| Edit::SetControl { strip: 2, control: "pan".into(), value: v.into() };
        let both = |db, v| Edit::Several { edits: vec![level(db), pan(v)] };
        for edit in [level(-1.0), both(-2.0, 0.2), level(-3.0), pan(0.4), both(-5.0, 0.5)] {
            store.apply(id, &edit, "drag", &nobody()).unwrap();
        }
        let place = |change: &Change| {
            let strip = change.session.strip(2).unwrap();
            (strip.controls.number("level_db"), strip.controls.number("pan"))
        };
        assert_eq!(place(&store.step(id, Direction::Undo, &nobody(), false).unwrap()), (0.0, 0.0));
        assert!(store.step(id, Direction::Undo, &nobody(), false).is_err(), "it was one step");
        assert_eq!(place(&store.step(id, Direction::Redo, &nobody(), false).unwrap()), (-5.0, 0.5));
    }

    #[test]
    fn gestures_of_two_windows_are_two_steps_though_they_go_by_one_name() {
        let (_folder, store, id) = store();
        let pan = Edit::SetControl { strip: 2, control: "pan".into(), value: 0.5.into() };
        store.apply(id, &level(-1.0), "drag", &window("a", 0, "")).unwrap();
        assert_eq!(store.apply(id, &pan, "drag", &window("b", 1, "")).unwrap().undo, 2);
    }

    #[test]
    fn a_drag_of_a_unit_that_another_follows_is_one_step_for_both() {
        let (_folder, store, id) = store();
        let follow = param(&store, id, "surgical-eq", "amount", 1.0);
        let Edit::SetParam { unit, .. } = follow else { panic!("a value") };
        store
            .apply(id, &Edit::CopyUnit { strip: 2, unit, to: 2, linked: true, mirrored: vec![] }, "", &nobody())
            .unwrap();
        let before = store.load(id).unwrap().session;
        let (amount, level) = (
            |v| param(&store, id, "surgical-eq", "amount", v),
            |on: bool| Edit::SetParam { strip: 2, unit, param: "auto_level".into(), value: on.into() },
        );
        let drag = [amount(0.5), Edit::Several { edits: vec![amount(0.7), level(true)] }, level(true), amount(0.9)];
        for edit in drag {
            store.apply(id, &edit, "drag", &nobody()).unwrap();
        }
        let after = store.load(id).unwrap().session;
        assert_ne!(after.strips, before.strips);
        assert_eq!(store.step(id, Direction::Undo, &nobody(), false).unwrap().session.strips, before.strips);
        assert_eq!(store.step(id, Direction::Redo, &nobody(), false).unwrap().session.strips, after.strips);
    }

    #[test]
    fn the_notebook_is_kept_beside_undo_and_takes_nothing_from_it() {
        let (_folder, store, id) = store();
        store.apply(id, &level(-1.0), "", &nobody()).unwrap();
        store.step(id, Direction::Undo, &nobody(), false).unwrap();
        let note = Edit::Note { note: zinc_core::session::notebook::Entry::Done { steps: vec![2] } };
        let change = store.apply(id, &note, "", &nobody()).unwrap();
        assert_eq!((change.undo, change.redo), (0, 1));
        assert_eq!(store.load(id).unwrap().session.notebook.done, [2]);
        let change = store.step(id, Direction::Redo, &nobody(), false).unwrap();
        assert_eq!((level_of(&change.session), change.session.notebook.done), (-1.0, vec![2]));
    }

    #[test]
    fn a_refused_edit_changes_neither_document_nor_journal_nor_version() {
        let (_folder, store, id) = store();
        store.apply(id, &level(-1.0), "", &nobody()).unwrap();
        let before = store.load(id).unwrap();
        let refused = store.apply(id, &level(500.0), "", &nobody());
        assert!(refused.is_err_and(|e| e.to_string().contains("must be -90 to 12")));
        assert!(store.apply(id, &Edit::RemoveStrip { strip: 99 }, "", &nobody()).is_err());
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
            Edit::AddUnit { strip: 2, at: 0, unit: serde_json::from_value(json!({"kind": "compressor"})).unwrap() },
            Edit::RemoveUnit { strip: 2, unit: first },
            Edit::SetSections {
                sections: vec![zinc_core::session::Section { id: 0, name: "Verse".into(), start: 0, end: 10 }],
            },
            Edit::ReplaceRack { strip: 2, rack: serde_json::from_value(json!({"zinc_rack": 1, "units": []})).unwrap() },
            Edit::RemoveStrip { strip: 2 },
        ];
        for edit in &edits {
            let change = store.apply(id, edit, "", &nobody()).unwrap();
            assert_eq!(store.load(id).unwrap().session, change.session, "{edit:?}");
        }
        for _ in &edits {
            let change = store.step(id, Direction::Undo, &nobody(), false).unwrap();
            assert_eq!(store.load(id).unwrap().session, change.session);
        }
    }

    #[test]
    fn two_windows_that_move_two_parameters_of_one_unit_at_once_keep_both() {
        let (_folder, store, id) = store();
        let (ratio, attack) =
            (param(&store, id, "compressor", "ratio", 4.0), param(&store, id, "compressor", "attack_ms", 30.0));
        // Both made from version 0.
        let first = store.apply(id, &ratio, "", &window("a", 0, "a1")).unwrap();
        let second = store.apply(id, &attack, "", &window("b", 0, "b1")).unwrap();
        assert!(first.overtook.is_empty() && second.overtook.is_empty());
        let unit =
            &second.session.strip(2).unwrap().rack.units.iter().find(|u| u.kind.id == "compressor").unwrap().settings;
        assert_eq!((unit.fixed.number("ratio"), unit.fixed.number("attack_ms")), (4.0, 30.0));
        let since = store.since(id, 1).unwrap().changes.unwrap();
        assert_eq!(since.iter().map(|k| &k.edit).collect::<Vec<_>>(), [&second.edit]);
    }

    #[test]
    fn of_two_windows_that_set_the_same_value_the_later_stands_and_both_are_told() {
        let (_folder, store, id) = store();
        store.apply(id, &param(&store, id, "compressor", "ratio", 4.0), "", &window("a", 0, "a1")).unwrap();
        let later = store.apply(id, &param(&store, id, "compressor", "ratio", 8.0), "", &window("b", 0, "b1")).unwrap();
        assert_eq!(later.overtook, ["a"]);
        let told = store.since(id, 1).unwrap().changes.unwrap();
        assert_eq!(told[0].overtook, ["a"]);
        // Known to the one, it is an ordinary change of the other.
        let known = store.apply(id, &param(&store, id, "compressor", "ratio", 2.0), "", &window("a", 2, "a2")).unwrap();
        assert!(known.overtook.is_empty());
    }

    #[test]
    fn a_whole_laid_over_what_another_window_changed_is_refused_and_nothing_is_lost() {
        let (_folder, store, id) = store();
        store.apply(id, &param(&store, id, "compressor", "ratio", 4.0), "", &window("a", 0, "a1")).unwrap();
        let rack =
            Edit::ReplaceRack { strip: 2, rack: serde_json::from_value(json!({"zinc_rack": 1, "units": []})).unwrap() };
        let refused = store.apply(id, &rack, "", &window("b", 0, "b1")).err().unwrap().to_string();
        assert!(refused.contains("ratio of the Compressor on Bus"), "{refused}");
        assert_eq!(store.load(id).unwrap().version, 1);
        assert!(store.apply(id, &rack, "", &window("b", 1, "b2")).is_ok(), "once it is known");
    }

    #[test]
    fn a_request_sent_again_after_a_lost_answer_is_answered_and_not_applied_again() {
        let (_folder, store, id) = store();
        let add =
            Edit::AddUnit { strip: 2, at: 0, unit: serde_json::from_value(json!({"kind": "compressor"})).unwrap() };
        let first = store.apply(id, &add, "", &window("a", 0, "a1")).unwrap();
        let again = store.apply(id, &add, "", &window("a", 0, "a1")).unwrap();
        assert_eq!((again.edit, again.version), (first.edit, 1));
        assert_eq!(store.load(id).unwrap().session.strip(2).unwrap().rack.units.len(), KINDS.len() + 1);
        let undo = store.step(id, Direction::Undo, &window("a", 1, "a2"), false).unwrap();
        let undo_again = store.step(id, Direction::Undo, &window("a", 1, "a2"), false).unwrap();
        assert_eq!((undo.version, undo_again.version, undo_again.undo), (2, 2, 0));
    }

    #[test]
    fn undo_does_not_take_back_what_another_window_did_unless_it_is_meant() {
        let (_folder, store, id) = store();
        store.apply(id, &level(-3.0), "", &window("a", 0, "a1")).unwrap();
        let refused = store.step(id, Direction::Undo, &window("b", 1, "b1"), false).err().unwrap().to_string();
        assert!(refused.contains("level of Bus") && refused.contains("another window"), "{refused}");
        assert_eq!(level_of(&store.load(id).unwrap().session), -3.0);
        assert!(store.step(id, Direction::Undo, &window("b", 1, "b2"), true).is_ok());
        assert_eq!(level_of(&store.load(id).unwrap().session), 0.0);
    }

    #[test]
    fn who_has_missed_more_than_is_kept_is_told_to_read_it_all() {
        let (_folder, store, id) = store();
        for n in 0..5 {
            store.apply(id, &level(-f64::from(n)), "", &window("a", n, "")).unwrap();
        }
        assert_eq!(store.since(id, 2).unwrap().changes.map(|c| c.len()), Some(3));
        assert!(store.since(id, -1).unwrap().changes.is_none());
    }

    #[test]
    fn sections_keep_their_identity_when_renamed_and_moved_and_read_anew() {
        let (_folder, store, id) = store();
        let add = |name: &str, start: u64| Edit::AddSection {
            section: zinc_core::session::Section { id: 0, name: name.into(), start, end: start + 10 },
        };
        store.apply(id, &add("Verse", 100), "", &nobody()).unwrap();
        let change = store.apply(id, &add("Intro", 0), "", &nobody()).unwrap();
        let verse = change.session.sections[1].clone();
        let named = zinc_core::session::SectionChange { name: Some("Opening".into()), ..Default::default() };
        let moved = zinc_core::session::SectionChange { id: verse.id, start: Some(0), end: Some(5), ..named };
        store.apply(id, &Edit::SetSection { section: moved }, "", &nobody()).unwrap();
        let read = store.load(id).unwrap().session.sections;
        assert_eq!(read.iter().find(|s| s.id == verse.id).map(|s| s.name.as_str()), Some("Opening"));
        store.step(id, Direction::Undo, &nobody(), false).unwrap();
        assert_eq!(store.load(id).unwrap().session.sections[1], verse);
    }
}
