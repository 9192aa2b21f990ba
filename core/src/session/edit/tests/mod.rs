use super::*;
use crate::rack::UnitSpec;
use crate::session::{AudioRef, Family, Part, Role, Section, Send};
use proptest::prelude::*;
use serde_json::json;

fn session() -> Session {
    let mut s = Session::new("test", 48_000);
    let bus = s.add_strip("Guitars", Family::Gt, Role::Bus, 1);
    s.add_strip("Room", Family::Fx, Role::Return, 1);
    let audio = AudioRef { hash: "ab".into(), channels: 1, frames: 1000, start: 0 };
    let track = s.add_strip("Lead", Family::Gt, Role::Track(audio), bus);
    for kind in crate::unit::catalogue::KINDS {
        s.add_unit(track, UnitSpec::new(kind));
    }
    s
}

fn any_edit() -> impl Strategy<Value = Edit> {
    let strip = 0u32..6;
    prop_oneof![
        (strip.clone(), -100.0f64..20.0).prop_map(|(strip, v)| Edit::SetControl {
            strip,
            control: "level_db".into(),
            value: json!(v)
        }),
        (strip.clone(), ".{0,5}").prop_map(|(strip, name)| Edit::Rename { strip, name }),
        (strip.clone(), 0usize..5, 5.0f64..30_000.0).prop_map(|(strip, at, hz)| Edit::AddUnit {
            strip,
            at,
            unit: json!({"kind": "surgical-eq", "params": {"bands": [{"freq_hz": hz}]}})
        }),
        (strip.clone(), 0u32..12).prop_map(|(strip, unit)| Edit::RemoveUnit { strip, unit }),
        (strip.clone(), 0u32..12, 0usize..5).prop_map(|(strip, unit, to)| Edit::MoveUnit { strip, unit, to }),
        (strip.clone(), 0u32..12, 0.5f64..30.0).prop_map(|(strip, unit, ratio)| Edit::SetUnit {
            strip,
            unit: json!({"id": unit, "kind": "compressor", "params": {"ratio": ratio}})
        }),
        strip.clone().prop_map(|strip| Edit::ReplaceRack {
            strip,
            rack: json!({"zinc_rack": 1, "units": [{"kind": "compressor"}]})
        }),
        strip.clone().prop_map(|strip| Edit::RemoveStrip { strip }),
        (strip.clone(), 0u32..6).prop_map(|(strip, to)| Edit::SetFeeds { strip, to }),
        (strip.clone(), prop::collection::vec((0u32..6, -95.0f64..13.0, any::<bool>()), 0..3)).prop_map(
            |(strip, sends)| Edit::SetSends {
                strip,
                sends: sends
                    .into_iter()
                    .map(|(to, level_db, before_fader)| Send { to, level_db, before_fader })
                    .collect()
            }
        ),
        (strip.clone(), 0u32..12, 0usize..8, -40.0f64..40.0).prop_map(|(strip, unit, which, value)| Edit::SetParam {
            strip,
            unit,
            param: ["mix", "place", "ratio", "amount", "bands[0].gain_db", "bands[1].freq_hz", "width", "nonsense"]
                [which]
                .into(),
            value: json!(value)
        }),
        (strip.clone(), 0u32..12, 0usize..3).prop_map(|(strip, unit, at)| Edit::AddRow {
            strip,
            unit,
            list: "bands".into(),
            at,
            row: json!({"freq_hz": 500, "gain_db": 2})
        }),
        (strip.clone(), 0u32..12, 0usize..3).prop_map(|(strip, unit, at)| Edit::RemoveRow {
            strip,
            unit,
            list: "bands".into(),
            at
        }),
        (strip.clone(), 0u32..12, ".{0,5}").prop_map(|(strip, unit, why)| Edit::SetWhy { strip, unit, why }),
        (strip.clone(), 0u32..12, 0u32..6).prop_map(|(strip, unit, key)| Edit::SetKey {
            strip,
            unit,
            key: if key == 0 { json!("self") } else { json!({"strip": key}) }
        }),
        (strip.clone(), 0u32..12, 0u32..12).prop_map(|(strip, unit, source)| Edit::SetFollows {
            strip,
            unit,
            follows: (source > 0).then(|| crate::rack::Follow { unit: source, mirrored: vec![0] })
        }),
        (0u32..4, 0u64..10, 0u64..10)
            .prop_map(|(id, start, end)| Edit::AddSection { section: Section { id, name: "B".into(), start, end } }),
        (0u32..12, 0u64..10, 0u64..10)
            .prop_map(|(id, start, end)| Edit::SetSection { section: Section { id, name: "C".into(), start, end } }),
        (0u32..12).prop_map(|section| Edit::RemoveSection { section }),
        (strip.clone(), 0usize..6).prop_map(|(strip, to)| Edit::MoveStrip { strip, to }),
        (strip.clone(), 0u32..12, 0u32..6).prop_map(|(strip, unit, key)| Edit::SetUnit {
            strip,
            unit: json!({"id": unit, "kind": "compressor", "key": {"strip": key}})
        }),
        (strip.clone(), 0u32..3).prop_map(|(strip, set)| Edit::SetTakeSet { strip, set }),
        (strip.clone(), prop::collection::vec(0u32..6, 0..3))
            .prop_map(|(strip, with)| Edit::Note { note: Entry::Partners { strip, with } }),
        any_change_over_time(),
        (strip, any::<bool>()).prop_map(|(strip, guessed)| Edit::SetPart {
            strip,
            part: Part::Organ,
            family: Family::Ky,
            guessed
        }),
        (0u32..6, 0u64..1000).prop_map(|(strip, start)| Edit::SetStart { strip, start }),
        (0.0f64..500.0, 0u32..20).prop_map(|(tempo_bpm, beats_per_bar)| Edit::SetTempo { tempo_bpm, beats_per_bar }),
        (0u64..10, 0u64..10).prop_map(|(start, end)| Edit::SetSections {
            sections: vec![Section { id: 0, name: "A".into(), start, end }]
        }),
    ]
}

