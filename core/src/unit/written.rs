//! Units that the core itself writes down, as proposals: a parameter that the kind's table does not have does not
//! compile.

use serde_json::{Map, Value as Json, json};

use super::kind::UnitKind;
use super::param::Param;

/// Whether a table has a parameter of this name: asked while the program is compiled.
#[must_use]
pub const fn has(params: &[Param], id: &str) -> bool {
    let mut at = 0;
    while at < params.len() {
        if is_same(params[at].id, id) {
            return true;
        }
        at += 1;
    }
    false
}

const fn is_same(one: &str, other: &str) -> bool {
    let (one, other) = (one.as_bytes(), other.as_bytes());
    if one.len() != other.len() {
        return false;
    }
    let mut at = 0;
    while at < one.len() {
        if one[at] != other[at] {
            return false;
        }
        at += 1;
    }
    true
}

/// The name of a parameter that a table has.
macro_rules! id {
    ($params:expr, $id:literal) => {{
        const _: () = assert!($crate::unit::written::has($params, $id), concat!("no parameter ", $id));
        $id
    }};
}

/// Values of a unit or a row, by parameters that a table has.
macro_rules! values {
    ($params:expr, { $($id:literal : $value:expr),* $(,)? }) => {
        $crate::unit::written::object(&[$(($crate::unit::written::id!($params, $id), serde_json::json!($value))),*])
    };
}

pub(crate) use {id, values};

/// Values by their names, those of a group (`dynamic.ratio`) within it.
#[must_use]
pub fn object(values: &[(&str, Json)]) -> Json {
    let mut object = Map::new();
    for (id, value) in values {
        match id.split_once('.') {
            None => object.insert((*id).to_string(), value.clone()),
            Some((group, inner)) => {
                let within = object.entry(group).or_insert_with(|| json!({}));
                within.as_object_mut().and_then(|within| within.insert(inner.to_string(), value.clone()))
            }
        };
    }
    Json::Object(object)
}

/// A unit of a kind, as a rack file has it.
#[must_use]
pub fn unit(kind: &UnitKind, params: Json) -> Json {
    json!({"kind": kind.id, "params": params})
}

/// A unit with the reason why it is there.
#[must_use]
pub fn because(why: impl Into<String>, mut unit: Json) -> Json {
    unit["why"] = Json::String(why.into());
    unit
}

/// A unit of a kind, and why it is there.
#[must_use]
pub fn unit_because(kind: &UnitKind, why: impl Into<String>, params: Json) -> Json {
    because(why, unit(kind, params))
}

/// A unit of a kind that holds rows in its first list.
#[must_use]
pub fn unit_of_rows(kind: &UnitKind, rows: Vec<Json>) -> Json {
    let mut params = Map::new();
    if let Some(list) = kind.tables.lists.first() {
        params.insert(list.id.to_string(), Json::Array(rows));
    }
    unit(kind, Json::Object(params))
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::rack::UnitSpec;
    use crate::unit::eq::surgical::KIND;

    const BAND: &[Param] = KIND.tables.lists[0].params;

    #[test]
    fn what_is_written_is_read_and_groups_stand_within_their_rows() {
        let row = values!(BAND, {"freq_hz": 300, "gain_db": -3.0, "dynamic.ratio": 4, "dynamic.threshold_db": -30});
        assert_eq!(row["dynamic"], json!({"ratio": 4, "threshold_db": -30}));
        let unit = UnitSpec::from_json(&unit_of_rows(&KIND, vec![row]), 1).unwrap();
        let row = &unit.settings.rows()[0];
        assert_eq!([row.number("freq_hz"), row.number("gain_db"), row.number("dynamic.ratio")], [300.0, -3.0, 4.0]);
        assert!(row.is_on("dynamic.on"));
    }

    #[test]
    fn a_name_is_a_tables_or_it_is_not() {
        assert!(has(BAND, "freq_hz") && !has(BAND, "freq") && !has(BAND, "freq_hz_") && !has(&[], "freq_hz"));
    }
}
