//! One value of a parameter: as it is written, checked against the parameter's domain, written
//! back; and why a value is refused.

use std::collections::BTreeMap;

use serde::{Deserialize, Serialize};
use serde_json::{Map, Value as Json};

use super::param::Domain;
use super::sound::NamedSound;

/// One parameter's value.
#[derive(Clone, Debug, PartialEq)]
pub enum Value {
    /// A number in the parameter's own unit.
    Number(f64),
    /// Index of an option.
    Choice(usize),
    /// A switch.
    On(bool),
    /// A sound, or none.
    Sound(Option<NamedSound>),
}

/// A value as files and edits write it, before it is known which parameter it is for.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
#[serde(untagged, expecting = "a value is a number, a word, true, false or null")]
#[cfg_attr(feature = "types", derive(ts_rs::TS))]
pub enum Written {
    /// No sound.
    Nothing,
    /// A switch.
    Switch(bool),
    /// A number without a fraction, as it was written.
    Whole(#[cfg_attr(feature = "types", ts(type = "number"))] i64),
    /// Any other number.
    Number(f64),
    /// An option, a sound, or `"inf"`.
    Word(String),
}

/// A row of a list as files and edits write it: values by their names, those of a group within it.
pub type WrittenRow = BTreeMap<String, WrittenField>;

/// A field of a row: a value, or a group of them.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
#[serde(untagged, expecting = "a row has values, and groups of values")]
#[cfg_attr(feature = "types", derive(ts_rs::TS))]
pub enum WrittenField {
    /// One value.
    Value(Written),
    /// Values by their names within the group.
    Group(BTreeMap<String, Written>),
}

impl Written {
    /// That of a JSON value; none for a list or an object.
    #[must_use]
    pub fn of(json: &Json) -> Option<Self> {
        Self::deserialize(json).ok()
    }

    /// The number it is.
    #[must_use]
    pub fn number(&self) -> Option<f64> {
        match self {
            Self::Whole(n) => Some(*n as f64),
            Self::Number(n) => Some(*n),
            Self::Nothing | Self::Switch(_) | Self::Word(_) => None,
        }
    }
}

impl core::fmt::Display for Written {
    fn fmt(&self, f: &mut core::fmt::Formatter<'_>) -> core::fmt::Result {
        match self {
            Self::Nothing => write!(f, "null"),
            Self::Switch(on) => write!(f, "{on}"),
            Self::Whole(n) => write!(f, "{n}"),
            Self::Number(n) => write!(f, "{n}"),
            Self::Word(word) => write!(f, "{word:?}"),
        }
    }
}

impl From<f64> for Written {
    fn from(number: f64) -> Self {
        Self::Number(number)
    }
}

impl From<i32> for Written {
    fn from(number: i32) -> Self {
        Self::Whole(i64::from(number))
    }
}

impl From<u32> for Written {
    fn from(number: u32) -> Self {
        Self::Whole(i64::from(number))
    }
}

impl From<bool> for Written {
    fn from(on: bool) -> Self {
        Self::Switch(on)
    }
}

impl From<&str> for Written {
    fn from(word: &str) -> Self {
        Self::Word(word.to_string())
    }
}

/// Why settings were refused. Paths read like `bands[2].freq_hz`.
#[derive(Clone, Debug, PartialEq)]
pub enum SettingsError {
    /// The table has no such parameter.
    Unknown {
        /// Where.
        path: String,
        /// What it could have been.
        known: String,
    },
    /// Not the type the parameter takes.
    WrongType {
        /// Where.
        path: String,
        /// What was given.
        given: String,
        /// What it takes.
        takes: &'static str,
    },
    /// A number outside its range.
    OutOfRange {
        /// Where.
        path: String,
        /// What was given.
        given: f64,
        /// Smallest value.
        min: f64,
        /// Largest value.
        max: f64,
    },
    /// Not one of the options.
    NoSuchOption {
        /// Where.
        path: String,
        /// What was given.
        given: String,
        /// The options.
        options: String,
    },
    /// More rows than the unit can hold.
    TooMany {
        /// Name of the list.
        path: String,
        /// How many were given.
        given: usize,
        /// How many fit.
        max: usize,
    },
}

impl core::fmt::Display for SettingsError {
    fn fmt(&self, f: &mut core::fmt::Formatter<'_>) -> core::fmt::Result {
        match self {
            Self::Unknown { path, known } => write!(f, "there is no parameter {path}; known here: {known}"),
            Self::WrongType { path, given, takes } => write!(f, "{path} is {given}; it takes {takes}"),
            Self::OutOfRange { path, given, min, max } => write!(f, "{path} is {given}; it must be {min} to {max}"),
            Self::NoSuchOption { path, given, options } => write!(f, "{path} is {given}; it must be one of {options}"),
            Self::TooMany { path, given, max } => write!(f, "{path} has {given} entries; at most {max} fit"),
        }
    }
}

impl std::error::Error for SettingsError {}

impl Value {
    /// That of a fresh unit.
    #[must_use]
    pub fn default_of(domain: &Domain) -> Self {
        match *domain {
            Domain::Number { default, .. } => Self::Number(default),
            Domain::Choice { default, .. } => Self::Choice(default),
            Domain::Switch { default } => Self::On(default),
            Domain::Sound { .. } => Self::Sound(None),
        }
    }
}

pub(super) fn as_object<'a>(json: &'a Json, path: &str) -> Result<&'a Map<String, Json>, SettingsError> {
    json.as_object().ok_or_else(|| wrong_type(path, json, "an object"))
}

