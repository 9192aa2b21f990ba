//! A rack as written down, and the open JSON it is written in.
//!
//! ```json
//! { "zinc_rack": 1, "units": [ { "kind": "surgical-eq", "on": true,
//!   "params": { "bands": [ { "shape": "high-pass", "freq_hz": 70 } ] } } ] }
//! ```

use std::collections::BTreeMap;

use serde::de::Error;
use serde::{Deserialize, Deserializer, Serialize, Serializer};
use serde_json::{Map, Value as Json, json};

use super::follow::Follow;
use super::kept::Kept;
use super::key::Key;
use crate::course::{CourseError, Courses};
use crate::unit::catalogue::{kind, kind_names};
use crate::unit::kind::UnitKind;
use crate::unit::param::{Domain, PLACES, Param, Quantity, Taper, decibels, number};
use crate::unit::settings::{Record, Settings, SettingsError};
use crate::unit::value::{Value, Written};

/// Version of the rack file this program writes and reads.
pub const RACK_VERSION: u64 = 1;

/// Most units in a rack; a guard against hostile files, far above any use.
pub const MAX_UNITS: usize = 64;
/// Most characters of a name: a unit's own, a strip's, a section's, a session's.
pub const MAX_NAME: usize = 120;
/// Most characters of what somebody wrote about a unit or a strip.
pub const MAX_NOTE: usize = 2000;

/// The fields every unit has.
pub const COMMON: &[Param] = &[
    Param::new("on", "on", "Switch the unit out to hear the track without it.", Domain::Switch { default: true })
        .glides(),
    Param::new(
        "mix",
        "mix",
        "Blend with the sound before the unit, aligned in time.",
        number(0.0, 1.0, 1.0, 0.05, Taper::Linear, Quantity::Percent),
    ),
    Param::new("trim_db", "trim", "Level after the unit.", decibels(-30.0, 30.0, 0.0)),
    Param::new(
        "place",
        "channels",
        "The part of the stereo image it works on; the rest passes unchanged.",
        Domain::Choice { options: PLACES, default: 0 },
    ),
];

/// What is heard of a unit.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub enum UnitTap {
    /// What it does.
    #[default]
    Output,
    /// What drives it.
    Key,
}

/// One unit of a rack.
#[derive(Clone, Debug)]
pub struct UnitSpec {
    /// Identity within a session, so that a unit can move and keep its state; 0 in files.
    pub id: u32,
    /// What it is.
    pub kind: &'static UnitKind,
    /// The fields every unit has ([`COMMON`]).
    pub common: Record,
    /// What the engineer calls it; empty where it is called by its kind.
    pub name: String,
    /// The engineer's own words for what it is there for.
    pub why: String,
    /// What drives it instead of its own input.
    pub key: Option<Key>,
    /// The unit whose parameters it takes over.
    pub follows: Option<Follow>,
    /// The unit's own parameters.
    pub settings: Settings,
    /// What of it changes with the song.
    pub courses: Courses,
    /// What of its file this version cannot use.
    pub kept: Kept,
    /// What of it is heard. Other than the sound itself only ever on the other side of a
    /// comparison, so it is in no file.
    pub heard: UnitTap,
}

/// A unit as it is written down.
#[derive(Serialize)]
#[cfg_attr(feature = "types", derive(ts_rs::TS), ts(rename = "Unit"))]
pub struct WrittenUnit<'a> {
    /// 0 and left out in files.
    #[serde(skip_serializing_if = "is_zero")]
    id: u32,
    kind: &'a str,
    on: bool,
    mix: f64,
    trim_db: f64,
    place: &'static str,
    #[serde(skip_serializing_if = "Option::is_none")]
    #[cfg_attr(feature = "types", ts(optional))]
    name: Option<&'a str>,
    why: &'a str,
    #[serde(skip_serializing_if = "Option::is_none")]
    #[cfg_attr(feature = "types", ts(optional, type = "{ strip: number, tap: KeyTap } | null"))]
    key: Option<Json>,
    #[serde(skip_serializing_if = "Option::is_none")]
    #[cfg_attr(feature = "types", ts(optional))]
    follows: Option<&'a Follow>,
    #[cfg_attr(feature = "types", ts(type = "Params"))]
    params: Json,
    #[serde(skip_serializing_if = "Option::is_none")]
    #[cfg_attr(feature = "types", ts(optional, type = "Course[]"))]
    over_time: Option<Json>,
    /// By path, what this version cannot use; see [`super::kept`].
    #[serde(skip_serializing_if = "Option::is_none")]
    #[cfg_attr(feature = "types", ts(optional, type = "Params"))]
    kept: Option<&'a BTreeMap<String, Json>>,
}

