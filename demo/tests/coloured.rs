//! Colours on parts that nobody here has made: what is driven keeps its crest or loses of it.
#![allow(missing_docs, clippy::expect_used, clippy::unwrap_used)] // a test may say what must hold by failing

mod strangers;

use serde_json::{Value, json};
use strangers::{
    BASS_FINGERED, BASS_PICKED, BRASS, CELLO, GUITAR_CLEAN, KICK, ORGAN, PIANO, Played, SNARE, STEEL, TINES, VIOLIN,
    collection,
};
use zinc_core::rack::RackSpec;
use zinc_core::signal::BLOCK;
use zinc_demo::recorded::crest_db;
use zinc_demo::song::RATE;
use zinc_demo::tools::through_rack;

/// Twelve parts of all families.
const PARTS: [Played; 12] =
    [BASS_FINGERED, BASS_PICKED, GUITAR_CLEAN, STEEL, TINES, ORGAN, PIANO, CELLO, VIOLIN, BRASS, KICK, SNARE];

fn rack(unit: &Value) -> RackSpec {
    RackSpec::from_json(&json!({"zinc_rack": 1, "units": [unit]})).unwrap()
}

/// Four seconds of a part.
fn excerpt(played: &Played) -> Vec<f32> {
    played.by(&collection())[..4 * RATE as usize / BLOCK * BLOCK].to_vec()
}

/// By how much a unit raises the crest of a part in dB; the first fifth of a second is left out.
fn raised_db(unit: &Value, part: &[f32]) -> f64 {
    let settled = |sound: &[f32]| crest_db(&sound[RATE as usize / 5..]);
    settled(&through_rack(&rack(unit), part)) - settled(part)
}

#[test]
fn no_character_raises_the_crest_of_any_part_by_half_a_decibel_at_any_drive_and_hard_drives_lower_it() {
    let parts: Vec<(&str, Vec<f32>)> = PARTS.iter().map(|part| (part.name, excerpt(part))).collect();
    let mut worst = (f64::MIN, String::new());
    for (name, part) in &parts {
        for character in ["tape", "tube", "transformer", "diode", "fold"] {
            let at = |drive_db: f64| {
                raised_db(&json!({"kind": "saturator", "params": {"character": character, "drive_db": drive_db}}), part)
            };
            let raised = [12.0, 24.0, 36.0].map(at);
            println!("{name:16} {character:12} {}", raised.map(|db| format!("{db:+6.2}")).join(" "));
            for db in raised {
                if db > worst.0 {
                    worst = (db, format!("{name} {character}"));
                }
            }
        }
        for colour in [0.0, 1.0] {
            let db = raised_db(
                &json!({"kind": "console-eq", "params": {"input_db": 18, "colour": colour, "sides": 0}}),
                part,
            );
            println!("{name:16} console {colour} {db:+.2}");
        }
    }
    println!("worst {worst:?}");
    assert!(worst.0 < 0.5, "{worst:?}");
}
