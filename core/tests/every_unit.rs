//! Promises every unit keeps at every setting, present and future kinds alike.
#![allow(missing_docs, clippy::expect_used, clippy::unwrap_used)] // a test may say what must hold by failing

use proptest::prelude::*;
use serde_json::{Map, Value, json};
use zinc_core::rack::{Rack, RackSpec};
use zinc_core::signal::{BLOCK, StereoBlock};
use zinc_core::unit::catalogue::KINDS;
use zinc_core::unit::param::{Domain, Param};

const RATE: f64 = 48_000.0;

fn any_value(param: &'static Param) -> BoxedStrategy<Value> {
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
    }
}

fn any_record(params: &'static [Param]) -> BoxedStrategy<Map<String, Value>> {
    let values: Vec<BoxedStrategy<Value>> = params.iter().map(any_value).collect();
    values.prop_map(|v| params.iter().map(|p| p.id.to_string()).zip(v).collect()).boxed()
}

fn any_rack() -> impl Strategy<Value = RackSpec> {
    let unit = prop::sample::select(KINDS).prop_flat_map(|kind| {
        let lists: Vec<_> =
            kind.lists.iter().map(|list| prop::collection::vec(any_record(list.params), 0..6)).collect();
        (any_record(kind.params), lists, 0.0f64..=1.0).prop_map(move |(mut params, lists, mix)| {
            for (list, rows) in kind.lists.iter().zip(lists) {
                params.insert(list.id.into(), json!(rows));
            }
            json!({"kind": kind.id, "mix": mix, "params": params})
        })
    });
    prop::collection::vec(unit, 1..4)
        .prop_map(|units| RackSpec::from_json(&json!({"zinc_rack": 1, "units": units})).expect("within the tables"))
}

/// Samples an engineer's file may hold, and ones it should not.
fn any_sample() -> impl Strategy<Value = f32> {
    prop_oneof![8 => -1.0f32..1.0, 1 => -1e6f32..1e6, 1 => Just(f32::MIN_POSITIVE / 4.0), 1 => Just(0.0f32)]
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 96, ..ProptestConfig::default() })]

    #[test]
    fn finite_in_is_finite_out(spec in any_rack(), samples in prop::collection::vec(any_sample(), 256)) {
        let mut rack = Rack::new(&spec, RATE);
        for n in 0..40 {
            let mut block = StereoBlock::default();
            for i in 0..BLOCK {
                block.left[i] = samples[(n * 37 + i) % 256];
                block.right[i] = samples[(n * 91 + i) % 256];
            }
            rack.process(&mut block);
            prop_assert!(block.left.iter().chain(&block.right).all(|x| x.is_finite()), "{}", spec.to_json());
        }
    }

    #[test]
    fn a_rack_survives_its_file(spec in any_rack()) {
        let file = serde_json::to_string(&spec.to_json()).expect("a rack is JSON");
        prop_assert_eq!(RackSpec::from_text(&file).expect("what was written can be read"), spec);
    }

    #[test]
    fn a_file_cut_short_or_with_a_byte_changed_is_read_or_refused_in_words(
        spec in any_rack(), at in 0.0f64..1.0, byte in any::<u8>(), cut in any::<bool>(),
    ) {
        let mut file = serde_json::to_vec(&spec.to_json()).expect("a rack is JSON");
        let at = (at * (file.len() - 1) as f64) as usize;
        if cut { file.truncate(at) } else { file[at] = byte }
        match RackSpec::from_text(&String::from_utf8_lossy(&file)) {
            // What is read is whole: it can be written and read again.
            Ok(read) => prop_assert_eq!(RackSpec::from_json(&read.to_json()).expect("written by the program"), read),
            Err(error) => prop_assert!(error.to_string().len() > 20, "{}", error),
        }
    }

    #[test]
    fn silence_in_is_silence_out(spec in any_rack()) {
        let mut rack = Rack::new(&spec, RATE);
        for _ in 0..20 {
            let mut block = StereoBlock::default();
            rack.process(&mut block);
            prop_assert!(block.left.iter().chain(&block.right).all(|x| *x == 0.0));
        }
    }

    #[test]
    fn sound_dies_within_a_second_unless_the_setting_itself_rings_longer(spec in any_rack()) {
        let mut rack = Rack::new(&spec, RATE);
        // A linear-phase kernel goes on as long after its middle as it began before it.
        for n in 0..376 + 2 * rack.latency() / BLOCK {
            let mut block = StereoBlock::default();
            if n == 0 {
                block.left[0] = 1.0;
            }
            rack.process(&mut block);
        }
        // A second-order section of quality Q at f falls by 27.3 f / Q dB a second;
        // a boost of A (amplitude ratio of half the gain) stretches its Q by A.
        let bands = spec.units.iter().filter(|u| u.kind.id == "surgical-eq").flat_map(|u| u.settings.rows());
        let slowest = bands.fold(f64::INFINITY, |slow: f64, row| {
            let boost = 10f64.powf(row.number("gain_db").abs() / 40.0);
            // The narrowest pair of a 16th-order cut has Q = 5.1.
            let q = (row.number("q") * boost).max(5.2 * boost);
            slow.min(27.3 * row.number("freq_hz") / q)
        });
        let mut block = StereoBlock::default();
        rack.process(&mut block);
        let left = block.left.iter().fold(0.0f32, |m, x| m.max(x.abs()));
        // Up to +30 dB for each of six bands, three units, make-up and trim.
        let allowed = 10f64.powf((600.0 - slowest) / 20.0);
        prop_assert!(f64::from(left) < allowed.max(1e-4), "{left} left, {slowest} dB/s: {}", spec.to_json());
    }

    #[test]
    fn a_fresh_rack_sounds_like_itself_whatever_it_glided_from(from in any_rack(), to in any_rack()) {
        // Gliding there, waiting, and then listening gives the same response as starting there.
        let mut moved = Rack::new(&from, RATE);
        let from_latency = moved.latency();
        moved.update(&to);
        let mut fresh = Rack::new(&to, RATE);
        for _ in 0..80 + (from_latency + fresh.latency()) / BLOCK {
            moved.process(&mut StereoBlock::default());
            moved.catch_up();
        }
        for _ in 0..8 + fresh.latency() / BLOCK {
            let left = core::array::from_fn(|i| ((i * 7919) % 100) as f32 / 400.0);
            let mut a = StereoBlock { left, ..StereoBlock::default() };
            let mut b = a.clone();
            moved.process(&mut a);
            fresh.process(&mut b);
            for (x, y) in a.left.iter().zip(&b.left) {
                prop_assert!((x - y).abs() <= 1e-6 * (1.0 + y.abs()), "{x} and {y}");
            }
        }
    }
}

