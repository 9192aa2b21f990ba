//! The drawn EQ and linear phase: curves, placement, latency, and what stays untouched.
#![allow(missing_docs, clippy::expect_used, clippy::unwrap_used)] // a test may say what must hold by failing

mod common;

use common::{impulse_responses, magnitude_db, rack};
use serde_json::{Value, json};
use zinc_core::rack::{Rack, RackSpec};

const RATES: [f64; 3] = [44_100.0, 48_000.0, 96_000.0];

fn drawn(params: Value) -> RackSpec {
    rack("drawn-eq", params)
}

fn point(hz: f64, db: f64) -> Value {
    json!({"freq_hz": hz, "gain_db": db})
}

fn gains_db(spec: &RackSpec, rate: f64, freqs: &[f64]) -> Vec<f64> {
    spec.response(rate, freqs).iter().map(|h| 10.0 * h.norm_sqr().log10()).collect()
}

fn gain_db(spec: &RackSpec, rate: f64, hz: f64) -> f64 {
    gains_db(spec, rate, &[hz])[0]
}

/// So many frequencies from `low` over `ratio`, evenly spread.
fn sweep(low: f64, ratio: f64, count: i32) -> Vec<f64> {
    (0..count).map(|i| low * ratio.powf(f64::from(i) / f64::from(count - 1))).collect()
}

#[test]
fn the_curve_stated_is_the_transform_of_the_impulse_response() {
    let spec = drawn(json!({"points": [point(80.0, 4.0), point(250.0, -5.0), point(1000.0, 0.0),
        point(3000.0, 3.0), point(9000.0, -2.0)], "low_end_hz": 40, "high_end_hz": 15000}));
    for rate in RATES {
        let response = impulse_responses(&spec, rate, [1.0, 1.0]);
        for hz in [25.0, 40.0, 80.0, 120.0, 250.0, 700.0, 2000.0, 5000.0, 12_000.0, 18_000.0] {
            let error = magnitude_db(&response[0], rate, hz) - gain_db(&spec, rate, hz);
            assert!(error.abs() < 0.02, "{error} dB at {hz} Hz, {rate}");
        }
    }
}

#[test]
fn the_curve_goes_through_its_points_and_never_swings_past_them() {
    let points = [(60.0, 0.0), (120.0, 6.0), (240.0, 6.0), (480.0, -4.0), (8000.0, -4.0)];
    let spec = drawn(json!({"points": points.map(|(hz, db)| point(hz, db))}));
    for (hz, db) in points {
        assert!((gain_db(&spec, 48_000.0, hz) - db).abs() < 0.1, "{hz}");
    }
    let freqs = sweep(30.0, 600.0, 400);
    for (hz, db) in freqs.iter().zip(gains_db(&spec, 48_000.0, &freqs)) {
        assert!(db < 6.05 && db > -4.05, "{db} dB at {hz} Hz");
    }
}

#[test]
fn strength_scales_the_curve_and_turns_it_over() {
    for strength in [2.0, 0.5, 0.0, -1.0] {
        let spec =
            drawn(json!({"points": [point(300.0, 0.0), point(1000.0, 5.0), point(3000.0, 0.0)], "strength": strength}));
        assert!((gain_db(&spec, 48_000.0, 1000.0) - 5.0 * strength).abs() < 0.05, "{strength}");
    }
}

#[test]
fn a_protected_range_is_left_alone_and_reversed_it_is_all_that_is_touched() {
    let params = |only: bool| {
        json!({"points": [point(100.0, 6.0), point(10_000.0, 6.0)],
            "protect": [{"low_hz": 400, "high_hz": 2000}], "protect_only": only})
    };
    for (only, inside, outside) in [(false, 0.0, 6.0), (true, 6.0, 0.0)] {
        let spec = drawn(params(only));
        for hz in [420.0, 900.0, 1900.0] {
            assert!((gain_db(&spec, 48_000.0, hz) - inside).abs() < 0.05, "{hz} {only}");
        }
        for hz in [150.0, 330.0, 2500.0, 8000.0] {
            assert!((gain_db(&spec, 48_000.0, hz) - outside).abs() < 0.05, "{hz} {only}");
        }
    }
}

