//! Sessions whose rows are damaged: what can be read is shown, nothing is written, and a copy is worked on.

use diesel::connection::SimpleConnection;
use zinc_core::render::graph::graph;
use zinc_core::session::{Role, routing};

use super::*;

/// A store whose one session, with an edit in its journal, has been damaged so.
fn damaged(sql: &str) -> (tempfile::TempDir, Store, i32) {
    let (folder, store, id) = store();
    let set = param(&store, id, "compressor", "threshold_db", -33.0);
    store.apply(id, &set, "", &nobody()).unwrap();
    store
        .connection()
        .unwrap()
        .batch_execute(&format!("PRAGMA foreign_keys = OFF; {sql}; PRAGMA foreign_keys = ON"))
        .unwrap();
    (folder, store, id)
}

/// All that is stored of sessions, as text.
fn rows(store: &Store) -> String {
    use diesel::RunQueryDsl;
    #[derive(diesel::QueryableByName)]
    struct Row {
        #[diesel(sql_type = diesel::sql_types::Text)]
        all: String,
    }
    let of = |table: &str, columns: &str| {
        let query = format!(
            "SELECT coalesce(group_concat({columns}, char(10)), '') AS \"all\" FROM {table} WHERE session_id = 1"
        );
        diesel::sql_query(query).get_result::<Row>(&mut *store.connection().unwrap()).unwrap().all
    };
    let strips = of("strips", "id || name || role || coalesce(feeds, '') || controls || over_time || kept");
    strips + &of("units", "strip_id || id || body") + &of("journal", "seq || edit || inverse")
}

#[test]
fn what_can_be_read_is_there_and_what_cannot_is_named() {
    let units = KINDS.len();
    for (sql, lost, kept) in [
        ("UPDATE strips SET controls = '{' WHERE id = 2", "the settings of \"Bus\"", units),
        (
            "UPDATE strips SET controls = '{\"level_db\": [1]}', kept = 'x' WHERE id = 2",
            "what another version kept of \"Bus\"",
            units,
        ),
        ("UPDATE strips SET over_time = '' WHERE id = 2", "the automation of \"Bus\"", units),
        ("UPDATE units SET body = '{\"kind\"' WHERE position = 1", "a unit of \"Bus\"", units - 1),
        ("UPDATE units SET body = '42' WHERE position IN (0, 2)", "a unit of \"Bus\", a unit of \"Bus\"", units - 2),
        ("UPDATE sessions SET notebook = '['", "the notebook", units),
        // JSON, and not what belongs there.
        ("UPDATE sessions SET notebook = '42'", "the notebook", units),
        ("UPDATE strips SET controls = 'null' WHERE id = 2", "the settings of \"Bus\"", units),
        ("UPDATE strips SET over_time = '{}' WHERE id = 2", "the automation of \"Bus\"", units),
        ("UPDATE units SET body = 'null' WHERE position = 1", "a unit of \"Bus\"", units - 1),
        (
            "UPDATE units SET body = '?' WHERE position < 9",
            "a unit of \"Bus\", a unit of \"Bus\", a unit of \"Bus\", a unit of \"Bus\", a unit of \"Bus\", a unit of \"Bus\" and 3 more parts",
            units - 9,
        ),
        ("UPDATE sessions SET tempo_bpm = 1e300", "the tempo", units),
        ("UPDATE sessions SET beats_per_bar = 0", "the tempo", units),
        ("UPDATE sessions SET rate = -5", "the sample rate", units),
        ("UPDATE sessions SET tempo_bpm = 9e999", "the tempo", units),
        ("DELETE FROM strips WHERE id = 1", "the main, where \"Bus\" leads", units),
        ("UPDATE strips SET feeds = 77 WHERE id = 2", "where \"Bus\" leads", units),
        ("UPDATE strips SET feeds = 2 WHERE id = 2", "the paths, which ran in a circle", units),
        ("UPDATE strips SET role = 'track' WHERE id = 2", "\"Bus\"", 0),
    ] {
        let (_folder, store, id) = damaged(sql);
        let stored = store.load(id).unwrap();
        assert_eq!(stored.lost.words(), lost, "{sql}");
        let session = stored.session;
        assert_eq!(session.strips.iter().map(|s| s.rack.units.len()).sum::<usize>(), kept, "{sql}");
        assert!(session.strips.iter().filter(|s| s.role == Role::Main).count() == 1, "{sql}");
        assert!(routing::order(&session).is_ok(), "{sql}");
    }
}

