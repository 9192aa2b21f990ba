//! The compressor that ships: static law, timing, detectors, lookahead, key filter.
#![allow(missing_docs, clippy::expect_used, clippy::unwrap_used)] // a test may say what must hold by failing

use serde_json::{Value, json};
use zinc_core::measure::probe::probe;
use zinc_core::rack::{Rack, RackSpec};
use zinc_core::signal::{BLOCK, StereoBlock};

const RATE: f64 = 48_000.0;

fn rack(params: Value) -> RackSpec {
    let file = json!({"zinc_rack": 1, "units": [{"kind": "compressor", "params": params}]});
    RackSpec::from_json(&file).expect("a valid rack")
}

/// Reduction in dB at every frame for a signal.
fn reduction(params: Value, signal: impl Fn(usize) -> f64, frames: usize) -> Vec<f64> {
    let mut running = Rack::new(&rack(params), RATE);
    let mut out = Vec::with_capacity(frames);
    while out.len() < frames {
        let mut block = StereoBlock::default();
        for i in 0..BLOCK {
            let x = signal(out.len() + i);
            block.set_frame(i, [x, x]);
        }
        running.process(&mut block);
        out.extend(running.stations()[0].reduction().expect("a compressor reduces").map(f64::from));
    }
    out
}

fn sine(hz: f64, n: usize) -> f64 {
    (std::f64::consts::TAU * hz * n as f64 / RATE).sin()
}

#[test]
fn two_to_one_over_20_db_takes_exactly_10_db() {
    let hard = json!({"threshold_db": -20, "ratio": 2, "knee_db": 0, "attack_ms": 1});
    let found = probe(&rack(hard), RATE);
    for p in &found.static_curve {
        let law = if p.in_db > -20.0 { -20.0 + (p.in_db + 20.0) / 2.0 } else { p.in_db };
        assert!((p.out_db - law).abs() < 0.05, "{} dB in, {} out, law {law}", p.in_db, p.out_db);
    }
    assert_eq!(found.static_curve.last().map(|p| p.in_db), Some(0.0));
}

#[test]
fn the_soft_knee_is_quadratic() {
    let found = probe(&rack(json!({"threshold_db": -24, "ratio": 4, "knee_db": 12, "attack_ms": 1})), RATE);
    let mut within = 0;
    for p in &found.static_curve {
        let over = p.in_db + 24.0;
        let law = if over <= -6.0 {
            0.0
        } else if over < 6.0 {
            within += 1;
            0.75 * (over + 6.0) * (over + 6.0) / 24.0
        } else {
            0.75 * over
        };
        assert!((p.in_db - p.out_db - law).abs() < 0.05, "{} dB in", p.in_db);
    }
    assert!(within >= 5);
}

#[test]
fn attack_and_release_cover_63_percent_of_the_change_on_a_tone() {
    for (attack, release) in [(10.0, 120.0), (30.0, 300.0), (100.0, 1000.0)] {
        let step = 48_000 * 3;
        let loud = |n: usize| if n < step { 1.0 } else { 0.02 } * sine(1000.0, n);
        let params = json!({"threshold_db": -20, "ratio": 4, "knee_db": 0, "attack_ms": attack, "release_ms": release});
        let r = reduction(params, loud, step * 2);
        let full = r[step - 1];
        assert!((full - 15.0).abs() < 0.1);
        let rise = r.iter().position(|x| *x >= 0.632 * full).expect("it attacks") as f64 / 48.0;
        let fall = r[step..].iter().position(|x| *x <= 0.368 * full).expect("it releases") as f64 / 48.0;
        assert!((rise / attack - 1.0).abs() < 0.05, "attack {attack}: {rise}");
        assert!((fall / release - 1.0).abs() < 0.05, "release {release}: {fall}");
        // At once: some reduction within the first tenth of the attack.
        assert!(r[(attack * 4.8) as usize] > 0.5);
    }
}

#[test]
fn an_attack_of_zero_in_peak_mode_lets_no_sample_past_the_curve() {
    let params = json!({"threshold_db": -12, "ratio": "inf", "knee_db": 0, "attack_ms": 0, "release_ms": 50});
    let mut running = Rack::new(&rack(params), RATE);
    let ceiling = 10f64.powf(-12.0 / 20.0);
    let mut n = 0u32;
    let mut loudest = 0.0f64;
    for _ in 0..500 {
        let mut block = StereoBlock::default();
        for i in 0..BLOCK {
            n = n.wrapping_mul(1_664_525).wrapping_add(1_013_904_223);
            block.left[i] = (f64::from(n) / f64::from(u32::MAX) * 2.0 - 1.0) as f32;
        }
        running.process(&mut block);
        loudest = block.left.iter().fold(loudest, |m, x| m.max(f64::from(x.abs())));
    }
    assert!(loudest <= ceiling * 1.000_01 && loudest > ceiling * 0.99, "{loudest} against {ceiling}");
}

#[test]
fn rms_at_zero_attack_leaves_a_drums_first_transient_and_works_more_slowly_than_peak() {
    // A hit: 2 ms to its peak's first half wave, decaying over 150 ms.
    let hit = |n: usize| if n < 4800 { 0.0 } else { (-((n - 4800) as f64) / 7200.0).exp() * sine(180.0, n - 4800) };
    let with = |detect: &str| {
        reduction(
            json!({"detect": detect, "threshold_db": -18, "ratio": 4, "knee_db": 0, "attack_ms": 0, "release_ms": 100}),
            hit,
            14_400,
        )
    };
    let (peak, rms) = (with("peak"), with("rms"));
    // The first half wave of 180 Hz peaks after 1.39 ms.
    let first = 4800 + 67;
    assert!(rms[..=first].iter().all(|r| *r < 0.1), "RMS took {} dB of the transient", rms[first]);
    assert!(peak[first] > 10.0, "peak took {} dB", peak[first]);
    let reach = |r: &[f64]| r.iter().position(|x| *x > 3.0).expect("it works later");
    assert!(reach(&rms) > reach(&peak));
}

#[test]
fn lookahead_delays_the_sound_and_not_the_reduction() {
    let params = json!({"threshold_db": -30, "ratio": 10, "knee_db": 0, "attack_ms": 1, "lookahead_ms": 5});
    assert_eq!(probe(&rack(params.clone()), RATE).latency_samples, 240);
    let mut running = Rack::new(&rack(params), RATE);
    let mut out = Vec::new();
    for n in 0..20 {
        let mut block = StereoBlock::default();
        for i in 0..BLOCK {
            let frame = n * BLOCK + i;
            let x = if frame >= 1000 { 1.0 } else { 0.001 };
            block.set_frame(i, [x, x]);
        }
        running.process(&mut block);
        out.extend(block.left);
    }
    assert!(out[1239] < 0.001 && out[1240] > 0.01, "the step arrives 240 frames late");
    // 27 dB wanted; after five attack times almost all of it is there when the step arrives.
    assert!(20.0 * f64::from(out[1240]).log10() < -26.0);
}

#[test]
fn the_key_low_cut_keeps_lows_from_driving_the_reduction() {
    let low = |n: usize| 0.5 * sine(40.0, n);
    let with = |hz: f64| {
        let r = reduction(json!({"threshold_db": -30, "ratio": 4, "attack_ms": 5, "key_low_cut_hz": hz}), low, 96_000);
        r[90_000]
    };
    assert!(with(10.0) > 15.0);
    assert!(with(400.0) < 0.5);
}
