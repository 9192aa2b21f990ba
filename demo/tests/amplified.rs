//! Amplifiers and cabinets on parts that nobody here has made: one polarity, an open top, levels held.
#![allow(missing_docs, clippy::expect_used, clippy::unwrap_used)] // a test may say what must hold by failing

mod strangers;

use serde_json::{Value, json};
use strangers::{BASS_DIS, GUITAR_DIS, Played, collection};
use zinc_core::advice::blend::{Blend, blend};
use zinc_core::measure::third_octave::centre_hz;
use zinc_core::measure::{LoudnessMeter, ThirdOctaves, integrated_lufs};
use zinc_core::rack::RackSpec;
use zinc_core::signal::BLOCK;
use zinc_core::trial::Passage;
use zinc_demo::recorded::octave_levels_db;
use zinc_demo::song::RATE;
use zinc_demo::tools::{mono_blocks, through_rack};

const VOICES: [&str; 11] =
    ["clean", "edge", "early", "crunch", "lead", "tight", "round", "gritty", "driven", "acoustic", "keys"];

fn rack(units: &[Value]) -> RackSpec {
    RackSpec::from_json(&json!({"zinc_rack": 1, "units": units})).unwrap()
}

fn excerpt(played: &Played, collection: &strangers::Collection, seconds: usize) -> Vec<f32> {
    let sound = played.by(collection);
    sound[..seconds * RATE as usize / BLOCK * BLOCK].to_vec()
}

fn lufs(sound: &[f32]) -> f64 {
    let mut meter = LoudnessMeter::new(f64::from(RATE), 2);
    let mut tenths = Vec::new();
    mono_blocks(sound).for_each(|(block, frames)| meter.push(&block, frames, |tenth| tenths.push(tenth)));
    integrated_lufs(&tenths).unwrap()
}

/// Power of each octave in dB, as they are.
fn octaves(sound: &[f32]) -> [f64; 10] {
    let power: f64 = sound.iter().map(|x| f64::from(*x) * f64::from(*x)).sum();
    let against = octave_levels_db(sound);
    let all: f64 = against.iter().map(|db| 10f64.powf(db / 10.0)).sum();
    against.map(|db| db + 10.0 * (power / all).log10())
}

/// What is left of each octave at equal blend against the softer of both alone, from 125 Hz to 2 kHz.
fn least_left_db(dry: &[f32], voice: &str) -> f64 {
    let amp = |blend: f64| json!({"kind": "amp", "params": {"voice": voice, "blend": blend, "drive_db": 20}});
    let [wet, both] = [0.0, 0.5].map(|blend| octaves(&through_rack(&rack(&[amp(blend)]), dry)));
    let dry = octaves(dry);
    let loudest = dry.iter().chain(&wet).copied().fold(f64::MIN, f64::max);
    let heard = (2..=6).filter(|k| dry[*k].min(wet[*k]) > loudest - HEARD_DB);
    // Half of each.
    heard.map(|k| both[k] + 6.02 - dry[k].min(wet[k])).fold(f64::MAX, f64::min)
}

/// An octave so far under the strongest is no part of the sound, in dB.
const HEARD_DB: f64 = 45.0;

#[test]
fn no_voice_beside_its_dry_sound_leaves_an_octave_more_than_2_db_under_the_softer_of_both() {
    let collection = collection();
    let (mut judged, mut mended) = (0, 0);
    for played in GUITAR_DIS.iter().chain(&BASS_DIS) {
        let dry = excerpt(played, &collection, 4);
        for voice in VOICES {
            let left = least_left_db(&dry, voice);
            println!("{:24} {voice:9} {left:+.1} dB", played.name);
            if left <= -2.0 {
                // Their phases truly differ there: it is said, and what is offered mends it.
                let better = blended(&dry, voice).better.and_then(|better| better.least()).map_or(left, |(_, db)| db);
                println!("{:24} {voice:9} {better:+.1} dB with what is offered", "");
                assert!(better > -2.0, "{} through {voice}: {left:.1} dB, {better:.1} as offered", played.name);
                mended += 1;
            }
            judged += 1;
        }
    }
    assert!(judged == 66 && mended <= 2, "{judged} judged, {mended} of them need mending");
}

