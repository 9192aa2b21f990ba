//! Sound that never breaks: whatever is done while it plays, what is heard has no gap and no
//! step. One regression test for each fault found, then a storm of actions.
#![allow(missing_docs, clippy::expect_used, clippy::unwrap_used)] // a test may say what must hold by failing

mod common;

use common::page::{Page, printed};
use common::units::unit;
use serde_json::{Value, json};
use zinc_core::live::player::Side;
use zinc_core::rack::UnitSpec;
use zinc_core::render::Plan;
use zinc_core::session::{AudioRef, AuxSend, Change, Edit, Family, Reference, Role, Session};
use zinc_core::signal::BLOCK;

const RATE: usize = 48_000;
const SONG: usize = 20 * RATE;
/// Radians per frame of the tone that every track plays: 437 Hz.
const STEP: f64 = std::f64::consts::TAU * 437.0 / RATE as f64;
const LEVEL: f64 = 0.25;

fn tone(_strip: u32, frame: usize) -> f32 {
    (LEVEL * (STEP * frame as f64).sin()) as f32
}

/// Two tracks into a bus, which feeds the main; a return beside them.
const TRACK: u32 = 4;
const BUS: u32 = 2;
const ROOM: u32 = 3;

fn session() -> Session {
    let mut s = Session::new("unbroken", RATE as u32);
    let bus = s.add_strip("Bus", Family::Gt, Role::Bus, 1);
    s.add_strip("Room", Family::Fx, Role::Return, 1);
    for name in ["One", "Two"] {
        let audio = AudioRef { hash: name.into(), channels: 1, frames: SONG as u64, start: 0, stamp: None };
        s.add_strip(name, Family::Gt, Role::Track(audio), bus);
    }
    s
}

fn with_unit(s: &mut Session, strip: u32, kind: &str, params: &Value) -> u32 {
    s.add_unit(strip, unit(kind, params));
    s.strip(strip).and_then(|s| s.rack.units.last()).map(|u: &UnitSpec| u.id).expect("just added")
}

fn set(strip: u32, id: u32, kind: &str, params: &Value) -> Edit {
    Edit::SetUnit { strip, unit: serde_json::from_value(json!({"id": id, "kind": kind, "params": params})).unwrap() }
}

/// The largest step from frame to frame, and the softest stretch of 5 ms as a share of full
/// swing of the loudest.
fn step_and_gap(out: &[f32]) -> (f64, f64) {
    let step = out.windows(2).map(|w| f64::from((w[1] - w[0]).abs())).fold(0.0, f64::max);
    let loudest = out.iter().fold(0.0f64, |m, x| m.max(f64::from(x.abs())));
    let softest = out
        .chunks_exact(RATE / 200)
        .map(|c| c.iter().fold(0.0f64, |m, x| m.max(f64::from(x.abs()))))
        .fold(f64::INFINITY, f64::min);
    (step, softest / loudest)
}

/// Holds a stretch in which the level does not change to being one unbroken tone.
fn assert_unbroken(out: &[f32], amplitude: f64, what: &str) {
    let (step, gap) = step_and_gap(out);
    assert!(step < 1.02 * STEP * amplitude, "{what}: a step of {step}, of the tone {}", STEP * amplitude);
    // 5 ms hold two periods: each stretch reaches the full swing.
    assert!(gap > 0.98, "{what}: falls to {gap} of its level");
}

#[test]
fn linear_phase_chosen_while_the_mix_plays_cuts_nothing_and_moves_nothing() {
    let mut s = session();
    let eq = with_unit(&mut s, TRACK, "surgical-eq", &json!({}));
    for strip in [TRACK, 0] {
        let mut page = Page::open(s.clone(), strip, tone);
        page.player.play();
        let mut out = page.play(400);
        page.edit(&set(TRACK, eq, "surgical-eq", &json!({"phase": "linear"})));
        out.extend(page.play(600));
        page.edit(&set(TRACK, eq, "surgical-eq", &json!({"phase": "minimum"})));
        out.extend(page.play(600));
        assert_unbroken(&out[2 * BLOCK..], 2.0 * LEVEL, &format!("on the page of strip {strip}"));
    }
}

#[test]
fn a_lookahead_dragged_while_it_plays_is_one_tone() {
    let mut s = session();
    let late = |ms: f64| json!({"ratio": 1, "lookahead_ms": ms});
    let compressor = with_unit(&mut s, TRACK, "compressor", &late(0.0));
    let mut page = Page::open(s, TRACK, tone);
    page.player.play();
    let mut out = page.play(400);
    for n in 0..60 {
        page.edit(&set(TRACK, compressor, "compressor", &late(f64::from(n % 20) / 2.0)));
        out.extend(page.play(6));
    }
    out.extend(page.play(300));
    assert_unbroken(&out[2 * BLOCK..], 2.0 * LEVEL, "a drag");
    let now = page.player.heard_at();
    assert!(now > 0 && now < SONG as u64);
}

