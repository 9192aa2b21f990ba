//! `cabinet`: what a cone, its box and a microphone do, by published facts; and a response of
//! one's own.
#![allow(missing_docs, clippy::expect_used)] // a test may say what must hold by failing

mod common;

use common::units::{sound_name, sounds, unit};
use common::{impulse_responses, magnitude_db, run};
use serde_json::{Value, json};
use zinc_core::rack::RackSpec;
use zinc_core::signal::decibel::gain_to_db;

const RATE: f64 = 48_000.0;

fn rack(params: &Value) -> RackSpec {
    RackSpec { units: vec![unit("cabinet", params)] }
}

/// A cabinet without room, its level as it is.
fn plain(mut params: Value) -> RackSpec {
    params["room"] = json!(0);
    params["hold_level"] = json!(false);
    rack(&params)
}

/// Mean power over a third of an octave about `hz`, in dB, of the response.
fn third_db(spec: &RackSpec, hz: f64) -> f64 {
    let freqs: Vec<f64> = (-4..=4).map(|n| hz * 2f64.powf(f64::from(n) / 24.0)).collect();
    let power: f64 = spec.response(RATE, &freqs).iter().map(|h| h.norm_sqr()).sum();
    10.0 * (power / freqs.len() as f64).log10()
}

/// Third octaves of a close microphone against 500 Hz, in dB.
fn against_500(params: &Value, hz: &[f64]) -> Vec<f64> {
    let spec = plain(params.clone());
    hz.iter().map(|hz| third_db(&spec, *hz) - third_db(&spec, 500.0)).collect()
}

#[test]
fn a_12_inch_cone_close_on_axis_and_as_a_fresh_unit_has_it_lies_where_published_responses_do() {
    // Third octave, least and most against 500 Hz in dB.
    const PUBLISHED: [(f64, f64, f64); 8] = [
        (2000.0, 4.0, 8.0),
        (2500.0, 4.0, 8.0),
        (3150.0, 4.0, 8.0),
        (4000.0, 4.0, 8.0),
        (5000.0, -8.0, -3.0),
        (6300.0, -20.0, -12.0),
        (8000.0, -20.0, -12.0),
        (10_000.0, -35.0, -25.0),
    ];
    for params in [json!({"a_offset": 0}), json!({}), json!({"a_offset": 0, "box": "sealed"})] {
        let found = against_500(&params, &PUBLISHED.map(|row| row.0));
        println!("{params}: {found:.1?}");
        for ((hz, least, most), db) in PUBLISHED.into_iter().zip(found) {
            assert!((least..=most).contains(&db), "{params} at {hz} Hz: {db:.1} dB");
        }
    }
}

#[test]
fn the_edge_of_the_cone_is_5_to_10_db_darker_above_3_khz() {
    let hz = [3150.0, 4000.0, 5000.0, 6300.0, 8000.0, 10_000.0];
    let (axis, edge) = (against_500(&json!({"a_offset": 0}), &hz), against_500(&json!({"a_offset": 1}), &hz));
    for (hz, darker) in hz.into_iter().zip(axis.iter().zip(&edge).map(|(a, e)| a - e)) {
        println!("{hz} Hz: {darker:.1} dB darker");
        assert!((4.9..10.0).contains(&darker), "{hz} Hz: {darker:.1} dB");
    }
}

#[test]
fn a_condenser_is_4_to_8_db_brighter_at_8_khz_than_a_dynamic_and_a_ribbon_4_to_8_darker_and_fuller_below() {
    let of = |kind: &str| against_500(&json!({"a_type": kind, "a_offset": 0}), &[100.0, 160.0, 8000.0]);
    let (dynamic, ribbon, condenser) = (of("dynamic"), of("ribbon"), of("condenser"));
    println!("{dynamic:.1?} {ribbon:.1?} {condenser:.1?}");
    println!("at 8 kHz {:+.1} and {:+.1} dB", condenser[2] - dynamic[2], ribbon[2] - dynamic[2]);
    assert!((4.0..=8.0).contains(&(condenser[2] - dynamic[2])) && (4.0..=8.0).contains(&(dynamic[2] - ribbon[2])));
    assert!(ribbon[0] > dynamic[0] + 1.0 && ribbon[1] > dynamic[1] + 1.0);
}

