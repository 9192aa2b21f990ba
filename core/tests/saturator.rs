//! `saturator`: what each character adds, that nothing folds back, that bands sum, that level is held.
#![allow(missing_docs, clippy::expect_used, clippy::unwrap_used)] // a test may say what must hold by failing

mod common;

use common::harmonics::{comb_db, lines_db};
use common::nonlinear::alias_of_a_tone_db;
use common::units::unit;
use serde_json::{Value, json};
use zinc_core::rack::{Rack, RackSpec};
use zinc_core::signal::noise::white;
use zinc_core::signal::{BLOCK, StereoBlock};

const RATE: f64 = 48_000.0;
const CHARACTERS: [&str; 5] = ["tape", "tube", "transformer", "diode", "fold"];

fn rack(params: &Value) -> Rack {
    Rack::new(&RackSpec { units: vec![unit("saturator", params)] }, RATE)
}

/// A rack, a sample at a time.
fn by_samples(mut rack: Rack) -> impl FnMut(f64) -> f64 {
    let (mut waiting, mut ready) = (Vec::new(), vec![0.0; BLOCK]);
    move |x| {
        waiting.push(x);
        if waiting.len() == BLOCK {
            let mut block = StereoBlock::SILENT;
            waiting.drain(..).enumerate().for_each(|(i, x)| block.set_frame(i, [x; 2]));
            rack.process(&mut block);
            ready.extend((0..BLOCK).map(|i| block.frame(i)[0]));
        }
        ready.remove(0)
    }
}

/// Levels of the 1st to 6th harmonic of a tone through a character, in dBFS.
fn comb(character: &str, drive_db: f64, hz: f64, amplitude: f64) -> Vec<f64> {
    let mut rack = rack(&json!({"character": character, "drive_db": drive_db, "hold_level": false}));
    comb_db(&mut rack, RATE, hz, amplitude, 6)
}

#[test]
fn a_5_khz_tone_bent_to_ten_percent_folds_nothing_back_above_80_db_under() {
    for (character, drive_db) in [("tape", 17.0), ("tube", 16.0), ("diode", 19.0), ("fold", 19.0)] {
        let params = json!({"character": character, "drive_db": drive_db, "hold_level": false});
        let mut bend = by_samples(rack(&params));
        // Once for what is left of a constant to fade.
        alias_of_a_tone_db(0.9, &mut bend);
        let (alias, _) = alias_of_a_tone_db(0.9, &mut bend);
        let harmonics = comb(character, drive_db, 5000.0, 0.9);
        let bent: f64 = harmonics[1..4].iter().map(|db| 10f64.powf(db / 10.0)).sum();
        let thd = (bent / 10f64.powf(harmonics[0] / 10.0)).sqrt();
        assert!(thd > 0.06, "{character}: only {:.1} % of overtones", 100.0 * thd);
        assert!(alias - harmonics[0] < -80.0, "{character}: {:.1} dB", alias - harmonics[0]);
    }
}

#[test]
fn a_soft_sound_passes_as_it_came_through_every_character() {
    for character in CHARACTERS {
        for hz in [50.0, 1000.0, 15_000.0] {
            let mut rack = rack(&json!({"character": character, "drive_db": 0, "hold_level": false}));
            let [db] = lines_db(&mut rack, RATE, |t| 0.001 * (std::f64::consts::TAU * hz * t).sin(), &[hz])[..] else {
                unreachable!()
            };
            assert!((db + 60.0).abs() < 0.1, "{character} at {hz} Hz: {db:.2} dBFS");
        }
    }
}

#[test]
fn a_tube_driven_lightly_adds_the_octave_first_and_it_rises_by_one_db_for_each_db() {
    let (soft, loud) = (comb("tube", 6.0, 500.0, 0.05), comb("tube", 6.0, 500.0, 0.1));
    assert!(soft[1] > soft[2] + 15.0, "{soft:?}");
    let risen = (loud[1] - loud[0]) - (soft[1] - soft[0]);
    assert!((risen - 6.02).abs() < 0.3, "{risen}");
}

