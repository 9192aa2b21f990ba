//! What the ring meter says of sounds whose resonances are known, at every rate.
#![allow(missing_docs, clippy::expect_used, clippy::unwrap_used)] // a test may say what must hold by failing

mod common;

use common::{rack, run};
use serde_json::{Value, json};
use zinc_core::measure::rings::{Ring, RingMeter};
use zinc_core::signal::noise::white;
use zinc_core::signal::{BLOCK, StereoBlock};

const RATES: [f64; 3] = [44_100.0, 48_000.0, 96_000.0];
const SECONDS: f64 = 20.0;

/// A number from -1 to 1, another each time.
fn noise(drawn: &mut u64) -> f64 {
    *drawn = drawn.wrapping_add(1);
    white((*drawn % (1 << 40)) as usize)
}

/// Strokes of noise, four a second, dying away within each quarter.
fn strokes(rate: f64, seed: u64) -> Vec<f64> {
    let mut state = seed.wrapping_mul(10_000_019);
    (0..(SECONDS * rate) as usize)
        .map(|i| 0.3 * noise(&mut state) * (-12.0 * ((i as f64 / rate) % 0.25)).exp())
        .collect()
}

/// A melody of tones of eight partials, each note half a second and anywhere within an octave
/// and a half; and the noise of a preamplifier.
fn melody(rate: f64) -> Vec<f64> {
    let mut state = 41;
    let pitches: Vec<f64> =
        (0..=(SECONDS / 0.5) as usize).map(|_| 180.0 * 2f64.powf(0.75 * noise(&mut state))).collect();
    (0..(SECONDS * rate) as usize)
        .map(|i| {
            let t = i as f64 / rate;
            let (hz, within) = (pitches[(t / 0.5) as usize], t % 0.5);
            let edge = (within / 0.01).min(1.0) * ((0.5 - within) / 0.02).min(1.0);
            let partial = |n: u32| (std::f64::consts::TAU * hz * f64::from(n) * within).sin() / f64::from(n);
            0.2 * edge * (1..=8).map(partial).sum::<f64>() + 0.000_2 * noise(&mut state)
        })
        .collect()
}

fn meter_of(rate: f64, left: &[f32], right: &[f32]) -> RingMeter {
    let mut meter = RingMeter::new(rate);
    for (l, r) in left.chunks(BLOCK).zip(right.chunks(BLOCK)) {
        let mut block = StereoBlock::SILENT;
        block.left[..l.len()].copy_from_slice(l);
        block.right[..r.len()].copy_from_slice(r);
        meter.push(&block, l.len());
    }
    meter
}

fn rings(rate: f64, left: &[f32], right: &[f32]) -> Vec<Ring> {
    meter_of(rate, left, right).finish()
}

/// A sound through bands of the surgical EQ, both sides.
fn through(rate: f64, sound: &[f64], bands: Value) -> [Vec<f32>; 2] {
    let spec = rack("surgical-eq", json!({ "bands": bands }));
    run(&spec, rate, sound.len(), |i| [sound.get(i).copied().unwrap_or(0.0); 2])
}

fn resonance(hz: f64, gain_db: f64, q: f64) -> Value {
    json!([{ "shape": "bell", "freq_hz": hz, "gain_db": gain_db, "q": q }])
}

#[test]
fn a_resonance_in_strokes_is_reported_with_its_frequency_height_and_width() {
    for rate in RATES {
        for (hz, gain_db, q) in [(420.0, 15.0, 25.0), (1310.0, 14.0, 30.0), (3270.0, 16.0, 40.0)] {
            let [left, right] = through(rate, &strokes(rate, 5), resonance(hz, gain_db, q));
            let found = rings(rate, &left, &right);
            assert_eq!(found.len(), 1, "{hz} Hz at {rate}: {found:?}");
            assert!((found[0].hz / hz - 1.0).abs() < 0.01, "{} for {hz} Hz", found[0].hz);
            assert!((found[0].prominence_db - gain_db).abs() < 4.0, "{} for {gain_db} dB", found[0].prominence_db);
            let mut meter = meter_of(rate, &left, &right);
            let places = meter.candidates();
            let place = places.iter().find(|c| c.is_ring()).expect("the same ring");
            assert!((0.5..2.0).contains(&(place.q / q)), "Q {} for {q}", place.q);
        }
    }
}

