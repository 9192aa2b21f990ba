//! The player: what arrives is played, holes are waited for, loops and edits are heard.
#![allow(missing_docs, clippy::expect_used, clippy::unwrap_used)] // a test may say what must hold by failing

use serde_json::json;
use zinc_core::live::Player;
use zinc_core::live::player::{SCOPE, View};
use zinc_core::live::store::CHUNK;
use zinc_core::rack::UnitSpec;
use zinc_core::session::{AudioRef, Edit, Family, Role, Session};
use zinc_core::signal::{BLOCK, StereoBlock};

const FRAMES: usize = 3 * CHUNK;

/// One track straight into the main, with an empty EQ.
fn player() -> (Player, u32) {
    let mut s = Session::new("playing", 48_000);
    let audio = AudioRef { hash: "x".into(), channels: 1, frames: FRAMES as u64 };
    let track = s.add_strip("Track", Family::Bs, Role::Track(audio), 1);
    s.add_unit(track, UnitSpec::from_json(&json!({"kind": "surgical-eq"}), 1).expect("valid"));
    let mut player = Player::new(s, View::Bench(track)).expect("the strip is there");
    player.set_source(0, 1, FRAMES as u64);
    player.set_source(1, 1, 0);
    (player, track)
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
    assert!(!player.transport().is_playing(), "stops at the end");
}

#[test]
fn a_hole_is_waited_for_and_then_played_on_without_a_loss() {
    let (mut player, _) = player();
    player.put_chunk(0, 0, &chunk(0));
    player.play();
    let first = play_blocks(&mut player, 400);
    let reached = player.transport().position() as usize;
    assert!(reached < CHUNK && reached > CHUNK - 3 * BLOCK, "waits before the hole, at {reached}");
    assert!(first[reached..].iter().all(|x| *x == 0.0));
    let mut report = Vec::new();
    player.report(&mut report);
    assert!(report[2] > 0.0, "the report says that sound is missing");
    player.put_chunk(0, 1, &chunk(1));
    assert_eq!(play_blocks(&mut player, 1)[0], reached as f32 / FRAMES as f32);
}

#[test]
fn a_loop_needs_no_silence_and_a_stop_fades() {
    let (mut player, _) = player();
    (0..3).for_each(|i| player.put_chunk(0, i, &[0.5; CHUNK]));
    player.transport().set_loop(Some((1000, 9000)));
    player.transport().seek(1000);
    player.play();
    let out = play_blocks(&mut player, 300);
    assert!(out[300..].iter().all(|x| (x - 0.5).abs() < 1e-6), "steady sound stays steady across the seam");
    assert!((1000..=9000).contains(&player.transport().position()));
    player.transport().stop();
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
    let level = |value: f64| Edit::SetControl { strip: track, control: "level_db".into(), value: json!(value) };
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
    let mut report = Vec::new();
    player.report(&mut report);
    assert_eq!(report[0], (12 * BLOCK) as f32);
    assert_eq!(report[1], 1.0);
    assert!((report[6] + 6.02).abs() < 0.01, "peak in dBFS");
    let trace = report[8] as usize;
    assert_eq!(trace, 12, "one figure a block");
    let meters = report[9 + trace] as usize;
    let fader = (0..meters).map(|i| 10 + trace + 2 * i).find(|at| report[*at] == track as f32);
    assert_eq!(fader.map(|at| report[at + 1]), Some(0.5));
    assert_eq!(report.len(), 10 + trace + 2 * meters + 2 * SCOPE);
    assert!(report[report.len() - 1] == 0.5, "the scope ends with the last sample");
}

#[test]
fn alone_leaves_the_rest_out() {
    let (mut player, _) = player();
    player.set_source(1, 2, FRAMES as u64);
    (0..3).for_each(|i| {
        player.put_chunk(0, i, &[0.25; CHUNK]);
        player.put_chunk(1, i, &[0.125; 2 * CHUNK]);
    });
    player.play();
    assert!((play_blocks(&mut player, 2)[100] - 0.375).abs() < 1e-6);
    player.set_alone(true);
    assert!((play_blocks(&mut player, 10)[1200] - 0.25).abs() < 1e-6);
}
