mod base;
mod drawn;
mod windows;

use super::error::EditError;
use super::*;
use crate::session::{AuxSend, Section};
use base::session;
use drawn::{any_change_over_time, any_drawn, any_value, full_session};
use proptest::prelude::*;
use serde_json::{Value as Json, json};

/// The session after edits of windows, those refused left out; and how many were made.
fn after(edits: &[&Edit]) -> (Session, usize) {
    let mut s = full_session();
    let made = edits.iter().filter(|edit| edit.apply(&mut s).is_ok()).count();
    (s, made)
}

/// Whether an edit is refused after another for the way that sound would then take.
fn closes_a_circle(earlier: &Edit, later: &Edit) -> bool {
    let mut s = full_session();
    earlier.apply(&mut s).is_ok() && later.apply(&mut s).is_err_and(|error| matches!(error, EditError::Circle(_)))
}

#[test]
fn of_two_ways_that_make_a_circle_only_together_the_first_stands_and_the_other_is_refused() {
    let (session, bus) = (full_session(), 2);
    let second = session.strips.iter().find(|strip| strip.name == "Second").unwrap();
    let send =
        Edit::SetSends { strip: second.id, sends: vec![AuxSend { to: bus, level_db: -6.0, before_fader: false }] };
    let key = serde_json::from_value(json!({
        "edit": "set-key", "strip": second.id, "unit": second.rack.units[0].id, "key": {"strip": bus}}))
    .unwrap();
    for (one, other) in [(&send, &key), (&key, &send)] {
        assert!(closes_a_circle(one, other), "{other:?} after {one:?}");
        let (both, made) = after(&[one, other]);
        assert_eq!((made, both.strips), (1, after(&[one]).0.strips));
    }
}

#[test]
fn of_two_sections_that_begin_together_one_taken_out_comes_back_to_where_it_was() {
    let mut session = session();
    let section = |id| Section { id, name: "B".into(), start: 1, end: 2 };
    for id in [2, 22] {
        Edit::AddSection { section: section(id) }.apply(&mut session).unwrap();
    }
    let before = session.sections.clone();
    let (_, inverse) = Edit::RemoveSection { section: before[0].id }.apply(&mut session).unwrap();
    inverse.apply(&mut session).unwrap();
    assert_eq!(session.sections, before);
}

/// What differs in the strips of two sessions, as short as can be.
fn differences(now: &Session, then: &Session) -> String {
    let units = |s: &Session| -> Vec<(u32, String)> {
        let of = |strip: &crate::session::Strip| {
            let own = strip.rack.units.iter().map(|unit| (strip.id, unit.to_json().to_string()));
            let mut bare = strip.clone();
            bare.rack.units.clear();
            own.chain([(strip.id, bare.to_json().to_string())]).collect::<Vec<_>>()
        };
        s.strips.iter().flat_map(of).collect()
    };
    let (now, then) = (units(now), units(then));
    let only = |of: &[(u32, String)], other: &[(u32, String)]| {
        of.iter()
            .filter(|one| !other.contains(one))
            .map(|(strip, text)| format!("\n  {strip}: {text}"))
            .collect::<String>()
    };
    format!("now{}\nthen{}", only(&now, &then), only(&then, &now))
}

/// What is wrong with something that is no edit.
fn unreadable(edit: Json) -> String {
    serde_json::from_value::<Edit>(edit).expect_err("no edit").to_string()
}

