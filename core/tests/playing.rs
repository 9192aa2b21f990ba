//! The player: what arrives is played, holes are waited for, loops and edits are heard.
#![allow(missing_docs, clippy::expect_used, clippy::unwrap_used)] // a test may say what must hold by failing

use serde_json::json;
use zinc_core::live::meters::SCOPE;
use zinc_core::live::player::Side;
use zinc_core::live::setup::Setup;
use zinc_core::live::store::CHUNK;
use zinc_core::live::{Player, Report};
use zinc_core::rack::UnitSpec;
use zinc_core::render::View;
use zinc_core::session::{AudioRef, Change, Edit, Family, Reference, Role, Session};
use zinc_core::signal::{BLOCK, StereoBlock};

const FRAMES: usize = 3 * CHUNK;

/// One track straight into the main, with an empty EQ; a second one beside it.
fn session() -> (Session, u32, u32) {
    let mut s = Session::new("playing", 48_000);
    let audio = AudioRef { hash: "x".into(), channels: 1, frames: FRAMES as u64, start: 0, stamp: None };
    let track = s.add_strip("Track", Family::Bs, Role::Track(audio.clone()), 1);
    s.add_unit(track, UnitSpec::from_json(&json!({"kind": "surgical-eq"}), 1).expect("valid"));
    let other = s.add_strip("Other", Family::Gt, Role::Track(audio), 1);
    (s, track, other)
}

/// The Bench of the track: lane 0 is its audio, lane 1 the print of the rest.
fn setup(reference: Option<Reference>) -> Setup {
    let (session, track, _) = session();
    let view = View { strip: track, with: Vec::new() };
    Setup { session, view, reference, lanes: vec![0, 1], reference_lanes: vec![0, 1] }
}

/// A player whose second lane is silent.
fn player_of(setup: Setup) -> Player {
    let mut player = Player::new(setup).expect("the strip is there");
    player.set_store(0, 1, FRAMES as u64, 0);
    player.set_store(1, 1, 0, 0);
    player
}

fn player() -> (Player, u32) {
    (player_of(setup(None)), session().1)
}

/// Chunk `index`: every sample tells its own frame.
fn chunk(index: usize) -> Vec<f32> {
    (0..CHUNK).map(|i| (index * CHUNK + i) as f32 / FRAMES as f32).collect()
}

fn play_blocks(player: &mut Player, blocks: usize) -> Vec<f32> {
    let mut out = Vec::new();
    for _ in 0..blocks {
        let mut block = StereoBlock::default();
        player.process(&mut block);
        out.extend(block.left);
    }
    out
}

#[test]
fn what_arrived_is_played_sample_for_sample() {
    let (mut player, _) = player();
    (0..3).for_each(|i| player.put_chunk(0, i, &chunk(i)));
    player.play();
    let out = play_blocks(&mut player, FRAMES / BLOCK + 3);
    for (n, x) in out.iter().enumerate() {
        let want = if n < FRAMES { n as f32 / FRAMES as f32 } else { 0.0 };
        assert_eq!(*x, want, "frame {n}");
    }
    assert!(!player.is_playing(), "stops at the end");
}

#[test]
fn a_hole_is_waited_for_and_then_played_on_without_a_loss() {
    let (mut player, _) = player();
    player.put_chunk(0, 0, &chunk(0));
    player.play();
    let first = play_blocks(&mut player, 400);
    let reached = player.heard_at() as usize;
    assert!((CHUNK - 4 * BLOCK..CHUNK).contains(&reached), "waits before the hole, at {reached}");
    assert!(first[reached..].iter().all(|x| *x == 0.0));
    let mut report = Report::default();
    player.report(&mut report);
    assert!(report.starved > 0, "the report says that sound is missing");
    player.put_chunk(0, 1, &chunk(1));
    let back = play_blocks(&mut player, 2);
    let step = |w: &[f32]| (w[1] - w[0]).abs();
    assert!(
        back.windows(2).chain(first.windows(2)).map(step).all(|s| s < 2.0 / BLOCK as f32),
        "out and in without a step"
    );
    assert_eq!(back[BLOCK], (reached + BLOCK) as f32 / FRAMES as f32);
}

