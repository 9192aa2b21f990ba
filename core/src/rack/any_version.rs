//! Racks of whatever version: what this one cannot use is kept as it is, said, and written back, so that a session of a
//! newer version opens here, sounds without what is not known, and loses nothing on its way back.
//!
//! In the file it stands under `kept`, by its path (`params.bands[2].glow`). Whoever reads a unit puts what is kept back
//! in its place first and tries it anew: the version that knows it finds it where it belongs.

use std::collections::BTreeMap;

use serde_json::{Map, Value as Json, json};

use super::carried_over::{SINCE, carry_over};
use super::follow::Follow;
use super::kept::Kept;
use super::key::Key;
use super::spec::{COMMON, RackError, RackSpec, UnitSpec};
use crate::course::Courses;
use crate::unit::catalogue::kind;
use crate::unit::foreign;
use crate::unit::kind::UnitKind;
use crate::unit::param::{Param, Rows};
use crate::unit::value::{Written, read_json};

/// Most units of a rack that are read: a version in which more fit than here is heard whole.
const MOST_UNITS: usize = 1000;
/// Most that is kept of one unit; a guard against hostile files.
const MOST: usize = 1000;

impl UnitSpec {
    /// Reads a unit of whatever version: what cannot be used is kept ([`Self::kept`]) and has no effect. `number` is its
    /// place in the rack, for error texts.
    ///
    /// # Errors
    /// See [`RackError`]: what is no unit in any version.
    pub fn of_any_version(json: &Json, number: usize) -> Result<Self, RackError> {
        let Some(mut object) = json.as_object().cloned() else { return Self::from_json(json, number) };
        if let Some(Json::Object(kept)) = object.remove("kept") {
            kept.into_iter().take(MOST).for_each(|(path, value)| put_back(&mut object, &path, value));
        }
        let Some(kind_id) = object.get("kind").and_then(Json::as_str) else { return Self::from_json(json, number) };
        match kind(kind_id) {
            Some(kind) => known(kind, object, number),
            None => Ok(unknown(kind_id.to_string(), object)),
        }
    }
}

impl RackSpec {
    /// Reads a rack of whatever version, as [`UnitSpec::of_any_version`] does its units.
    ///
    /// # Errors
    /// See [`RackError`]: what is no rack in any version.
    pub fn of_any_version(json: &Json) -> Result<Self, RackError> {
        let not_a_rack = |reason: &str| RackError::NotARack { reason: reason.to_string() };
        let units =
            json.get("units").and_then(Json::as_array).ok_or_else(|| not_a_rack("the list \"units\" is missing"))?;
        if units.len() > MOST_UNITS {
            return Err(not_a_rack(&format!("{} units; at most {MOST_UNITS} are read", units.len())));
        }
        let units = units.iter().enumerate().map(|(i, unit)| UnitSpec::of_any_version(unit, i + 1));
        Ok(Self { units: units.collect::<Result<_, _>>()? })
    }
}

/// A unit of a kind that is known: what its tables cannot take is taken out and kept.
fn known(kind: &UnitKind, mut object: Map<String, Json>, number: usize) -> Result<UnitSpec, RackError> {
    let mut values = BTreeMap::new();
    let over_time = object.remove("over_time");
    take_out(&mut object, "", &mut values, |name, value| match COMMON.iter().find(|param| param.id == name) {
        Some(param) => reads(param, value),
        None => is_field(kind, name, value),
    });
    if let Some(Json::Object(params)) = object.get_mut("params") {
        carry_over(SINCE, kind, params);
        take_from_params(kind, params, &mut values);
    }
    let mut unit = UnitSpec::from_json(&Json::Object(object), number)?;
    if let Some(others) = take_courses(&mut unit, over_time) {
        values.insert("over_time".into(), others);
    }
    unit.kept = Kept { kind: None, values };
    Ok(unit)
}