#[test]
fn a_damaged_session_is_not_written_and_a_copy_of_what_can_be_read_is_worked_on_and_walked_back() {
    let (_folder, store, id) = damaged("UPDATE strips SET note = 'kept', controls = '{' WHERE id = 2");
    let before = rows(&store);
    let words = store.apply(id, &level(-8.0), "", &nobody()).err().unwrap().to_string();
    assert!(words.contains("read-only") && words.contains("the settings of \"Bus\""), "{words}");
    assert!(store.step(id, Direction::Undo, &nobody(), Consent::default()).is_err());
    let copy = store.copy_readable(id).unwrap();
    assert_eq!(rows(&store), before, "nothing of the damaged one is written");
    let stored = store.load(copy).unwrap();
    assert_eq!((stored.lost.words().as_str(), stored.undo), ("", 1));
    assert_eq!(stored.session.strip(2).unwrap().note, "kept");
    store.apply(copy, &level(-8.0), "", &nobody()).unwrap();
    store.step(copy, Direction::Undo, &nobody(), Consent::default()).unwrap();
    let first = store.step(copy, Direction::Undo, &nobody(), Consent::default()).unwrap();
    assert_eq!((first.undo, first.redo), (0, 2), "also what was done before it was damaged");
}

#[test]
fn a_step_that_does_not_fit_is_said_and_passed_over_when_asked_again() {
    // The unit that the journal speaks of cannot be read; nor can the step after it.
    let (_folder, store, id) = damaged("UPDATE units SET body = '?' WHERE kind = 'compressor'");
    let copy = store.copy_readable(id).unwrap();
    store.apply(copy, &level(-8.0), "", &nobody()).unwrap();
    let spoil = format!("UPDATE journal SET inverse = '?' WHERE session_id = {copy} AND seq = 2");
    store.connection().unwrap().batch_execute(&spoil).unwrap();
    for left in [1, 0] {
        let before = store.load(copy).unwrap().session;
        let words = store.step(copy, Direction::Undo, &nobody(), Consent::default()).err().unwrap().to_string();
        assert!(words.contains("does not fit") && words.contains("undo once more to skip it"), "{words}");
        let skipped = store.step(copy, Direction::Undo, &nobody(), Consent { unfit: true, foreign: false }).unwrap();
        assert_eq!((skipped.undo, skipped.session == before), (left, true));
    }
}

#[test]
fn whatever_stands_in_a_row_the_session_opens_and_can_be_drawn() {
    let nonsense =
        ["''", "'{'", "'null'", "'[]'", "'{}'", "'42'", "'\u{1}'", "-1", "0", "9e999", "4294967296", "x'ff'"];
    let columns = [
        (
            "sessions",
            &["name", "rate", "tempo_bpm", "beats_per_bar", "next_id", "version", "journal_at", "notebook"][..],
        ),
        (
            "strips",
            &[
                "name",
                "family",
                "note",
                "role",
                "feeds",
                "controls",
                "part",
                "take_set",
                "over_time",
                "kept",
                "audio_start",
            ],
        ),
        ("units", &["kind", "body", "position"]),
    ];
    let (_folder, store, first) = store();
    let whole = store.load(first).unwrap().session;
    let mut damaged_so = 0;
    for (table, columns) in columns {
        for (column, value) in columns.iter().flat_map(|column| nonsense.map(|value| (column, value))) {
            let id = store.create_session(&whole).unwrap();
            let of = if table == "sessions" { "id" } else { "session_id" };
            let sql = format!("UPDATE OR IGNORE {table} SET {column} = {value} WHERE {of} = {id}");
            store.connection().unwrap().batch_execute(&sql).unwrap();
            // What is no text at all the database says of itself.
            let Ok(stored) = store.load(id) else { continue };
            damaged_so += usize::from(stored.trouble().is_some());
            assert_eq!(graph(&stored.session).nodes.len(), stored.session.strips.len(), "{sql}");
            assert!(routing::order(&stored.session).is_ok(), "{sql}");
            let copy = store.copy_readable(id).unwrap();
            let copied = store.load(copy).unwrap();
            assert_eq!(copied.trouble(), None, "{sql}");
            let main = copied.session.main_id();
            let louder = Edit::SetControl { strip: main, control: "level_db".into(), value: (-3.0).into() };
            store.apply(copy, &louder, "", &nobody()).unwrap();
        }
    }
    assert!(damaged_so > 60, "{damaged_so}");
}
