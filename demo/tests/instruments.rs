//! The stems measure as recordings of their instruments do.
#![allow(missing_docs, clippy::expect_used, clippy::unwrap_used)] // a test may say what must hold by failing

use zinc_demo::recorded::{
    BASS_FINGERED, BASS_PICKED, CELLOS, ELECTRIC_PIANO_TINES, GUITAR_CLEAN_ELECTRIC, GUITAR_STEEL_ACOUSTIC, KICK,
    OCTAVES_HZ, ORGAN_DRAWBAR, OVERHEADS, Recorded, SNARE, VIOLINS, VOICE, crest_db, octave_levels_db,
};
use zinc_demo::song::at;
use zinc_demo::stems::STEMS;
use zinc_demo::tools::{frame, mono};

/// How far beyond the range of its recordings a stem may lie, in dB.
const BEYOND_DB: f64 = 6.0;
const CREST_BEYOND_DB: f64 = 3.0;

/// A stem and what it is held to.
struct Held {
    stem: &'static str,
    rows: &'static [Recorded],
    /// Octaves a planted fault reaches into, and by how much more it may lift (or, below 0,
    /// take from) them.
    planted: &'static [(f64, f64)],
    /// By how much a planted fault may raise the crest, in dB.
    planted_crest_db: f64,
}

const fn held(stem: &'static str, rows: &'static [Recorded]) -> Held {
    Held { stem, rows, planted: &[], planted_crest_db: 0.0 }
}

const HELD: [Held; 14] = [
    held("Kick", &[KICK]),
    held("Snare", &[SNARE]),
    held("Overheads", &[OVERHEADS]),
    held("Bass DI", &[BASS_FINGERED, BASS_PICKED]),
    // Nasal at 820 Hz.
    Held { planted: &[(500.0, 3.0), (1000.0, 9.0)], ..held("Bass cabinet", &[BASS_FINGERED, BASS_PICKED]) },
    // Palm mutes build up at 165 Hz.
    Held { planted: &[(125.0, 5.0)], ..held("Rhythm left DI", &[GUITAR_CLEAN_ELECTRIC]) },
    Held { planted: &[(125.0, 5.0)], ..held("Rhythm right DI", &[GUITAR_CLEAN_ELECTRIC]) },
    held("Acoustic", &[GUITAR_STEEL_ACOUSTIC]),
    // Its tone control is closed: two poles at 2 kHz.
    Held {
        planted: &[(2000.0, -6.0), (4000.0, -13.0), (8000.0, -24.0), (16_000.0, -6.0)],
        ..held("Lead DI", &[GUITAR_CLEAN_ELECTRIC])
    },
    held("Electric piano", &[ELECTRIC_PIANO_TINES]),
    held("Organ", &[ORGAN_DRAWBAR]),
    // Two plucks jump out.
    Held { planted_crest_db: 4.0, ..held("Cellos", &[CELLOS]) },
    held("Violins", &[VIOLINS]),
    held("Voice", &[VOICE]),
];

impl Held {
    /// Lowest and highest of all rows, for one octave.
    fn range(&self, octave: usize) -> [f64; 2] {
        let [low, high] = span(self.rows.iter().map(|row| row.octaves_db[octave]));
        let planted = self.planted.iter().find(|(hz, _)| *hz == OCTAVES_HZ[octave]).map_or(0.0, |(_, db)| *db);
        [low - BEYOND_DB + planted.min(0.0), high + BEYOND_DB + planted.max(0.0)]
    }

    /// What does not fit, in words; prints the whole row.
    fn misfits(&self, sound: &[f32]) -> Vec<String> {
        let (levels, crest) = (octave_levels_db(sound), crest_db(sound));
        println!("{:16} {} crest {crest:4.1}", self.stem, levels.map(|db| format!("{db:4.0}")).join(" "));
        let mut misfits = Vec::new();
        for (octave, level) in levels.into_iter().enumerate() {
            let [low, high] = self.range(octave);
            if !(low..=high).contains(&level) {
                misfits.push(format!("{} {} Hz: {level:.1} dB, {low}..{high}", self.stem, OCTAVES_HZ[octave]));
            }
        }
        let [low, high] = span(self.rows.iter().map(|row| row.crest_db));
        let (low, high) = (low - CREST_BEYOND_DB, high + CREST_BEYOND_DB + self.planted_crest_db);
        if !(low..=high).contains(&crest) {
            misfits.push(format!("{} crest {crest:.1} dB, {low}..{high}", self.stem));
        }
        misfits
    }
}

fn span(ranges: impl Iterator<Item = [f64; 2]>) -> [f64; 2] {
    ranges.fold([f64::INFINITY, f64::NEG_INFINITY], |[low, high], r| [low.min(r[0]), high.max(r[1])])
}

fn sound_of(name: &str) -> Vec<f32> {
    let stem = STEMS.iter().find(|s| s.name == name).unwrap();
    mono(&(stem.render)().channels)
}

#[test]
fn every_stem_has_the_octave_levels_and_the_crest_of_its_instrument() {
    println!("{:16} {}", "", OCTAVES_HZ.map(|hz| format!("{hz:4}")).join(" "));
    assert_eq!(HELD.each_ref().map(|held| held.stem), STEMS.map(|stem| stem.name), "none is left out");
    // Two at a time, as many as the smallest machine has cores.
    let misfits: Vec<String> = std::thread::scope(|scope| {
        let halves = [0, 1].map(|half| {
            scope.spawn(move || {
                let some = HELD.iter().skip(half).step_by(2);
                some.flat_map(|held| held.misfits(&sound_of(held.stem))).collect::<Vec<_>>()
            })
        });
        halves.into_iter().flat_map(|half| half.join().unwrap()).collect()
    });
    assert!(misfits.is_empty(), "{}", misfits.join("\n"));
}

#[test]
fn the_bass_is_told_fingered_from_picked() {
    let bass = sound_of("Bass DI");
    let bars = |from: usize, to: usize| &bass[frame(at(from, 0.0))..frame(at(to, 0.0))];
    let (verse, chorus) = (bars(4, 12), bars(16, 24));
    let misfits: Vec<String> = [(verse, &[BASS_FINGERED]), (chorus, &[BASS_PICKED])]
        .into_iter()
        .flat_map(|(sound, rows)| held("Bass DI", rows).misfits(sound))
        .collect();
    assert!(misfits.is_empty(), "{}", misfits.join("\n"));
    let [fingered, picked] = [verse, chorus].map(octave_levels_db);
    assert!(picked[5] > fingered[5] + 3.0, "at 1 kHz {:.1} and {:.1} dB", fingered[5], picked[5]);
}