#[test]
fn a_loop_needs_no_silence_and_a_stop_fades() {
    let (mut player, _) = player();
    (0..3).for_each(|i| player.put_chunk(0, i, &[0.5; CHUNK]));
    player.set_loop(Some((1000, 9000)));
    player.seek(1000);
    player.play();
    let out = play_blocks(&mut player, 300);
    assert!(out[300..].iter().all(|x| (x - 0.5).abs() < 1e-6), "steady sound stays steady across the seam");
    assert!((1000..=9000).contains(&player.heard_at()));
    player.stop();
    let tail = play_blocks(&mut player, 4);
    assert!(tail.windows(2).all(|w| w[0] - w[1] < 0.01 && w[1] <= w[0] + 1e-6), "falls evenly");
    assert_eq!(tail.last(), Some(&0.0));
}

#[test]
fn an_edit_is_heard_and_a_refused_one_changes_nothing() {
    let (mut player, track) = player();
    (0..3).for_each(|i| player.put_chunk(0, i, &[0.25; CHUNK]));
    player.play();
    play_blocks(&mut player, 10);
    let level = |value: f64| Edit::SetControl { strip: track, control: "level_db".into(), value: value.into() };
    player.edit(&level(-6.0)).expect("in range");
    let out = play_blocks(&mut player, 10);
    assert!((out.last().copied().unwrap_or(0.0) - 0.25 * 0.501_187).abs() < 1e-5);
    assert!(out.windows(2).all(|w| (w[0] - w[1]).abs() < 0.001), "glides");
    assert!(player.edit(&level(99.0)).is_err());
    let after = play_blocks(&mut player, 2);
    assert!((after[200] - 0.25 * 0.501_187).abs() < 1e-5);
    // 50 ms are 18 blocks: the move was complete within 10.
}

#[test]
fn a_report_holds_what_it_documents() {
    let (mut player, track) = player();
    (0..3).for_each(|i| player.put_chunk(0, i, &[0.5; CHUNK]));
    player.play();
    play_blocks(&mut player, 12);
    let mut report = Report::default();
    player.report(&mut report);
    assert_eq!(report.position, (12 * BLOCK) as u64);
    assert!(report.playing);
    assert!((report.peak + 6.02).abs() < 0.01, "peak in dBFS");
    assert_eq!((report.side, report.changing), (0, false), "the session is heard, nothing is changing over");
    assert!(report.width < -100.0, "a mono track has no width");
    assert_eq!(report.trace.len(), 12, "one figure a block");
    let fader = report.peaks.chunks(2).find(|pair| pair[0] == track as f32);
    assert_eq!(fader.map(|pair| pair[1]), Some(0.5));
    assert_eq!((report.before.len(), report.after.len()), (SCOPE, SCOPE));
    assert_eq!(report.after.last(), Some(&0.5), "the scope ends with the last sample");
}

#[test]
fn alone_leaves_the_rest_out() {
    let (mut player, track) = player();
    player.set_store(1, 2, FRAMES as u64, 0);
    (0..3).for_each(|i| {
        player.put_chunk(0, i, &[0.25; CHUNK]);
        player.put_chunk(1, i, &[0.125; 2 * CHUNK]);
    });
    player.play();
    assert!((play_blocks(&mut player, 2)[100] - 0.375).abs() < 1e-6);
    player.hear_only(Some(vec![track]));
    assert!((play_blocks(&mut player, 10)[1200] - 0.25).abs() < 1e-6);
    player.hear_only(None);
    assert!((play_blocks(&mut player, 10)[1200] - 0.375).abs() < 1e-6);
}

/// The other side: the track 6 dB softer.
fn softer() -> Reference {
    Reference { changes: vec![Change::Level { strip: session().1, db: -6.0 }] }
}

fn last(player: &mut Player, blocks: usize) -> f32 {
    play_blocks(player, blocks).last().copied().expect("blocks were played")
}

#[test]
fn each_side_and_the_difference_are_heard_as_named() {
    let mut player = player_of(setup(Some(softer())));
    (0..3).for_each(|i| player.put_chunk(0, i, &[0.5; CHUNK]));
    player.play();
    let soft = 0.5 * 0.501_187;
    assert!((last(&mut player, 10) - 0.5).abs() < 1e-5);
    player.listen(Side::Other);
    assert!((last(&mut player, 10) - soft).abs() < 1e-5);
    player.listen(Side::Difference);
    assert!((last(&mut player, 10) - (0.5 - soft)).abs() < 1e-5);
    let louder = Reference { changes: vec![Change::Level { strip: session().1, db: 6.0 }] };
    assert!(player.compare(&louder), "the same mix at another level");
    player.listen(Side::Other);
    assert!((last(&mut player, 10) - 0.5 / 0.501_187).abs() < 1e-4);
}

