//! The tone EQs: laws of width, the passive pair, what the input adds, that curves are as stated.
#![allow(missing_docs, clippy::expect_used)] // a test may say what must hold by failing

mod common;

use common::harmonics::{comb_db, lines_db};
use common::units::unit;
use common::{impulse_responses, magnitude_db};
use proptest::prelude::*;
use serde_json::{Value, json};
use zinc_core::rack::{Rack, RackSpec};

const RATE: f64 = 48_000.0;

fn spec(kind: &str, params: &Value) -> RackSpec {
    RackSpec { units: vec![unit(kind, params)] }
}

fn db(spec: &RackSpec, hz: f64) -> f64 {
    10.0 * spec.response(RATE, &[hz])[0].norm_sqr().log10()
}

/// Width in octaves between the half-gain points of a bell about `hz`.
fn octaves(spec: &RackSpec, hz: f64) -> f64 {
    let half = 0.5 * db(spec, hz);
    let edge = |up: f64| {
        let by = (1..4000).map(|n| f64::from(n) * 0.001).find(|by| {
            let there = db(spec, hz * 2f64.powf(up * by));
            (there.abs()) < half.abs()
        });
        by.expect("an edge")
    };
    edge(1.0) + edge(-1.0)
}

fn console(mut params: Value) -> RackSpec {
    params["sides"] = json!(0);
    spec("console-eq", &params)
}

#[test]
fn a_bell_of_constant_q_is_as_wide_at_every_gain_and_one_of_the_other_law_narrows() {
    // Bristow-Johnson: between half-gain points 1/Q = 2 sinh(ln 2 / 2 octaves).
    let q_of = |octaves: f64| 0.5 / (0.5 * std::f64::consts::LN_2 * octaves).sinh();
    for (gain, law, want) in [
        (3.0, 0.0, 1.0),
        (-12.0, 0.0, 1.0),
        (3.0, 1.0, 0.45 * 10f64.powf(3.0 / 24.0)),
        (-12.0, 1.0, 0.45 * 10f64.powf(12.0 / 24.0)),
        (12.0, 0.5, (0.45 * 10f64.powf(12.0 / 24.0)).sqrt()),
    ] {
        let spec = console(json!({"low_mid_hz": "620", "low_mid_db": gain, "low_mid_law": law}));
        let q = q_of(octaves(&spec, 620.0));
        println!("{gain} dB, law {law}: Q {q:.3}, stated {want:.3}");
        assert!((q / want - 1.0).abs() < 0.01, "{gain} dB, law {law}: {q} and {want}");
    }
}

#[test]
fn shelves_and_cuts_of_the_console_are_where_they_say() {
    let shelf = console(json!({"low_hz": "95", "low_db": 8}));
    assert!((db(&shelf, 95.0) - 4.0).abs() < 0.1 && (db(&shelf, 20.0) - 8.0).abs() < 0.4);
    let high = console(json!({"high_hz": "6600", "high_db": -6}));
    assert!((db(&high, 6600.0) + 3.0).abs() < 0.05 && (db(&high, 18_000.0) + 6.0).abs() < 0.3);
    let cut = console(json!({"high_pass": "115", "low_pass": "7500"}));
    assert!((db(&cut, 115.0) + 3.01).abs() < 0.05 && (db(&cut, 7500.0) + 3.01).abs() < 0.05);
    assert!((db(&cut, 57.5) + 18.1).abs() < 0.2 && (db(&cut, 15_000.0) + 12.3).abs() < 0.2);
}

#[test]
fn the_input_adds_an_octave_by_valve_and_a_twelfth_by_iron_lows_first() {
    let comb = |colour: f64, hz: f64| {
        let mut rack = Rack::new(&console(json!({"colour": colour, "input_db": 12})), RATE);
        let levels = comb_db(&mut rack, RATE, hz, 0.25, 3);
        [levels[1] - levels[0], levels[2] - levels[0]]
    };
    let (valve, iron, iron_high) = (comb(1.0, 400.0), comb(0.0, 60.0), comb(0.0, 2000.0));
    println!("valve {valve:.1?} iron at 60 Hz {iron:.1?}, at 2 kHz {iron_high:.1?}");
    assert!(valve[0] > valve[1] + 6.0 && iron[1] > iron[0] + 30.0);
    assert!(iron[1] > iron_high[1] + 20.0);
}

#[test]
fn small_differences_of_the_sides_stay_under_a_decibel_and_leave_the_middle() {
    let params = |sides: f64| json!({"low_db": 6, "low_mid_db": -8, "high_mid_db": 5, "high_db": 7, "sides": sides});
    let apart = spec("console-eq", &params(1.0));
    let alike = spec("console-eq", &params(0.0));
    let [left, right] = impulse_responses(&apart, RATE, [0.001, 0.001]);
    let mut most = 0.0f64;
    for hz in [60.0, 95.0, 300.0, 410.0, 900.0, 2200.0, 5000.0, 9800.0, 15_000.0] {
        most = most.max((magnitude_db(&left, RATE, hz) - magnitude_db(&right, RATE, hz)).abs());
        assert!((db(&apart, hz) - db(&alike, hz)).abs() < 0.1, "{hz} Hz");
    }
    println!("{most:.2} dB apart");
    assert!((0.2..1.5).contains(&most), "{most}");
}

