//! The compressor that ships: static law, timing, detectors, lookahead, key filter.
#![allow(missing_docs, clippy::expect_used, clippy::unwrap_used)] // a test may say what must hold by failing

use serde_json::{Value, json};
use zinc_core::measure::probe::{With, probe};
use zinc_core::rack::{Rack, RackSpec};
use zinc_core::signal::noise::white;
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
    let found = probe(&rack(hard), RATE, With::default());
    for p in &found.static_curve {
        let law = if p.in_db > -20.0 { -20.0 + (p.in_db + 20.0) / 2.0 } else { p.in_db };
        assert!((p.out_db - law).abs() < 0.05, "{} dB in, {} out, law {law}", p.in_db, p.out_db);
    }
    assert_eq!(found.static_curve.last().map(|p| p.in_db), Some(0.0));
}

#[test]
fn the_soft_knee_is_quadratic() {
    let found =
        probe(&rack(json!({"threshold_db": -24, "ratio": 4, "knee_db": 12, "attack_ms": 1})), RATE, With::default());
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
    let mut loudest = 0.0f64;
    for n in 0..500 {
        let mut block = StereoBlock::default();
        for i in 0..BLOCK {
            block.left[i] = white(n * BLOCK + i) as f32;
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
    assert_eq!(probe(&rack(params.clone()), RATE, With::default()).latency_samples, 240);
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

/// Loudest sample that leaves a wall at -20 dBFS, for a signal.
fn loudest_past_a_wall(more: Value, signal: impl Fn(usize) -> f64) -> f64 {
    let mut params = json!({"threshold_db": -20, "ratio": "inf", "knee_db": 0, "attack_ms": 0, "release_ms": 5});
    params.as_object_mut().expect("an object").extend(more.as_object().cloned().expect("an object"));
    let mut running = Rack::new(&rack(params), RATE);
    let mut loudest = 0.0f32;
    for n in 0..100 {
        let mut block = StereoBlock::default();
        (0..BLOCK).for_each(|i| block.set_frame(i, [signal(n * BLOCK + i); 2]));
        running.process(&mut block);
        loudest = loudest.max(block.peak());
    }
    20.0 * f64::from(loudest).log10()
}

#[test]
fn with_any_lookahead_an_attack_of_zero_lets_not_even_one_sample_past_the_curve() {
    for lookahead in [0.0, 0.1, 1.0, 5.0, 10.0] {
        let click = |n: usize| if n == 3000 { 1.0 } else { 0.0 };
        let past = loudest_past_a_wall(json!({"lookahead_ms": lookahead}), click);
        assert!((past + 20.0).abs() < 1e-3, "lookahead {lookahead}: {past} dBFS");
        let hits = |n: usize| if n % 613 < 3 { 0.9 } else { 0.05 * sine(300.0, n) };
        let past = loudest_past_a_wall(json!({"lookahead_ms": lookahead}), hits);
        assert!(past < -19.999, "lookahead {lookahead}: {past} dBFS");
    }
}

#[test]
fn a_longer_attack_has_arrived_when_its_peak_does_as_far_as_it_can() {
    // 20 dB wanted, known 5 ms ahead: an attack of 5 ms covers 63.2 % of it by then.
    let params =
        json!({"threshold_db": -20, "ratio": "inf", "knee_db": 0, "attack_ms": 5, "release_ms": 50, "lookahead_ms": 5});
    let r = reduction(params, |n| if n == 2400 { 1.0 } else { 0.0 }, 4800);
    assert!((r[2640] - 20.0 * (1.0 - (-241.0f64 / 240.0).exp())).abs() < 0.05, "{}", r[2640]);
}

#[test]
fn hold_keeps_the_reduction_for_its_time_after_the_last_peak() {
    for hold in [20.0, 100.0] {
        let params =
            json!({"threshold_db": -20, "ratio": 4, "knee_db": 0, "attack_ms": 0, "release_ms": 10, "hold_ms": hold});
        let r = reduction(params, |n| if n == 1000 { 1.0 } else { 0.0 }, 12_000);
        let until = 1000 + (hold * 48.0) as usize;
        assert!((r[until] - 15.0).abs() < 1e-6, "still held: {}", r[until]);
        assert!(r[until + 960] < 15.0 * 0.2, "and then let go: {}", r[until + 960]);
    }
}

#[test]
fn feedback_keeps_the_stated_curve_and_attacks_faster_by_the_gain_of_its_loop() {
    let with = |topology: &str| {
        let params = json!({"topology": topology, "threshold_db": -20, "ratio": 4, "knee_db": 0, "attack_ms": 40, "release_ms": 400});
        reduction(params, |n| if n < 480 { 0.0 } else { sine(1000.0, n) }, 96_000)
    };
    let (forward, feedback) = (with("forward"), with("feedback"));
    assert!((feedback[95_000] - 15.0).abs() < 0.1, "{}", feedback[95_000]);
    let time = |r: &[f64]| (r.iter().position(|x| *x >= 0.632 * 15.0).expect("it gets there") - 480) as f64 / 48.0;
    assert!((time(&forward) / 40.0 - 1.0).abs() < 0.05);
    // The loop's gain is ratio - 1 = 3: its time is a quarter.
    assert!((time(&feedback) / 10.0 - 1.0).abs() < 0.12, "{} ms", time(&feedback));
}

#[test]
fn a_release_of_a_loop_takes_the_time_stated_once_nothing_is_over_the_threshold() {
    for (topology, release) in [("feedback", 120.0), ("feedback", 900.0), ("forward", 900.0)] {
        let step = 48_000;
        let signal = |n: usize| if n < step { sine(1000.0, n) } else { 0.001 * sine(1000.0, n) };
        let params = json!({"topology": topology, "threshold_db": -20, "ratio": 4, "knee_db": 0, "attack_ms": 5, "release_ms": release});
        let r = reduction(params, signal, 4 * step);
        // Within the loop too nothing is wanted then, so that what is left falls by one pole: from where it has begun
        // to fall, by 1 / e in its time.
        let from = step + 4800;
        let fall =
            r[from..].iter().position(|x| *x <= r[from] / std::f64::consts::E).expect("it releases") as f64 / 48.0;
        assert!((fall / release - 1.0).abs() < 0.02, "{topology}, {release} ms: {fall:.1}");
    }
}

#[test]
fn crushed_it_takes_15_percent_more_for_good_and_60_percent_more_at_the_start() {
    let signal = |n: usize| if n < 4800 { 0.01 } else { 1.0 };
    let params = json!({"threshold_db": -20, "ratio": 4, "attack_ms": 0, "release_ms": 100, "crush": true});
    let r = reduction(params, signal, 96_000);
    // A wall at -20 dB for a level of 0 dB: 20 dB are wanted.
    assert!((r[95_000] - 1.15 * 20.0).abs() < 0.01, "for good: {}", r[95_000]);
    assert!((r[4800] - (1.15 + 0.6) * 20.0).abs() < 0.3, "at the start: {}", r[4800]);
    // What was wanted at the start is known by one pole of 40 ms.
    let later = 4800 + 1920;
    let wanted = 20.0 * (1.15 + 0.6 * (-1.0f64).exp());
    assert!((r[later] - wanted).abs() < 0.1, "after 40 ms: {}, wanted {wanted}", r[later]);
}

#[test]
fn sides_that_are_not_linked_are_reduced_apart() {
    let both = |link: f64, sides: &str| {
        let params =
            json!({"threshold_db": -20, "ratio": "inf", "knee_db": 0, "attack_ms": 0, "link": link, "sides": sides});
        let mut running = Rack::new(&rack(params), RATE);
        let mut block = StereoBlock::default();
        (0..BLOCK).for_each(|i| block.set_frame(i, [1.0, 0.5]));
        running.process(&mut block);
        block.frame(BLOCK - 1).map(|x| 20.0 * x.log10())
    };
    let [left, right] = both(1.0, "left-right");
    assert!((left + 20.0).abs() < 1e-3 && (right + 26.02).abs() < 0.01, "one gain for both: {left} {right}");
    let [left, right] = both(0.0, "left-right");
    assert!((left + 20.0).abs() < 1e-3 && (right + 20.0).abs() < 1e-3, "each its own: {left} {right}");
    // Middle 0.75, side 0.25: 17.5 and 7.96 dB over; 0.1 each is left, 0.2 on the left, nothing on the right.
    let [left, right] = both(0.0, "mid-side");
    assert!((left - 20.0 * 0.2f64.log10()).abs() < 1e-2 && right < -80.0, "{left} {right}");
    // Half a link: the softer side counts half the louder one's power: 0.25 + 0.5 * 0.75.
    let [_, right] = both(0.5, "left-right");
    let reduced = 20.0 + 10.0 * 0.625f64.log10();
    assert!((right - (20.0 * 0.5f64.log10() - reduced)).abs() < 1e-2, "{right}");
}

#[test]
fn a_coupled_output_gives_back_what_the_input_adds_and_the_key_filters_lean_it() {
    let soft = |n: usize| 0.001 * sine(1000.0, n);
    let mut running = Rack::new(&rack(json!({"input_db": 18, "couple_output": true, "makeup_db": 2})), RATE);
    let mut block = StereoBlock::default();
    for n in 0..4 {
        (0..BLOCK).for_each(|i| block.set_frame(i, [soft(n * BLOCK + i); 2]));
        running.process(&mut block);
    }
    let gain = block.frame(100)[0] / soft(3 * BLOCK + 100);
    assert!((20.0 * gain.log10() - 2.0).abs() < 1e-3, "{gain}");
    let driven = |params: Value, hz: f64| {
        let mut all = json!({"threshold_db": -30, "ratio": 4, "attack_ms": 1});
        all.as_object_mut().expect("an object").extend(params.as_object().cloned().expect("an object"));
        reduction(all, move |n| 0.5 * sine(hz, n), 48_000)[47_000]
    };
    // A second-order cut an octave and more into its stop takes 24 dB at two octaves: 18 of 24 dB over.
    assert!(driven(json!({"key_high_cut_hz": 1000}), 4000.0) < 1.0);
    assert!(driven(json!({"key_high_cut_hz": 1000}), 100.0) > 17.0);
    assert!(driven(json!({"key_tilt_db": 12}), 5000.0) > driven(json!({"key_tilt_db": -12}), 5000.0) + 12.0);
}

#[test]
fn a_release_that_is_a_note_value_follows_the_tempo_exactly() {
    use zinc_core::session::{Edit, Family, Role, Session};
    let mut session = Session::new("tempo", 48_000);
    let strip = session.add_strip("Bass", Family::Bs, Role::Bus, 1);
    let unit = json!({"kind": "compressor", "params": {"threshold_db": -20, "ratio": 4, "knee_db": 0, "attack_ms": 0, "release_ms": 999, "release_note": "1/8"}});
    Edit::AddUnit { strip, at: 0, unit: serde_json::from_value(unit).unwrap() }.apply(&mut session).expect("it fits");
    // An eighth is 30 s over the tempo; a dotted one half as much again.
    for (tempo_bpm, note, release_ms) in [(120.0, "1/8", 250.0), (75.0, "1/8", 400.0), (75.0, "1/8.", 600.0)] {
        Edit::SetTempo { tempo_bpm, beats_per_bar: 4 }.apply(&mut session).expect("a tempo");
        let unit = session.strip(strip).expect("there").rack.units[0].id;
        Edit::SetParam { strip, unit, param: "release_note".into(), value: note.into() }
            .apply(&mut session)
            .expect("a note");
        let mut running = Rack::new(&session.strip(strip).expect("there").rack, RATE);
        let mut r = Vec::new();
        while r.len() < 96_000 {
            let mut block = StereoBlock::default();
            (0..BLOCK).for_each(|i| {
                block.set_frame(i, [if r.len() + i < 24_000 { sine(1000.0, r.len() + i) } else { 0.0 }; 2])
            });
            running.process(&mut block);
            r.extend(running.stations()[0].reduction().expect("it reduces").map(f64::from));
        }
        let fall = r[24_000..].iter().position(|x| *x <= 0.368 * r[23_990]).expect("it releases") as f64 / 48.0;
        assert!((fall / release_ms - 1.0).abs() < 0.04, "{note} at {tempo_bpm}: {fall} ms, wanted {release_ms}");
        // The document keeps the note, and reading it again gives the same.
        let again = Session::from_json(&session.to_json()).expect("readable");
        assert_eq!(
            again.strip(strip).expect("there").rack.units[0].settings,
            session.strip(strip).expect("there").rack.units[0].settings
        );
    }
}

#[test]
fn while_a_ratio_glides_it_reduces_by_no_less_and_no_more_than_before_and_after() {
    let at =
        |ratio: f64| rack(json!({"threshold_db": -20, "ratio": ratio, "knee_db": 0, "attack_ms": 0, "release_ms": 1}));
    let mut running = Rack::new(&at(2.0), RATE);
    let (mut before, mut gliding) = (Vec::new(), Vec::new());
    for block in 0..400 {
        if block == 200 {
            running.update(&at(8.0));
        }
        let mut sound = StereoBlock::default();
        // A held level: a tone of 0 dBFS as long as nothing turns over.
        (0..BLOCK).for_each(|i| sound.set_frame(i, [1.0; 2]));
        running.process(&mut sound);
        let all = running.stations()[0].reduction().expect("it reduces").map(f64::from);
        if block < 200 { before.extend(all) } else { gliding.extend(all) }
    }
    // 20 dB over: 10 dB at 2:1, 17.5 dB at 8:1, and every ratio between them in turn.
    let (from, to) = (before[before.len() - 1], gliding[gliding.len() - 1]);
    assert!((from - 10.0).abs() < 0.1 && (to - 17.5).abs() < 0.1, "{from} and {to}");
    assert!(
        gliding.iter().all(|r| (from - 0.05..to + 0.05).contains(r)),
        "{:?}",
        gliding.iter().copied().fold(f64::MAX, f64::min)
    );
    assert!(gliding.iter().filter(|r| (11.0..16.5).contains(*r)).count() > 50, "it does glide");
}
