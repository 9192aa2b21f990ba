//! Steps back and forth, and what makes one of them.

use super::*;

#[test]
fn undo_and_redo_walk_the_journal_even_after_the_file_was_opened_anew() {
    let (folder, store, id) = store();
    for db in [-1.0, -2.0, -3.0] {
        store.apply(id, &level(db), "", &nobody()).unwrap();
    }
    drop(store);
    let store = Store::open(&folder.path().join("zinc.sqlite")).unwrap();
    assert_eq!(level_of(&store.step(id, Direction::Undo, &nobody(), Consent::default()).unwrap().session), -2.0);
    let change = store.step(id, Direction::Undo, &nobody(), Consent::default()).unwrap();
    assert_eq!((level_of(&change.session), change.undo, change.redo), (-1.0, 1, 2));
    assert_eq!(level_of(&store.step(id, Direction::Redo, &nobody(), Consent::default()).unwrap().session), -2.0);
    assert_eq!(level_of(&store.load(id).unwrap().session), -2.0);
}

#[test]
fn a_new_edit_after_undo_ends_what_could_be_redone() {
    let (_folder, store, id) = store();
    store.apply(id, &level(-1.0), "", &nobody()).unwrap();
    store.step(id, Direction::Undo, &nobody(), Consent::default()).unwrap();
    let change = store.apply(id, &level(-9.0), "", &nobody()).unwrap();
    assert_eq!((change.undo, change.redo), (1, 0));
    assert!(matches!(
        store.step(id, Direction::Redo, &nobody(), Consent::default()),
        Err(StoreError::NothingThere("redo"))
    ));
}

#[test]
fn the_edits_of_one_drag_are_one_step_and_two_drags_are_two() {
    let (_folder, store, id) = store();
    for (db, gesture) in [(-1.0, "a"), (-2.0, "a"), (-3.0, "a"), (-4.0, "b"), (-5.0, "b")] {
        store.apply(id, &level(db), gesture, &nobody()).unwrap();
    }
    assert_eq!(level_of(&store.step(id, Direction::Undo, &nobody(), Consent::default()).unwrap().session), -3.0);
    assert_eq!(level_of(&store.step(id, Direction::Undo, &nobody(), Consent::default()).unwrap().session), 0.0);
    assert!(store.step(id, Direction::Undo, &nobody(), Consent::default()).is_err());
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
    assert_eq!(place(&store.step(id, Direction::Undo, &nobody(), Consent::default()).unwrap()), (0.0, 0.0));
    assert!(store.step(id, Direction::Undo, &nobody(), Consent::default()).is_err(), "it was one step");
    assert_eq!(place(&store.step(id, Direction::Redo, &nobody(), Consent::default()).unwrap()), (-5.0, 0.5));
}

#[test]
fn a_drag_of_a_unit_that_another_follows_is_one_step_for_both() {
    let (_folder, store, id) = store();
    let follow = param(&store, id, "surgical-eq", "amount", 1.0);
    let Edit::SetParam { unit, .. } = follow else { panic!("a value") };
    store.apply(id, &Edit::CopyUnit { strip: 2, unit, to: 2, linked: true, mirrored: vec![] }, "", &nobody()).unwrap();
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
    assert_eq!(store.step(id, Direction::Undo, &nobody(), Consent::default()).unwrap().session.strips, before.strips);
    assert_eq!(store.step(id, Direction::Redo, &nobody(), Consent::default()).unwrap().session.strips, after.strips);
}

#[test]
fn the_notebook_is_kept_beside_undo_and_takes_nothing_from_it() {
    let (_folder, store, id) = store();
    store.apply(id, &level(-1.0), "", &nobody()).unwrap();
    store.step(id, Direction::Undo, &nobody(), Consent::default()).unwrap();
    let note = Edit::Note { note: zinc_core::session::notebook::Entry::Done { steps: vec![2] } };
    let change = store.apply(id, &note, "", &nobody()).unwrap();
    assert_eq!((change.undo, change.redo), (0, 1));
    assert_eq!(store.load(id).unwrap().session.notebook.done, [2]);
    let change = store.step(id, Direction::Redo, &nobody(), Consent::default()).unwrap();
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
