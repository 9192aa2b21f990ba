//! Where a new band of an equaliser begins on parts that nobody here made: at what each has too much of, put there on purpose.
#![allow(missing_docs, clippy::expect_used, clippy::unwrap_used)] // a test may say what must hold by failing

mod strangers;

use serde_json::json;
use strangers::{TUNED, collection};
use zinc_core::advice::new_band::excess_hz;
use zinc_core::measure::third_octave::{ThirdOctaves, centre_hz};
use zinc_core::rack::RackSpec;
use zinc_demo::song::RATE;
use zinc_demo::tools::through_rack;

/// Where something is put into each part, in Hz.
const PLACES_HZ: [f64; 4] = [200.0, 500.0, 1250.0, 3150.0];
/// How much, and how narrow: what a body that resonates or a microphone too near does.
const TOO_MUCH_DB: f64 = 9.0;
const Q: f64 = 3.0;
/// A part plays at a place if that is no further below its loudest, in dB.
const PLAYS_DB: f64 = 25.0;

fn thirds_db(sound: &[f32]) -> Vec<f64> {
    let mut thirds = ThirdOctaves::new(f64::from(RATE), ThirdOctaves::LONG);
    thirds.push_slices(sound, sound);
    thirds.levels_db().to_vec()
}

fn with_too_much(part: &[f32], hz: f64) -> Vec<f32> {
    let band = json!({"freq_hz": hz, "gain_db": TOO_MUCH_DB, "q": Q});
    let eq = json!({"zinc_rack": 1, "units": [{"kind": "surgical-eq", "params": {"bands": [band]}}]});
    through_rack(&RackSpec::from_json(&eq).unwrap(), part)
}

fn octaves(a: f64, b: f64) -> f64 {
    (a / b).log2().abs()
}

/// Where three bands begin that are added one after another.
fn three(thirds_db: &[f64]) -> Vec<f64> {
    let mut found = Vec::new();
    while let Some(hz) = excess_hz(thirds_db, &found).filter(|_| found.len() < 3) {
        found.push(hz);
    }
    found
}

#[test]
fn of_nine_decibels_too_much_put_into_parts_from_elsewhere_the_first_band_begins_at_four_of_five() {
    let played = collection();
    let (mut planted, mut first, mut among_three) = (0, 0, 0);
    for part in TUNED {
        let sound = part.by(&played);
        let clean = thirds_db(&sound);
        let loudest = clean.iter().copied().fold(f64::NEG_INFINITY, f64::max);
        for hz in PLACES_HZ {
            let third =
                (0..clean.len()).min_by(|a, b| octaves(centre_hz(*a), hz).total_cmp(&octaves(centre_hz(*b), hz)));
            if clean[third.unwrap()] < loudest - PLAYS_DB {
                continue;
            }
            let found = three(&thirds_db(&with_too_much(&sound, hz)));
            let is_near = |found: &f64| octaves(*found, hz) < 0.4;
            planted += 1;
            first += usize::from(found.first().is_some_and(is_near));
            among_three += usize::from(found.iter().any(is_near));
            println!("{:24} {hz:6} Hz: {:?}", part.name, found.iter().map(|hz| hz.round()).collect::<Vec<_>>());
        }
    }
    println!("{planted} planted, {first} found first, {among_three} among three");
    assert!(planted >= 50, "{planted} places at which parts play");
    assert!(5 * first >= 4 * planted, "{first} of {planted}");
    assert!(10 * among_three >= 9 * planted, "{among_three} of {planted}");
}

#[test]
fn the_lowest_notes_of_a_part_from_elsewhere_are_no_excess() {
    let played = collection();
    for part in TUNED {
        let clean = thirds_db(&part.by(&played));
        let loudest = clean.iter().copied().fold(f64::NEG_INFINITY, f64::max);
        let lowest = (0..clean.len()).find(|i| clean[*i] > loudest - 20.0).unwrap();
        if let Some(hz) = excess_hz(&clean, &[]) {
            assert!(hz > centre_hz(lowest), "{}: {hz:.0} Hz where it begins at {:.0}", part.name, centre_hz(lowest));
        }
    }
}
