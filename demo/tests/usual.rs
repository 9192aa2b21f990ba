//! Parts against what their kind usually measures: where a broad fault was planted the part lies outside.
#![allow(missing_docs, clippy::expect_used, clippy::unwrap_used)] // a test may say what must hold by failing

mod strangers;

use serde_json::json;
use strangers::{
    BASS_PICKED, CELLO, GUITAR_CLEAN, GUITAR_CLEAN_PICKED, NYLON, ORGAN, PIANO, Played, STEEL, STEEL_PICKED,
    STRINGS_LOW, TINES, collection,
};
use zinc_core::advice::usual::{AgainstUsual, against_usual};
use zinc_core::measure::raw::{Raw, RawMeter};
use zinc_core::session::Part;
use zinc_demo::song::RATE;
use zinc_demo::tools::{bell, mono_blocks, shape};

const PARTS: [(Played, Part); 11] = [
    (BASS_PICKED, Part::BassDi),
    (GUITAR_CLEAN, Part::RhythmGuitar),
    (GUITAR_CLEAN_PICKED, Part::LeadGuitar),
    (NYLON, Part::AcousticGuitar),
    (STEEL, Part::AcousticGuitar),
    (STEEL_PICKED, Part::AcousticGuitar),
    (TINES, Part::ElectricPiano),
    (ORGAN, Part::Organ),
    (PIANO, Part::Piano),
    (CELLO, Part::Cellos),
    (STRINGS_LOW, Part::Cellos),
];
/// Boxiness, harshness, missing body: frequency, gain, Q.
const FAULTS: [(f64, f64, f64); 3] = [(350.0, 8.0, 2.0), (3000.0, 9.0, 1.5), (500.0, -9.0, 1.0)];
/// Keys in which the usual was not measured.
const SEMITONES: f64 = 1.0;
/// A departure is where a fault is if it is within so many octaves.
const NEAR_OCT: f64 = 0.55;

fn raw(sound: &[f32]) -> Raw {
    let mut meter = RawMeter::new(f64::from(RATE), 1);
    mono_blocks(sound).for_each(|(block, _)| meter.push(&block));
    meter.finish()
}

/// Frequency and gain of each move that is offered.
fn offered(found: &AgainstUsual) -> Vec<(f64, f64)> {
    let band = |m: &zinc_core::advice::first::FirstMove| json!(m.unit)["params"]["bands"][0].clone();
    let pair = |band: serde_json::Value| (band["freq_hz"].as_f64().unwrap(), band["gain_db"].as_f64().unwrap());
    found.departures.iter().map(band).map(pair).collect()
}

#[test]
fn where_a_broad_fault_was_planted_a_part_lies_outside_the_usual_more_often_than_not() {
    let collection = collection();
    let (mut named, mut planted, mut told) = (0, 0, 0);
    for (played, part) in PARTS {
        let clean = played.transposed_by(&collection, SEMITONES);
        let found = against_usual(&raw(&clean), part);
        println!(
            "{}: {:?}",
            played.name,
            found.as_ref().map(|f| f.departures.iter().map(|m| m.says.clone()).collect::<Vec<_>>())
        );
        told += usize::from(found.is_some_and(|found| !found.departures.is_empty()));
        for (hz, gain_db, q) in FAULTS {
            let mut faulty = clean.clone();
            shape(&mut faulty, &[bell(hz, gain_db, q)]);
            let moves = against_usual(&raw(&faulty), part).map(|found| offered(&found)).unwrap_or_default();
            let there = moves.iter().any(|(at, gain)| (at / hz).log2().abs() < NEAR_OCT && gain * gain_db < 0.0);
            println!("  {hz} Hz {gain_db:+} dB: {moves:?} {}", if there { "named" } else { "" });
            planted += 1;
            named += usize::from(there);
        }
    }
    println!("{named} of {planted} named; something said of {told} of {} as they are", PARTS.len());
    assert!(planted == 33 && 2 * named >= planted, "{named} of {planted}");
}