#[test]
fn what_cannot_be_read_is_no_edit_and_says_why() {
    let loud = json!({"kind": "compressor", "params": {"threshold_db": 5000}});
    let add = |unit: &Json| json!({"edit": "add-unit", "strip": 4, "at": 0, "unit": unit});
    assert!(
        unreadable(add(&loud)).starts_with("unit 1 (compressor): threshold_db is 5000"),
        "{}",
        unreadable(add(&loud))
    );
    assert!(unreadable(add(&json!({"kind": "no such thing"}))).contains("no such thing"));
    let param = |value: Json| json!({"edit": "set-param", "strip": 4, "unit": 5, "param": "ratio", "value": value});
    assert_eq!(unreadable(param(json!([1]))), "a value is a number, a word, true, false or null");
    let key = json!({"edit": "set-key", "strip": 4, "unit": 5, "key": 7});
    assert!(unreadable(key).contains("before-rack"));
    let rack = json!({"edit": "replace-rack", "strip": 4, "rack": {"zinc_rack": 1, "units": [{"kind": "gate"}, loud]}});
    assert!(unreadable(rack).starts_with("unit 2 (compressor): threshold_db is 5000"));
    assert!(unreadable(json!({"edit": "set-wishes", "strip": 4})).contains("set-wishes"));
}

/// A number is kept as it was written: 4 and 4.0 are the same value, and each comes back as it came.
#[test]
fn an_edit_is_written_as_it_was_read() {
    for value in [json!(4), json!(4.5), json!(-0.25), json!("inf"), json!(true), Json::Null] {
        let edit = json!({"edit": "set-param", "strip": 4, "unit": 5, "param": "ratio", "value": value});
        assert_eq!(json!(serde_json::from_value::<Edit>(edit.clone()).unwrap()), edit);
    }
    let row = json!({"freq_hz": 300, "dynamic": {"ratio": 4, "on": true}});
    let edit = json!({"edit": "add-row", "strip": 4, "unit": 5, "list": "bands", "at": 0, "row": row});
    assert_eq!(json!(serde_json::from_value::<Edit>(edit.clone()).unwrap()), edit);
}