#[test]
fn sides_alternate_by_themselves_with_the_passes_of_a_loop() {
    let mut player = player_of(setup(Some(softer())));
    (0..3).for_each(|i| player.put_chunk(0, i, &[0.5; CHUNK]));
    player.set_loop(Some((0, 40 * BLOCK as u64)));
    player.alternate(2);
    player.play();
    let out = play_blocks(&mut player, 200);
    let soft = 0.5 * 0.501_187;
    // Two passes of 40 blocks each way; looked at in the middle of each pass.
    for (pass, want) in [0.5, 0.5, soft, soft, 0.5].into_iter().enumerate() {
        assert!((out[(pass * 40 + 20) * BLOCK] - want).abs() < 1e-5, "pass {pass}");
    }
}

#[test]
fn another_mix_takes_over_while_playing_without_a_gap_or_a_step() {
    let (mut player, track) = player();
    (0..3).for_each(|i| player.put_chunk(0, i, &[0.5; CHUNK]));
    player.play();
    play_blocks(&mut player, 20);
    // The same track half as loud, from a store that has not arrived yet.
    let mut next = setup(None);
    next.session.strip_mut(track).expect("there").set_control("level_db", &(-6.0).into()).expect("in range");
    next.lanes = vec![2, 1];
    player.set_store(2, 1, FRAMES as u64, 0);
    player.change_to(next).expect("valid");
    let waiting = play_blocks(&mut player, 30);
    assert!(waiting.iter().all(|x| (x - 0.5).abs() < 1e-6), "plays on as it was while it waits");
    (0..3).for_each(|i| player.put_chunk(2, i, &[0.5; CHUNK]));
    let out = play_blocks(&mut player, 120);
    assert!(out.windows(2).all(|w| (w[0] - w[1]).abs() < 0.002), "fades over");
    assert!((out.last().copied().unwrap_or(0.0) - 0.5 * 0.501_187).abs() < 1e-5);
    player.catch_up();
    assert!((last(&mut player, 5) - 0.5 * 0.501_187).abs() < 1e-5, "what is still read is not given back");
}

#[test]
fn a_mix_asked_for_at_rest_is_what_plays_though_another_was_still_waiting_for_its_sound() {
    let (mut player, _) = player();
    (0..3).for_each(|i| player.put_chunk(0, i, &[0.5; CHUNK]));
    player.play();
    play_blocks(&mut player, 20);
    player.set_store(2, 1, FRAMES as u64, 0);
    player.change_to(Setup { lanes: vec![2, 1], ..setup(None) }).expect("valid");
    player.stop();
    play_blocks(&mut player, 5);
    player.set_store(3, 1, FRAMES as u64, 0);
    player.change_to(Setup { lanes: vec![3, 1], ..setup(None) }).expect("valid");
    for (store, value) in [(2, 0.125), (3, 0.25)] {
        (0..3).for_each(|i| player.put_chunk(store, i, &[value; CHUNK]));
    }
    player.catch_up();
    player.play();
    assert_eq!(last(&mut player, 20), 0.25);
}

#[test]
fn an_edit_of_the_paths_says_that_another_mix_is_needed() {
    let (mut s, track, _) = session();
    let room = s.add_strip("Room", Family::Fx, Role::Return, 1);
    let view = View { strip: track, with: Vec::new() };
    let mut player =
        Player::new(Setup { session: s, view, reference: None, lanes: vec![0, 1], reference_lanes: Vec::new() })
            .expect("valid");
    let level = Edit::SetControl { strip: track, control: "level_db".into(), value: (-6).into() };
    assert!(player.edit(&level).expect("valid"), "a fader keeps the shape");
    let send = zinc_core::session::AuxSend { to: room, level_db: 0.0, before_fader: false };
    let sends = Edit::SetSends { strip: track, sends: vec![send] };
    assert!(!player.edit(&sends).expect("valid"), "a new send does not");
}

