//! The values of one unit's parameters: read from JSON, checked against the
//! table, written back in full. Parameters named `group.field` are written as an object
//! of their own.

use serde_json::{Map, Value as Json, json};

use super::catalogue::{Rows, UnitKind};
use super::param::{Domain, Param};

/// One parameter's value.
#[derive(Clone, Copy, Debug, PartialEq)]
pub enum Value {
    /// A number in the parameter's own unit.
    Number(f64),
    /// Index of an option.
    Choice(usize),
    /// A switch.
    On(bool),
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

/// Values for one table of parameters, in the table's order.
#[derive(Clone, Debug)]
pub struct Record {
    params: &'static [Param],
    values: Vec<Value>,
}

impl PartialEq for Record {
    fn eq(&self, other: &Self) -> bool {
        core::ptr::eq(self.params, other.params) && self.values == other.values
    }
}

impl Record {
    /// Every parameter at its default.
    #[must_use]
    pub fn defaults(params: &'static [Param]) -> Self {
        let values = params
            .iter()
            .map(|p| match p.domain {
                Domain::Number { default, .. } => Value::Number(default),
                Domain::Choice { default, .. } => Value::Choice(default),
                Domain::Switch { default } => Value::On(default),
            })
            .collect();
        Self { params, values }
    }

    /// Defaults overridden by what `object` gives; `path` leads error texts.
    ///
    /// # Errors
    /// An unknown name, a wrong type, or a value outside its range.
    pub fn from_json(params: &'static [Param], object: &Map<String, Json>, path: &str) -> Result<Self, SettingsError> {
        let mut record = Self::defaults(params);
        record.read(object, "", path)?;
        Ok(record)
    }

    /// Reads the fields of an object whose names all begin with `group`.
    fn read(&mut self, object: &Map<String, Json>, group: &str, path: &str) -> Result<(), SettingsError> {
        let params = self.params;
        for (name, json) in object {
            let at = join(path, name);
            let id = format!("{group}{name}");
            if is_group(params, &id) {
                self.read_group(json, &id, &at)?;
                continue;
            }
            let Some(i) = params.iter().position(|p| p.id == id) else {
                let known = known_names(params, group);
                return Err(SettingsError::Unknown { path: at, known });
            };
            self.values[i] = read_value(&params[i].domain, json, at)?;
        }
        Ok(())
    }

    /// A group given as an object is on unless it says otherwise; `null` leaves it alone.
    fn read_group(&mut self, json: &Json, id: &str, path: &str) -> Result<(), SettingsError> {
        if json.is_null() {
            return Ok(());
        }
        self.put(&format!("{id}.on"), Value::On(true));
        self.read(as_object(json, path)?, &format!("{id}."), path)
    }

    /// All values, named.
    #[must_use]
    pub fn to_json(&self) -> Map<String, Json> {
        let mut object = Map::new();
        for (p, v) in self.params.iter().zip(&self.values) {
            let value = write_value(&p.domain, *v);
            let Some((group, name)) = p.id.split_once('.') else {
                object.insert(p.id.to_string(), value);
                continue;
            };
            if let Json::Object(inner) = object.entry(group).or_insert_with(|| Json::Object(Map::new())) {
                inner.insert(name.to_string(), value);
            }
        }
        object
    }

    /// The number named `id`; 0 for a name that is not a number of this table
    /// (a mistake in a unit's own file, caught by its tests).
    #[must_use]
    pub fn number(&self, id: &str) -> f64 {
        match self.value(id) {
            Some(Value::Number(n)) => n,
            _ => {
                debug_assert!(false, "no number {id}");
                0.0
            }
        }
    }

    /// The id of the option chosen for `id`; empty for a name that is no choice.
    #[must_use]
    pub fn choice(&self, id: &str) -> &'static str {
        let domain = self.params.iter().find(|p| p.id == id).map(|p| p.domain);
        match (domain, self.value(id)) {
            (Some(Domain::Choice { options, .. }), Some(Value::Choice(i))) => options[i].id,
            _ => {
                debug_assert!(false, "no choice {id}");
                ""
            }
        }
    }

    /// State of the switch named `id`; false for a name that is no switch.
    #[must_use]
    pub fn is_on(&self, id: &str) -> bool {
        debug_assert!(matches!(self.value(id), Some(Value::On(_))), "no switch {id}");
        matches!(self.value(id), Some(Value::On(true)))
    }

    /// Whether the table has a parameter named `id`.
    #[must_use]
    pub fn has(&self, id: &str) -> bool {
        self.params.iter().any(|p| p.id == id)
    }

    /// Whether it and another record of the same table agree in the parameter named `id`.
    #[must_use]
    pub fn agrees(&self, other: &Self, id: &str) -> bool {
        self.value(id) == other.value(id)
    }

    /// Sets the switch named `id`; nothing for a name that is no switch.
    pub fn switch(&mut self, id: &str, on: bool) {
        self.put(id, Value::On(on));
    }

    /// Chooses an option of the choice named `id`; nothing for a name or an option that is not
    /// there.
    pub fn choose(&mut self, id: &str, option: &str) {
        let domain = self.params.iter().find(|p| p.id == id).map(|p| p.domain);
        if let Some(Domain::Choice { options, .. }) = domain
            && let Some(at) = options.iter().position(|o| o.id == option)
        {
            self.put(id, Value::Choice(at));
        }
    }