proptest! {
    #[test]
    fn any_run_of_edits_is_taken_back_by_its_inverses(draws in prop::collection::vec(any_drawn(), 1..30)) {
        let mut now = full_session();
        let mut inverses = Vec::new();
        let mut states = Vec::new();
        for drawn in &draws {
            let state = now.clone();
            match drawn.of(&state).apply(&mut now) {
                Ok((applied, inverse)) => {
                    inverses.push((applied, inverse));
                    states.push(state);
                }
                // A refused edit must leave the document as it was.
                Err(_) => prop_assert_eq!(&now, &state),
            }
        }
        let after = now.clone();
        for ((applied, inverse), state) in inverses.iter().zip(&states).rev() {
            inverse.apply(&mut now).unwrap();
            prop_assert!(now.strips == state.strips, "{:?} taken back: {}", applied, differences(&now, state));
            prop_assert_eq!(&now.sections, &state.sections);
            prop_assert_eq!(now.tempo_bpm, state.tempo_bpm);
            prop_assert_eq!(&now.notebook, &state.notebook);
        }
        for (applied, _) in &inverses {
            applied.apply(&mut now).unwrap();
        }
        prop_assert_eq!(&now.strips, &after.strips);
    }

    /// Two windows that change different things: both changes are kept, whichever came first. Where sound would go in
    /// a circle through both, the first stands and the other is refused.
    #[test]
    fn values_that_meet_apart_end_the_same_in_either_order(one in any_value(), other in any_value()) {
        let session = full_session();
        let (one, other) = (one.of(&session), other.of(&session));
        let (forth, made) = after(&[&one, &other]);
        let (back, made_back) = after(&[&other, &one]);
        let apart = one.meets(&other) == Meeting::Apart && other.meets(&one) == Meeting::Apart;
        if apart {
            prop_assert_eq!(made, made_back);
            let first_stands = forth.strips == after(&[&one]).0.strips && back.strips == after(&[&other]).0.strips;
            let circle = made == 1 && first_stands && closes_a_circle(&one, &other) && closes_a_circle(&other, &one);
            prop_assert!(circle || forth.strips == back.strips, "{:?} and {:?}", one, other);
            prop_assert_eq!(forth.tempo_bpm, back.tempo_bpm);
        }
    }

    /// What ends differently by the order in which it came is never passed over in silence.
    #[test]
    fn a_change_that_is_lost_to_a_later_one_is_said(one in any_value(), other in any_value()) {
        let session = full_session();
        let (one, other) = (one.of(&session), other.of(&session));
        let (both, made) = after(&[&one, &other]);
        let (alone, made_alone) = after(&[&other]);
        let (nothing, _) = after(&[]);
        let (first, made_first) = after(&[&one]);
        let counts = made == 2 && made_alone == 1 && made_first == 1;
        if counts && both.strips == alone.strips && first.strips != nothing.strips {
            prop_assert!(other.meets(&one) > Meeting::Apart, "{:?} was lost to {:?}", one, other);
        }
    }

    #[test]
    fn edits_made_as_one_meet_others_as_the_gravest_of_them_does(
        draws in prop::collection::vec(any_drawn(), 1..4),
        other in any_drawn(),
    ) {
        let session = full_session();
        let edits: Vec<Edit> = draws.iter().flat_map(|drawn| drawn.of(&session).into_parts()).collect();
        let other = other.of(&session);
        let gravest = edits.iter().map(|edit| edit.meets(&other)).max();
        if let Some(gravest) = gravest {
            prop_assert_eq!(Edit::Several { edits }.meets(&other), gravest);
        }
    }

    #[test]
    fn documents_survive_json(draws in prop::collection::vec(any_drawn(), 1..20)) {
        let mut s = full_session();
        for drawn in &draws {
            let _ = drawn.of(&s).apply(&mut s);
        }
        prop_assert_eq!(Session::from_json(&s.to_json()).unwrap(), s);
    }

    /// Whatever is edited: what changes with the song names values, sections and sends that are there.
    #[test]
    fn nothing_that_changes_with_the_song_is_orphaned(draws in prop::collection::vec(
        prop_oneof![2 => any_drawn(), 3 => any_change_over_time()], 1..40,
    )) {
        let mut s = full_session();
        for drawn in &draws {
            let edit = drawn.of(&s);
            let _ = edit.apply(&mut s);
            let known = |courses: &crate::course::Courses| {
                courses.list.iter().flat_map(|c| &c.sections).all(|here| s.sections.iter().any(|x| x.id == here.section))
            };
            for strip in &s.strips {
                prop_assert!(strip.courses.list.iter().all(|c| strip.changing(&c.param).is_some()));
                prop_assert!(known(&strip.courses), "after {:?}", edit);
                for unit in &strip.rack.units {
                    prop_assert!(unit.courses.list.iter().all(|c| unit.param(&c.param).is_some()), "after {:?}", edit);
                    prop_assert!(known(&unit.courses), "after {:?}", edit);
                }
            }
        }
    }
}

fn with_lane(beats: bool) -> Session {
    let mut s = session();
    let points = json!([{"at": 24_000, "value": -3}, {"at": 48_001, "value": 0}]);
    Edit::SetPointsOn { beats }.apply(&mut s).unwrap();
    Edit::SetLane {
        strip: 4,
        unit: 0,
        param: "level_db".into(),
        points: serde_json::from_value(points).unwrap(),
        over: None,
    }
    .apply(&mut s)
    .unwrap();
    s
}

#[test]
fn points_stay_on_their_beats_or_their_times_and_undo_is_exact() {
    let at = |s: &Session| s.strip(4).unwrap().courses.list[0].points.iter().map(|p| p.at).collect::<Vec<_>>();
    for (beats, want) in [(false, [24_000, 48_001]), (true, [16_000, 32_001])] {
        let mut s = with_lane(beats);
        let before = s.clone();
        let faster = Edit::SetTempo { tempo_bpm: s.tempo_bpm * 1.5, beats_per_bar: 4 };
        let (_, inverse) = faster.apply(&mut s).unwrap();
        assert_eq!(at(&s), want);
        inverse.apply(&mut s).unwrap();
        assert_eq!(s, before, "48001 is not where rounding twice would lead");
    }
}

