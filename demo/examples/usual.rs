//! Prints `core/src/advice/usual/table.rs`: what kinds of instruments usually measure, of two General MIDI collections of
//! sampled instruments as Debian packages them (`timgm6mb-soundfont`, `fluid-soundfont-gm`), several instruments of each
//! kind playing made-up parts in three keys.
//!
//! `cargo run --release -p zinc-demo --example usual > core/src/advice/usual/table.rs && cargo fmt`
#![allow(clippy::unwrap_used, clippy::expect_used, missing_docs)] // a tool for the developer's desk

#[path = "../tests/strangers/mod.rs"]
mod strangers;

use strangers::{
    BASS_FINGERED, BASS_PICKED, BRASS, CELLO, Collection, GUITAR_CLEAN, GUITAR_CLEAN_PICKED, GUITAR_LINE, NYLON, ORGAN,
    PIANO, Played, STEEL, STEEL_PICKED, STRINGS_HIGH, STRINGS_LOW, TINES, VIOLIN,
};
use zinc_core::advice::usual::{highs_db, stands_out_db};
use zinc_core::measure::ThirdOctaves;
use zinc_core::measure::third_octave::{BANDS, centre_hz};
use zinc_demo::song::RATE;

const COLLECTIONS: [&str; 2] = ["/usr/share/sounds/sf2/TimGM6mb.sf2", "/usr/share/sounds/sf2/FluidR3_GM.sf2"];
const TRANSPOSED: [f64; 3] = [-4.0, 0.0, 3.0];
/// What levels are taken against, in Hz: the middle of every kind.
const MIDDLE_HZ: [f64; 2] = [240.0, 4500.0];

/// A kind of instrument: its name, the parts of a session it stands for, and what is played.
struct Kind {
    name: &'static str,
    parts: &'static [&'static str],
    scores: &'static [Played],
    programs: &'static [i32],
}

const KINDS: [Kind; 9] = [
    Kind { name: "basses", parts: &["BassDi"], scores: &[BASS_FINGERED, BASS_PICKED], programs: &[32, 33, 34, 35, 36] },
    Kind {
        name: "clean electric guitars",
        parts: &["RhythmGuitar", "LeadGuitar"],
        scores: &[GUITAR_CLEAN, GUITAR_CLEAN_PICKED, GUITAR_LINE],
        programs: &[26, 27],
    },
    Kind {
        name: "acoustic guitars",
        parts: &["AcousticGuitar"],
        scores: &[STEEL, STEEL_PICKED, NYLON],
        programs: &[24, 25],
    },
    Kind { name: "pianos", parts: &["Piano"], scores: &[PIANO], programs: &[0, 1, 2, 3] },
    Kind { name: "electric pianos", parts: &["ElectricPiano"], scores: &[TINES], programs: &[4, 5] },
    Kind { name: "organs", parts: &["Organ"], scores: &[ORGAN], programs: &[16, 17, 18, 19] },
    Kind { name: "low strings", parts: &["Cellos"], scores: &[CELLO, STRINGS_LOW], programs: &[42, 48, 49] },
    Kind { name: "high strings", parts: &["Violins"], scores: &[VIOLIN, STRINGS_HIGH], programs: &[40, 48, 49] },
    Kind { name: "brass", parts: &["Winds"], scores: &[BRASS], programs: &[56, 57, 60, 61] },
];

/// Levels by third of an octave, the middle at 0 dB.
fn levels(sound: &[f32]) -> [f64; BANDS] {
    let mut meter = ThirdOctaves::new(f64::from(RATE), ThirdOctaves::LONG);
    meter.push_slices(sound, sound);
    let levels = meter.levels_db();
    let middle: Vec<f64> =
        (0..BANDS).filter(|b| (MIDDLE_HZ[0]..MIDDLE_HZ[1]).contains(&centre_hz(*b))).map(|b| levels[b]).collect();
    levels.map(|db| db - middle.iter().sum::<f64>() / middle.len() as f64)
}

fn played(kind: &Kind, collections: &[Collection]) -> Vec<[f64; BANDS]> {
    let mut all = Vec::new();
    for collection in collections {
        for (score, program) in kind.scores.iter().flat_map(|score| kind.programs.iter().map(move |p| (*score, *p))) {
            let mut part = score;
            part.program = program;
            all.extend(TRANSPOSED.map(|semitones| levels(&part.transposed_by(collection, semitones))));
        }
    }
    all
}

/// Mean and spread of a figure.
fn spread(figures: impl Iterator<Item = f64>) -> [f64; 2] {
    let all: Vec<f64> = figures.collect();
    let mean = all.iter().sum::<f64>() / all.len() as f64;
    [mean, (all.iter().map(|x| (x - mean).powi(2)).sum::<f64>() / all.len() as f64).sqrt()]
}

fn main() {
    let collections = COLLECTIONS.map(strangers::collection_at);
    println!("//! What kinds of instruments usually measure.\n//!");
    println!(
        "//! Printed by `cargo run --release -p zinc-demo --example usual` from two collections of sampled instruments."
    );
    println!("//! Do not edit by hand.\n");
    println!("use crate::measure::third_octave::BANDS;\nuse crate::session::Part;\n");
    println!("/// A kind of instrument.\npub struct Usual {{");
    println!("    /// Its name in the plural.\n    pub kind: &'static str,");
    println!("    /// Parts of a session it stands for.\n    pub parts: &'static [Part],");
    println!("    /// Mean level by third of an octave, in dB against its middle.\n    pub levels_db: [f64; BANDS],");
    println!("    /// How far that strays (standard deviation).\n    pub strays_db: [f64; BANDS],");
    println!("    /// How far an octave strays in how it stands out of those beside it.");
    println!("    pub stands_out_strays_db: [f64; BANDS],");
    println!("    /// How far its highs stray against its middle.\n    pub highs_stray_db: f64,\n}}\n");
    println!("/// The kinds.\n#[rustfmt::skip]\npub const USUAL: &[Usual] = &[");
    for kind in &KINDS {
        let all = played(kind, &collections);
        let levels: [[f64; 2]; BANDS] = std::array::from_fn(|band| spread(all.iter().map(|one| one[band])));
        let out: [[f64; 2]; BANDS] =
            std::array::from_fn(|band| spread(all.iter().map(|one| stands_out_db(one, band.clamp(1, BANDS - 2)))));
        let line = |of: &[[f64; 2]; BANDS], which: usize| of.map(|x| format!("{:.1}", x[which])).join(", ");
        let parts = kind.parts.iter().map(|part| format!("Part::{part}")).collect::<Vec<_>>().join(", ");
        println!("    Usual {{\n        kind: {:?},\n        parts: &[{parts}],", kind.name);
        println!("        levels_db: [{}],", line(&levels, 0));
        println!("        strays_db: [{}],", line(&levels, 1));
        println!("        stands_out_strays_db: [{}],", line(&out, 1));
        println!("        highs_stray_db: {:.1},\n    }},", spread(all.iter().map(highs_db))[1]);
    }
    println!("];");
}