#[test]
fn the_even_characters_add_odd_overtones_alone_and_the_third_rises_by_two_db_for_each_db() {
    for character in ["tape", "transformer"] {
        let (soft, loud) = (comb(character, 10.0, 100.0, 0.05), comb(character, 10.0, 100.0, 0.1));
        assert!(loud[1] < loud[2] - 45.0, "{character}: {loud:?}");
        let risen = (loud[2] - loud[0]) - (soft[2] - soft[0]);
        assert!((risen - 12.04).abs() < 0.6, "{character}: {risen}");
    }
}

#[test]
fn bias_brings_even_overtones_beside_the_odd_ones() {
    for character in ["tape", "transformer", "diode", "fold"] {
        let params = json!({"character": character, "drive_db": 12, "bias": 0.5, "hold_level": false});
        let leant = comb_db(&mut rack(&params), RATE, 100.0, 0.3, 4);
        let even = comb(character, 12.0, 100.0, 0.3);
        assert!(leant[1] > even[1] + 30.0, "{character}: {leant:?} against {even:?}");
    }
}

#[test]
fn a_transformer_bends_lows_and_leaves_highs() {
    let (low, high) = (comb("transformer", 18.0, 60.0, 0.3), comb("transformer", 18.0, 2000.0, 0.3));
    // The voltage behind the core is bent too, far later than the flux.
    assert!(low[2] - low[0] > -25.0 && high[2] - high[0] < low[2] - low[0] - 15.0, "{low:?} {high:?}");
}

#[test]
fn tape_rounds_highs_before_lows() {
    let (low, high) = (comb("tape", 18.0, 200.0, 0.3), comb("tape", 18.0, 8000.0, 0.3));
    assert!(high[0] < low[0] - 1.0, "{low:?} {high:?}");
}

#[test]
fn a_diode_is_straight_at_first_and_then_has_an_edge() {
    let (under, over) = (comb("diode", 6.0, 300.0, 0.1), comb("diode", 24.0, 300.0, 0.9));
    assert!(under[2] - under[0] < -60.0, "{under:?}");
    // A firm edge: the fifth is not far below the third.
    assert!(over[4] > over[2] - 8.0, "{over:?}");
}

#[test]
fn only_the_band_that_is_driven_is_bent() {
    let params = json!({"drive_db": 0, "blend": 0, "hold_level": false, "bands": [{"from_hz": 2000, "character": "tape", "drive_db": 24}]});
    let low = comb_db(&mut rack(&params), RATE, 300.0, 0.5, 3);
    let high = comb_db(&mut rack(&params), RATE, 5000.0, 0.5, 3);
    assert!(low[2] < low[0] - 70.0 && high[2] > high[0] - 30.0, "{low:?} {high:?}");
}

#[test]
fn bands_that_bend_nothing_sum_flat() {
    let bands = json!([{"from_hz": 150, "blend": 0}, {"from_hz": 1200, "blend": 0}, {"from_hz": 6000, "blend": 0}]);
    let params = json!({"blend": 0, "hold_level": false, "bands": bands});
    for hz in [40.0, 150.0, 700.0, 1200.0, 6000.0, 15_000.0] {
        let [db] = lines_db(&mut rack(&params), RATE, |t| 0.25 * (std::f64::consts::TAU * hz * t).sin(), &[hz])[..]
        else {
            unreachable!()
        };
        assert!((db - 20.0 * 0.25f64.log10()).abs() < 0.05, "{hz} Hz: {db:.3}");
    }
}

#[test]
fn the_level_is_held_while_drive_moves() {
    for character in CHARACTERS {
        for drive_db in [0.0, 12.0, 30.0] {
            let mut rack = rack(&json!({"character": character, "drive_db": drive_db}));
            let (mut came_in, mut came_out) = (0.0f64, 0.0f64);
            for n in 0..1500u32 {
                let mut block = StereoBlock::SILENT;
                for i in 0..BLOCK {
                    let x = 0.2 * white(n as usize * BLOCK + i);
                    block.set_frame(i, [x; 2]);
                    came_in += if n > 375 { x * x } else { 0.0 };
                }
                rack.process(&mut block);
                came_out += if n > 375 { (0..BLOCK).map(|i| block.frame(i)[0].powi(2)).sum() } else { 0.0 };
            }
            let db = 10.0 * (came_out / came_in).log10();
            assert!(db.abs() < 1.5, "{character} driven by {drive_db} dB: {db:.2} dB");
        }
    }
}