#[test]
fn another_mix_is_not_heard_before_its_late_units_are_full() {
    let mut s = session();
    with_unit(&mut s, BUS, "drawn-eq", &json!({}));
    with_unit(&mut s, BUS, "drawn-eq", &json!({}));
    let mut page = Page::open(s, TRACK, tone);
    page.player.play();
    let mut out = page.play(500);
    page.edit(&Edit::SetSends {
        strip: TRACK,
        sends: vec![AuxSend { to: ROOM, level_db: -90.0, before_fader: false }],
    });
    out.extend(page.play(800));
    let latency = page.session.strip(BUS).unwrap().rack.latency(RATE as f64);
    assert_unbroken(&out[latency + 2 * BLOCK..], 2.0 * LEVEL, "a send added beside late units");
}

#[test]
fn a_stop_fades_what_is_heard_and_playing_goes_on_from_where_the_ear_was() {
    let mut s = session();
    with_unit(&mut s, TRACK, "drawn-eq", &json!({}));
    let mut page = Page::open(s, TRACK, tone);
    page.player.play();
    let mut out = page.play(500);
    let heard = page.player.heard_at();
    page.player.stop();
    out.extend(page.play(6));
    let (step, _) = step_and_gap(&out[RATE / 2..]);
    assert!(step < 1.1 * STEP * 2.0 * LEVEL + 2.0 * LEVEL / 256.0, "a step of {step}");
    assert_eq!(out.last(), Some(&0.0), "silent after the fade");
    assert!(!page.player.is_playing());
    assert!(page.player.heard_at().abs_diff(heard) <= 2 * BLOCK as u64, "stands where it was heard");
}

#[test]
fn playing_goes_on_after_a_stop_taken_back_without_a_step() {
    let mut page = Page::open(session(), TRACK, tone);
    page.player.play();
    let mut out = page.play(100);
    page.player.stop();
    out.extend(page.play(1));
    page.player.play();
    out.extend(page.play(50));
    let (step, _) = step_and_gap(&out);
    assert!(step < STEP * 2.0 * LEVEL + 2.0 * LEVEL / 100.0, "a step of {step}");
    assert!(page.player.is_playing());
}

#[test]
fn what_is_inside_late_units_is_played_to_the_end_as_it_is_printed() {
    let mut s = session();
    with_unit(&mut s, BUS, "drawn-eq", &json!({"points": [{"freq_hz": 400, "gain_db": 3}]}));
    let print = printed(&s, &Plan::desk(&s), tone);
    assert!(print.len() > SONG, "the kernel rings beyond the song");
    let mut page = Page::open(s, 0, tone);
    page.player.seek((SONG - RATE) as u64);
    page.player.play();
    let latency = page.session.strip(BUS).unwrap().rack.latency(RATE as f64);
    let out = page.play((RATE + latency + print.len() - SONG) / BLOCK + 2);
    // Half a second into it, the start of playing has rung out.
    for n in RATE / 2..RATE + print.len() - SONG {
        let (heard, want) = (out[latency + n], print[SONG - RATE + n][0]);
        assert!((heard - want).abs() < 2e-5, "{n}: {heard} and {want}");
    }
    assert!(!page.player.is_playing(), "and then it stops");
}

#[test]
fn a_mix_that_starves_gives_way_to_one_that_has_its_sound() {
    let mut page = Page::open(session(), TRACK, tone);
    page.player.play();
    page.play(50);
    // All that it reads is lost, and another mix with sound of its own is there.
    page.edit(&Edit::SetControl { strip: 5, control: "inverted".into(), value: true.into() });
    for store in 0..2 {
        (0..40).for_each(|index| page.player.drop_chunk(store, index));
    }
    page.edit(&Edit::SetControl { strip: TRACK, control: "level_db".into(), value: (-3).into() });
    page.load_anew();
    let out = page.play(200);
    assert!(out[150 * BLOCK..].iter().any(|x| x.abs() > 0.01), "plays on");
}

#[test]
fn a_stop_completes_though_no_sound_arrives() {
    let mut page = Page::open(session(), TRACK, tone);
    page.player.play();
    page.play(50);
    for store in 0..2 {
        (0..40).for_each(|index| page.player.drop_chunk(store, index));
    }
    page.play(20);
    assert!(page.player.is_playing(), "it waits");
    page.player.stop();
    page.play(2);
    assert!(!page.player.is_playing());
}