#[test]
fn no_place_of_a_microphone_leaves_a_notch_of_more_than_6_db_above_5_khz() {
    const STEP: f64 = 1.0 / 48.0;
    let mut places = 0;
    for cones in ["1", "4"] {
        for cm in [1.0, 4.0, 15.0, 50.0] {
            for offset in [0.0, 0.3, 0.6, 1.0] {
                let spec = plain(json!({"cones": cones, "a_distance_cm": cm, "a_offset": offset}));
                let freqs: Vec<f64> = (0..58).map(|n| 5000.0 * 2f64.powf(f64::from(n) * STEP)).collect();
                let db: Vec<f64> = spec.response(RATE, &freqs).iter().map(|h| 10.0 * h.norm_sqr().log10()).collect();
                let highest = |part: &[f64]| part.iter().copied().fold(f64::MIN, f64::max);
                for n in 1..db.len() - 1 {
                    let deep = highest(&db[..n]).min(highest(&db[n + 1..])) - db[n];
                    assert!(deep < 6.0, "{cones} cones, {cm} cm, {offset}: {deep:.1} dB at {:.0} Hz", freqs[n]);
                }
                places += 1;
            }
        }
    }
    assert_eq!(places, 32);
}

#[test]
fn a_horn_lifts_what_lies_above_3_khz_and_nothing_below_and_leaves_no_hole() {
    let of = |horn: f64| json!({"size": "10", "cones": "4", "box": "sealed", "a_distance_cm": 30, "horn": horn});
    let hz = [100.0, 400.0, 1000.0, 3150.0, 4000.0, 5000.0, 6300.0, 8000.0, 10_000.0];
    let (without, with) = (against_500(&of(0.0), &hz), against_500(&of(0.7), &hz));
    println!("{without:.1?}\n{with:.1?}");
    assert!((0..3).all(|n| (with[n] - without[n]).abs() < 0.5));
    assert!(with[7] > without[7] + 6.0 && with[8] > without[8] + 12.0);
    assert!((3..6).all(|n| with[n] > without[n] - 3.0));
}

#[test]
fn every_cabinet_and_microphone_has_one_polarity() {
    for size in ["8", "10", "12", "15"] {
        for cones in ["1", "2", "4"] {
            for kind in ["dynamic", "ribbon", "condenser"] {
                for (cm, offset) in [(1.0, 0.0), (4.0, 0.5), (15.0, 0.8)] {
                    let params =
                        json!({"size": size, "cones": cones, "a_type": kind, "a_distance_cm": cm, "a_offset": offset});
                    let [left, _] = impulse_responses(&plain(params.clone()), RATE, [1.0, 0.0]);
                    // Mean of the octave from 250 to 500 Hz in phase with the click.
                    let real: f64 = (0..12)
                        .map(|n| std::f64::consts::TAU * 250.0 * 2f64.powf(f64::from(n) / 12.0) / RATE)
                        .map(|angle| left.iter().enumerate().map(|(n, x)| x * (angle * n as f64).cos()).sum::<f64>())
                        .sum();
                    assert!(real > 0.0, "{params}: {real}");
                }
            }
        }
    }
}

#[test]
fn larger_cones_reach_lower_and_less_high() {
    let of = |inches: &str| {
        let spec = plain(json!({"size": inches, "a_distance_cm": 20}));
        (third_db(&spec, 63.0) - third_db(&spec, 400.0), third_db(&spec, 4500.0) - third_db(&spec, 400.0))
    };
    let all = ["8", "10", "12", "15"].map(of);
    println!("{all:.1?}");
    for pair in all.windows(2) {
        assert!(pair[1].0 > pair[0].0 + 1.0 && pair[1].1 < pair[0].1 - 1.0, "{all:?}");
    }
}