/// Names of values that may change with the song, some of them of nothing there is.
const OVER_TIME: [&str; 9] = [
    "ratio",
    "mix",
    "on",
    "action",
    "bands[0].gain_db",
    "bands[1].freq_hz",
    "level_db",
    "send[3].level_db",
    "nonsense",
];

fn any_change_over_time() -> impl Strategy<Value = Edit> {
    let place = || (0u32..6, 0u32..12, prop::sample::select(OVER_TIME.to_vec()));
    let value = || prop_oneof![(-20.0f64..20.0).prop_map(|v| json!(v)), Just(json!(true)), Just(json!("fet"))];
    let points = prop::collection::vec((0u64..5000, value()), 0..4);
    prop_oneof![
        (place(), 0u32..40, prop::option::of(value())).prop_map(|((strip, unit, param), section, value)| {
            Edit::SetHere { strip, unit, param: param.into(), section, value }
        }),
        (place(), points).prop_map(|((strip, unit, param), points)| {
            let points = points.into_iter().map(|(at, value)| json!({"at": at, "value": value})).collect();
            Edit::SetLane { strip, unit, param: param.into(), points }
        }),
        any::<bool>().prop_map(|beats| Edit::SetPointsOn { beats }),
    ]
}

/// An edit that sets a value of something there is in [`session`].
fn any_value() -> impl Strategy<Value = Edit> {
    let strip = 2u32..5;
    let unit = || 1u32..5;
    prop_oneof![
        (strip.clone(), prop::sample::select(vec!["level_db", "pan"]), -1.0f64..1.0)
            .prop_map(|(strip, control, v)| Edit::SetControl { strip, control: control.into(), value: json!(v) }),
        (strip.clone(), "[a-z]{1,5}").prop_map(|(strip, name)| Edit::Rename { strip, name }),
        (strip.clone(), "[a-z]{1,5}").prop_map(|(strip, note)| Edit::SetNote { strip, note }),
        (unit(), prop::sample::select(vec!["mix", "trim_db", "ratio", "attack_ms", "width"]), 0.0f64..1.0)
            .prop_map(|(unit, param, v)| Edit::SetParam { strip: 4, unit, param: param.into(), value: json!(v) }),
        (unit(), "[a-z]{1,5}").prop_map(|(unit, why)| Edit::SetWhy { strip: 4, unit, why }),
        unit().prop_map(|unit| Edit::SetKey { strip: 4, unit, key: json!({"strip": 2}) }),
        (unit(), 1.5f64..8.0).prop_map(|(unit, ratio)| Edit::SetUnit {
            strip: 4,
            unit: json!({"id": unit, "kind": "compressor", "params": {"ratio": ratio}})
        }),
        (strip, prop::sample::select(vec![-6.0, -12.0])).prop_map(|(strip, level_db)| Edit::SetSends {
            strip,
            sends: vec![Send { to: 3, level_db, before_fader: false }]
        }),
        (0u64..1000).prop_map(|start| Edit::SetStart { strip: 4, start }),
        (60.0f64..180.0).prop_map(|tempo_bpm| Edit::SetTempo { tempo_bpm, beats_per_bar: 4 }),
    ]
}

