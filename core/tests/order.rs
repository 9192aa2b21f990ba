//! The order check against renders of both orders made here.
#![allow(missing_docs, clippy::expect_used, clippy::unwrap_used)] // a test may say what must hold by failing

use serde_json::json;
use zinc_core::advice::order;
use zinc_core::rack::{Rack, RackSpec};
use zinc_core::signal::noise::white;
use zinc_core::signal::{BLOCK, StereoBlock};
use zinc_core::trial::Passage;

const RATE: f64 = 48_000.0;

/// Strings with overtones over some noise.
fn passage() -> Passage {
    let mut passage = Passage::new(RATE, 2);
    for n in 0..6 * 48_000 {
        let t = (n % 20_000) as f64 / RATE;
        let hiss = 0.5 * white(n);
        let tone: f64 = (1..20).map(|k| (std::f64::consts::TAU * 220.0 * f64::from(k) * t).sin() / f64::from(k)).sum();
        let x = (0.4 * (-t * 4.0).exp() * tone + 0.02 * hiss) as f32;
        passage.left.push(x);
        passage.right.push(x);
    }
    passage
}

/// Output and mean reduction of a rack, by a loop of its own.
fn render(units: serde_json::Value) -> (Vec<f64>, f64) {
    let spec = RackSpec::from_json(&json!({"zinc_rack": 1, "units": units})).expect("a rack");
    let mut rack = Rack::new(&spec, RATE);
    let (input, mut out, mut reduced, mut count) = (passage(), Vec::new(), 0.0, 0.0);
    for first in (0..input.frames()).step_by(BLOCK) {
        let mut block = StereoBlock::default();
        for i in 0..BLOCK.min(input.frames() - first) {
            block.set_frame(i, [f64::from(input.left[first + i]), f64::from(input.right[first + i])]);
        }
        rack.process(&mut block);
        out.extend(block.left.map(f64::from));
        for station in rack.stations() {
            for r in station.reduction().into_iter().flatten() {
                reduced += f64::from(*r);
                count += 1.0;
            }
        }
    }
    out.truncate(input.frames());
    (out, reduced / count)
}

/// Level in dB between two frequencies, by a transform of its own over the whole.
fn band_db(sound: &[f64], from: f64, to: f64) -> f64 {
    // Goertzel at every 5 Hz of the band over stretches of 200 ms.
    let mut power = 0.0;
    for part in sound.chunks_exact(9600) {
        let mut hz = (from / 5.0).ceil() * 5.0;
        while hz < to {
            let w = std::f64::consts::TAU * hz / RATE;
            let (mut a, mut b) = (0.0, 0.0);
            for (n, x) in part.iter().enumerate() {
                let window = 0.5 - 0.5 * (std::f64::consts::TAU * n as f64 / 9600.0).cos();
                let next = x * window + 2.0 * w.cos() * a - b;
                (b, a) = (a, next);
            }
            power += a * a + b * b - 2.0 * w.cos() * a * b;
            hz += 5.0;
        }
    }
    10.0 * power.log10()
}

#[test]
fn a_shelf_of_12_db_before_4_to_1_survives_as_much_as_both_renders_say() {
    let shelf =
        json!({"kind": "surgical-eq", "params": {"bands": [{"shape": "high-shelf", "freq_hz": 2000, "gain_db": 12}]}});
    let compressor =
        json!({"kind": "compressor", "params": {"threshold_db": -24, "ratio": 4, "attack_ms": 5, "release_ms": 80}});
    let rack = RackSpec::from_json(&json!({"zinc_rack": 1, "units": [shelf, compressor]})).expect("a rack");
    assert_eq!(order::pairs(&rack), [(0, 1)]);
    let found = order::check(&passage(), &rack, 0, 1).expect("a pair");
    let (first, reduced_first) = render(json!([shelf, compressor]));
    let (last, reduced_last) = render(json!([compressor, shelf]));
    let (plain, _) = render(json!([compressor]));
    assert!((found.reduction_before_db - reduced_first).abs() < 0.2, "{found:?} and {reduced_first}");
    assert!((found.reduction_after_db - reduced_last).abs() < 0.2, "{found:?} and {reduced_last}");
    let (low, high) = (found.at_hz / 10f64.powf(0.05), found.at_hz * 10f64.powf(0.05));
    let survives = |sound: &[f64]| band_db(sound, low, high) - band_db(&plain, low, high);
    assert!((found.survives_before_db - survives(&first)).abs() < 0.2, "{found:?} and {}", survives(&first));
    assert!((found.survives_after_db - survives(&last)).abs() < 0.2, "{found:?} and {}", survives(&last));
    assert!(found.survives_after_db > found.survives_before_db + 3.0 && found.swap, "{found:?}");
}

#[test]
fn a_cut_before_a_compressor_is_left_where_it_is() {
    let cut = json!({"kind": "surgical-eq", "params": {"bands": [{"shape": "high-pass", "freq_hz": 300}]}});
    let compressor = json!({"kind": "compressor", "params": {"threshold_db": -24, "ratio": 4}});
    let rack = RackSpec::from_json(&json!({"zinc_rack": 1, "units": [cut, compressor]})).expect("a rack");
    assert!(!order::check(&passage(), &rack, 0, 1).expect("a pair").swap);
    let none = RackSpec::from_json(&json!({"zinc_rack": 1, "units": [compressor]})).expect("a rack");
    assert!(order::pairs(&none).is_empty());
}