#[test]
fn the_report_ends_with_the_movement_of_each_band_of_the_watched_unit() {
    let (mut session, track) = (Session::new("moves", 48_000), 2);
    let audio = AudioRef { hash: "ab".into(), channels: 1, frames: CHUNK as u64, start: 0, stamp: None };
    session.add_strip("Bass", Family::Bs, Role::Track(audio), 1);
    let dynamic = json!({"threshold_db": -40, "ratio": 100, "range_db": 4, "attack_ms": 0});
    let bands = json!([{"freq_hz": 100, "gain_db": 3}, {"freq_hz": 1000, "gain_db": -1, "q": 1, "dynamic": dynamic}]);
    let unit = json!({"kind": "surgical-eq", "params": {"bands": bands}});
    session.add_unit(track, UnitSpec::from_json(&unit, 1).expect("valid"));
    let setup = Setup {
        session,
        view: View { strip: track, with: Vec::new() },
        reference: None,
        lanes: vec![0],
        reference_lanes: Vec::new(),
    };
    let mut player = Player::new(setup).expect("a valid setup");
    player.set_store(0, 1, CHUNK as u64, 0);
    let tone: Vec<f32> =
        (0..CHUNK).map(|i| (0.5 * (std::f64::consts::TAU * 1000.0 * i as f64 / 48_000.0).sin()) as f32).collect();
    player.put_chunk(0, 0, &tone);
    player.play();
    let mut block = StereoBlock::default();
    (0..40).for_each(|_| player.process(&mut block));
    let mut report = Report::default();
    player.report(&mut report);
    let moves = &report.moves;
    assert_eq!(moves[0], 0.0, "a band without dynamics stands still");
    assert!((moves[1] + 4.0).abs() < 0.01, "moved by {}", moves[1]);
}

/// A tone of 0.5 (-6.02 dBFS peak) through a compressor of 2:1 over -26.02 dBFS and a trim of 3 dB, then one switched off.
fn rack_at_work() -> Player {
    let (mut session, track) = (Session::new("wire", 48_000), 2);
    let audio = AudioRef { hash: "ab".into(), channels: 1, frames: FRAMES as u64, start: 0, stamp: None };
    session.add_strip("Bass", Family::Bs, Role::Track(audio), 1);
    let params = json!({"threshold_db": -26.0206, "ratio": 2, "knee_db": 0, "attack_ms": 0.1, "release_ms": 4000,
        "detect": "peak", "makeup_db": 0});
    let units = [
        json!({"kind": "compressor", "trim_db": 3, "params": params}),
        json!({"kind": "compressor", "on": false, "params": params}),
    ];
    units.iter().for_each(|unit| {
        session.add_unit(track, UnitSpec::from_json(unit, 1).expect("valid"));
    });
    let view = View { strip: track, with: Vec::new() };
    let setup = Setup { session, view, reference: None, lanes: vec![0], reference_lanes: Vec::new() };
    let mut player = player_of(setup);
    let sample = |i: usize| (0.5 * (std::f64::consts::TAU * 1000.0 * i as f64 / 48_000.0).sin()) as f32;
    for n in 0..3 {
        player.put_chunk(0, n, &(n * CHUNK..(n + 1) * CHUNK).map(sample).collect::<Vec<f32>>());
    }
    player
}

#[test]
fn the_report_says_level_and_reduction_at_every_station_of_the_rack_in_hand_and_loudness_at_both_ends() {
    let mut player = rack_at_work();
    let (mut report, mut block) = (Report::default(), StereoBlock::default());
    player.play();
    (0..200).for_each(|_| player.process(&mut block));
    player.report(&mut report);
    // Settled by now: of 20 dB over the threshold 10 are taken, 3 given back.
    (0..200).for_each(|_| player.process(&mut block));
    player.report(&mut report);
    let near = |found: &[f32], wanted: &[f32]| {
        found.len() == wanted.len() && found.iter().zip(wanted).all(|(f, w)| (f - w).abs() < 0.2)
    };
    assert!(near(&report.levels, &[-6.02, -13.02, -13.02]), "{:?}", report.levels);
    assert!(near(&report.reductions, &[10.0, 0.0]), "{:?}", report.reductions);
    // A sine of 1 kHz on both sides is as loud in LUFS as its peak in dBFS.
    assert!(near(&[report.rack_in, report.rack_out], &[-6.02, -13.02]), "{} {}", report.rack_in, report.rack_out);
    // Each figure is of the time since the last report.
    player.report(&mut report);
    assert!(report.levels.iter().all(|level| *level < -150.0), "{:?}", report.levels);
    assert_eq!(report.reductions, [0.0, 0.0]);
}

#[test]
fn stations_that_come_and_go_are_told_of_at_once_and_nothing_is_told_of_those_that_are_gone() {
    let mut player = rack_at_work();
    let (mut report, mut block) = (Report::default(), StereoBlock::default());
    player.play();
    (0..50).for_each(|_| player.process(&mut block));
    let rack = zinc_core::rack::RackSpec { units: Vec::new() };
    player.edit(&Edit::ReplaceRack { strip: 2, rack }).expect("valid");
    player.catch_up();
    (0..400).for_each(|_| {
        player.process(&mut block);
        player.catch_up();
    });
    player.report(&mut report);
    assert_eq!((report.levels.len(), report.reductions.len()), (0, 0));
}