#[allow(clippy::trivially_copy_pass_by_ref)] // as serde asks
fn is_zero(id: &u32) -> bool {
    *id == 0
}

impl PartialEq for UnitSpec {
    fn eq(&self, o: &Self) -> bool {
        self.id == o.id
            && self.kind.id == o.kind.id
            && self.common == o.common
            && self.name == o.name
            && self.why == o.why
            && self.key == o.key
            && self.follows == o.follows
            && self.settings == o.settings
            && self.courses == o.courses
            && self.kept == o.kept
            && self.heard == o.heard
    }
}

/// As a rack file has it.
impl Serialize for UnitSpec {
    fn serialize<S: Serializer>(&self, into: S) -> Result<S::Ok, S::Error> {
        self.to_json().serialize(into)
    }
}

/// A unit that has been in a session comes back as it was there, whatever version wrote it; a new one is of this version.
impl<'de> Deserialize<'de> for UnitSpec {
    fn deserialize<D: Deserializer<'de>>(from: D) -> Result<Self, D::Error> {
        let json = Json::deserialize(from)?;
        let read = if has_been_there(&json) { Self::of_any_version(&json, 1) } else { Self::from_json(&json, 1) };
        read.map_err(D::Error::custom)
    }
}

/// Whether a unit in a file has an identity.
fn has_been_there(unit: &Json) -> bool {
    unit["id"].as_u64().is_some_and(|id| id != 0)
}

/// A whole rack.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct RackSpec {
    /// Units in signal order.
    pub units: Vec<UnitSpec>,
}

/// Why a rack could not be read. Unit numbers count from 1, as on the page.
#[derive(Clone, Debug, PartialEq)]
pub enum RackError {
    /// The text is not JSON.
    NotJson {
        /// What the reader says, with line and column.
        reason: String,
    },
    /// JSON, but not a rack.
    NotARack {
        /// What is missing or wrong.
        reason: String,
    },
    /// A version this program does not read.
    Version {
        /// The version found.
        found: u64,
    },
    /// No such kind of unit.
    UnknownKind {
        /// Which unit.
        unit: usize,
        /// The kind asked for.
        kind: String,
    },
    /// A field a unit does not have.
    UnknownField {
        /// Which unit.
        unit: usize,
        /// The field.
        field: String,
    },
    /// A key that cannot be used.
    Key {
        /// Which unit.
        unit: usize,
        /// Its kind.
        kind: &'static str,
        /// What is wrong.
        reason: String,
    },
    /// Something that changes with the song and cannot.
    Course {
        /// Which unit.
        unit: usize,
        /// Its kind.
        kind: &'static str,
        /// What is wrong.
        error: CourseError,
    },
    /// A parameter that cannot be used.
    Settings {
        /// Which unit.
        unit: usize,
        /// Its kind.
        kind: &'static str,
        /// What is wrong.
        error: SettingsError,
    },
}

impl core::fmt::Display for RackError {
    fn fmt(&self, f: &mut core::fmt::Formatter<'_>) -> core::fmt::Result {
        match self {
            Self::NotJson { reason } => write!(f, "the rack is not JSON ({reason})"),
            Self::NotARack { reason } => write!(f, "this is JSON but not a rack: {reason}"),
            Self::Version { found } => {
                write!(f, "the rack is of version {found}; this program reads version {RACK_VERSION}")
            }
            Self::UnknownKind { unit, kind } => {
                write!(f, "unit {unit} is of the unknown kind \"{kind}\"; known kinds: {}", kind_names())
            }
            Self::UnknownField { unit, field } => write!(
                f,
                "unit {unit} has an unknown field \"{field}\"; a unit has kind, on, mix, trim_db, place, name, why, key, follows, params and over_time"
            ),
            Self::Key { unit, kind, reason } => write!(f, "unit {unit} ({kind}): key: {reason}"),
            Self::Course { unit, kind, error } => write!(f, "unit {unit} ({kind}): {error}"),
            Self::Settings { unit, kind, error } => write!(f, "unit {unit} ({kind}): {error}"),
        }
    }
}

