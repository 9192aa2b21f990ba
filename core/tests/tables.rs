//! The tables of every kind of unit: what they hold, take and refuse.
#![allow(missing_docs, clippy::expect_used, clippy::unwrap_used)] // a test may say what must hold by failing

mod common;

use common::units::{any_rack, sounds};
use proptest::prelude::*;
use serde_json::{Value, json};
use zinc_core::rack::{COMMON, RackSpec};
use zinc_core::unit::catalogue::KINDS;
use zinc_core::unit::param::Domain;

proptest! {
    #![proptest_config(ProptestConfig { cases: 96, ..ProptestConfig::default() })]

    #[test]
    fn a_rack_survives_its_file(spec in any_rack()) {
        let file = serde_json::to_string(&spec.to_json()).expect("a rack is JSON");
        let mut read = RackSpec::from_text(&file).expect("what was written can be read");
        // A file names its sounds and does not hold them.
        read.supply(&sounds());
        prop_assert_eq!(read, spec);
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
}

#[test]
fn every_table_has_unique_names_hints_and_defaults_within_range() {
    for kind in KINDS {
        for table in kind.tables.lists.iter().map(|list| list.params).chain([kind.tables.params]) {
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
        for param in kind.tables.params {
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
fn sounds_stand_in_the_table_of_what_exists_once() {
    let rows = KINDS.iter().flat_map(|kind| kind.tables.lists).flat_map(|list| list.params);
    let in_rows: Vec<&str> = rows.filter(|p| matches!(p.domain, Domain::Sound { .. })).map(|p| p.id).collect();
    assert_eq!(in_rows, [""; 0], "only there are they supplied");
}

#[test]
fn a_value_of_another_type_is_refused_and_what_would_do_is_said() {
    for kind in KINDS {
        for param in kind.tables.params {
            let (wrong, takes) = match param.domain {
                Domain::Number { .. } => (json!([1]), "it takes a number"),
                Domain::Choice { options, .. } => (json!("no such thing"), options[0].id),
                Domain::Switch { .. } => (json!(1), "it takes true or false"),
                Domain::Sound { .. } => (json!("room.wav"), "it takes the hash of a sound"),
            };
            let refused = with_one(kind.id, param.id, &wrong).expect_err("of another type");
            assert!(refused.contains(param.id) && refused.contains(takes), "{}: {refused}", kind.id);
        }
    }
}

#[test]
fn more_rows_than_a_unit_holds_are_refused_and_as_many_as_it_holds_are_taken() {
    for kind in KINDS {
        for list in kind.tables.lists {
            let rows = |n: usize| json!(vec![json!({}); n]);
            assert!(with_one(kind.id, list.id, &rows(list.max)).is_ok(), "{} {}", kind.id, list.id);
            let refused = with_one(kind.id, list.id, &rows(list.max + 1)).expect_err("too many");
            assert!(refused.contains(&format!("at most {} fit", list.max)), "{refused}");
        }
    }
}

#[test]
fn no_parameter_of_a_kind_hides_a_field_that_every_unit_has() {
    for kind in KINDS {
        for param in kind.tables.params {
            assert!(COMMON.iter().all(|field| field.id != param.id), "{} {}", kind.id, param.id);
        }
    }
}
