//! Where a part begins where something else lies low: a fundamental under rumble, hum beside thumps, a chord without
//! the mains.
#![allow(missing_docs, clippy::expect_used)] // a test may say what must hold by failing

use std::f64::consts::TAU;

use zinc_core::measure::floor::{Floor, FloorMeter};
use zinc_core::signal::{BLOCK, StereoBlock};

const RATE: f64 = 48_000.0;
const SECONDS: f64 = 20.0;

fn floor(signal: &dyn Fn(f64) -> f64) -> Floor {
    let mut meter = FloorMeter::new(RATE);
    for block in 0..(SECONDS * RATE) as usize / BLOCK {
        let mut out = StereoBlock::SILENT;
        for i in 0..BLOCK {
            out.left[i] = signal((block * BLOCK + i) as f64 / RATE) as f32;
            out.right[i] = out.left[i];
        }
        meter.push(&out, BLOCK);
    }
    meter.finish().expect("it begins somewhere")
}

/// Two notes by turns, one second each, with eight partials whose fundamental is soft.
fn notes(t: f64) -> f64 {
    let hz = if (t as u64).is_multiple_of(2) { 82.41 } else { 123.47 };
    let partial = |k: u32| if k == 1 { 0.004 } else { 0.1 / f64::from(k) } * (TAU * f64::from(k) * hz * t).sin();
    (-(t % 1.0) / 0.8).exp() * (1..9).map(partial).sum::<f64>()
}

/// Rumble from 60 to 110 Hz: 250 tones at fifths of a hertz with phases by the golden ratio, each so strong.
fn rumble(t: f64, each: f64) -> f64 {
    (0..250)
        .map(|n| each * (TAU * (60.0 + 0.2 * f64::from(n)) * t + TAU * (0.618 * f64::from(n * n)).fract()).sin())
        .sum()
}

#[test]
fn a_fundamental_that_rumble_covers_is_found_by_the_moments_in_which_its_partials_sound() {
    assert!((floor(&notes).begins_hz / 82.41 - 1.0).abs() < 0.03, "without rumble");
    let each = 0.0004;
    // A spectrum of a third of a second holds 15 of its tones in the width of a line (Hann, 4 bins of 2.9 Hz: 59 tones
    // of which each counts by the window): more than the fundamental as it dies away.
    let covered = (each * each * 40.0_f64).sqrt();
    assert!(covered > 0.4 * 0.004, "{covered}: it is covered");
    let found = floor(&|t| notes(t) + rumble(t, each));
    assert!((found.begins_hz / 82.41 - 1.0).abs() < 0.04, "{found:?}");
    assert!(found.keep.freq_hz < 82.0, "{found:?}");
}

#[test]
fn hum_beside_thumps_is_hum_and_no_note() {
    let thump = |t: f64| 0.01 * (-(t % 0.5) / 0.03).exp() * (TAU * 38.0 * t).sin();
    let high = |t: f64| (1..5).map(|k| 0.2 / f64::from(k) * (TAU * 370.0 * f64::from(k) * t).sin()).sum::<f64>();
    let playing = |t: f64| high(t) * (-(t % 0.5) / 0.2).exp();
    let hum = |t: f64| 0.002 * (1..5).map(|k| (TAU * 50.0 * f64::from(k) * t).sin() / f64::from(k)).sum::<f64>();
    let found = floor(&|t| playing(t) + thump(t) + hum(t));
    assert!((found.begins_hz / 370.0 - 1.0).abs() < 0.02, "{found:?}");
    assert_eq!(found.hum.map(|hum| hum.mains_hz), Some(50.0));
}

#[test]
fn multiples_of_the_mains_without_the_mains_or_their_double_are_a_chord() {
    let held = |t: f64| [200.0, 250.0, 300.0].iter().map(|hz| 0.05 * (TAU * hz * t).sin()).sum::<f64>();
    assert_eq!(floor(&held).hum, None);
    let mains = |t: f64| held(t) + 0.05 * (TAU * 100.0 * t).sin();
    assert_eq!(floor(&mains).hum.map(|hum| hum.mains_hz), Some(50.0), "with their double it is hum");
}