/// The session after edits of windows, those refused left out; and how many were made.
fn after(edits: &[&Edit]) -> (Session, usize) {
    let mut s = session();
    let made = edits.iter().filter(|edit| edit.apply(&mut s).is_ok()).count();
    (s, made)
}

/// Any edit, or a few as one.
fn any_change() -> impl Strategy<Value = Edit> {
    prop_oneof![
        4 => any_edit(),
        1 => prop::collection::vec(any_edit(), 0..4).prop_map(|edits| Edit::Several { edits }),
    ]
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

proptest! {
    #[test]
    fn any_run_of_edits_is_taken_back_by_its_inverses(edits in prop::collection::vec(any_change(), 1..30)) {
        let before = session();
        let mut now = before.clone();
        let mut inverses = Vec::new();
        let mut states = Vec::new();
        for edit in &edits {
            let state = now.clone();
            match edit.apply(&mut now) {
                Ok((applied, inverse)) => {
                    inverses.push((applied, inverse));
                    states.push(state);
                }
                // A refused edit must leave the document as it was.
                Err(_) => prop_assert_eq!(&now, &state),
            }
        }
        let after = now.clone();
        for ((_, inverse), state) in inverses.iter().zip(&states).rev() {
            inverse.apply(&mut now).unwrap();
            prop_assert_eq!(&now.strips, &state.strips);
            prop_assert_eq!(&now.sections, &state.sections);
            prop_assert_eq!(now.tempo_bpm, state.tempo_bpm);
            prop_assert_eq!(&now.notebook, &state.notebook);
        }
        for (applied, _) in &inverses {
            applied.apply(&mut now).unwrap();
        }
        prop_assert_eq!(&now.strips, &after.strips);
    }

    /// Two windows that change different things: both changes are kept, whichever came first.
    #[test]
    fn values_that_meet_apart_end_the_same_in_either_order(one in any_value(), other in any_value()) {
        let (forth, made) = after(&[&one, &other]);
        let (back, made_back) = after(&[&other, &one]);
        let apart = one.meets(&other) == Meeting::Apart && other.meets(&one) == Meeting::Apart;
        if apart {
            prop_assert_eq!(made, made_back);
            prop_assert_eq!(&forth.strips, &back.strips);
            prop_assert_eq!(forth.tempo_bpm, back.tempo_bpm);
        }
    }

    /// What ends differently by the order in which it came is never passed over in silence.
    #[test]
    fn a_change_that_is_lost_to_a_later_one_is_said(one in any_value(), other in any_value()) {
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
        edits in prop::collection::vec(any_edit(), 1..4),
        other in any_edit(),
    ) {
        let gravest = edits.iter().map(|edit| edit.meets(&other)).max();
        prop_assert_eq!(Some(Edit::Several { edits }.meets(&other)), gravest);
    }

    #[test]
    fn documents_survive_json(edits in prop::collection::vec(any_change(), 1..20)) {
        let mut s = session();
        for edit in &edits {
            let _ = edit.apply(&mut s);
        }
        prop_assert_eq!(Session::from_json(&s.to_json()).unwrap(), s);
    }
}

proptest! {
    /// Whatever is edited: what changes with the song names values, sections and sends that are there.
    #[test]
    fn nothing_that_changes_with_the_song_is_orphaned(edits in prop::collection::vec(
        prop_oneof![2 => any_change(), 3 => any_change_over_time()], 1..40,
    )) {
        let mut s = session();
        Edit::SetSections { sections: vec![Section { id: 30, name: "A".into(), start: 0, end: 2000 }] }.apply(&mut s).unwrap();
        for edit in &edits {
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
    Edit::SetLane { strip: 4, unit: 0, param: "level_db".into(), points }.apply(&mut s).unwrap();
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
        points: json!([{"at": 0, "value": hz}]),
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
    Edit::AddRow { strip: 4, unit, list: "bands".into(), at: 1, row: json!({}) }.apply(&mut s).unwrap();
    assert_eq!(params(&s), ["bands[0].freq_hz", "bands[2].freq_hz"]);
}

#[test]
fn a_section_that_goes_takes_its_values_along_and_brings_them_back() {
    let mut s = session();
    let section = Section { id: 70, name: "Bridge".into(), start: 0, end: 100 };
    Edit::AddSection { section }.apply(&mut s).unwrap();
    Edit::SetHere { strip: 4, unit: 0, param: "pan".into(), section: 70, value: Some(json!(0.5)) }
        .apply(&mut s)
        .unwrap();
    let before = s.clone();
    let (_, inverse) = Edit::RemoveSection { section: 70 }.apply(&mut s).unwrap();
    assert!(s.strip(4).unwrap().courses.is_empty());
    inverse.apply(&mut s).unwrap();
    assert_eq!(s, before);
    let gone = Edit::SetHere { strip: 4, unit: 0, param: "pan".into(), section: 99, value: Some(json!(0.5)) };
    assert!(gone.apply(&mut s).unwrap_err().to_string().contains("not there any more"));
}

#[test]
fn a_circle_is_refused_with_its_path_and_nothing_changes() {
    let mut s = session();
    let (bus, room, lead) = (2, 3, 4);
    let send = |to| vec![Send { to, level_db: -6.0, before_fader: false }];
    Edit::SetSends { strip: bus, sends: send(room) }.apply(&mut s).unwrap();
    let before = s.clone();
    let circle = Edit::SetFeeds { strip: room, to: bus }.apply(&mut s).unwrap_err().to_string();
    assert!(circle.contains("Guitars > Room > Guitars") || circle.contains("Room > Guitars > Room"), "{circle}");
    let keyed = json!({"kind": "compressor", "key": {"strip": bus}});
    let circle = Edit::AddUnit { strip: lead, at: 0, unit: keyed }.apply(&mut s).unwrap_err().to_string();
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
            Edit::SetSends { strip: 4, sends: vec![Send { to: 1, level_db: 0.0, before_fader: false }] },
            "buses and returns only",
        ),
        (
            Edit::AddUnit { strip: 4, at: 0, unit: json!({"kind": "compressor", "key": "outside"}) },
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
    let set = |param: &str, value: f64| Edit::SetParam { strip: track, unit, param: param.into(), value: json!(value) };
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
    let level = |value: f64| Edit::SetControl { strip: 2, control: "level_db".into(), value: json!(value) };
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
    Edit::AddStrip { at: 0, strip: lead }.apply(&mut s).unwrap();
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
    Edit::AddUnit { strip: 4, at: 0, unit }.apply(&mut s).unwrap();
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
    let (done, back) = Edit::SetUnit { strip: 4, unit: moved.clone() }.apply(&mut s).unwrap();
    assert_eq!((gains(&s, 4, 0), gains(&s, 2, 0)), (vec![6.0, -5.0], vec![6.0, 5.0]));
    assert_eq!(done.touches(), Touch::Everything);
    back.apply(&mut s).unwrap();
    assert_eq!(s, before);
    // Both are one step of a drag.
    let (again, _) = Edit::SetUnit { strip: 4, unit: moved }.apply(&mut s).unwrap();
    assert!(done.same_target(&again));
}

#[test]
fn a_follower_keeps_to_its_source_until_the_link_is_broken() {
    let (mut s, eq) = with_eq();
    Edit::CopyUnit { strip: 4, unit: eq, to: 2, linked: true, mirrored: vec![] }.apply(&mut s).unwrap();
    let mut follower = s.strip(2).unwrap().rack.units[0].to_json();
    follower["params"]["bands"][0]["gain_db"] = json!(-9);
    Edit::SetUnit { strip: 2, unit: follower.clone() }.apply(&mut s).unwrap();
    assert_eq!(gains(&s, 2, 0), [4.0, -2.5]);
    follower.as_object_mut().unwrap().remove("follows");
    Edit::SetUnit { strip: 2, unit: follower }.apply(&mut s).unwrap();
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
        let edit = Edit::SetControl { strip: 2, control: "level_db".into(), value: json!(value) };
        let text = serde_json::to_string(&edit).unwrap();
        prop_assert_eq!(serde_json::from_str::<Edit>(&text).unwrap(), edit);
    }
}