#[test]
fn sound_that_runs_short_fades_out_and_in() {
    let mut page = Page::open(session(), TRACK, tone);
    for store in 0..2 {
        (1..40).for_each(|index| page.player.drop_chunk(store, index));
    }
    page.player.play();
    let mut out = page.play(400);
    assert!(out[360 * BLOCK..].iter().all(|x| *x == 0.0), "waits for what is missing");
    page.put_back();
    out.extend(page.play(100));
    let (step, _) = step_and_gap(&out);
    assert!(step < STEP * 2.0 * LEVEL + 2.0 * LEVEL / BLOCK as f64, "a step of {step}");
    assert!(out[450 * BLOCK..].iter().any(|x| x.abs() > 0.4), "and plays on");
}

#[test]
fn a_comparison_changed_while_a_mix_is_prepared_is_that_of_the_new_mix_too() {
    let mut s = session();
    let eq = with_unit(&mut s, TRACK, "surgical-eq", &json!({"bands": [{"freq_hz": 437, "gain_db": 6, "q": 1}]}));
    let mut page = Page::open(s, TRACK, tone);
    page.reference = Some(Reference { changes: vec![Change::RowHeard { strip: TRACK, unit: eq, row: 0 }] });
    page.load();
    page.player.play();
    page.play(100);
    // A mix is prepared while the band is held; then the untouched side is asked for.
    page.edit(&Edit::SetSends {
        strip: TRACK,
        sends: vec![AuxSend { to: ROOM, level_db: -90.0, before_fader: false }],
    });
    page.compare(Reference { changes: vec![Change::RackOff { strip: TRACK }] });
    page.player.listen(Side::Other);
    page.play(400);
    let out = page.play(100);
    let loudest = out.iter().fold(0.0f32, |m, x| m.max(x.abs()));
    assert!((f64::from(loudest) - 2.0 * LEVEL).abs() < 0.01, "the untouched side, at {loudest}");
}

#[test]
fn listening_to_a_band_is_as_loud_as_its_region_though_auto_level_is_on() {
    let mut s = session();
    let eq = with_unit(
        &mut s,
        TRACK,
        "surgical-eq",
        &json!({"auto_level": true, "bands": [{"freq_hz": 6000, "gain_db": 3, "q": 4}]}),
    );
    let mut page = Page::open(s, TRACK, tone);
    page.reference = Some(Reference { changes: vec![Change::RowHeard { strip: TRACK, unit: eq, row: 0 }] });
    page.load();
    page.player.hear_only(Some(vec![TRACK]));
    page.player.listen(Side::Other);
    page.player.play();
    let out = page.play(2000);
    let loudest = out[1000 * BLOCK..].iter().fold(0.0f32, |m, x| m.max(x.abs()));
    assert!(loudest < 0.02, "what a band far away leaves of the tone is soft, not {loudest}");
}

#[test]
fn a_unit_added_beside_a_compressor_leaves_its_state_alone() {
    // Deep reduction with a release of four seconds: begun anew it would take its time to come
    // back, and the level would jump by its depth meanwhile.
    let mut s = session();
    let deep = json!({"threshold_db": -60, "ratio": "inf", "knee_db": 0, "attack_ms": 300, "release_ms": 4000});
    with_unit(&mut s, TRACK, "compressor", &deep);
    let mut page = Page::open(s, TRACK, tone);
    page.player.hear_only(Some(vec![TRACK]));
    page.player.play();
    page.play(1500);
    let settled = page.play(100).iter().fold(0.0f32, |m, x| m.max(x.abs()));
    page.edit(&Edit::AddUnit { strip: TRACK, at: 0, unit: serde_json::from_value(json!({"kind": "width"})).unwrap() });
    let after = page.play(400).iter().fold(0.0f32, |m, x| m.max(x.abs()));
    assert!(after < 1.05 * settled, "{settled} before and {after} after");
    page.edit(&Edit::SetSends {
        strip: TRACK,
        sends: vec![AuxSend { to: ROOM, level_db: -90.0, before_fader: false }],
    });
    let after = page.play(400).iter().fold(0.0f32, |m, x| m.max(x.abs()));
    assert!(after < 1.05 * settled, "{settled} before and {after} after another path");
}