#[test]
fn contour_runs_from_one_smooth_bow_to_nearly_a_step() {
    let steepest = |contour: f64| {
        let spec =
            drawn(json!({"points": [point(500.0, 0.0), point(1000.0, 0.0), point(2000.0, 6.0), point(4000.0, 6.0)],
            "contour": contour}));
        let gains = gains_db(&spec, 48_000.0, &sweep(250.0, 32.0, 121));
        gains.windows(2).map(|w| w[1] - w[0]).fold(0.0, f64::max)
    };
    let steps = [0.0, 0.25, 0.5, 0.75, 1.0].map(steepest);
    assert!(steps.windows(2).all(|w| w[1] > 1.2 * w[0]), "{steps:?}");
    // Six dB within a sixth of an octave, against a bow of more than two octaves.
    assert!(steps[4] > 0.8 && steps[0] < 0.2, "{steps:?}");
}

#[test]
fn each_part_of_the_image_has_its_own_curve() {
    let side = json!({"place": "side", "freq_hz": 1000, "gain_db": -30});
    let left = json!({"place": "left", "freq_hz": 1000, "gain_db": 6});
    let spec = drawn(json!({"points": [side, left]}));
    let of = |signal: [f64; 2]| impulse_responses(&spec, 48_000.0, signal).map(|r| magnitude_db(&r, 48_000.0, 1000.0));
    let [l, r] = of([1.0, 1.0]);
    assert!((l - 6.0).abs() < 0.01 && r.abs() < 0.01, "{l} {r}");
    let [l, r] = of([1.0, -1.0]);
    assert!((l + 24.0).abs() < 0.05 && (r + 30.0).abs() < 0.05, "{l} {r}");
}

#[test]
fn linear_phase_keeps_the_magnitude_of_minimum_phase() {
    let bands = json!([
        {"shape": "high-pass", "freq_hz": 60, "slope_db_oct": 24}, {"shape": "bell", "freq_hz": 180, "gain_db": -6, "q": 2},
        {"shape": "low-shelf", "freq_hz": 110, "gain_db": 4, "slope_db_oct": 12}, {"shape": "bell", "freq_hz": 2500, "gain_db": 12, "q": 5},
        {"shape": "high-shelf", "freq_hz": 7000, "gain_db": 9}, {"shape": "low-pass", "freq_hz": 16000, "slope_db_oct": 12}]);
    for rate in RATES {
        let [minimum, linear] =
            ["minimum", "linear"].map(|phase| rack("surgical-eq", json!({"bands": bands, "phase": phase})));
        let freqs = sweep(30.0, 700.0, 200);
        let both = gains_db(&linear, rate, &freqs).into_iter().zip(gains_db(&minimum, rate, &freqs));
        for ((linear, minimum), hz) in both.zip(&freqs) {
            assert!((linear - minimum).abs() < 0.1, "{linear} and {minimum} dB at {hz} Hz, {rate}");
        }
    }
}

#[test]
fn a_linear_phase_response_is_symmetric_about_the_latency_reported() {
    let bands = json!([{"shape": "bell", "freq_hz": 300, "gain_db": 9, "q": 1}, {"shape": "high-pass", "freq_hz": 80}]);
    for rate in RATES {
        let spec = rack("surgical-eq", json!({"bands": bands, "phase": "linear"}));
        let latency = Rack::new(&spec, rate).latency();
        let [response, _] = impulse_responses(&spec, rate, [1.0, 1.0]);
        let peak = response[latency].abs();
        assert!(response.iter().all(|x| x.abs() <= peak));
        for n in 1..6000 {
            assert!((response[latency + n] - response[latency - n]).abs() < 1e-6 * peak, "{n}, {rate}");
        }
    }
}

#[test]
fn bands_that_move_still_move_in_linear_phase() {
    let band = json!({"shape": "bell", "freq_hz": 1000, "gain_db": 0, "q": 1,
        "dynamic": {"threshold_db": -40, "ratio": 100, "range_db": 9, "attack_ms": 1, "release_ms": 100}});
    let spec = rack("surgical-eq", json!({"bands": [band], "phase": "linear"}));
    let out = common::tone_through(&spec, 48_000.0, 1000.0, 0.5, 96_000);
    let level = out[72_000..].iter().fold(0.0f32, |m, x| m.max(x.abs()));
    assert!((20.0 * f64::from(level).log10() + 6.02 + 9.0).abs() < 0.1, "{level}");
}
