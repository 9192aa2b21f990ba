//! What is stored of sessions, and what of them is written anew.

use diesel::prelude::*;
use diesel::sqlite::SqliteConnection;
use serde_json::json;

use super::*;

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
        let of =
            |c: &mut SqliteConnection| diesel::sql_query("SELECT total_changes() AS n").get_result::<Row>(c).unwrap().n;
        pool.iter_mut().map(|c| of(c)).sum()
    };
    let before = total();
    store.apply(id, edit, "", &nobody()).unwrap();
    total() - before
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
fn both_sessions_of_a_demo_are_there_or_none_and_a_later_layout_comes_beside_them() {
    let (_folder, store, _) = store();
    let names = || -> Vec<String> { store.sessions().unwrap().into_iter().map(|s| s.name).collect() };
    let (raw, worked) = (Session::new("raw", 48_000), Session::new("worked", 48_000));
    let mut bad = worked.clone();
    // Two strips of one identity cannot be kept.
    bad.strips.insert(0, bad.strips[0].clone());
    assert!(store.create_demo(&[raw.clone(), bad], "first").is_err());
    assert_eq!((names(), store.has_demo("first").unwrap()), (vec!["test".to_string()], false));
    let both = [raw, worked];
    store.create_demo(&both, "first").unwrap();
    let mine = store.sessions().unwrap().into_iter().find(|s| s.name == "worked").unwrap().id;
    store
        .apply(mine, &Edit::SetControl { strip: 1, control: "level_db".into(), value: (-8.0).into() }, "", &nobody())
        .unwrap();
    assert_eq!((store.has_demo("first").unwrap(), store.has_demo("second").unwrap()), (true, false));
    store.create_demo(&both, "second").unwrap();
    assert_eq!(names(), ["worked", "raw", "worked (earlier)", "raw (earlier)", "test"]);
    assert_eq!(store.load(mine).unwrap().session.strip(1).unwrap().controls.number("level_db"), -8.0);
    for row in store.sessions().unwrap().iter().filter(|s| !s.name.contains("earlier")) {
        store.remove_session(row.id, 0).unwrap();
    }
    assert!(!store.has_demo("second").unwrap(), "whoever has removed both gets them anew");
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
                _ => {
                    store.apply(other, &Edit::SetTempo { tempo_bpm: 90.0, beats_per_bar: 4 }, "", &nobody()).map(|_| ())
                }
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
    for refused in
        [store.load(id).err(), store.apply(id, &level(-8.0), "", &nobody()).err(), store.remove_session(id, 6000).err()]
    {
        assert!(matches!(refused, Some(StoreError::NoSession(_))));
    }
    store.put_back(id).unwrap();
    assert_eq!(level_of(&store.load(id).unwrap().session), -7.0);
    assert_eq!(store.step(id, Direction::Undo, &nobody(), Consent::default()).unwrap().redo, 1, "with its journal");
    // What is not in the bin is not removed for good, however long ago it was put there before.
    assert!(store.remove_for_good(id).is_err() && store.put_back(id).is_err());
    assert_eq!(store.empty_bin(i64::MAX).unwrap(), 0);
    store.remove_session(id, 7000).unwrap();
    assert_eq!((store.empty_bin(7000).unwrap(), store.empty_bin(7001).unwrap()), (0, 1));
    assert!(store.removed_sessions().unwrap().is_empty() && store.put_back(id).is_err());
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
        let change = store.step(id, Direction::Undo, &nobody(), Consent::default()).unwrap();
        assert_eq!(store.load(id).unwrap().session, change.session);
    }
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
    store.step(id, Direction::Undo, &nobody(), Consent::default()).unwrap();
    assert_eq!(store.load(id).unwrap().session.sections[1], verse);
}