    /// Sets the number named `id` without regard to its range, for what is computed
    /// and not typed; nothing for a name that is no number.
    pub fn put_number(&mut self, id: &str, number: f64) {
        self.put(id, Value::Number(number));
    }

    fn put(&mut self, id: &str, value: Value) {
        let at = self.params.iter().position(|p| p.id == id);
        if let Some(slot) = at.map(|i| &mut self.values[i])
            && std::mem::discriminant(slot) == std::mem::discriminant(&value)
        {
            *slot = value;
        }
    }

    fn value(&self, id: &str) -> Option<Value> {
        self.params.iter().position(|p| p.id == id).map(|i| self.values[i])
    }
}

/// All values of one unit: its fixed parameters and the rows of its lists (the bands of an
/// EQ).
#[derive(Clone, Debug, PartialEq)]
pub struct Settings {
    /// Parameters that exist once.
    pub fixed: Record,
    /// Rows of each list of the kind, in order.
    pub lists: Vec<Vec<Record>>,
}

impl Settings {
    /// A fresh unit of `kind`.
    #[must_use]
    pub fn defaults(kind: &UnitKind) -> Self {
        Self { fixed: Record::defaults(kind.params), lists: vec![Vec::new(); kind.lists.len()] }
    }

    /// Rows of the first list; none for a kind without lists.
    #[must_use]
    pub fn rows(&self) -> &[Record] {
        self.lists.first().map_or(&[], Vec::as_slice)
    }

    /// One row of the first list.
    pub fn row_mut(&mut self, row: usize) -> Option<&mut Record> {
        self.lists.first_mut().and_then(|rows| rows.get_mut(row))
    }

    /// Reads the `params` object of a rack file.
    ///
    /// # Errors
    /// See [`SettingsError`].
    pub fn from_json(kind: &UnitKind, params: &Json) -> Result<Self, SettingsError> {
        let object = as_object(params, "params")?;
        let mut fixed = object.clone();
        let mut lists = Vec::with_capacity(kind.lists.len());
        for list in kind.lists {
            lists.push(fixed.remove(list.id).map_or(Ok(Vec::new()), |given| read_list(list, given))?);
        }
        Ok(Self { fixed: Record::from_json(kind.params, &fixed, "")?, lists })
    }

    /// The `params` object of a rack file, every value written out.
    #[must_use]
    pub fn to_json(&self, kind: &UnitKind) -> Json {
        let mut object = self.fixed.to_json();
        for (list, rows) in kind.lists.iter().zip(&self.lists) {
            let rows = rows.iter().map(|r| Json::Object(r.to_json())).collect();
            object.insert(list.id.to_string(), Json::Array(rows));
        }
        Json::Object(object)
    }
}

impl Rows {
    /// One row as in a rack file.
    ///
    /// # Errors
    /// See [`SettingsError`].
    pub fn row_from_json(&self, row: &Json) -> Result<Record, SettingsError> {
        Record::from_json(self.params, as_object(row, self.label)?, self.label)
    }
}

fn read_list(list: &Rows, given: Json) -> Result<Vec<Record>, SettingsError> {
    let Json::Array(given) = given else {
        return Err(wrong_type(list.id, &given, "a list"));
    };
    if given.len() > list.max {
        return Err(SettingsError::TooMany { path: list.id.into(), given: given.len(), max: list.max });
    }
    let row = |(i, row): (usize, &Json)| {
        let path = format!("{}[{i}]", list.id);
        Record::from_json(list.params, as_object(row, &path)?, &path)
    };
    given.iter().enumerate().map(row).collect()
}

/// Whether parameters of the table are written as an object of this name: those named
/// `name.field`.
fn is_group(params: &[Param], name: &str) -> bool {
    params.iter().any(|p| p.id.strip_prefix(name).is_some_and(|rest| rest.starts_with('.')))
}

/// What may stand in an object, for error texts.
fn known_names(params: &[Param], group: &str) -> String {
    let mut names: Vec<&str> = Vec::new();
    for name in params.iter().filter_map(|p| p.id.strip_prefix(group)) {
        let name = name.split('.').next().unwrap_or(name);
        if names.last() != Some(&name) {
            names.push(name);
        }
    }
    names.join(", ")
}

fn join(path: &str, name: &str) -> String {
    if path.is_empty() { name.to_string() } else { format!("{path}.{name}") }
}

fn as_object<'a>(json: &'a Json, path: &str) -> Result<&'a Map<String, Json>, SettingsError> {
    json.as_object().ok_or_else(|| wrong_type(path, json, "an object"))
}

fn wrong_type(path: &str, given: &Json, takes: &'static str) -> SettingsError {
    let mut text = given.to_string();
    if text.len() > 40 {
        text = format!("{}...", text.chars().take(37).collect::<String>());
    }
    SettingsError::WrongType { path: path.to_string(), given: text, takes }
}

/// Reads one value; numbers may be given as text where JSON has none ("inf").
fn read_value(domain: &Domain, json: &Json, path: String) -> Result<Value, SettingsError> {
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
    }
}

fn write_value(domain: &Domain, value: Value) -> Json {
    match (domain, value) {
        (_, Value::Number(n)) if n.is_infinite() => json!("inf"),
        (_, Value::Number(n)) => json!(n),
        (Domain::Choice { options, .. }, Value::Choice(i)) => match options[i].id.parse::<i64>() {
            Ok(number) => json!(number),
            Err(_) => json!(options[i].id),
        },
        (_, Value::Choice(i)) => json!(i),
        (_, Value::On(b)) => json!(b),
    }
}
