//! What bends waves folds nothing back that is heard: of two tones about 7 and 12 kHz every product is
//! known, and what lies elsewhere has folded.
#![allow(missing_docs, clippy::expect_used, clippy::unwrap_used)] // a test may say what must hold by failing

mod common;

use std::f64::consts::TAU;

use common::units::unit;
use serde_json::{Value, json};
use zinc_core::rack::{Rack, RackSpec};
use zinc_core::signal::{BLOCK, StereoBlock};

const RATE: f64 = 48_000.0;

/// Level in dBFS of the strongest line under 20 kHz of a second of a unit's output that is no product of
/// the tones, of up to 30th order: both are off whole kilohertz, so that what has folded at 48 kHz lies beside them.
fn strongest_stray_db(kind: &str, params: &Value, amplitude: f64, tones: [f64; 2]) -> f64 {
    let mut rack = Rack::new(&RackSpec { units: vec![unit(kind, params)] }, RATE);
    let mut out = Vec::new();
    for first in (0..3 * 48_000usize).step_by(BLOCK) {
        let mut block = StereoBlock::SILENT;
        for i in 0..BLOCK {
            let t = (first + i) as f64 / RATE;
            block.set_frame(i, [0.5 * amplitude * tones.iter().map(|hz| (TAU * hz * t).sin()).sum::<f64>(); 2]);
        }
        rack.process(&mut block);
        out.extend((0..BLOCK).map(|i| block.frame(i)[0]));
    }
    stray_db(&out[96_000..144_000], tones)
}

/// The strongest line of a second that is no product of the tones, in dBFS.
fn stray_db(second: &[f64], tones: [f64; 2]) -> f64 {
    let spectrum = common::spectrum_of_a_second(second);
    let products: std::collections::HashSet<i64> = (-30i64..=30)
        .flat_map(|a| (-30 + a.abs()..=30 - a.abs()).map(move |b| (a, b)))
        .map(|(a, b)| (a * tones[0] as i64 + b * tones[1] as i64).abs())
        .collect();
    // The window spreads a line over the bins beside it.
    let product = |hz: usize| (-2..=2).any(|by| products.contains(&(hz as i64 + by)));
    let strays = (20..20_000).filter(|hz| !product(*hz));
    strays.map(|hz| spectrum[hz]).fold(-200.0, f64::max)
}

/// Amplitudes of both tones together.
const AMPLITUDES: [f64; 3] = [1.0, 0.5, 0.1];
const TONES: [f64; 2] = [7013.0, 12_037.0];

#[test]
fn no_character_folds_anything_back_above_60_dbfs_at_the_hardest_drive() {
    for character in ["tape", "tube", "transformer", "diode", "fold"] {
        for amplitude in AMPLITUDES {
            let params = json!({"character": character, "drive_db": 36});
            let found = strongest_stray_db("saturator", &params, amplitude, TONES);
            println!("{character} at {amplitude}: {found:.1} dBFS");
            assert!(found < -60.0, "{character} at {amplitude}: {found:.1} dBFS");
        }
    }
    for colour in [0.0, 1.0] {
        let params = json!({"input_db": 18, "colour": colour, "sides": 0});
        assert!(strongest_stray_db("console-eq", &params, 1.0, TONES) < -60.0);
    }
}

#[test]
fn no_type_of_compressor_folds_anything_back_above_60_dbfs() {
    for action in ["vca", "fet", "opto", "vari-mu"] {
        for amplitude in AMPLITUDES {
            let params = json!({"action": action, "threshold_db": -30, "ratio": 8, "attack_ms": 0.1, "input_db": 18, "makeup_db": 12});
            let found = strongest_stray_db("compressor", &params, amplitude, TONES);
            println!("{action} at {amplitude}: {found:.1} dBFS");
            assert!(found < -60.0, "{action} at {amplitude}: {found:.1} dBFS");
        }
    }
}

#[test]
fn what_has_folded_is_found_by_this_very_measure() {
    // A flat top at the base rate: the strays are there, and are seen.
    let second: Vec<f64> = (0..48_000)
        .map(|n| f64::from(n) / RATE)
        .map(|t| TONES.iter().map(|hz| (TAU * hz * t).sin()).sum::<f64>().clamp(-0.3, 0.3))
        .collect();
    assert!(stray_db(&second, TONES) > -50.0);
}
