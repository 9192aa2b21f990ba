//! `tape`: loss of top with level and speed, the lift of the lows, peaks, overtones.
#![allow(missing_docs, clippy::expect_used)] // a test may say what must hold by failing

mod common;

use std::f64::consts::TAU;

use common::harmonics::{comb_db, lines_db};
use common::nonlinear::alias_of_a_tone_db;
use common::units::unit;
use serde_json::{Value, json};
use zinc_core::rack::{Rack, RackSpec};
use zinc_core::signal::{BLOCK, StereoBlock};

const RATE: f64 = 48_000.0;

fn spec(params: &Value) -> RackSpec {
    RackSpec { units: vec![unit("tape", params)] }
}

fn rack(params: &Value) -> Rack {
    Rack::new(&spec(params), RATE)
}

/// Level of a tone behind the tape, less its own, in dB.
fn gain_db(params: &Value, hz: f64, level_db: f64) -> f64 {
    let amplitude = 10f64.powf(level_db / 20.0);
    lines_db(&mut rack(params), RATE, |t| amplitude * (TAU * hz * t).sin(), &[hz])[0] - level_db
}

fn at(speed: &str, drive_db: f64) -> Value {
    json!({"speed": speed, "input_db": drive_db, "hold_level": false})
}

#[test]
fn the_third_harmonic_of_minus_6_dbfs_is_three_percent_and_rises_by_two_db_for_each_db() {
    let comb = |level: f64| comb_db(&mut rack(&at("15", 0.0)), RATE, 315.0, 10f64.powf(level / 20.0), 5);
    let full = comb(-6.0);
    let percent = 100.0 * 10f64.powf((full[2] - full[0]) / 20.0);
    println!("{full:.1?}: {percent:.2} %");
    assert!((2.0..4.0).contains(&percent), "{percent}");
    assert!(full[1] < full[2] - 30.0, "odd alone: {full:?}");
    let (soft, louder) = (comb(-18.0), comb(-12.0));
    let risen = (louder[2] - louder[0]) - (soft[2] - soft[0]);
    println!("third from -18 to -12 dBFS: {risen:.1} dB");
    assert!((9.0..13.5).contains(&risen), "{risen}");
}

#[test]
fn highs_are_lost_to_level_and_to_a_slow_machine() {
    for speed in ["7.5", "15", "30"] {
        let lost = gain_db(&at(speed, 12.0), 10_000.0, -30.0) - gain_db(&at(speed, 12.0), 10_000.0, -6.0);
        let lost_at_1k = gain_db(&at(speed, 12.0), 1000.0, -30.0) - gain_db(&at(speed, 12.0), 1000.0, -6.0);
        println!("{speed}: by level at 10 kHz {lost:.1} dB, at 1 kHz {lost_at_1k:.1}");
        assert!(lost > lost_at_1k + 1.0, "{speed}: {lost} {lost_at_1k}");
    }
    let top = |speed: &str| gain_db(&at(speed, 0.0), 12_000.0, -40.0) - gain_db(&at(speed, 0.0), 1000.0, -40.0);
    println!("soft, at 12 kHz: {:.2} {:.2} {:.2} dB", top("7.5"), top("15"), top("30"));
    assert!(top("7.5") < top("15") - 0.5 && top("15") < top("30") - 0.2 && top("30") > -1.0);
}

#[test]
fn the_lift_of_the_lows_moves_by_an_octave_with_twice_the_speed() {
    let peak = |speed: &str| {
        let freqs: Vec<f64> = (0..400).map(|n| 15.0 * 2f64.powf(f64::from(n) / 80.0)).collect();
        let response = spec(&at(speed, 0.0)).response(RATE, &freqs);
        let (n, h) =
            response.iter().enumerate().max_by(|a, b| a.1.norm_sqr().total_cmp(&b.1.norm_sqr())).expect("some");
        (freqs[n], 10.0 * (h.norm_sqr() / spec(&at(speed, 0.0)).response(RATE, &[1000.0])[0].norm_sqr()).log10())
    };
    let [slow, middle, fast] = ["7.5", "15", "30"].map(peak);
    println!("{slow:.2?} {middle:.2?} {fast:.2?}");
    for (below, above) in [(slow, middle), (middle, fast)] {
        assert!((above.0 / below.0 - 2.0).abs() < 0.1, "{below:?} {above:?}");
        assert!((0.8..2.0).contains(&above.1), "{above:?}");
    }
}