impl std::error::Error for RackError {}

impl UnitSpec {
    /// Whether a time of it is a note value.
    #[must_use]
    pub fn follows_tempo(&self) -> bool {
        let fixed = &self.settings.fixed;
        fixed.has("release_note") && fixed.choice("release_note") != "ms"
    }

    /// A fresh unit.
    #[must_use]
    pub fn new(kind: &'static UnitKind) -> Self {
        Self {
            id: 0,
            kind,
            common: Record::defaults(COMMON),
            name: String::new(),
            why: String::new(),
            key: None,
            follows: None,
            settings: Settings::defaults(&kind.tables),
            courses: Courses::default(),
            kept: Kept::default(),
            heard: UnitTap::Output,
        }
    }

    /// Sets the value named by `param`: a field that every unit has, or a path into its own
    /// parameters (`ratio`, `bands[2].freq_hz`). Returns the value before.
    ///
    /// # Errors
    /// See [`SettingsError`]; nothing is then changed.
    pub fn set(&mut self, param: &str, value: &Written) -> Result<Written, SettingsError> {
        if self.common.has(param) {
            return self.common.set(param, value, param);
        }
        self.settings.set(&self.kind.tables, param, value)
    }

    /// Reads one unit; `number` is its place in the rack, for error texts.
    ///
    /// # Errors
    /// See [`RackError`].
    pub fn from_json(json: &Json, number: usize) -> Result<Self, RackError> {
        let not_a_rack = |reason: String| RackError::NotARack { reason };
        let object = json.as_object().ok_or_else(|| not_a_rack(format!("unit {number} is not an object")))?;
        let kind_id = object
            .get("kind")
            .and_then(Json::as_str)
            .ok_or_else(|| not_a_rack(format!("unit {number} has no \"kind\"")))?;
        let kind = kind(kind_id).ok_or_else(|| RackError::UnknownKind { unit: number, kind: kind_id.to_string() })?;
        let settings_error = |error| RackError::Settings { unit: number, kind: kind.id, error };
        let (mut common, mut over_time) = (Map::new(), Json::Null);
        let mut unit = Self::new(kind);
        for (field, value) in object {
            match field.as_str() {
                "kind" => {}
                "id" => unit.id = value.as_u64().and_then(|n| u32::try_from(n).ok()).unwrap_or(0),
                "name" => unit.name = value.as_str().unwrap_or_default().chars().take(MAX_NAME).collect(),
                "why" => unit.why = value.as_str().unwrap_or_default().chars().take(MAX_NOTE).collect(),
                "key" => {
                    let faulty = |reason| RackError::Key { unit: number, kind: kind.id, reason };
                    unit.key = Key::from_json(value).map_err(faulty)?;
                    if unit.key.is_some() && !kind.takes_key {
                        return Err(faulty("this kind of unit has no key".into()));
                    }
                }
                "follows" => {
                    let read: Result<Option<Follow>, _> = serde_json::from_value(value.clone());
                    let reason = || "\"follows\" takes the number of a unit, {\"unit\": 7, \"mirrored\": [0, 2]}";
                    unit.follows = read.map_err(|_| not_a_rack(format!("unit {number}: {}", reason())))?;
                }
                "params" => unit.settings = Settings::from_json(&kind.tables, value).map_err(settings_error)?,
                "over_time" => over_time = value.clone(),
                name if COMMON.iter().any(|p| p.id == name) => {
                    common.insert(field.clone(), value.clone());
                }
                _ => return Err(RackError::UnknownField { unit: number, field: field.clone() }),
            }
        }
        unit.common = Record::from_json(COMMON, &common, "").map_err(settings_error)?;
        if let Some(list) = over_time.as_array_mut() {
            // What a row did goes with it.
            let is_gone = |path: &str| kind.tables.find(path).is_some_and(|at| unit.settings.value_at(at).is_none());
            list.retain(|course| !course["param"].as_str().is_some_and(is_gone));
        }
        let courses = Courses::from_json(&over_time, |path| unit.param(path));
        unit.courses = courses.map_err(|error| RackError::Course { unit: number, kind: kind.id, error })?;
        Ok(unit)
    }

