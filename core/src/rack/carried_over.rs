//! What has become of parameters since files were written: a table, so that an old session sounds as it did.
//!
//! A parameter that is called something else, takes less than it did, or has become several is one line of [`SINCE`];
//! its old name is then never used for anything else. Whatever else a file says that is not known is kept
//! ([`super::any_version`]).

use serde_json::{Map, Value as Json, json};

use crate::unit::kind::UnitKind;
use crate::unit::param::{Domain, Param};

/// What a parameter has become.
#[derive(Clone, Copy, Debug)]
pub enum Became {
    /// The same under another name.
    Renamed(&'static str),
    /// The same, whose range is narrower now: what lies outside goes to its nearer end.
    Narrowed,
    /// Several, each of the same value.
    Split(&'static [&'static str]),
}

/// One parameter of a kind, of the unit itself or of the rows of a list.
#[derive(Clone, Copy, Debug)]
pub struct Former {
    /// The kind, by its name in files.
    pub kind: &'static str,
    /// The list, of a row's parameter.
    pub list: Option<&'static str>,
    /// What it was called.
    pub was: &'static str,
    /// What it is.
    pub became: Became,
}

/// Everything that has changed since rack files of version 1. Nothing has yet.
pub const SINCE: &[Former] = &[];

/// Brings the parameters of a unit as a file has them to what they are called now.
pub fn carry_over(since: &[Former], kind: &UnitKind, params: &mut Map<String, Json>) {
    for former in since.iter().filter(|former| former.kind == kind.id) {
        match former.list {
            None => carry(former, kind.tables.params, params),
            Some(list) => {
                let table = kind.tables.lists.iter().find(|rows| rows.id == list).map_or(&[][..], |rows| rows.params);
                let rows = params.get_mut(list).and_then(Json::as_array_mut);
                rows.into_iter().flatten().filter_map(Json::as_object_mut).for_each(|row| carry(former, table, row));
            }
        }
    }
}

fn carry(former: &Former, table: &[Param], values: &mut Map<String, Json>) {
    match former.became {
        Became::Renamed(is) => {
            if let Some(value) = values.remove(former.was) {
                values.entry(is).or_insert(value);
            }
        }
        Became::Split(are) => {
            if let Some(value) = values.remove(former.was) {
                are.iter().for_each(|is| {
                    values.entry(*is).or_insert_with(|| value.clone());
                });
            }
        }
        Became::Narrowed => {
            let range = table.iter().find(|param| param.id == former.was).map(|param| &param.domain);
            if let (Some(Domain::Number { min, max, .. }), Some(value)) = (range, values.get_mut(former.was))
                && let Some(number) = value.as_f64()
            {
                *value = json!(number.clamp(*min, *max));
            }
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::rack::UnitSpec;
    use crate::unit::catalogue::{KINDS, kind};
    use crate::unit::proposed::has;

    const CHANGED: &[Former] = &[
        Former { kind: "compressor", list: None, was: "knee", became: Became::Renamed("knee_db") },
        Former { kind: "compressor", list: None, was: "attack_ms", became: Became::Narrowed },
        Former { kind: "compressor", list: None, was: "times_ms", became: Became::Split(&["hold_ms", "release_ms"]) },
        Former { kind: "surgical-eq", list: Some("bands"), was: "hz", became: Became::Renamed("freq_hz") },
    ];

    fn carried(id: &str, mut params: Json) -> UnitSpec {
        carry_over(CHANGED, kind(id).unwrap(), params.as_object_mut().unwrap());
        UnitSpec::from_json(&json!({"kind": id, "params": params}), 1).unwrap()
    }

    #[test]
    fn what_is_called_something_else_takes_less_or_has_become_several_keeps_its_value() {
        let unit = carried("compressor", json!({"knee": 9, "attack_ms": 99_999, "times_ms": 40, "ratio": 3}));
        let number = |id: &str| unit.settings.fixed.number(id);
        assert_eq!(
            ["knee_db", "attack_ms", "hold_ms", "release_ms", "ratio"].map(number),
            [9.0, 300.0, 40.0, 40.0, 3.0]
        );
        let eq = carried("surgical-eq", json!({"bands": [{"hz": 440}, {"freq_hz": 90, "hz": 500}]}));
        assert_eq!(eq.settings.rows()[0].number("freq_hz"), 440.0);
        assert_eq!(eq.settings.rows()[1].number("freq_hz"), 90.0, "its present name counts");
    }

    #[test]
    fn every_line_of_the_table_leads_to_a_parameter_that_there_is_and_no_old_name_is_used_anew() {
        for former in SINCE.iter().chain(CHANGED) {
            let kind = KINDS.iter().find(|kind| kind.id == former.kind).unwrap();
            let lists = || kind.tables.lists.iter().filter(|rows| former.list == Some(rows.id));
            let table = if former.list.is_some() { lists().next().unwrap().params } else { kind.tables.params };
            let (names, goes) = match former.became {
                Became::Renamed(is) => (vec![is], true),
                Became::Split(are) => (are.to_vec(), true),
                Became::Narrowed => (vec![former.was], false),
            };
            assert!(names.iter().all(|name| has(table, name)), "{former:?}");
            assert!(!goes || !has(table, former.was), "{former:?}");
        }
    }
}
