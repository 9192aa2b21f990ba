//! `amp`: that it sounds as such circuits do, says what it does to soft sounds, and folds little back.
#![allow(missing_docs, clippy::expect_used, clippy::unwrap_used)] // a test may say what must hold by failing

mod common;

use common::harmonics::{comb_db, lines_db};
use common::units::unit;
use serde_json::{Value, json};
use std::f64::consts::TAU;
use zinc_core::rack::{Rack, RackSpec};
use zinc_core::signal::noise::white;
use zinc_core::signal::{BLOCK, StereoBlock};

const RATE: f64 = 48_000.0;
const VOICES: [&str; 6] = ["clean", "edge", "crunch", "lead", "round", "gritty"];

fn spec(params: &Value) -> RackSpec {
    RackSpec { units: vec![unit("amp", params)] }
}

fn driven(voice: &str, drive_db: f64) -> RackSpec {
    spec(&json!({"voice": voice, "drive_db": drive_db, "hold_level": false}))
}

/// Levels of the first harmonics of 220 Hz against the first, in dB.
fn overtones(voice: &str, drive_db: f64, amplitude: f64) -> Vec<f64> {
    let comb = comb_db(&mut Rack::new(&driven(voice, drive_db), RATE), RATE, 220.0, amplitude, 5);
    comb.iter().map(|db| db - comb[0]).collect()
}

/// What a rack makes of a sound given by time in seconds.
fn through(spec: &RackSpec, seconds: f64, sound: impl Fn(f64) -> f64) -> Vec<f64> {
    let mut rack = Rack::new(spec, RATE);
    let mut out = Vec::new();
    for first in (0..(seconds * RATE) as usize).step_by(BLOCK) {
        let mut block = StereoBlock::SILENT;
        (0..BLOCK).for_each(|i| block.set_frame(i, [sound((first + i) as f64 / RATE); 2]));
        rack.process(&mut block);
        out.extend((0..BLOCK).map(|i| block.frame(i)[0]));
    }
    out
}

fn rms_db(part: &[f64]) -> f64 {
    10.0 * (part.iter().map(|x| x * x).sum::<f64>() / part.len() as f64).log10()
}

#[test]
fn the_response_stated_is_that_of_a_soft_sound_for_every_voice() {
    for voice in VOICES {
        let spec = spec(
            &json!({"voice": voice, "drive_db": 10, "bass": 0.7, "middle": 0.3, "treble": 0.6, "presence": 0.8, "hold_level": false}),
        );
        for hz in [60.0, 250.0, 1000.0, 4000.0, 10_000.0] {
            let said = 10.0 * spec.response(RATE, &[hz])[0].norm_sqr().log10();
            let is = lines_db(&mut Rack::new(&spec, RATE), RATE, |t| 1e-5 * (TAU * hz * t).sin(), &[hz])[0] + 100.0;
            assert!((said - is).abs() < 0.2, "{voice} at {hz} Hz: {said:.2} stated, {is:.2} measured");
        }
    }
}

#[test]
fn at_full_lead_drive_a_5_khz_tone_folds_nothing_back_above_60_db_under() {
    let spec = driven("lead", 40.0);
    let out = through(&spec, 2.0, |t| 0.5 * (TAU * 5000.0 * t).sin());
    // Whole periods in a second: every line that is no multiple of 5 kHz has folded back, or is
    // what a resting point that still moves leaves next to them.
    let second = &out[48_000..96_000];
    let line = |hz: usize| {
        let (re, im) = second.iter().enumerate().fold((0.0, 0.0), |(re, im), (n, x)| {
            let angle = TAU * ((hz * n) % 48_000) as f64 / 48_000.0;
            (re + x * angle.cos(), im + x * angle.sin())
        });
        20.0 * (2.0 / 48_000.0 * f64::hypot(re, im)).log10()
    };
    let strays = [1000, 2000, 3000, 4000, 6000, 7000, 8000, 9000, 11_000, 12_000, 13_000, 17_000, 18_000, 22_000];
    let worst = strays.into_iter().map(line).fold(-300.0, f64::max);
    assert!(worst - line(5000) < -60.0, "{:.1} dB", worst - line(5000));
}

#[test]
fn even_overtones_lead_where_one_valve_is_driven_lightly_and_odd_where_a_pair_is_driven_hard() {
    let one = overtones("edge", 0.0, 0.1);
    assert!(one[1] > one[2] + 10.0, "{one:?}");
    let pair = overtones("crunch", 16.0, 0.5);
    assert!(pair[2] > pair[1] + 6.0, "{pair:?}");
}

#[test]
fn the_second_rises_by_one_db_for_each_db_while_it_is_soft() {
    let (soft, louder) = (overtones("edge", 0.0, 0.02), overtones("edge", 0.0, 0.04));
    assert!((louder[1] - soft[1] - 6.02).abs() < 0.7, "{soft:?} {louder:?}");
}