#[test]
fn lanes_move_with_their_rows_and_come_back_with_a_row_that_went() {
    let (mut s, unit) = with_eq();
    let lane = |row: usize, hz: f64| Edit::SetLane {
        strip: 4,
        unit,
        param: format!("bands[{row}].freq_hz"),
        points: serde_json::from_value(json!([{"at": 0, "value": hz}])).unwrap(),
        over: None,
    };
    let rows = s.strip(4).unwrap().rack.units[0].settings.lists[0].len();
    assert!(rows >= 2, "the test needs two bands");
    lane(0, 100.0).apply(&mut s).unwrap();
    lane(1, 200.0).apply(&mut s).unwrap();
    let before = s.clone();
    let params = |s: &Session| {
        s.strip(4).unwrap().rack.units[0].courses.list.iter().map(|c| c.param.clone()).collect::<Vec<_>>()
    };
    let (_, inverse) = Edit::RemoveRow { strip: 4, unit, list: "bands".into(), at: 0 }.apply(&mut s).unwrap();
    assert_eq!(params(&s), ["bands[0].freq_hz"]);
    inverse.apply(&mut s).unwrap();
    assert_eq!(s, before);
    Edit::AddRow { strip: 4, unit, list: "bands".into(), at: 1, row: serde_json::from_value(json!({})).unwrap() }
        .apply(&mut s)
        .unwrap();
    assert_eq!(params(&s), ["bands[0].freq_hz", "bands[2].freq_hz"]);
}

#[test]
fn a_section_that_goes_takes_its_values_along_and_brings_them_back() {
    let mut s = session();
    let section = Section { id: 70, name: "Bridge".into(), start: 0, end: 100 };
    Edit::AddSection { section }.apply(&mut s).unwrap();
    Edit::SetHere { strip: 4, unit: 0, param: "pan".into(), section: 70, value: Some(0.5.into()) }
        .apply(&mut s)
        .unwrap();
    let before = s.clone();
    let (_, inverse) = Edit::RemoveSection { section: 70 }.apply(&mut s).unwrap();
    assert!(s.strip(4).unwrap().courses.is_empty());
    inverse.apply(&mut s).unwrap();
    assert_eq!(s, before);
    let gone = Edit::SetHere { strip: 4, unit: 0, param: "pan".into(), section: 99, value: Some(0.5.into()) };
    assert!(gone.apply(&mut s).unwrap_err().to_string().contains("not there any more"));
}

#[test]
fn a_section_that_goes_brings_back_what_is_a_followers_own_there() {
    let (mut s, eq) = with_eq();
    Edit::CopyUnit { strip: 4, unit: eq, to: 2, linked: true, mirrored: vec![] }.apply(&mut s).unwrap();
    let follower = s.strip(2).unwrap().rack.units[0].id;
    let section = Section { id: 70, name: "Bridge".into(), start: 0, end: 100 };
    Edit::AddSection { section }.apply(&mut s).unwrap();
    for (strip, unit, param, value) in [(2, follower, "mix", 0.5), (4, eq, "bands[0].gain_db", -3.0)] {
        let value = Some(json!(value));
        Edit::SetHere {
            strip,
            unit,
            param: param.into(),
            section: 70,
            value: value.map(|value| serde_json::from_value(value).unwrap()),
        }
        .apply(&mut s)
        .unwrap();
    }
    let before = s.clone();
    let (_, inverse) = Edit::RemoveSection { section: 70 }.apply(&mut s).unwrap();
    assert!(s.strip(2).unwrap().rack.units[0].courses.is_empty());
    inverse.apply(&mut s).unwrap();
    assert_eq!(s, before);
}