#[test]
fn what_is_suggested_takes_the_ring_away() {
    let rate = 48_000.0;
    for seed in [9, 10] {
        let [left, right] = through(rate, &strokes(rate, seed), resonance(870.0, 16.0, 28.0));
        let found = rings(rate, &left, &right);
        let ring = found.iter().find(|r| (r.hz / 870.0 - 1.0).abs() < 0.015).expect("the ring");
        let rung: Vec<f64> = left.iter().map(|x| f64::from(*x)).collect();
        let [left, right] = through(rate, &rung, json!([ring.suggest]));
        let after = rings(rate, &left, &right);
        assert!(after.iter().all(|r| (r.hz / 870.0 - 1.0).abs() > 0.03), "{after:?}");
    }
}

#[test]
fn a_resonance_in_a_melody_is_found_at_every_rate() {
    for rate in RATES {
        let [left, right] = through(rate, &melody(rate), resonance(870.0, 16.0, 28.0));
        let found = rings(rate, &left, &right);
        assert!(found.len() == 1 && (found[0].hz / 870.0 - 1.0).abs() < 0.015, "at {rate}: {found:?}");
    }
}

#[test]
fn neither_strokes_nor_a_melody_ring_of_themselves() {
    for rate in RATES {
        for sound in [strokes(rate, 3), melody(rate)] {
            let plain: Vec<f32> = sound.iter().map(|x| *x as f32).collect();
            let found = rings(rate, &plain, &plain);
            assert!(found.is_empty(), "at {rate}: {found:?}");
        }
    }
}

#[test]
fn loudness_and_silence_around_change_nothing() {
    let rate = 48_000.0;
    let [left, right] = through(rate, &strokes(rate, 17), resonance(640.0, 15.0, 30.0));
    let whole = rings(rate, &left, &right);
    let quiet: Vec<f32> = left.iter().map(|x| x * 0.01).collect();
    let softly = rings(rate, &quiet, &quiet);
    let silence = vec![0.0; 3 * left.len()];
    let padded: Vec<f32> = silence.iter().chain(&left).chain(&silence).copied().collect();
    let late = rings(rate, &padded, &padded);
    for other in [&softly, &late] {
        assert_eq!(other.len(), 1, "{other:?}");
        assert!((other[0].hz / whole[0].hz - 1.0).abs() < 0.005, "{other:?}");
        assert!((other[0].prominence_db - whole[0].prominence_db).abs() < 1.5, "{other:?} {whole:?}");
    }
    // A level a hundredth as high rings over a level 40 dB lower.
    let threshold = |ring: &Ring| json!(ring.suggest)["dynamic"]["threshold_db"].as_f64();
    if let (Some(loud), Some(soft)) = (threshold(&whole[0]), threshold(&softly[0])) {
        assert!((loud - soft - 40.0).abs() < 1.5, "{loud} {soft}");
    }
}

#[test]
fn sounds_too_short_or_silent_have_no_rings() {
    let rate = 48_000.0;
    for seconds in [0.0, 0.5, 2.0] {
        let short: Vec<f32> = strokes(rate, 1).iter().take((seconds * rate) as usize).map(|x| *x as f32).collect();
        assert!(rings(rate, &short, &short).is_empty());
    }
    let still = vec![0.0; (SECONDS * rate) as usize];
    assert!(rings(rate, &still, &still).is_empty());
    let leaning = vec![0.5; (SECONDS * rate) as usize];
    assert!(rings(rate, &leaning, &leaning).is_empty());
}
