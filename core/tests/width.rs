//! The width unit: sides apart or together, lows in the centre, mono untouched.
#![allow(missing_docs, clippy::expect_used, clippy::unwrap_used)] // a test may say what must hold by failing

use serde_json::json;
use zinc_core::rack::{Rack, RackSpec};
use zinc_core::signal::{BLOCK, StereoBlock};

const RATE: f64 = 48_000.0;

/// Amplitudes of mid and side of a settled tone whose right side is `right` times the left.
fn mid_and_side(params: &serde_json::Value, hz: f64, right: f64) -> [f64; 2] {
    let json = json!({"zinc_rack": 1, "units": [{"kind": "width", "params": params}]});
    let mut rack = Rack::new(&RackSpec::from_json(&json).expect("valid"), RATE);
    let mut power = [0.0; 2];
    for n in 0..150 {
        let mut block = StereoBlock::SILENT;
        for i in 0..BLOCK {
            let x = (std::f64::consts::TAU * hz * (n * BLOCK + i) as f64 / RATE).sin();
            block.set_frame(i, [x, right * x]);
        }
        rack.process(&mut block);
        // The last 75 blocks are 0.2 s: whole periods of every tone used here.
        if n >= 75 {
            for i in 0..BLOCK {
                let [l, r] = block.frame(i);
                power[0] += (0.5 * (l + r)).powi(2);
                power[1] += (0.5 * (l - r)).powi(2);
            }
        }
    }
    power.map(|p| (2.0 * p / (75 * BLOCK) as f64).sqrt())
}

#[test]
fn width_scales_what_differs_and_never_what_is_shared() {
    for (width, side) in [(0.0, 0.0), (0.5, 0.25), (1.0, 0.5), (2.0, 1.0)] {
        let [m, s] = mid_and_side(&json!({"width": width, "centre_below_hz": 10}), 1000.0, 0.0);
        assert!((m - 0.5).abs() < 1e-5 && (s - side).abs() < 1e-5, "width {width}: mid {m}, side {s}");
    }
}

#[test]
fn lows_are_kept_in_the_centre_at_the_butterworth_law() {
    for hz in [30.0, 60.0, 120.0, 240.0, 2000.0] {
        let [m, s] = mid_and_side(&json!({"width": 1.0, "centre_below_hz": 120}), hz, 0.0);
        let law_db = -10.0 * (1.0 + (120.0f64 / hz).powi(4)).log10();
        assert!((m - 0.5).abs() < 1e-5);
        assert!((20.0 * (s / 0.5).log10() - law_db).abs() < 0.05, "{hz} Hz: side {s}, wanted {law_db} dB");
    }
}

#[test]
fn a_mono_source_passes_bit_for_bit() {
    let json = json!({"zinc_rack": 1, "units": [{"kind": "width", "params": {"width": 2.0}}]});
    let mut rack = Rack::new(&RackSpec::from_json(&json).expect("valid"), RATE);
    let mut block = StereoBlock::SILENT;
    for i in 0..BLOCK {
        let x = (i as f64 * 0.37).sin();
        block.set_frame(i, [x, x]);
    }
    let before = block.clone();
    rack.process(&mut block);
    assert_eq!((block.left, block.right), (before.left, before.right));
}
