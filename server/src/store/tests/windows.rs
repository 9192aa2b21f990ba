//! Two windows on one session.

use serde_json::json;

use super::*;

/// A window that knows of this version.
fn window(name: &str, version: i32, ident: &str) -> Requester {
    Requester { version, window: name.into(), ident: ident.into() }
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
fn gestures_of_two_windows_are_two_steps_though_they_go_by_one_name() {
    let (_folder, store, id) = store();
    let pan = Edit::SetControl { strip: 2, control: "pan".into(), value: 0.5.into() };
    store.apply(id, &level(-1.0), "drag", &window("a", 0, "")).unwrap();
    assert_eq!(store.apply(id, &pan, "drag", &window("b", 1, "")).unwrap().undo, 2);
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
    let add = Edit::AddUnit { strip: 2, at: 0, unit: serde_json::from_value(json!({"kind": "compressor"})).unwrap() };
    let first = store.apply(id, &add, "", &window("a", 0, "a1")).unwrap();
    let again = store.apply(id, &add, "", &window("a", 0, "a1")).unwrap();
    assert_eq!((again.edit, again.version), (first.edit, 1));
    assert_eq!(store.load(id).unwrap().session.strip(2).unwrap().rack.units.len(), KINDS.len() + 1);
    let undo = store.step(id, Direction::Undo, &window("a", 1, "a2"), Consent::default()).unwrap();
    let undo_again = store.step(id, Direction::Undo, &window("a", 1, "a2"), Consent::default()).unwrap();
    assert_eq!((undo.version, undo_again.version, undo_again.undo), (2, 2, 0));
}

#[test]
fn undo_does_not_take_back_what_another_window_did_unless_it_is_meant() {
    let (_folder, store, id) = store();
    store.apply(id, &level(-3.0), "", &window("a", 0, "a1")).unwrap();
    let refused = store.step(id, Direction::Undo, &window("b", 1, "b1"), Consent::default()).err().unwrap().to_string();
    assert!(refused.contains("level of Bus") && refused.contains("another window"), "{refused}");
    assert_eq!(level_of(&store.load(id).unwrap().session), -3.0);
    assert!(store.step(id, Direction::Undo, &window("b", 1, "b2"), Consent { foreign: true, unfit: false }).is_ok());
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
