//! Every parameter of every kind, by itself, is heard unless it is said to rest.
#![allow(missing_docs, clippy::expect_used, clippy::unwrap_used)] // a test may say what must hold by failing

mod common;

use common::units::unit;
use serde_json::json;
use zinc_core::rack::{Key, Keys, Rack, RackSpec, UnitSpec};
use zinc_core::signal::noise::white;
use zinc_core::signal::{BLOCK, StereoBlock};
use zinc_core::unit::catalogue::KINDS;
use zinc_core::unit::param::{Domain, Rests};
use zinc_core::unit::value::Written;
use zinc_core::unit::{Param, Record, UnitKind};

const RATE: f64 = 48_000.0;
const FRAMES: usize = 28_800;
/// Largest difference of two samples from which two sounds are told apart: -80 dBFS.
const HEARD: f32 = 1e-4;

/// Strokes of a bass and of two notes that die away into next to nothing, each side its own, loud and soft in turn.
fn part(n: usize) -> [f64; 2] {
    let t = n as f64 / RATE;
    let level = if n % 24_000 < 12_000 { 0.5 } else { 0.1 };
    let stroke = level * (-30.0 * (t % 0.25)).exp();
    let tone = |hz: f64| (std::f64::consts::TAU * hz * t).sin();
    let left = stroke * (tone(50.0) + tone(110.0) + 0.5 * tone(2300.0));
    [left + 0.0005 * white(n), stroke * tone(164.0) + 0.0005 * white(n + 7_000_000)]
}

/// What drives a unit with a key: pulses, off the strokes.
fn key(n: usize) -> [f64; 2] {
    [if n % 9000 < 2000 { 0.5 * white(n) } else { 0.0 }; 2]
}

/// A unit with two rows in each list: as it comes, with its numbers about the middle, no two alike, with its
/// switches on, with a sound in it, and driven by a key.
fn at_work(kind: &UnitKind) -> Vec<UnitSpec> {
    let with = |numbers: bool, switches: bool, sounds: bool| {
        let moved = |record: &mut Record, params: &[Param], by: usize| {
            for (n, param) in params.iter().enumerate() {
                match param.domain {
                    Domain::Number { min, max, taper, .. } if numbers => {
                        record.put_number(param.id, taper.value_at(0.4 + 0.04 * ((n + by) % 8) as f64, min, max));
                    }
                    Domain::Switch { .. } if switches => record.switch(param.id, true),
                    _ => {}
                }
            }
        };
        let mut all = unit(kind.id, &json!({}));
        moved(&mut all.settings.fixed, kind.tables.params, 0);
        for (rows, list) in kind.tables.lists.iter().zip(&mut all.settings.lists) {
            for n in 0..rows.max.min(2) {
                let mut row = Record::defaults(rows.params);
                moved(&mut row, rows.params, 3 * n);
                list.push(row);
            }
        }
        for param in kind.tables.params.iter().filter(|p| sounds && matches!(p.domain, Domain::Sound { .. })) {
            all.set(param.id, &serde_json::from_value(json!(common::units::sound_name(1))).unwrap()).expect("a sound");
        }
        all.settings.fixed.supply(&common::units::sounds());
        all
    };
    let keyed = |mut unit: UnitSpec| {
        unit.key = Some(Key::Outside);
        unit
    };
    let all = with(true, true, false);
    let mut stands = vec![with(false, false, false), with(true, false, false), all.clone()];
    if kind.tables.params.iter().any(|param| matches!(param.domain, Domain::Sound { .. })) {
        stands.push(with(true, true, true));
    }
    if kind.takes_key {
        stands.push(keyed(all));
    }
    stands
}

/// The parameters of its table on which it depends whether one rests.
fn named_by(rests: &[Rests]) -> Vec<&'static str> {
    let of = |rest: &Rests| match rest {
        Rests::At(id, _) | Rests::Unless(id, _) => vec![*id],
        Rests::Both(one, other) => [one, other].iter().flat_map(|rest| named_by(std::slice::from_ref(rest))).collect(),
    };
    rests.iter().flat_map(of).collect()
}

