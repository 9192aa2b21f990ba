//! From the middle of a song a rack sounds, after its run-in, as it does from the start: on parts that nobody here made.
#![allow(missing_docs, clippy::expect_used, clippy::unwrap_used)] // a test may say what must hold by failing

mod strangers;

use std::convert::Infallible;

use serde_json::{Value, json};
use strangers::{BASS_PICKED, GUITAR_MUTED, PIANO, Played, collection};
use zinc_core::rack::RackSpec;
use zinc_core::render::offline::{BlockSource, Rendering, run_in};
use zinc_core::render::{Plan, Source};
use zinc_core::session::{AudioRef, Family, Role, Session};
use zinc_core::signal::{BLOCK, StereoBlock};
use zinc_core::unit::catalogue::KINDS;
use zinc_demo::song::RATE;

/// A take as it was recorded, block by block.
struct Take<'a> {
    sound: &'a [f32],
    at: usize,
}

impl BlockSource for Take<'_> {
    type Error = Infallible;

    fn next_block(&mut self, block: &mut StereoBlock) -> Result<(), Infallible> {
        block.clear();
        let rest = &self.sound[self.at.min(self.sound.len())..];
        let n = rest.len().min(BLOCK);
        block.left[..n].copy_from_slice(&rest[..n]);
        block.right[..n].copy_from_slice(&rest[..n]);
        self.at += BLOCK;
        Ok(())
    }
}

/// Three quarters of a minute of a part: soft, loud and between.
fn take(part: &Played) -> Vec<f32> {
    let once = part.by(&collection());
    [0.3f32, 1.0, 0.6].iter().flat_map(|gain| once.iter().map(move |x| gain * x)).collect()
}

/// Two seconds of a rack's sound from a place in the last third on, from the start of the take or after its run-in.
fn heard(units: &Value, sound: &[f32], is_run_in: bool) -> Vec<f32> {
    let at = (38 * RATE) as u64 + 17;
    let mut session = Session::new("run-in", RATE);
    let audio = AudioRef { hash: String::new(), channels: 1, frames: sound.len() as u64, start: 0, stamp: None };
    let main = session.main_id();
    let strip = session.add_strip("take", Family::Bs, Role::Track(audio), main);
    let rack = RackSpec::from_json(&json!({"zinc_rack": 1, "units": units})).unwrap();
    session.strip_mut(strip).unwrap().rack = rack;
    let plan = Plan::of_source(&session, &Source::Racked { strip }).unwrap();
    let of = |from: u64| Rendering::new(&plan, &session, vec![Take { sound, at: from as usize }], 0);
    let from = run_in(at, of(0).lead_in());
    let (mut rendering, first) = if is_run_in { (of(from).starting_at(at, from), at) } else { (of(0), 0) };
    let mut out = Vec::new();
    let wanted = (at - first) as usize + 2 * RATE as usize;
    while out.len() < wanted {
        rendering
            .step::<Infallible>(&mut |block: &StereoBlock, n: usize| {
                out.extend_from_slice(&block.left[..n]);
                Ok(true)
            })
            .unwrap();
    }
    out[(at - first) as usize..wanted].to_vec()
}

/// Level in dB by which both differ, under what is heard.
fn apart_db(units: &Value, sound: &[f32]) -> f64 {
    let power = |sound: &mut dyn Iterator<Item = f64>| sound.map(|x| x * x).sum::<f64>();
    let (exact, settled) = (heard(units, sound, false), heard(units, sound, true));
    let whole = power(&mut exact.iter().map(|x| f64::from(*x)));
    assert!(whole > 0.0, "{units} is silent");
    10.0 * (power(&mut exact.iter().zip(&settled).map(|(a, b)| f64::from(*a) - f64::from(*b))) / whole)
        .max(1e-30)
        .log10()
}

fn compressor(params: Value) -> Value {
    let mut all = json!({"threshold_db": -36, "ratio": 4});
    all.as_object_mut().unwrap().extend(params.as_object().unwrap().clone());
    json!([{"kind": "compressor", "params": all}])
}

#[test]
fn every_kind_and_way_of_control_is_within_60_db_of_the_print_after_its_run_in() {
    let sound = take(&BASS_PICKED);
    // As they come, but for what holds its level by listening.
    let mut cases: Vec<Value> = Vec::new();
    for kind in KINDS {
        let listening = kind.tables.params.iter().filter(|param| param.listens);
        let off: serde_json::Map<String, Value> = listening.map(|param| (param.id.to_string(), false.into())).collect();
        cases.push(json!([{"kind": kind.id, "params": off}]));
    }
    assert!(cases.len() > 15, "{} kinds", cases.len());
    for action in ["clean", "vca", "fet", "opto", "vari-mu"] {
        cases.push(compressor(json!({"action": action, "release_ms": 400})));
    }
    cases.push(compressor(json!({"auto_release": true})));
    cases.push(compressor(json!({"release_ms": 1500})));
    cases.push(json!([{"kind": "limiter", "params": {"input_db": 12, "auto_release": true}}]));
    cases.push(json!([{"kind": "gate", "params": {"threshold_db": -30, "range_db": 40, "release_ms": 900}}]));
    cases.push(json!([{"kind": "tape", "params": {"input_db": 9, "hold_level": false}}, {"kind": "amp", "params": {"voice": "crunch", "hold_level": false}}, {"kind": "cabinet", "params": {"hold_level": false}}]));
    for units in cases {
        let db = apart_db(&units, &sound);
        println!("{db:7.1} dB  {units}");
        assert!(db < -60.0, "{units}: {db:.1} dB");
    }
}

#[test]
fn what_holds_its_level_by_listening_is_within_half_a_decibel_of_the_print_after_its_run_in() {
    for part in [&GUITAR_MUTED, &PIANO] {
        let sound = take(part);
        for units in [
            json!([{"kind": "amp", "params": {"voice": "lead", "hold_level": true}}]),
            json!([{"kind": "console-eq", "params": {"low_db": 9, "auto_level": true}}]),
            // Its iron is held without a switch.
            json!([{"kind": "console-eq", "params": {"input_db": 12, "colour": 0.2}}]),
        ] {
            let db = apart_db(&units, &sound);
            println!("{db:7.1} dB  {units}");
            // A level that is off by half a decibel differs by 0.059 of it: -24.6 dB.
            assert!(db < -24.6, "{units}: {db:.1} dB");
        }
    }
}