#[test]
fn what_runs_softly_is_what_the_response_says() {
    for speed in ["7.5", "30"] {
        for hz in [40.0, 100.0, 1000.0, 8000.0, 15_000.0] {
            let stated = 10.0 * spec(&at(speed, 0.0)).response(RATE, &[hz])[0].norm_sqr().log10();
            let measured = gain_db(&at(speed, 0.0), hz, -60.0);
            assert!((stated - measured).abs() < 0.1, "{speed} at {hz} Hz: {stated:.3} and {measured:.3}");
        }
    }
}

#[test]
fn a_5_khz_tone_driven_to_ten_percent_folds_nothing_back_above_80_db_under() {
    let mut running = rack(&at("30", 7.0));
    let (mut waiting, mut ready) = (Vec::new(), vec![0.0; BLOCK]);
    let mut bend = |x: f64| {
        waiting.push(x);
        if waiting.len() == BLOCK {
            let mut block = StereoBlock::SILENT;
            waiting.drain(..).enumerate().for_each(|(i, x)| block.set_frame(i, [x; 2]));
            running.process(&mut block);
            ready.extend((0..BLOCK).map(|i| block.frame(i)[0]));
        }
        ready.remove(0)
    };
    alias_of_a_tone_db(0.9, &mut bend);
    let (alias, _) = alias_of_a_tone_db(0.9, &mut bend);
    let comb = comb_db(&mut rack(&at("30", 7.0)), RATE, 5000.0, 0.9, 4);
    println!("alias {alias:.1} dB, third {:.1} dB under the tone", comb[0] - comb[2]);
    assert!(comb[2] - comb[0] > -20.0, "{comb:?}");
    assert!(alias - comb[0] < -80.0, "{alias}");
}

#[test]
fn bias_to_the_left_is_rougher_and_to_the_right_cleaner_and_duller() {
    let of = |bias: f64| {
        let params = json!({"speed": "15", "input_db": 0, "bias": bias, "hold_level": false});
        let comb = comb_db(&mut rack(&params), RATE, 400.0, 0.03, 3);
        (comb[2] - comb[0], gain_db(&params, 10_000.0, -40.0) - gain_db(&params, 1000.0, -40.0))
    };
    let (left, middle, right) = (of(-1.0), of(0.0), of(1.0));
    println!("{left:.1?} {middle:.1?} {right:.1?}");
    assert!(left.0 > middle.0 + 3.0 && middle.0 > right.0 + 3.0);
    assert!(left.1 > middle.1 + 0.2 && middle.1 > right.1 + 0.2);
}

#[test]
fn stocks_hold_4_db_more_or_less() {
    let third = |stock: &str, level: f64| {
        let params = json!({"stock": stock, "input_db": 0, "hold_level": false});
        let comb = comb_db(&mut rack(&params), RATE, 315.0, 10f64.powf(level / 20.0), 3);
        comb[2] - comb[0]
    };
    let standard = third("standard", -8.0);
    assert!((third("strong", -4.0) - standard).abs() < 0.1 && (third("soft", -12.0) - standard).abs() < 0.1);
}

#[test]
fn wear_takes_the_top_and_leaves_the_rest() {
    let worn = |hz: f64| {
        let of = |wear: f64| 10.0 * spec(&json!({"wear": wear})).response(RATE, &[hz])[0].norm_sqr().log10();
        of(1.0) - of(0.0)
    };
    println!("{:.1} {:.1} {:.1}", worn(100.0), worn(1000.0), worn(10_000.0));
    assert!(worn(10_000.0) < -4.0 && worn(100.0).abs() < 0.2 && worn(1000.0) > -1.0);
}