/// A unit at every setting of what says whether a parameter rests, where it does not.
fn awake(from: &UnitSpec, params: &[Param], param: &Param, path: &str) -> Vec<UnitSpec> {
    let mut stands = vec![from.clone()];
    for other in params.iter().filter(|other| named_by(param.rests).contains(&other.id)) {
        for was in stands.clone() {
            stands.extend(others(other).iter().map(|value| {
                let mut unit = was.clone();
                unit.set(&format!("{path}{}", other.id), value).expect("an option");
                unit
            }));
        }
    }
    stands.retain(|unit| !record(unit, path).rests(param));
    stands
}

/// Other values of a parameter than the one it has.
fn others(param: &Param) -> Vec<Written> {
    match param.domain {
        Domain::Number { min, max, taper, .. } => [0.05, 0.9].map(|t| taper.value_at(t, min, max).into()).into(),
        Domain::Choice { options, .. } => options.iter().map(|o| o.id.into()).collect(),
        Domain::Switch { .. } => vec![false.into(), true.into()],
        Domain::Sound { .. } => [0, 1].map(|n| common::units::sound_name(n).as_str().into()).into(),
    }
}

/// What a unit makes of the part, driven by the key where it takes one.
fn sound(unit: &UnitSpec) -> [Vec<f32>; 2] {
    let mut rack = Rack::new(&RackSpec { units: vec![unit.clone()] }, RATE);
    let mut keys = Keys::for_units(unit.key.iter().map(|_| unit.id));
    let mut out = [Vec::new(), Vec::new()];
    for first in (0..FRAMES).step_by(BLOCK) {
        let (mut block, mut driving) = (StereoBlock::default(), StereoBlock::default());
        for i in 0..BLOCK {
            block.set_frame(i, part(first + i));
            driving.set_frame(i, key(first + i));
        }
        keys.clear();
        if unit.key.is_some() {
            keys.add(unit.id, &driving);
        }
        rack.process_tapped(&mut block, &keys, first as i64, |_, _| {});
        out[0].extend_from_slice(&block.left);
        out[1].extend_from_slice(&block.right);
    }
    out
}

fn differ(a: &[Vec<f32>; 2], b: &[Vec<f32>; 2]) -> f32 {
    a.iter().flatten().zip(b.iter().flatten()).fold(0.0f32, |m, (a, b)| m.max((a - b).abs()))
}

fn record<'a>(unit: &'a UnitSpec, path: &str) -> &'a Record {
    if path.is_empty() {
        &unit.settings.fixed
    } else {
        let list = unit.kind.tables.lists.iter().position(|l| path.starts_with(l.id)).unwrap();
        &unit.settings.lists[list][0]
    }
}

/// Whether a parameter of a unit, moved by itself, is heard.
fn is_heard(unit: &UnitSpec, path: &str, param: &Param) -> bool {
    let before = sound(unit);
    others(param).iter().any(|value| {
        let mut moved = unit.clone();
        moved.set(&format!("{path}{}", param.id), value).expect("within its range");
        moved.settings.fixed.supply(&common::units::sounds());
        differ(&before, &sound(&moved)) > HEARD
    })
}

#[test]
fn every_parameter_by_itself_is_heard_unless_it_rests() {
    let (mut tried, mut silent) = (0, Vec::new());
    for kind in KINDS {
        let lists = kind.tables.lists.iter().map(|rows| (rows.params, format!("{}[0].", rows.id)));
        for (params, path) in std::iter::once((kind.tables.params, String::new())).chain(lists) {
            for param in params {
                let mut stands = at_work(kind).into_iter().flat_map(|from| awake(&from, params, param, &path));
                tried += 1;
                if !stands.any(|unit| is_heard(&unit, &path, param)) {
                    silent.push(format!("{}: {path}{}", kind.id, param.id));
                }
            }
        }
    }
    assert!(tried > 150, "{tried}");
    // Where a hand can hold the curve: it changes what is drawn next, and nothing that is there.
    assert_eq!(silent, ["drawn-eq: grid"], "of {tried}");
}