#[test]
fn a_loop_keeps_what_rings_from_its_end() {
    // Sound only at the end of the loop; a narrow band rings on into its beginning.
    fn click(_: u32, frame: usize) -> f32 {
        if frame == 11_900 { 1.0 } else { 0.0 }
    }
    let mut s = session();
    with_unit(&mut s, TRACK, "surgical-eq", &json!({"bands": [{"freq_hz": 200, "gain_db": 24, "q": 20}]}));
    let mut page = Page::open(s, TRACK, click);
    page.player.set_loop(Some((0, 12_000)));
    page.player.play();
    let out = page.play(2 * 12_000 / BLOCK);
    let beginning = out[12_600..14_000].iter().fold(0.0f32, |m, x| m.max(x.abs()));
    assert!(beginning > 0.002, "{beginning}");
}

/// A number from a seed, in a row.
struct Dice(u32);

impl Dice {
    fn roll(&mut self, sides: u32) -> u32 {
        self.0 = self.0.wrapping_mul(1_664_525).wrapping_add(1_013_904_223);
        (self.0 >> 8) % sides
    }
}

/// Any action that leaves the level of the tone where it is.
fn act(page: &mut Page, dice: &mut Dice) {
    let strips = [1, BUS, ROOM, TRACK, 5];
    let strip = strips[dice.roll(5) as usize];
    let rack = page.session.strip(strip).expect("there").rack.clone();
    let pick = |dice: &mut Dice| {
        (!rack.units.is_empty()).then(|| rack.units[dice.roll(rack.units.len() as u32) as usize].clone())
    };
    match dice.roll(9) {
        0 if rack.units.len() < 4 => {
            let fresh = [
                json!({"kind": "surgical-eq"}),
                json!({"kind": "surgical-eq", "params": {"phase": "linear"}}),
                json!({"kind": "compressor", "params": {"ratio": 1, "lookahead_ms": 3}}),
                json!({"kind": "width", "params": {"centre_below_hz": 10}}),
                json!({"kind": "drawn-eq"}),
            ];
            let unit = fresh[dice.roll(5) as usize].clone();
            page.edit(&Edit::AddUnit { strip, at: dice.roll(3) as usize, unit: serde_json::from_value(unit).unwrap() });
        }
        1 => {
            if let Some(unit) = pick(dice) {
                page.edit(&Edit::RemoveUnit { strip, unit: unit.id });
            }
        }
        2 => {
            if let Some(unit) = pick(dice) {
                page.edit(&Edit::MoveUnit { strip, unit: unit.id, to: dice.roll(4) as usize });
            }
        }
        3 | 4 => {
            if let Some(unit) = pick(dice) {
                let mut json = unit.to_json();
                json["on"] = json!(!unit.is_on());
                page.edit(&Edit::SetUnit { strip, unit: serde_json::from_value(json).unwrap() });
            }
        }
        5 => {
            if let Some(mut unit) = pick(dice) {
                let phase = if dice.roll(2) == 0 { "linear" } else { "minimum" };
                if unit.set("phase", &phase.into()).is_ok()
                    || unit.set("lookahead_ms", &serde_json::from_value(json!(dice.roll(10))).unwrap()).is_ok()
                {
                    page.edit(&Edit::SetUnit { strip, unit: serde_json::from_value(unit.to_json()).unwrap() });
                }
            }
        }
        6 if strip != 1 && strip != ROOM => {
            let open = page.session.strip(strip).expect("there").sends.is_empty();
            let send = AuxSend { to: ROOM, level_db: -90.0, before_fader: dice.roll(2) == 0 };
            page.edit(&Edit::SetSends { strip, sends: if open { vec![send] } else { Vec::new() } });
        }
        7 => page.compare(Reference { changes: vec![Change::RackOff { strip }] }),
        _ => page.player.listen(if dice.roll(2) == 0 { Side::Other } else { Side::Worked }),
    }
}

#[test]
fn two_hundred_actions_while_a_tone_plays_leave_it_one_tone() {
    for (view, seed) in [(TRACK, 1), (0, 2), (BUS, 3)] {
        let mut dice = Dice(seed);
        let mut page = Page::open(session(), view, tone);
        page.player.set_loop(None);
        page.player.play();
        let mut out = page.play(50);
        for _ in 0..200 {
            act(&mut page, &mut dice);
            let blocks = 1 + dice.roll(24) as usize;
            out.extend(page.play(blocks));
        }
        out.extend(page.play(500));
        assert!(page.player.is_playing(), "the song is long enough for all of it");
        // All units are idle by their settings. A linear phase kernel keeps the tone within its
        // rounding, sides of one level are one tone.
        assert_unbroken(&out[4 * BLOCK..], 2.0 * LEVEL, &format!("view {view}"));
    }
}
