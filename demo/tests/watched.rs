//! What the advice says of compressors on parts that nobody here has made: what is bad is named, what is plain work
//! is left in peace.
#![allow(missing_docs, clippy::expect_used, clippy::unwrap_used)] // a test may say what must hold by failing

mod strangers;

use serde_json::{Value, json};
use strangers::{
    BASS_PICKED, DRUM_PARTS, GUITAR_CLEAN, GUITAR_CLEAN_PICKED, GUITAR_MUTED, KICK, NYLON, PIANO, Played, SNARE, STEEL,
    STEEL_PICKED, TINES, TOMS, TUNED, VIOLIN, collection,
};
use zinc_core::advice::watch::faults;
use zinc_core::rack::RackSpec;
use zinc_core::trial::{Passage, Take};
use zinc_demo::player::Chance;
use zinc_demo::song::RATE;
use zinc_demo::tools::{high_cut, low_cut, shape};

fn passage(sound: &[f32]) -> Passage {
    let mut passage = Passage::new(f64::from(RATE), 1);
    passage.left.extend(sound);
    passage.right.extend(sound);
    passage
}

fn rack(params: &Value) -> RackSpec {
    let file = json!({"zinc_rack": 1, "units": [{"kind": "compressor", "params": params}]});
    RackSpec::from_json(&file).expect("a rack")
}

/// A compressor whose threshold is where it takes so many dB at most.
fn taking(passage: &Passage, most_db: f64, mut params: Value) -> RackSpec {
    let mut bounds = [-60.0, 0.0];
    for _ in 0..9 {
        let threshold_db = 0.5 * (bounds[0] + bounds[1]);
        params["threshold_db"] = json!(threshold_db);
        let take = Take::of(passage, &rack(&params), None);
        let most = take.reduction().iter().fold(0.0f32, |most, x| most.max(*x));
        bounds[usize::from(f64::from(most) < most_db)] = threshold_db;
    }
    rack(&params)
}

/// Codes and words of what is said.
fn said(passage: &Passage, rack: &RackSpec) -> Vec<(&'static str, String)> {
    faults(passage, rack).into_iter().map(|fault| (fault.found.code, fault.found.says)).collect()
}

#[test]
fn an_attack_of_nothing_that_takes_the_strokes_is_named() {
    let collection = collection();
    let struck: [Played; 12] = [
        STEEL,
        STEEL_PICKED,
        NYLON,
        GUITAR_CLEAN,
        GUITAR_CLEAN_PICKED,
        GUITAR_MUTED,
        BASS_PICKED,
        PIANO,
        TINES,
        KICK,
        SNARE,
        TOMS,
    ];
    let (mut bad, mut named) = (0, 0);
    for played in struck {
        let passage = passage(&played.by(&collection));
        let rack = taking(&passage, 12.0, json!({"attack_ms": 0, "release_ms": 80, "ratio": 8}));
        let take = Take::of(&passage, &rack, None);
        let crest = |sound: &Passage| {
            let peak = sound.left.iter().fold(0.0f32, |m, x| m.max(x.abs()));
            let power = sound.left.iter().map(|x| f64::from(*x).powi(2)).sum::<f64>() / sound.frames() as f64;
            20.0 * f64::from(peak).log10() - 10.0 * power.log10()
        };
        let (was, is) = (crest(&passage), crest(&take.sound));
        let words = said(&passage, &rack);
        println!("{}: crest {was:.1} to {is:.1}: {words:?}", played.name);
        if was - is >= 5.0 {
            bad += 1;
            named += usize::from(words.iter().any(|(code, _)| *code == "choking"));
        }
    }
    println!("{named} of {bad} named");
    assert!(bad >= 6 && 10 * named >= 9 * bad, "{named} of {bad}");
}

/// A part with noise between 24 and 36 Hz so many dB over it.
fn with_rumble(part: &[f32], over_db: f64) -> Vec<f32> {
    let mut chance = Chance::new(91);
    let mut noise: Vec<f32> = part.iter().map(|_| chance.noise() as f32).collect();
    shape(&mut noise, &[low_cut(24.0), low_cut(24.0), high_cut(36.0), high_cut(36.0)]);
    let rms = |sound: &[f32]| (sound.iter().map(|x| f64::from(*x).powi(2)).sum::<f64>() / sound.len() as f64).sqrt();
    let gain = (rms(part) / rms(&noise) * 10f64.powf(over_db / 20.0)) as f32;
    part.iter().zip(&noise).map(|(x, n)| x + gain * n).collect()
}

#[test]
fn rumble_that_drives_a_compressor_is_named() {
    let collection = collection();
    let (mut bad, mut named, mut added) = (0, 0, 0);
    for played in [STEEL, STEEL_PICKED, NYLON, GUITAR_CLEAN_PICKED, PIANO, TINES, VIOLIN] {
        let part = played.by(&collection);
        let clean = passage(&part);
        for over_db in [-1.0, 4.0] {
            let rumbling = passage(&with_rumble(&part, over_db));
            let params = json!({"attack_ms": 10, "release_ms": 120, "ratio": 8, "detect": "rms", "rms_ms": 10});
            let rack = taking(&rumbling, 12.0, params);
            let mean = |sound: &Passage| {
                let take = Take::of(sound, &rack, None);
                take.reduction().iter().map(|x| f64::from(*x)).sum::<f64>() / take.reduction().len() as f64
            };
            let (with, without) = (mean(&rumbling), mean(&clean));
            let words = said(&rumbling, &rack);
            println!("{} {over_db:+} dB: {with:.1} dB on the mean, {without:.1} without: {words:?}", played.name);
            if with - without >= 2.0 {
                bad += 1;
                let found = words.iter().find(|(code, _)| *code == "rumble");
                named += usize::from(found.is_some());
                added += usize::from(found.is_some_and(|(_, says)| says.contains("adds")));
            }
        }
    }
    println!("{named} of {bad} named, {added} of them by what it adds");
    assert!(bad >= 8 && 10 * named >= 9 * bad, "{named} of {bad}");
    assert!(added >= 1, "some of it leads for less than most of the time");
}

#[test]
fn plain_work_on_any_part_is_left_in_peace() {
    let collection = collection();
    let mut troubled = Vec::new();
    let mut judged = 0;
    for played in TUNED.iter().chain(&DRUM_PARTS) {
        let passage = passage(&played.by(&collection));
        for (ratio, attack_ms, release_ms) in [(3.0, 15.0, 120.0), (4.0, 25.0, 200.0)] {
            let rack = taking(&passage, 5.0, json!({"attack_ms": attack_ms, "release_ms": release_ms, "ratio": ratio}));
            judged += 1;
            let words: Vec<_> = said(&passage, &rack)
                .into_iter()
                .filter(|(code, _)| ["pumping", "choking", "rumble", "highs-pulled-down"].contains(code))
                .collect();
            if !words.is_empty() {
                println!("{} {ratio}:1 {attack_ms} ms {release_ms} ms: {words:?}", played.name);
                troubled.push(played.name);
            }
        }
    }
    println!("{} of {judged} troubled", troubled.len());
    assert!(20 * troubled.len() <= judged, "{troubled:?} of {judged}");
}
