//! Units at any settings, for property tests.
#![allow(missing_docs)]

use std::sync::Arc;
use zinc_core::unit::value::Written;

use proptest::prelude::*;
use serde_json::{Map, Value, json};
use zinc_core::rack::{COMMON, RackSpec, UnitSpec};
use zinc_core::signal::Sound;
use zinc_core::signal::noise::white;
use zinc_core::unit::Sounds;
use zinc_core::unit::catalogue::KINDS;
use zinc_core::unit::param::{Domain, Param};

pub fn any_value(param: &'static Param) -> BoxedStrategy<Value> {
    match param.domain {
        Domain::Number { min, max, taper, .. } => {
            let end = if max.is_finite() { json!(max) } else { json!("inf") };
            prop_oneof![
                1 => Just(json!(min)),
                1 => Just(end),
                6 => (0.0f64..0.999).prop_map(move |t| json!(taper.value_at(t, min, max))),
            ]
            .boxed()
        }
        Domain::Choice { options, .. } => prop::sample::select(options).prop_map(|o| json!(o.id)).boxed(),
        Domain::Switch { .. } => any::<bool>().prop_map(|b| json!(b)).boxed(),
        Domain::Sound { .. } => prop::sample::select(sound_names()).prop_map(|name| json!(name)).boxed(),
    }
}

fn any_record(params: &'static [Param]) -> BoxedStrategy<Map<String, Value>> {
    let values: Vec<BoxedStrategy<Value>> = params.iter().map(any_value).collect();
    values.prop_map(|v| params.iter().map(|p| p.id.to_string()).zip(v).collect()).boxed()
}

/// A unit of any kind at any settings its tables allow.
pub fn any_unit() -> impl Strategy<Value = UnitSpec> {
    prop::sample::select(KINDS).prop_flat_map(|kind| {
        let lists: Vec<_> = kind
            .tables
            .lists
            .iter()
            .map(|list| prop::collection::vec(any_record(list.params), 0..=list.max.min(5)))
            .collect();
        (any_record(kind.tables.params), lists, any_record(COMMON)).prop_map(move |(mut params, lists, common)| {
            for (list, rows) in kind.tables.lists.iter().zip(lists) {
                params.insert(list.id.into(), json!(rows));
            }
            let mut unit = common;
            unit.insert("kind".into(), json!(kind.id));
            unit.insert("params".into(), json!(params));
            let mut unit = UnitSpec::from_json(&json!(unit), 1).expect("within the tables");
            unit.settings.fixed.supply(&sounds());
            unit
        })
    })
}

/// One to three of them in a row.
pub fn any_rack() -> impl Strategy<Value = RackSpec> {
    prop::collection::vec(any_unit(), 1..4).prop_map(|units| RackSpec { units })
}

/// A unit of a kind with these parameters.
pub fn unit(kind: &str, params: &Value) -> UnitSpec {
    let mut unit = UnitSpec::from_json(&json!({"kind": kind, "params": params}), 1).expect("within the tables");
    unit.settings.fixed.supply(&sounds());
    unit
}

/// Name of a made-up sound, by its number: 0 is short, 1 long, and 2 is missing.
pub fn sound_name(number: u8) -> String {
    format!("{number:064x}")
}

fn sound_names() -> Vec<Value> {
    vec![json!(null), json!(sound_name(0)), json!(sound_name(1)), json!(sound_name(2))]
}

/// Responses that fall by 60 dB over their length: of 700 frames in mono, of 9000 in stereo.
pub fn sounds() -> Sounds {
    let mut sounds = Sounds::default();
    for (number, frames, channels) in [(0, 700usize, 1usize), (1, 9000, 2)] {
        let fallen = |n: usize| (white(n) * 10f64.powf(-3.0 * (n / channels) as f64 / frames as f64)) as f32;
        let samples: Vec<f32> = (0..frames * channels).map(fallen).collect();
        let id = sound_name(number).parse().expect("64 digits");
        sounds.put(id, Arc::new(Sound::new(&samples, channels, 44_100.0)));
    }
    sounds
}

/// A value of a parameter, the same for the same seed.
pub fn value_by_seed(param: &Param, seed: u64) -> Written {
    match param.domain {
        Domain::Number { min, max, taper, .. } => taper.value_at((seed % 997) as f64 / 998.0, min, max).into(),
        Domain::Choice { options, .. } => options[seed as usize % options.len()].id.into(),
        Domain::Switch { .. } => seed.is_multiple_of(2).into(),
        Domain::Sound { .. } => sound_names()[seed as usize % 4].as_str().map_or(Written::Nothing, Written::from),
    }
}
