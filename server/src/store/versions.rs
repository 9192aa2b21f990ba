//! Databases of other versions are opened: earlier ones as committed in `kept/`, and ones that a later version has
//! written.

use diesel::connection::SimpleConnection;
use diesel::prelude::*;
use diesel::sqlite::SqliteConnection;
use serde_json::json;
use zinc_core::session::Edit;
use zinc_core::session::strip_of_any_version::in_words;

use super::database::Store;
use super::journal::{Consent, Direction};
use super::requester::Requester;

/// The worked session of the demo.
const WORKED: i32 = 2;
/// A database of version 1 of racks: both sessions of the demo, and seven edits of the worked one of which the last was
/// taken back.
const VERSION_1: &str = include_str!("kept/version-1.sql");

fn nobody() -> Requester {
    Requester { version: 0, window: String::new(), ident: String::new() }
}

/// A file with what a dump says, and changes of it.
fn made(dump: &str, changes: &str) -> (tempfile::TempDir, Store) {
    let folder = tempfile::tempdir().unwrap();
    let file = folder.path().join("zinc.sqlite");
    let mut connection = SqliteConnection::establish(&file.to_string_lossy()).unwrap();
    connection.batch_execute(dump).unwrap();
    connection.batch_execute(changes).unwrap();
    drop(connection);
    let store = Store::open(&file).unwrap();
    (folder, store)
}

#[test]
fn a_database_of_version_1_is_opened_for_ever_and_its_journal_goes_back_and_forth() {
    let (_folder, store) = made(VERSION_1, "");
    let raw = store.load(1).unwrap().session;
    assert_eq!((raw.strips.len(), raw.sections.len()), (20, 6));
    let stored = store.load(WORKED).unwrap();
    let units: usize = stored.session.strips.iter().map(|strip| strip.rack.units.len()).sum();
    assert_eq!((stored.session.strips.len(), units), (23, 60));
    assert!(stored.session.strips.iter().flat_map(|strip| &strip.rack.units).all(|unit| unit.kept.is_empty()));
    assert_eq!((stored.undo, stored.redo, stored.session.notebook.done), (5, 1, vec![0, 2]));
    let now = stored.session.strips;
    for _ in 0..5 {
        store.step(WORKED, Direction::Undo, &nobody(), Consent { foreign: true, unfit: false }).unwrap();
    }
    assert_ne!(store.load(WORKED).unwrap().session.strips, now);
    for _ in 0..5 {
        store.step(WORKED, Direction::Redo, &nobody(), Consent { foreign: true, unfit: false }).unwrap();
    }
    assert_eq!(store.load(WORKED).unwrap().session.strips, now);
    let tape = store.step(WORKED, Direction::Redo, &nobody(), Consent { foreign: true, unfit: false }).unwrap();
    assert!(matches!(tape.edit, Edit::AddUnit { .. }));
}

#[test]
fn what_a_later_version_has_written_opens_is_said_and_goes_back_to_it_as_it_came() {
    let later = "UPDATE units SET body = json_set(body, '$.kind', 'spring') WHERE body LIKE '%\"kind\":\"tape\"%';
        UPDATE units SET body = json_set(body, '$.params.glow', 7) WHERE body LIKE '%\"kind\":\"compressor\"%';";
    let (_folder, store) = made(VERSION_1, later);
    let session = store.load(WORKED).unwrap().session;
    let kept: Vec<_> = session
        .strips
        .iter()
        .flat_map(|strip| strip.rack.units.iter().filter_map(move |unit| Some((strip.id, unit, unit.kept.in_words()?))))
        .collect();
    let (strip, unit, words) = kept.iter().find(|(_, unit, _)| unit.kept.kind.is_none()).expect("a compressor");
    assert!(words.contains("One of its values") && words.contains("(glow)"), "{words}");
    assert!(kept.iter().any(|(_, unit, _)| unit.kept.kind.as_deref() == Some("spring")));
    // Another value of it is changed here; what is not known stays in its file.
    let ratio = Edit::SetParam { strip: *strip, unit: unit.id, param: "ratio".into(), value: 3.into() };
    store.apply(WORKED, &ratio, "", &nobody()).unwrap();
    let again = store.load(WORKED).unwrap().session;
    let found = again.strip(*strip).unwrap().rack.units.iter().find(|u| u.id == unit.id).unwrap();
    assert_eq!(found.to_json()["kept"]["params.glow"], json!(7));
    assert_eq!(found.settings.fixed.number("ratio"), 3.0);
}

#[test]
fn strips_that_a_later_version_has_written_open_too_and_lose_nothing_on_their_way_back() {
    let later = "UPDATE strips SET role = 'group', family = 'VX', controls = json_set(controls, '$.tilt', 0.5)
        WHERE role = 'return';";
    let (_folder, store) = made(VERSION_1, later);
    let session = store.load(WORKED).unwrap().session;
    let groups: Vec<_> = session.strips.iter().filter(|strip| strip.kept.contains_key("role")).collect();
    assert!(!groups.is_empty() && groups.iter().all(|strip| strip.kept.len() == 3));
    let words = in_words(&groups[0].kept).unwrap();
    assert!(words.contains("family, role") && words.contains("tilt"), "{words}");
    // Its level is changed here; what is not known stays.
    let level = Edit::SetControl { strip: groups[0].id, control: "level_db".into(), value: (-9).into() };
    store.apply(WORKED, &level, "", &nobody()).unwrap();
    let again = store.load(WORKED).unwrap().session;
    let found = again.strip(groups[0].id).unwrap();
    assert_eq!((&found.kept, found.controls.number("level_db")), (&groups[0].kept, -9.0));
}