/// What is said of an amplifier's dry blend of one half.
fn blended(dry: &[f32], voice: &str) -> Blend {
    let passage = Passage { left: dry.to_vec(), right: dry.to_vec(), ..Passage::new(f64::from(RATE), 1) };
    let spec = rack(&[json!({"kind": "amp", "params": {"voice": voice, "drive_db": 20, "blend": 0.5}})]);
    blend(&passage, &spec.units[0]).expect("both sound")
}

#[test]
fn where_octaves_do_differ_in_phase_it_is_said_and_what_is_offered_leaves_more() {
    let collection = collection();
    let (mut said, mut mended) = (0, 0);
    for (played, voice) in [
        (BASS_DIS[0], "crunch"),
        (GUITAR_DIS[0], "keys"),
        (GUITAR_DIS[2], "clean"),
        (GUITAR_DIS[2], "tight"),
        (BASS_DIS[1], "lead"),
    ] {
        let dry = excerpt(&played, &collection, 4);
        let found = blended(&dry, voice);
        let now = found.now.least().expect("octaves");
        println!(
            "{} {voice}: least {now:?}, better {:?}",
            played.name,
            found.better.as_ref().map(|b| (b.delay_ms, b.inverted, b.least()))
        );
        said += usize::from(now.1 < -2.0);
        mended += usize::from(found.better.is_some_and(|better| better.least().expect("octaves").1 > now.1 + 1.0));
    }
    assert!(said >= 1 && mended >= said, "{said} said, {mended} mended");
}

/// Power in dB between two frequencies.
fn between_db(sound: &[f32], from_hz: f64, to_hz: f64) -> f64 {
    let mut meter = ThirdOctaves::new(f64::from(RATE), 1 << 13);
    meter.push_slices(sound, sound);
    let levels = meter.levels_db();
    let within = (0..levels.len()).filter(|band| (from_hz..to_hz).contains(&centre_hz(*band)));
    10.0 * within.map(|band| 10f64.powf(levels[band] / 10.0)).sum::<f64>().log10()
}

#[test]
fn amplified_guitars_have_the_top_that_recorded_ones_have_and_a_lift_there_lifts() {
    let collection = collection();
    for played in [GUITAR_DIS[0], GUITAR_DIS[1]] {
        let dry = excerpt(&played, &collection, 4);
        for voice in ["crunch", "lead", "tight"] {
            let amp =
                json!({"kind": "amp", "params": {"voice": voice, "drive_db": 20, "hold_level": false}, "trim_db": -12});
            let cabinet = json!({"kind": "cabinet"});
            let lift = json!({"kind": "surgical-eq", "params": {"bands": [{"shape": "bell", "freq_hz": 8000, "gain_db": 12, "q": 1}]}});
            let plain = through_rack(&rack(&[amp.clone(), cabinet.clone()]), &dry);
            let lifted = through_rack(&rack(&[amp, cabinet, lift]), &dry);
            let [_, _, _, _, _, at_1k, _, at_4k, at_8k, _] = octave_levels_db(&plain);
            let (four, eight) = (at_1k - at_4k, at_1k - at_8k);
            let top = |sound: &[f32]| between_db(sound, 5700.0, 11_300.0) - between_db(sound, 990.0, 3600.0);
            let raised = top(&lifted) - top(&plain);
            println!(
                "{} {voice}: 4 kHz {four:.1} and 8 kHz {eight:.1} dB under 1 kHz, a lift raises {raised:.1} dB",
                played.name
            );
            assert!(
                (-4.0..9.0).contains(&four) && (22.0..33.0).contains(&eight),
                "{} {voice}: {four:.1} {eight:.1}",
                played.name
            );
            assert!(raised >= 7.5, "{} {voice}: {raised:.1} dB", played.name);
        }
    }
}

#[test]
fn a_cabinet_leaves_basses_as_loud_as_they_came() {
    let collection = collection();
    for played in BASS_DIS {
        let dry = excerpt(&played, &collection, 8);
        for params in [
            json!({}),
            json!({"size": "15", "box": "sealed", "a_type": "ribbon"}),
            json!({"size": "10", "cones": "4", "horn": 0.5}),
        ] {
            let out = through_rack(&rack(&[json!({"kind": "cabinet", "params": params})]), &dry);
            let louder = lufs(&out) - lufs(&dry);
            println!("{} {params}: {louder:+.2} LU", played.name);
            assert!(louder.abs() < 0.4, "{} {params}: {louder:+.2} LU", played.name);
        }
    }
}