/// Every pair of boost and cut above 2 dB that is looked at.
fn pairs() -> impl Iterator<Item = (f64, f64)> {
    [2.5, 5.0, 10.0, 14.0].into_iter().flat_map(|boost| [2.5, 5.0, 10.0, 12.0].map(|cut| (boost, cut)))
}

#[test]
fn boost_and_cut_of_the_passive_lows_leave_a_lift_at_the_place_and_below_and_a_dip_above_at_every_pair() {
    for hz in ["25", "40", "70", "120"] {
        let place: f64 = hz.parse().expect("a number");
        for (boost, cut) in pairs() {
            let spec =
                spec("passive-eq", &json!({"low_hz": hz, "low_boost_db": boost, "low_cut_db": cut, "valves": false}));
            for by in [0.36, 0.5, 0.71, 1.0] {
                let lift = db(&spec, by * place);
                assert!(lift > 0.5 && lift < boost + 0.1, "{hz} Hz, {boost} and {cut}: {lift:.2} dB at {by}");
            }
            let dip = (20..160).map(|n| db(&spec, 0.1 * f64::from(n) * place)).fold(0.0, f64::min);
            assert!(dip < -0.15 * cut, "{hz} Hz, {boost} and {cut}: a dip of {dip:.2} dB");
            assert!(db(&spec, 100.0 * place).abs() < 0.6);
        }
        let only = |boost: f64, cut: f64| {
            spec("passive-eq", &json!({"low_hz": hz, "low_boost_db": boost, "low_cut_db": cut, "valves": false}))
        };
        assert!(
            (db(&only(8.0, 0.0), 0.3 * place) - 8.0).abs() < 0.2
                && (db(&only(0.0, 8.0), 0.3 * place) + 8.0).abs() < 0.2
        );
    }
}

#[test]
fn boost_and_cut_of_the_passive_highs_leave_a_lift_and_a_dip_on_the_side_of_the_cut() {
    for (boost_hz, cut_hz, dip_from, dip_to) in [("12500", "4500", 2000.0, 9000.0), ("2600", "9000", 6000.0, 18_000.0)]
    {
        let place: f64 = boost_hz.parse().expect("a number");
        for (boost, cut) in pairs() {
            let spec = spec(
                "passive-eq",
                &json!({"high_hz": boost_hz, "high_boost_db": boost, "high_cut_hz": cut_hz, "high_cut_db": cut, "valves": false}),
            );
            let lift = db(&spec, place);
            assert!(lift > 0.5 && lift < boost + 0.1, "{boost_hz} and {cut_hz}, {boost} and {cut}: {lift:.2} dB");
            let steps = (0..40).map(|n| dip_from * f64::powf(dip_to / dip_from, f64::from(n) / 39.0));
            let dip = steps.map(|hz| db(&spec, hz)).fold(f64::MAX, f64::min);
            let deep = if boost > cut { 0.5 * boost } else { -0.3 };
            assert!(dip < deep, "{boost_hz} and {cut_hz}, {boost} and {cut}: {dip:.2} dB");
        }
    }
}

#[test]
fn the_valves_of_the_passive_eq_add_a_soft_octave_even_when_flat_and_nothing_when_off() {
    let comb =
        |on: bool| comb_db(&mut Rack::new(&spec("passive-eq", &json!({"valves": on})), RATE), RATE, 500.0, 0.5, 3);
    let (on, off) = (comb(true), comb(false));
    println!("{on:.1?} {off:.1?}");
    assert!((-60.0..-45.0).contains(&(on[1] - on[0])) && on[2] < on[1] - 15.0, "{on:?}");
    assert!(off[1] < -130.0, "{off:?}");
    let flat = spec("passive-eq", &json!({"valves": false}));
    let (out, late) = (impulse_responses(&flat, RATE, [1.0, 0.0]), flat.latency(RATE));
    let passes = out[0].iter().enumerate().all(|(n, x)| *x == f64::from(u8::from(n == late)));
    assert!(passes, "flat and off passes unchanged, as late as it states");
}

