//! One value of a parameter: read from JSON, checked against the parameter's domain, written
//! back; and why a value is refused.

use serde_json::{Map, Value as Json, json};

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

pub(super) fn wrong_type(path: &str, given: &Json, takes: &'static str) -> SettingsError {
    let mut text = given.to_string();
    if text.len() > 40 {
        text = format!("{}...", text.chars().take(37).collect::<String>());
    }
    SettingsError::WrongType { path: path.to_string(), given: text, takes }
}

/// Reads one value; numbers may be given as text where JSON has none ("inf").
pub(crate) fn read_value(domain: &Domain, json: &Json, path: String) -> Result<Value, SettingsError> {
    match *domain {
        Domain::Number { min, max, .. } => {
            let given = match json {
                Json::String(s) if s == "inf" => Some(f64::INFINITY),
                other => other.as_f64(),
            };
            let Some(given) = given else { return Err(wrong_type(&path, json, "a number")) };
            if !(min..=max).contains(&given) {
                return Err(SettingsError::OutOfRange { path, given, min, max });
            }
            Ok(Value::Number(given))
        }
        Domain::Choice { options, .. } => {
            let given = match json {
                Json::String(s) => s.clone(),
                Json::Number(n) => n.as_f64().unwrap_or(f64::NAN).to_string(),
                _ => return Err(wrong_type(&path, json, "the name of an option")),
            };
            let found = options.iter().position(|o| o.id == given);
            let list = || options.iter().map(|o| o.id).collect::<Vec<_>>().join(", ");
            found.map(Value::Choice).ok_or_else(|| SettingsError::NoSuchOption { path, given, options: list() })
        }
        Domain::Switch { .. } => match json {
            Json::Bool(b) => Ok(Value::On(*b)),
            _ => Err(wrong_type(&path, json, "true or false")),
        },
        Domain::Sound { .. } => match json {
            Json::Null => Ok(Value::Sound(None)),
            other => {
                let id = other.as_str().and_then(|text| text.parse().ok());
                let id =
                    id.ok_or_else(|| wrong_type(&path, json, "the hash of a sound (64 hexadecimal digits) or null"))?;
                Ok(Value::Sound(Some(NamedSound { id, sound: None })))
            }
        },
    }
}

/// A value as a rack file holds it: an option by its name (a number where that reads as one), no end as `"inf"`.
#[must_use]
pub fn write_value(domain: &Domain, value: &Value) -> Json {
    match (domain, value) {
        (_, Value::Number(n)) if n.is_infinite() => json!("inf"),
        (_, Value::Number(n)) => json!(n),
        (Domain::Choice { options, .. }, Value::Choice(i)) => match options[*i].id.parse::<i64>() {
            Ok(number) => json!(number),
            Err(_) => json!(options[*i].id),
        },
        (_, Value::Choice(i)) => json!(i),
        (_, Value::On(b)) => json!(b),
        (_, Value::Sound(named)) => named.as_ref().map_or(Json::Null, |named| json!(named.id.to_string())),
    }
}