#[test]
fn close_by_the_lows_are_lifted_by_what_a_gradient_says() {
    // Between two distances everything but the gradient's lift stays nearly the same at 100 Hz:
    // with a share g of gradient, sqrt(1 + (g c / (2 pi f r))^2).
    let lift = |kind: &str, cm: f64| {
        let spec = plain(json!({"a_type": kind, "a_distance_cm": cm, "box": "sealed"}));
        third_db(&spec, 100.0) - third_db(&spec, 1000.0)
    };
    for (kind, g) in [("dynamic", 0.5), ("ribbon", 1.0)] {
        // As far as the rim of a 12-inch cone.
        let r = |cm: f64| (0.128f64.powi(2) + (0.01 * cm).powi(2)).sqrt();
        let theory = |cm: f64| 10.0 * (1.0 + (g * 343.0 / (std::f64::consts::TAU * 100.0 * r(cm))).powi(2)).log10();
        let (measured, want) = (lift(kind, 5.0) - lift(kind, 40.0), theory(5.0) - theory(40.0));
        println!("{kind}: {measured:.1} dB, by theory {want:.1}");
        // Close by the rim is heard from the side, so that a cone's middle stands out at 1 kHz: less of a lift.
        assert!((-2.5..1.0).contains(&(measured - want)), "{kind}: {measured} and {want}");
    }
}

#[test]
fn it_is_less_than_3_ms_late_at_every_place() {
    for (cm, offset, room) in [(1.0, 0.0, 0.0), (4.0, 0.35, 0.5), (100.0, 1.0, 1.0)] {
        let params = json!({"a_distance_cm": cm, "a_offset": offset, "room": room});
        let [left, _] = impulse_responses(&rack(&params), RATE, [1.0, 0.0]);
        let (late, _) = left.iter().enumerate().max_by(|a, b| a.1.abs().total_cmp(&b.1.abs())).expect("samples");
        println!("{cm} cm: {:.2} ms", late as f64 / RATE * 1000.0);
        assert!((late as f64) < 0.003 * RATE, "{cm} cm: {late} samples");
    }
}

#[test]
fn a_second_microphone_in_the_same_place_doubles_nothing_and_turned_over_cancels() {
    let same = |flip: bool| {
        plain(json!({"a_type": "ribbon", "a_distance_cm": 10, "a_offset": 0.2, "b_on": true, "b_flip": flip,
            "b_type": "ribbon", "b_distance_cm": 10, "b_offset": 0.2, "blend": 0.5}))
    };
    let alone = plain(json!({"a_type": "ribbon", "a_distance_cm": 10, "a_offset": 0.2}));
    assert!((third_db(&same(false), 1000.0) - third_db(&alone, 1000.0)).abs() < 1e-4);
    assert!(third_db(&same(true), 1000.0) < third_db(&alone, 1000.0) - 100.0);
}

#[test]
fn aligned_microphones_add_up_where_late_ones_leave_a_comb() {
    let two = |align: bool| {
        plain(json!({"a_distance_cm": 3, "b_on": true, "b_type": "dynamic", "b_distance_cm": 30,
            "b_offset": 0.35, "align": align, "blend": 0.5, "box": "sealed"}))
    };
    // 27 cm are 0.79 ms: half a wave at 635 Hz.
    let dip = |spec: &RackSpec| third_db(spec, 635.0) - third_db(spec, 1270.0);
    println!("{:.1} {:.1}", dip(&two(true)), dip(&two(false)));
    assert!(dip(&two(false)) < dip(&two(true)) - 4.0);
}

#[test]
fn what_runs_is_what_the_response_says() {
    let spec = rack(&json!({"cones": "4", "b_on": true, "room": 0.3, "hold_level": false}));
    let [left, _] = impulse_responses(&spec, RATE, [1.0, 1.0]);
    for hz in [70.0, 400.0, 2500.0, 6000.0] {
        let stated = gain_to_db(spec.response(RATE, &[hz])[0].norm_sqr().sqrt());
        assert!((magnitude_db(&left, RATE, hz) - stated).abs() < 0.02, "{hz} Hz: {stated}");
    }
}