    /// The unit in full; with its identity when it has one.
    #[must_use]
    pub fn to_json(&self) -> Json {
        let mut json = json!(WrittenUnit {
            id: self.id,
            kind: self.kept.kind.as_deref().unwrap_or(self.kind.id),
            on: self.common.is_on("on"),
            mix: self.common.number("mix"),
            trim_db: self.common.number("trim_db"),
            place: self.common.choice("place"),
            name: Some(self.name.as_str()).filter(|name| !name.is_empty()),
            why: &self.why,
            key: self.key.map(Key::to_json),
            follows: self.follows.as_ref(),
            params: self.settings.to_json(&self.kind.tables),
            over_time: (!self.courses.is_empty()).then(|| self.courses.to_json(|path| self.param(path))),
            kept: (self.kept.kind.is_none() && !self.kept.values.is_empty()).then_some(&self.kept.values),
        });
        if let (Some(_), Some(object)) = (&self.kept.kind, json.as_object_mut()) {
            // All it said, where it said it.
            object.remove("params");
            for (name, value) in &self.kept.values {
                match (object.get_mut(name), value) {
                    (Some(Json::Array(own)), Json::Array(others)) => own.extend(others.iter().cloned()),
                    _ => drop(object.insert(name.clone(), value.clone())),
                }
            }
        }
        json
    }

    /// The parameter a path names: a field that every unit has, or one of its own whose row is
    /// there.
    #[must_use]
    pub fn param(&self, path: &str) -> Option<&'static Param> {
        let own = || {
            let at = self.kind.tables.find(path)?;
            self.settings.value_at(at)?;
            self.kind.tables.param(at)
        };
        COMMON.iter().find(|param| param.id == path).or_else(own)
    }

    /// The value a path names, everywhere in the song.
    #[must_use]
    pub fn value(&self, path: &str) -> Option<Value> {
        let own = || self.settings.value_at(self.kind.tables.find(path)?);
        self.common.value(path).or_else(own).cloned()
    }

    /// Puts a value of the same type in place of the one a path names, without regard to its range;
    /// nothing where there is none.
    pub fn put(&mut self, path: &str, value: &Value) {
        if self.common.has(path) {
            self.common.put(path, value.clone());
        } else if let Some(at) = self.kind.tables.find(path) {
            self.settings.put_value_at(at, value);
        }
    }
}

/// The rack file.
impl Serialize for RackSpec {
    fn serialize<S: Serializer>(&self, into: S) -> Result<S::Ok, S::Error> {
        self.to_json().serialize(into)
    }
}

/// One of which a unit has been in a session may be of any version, as its units may.
impl<'de> Deserialize<'de> for RackSpec {
    fn deserialize<D: Deserializer<'de>>(from: D) -> Result<Self, D::Error> {
        let json = Json::deserialize(from)?;
        let is_known = json["units"].as_array().is_some_and(|units| units.iter().any(has_been_there));
        let read = if is_known { Self::of_any_version(&json) } else { Self::from_json(&json) };
        read.map_err(D::Error::custom)
    }
}

impl RackSpec {
    /// Reads a rack file.
    ///
    /// # Errors
    /// See [`RackError`].
    pub fn from_text(text: &str) -> Result<Self, RackError> {
        let json: Json = serde_json::from_str(text).map_err(|e| RackError::NotJson { reason: e.to_string() })?;
        Self::from_json(&json)
    }