#[test]
fn a_circle_is_refused_with_its_path_and_nothing_changes() {
    let mut s = session();
    let (bus, room, lead) = (2, 3, 4);
    let send = |to| vec![AuxSend { to, level_db: -6.0, before_fader: false }];
    Edit::SetSends { strip: bus, sends: send(room) }.apply(&mut s).unwrap();
    let before = s.clone();
    let circle = Edit::SetFeeds { strip: room, to: bus }.apply(&mut s).unwrap_err().to_string();
    assert!(circle.contains("Guitars > Room > Guitars") || circle.contains("Room > Guitars > Room"), "{circle}");
    let keyed = json!({"kind": "compressor", "key": {"strip": bus}});
    let circle = Edit::AddUnit { strip: lead, at: 0, unit: serde_json::from_value(keyed).unwrap() }
        .apply(&mut s)
        .unwrap_err()
        .to_string();
    assert!(circle.contains("Lead > Guitars > Lead") || circle.contains("Guitars > Lead > Guitars"), "{circle}");
    assert_eq!(before.strips, s.strips);
}

#[test]
fn paths_lead_only_where_sound_can_go() {
    let mut s = session();
    for (edit, why) in [
        (Edit::SetFeeds { strip: 4, to: 99 }, "must feed a bus or the main"),
        (Edit::SetFeeds { strip: 2, to: 4 }, "must feed a bus or the main"),
        (Edit::SetFeeds { strip: 1, to: 2 }, "the main feeds the listener"),
        (
            Edit::SetSends { strip: 4, sends: vec![AuxSend { to: 1, level_db: 0.0, before_fader: false }] },
            "buses and returns only",
        ),
        (
            Edit::AddUnit {
                strip: 4,
                at: 0,
                unit: serde_json::from_value(json!({"kind": "compressor", "key": "outside"})).unwrap(),
            },
            "not in this session",
        ),
    ] {
        assert!(edit.apply(&mut s).unwrap_err().to_string().contains(why), "{edit:?}");
    }
}

#[test]
fn several_values_of_a_unit_that_others_follow_are_set_and_taken_back_with_theirs() {
    let ((mut s, unit), track) = (with_eq(), 4);
    let follower = Edit::CopyUnit { strip: track, unit, to: 2, linked: true, mirrored: vec![] };
    follower.apply(&mut s).unwrap();
    let before = s.clone();
    let set = |param: &str, value: f64| Edit::SetParam { strip: track, unit, param: param.into(), value: value.into() };
    let both = Edit::Several { edits: vec![set("bands[0].gain_db", 5.0), set("bands[0].freq_hz", 777.0)] };
    let (applied, inverse) = both.apply(&mut s).unwrap();
    let after = s.clone();
    for strip in [track, 2] {
        let band = &s.strip(strip).unwrap().rack.units[0].settings.lists[0][0];
        assert_eq!((band.number("gain_db"), band.number("freq_hz")), (5.0, 777.0), "strip {strip}");
    }
    inverse.apply(&mut s).unwrap();
    assert_eq!(s.strips, before.strips);
    applied.apply(&mut s).unwrap();
    assert_eq!(s.strips, after.strips);
}

#[test]
fn several_edits_are_all_made_or_none() {
    let mut s = session();
    let before = s.clone();
    let level = |value: f64| Edit::SetControl { strip: 2, control: "level_db".into(), value: value.into() };
    assert!(Edit::Several { edits: vec![level(-3.0), level(99.0)] }.apply(&mut s).is_err());
    assert_eq!(s, before);
    let (_, inverse) = Edit::Several { edits: vec![level(-3.0), level(-6.0)] }.apply(&mut s).unwrap();
    assert_eq!(s.strip(2).unwrap().controls.number("level_db"), -6.0);
    inverse.apply(&mut s).unwrap();
    assert_eq!(s, before);
}

#[test]
fn a_copy_of_a_strip_gets_units_of_its_own() {
    let mut s = session();
    let mut lead = s.strip(4).unwrap().to_json();
    lead["id"] = json!(0);
    Edit::AddStrip { at: 0, strip: serde_json::from_value(lead).unwrap() }.apply(&mut s).unwrap();
    let mut ids: Vec<u32> = s.strips.iter().flat_map(|s| s.rack.units.iter().map(|u| u.id)).collect();
    let count = ids.len();
    ids.sort_unstable();
    ids.dedup();
    let kinds = crate::unit::catalogue::KINDS.len();
    assert_eq!((count, ids.len()), (2 * kinds, 2 * kinds));
}