/// Whether a field beside those of [`COMMON`] is one of a unit of a kind, and can be read.
fn is_field(kind: &UnitKind, name: &str, value: &Json) -> bool {
    match name {
        "kind" | "id" => true,
        "name" | "why" => value.is_string(),
        "params" => value.is_object(),
        "key" => Key::from_json(value).is_ok_and(|key| key.is_none() || kind.takes_key),
        "follows" => serde_json::from_value::<Option<Follow>>(value.clone()).is_ok(),
        _ => false,
    }
}

/// Gives a unit what changes with the song of it; returns what cannot be used, if anything.
fn take_courses(unit: &mut UnitSpec, over_time: Option<Json>) -> Option<Json> {
    let given = over_time.as_ref().and_then(Json::as_array).into_iter().flatten();
    let is_read = |course: &&Json| Courses::from_json(&json!([course]), |path| unit.param(path)).is_ok();
    let (own, others): (Vec<&Json>, Vec<&Json>) = given.partition(is_read);
    let courses = Courses::from_json(&json!(own), |path| unit.param(path));
    let others = (!others.is_empty()).then(|| json!(others));
    unit.courses = courses.unwrap_or_default();
    others
}

/// A unit of a kind that is not known: all it says is kept, but for what every unit has.
fn unknown(kind: String, mut object: Map<String, Json>) -> UnitSpec {
    let mut unit = UnitSpec::new(&foreign::KIND);
    unit.id = object.remove("id").and_then(|id| u32::try_from(id.as_u64()?).ok()).unwrap_or(0);
    for (field, own) in [("name", &mut unit.name), ("why", &mut unit.why)] {
        if let Some(words) = object.get(field).and_then(Json::as_str) {
            *own = words.to_string();
            object.remove(field);
        }
    }
    object.remove("kind");
    for param in COMMON {
        if let Some(value) = object.get(param.id).filter(|value| reads(param, value)).and_then(Written::of)
            && unit.common.set(param.id, &value, param.id).is_ok()
        {
            object.remove(param.id);
        }
    }
    if let Some(Ok(follows)) = object.get("follows").map(|follows| serde_json::from_value(follows.clone())) {
        object.remove("follows");
        unit.follows = follows;
    }
    let over_time = object.remove("over_time");
    let mut values: BTreeMap<String, Json> = object.into_iter().collect();
    if let Some(others) = take_courses(&mut unit, over_time) {
        values.insert("over_time".into(), others);
    }
    unit.kept = Kept { kind: Some(kind), values };
    unit
}

fn reads(param: &Param, value: &Json) -> bool {
    read_json(&param.domain, value, String::new()).is_ok()
}

/// Moves what is not `used` out of an object.
fn take_out(
    object: &mut Map<String, Json>,
    path: &str,
    out: &mut BTreeMap<String, Json>,
    used: impl Fn(&str, &Json) -> bool,
) {
    let names: Vec<String> =
        object.iter().filter(|(name, value)| !used(name, value)).map(|(name, _)| name.clone()).collect();
    for name in names {
        if let Some(value) = object.remove(&name)
            && out.len() < MOST
        {
            out.insert(format!("{path}{name}"), value);
        }
    }
}

fn take_from_params(kind: &UnitKind, params: &mut Map<String, Json>, out: &mut BTreeMap<String, Json>) {
    let list_of = |name: &str| kind.tables.lists.iter().find(|rows| rows.id == name);
    let is_list = |rows: &Rows, value: &Json| {
        value.as_array().is_some_and(|list| list.len() <= rows.max && list.iter().all(Json::is_object))
    };
    take_out(params, "params.", out, |name, value| match list_of(name) {
        Some(rows) => is_list(rows, value),
        None => is_used(kind.tables.params, name, value),
    });
    take_from_groups(kind.tables.params, params, "params.", out);
    for rows in kind.tables.lists {
        let list = params.get_mut(rows.id).and_then(Json::as_array_mut);
        for (i, row) in list.into_iter().flatten().enumerate() {
            if let Some(row) = row.as_object_mut() {
                let path = format!("params.{}[{i}].", rows.id);
                take_out(row, &path, out, |name, value| is_used(rows.params, name, value));
                take_from_groups(rows.params, row, &path, out);
            }
        }
    }
}