#[test]
fn a_voice_that_is_driven_cleans_up_when_it_is_played_12_db_softer() {
    for (voice, drive_db) in [("edge", 28.0), ("crunch", 12.0), ("lead", 0.0), ("gritty", 16.0)] {
        let (hard, soft) = (overtones(voice, drive_db, 0.2), overtones(voice, drive_db, 0.05));
        let thd = |comb: &[f64]| 10.0 * comb[1..].iter().map(|db| 10f64.powf(db / 10.0)).sum::<f64>().log10();
        assert!(thd(&soft) < thd(&hard) - 8.0, "{voice}: {soft:?} against {hard:?}");
    }
}

#[test]
fn the_voices_go_from_open_to_dense_at_the_same_drive() {
    let bent = |voice: &str| {
        let comb = overtones(voice, 16.0, 0.2);
        10.0 * comb[1..].iter().map(|db| 10f64.powf(db / 10.0)).sum::<f64>().log10()
    };
    let order = ["clean", "edge", "crunch", "lead"].map(bent);
    assert!(order.windows(2).all(|pair| pair[1] > pair[0] + 1.0), "{order:?}");
}

#[test]
fn a_supply_gives_way_on_a_long_loud_note_and_comes_back() {
    let spec = driven("edge", 30.0);
    let loud = |t: f64| (0.2..1.2).contains(&t);
    let out = through(&spec, 3.0, |t| if loud(t) { 0.5 } else { 0.003 } * (TAU * 200.0 * t).sin());
    let at = |s: f64, for_s: f64| rms_db(&out[(s * RATE) as usize..((s + for_s) * RATE) as usize]);
    let given = at(0.21, 0.02) - at(1.1, 0.05);
    assert!((0.3..3.5).contains(&given), "{given:.2} dB");
    // What was soft before is as loud again two seconds later.
    assert!((at(0.1, 0.1) - at(2.8, 0.1)).abs() < 0.2);
}

#[test]
fn a_loud_note_holds_the_stages_down_for_a_moment() {
    let spec = driven("lead", 12.0);
    let out = through(&spec, 2.0, |t| if (0.3..0.6).contains(&t) { 0.9 } else { 0.001 } * (TAU * 440.0 * t).sin());
    let at = |s: f64| rms_db(&out[(s * RATE) as usize..((s + 0.01) * RATE) as usize]);
    assert!(at(0.61) < at(0.2) - 1.0 || at(0.61) > at(0.2) + 1.0, "{} and {}", at(0.61), at(0.2));
    assert!((at(1.9) - at(0.2)).abs() < 0.3);
}

#[test]
fn a_round_bass_gains_its_octave_and_the_twelfth_and_no_more_top_than_it_had() {
    let spec = driven("round", 20.0);
    let comb = comb_db(&mut Rack::new(&spec, RATE), RATE, 55.0, 0.3, 3);
    assert!(comb[1] - comb[0] > -40.0 && comb[2] - comb[0] > -50.0, "{comb:?}");
    let [low, top] = [55.0, 4000.0].map(|hz| 10.0 * spec.response(RATE, &[hz])[0].norm_sqr().log10());
    assert!(top - low < 3.0, "{low:.1} dB at 55 Hz, {top:.1} dB at 4 kHz");
}

#[test]
fn loudness_is_held_while_drive_moves() {
    for voice in VOICES {
        for drive_db in [0.0, 20.0, 40.0] {
            let spec = spec(&json!({"voice": voice, "drive_db": drive_db}));
            // Noise of 100 Hz to 2 kHz or so, in strokes.
            let sound = |t: f64| {
                0.2 * (-(t % 0.5) / 0.2).exp() * (TAU * 180.0 * t).sin() * (1.0 + white((t * 4000.0) as usize))
            };
            let out = through(&spec, 8.0, sound);
            let before: Vec<f64> = (0..out.len()).map(|n| sound(n as f64 / RATE)).collect();
            let off = rms_db(&out[96_000..]) - rms_db(&before[96_000..]);
            assert!(off.abs() < 3.0, "{voice} driven by {drive_db} dB: {off:.1} dB");
        }
    }
}

#[test]
fn a_clean_blend_of_all_is_the_sound_as_it_came() {
    let spec = spec(&json!({"voice": "lead", "blend": 1}));
    let sound = |t: f64| 0.3 * (TAU * 330.0 * t).sin();
    let late = spec.latency(RATE);
    assert!(late > 0);
    for (n, x) in through(&spec, 0.2, sound).iter().enumerate().skip(late) {
        assert!((x - sound((n - late) as f64 / RATE)).abs() < 1e-6, "frame {n}");
    }
}