#[test]
fn a_bus_that_is_fed_and_the_main_cannot_be_removed() {
    let mut s = session();
    let bus = s.buses().next().unwrap().id;
    assert!(Edit::RemoveStrip { strip: bus }.apply(&mut s).unwrap_err().to_string().contains("Lead feeds it"));
    assert!(Edit::RemoveStrip { strip: 1 }.apply(&mut s).is_err());
}

/// An EQ with two bands on the lead (strip 4), and where its copies go (the bus, 2).
fn with_eq() -> (Session, u32) {
    let mut s = session();
    let unit = json!({"kind": "surgical-eq", "params": {"bands": [
        {"shape": "bell", "freq_hz": 700, "gain_db": 4}, {"shape": "bell", "freq_hz": 3000, "gain_db": -2.5}]}});
    Edit::AddUnit { strip: 4, at: 0, unit: serde_json::from_value(unit).unwrap() }.apply(&mut s).unwrap();
    let id = s.strip(4).unwrap().rack.units[0].id;
    (s, id)
}

fn gains(s: &Session, strip: u32, at: usize) -> Vec<f64> {
    s.strip(strip).unwrap().rack.units[at].settings.rows().iter().map(|r| r.number("gain_db")).collect()
}

#[test]
fn a_mirrored_copy_and_its_source_add_up_to_nothing_at_the_mirrored_bands() {
    let (mut s, eq) = with_eq();
    Edit::CopyUnit { strip: 4, unit: eq, to: 2, linked: false, mirrored: vec![0, 1] }.apply(&mut s).unwrap();
    let curve = |strip: u32| {
        let rack = crate::rack::RackSpec { units: vec![s.strip(strip).unwrap().rack.units[0].clone()] };
        let freqs: Vec<f64> = (0..60).map(|i| 100.0 * 1.09f64.powi(i)).collect();
        rack.response(48_000.0, &freqs).iter().map(|h| 10.0 * h.norm_sqr().log10()).collect::<Vec<_>>()
    };
    for (source, copy) in curve(4).iter().zip(curve(2)) {
        assert!((source + copy).abs() < 0.02, "{source} and {copy}");
    }
}

#[test]
fn a_linked_copy_follows_its_source_with_its_own_bands_turned_over() {
    let (mut s, eq) = with_eq();
    Edit::CopyUnit { strip: 4, unit: eq, to: 2, linked: true, mirrored: vec![1] }.apply(&mut s).unwrap();
    assert_eq!(gains(&s, 2, 0), [4.0, 2.5]);
    let before = s.clone();
    let moved = json!({"id": eq, "kind": "surgical-eq", "params": {"bands": [
        {"freq_hz": 700, "gain_db": 6}, {"freq_hz": 3000, "gain_db": -5}]}});
    let (done, back) =
        Edit::SetUnit { strip: 4, unit: serde_json::from_value(moved.clone()).unwrap() }.apply(&mut s).unwrap();
    assert_eq!((gains(&s, 4, 0), gains(&s, 2, 0)), (vec![6.0, -5.0], vec![6.0, 5.0]));
    assert_eq!(done.touches(), Touch::Everything);
    back.apply(&mut s).unwrap();
    assert_eq!(s, before);
    // Both are one step of a drag.
    let (again, _) = Edit::SetUnit { strip: 4, unit: serde_json::from_value(moved).unwrap() }.apply(&mut s).unwrap();
    assert!(done.same_target(&again));
}

