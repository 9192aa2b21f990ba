//! First moves for parts that nobody here has made: what lies below is told from the instrument, what hums is
//! named, what dies away is not uneven, and a good part needs nothing.
#![allow(missing_docs, clippy::expect_used, clippy::unwrap_used)] // a test may say what must hold by failing

mod strangers;

use std::f64::consts::TAU;

use strangers::{
    DRUM_PARTS, GUITAR_CLEAN, NYLON, PIANO, Played, STEEL, STEEL_PICKED, TINES, TUNED, VIOLIN, collection,
};
use zinc_core::advice::first::first_moves;
use zinc_core::advice::usual::against_usual;
use zinc_core::measure::floor::{Floor, FloorMeter};
use zinc_core::measure::raw::{Raw, RawMeter};
use zinc_core::session::Part;
use zinc_demo::player::Chance;
use zinc_demo::song::RATE;
use zinc_demo::tools::{bell, high_cut, low_cut, mono_blocks, set_peak, shape};

fn raw(sound: &[f32]) -> Raw {
    let mut meter = RawMeter::new(f64::from(RATE), 1);
    mono_blocks(sound).for_each(|(block, _)| meter.push(&block));
    meter.finish()
}

fn hz(midi: f64) -> f64 {
    440.0 * 2f64.powf((midi - 69.0) / 12.0)
}

fn floor(sound: &[f32]) -> Floor {
    let mut meter = FloorMeter::new(f64::from(RATE));
    mono_blocks(sound).for_each(|(block, frames)| meter.push(&block, frames));
    meter.finish().expect("it begins somewhere")
}

/// Mean power of a sound at a frequency (Goertzel).
fn power_at(sound: &[f32], hz: f64) -> f64 {
    let step = TAU * hz / f64::from(RATE);
    let turned = |turn: fn(f64) -> f64| -> f64 {
        sound.iter().enumerate().map(|(n, x)| f64::from(*x) * turn(step * n as f64)).sum()
    };
    (turned(f64::sin).powi(2) + turned(f64::cos).powi(2)) / (sound.len() as f64).powi(2)
}

/// The lowest note that sounds for a fiftieth of the notes. An organ's pipes may be longer than its keys say: by one
/// or two octaves in the collections there are.
fn lowest_note_hz(played: &Played, part: &[f32]) -> f64 {
    let mut notes = played.notes();
    notes.sort_by(f64::total_cmp);
    let key = hz(notes[notes.len() / 50]);
    let octaves: &[f64] = if played.name == "organ" { &[0.25, 0.5, 1.0] } else { &[1.0] };
    let strongest = octaves.iter().map(|by| power_at(part, by * key)).fold(0.0, f64::max);
    octaves.iter().map(|by| by * key).find(|hz| power_at(part, *hz) > 0.01 * strongest).unwrap_or(key)
}

/// Noise between 24 and 36 Hz so many dB under a part.
fn with_rumble(part: &[f32], under_db: f64) -> Vec<f32> {
    let mut chance = Chance::new(77);
    let mut noise: Vec<f32> = part.iter().map(|_| chance.noise() as f32).collect();
    shape(&mut noise, &[low_cut(24.0), low_cut(24.0), high_cut(36.0), high_cut(36.0)]);
    let rms = |sound: &[f32]| (sound.iter().map(|x| f64::from(*x).powi(2)).sum::<f64>() / sound.len() as f64).sqrt();
    let gain = (rms(part) / rms(&noise) * 10f64.powf(-under_db / 20.0)) as f32;
    part.iter().zip(&noise).map(|(x, n)| x + gain * n).collect()
}

#[test]
fn a_part_begins_at_its_lowest_note_with_and_without_rumble_below_and_its_high_pass_lies_between() {
    let collection = collection();
    let mut wrong = Vec::new();
    let mut judged = 0;
    for played in TUNED {
        let part = played.by(&collection);
        let lowest = lowest_note_hz(&played, &part);
        for (how, sound) in [
            ("as it is", part.clone()),
            ("rumble", with_rumble(&part, 12.0)),
            ("soft rumble", with_rumble(&part, 24.0)),
        ] {
            let floor = floor(&sound);
            let right = (floor.begins_hz / lowest - 1.0).abs() < 0.04;
            let keeps = floor.keep.freq_hz < lowest && (lowest < 60.0 || floor.keep.freq_hz > 36.0);
            println!(
                "{:24} {how:12} lowest {lowest:6.1} found {:6.1}, high-pass {:5.1}",
                played.name, floor.begins_hz, floor.keep.freq_hz
            );
            judged += 1;
            if !right || !keeps {
                wrong.push(format!(
                    "{} {how}: {:.1} for {lowest:.1}, {:.1}",
                    played.name, floor.begins_hz, floor.keep.freq_hz
                ));
            }
        }
    }
    println!("{} of {judged} wrong: {wrong:#?}", wrong.len());
    assert!(judged == 51 && wrong.len() <= 3, "{wrong:#?}");
}