#[test]
fn amount_scales_every_gain_of_the_tone_eqs_and_leaves_the_filters() {
    for (kind, gains, rest) in [
        (
            "console-eq",
            &["low_db", "low_mid_db", "high_mid_db", "high_db"][..],
            json!({"high_pass": "115", "sides": 0}),
        ),
        ("passive-eq", &["low_boost_db", "low_cut_db", "high_boost_db", "high_cut_db"], json!({"valves": false})),
        ("graphic-eq", &["gain_31_db", "gain_250_db", "gain_2k_db", "gain_4k_db"], json!({})),
    ] {
        let with = |scale: f64, amount: f64| {
            let mut params = rest.clone();
            gains.iter().zip([5.0, 3.0, 4.0, 6.0]).for_each(|(id, db)| params[*id] = json!(scale * db));
            params["amount"] = json!(amount);
            spec(kind, &params)
        };
        for hz in [25.0, 60.0, 115.0, 410.0, 950.0, 3000.0, 9000.0, 16_000.0] {
            for amount in [0.0, 0.5, 1.5, 2.0] {
                let (scaled, typed) = (db(&with(1.0, amount), hz), db(&with(amount, 1.0), hz));
                assert!((scaled - typed).abs() < 1e-9, "{kind} at {hz} Hz, {amount}: {scaled} and {typed}");
            }
        }
        let heard = [60.0, 250.0].map(|hz| (db(&with(1.0, 1.0), hz) - db(&with(1.0, 0.0), hz)).abs());
        assert!(heard[0].max(heard[1]) > 0.3, "{kind}: the gains are heard");
    }
}

#[test]
fn a_new_console_eq_leaves_a_mono_part_mono() {
    let out = impulse_responses(&spec("console-eq", &json!({"low_db": 6, "high_db": 4})), RATE, [0.1, 0.1]);
    assert_eq!(out[0], out[1]);
}

#[test]
fn weight_lifts_the_lows_and_clears_above_them_and_air_leaves_the_sibilants_nearly_alone() {
    let weight = spec("weight-air", &json!({"weight_db": 6}));
    assert!((db(&weight, 25.0) - 6.0).abs() < 0.5 && db(&weight, 300.0) < -1.4 && db(&weight, 3000.0).abs() < 0.2);
    let air = spec("weight-air", &json!({"air_db": 6}));
    assert!(db(&air, 18_000.0) > 4.0 && db(&air, 6000.0) < 2.0 && db(&air, 500.0).abs() < 0.1);
}

const CENTRES: [(&str, f64); 10] = [
    ("gain_31_db", 31.5),
    ("gain_63_db", 63.0),
    ("gain_125_db", 125.0),
    ("gain_250_db", 250.0),
    ("gain_500_db", 500.0),
    ("gain_1k_db", 1000.0),
    ("gain_2k_db", 2000.0),
    ("gain_4k_db", 4000.0),
    ("gain_8k_db", 8000.0),
    ("gain_16k_db", 16_000.0),
];

proptest! {
    #![proptest_config(ProptestConfig::with_cases(64))]
    #[test]
    fn the_curve_of_the_graphic_eq_goes_through_its_controls(gains in prop::collection::vec(-12.0f64..12.0, 10)) {
        let params: serde_json::Map<_, _> = CENTRES.iter().zip(&gains).map(|((id, _), gain)| (id.to_string(), json!(gain))).collect();
        let spec = spec("graphic-eq", &Value::Object(params));
        for ((_, hz), gain) in CENTRES.iter().zip(&gains) {
            let there = db(&spec, *hz);
            prop_assert!((there - gain).abs() < 0.3, "{hz} Hz: {there:.2} for {gain:.2}");
        }
    }

    #[test]
    fn every_tone_eq_runs_as_its_response_says(
        kind in prop::sample::select(vec!["console-eq", "passive-eq", "graphic-eq", "weight-air"]), seed in 0u64..1000,
    ) {
        let mut unit = zinc_core::rack::UnitSpec::new(zinc_core::unit::catalogue::kind(kind).expect("a kind"));
        for (n, param) in unit.kind.tables.params.iter().enumerate() {
            let value = common::units::value_by_seed(param, seed.wrapping_mul(31).wrapping_add(17 * n as u64));
            let value = match param.id {
                "auto_level" => false.into(),
                "sides" => 0.into(), // the left alone is looked at
                _ => value,
            };
            unit = common::units::unit(kind, &{
                let mut params = unit.to_json()["params"].clone();
                params[param.id] = json!(value);
                params
            });
        }
        let spec = RackSpec { units: vec![unit] };
        let freqs = [30.0, 100.0, 400.0, 1500.0, 6000.0, 15_000.0];
        // So soft that nothing bends.
        let sound = |t: f64| 1e-4 * freqs.iter().map(|hz| (std::f64::consts::TAU * hz * t).sin()).sum::<f64>();
        let lines = lines_db(&mut Rack::new(&spec, RATE), RATE, sound, &freqs);
        for (hz, line) in freqs.iter().zip(lines) {
            let stated = db(&spec, *hz);
            prop_assert!(stated < -50.0 || (line + 80.0 - stated).abs() < 0.1, "{kind} at {hz} Hz: {:.2}, stated {stated:.2}", line + 80.0);
        }
    }
}