#[test]
fn every_table_has_unique_names_hints_and_defaults_within_range() {
    for kind in KINDS {
        for table in kind.lists.iter().map(|list| list.params).chain([kind.params]) {
            for p in table {
                assert!(!p.hint.is_empty() && !p.label.is_empty(), "{} {}", kind.id, p.id);
                if let Domain::Number { min, max, default, .. } = p.domain {
                    assert!(min < max && (min..=max).contains(&default), "{} {}", kind.id, p.id);
                }
                assert_eq!(table.iter().filter(|q| q.id == p.id).count(), 1);
            }
        }
    }
}

/// A unit of a kind with one parameter given.
fn with_one(kind: &str, id: &str, value: &Value) -> Result<RackSpec, String> {
    let params = json!({ id: value });
    RackSpec::from_json(&json!({"zinc_rack": 1, "units": [{"kind": kind, "params": params}]}))
        .map_err(|error| error.to_string())
}

#[test]
fn a_number_beyond_either_end_is_refused_with_its_name_and_the_ends_are_taken() {
    for kind in KINDS {
        for param in kind.params {
            let Domain::Number { min, max, .. } = param.domain else { continue };
            let (under, over) = (min - min.abs().max(1.0), max + max.abs().max(1.0));
            for beyond in [under, over].into_iter().filter(|x| x.is_finite()) {
                let refused = with_one(kind.id, param.id, &json!(beyond)).expect_err("beyond its range");
                assert!(
                    refused.contains(param.id) && refused.contains(&format!("must be {min} to {max}")),
                    "{refused}"
                );
            }
            for end in [min, max].into_iter().filter(|x| x.is_finite()) {
                let taken = with_one(kind.id, param.id, &json!(end)).expect("within its range");
                assert_eq!(taken.units[0].settings.fixed.number(param.id), end, "{} {}", kind.id, param.id);
            }
        }
    }
}

#[test]
fn a_value_of_another_type_is_refused_and_what_would_do_is_said() {
    for kind in KINDS {
        for param in kind.params {
            let (wrong, takes) = match param.domain {
                Domain::Number { .. } => (json!([1]), "it takes a number"),
                Domain::Choice { options, .. } => (json!("no such thing"), options[0].id),
                Domain::Switch { .. } => (json!(1), "it takes true or false"),
            };
            let refused = with_one(kind.id, param.id, &wrong).expect_err("of another type");
            assert!(refused.contains(param.id) && refused.contains(takes), "{}: {refused}", kind.id);
        }
    }
}

#[test]
fn more_rows_than_a_unit_holds_are_refused_and_as_many_as_it_holds_are_taken() {
    for kind in KINDS {
        for list in kind.lists {
            let rows = |n: usize| json!(vec![json!({}); n]);
            assert!(with_one(kind.id, list.id, &rows(list.max)).is_ok(), "{} {}", kind.id, list.id);
            let refused = with_one(kind.id, list.id, &rows(list.max + 1)).expect_err("too many");
            assert!(refused.contains(&format!("at most {} fit", list.max)), "{refused}");
        }
    }
}