#[test]
fn a_follower_keeps_to_its_source_until_the_link_is_broken() {
    let (mut s, eq) = with_eq();
    Edit::CopyUnit { strip: 4, unit: eq, to: 2, linked: true, mirrored: vec![] }.apply(&mut s).unwrap();
    let mut follower = s.strip(2).unwrap().rack.units[0].to_json();
    follower["params"]["bands"][0]["gain_db"] = json!(-9);
    Edit::SetUnit { strip: 2, unit: serde_json::from_value(follower.clone()).unwrap() }.apply(&mut s).unwrap();
    assert_eq!(gains(&s, 2, 0), [4.0, -2.5]);
    follower.as_object_mut().unwrap().remove("follows");
    Edit::SetUnit { strip: 2, unit: serde_json::from_value(follower).unwrap() }.apply(&mut s).unwrap();
    assert_eq!(gains(&s, 2, 0), [-9.0, -2.5]);
}

#[test]
fn a_copy_of_a_follower_follows_the_source_itself() {
    let (mut s, eq) = with_eq();
    Edit::CopyUnit { strip: 4, unit: eq, to: 2, linked: true, mirrored: vec![0] }.apply(&mut s).unwrap();
    let first = s.strip(2).unwrap().rack.units[0].id;
    Edit::CopyUnit { strip: 2, unit: first, to: 3, linked: true, mirrored: vec![0, 1] }.apply(&mut s).unwrap();
    let copy = &s.strip(3).unwrap().rack.units[0];
    assert_eq!(copy.follows, Some(crate::rack::Follow { unit: eq, mirrored: vec![1] }));
    assert_eq!(gains(&s, 3, 0), [4.0, 2.5]);
}

#[test]
fn a_follower_takes_no_rows_of_its_own_and_links_have_one_level() {
    let (mut s, eq) = with_eq();
    Edit::CopyUnit { strip: 4, unit: eq, to: 2, linked: true, mirrored: vec![] }.apply(&mut s).unwrap();
    Edit::CopyUnit { strip: 4, unit: eq, to: 3, linked: false, mirrored: vec![] }.apply(&mut s).unwrap();
    let [follower, free] = [2, 3].map(|strip| s.strip(strip).unwrap().rack.units[0].id);
    let before = s.clone();
    let follow = |unit| Some(crate::rack::Follow { unit, mirrored: vec![] });
    let chained = json!({"id": free, "kind": "surgical-eq", "follows": {"unit": follower, "mirrored": []}});
    for (edit, why) in [
        (
            Edit::AddRow {
                strip: 2,
                unit: follower,
                list: "bands".into(),
                at: 0,
                row: serde_json::from_value(json!({})).unwrap(),
            },
            "follows another",
        ),
        (Edit::RemoveRow { strip: 2, unit: follower, list: "bands".into(), at: 0 }, "follows another"),
        (Edit::SetFollows { strip: 3, unit: free, follows: follow(follower) }, "follows another itself"),
        (Edit::SetUnit { strip: 3, unit: serde_json::from_value(chained).unwrap() }, "follows another itself"),
        (Edit::SetFollows { strip: 4, unit: eq, follows: follow(free) }, "others follow this unit"),
    ] {
        assert!(edit.apply(&mut s).unwrap_err().to_string().contains(why), "{edit:?}");
    }
    assert_eq!(s, before);
}

#[test]
fn a_copied_rack_replaces_the_other_and_is_one_step_back() {
    let (mut s, _) = with_eq();
    let before = s.clone();
    let (_, back) = Edit::CopyRack { strip: 4, to: 2, linked: true }.apply(&mut s).unwrap();
    let units = |id: u32| s.strip(id).unwrap().rack.units.len();
    assert_eq!(units(2), units(4));
    back.apply(&mut s).unwrap();
    assert_eq!(s.strips, before.strips);
}

proptest! {
    #[test]
    fn a_number_comes_back_from_json_to_the_last_bit(value in -95.0f64..12.0) {
        let edit = Edit::SetControl { strip: 2, control: "level_db".into(), value: value.into() };
        let text = serde_json::to_string(&edit).unwrap();
        prop_assert_eq!(serde_json::from_str::<Edit>(&text).unwrap(), edit);
    }
}