    /// Reads a rack from parsed JSON.
    ///
    /// # Errors
    /// See [`RackError`].
    pub fn from_json(json: &Json) -> Result<Self, RackError> {
        let not_a_rack = |reason: &str| RackError::NotARack { reason: reason.to_string() };
        let version = json.get("zinc_rack").and_then(Json::as_u64);
        match version.ok_or_else(|| not_a_rack("the field \"zinc_rack\": 1 is missing"))? {
            RACK_VERSION => {}
            found => return Err(RackError::Version { found }),
        }
        let units = json.get("units").and_then(Json::as_array);
        let units = units.ok_or_else(|| not_a_rack("the list \"units\" is missing"))?;
        if units.len() > MAX_UNITS {
            return Err(not_a_rack(&format!("{} units; at most {MAX_UNITS} fit", units.len())));
        }
        let units = units.iter().enumerate().map(|(i, u)| UnitSpec::from_json(u, i + 1)).collect::<Result<_, _>>()?;
        Ok(Self { units })
    }

    /// The rack file.
    #[must_use]
    pub fn to_json(&self) -> Json {
        let units: Vec<Json> = self.units.iter().map(UnitSpec::to_json).collect();
        json!({ "zinc_rack": RACK_VERSION, "units": units })
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn error(text: &str) -> String {
        RackSpec::from_text(text).unwrap_err().to_string()
    }

    #[test]
    fn the_documented_example_reads_and_writes_back_equal() {
        let text = r#"{ "zinc_rack": 1, "units": [ { "kind": "surgical-eq", "on": true,
            "params": { "bands": [ { "shape": "high-pass", "freq_hz": 70, "slope_db_oct": 24 } ] } } ] }"#;
        let rack = RackSpec::from_text(text).unwrap();
        let band = &rack.units[0].settings.rows()[0];
        assert_eq!((band.choice("shape"), band.number("freq_hz")), ("high-pass", 70.0));
        assert_eq!(rack.to_json()["units"][0]["params"]["bands"][0]["slope_db_oct"], json!(24));
        assert_eq!(RackSpec::from_json(&rack.to_json()).unwrap(), rack);
    }

    #[test]
    fn an_infinite_ratio_survives_json() {
        let text = r#"{"zinc_rack":1,"units":[{"kind":"compressor","params":{"ratio":"inf"}}]}"#;
        let rack = RackSpec::from_text(text).unwrap();
        assert_eq!(rack.units[0].settings.fixed.number("ratio"), f64::INFINITY);
        assert_eq!(RackSpec::from_json(&rack.to_json()).unwrap(), rack);
    }

    #[test]
    fn every_fault_names_its_place_and_the_mend() {
        assert!(error("{").contains("not JSON"));
        assert!(error("{}").contains("\"zinc_rack\": 1 is missing"));
        assert!(error(r#"{"zinc_rack":9,"units":[]}"#).contains("version 9"));
        let unit = |u: &str| error(&format!(r#"{{"zinc_rack":1,"units":[{u}]}}"#));
        assert!(
            unit(r#"{"kind":"flanger"}"#)
                .contains("unit 1 is of the unknown kind \"flanger\"; known kinds: surgical-eq")
        );
        assert!(unit(r#"{"kind":"compressor","wet":1}"#).contains("unknown field \"wet\""));
        assert!(unit(r#"{"kind":"compressor","mix":2}"#).contains("mix is 2; it must be 0 to 1"));
        assert!(
            unit(r#"{"kind":"compressor","params":{"thresh":1}}"#).contains("no parameter thresh; known here: action")
        );
        let bands = |b: &str| unit(&format!(r#"{{"kind":"surgical-eq","params":{{"bands":[{{"freq_hz":70}},{b}]}}}}"#));
        assert!(bands(r#"{"freq_hz":30000}"#).contains("bands[1].freq_hz is 30000; it must be 10 to 20000"));
        assert!(bands(r#"{"freq_hz":"x"}"#).contains("it takes a number"));
        assert!(bands(r#"{"shape":"comb"}"#).contains("must be one of high-pass, low-shelf"));
        assert!(bands(r#"{"slope_db_oct":13}"#).contains("must be one of 6, 12, 18"));
    }
}