/// Whether a table takes a value of this name, or has a group of it.
fn is_used(params: &[Param], name: &str, value: &Json) -> bool {
    match params.iter().find(|param| param.id == name) {
        Some(param) => reads(param, value),
        None => {
            let group = format!("{name}.");
            (value.is_object() || value.is_null()) && params.iter().any(|param| param.id.starts_with(&group))
        }
    }
}

fn take_from_groups(params: &[Param], object: &mut Map<String, Json>, path: &str, out: &mut BTreeMap<String, Json>) {
    for (group, value) in object.iter_mut() {
        let is_own = params.iter().any(|param| param.id == group.as_str());
        if let Some(fields) = value.as_object_mut().filter(|_| !is_own) {
            let id = |name: &str| format!("{group}.{name}");
            take_out(fields, &format!("{path}{group}."), out, |name, value| {
                params.iter().find(|param| param.id == id(name)).is_some_and(|param| reads(param, value))
            });
        }
    }
}

/// Puts a value back where its path says; nothing where that place is gone.
fn put_back(object: &mut Map<String, Json>, path: &str, value: Json) {
    // What a unit is and which one is never kept.
    if ["kind", "id", "kept"].contains(&path) {
        return;
    }
    if path == "over_time" {
        let list = object.entry("over_time").or_insert_with(|| json!([]));
        if let (Some(list), Json::Array(more)) = (list.as_array_mut(), value) {
            list.extend(more);
        }
        return;
    }
    let (place, name) = path.rsplit_once('.').map_or(("", path), |(place, name)| (place, name));
    let mut at = object;
    for step in place.split('.').filter(|step| !step.is_empty()) {
        let (field, row) =
            step.strip_suffix(']').and_then(|step| step.split_once('[')).map_or((step, None), |(f, r)| (f, Some(r)));
        let found = match row {
            None => at.entry(field).or_insert_with(|| json!({})),
            Some(row) => {
                let list = at.get_mut(field).and_then(Json::as_array_mut);
                let Some(found) = row.parse::<usize>().ok().and_then(|row| list?.get_mut(row)) else { return };
                found
            }
        };
        let Some(next) = found.as_object_mut() else { return };
        at = next;
    }
    at.insert(name.to_string(), value);
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::rack::spec::MAX_UNITS;
    use proptest::prelude::*;

    fn read(json: &Json) -> UnitSpec {
        UnitSpec::of_any_version(json, 1).unwrap()
    }

    #[test]
    fn a_rack_with_more_units_than_fit_here_is_read_whole() {
        let many = |count: usize| json!({"zinc_rack": 9, "units": vec![json!({"kind": "gate"}); count]});
        assert_eq!(RackSpec::of_any_version(&many(MAX_UNITS + 6)).unwrap().units.len(), MAX_UNITS + 6);
        assert!(RackSpec::of_any_version(&many(1001)).unwrap_err().to_string().contains("1001 units"));
    }

    #[test]
    fn a_unit_of_this_version_is_read_as_ever_and_keeps_nothing() {
        for kind in crate::unit::catalogue::KINDS {
            let mut unit = UnitSpec::new(kind);
            unit.id = 3;
            assert_eq!(read(&unit.to_json()), unit);
            assert!(unit.kept.is_empty());
        }
    }

    #[test]
    fn a_kind_that_is_not_known_passes_its_sound_is_said_and_is_written_back_as_it_came() {
        let json = json!({"id": 9, "kind": "spring", "on": true, "mix": 0.5, "trim_db": -3.0, "place": "stereo", "why": "drip",
            "params": {"length": 3, "springs": [{"hz": 2}]}, "glow": 1, "key": {"strip": 2}});
        let unit = read(&json);
        assert!(!unit.is_on() && unit.kept.in_words().unwrap().contains("\"spring\""));
        assert_eq!(unit.to_json(), json);
        let rack = RackSpec { units: vec![unit] };
        assert_eq!(rack.latency(48_000.0), 0);
        let gain = rack.response(48_000.0, &[100.0])[0].norm_sqr();
        assert_eq!(gain, 1.0, "neither its mix nor its trim is heard");
    }

    #[test]
    fn values_that_are_not_known_are_kept_in_their_places_and_found_again_by_whoever_knows_them() {
        let json = json!({"kind": "surgical-eq", "mix": 7, "glow": true, "params": {"tilt": 3, "phase": "mixed", "bands": [
            {"freq_hz": 100.0, "gain_db": 99}, {"freq_hz": 200.0, "shape": "spiral", "dynamic": {"on": true, "knee_db": 4}}]},
            "over_time": [{"param": "tilt", "sections": [], "points": [{"at": 0, "value": 1}]}]});
        let unit = read(&json);
        let names: Vec<&str> = unit.kept.values.keys().map(String::as_str).collect();
        assert_eq!(
            names,
            [
                "glow",
                "mix",
                "over_time",
                "params.bands[0].gain_db",
                "params.bands[1].dynamic.knee_db",
                "params.bands[1].shape",
                "params.phase",
                "params.tilt",
            ]
        );
        assert_eq!(unit.settings.rows()[1].number("freq_hz"), 200.0);
        assert!(unit.settings.rows()[1].is_on("dynamic.on"), "what is known of a group is read");
        // Through a file and back, as often as one likes.
        assert_eq!(read(&read(&unit.to_json()).to_json()), unit);
        let mut whole = unit.to_json();
        let Some(Json::Object(kept)) = whole.as_object_mut().unwrap().remove("kept") else {
            panic!("it is in the file")
        };
        kept.into_iter().for_each(|(path, value)| put_back(whole.as_object_mut().unwrap(), &path, value));
        assert_eq!(whole["params"]["bands"][1]["shape"], json!("spiral"));
        assert_eq!((&whole["mix"], &whole["over_time"][0]["param"]), (&json!(7), &json!("tilt")));
    }

    #[test]
    fn what_is_kept_of_a_row_goes_with_it_and_what_is_set_here_takes_its_place() {
        let bands = json!([{"freq_hz": 100, "glow": 1}, {"freq_hz": 200, "glow": 2}]);
        let mut unit = read(&json!({"kind": "surgical-eq", "params": {"bands": bands, "phase": "mixed"}}));
        unit.kept.move_rows("bands", 0, -1);
        assert_eq!(unit.kept.values.get("params.bands[0].glow"), Some(&json!(2)));
        unit.kept.move_rows("bands", 0, 1);
        assert_eq!(unit.kept.values.get("params.bands[1].glow"), Some(&json!(2)));
        unit.kept.forget("phase");
        assert!(!unit.kept.values.contains_key("params.phase"));
    }

    /// Any JSON, down to some depth, with names that units know among others.
    fn any_json() -> impl Strategy<Value = Json> {
        let name = prop::sample::select(vec![
            "kind",
            "params",
            "bands",
            "mix",
            "on",
            "freq_hz",
            "dynamic",
            "over_time",
            "kept",
            "a",
            "id",
        ]);
        let leaf = prop_oneof![
            Just(Json::Null),
            any::<bool>().prop_map(Json::from),
            any::<i32>().prop_map(Json::from),
            prop::sample::select(vec!["surgical-eq", "bell", "params.bands[0].glow", ""]).prop_map(Json::from),
        ];
        leaf.prop_recursive(5, 40, 6, move |inner| {
            prop_oneof![
                prop::collection::vec(inner.clone(), 0..4).prop_map(Json::from),
                prop::collection::btree_map(name.clone().prop_map(str::to_string), inner, 0..6)
                    .prop_map(|map| Json::Object(map.into_iter().collect())),
            ]
        })
    }

    proptest! {
        #[test]
        fn whatever_a_file_says_of_a_unit_it_is_read_and_what_is_read_is_read_again_alike(
            params in any_json(), kept in any_json(), more in any_json(), key in any_json(), follows in any_json(),
        ) {
            let json = json!({
                "kind": "surgical-eq", "params": params, "kept": kept, "over_time": more, "key": key, "follows": follows,
            });
            let unit = read(&json);
            prop_assert_eq!(&read(&unit.to_json()), &unit);
        }
    }
}