#[test]
fn the_cabinet_sounds_alike_at_44_and_96_khz() {
    let spec = rack(&json!({"cones": "2", "b_on": true}));
    for hz in [60.0, 120.0, 300.0, 700.0, 1500.0, 3000.0, 5000.0, 7000.0] {
        let [low, high] = [44_100.0, 96_000.0].map(|rate| gain_to_db(spec.response(rate, &[hz])[0].norm_sqr().sqrt()));
        let most = if hz > 5000.0 { 3.0 } else { 0.7 };
        assert!((low - high).abs() < most, "{hz} Hz: {low:.2} and {high:.2}");
    }
}

#[test]
fn a_response_of_ones_own_is_an_independent_convolution_without_the_silence_before_it() {
    // The long made-up sound, in stereo, with silence put before it.
    let long = sounds().get(sound_name(1).parse().expect("a name")).expect("it is there").clone();
    let late: Vec<f32> = (0..500)
        .flat_map(|_| [0.0, 0.0])
        .chain((0..long.frames()).flat_map(|n| [long.sides()[0][n], long.sides()[1][n]]))
        .collect();
    let mut with_silence = zinc_core::unit::Sounds::default();
    let id = sound_name(9).parse().expect("a name");
    with_silence.put(id, std::sync::Arc::new(zinc_core::signal::Sound::new(&late, 2, 44_100.0)));
    let mut spec = unit("cabinet", &json!({"sound": sound_name(9), "hold_level": false}));
    spec.settings.fixed.supply(&with_silence);
    let signal = |n: usize| {
        let x = 0.4 * ((n * n % 1009) as f64 / 504.5 - 1.0);
        [x, if n.is_multiple_of(3) { -x } else { 0.2 }]
    };
    let frames = 6000;
    let out = run(&RackSpec { units: vec![spec] }, RATE, frames, signal);
    let gain = 44_100.0 / RATE;
    // The first sample of noise may itself be softer than what counts as silence: none is here.
    for n in (0..frames).step_by(37) {
        for (side, heard) in out.iter().enumerate() {
            let taps = long.sides()[side];
            let want: f64 =
                (0..=n.min(taps.len() - 1)).map(|k| f64::from(taps[k]) * f64::from(signal(n - k)[side] as f32)).sum();
            let off = (f64::from(heard[n]) - gain * want).abs();
            assert!(off < 1e-5, "frame {n}: {off}");
        }
    }
}

#[test]
fn what_two_microphones_cancel_is_said_by_third_octave_and_is_what_their_mix_lacks() {
    let of = |align: bool, flip: bool| {
        let params = json!({"a_distance_cm": 3, "b_on": true, "b_type": "dynamic", "b_distance_cm": 30, "b_offset": 0.35,
            "align": align, "b_flip": flip, "blend": 0.5, "box": "sealed", "room": 0, "hold_level": false});
        let mut unit = unit("cabinet", &params);
        unit.settings.fixed.supply(&sounds());
        zinc_core::unit::tone::cabinet::microphone_mix(&unit.settings, RATE).expect("two microphones")
    };
    let (late, aligned, flipped) = (of(false, false), of(true, false), of(true, true));
    assert!((late.first_db + 6.02).abs() < 0.01 && (late.second_db + 6.02).abs() < 0.01);
    let at = |mix: &zinc_core::unit::tone::cabinet::MicrophoneMix, hz: f64| {
        mix.thirds.iter().min_by(|a, b| (a.0 / hz).ln().abs().total_cmp(&(b.0 / hz).ln().abs())).expect("thirds").1
    };
    // 27 cm are half a wave at 635 Hz.
    assert!(at(&late, 635.0) < -6.0 && at(&aligned, 635.0) > 2.0, "{late:?}");
    assert!(at(&flipped, 200.0) < -8.0, "{flipped:?}");
    let one = rack(&json!({}));
    assert_eq!(zinc_core::unit::tone::cabinet::microphone_mix(&one.units[0].settings, RATE), None);
}