pub(super) fn wrong_type(path: &str, given: &impl core::fmt::Display, takes: &'static str) -> SettingsError {
    let mut text = given.to_string();
    if text.len() > 40 {
        text = format!("{}...", text.chars().take(37).collect::<String>());
    }
    SettingsError::WrongType { path: path.to_string(), given: text, takes }
}

/// Reads one value from a file.
pub(crate) fn read_json(domain: &Domain, json: &Json, path: String) -> Result<Value, SettingsError> {
    match Written::of(json) {
        Some(written) => read_value(domain, &written, path),
        None => Err(wrong_type(&path, json, takes(domain))),
    }
}

/// What a parameter takes, in words.
fn takes(domain: &Domain) -> &'static str {
    match domain {
        Domain::Number { .. } => "a number",
        Domain::Choice { .. } => "the name of an option",
        Domain::Switch { .. } => "true or false",
        Domain::Sound { .. } => "the hash of a sound (64 hexadecimal digits) or null",
    }
}

/// Reads one value; numbers may be given as text where JSON has none ("inf").
pub(crate) fn read_value(domain: &Domain, written: &Written, path: String) -> Result<Value, SettingsError> {
    let wrong = |path: &str| wrong_type(path, written, takes(domain));
    match *domain {
        Domain::Number { min, max, .. } => {
            let given = match written {
                Written::Word(word) if word == "inf" => Some(f64::INFINITY),
                other => other.number(),
            };
            let given = given.ok_or_else(|| wrong(&path))?;
            if !(min..=max).contains(&given) {
                return Err(SettingsError::OutOfRange { path, given, min, max });
            }
            Ok(Value::Number(given))
        }
        Domain::Choice { options, .. } => {
            let given = match written {
                Written::Word(word) => word.clone(),
                other => other.number().ok_or_else(|| wrong(&path))?.to_string(),
            };
            let found = options.iter().position(|o| o.id == given);
            let list = || options.iter().map(|o| o.id).collect::<Vec<_>>().join(", ");
            found.map(Value::Choice).ok_or_else(|| SettingsError::NoSuchOption { path, given, options: list() })
        }
        Domain::Switch { .. } => match written {
            Written::Switch(on) => Ok(Value::On(*on)),
            _ => Err(wrong(&path)),
        },
        Domain::Sound { .. } => match written {
            Written::Nothing => Ok(Value::Sound(None)),
            Written::Word(word) => {
                let id = word.parse().map_err(|_| wrong(&path))?;
                Ok(Value::Sound(Some(NamedSound { id, sound: None })))
            }
            _ => Err(wrong(&path)),
        },
    }
}

/// A value as it is written: an option by its name (a number where that reads as one), no end as `"inf"`.
#[must_use]
pub fn write_value(domain: &Domain, value: &Value) -> Written {
    match (domain, value) {
        (_, Value::Number(n)) if n.is_infinite() => Written::from("inf"),
        (_, Value::Number(n)) => Written::Number(*n),
        (Domain::Choice { options, .. }, Value::Choice(at)) => {
            let id = options[*at].id;
            id.parse().map_or_else(|_| Written::from(id), Written::Whole)
        }
        (_, Value::Choice(at)) => Written::Whole(*at as i64),
        (_, Value::On(on)) => Written::Switch(*on),
        (_, Value::Sound(named)) => {
            named.as_ref().map_or(Written::Nothing, |named| Written::Word(named.id.to_string()))
        }
    }
}