#[test]
fn a_boost_in_the_low_middle_pushes_no_high_pass_over_the_lowest_note() {
    let collection = collection();
    for played in [PIANO, TINES] {
        let mut part = played.by(&collection);
        shape(&mut part, &[bell(350.0, 8.0, 2.0)]);
        let floor = floor(&part);
        println!("{}: begins {:.1}, high-pass {:.1}", played.name, floor.begins_hz, floor.keep.freq_hz);
        assert!(floor.keep.freq_hz < lowest_note_hz(&played, &part), "{}: {floor:?}", played.name);
    }
}

#[test]
fn hum_is_named_and_gets_narrow_cuts_of_its_own() {
    let collection = collection();
    for (played, mains) in [(STEEL_PICKED, 50.0), (NYLON, 60.0), (VIOLIN, 50.0)] {
        let mut part = played.by(&collection);
        for (n, x) in part.iter_mut().enumerate() {
            let t = n as f64 / f64::from(RATE);
            *x += (0.004 * (1..5).map(|k| (TAU * mains * f64::from(k) * t).sin() / f64::from(k)).sum::<f64>()) as f32;
        }
        println!("{}: {:?}", played.name, floor(&part).hum);
        let raw = raw(&part);
        let hum = raw.floor.as_ref().unwrap().hum.clone().unwrap_or_else(|| panic!("{}: none found", played.name));
        assert_eq!(hum.mains_hz, mains, "{}", played.name);
        let moves = first_moves(&raw);
        let cut = moves.iter().find(|m| m.says.contains("hum")).expect("a move");
        assert!(cut.unit.settings.rows().len() >= 2);
        assert!((raw.floor.unwrap().begins_hz / lowest_note_hz(&played, &part) - 1.0).abs() < 0.04, "{}", played.name);
    }
}

#[test]
fn what_dies_away_is_not_held_and_a_good_part_needs_nothing() {
    let collection = collection();
    let (mut held, mut asked) = (Vec::new(), Vec::new());
    for played in DRUM_PARTS.iter().chain(&TUNED) {
        let moves = first_moves(&raw(&played.by(&collection)));
        let names: Vec<String> = moves.iter().map(|m| format!("{} {}", m.says, m.does)).collect();
        println!("{}: {names:?}", played.name);
        if moves.iter().any(|m| m.unit.kind.id == "compressor") {
            held.push(played.name);
        }
        if moves.iter().any(|m| m.does.contains("high-pass")) {
            asked.push(played.name);
        }
    }
    assert!(held.is_empty(), "held: {held:?}");
    assert!(asked.len() <= 5, "high-passes for good parts: {asked:?}");
    let mut soft = with_rumble(&STEEL.by(&collection), 46.0);
    set_peak(std::slice::from_mut(&mut soft), -8.0);
    assert!(!first_moves(&raw(&soft)).iter().any(|m| m.says.contains("46")), "rumble that nobody hears");
}

#[test]
fn a_drum_begins_with_its_shell_and_not_with_a_ring_above_it() {
    let mut found = 0;
    for stem in zinc_demo::stems::STEMS.iter().filter(|stem| ["Snare", "Overheads"].contains(&stem.name)) {
        let floor = floor(&zinc_demo::tools::mono(&(stem.render)().channels));
        println!("{}: begins {:.1}, high-pass {:.1}", stem.name, floor.begins_hz, floor.keep.freq_hz);
        assert!(floor.begins_hz < 250.0 && floor.keep.freq_hz < 200.0, "{}: {floor:?}", stem.name);
        found += 1;
    }
    assert_eq!(found, 2);
}

#[test]
fn the_usual_is_laid_at_the_level_of_the_part_and_nothing_is_said_of_what_kinds_do_not_share() {
    let part = PIANO.by(&collection());
    let soft: Vec<f32> = part.iter().map(|x| 0.1 * x).collect();
    let [loud, softer] = [&part, &soft].map(|sound| against_usual(&raw(sound), Part::Piano).expect("a piano"));
    assert_eq!(loud.departures, softer.departures);
    let mut judged = 0;
    for (a, b) in loud.range_dbfs.iter().zip(&softer.range_dbfs) {
        assert_eq!(a.is_some(), b.is_some());
        if let (Some(a), Some(b)) = (a, b) {
            assert!((a[0] - b[0] - 20.0).abs() < 0.1 && a[1] > a[0], "{a:?} {b:?}");
            judged += 1;
        }
    }
    assert!(judged > 10);
    let heard = raw(&part);
    for part in [Part::Unknown, Part::Synth, Part::Voice, Part::Kick] {
        assert!(against_usual(&heard, part).is_none(), "{part:?}");
    }
    // Squashed as by an amplifier it is held against no clean guitar.
    let squashed: Vec<f32> = GUITAR_CLEAN.by(&collection()).iter().map(|x| (40.0 * x).tanh() * 0.3).collect();
    assert!(against_usual(&raw(&squashed), Part::RhythmGuitar).is_none());
}
