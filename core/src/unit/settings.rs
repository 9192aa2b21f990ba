//! The values of one unit's parameters: read from JSON, checked against the
//! table, written back in full. Parameters named `group.field` are written as an object
//! of their own.

use std::collections::BTreeMap;
use std::sync::Arc;

use serde_json::{Map, Value as Json, json};

use super::param::{Domain, Param, Rows, Tables};
use super::sound::{NamedSound, SoundId, Sounds};
pub use super::value::{SettingsError, Value};
use super::value::{Written, WrittenField, WrittenRow, as_object, read_json, read_value, write_value, wrong_type};
use crate::signal::Sound;

/// Where a parameter stands in the settings of a unit: numbers of its list, its row and its
/// place in the table. In words and files it reads like `bands[2].freq_hz` or `ratio`.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Address {
    /// List and row; none for a parameter that exists once.
    pub row: Option<(usize, usize)>,
    /// Number of the parameter in its table.
    pub param: usize,
}

impl Tables {
    /// The address a path names; none for a path that names no parameter. Whether the row is
    /// there depends on the settings.
    #[must_use]
    pub fn find(&self, path: &str) -> Option<Address> {
        let numbered = |params: &[Param], id: &str| params.iter().position(|p| p.id == id);
        let Some((list, rest)) = path.split_once('[') else {
            return numbered(self.params, path).map(|param| Address { row: None, param });
        };
        let (row, id) = rest.split_once("].")?;
        let list = self.lists.iter().position(|rows| rows.id == list)?;
        let param = numbered(self.lists[list].params, id)?;
        Some(Address { row: Some((list, row.parse().ok()?)), param })
    }

    /// The parameter at an address.
    #[must_use]
    pub fn param(&self, at: Address) -> Option<&'static Param> {
        match at.row {
            None => self.params.get(at.param),
            Some((list, _)) => self.lists.get(list)?.params.get(at.param),
        }
    }
}

/// Values for one table of parameters, in the table's order.
#[derive(Debug)]
pub struct Record {
    params: &'static [Param],
    values: Vec<Value>,
}

impl Clone for Record {
    fn clone(&self) -> Self {
        Self { params: self.params, values: self.values.clone() }
    }

    /// Uses the room there is: a record of the same table is copied without allocating.
    fn clone_from(&mut self, source: &Self) {
        self.params = source.params;
        self.values.clone_from(&source.values);
    }
}

impl PartialEq for Record {
    fn eq(&self, other: &Self) -> bool {
        // One table may stand at several addresses: the compiler is free to copy a constant.
        let same = |(a, b): (&Param, &Param)| a.id == b.id;
        let same_table = core::ptr::eq(self.params, other.params)
            || (self.params.len() == other.params.len() && self.params.iter().zip(other.params).all(same));
        same_table && self.values == other.values
    }
}

impl Record {
    /// Every parameter at its default.
    #[must_use]
    pub fn defaults(params: &'static [Param]) -> Self {
        let values = params.iter().map(|p| Value::default_of(&p.domain)).collect();
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
            self.values[i] = read_json(&params[i].domain, json, at)?;
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

    /// The part of a parameter's range that does something with the other values; none where all of it does.
    #[must_use]
    pub fn reach(&self, param: &Param) -> Option<[f64; 2]> {
        param.reaches.iter().find(|reach| self.choice(reach.with.0) == reach.with.1).map(|reach| reach.range)
    }

    /// Whether a parameter of this table does nothing with its other values.
    #[must_use]
    pub fn rests(&self, param: &Param) -> bool {
        let state = |id: &str| {
            let at = self.params.iter().position(|p| p.id == id)?;
            match (&self.values[at], &self.params[at].domain) {
                (Value::Choice(chosen), Domain::Choice { options, .. }) => Some(options[*chosen].id),
                (Value::On(on), _) => Some(if *on { "on" } else { "off" }),
                _ => None,
            }
        };
        param.rests.iter().any(|rest| rest.holds(&state))
    }

    /// All values, named.
    #[must_use]
    pub fn written(&self) -> WrittenRow {
        let mut row = WrittenRow::new();
        for (p, v) in self.params.iter().zip(&self.values) {
            let value = write_value(&p.domain, v);
            let Some((group, name)) = p.id.split_once('.') else {
                row.insert(p.id.to_string(), WrittenField::Value(value));
                continue;
            };
            let field = row.entry(group.to_string()).or_insert_with(|| WrittenField::Group(BTreeMap::new()));
            if let WrittenField::Group(within) = field {
                within.insert(name.to_string(), value);
            }
        }
        row
    }

    /// All values, named, for a file.
    #[must_use]
    pub fn to_json(&self) -> Map<String, Json> {
        self.written().into_iter().map(|(name, field)| (name, json!(field))).collect()
    }

    /// The number named `id`; 0 for a name that is not a number of this table
    /// (a mistake in a unit's own file, caught by its tests).
    #[must_use]
    pub fn number(&self, id: &str) -> f64 {
        match self.value(id) {
            Some(Value::Number(n)) => *n,
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
            (Some(Domain::Choice { options, .. }), Some(Value::Choice(i))) => options[*i].id,
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

    /// Puts a value of the same type in place of the one named `id`, without regard to its range;
    /// nothing for a name that is not there.
    pub fn put(&mut self, id: &str, value: Value) {
        let at = self.params.iter().position(|p| p.id == id);
        if let Some(slot) = at.map(|i| &mut self.values[i])
            && std::mem::discriminant(slot) == std::mem::discriminant(&value)
        {
            *slot = value;
        }
    }

    /// Sets one value and returns the one before.
    ///
    /// # Errors
    /// A name the table does not have, a wrong type, or a value outside its range.
    pub fn set(&mut self, id: &str, written: &Written, path: &str) -> Result<Written, SettingsError> {
        let Some(i) = self.params.iter().position(|p| p.id == id) else {
            return Err(SettingsError::Unknown { path: path.into(), known: known_names(self.params, "") });
        };
        let value = read_value(&self.params[i].domain, written, path.to_string())?;
        let old = std::mem::replace(&mut self.values[i], value);
        Ok(write_value(&self.params[i].domain, &old))
    }

    /// The value named `id`.
    #[must_use]
    pub fn value(&self, id: &str) -> Option<&Value> {
        self.params.iter().position(|p| p.id == id).map(|i| &self.values[i])
    }

    /// The sound chosen for `id`, once it is supplied; none for a name that takes no sound.
    #[must_use]
    pub fn sound(&self, id: &str) -> Option<&Arc<Sound>> {
        debug_assert!(matches!(self.value(id), Some(Value::Sound(_))), "no sound {id}");
        match self.value(id) {
            Some(Value::Sound(Some(named))) => named.sound.as_ref(),
            _ => None,
        }
    }

    /// Names the sound of the parameter named `id`; nothing for a name that takes none.
    pub fn name_sound(&mut self, id: &str, sound: SoundId) {
        self.put(id, Value::Sound(Some(NamedSound { id: sound, sound: None })));
    }

    /// The parameters whose value differs from that in another record of the same table, with the value here.
    pub fn differences<'a>(&'a self, other: &'a Self) -> impl Iterator<Item = (&'static Param, &'a Value)> {
        let pairs = self.params.iter().zip(&self.values).zip(&other.values);
        pairs.filter(|((_, here), there)| here != there).map(|(pair, _)| pair)
    }

    /// The sounds it names.
    pub fn sounds(&self) -> impl Iterator<Item = &NamedSound> {
        self.values.iter().filter_map(|value| match value {
            Value::Sound(named) => named.as_ref(),
            _ => None,
        })
    }

    /// Gives it what it names of these sounds.
    pub fn supply(&mut self, sounds: &Sounds) {
        for value in &mut self.values {
            if let Value::Sound(Some(named)) = value {
                named.sound = sounds.get(named.id).cloned();
            }
        }
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
    /// Quarter notes a minute, for times that are note values; whoever holds the unit says so, it
    /// is not in its file.
    pub tempo_bpm: f64,
}

/// Tempo of a unit that no session holds.
pub const TEMPO_BPM: f64 = 120.0;

impl Settings {
    /// Those of a fresh unit.
    #[must_use]
    pub fn defaults(tables: &Tables) -> Self {
        Self {
            fixed: Record::defaults(tables.params),
            lists: vec![Vec::new(); tables.lists.len()],
            tempo_bpm: TEMPO_BPM,
        }
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

    /// Sets the value a path like `bands[2].freq_hz` names and returns the one before.
    ///
    /// # Errors
    /// See [`SettingsError`]; nothing is then changed.
    pub fn set(&mut self, tables: &Tables, path: &str, written: &Written) -> Result<Written, SettingsError> {
        let at = tables.find(path);
        let record = match at.and_then(|at| at.row) {
            _ if at.is_none() => None,
            None => Some(&mut self.fixed),
            Some((list, row)) => self.lists.get_mut(list).and_then(|rows| rows.get_mut(row)),
        };
        let id = at.and_then(|at| tables.param(at)).map_or("", |p| p.id);
        match record {
            Some(record) => record.set(id, written, path),
            None => Err(SettingsError::Unknown { path: path.into(), known: self.known(tables) }),
        }
    }

    /// Puts a number where the address says, without regard to its range and without
    /// allocating. False where there is no number.
    pub fn put_number_at(&mut self, at: Address, number: f64) -> bool {
        let record = match at.row {
            None => Some(&mut self.fixed),
            Some((list, row)) => self.lists.get_mut(list).and_then(|rows| rows.get_mut(row)),
        };
        match record.and_then(|record| record.values.get_mut(at.param)) {
            Some(Value::Number(value)) => {
                *value = number;
                true
            }
            _ => false,
        }
    }

    /// The value where the address says; none where there is none.
    #[must_use]
    pub fn value_at(&self, at: Address) -> Option<&Value> {
        let record = match at.row {
            None => Some(&self.fixed),
            Some((list, row)) => self.lists.get(list).and_then(|rows| rows.get(row)),
        };
        record.and_then(|record| record.values.get(at.param))
    }

    /// Puts a value of the same type where the address says, without regard to its range; nothing
    /// where there is none. A number, a switch and a choice allocate nothing.
    pub fn put_value_at(&mut self, at: Address, value: &Value) {
        let record = match at.row {
            None => Some(&mut self.fixed),
            Some((list, row)) => self.lists.get_mut(list).and_then(|rows| rows.get_mut(row)),
        };
        if let Some(slot) = record.and_then(|record| record.values.get_mut(at.param))
            && std::mem::discriminant(slot) == std::mem::discriminant(value)
        {
            slot.clone_from(value);
        }
    }

    /// What a path could name, for error texts.
    fn known(&self, tables: &Tables) -> String {
        let rows = tables.lists.iter().zip(&self.lists).filter(|(_, rows)| !rows.is_empty());
        let lists =
            rows.map(|(list, rows)| format!("{}[0 to {}].{}", list.id, rows.len() - 1, known_names(list.params, "")));
        let fixed = (!tables.params.is_empty()).then(|| known_names(tables.params, ""));
        fixed.into_iter().chain(lists).collect::<Vec<_>>().join("; ")
    }

    /// Reads the `params` object of a rack file.
    ///
    /// # Errors
    /// See [`SettingsError`].
    pub fn from_json(tables: &Tables, params: &Json) -> Result<Self, SettingsError> {
        let object = as_object(params, "params")?;
        let mut fixed = object.clone();
        let mut lists = Vec::with_capacity(tables.lists.len());
        for list in tables.lists {
            lists.push(fixed.remove(list.id).map_or(Ok(Vec::new()), |given| read_list(list, given))?);
        }
        Ok(Self { fixed: Record::from_json(tables.params, &fixed, "")?, lists, tempo_bpm: TEMPO_BPM })
    }

    /// The `params` object of a rack file, every value written out.
    #[must_use]
    pub fn to_json(&self, tables: &Tables) -> Json {
        let mut object = self.fixed.to_json();
        for (list, rows) in tables.lists.iter().zip(&self.lists) {
            let rows = rows.iter().map(|r| Json::Object(r.to_json())).collect();
            object.insert(list.id.to_string(), Json::Array(rows));
        }
        Json::Object(object)
    }
}

impl Rows {
    /// One row as it is written.
    ///
    /// # Errors
    /// See [`SettingsError`].
    pub fn row(&self, row: &WrittenRow) -> Result<Record, SettingsError> {
        Record::from_json(self.params, as_object(&json!(row), self.label)?, self.label)
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

#[cfg(test)]
mod tests {
    use super::*;
    use crate::unit::param::{Change, decibels, hertz};
    use serde_json::json;

    const ROW: &[Param] = &[
        Param::new("freq_hz", "f", "f", hertz(10.0, 20_000.0, 100.0)),
        Param::new("way.on", "on", "on", Domain::Switch { default: false }),
    ];
    const TABLES: Tables = Tables {
        params: &[Param::new("gain_db", "g", "g", decibels(-30.0, 30.0, 0.0))],
        lists: &[Rows { id: "bands", label: "band", params: ROW, max: 4, count_renews: false }],
    };

    fn two_rows() -> Settings {
        let mut settings = Settings::defaults(&TABLES);
        settings.lists[0] = vec![Record::defaults(ROW); 2];
        settings
    }

    #[test]
    fn a_path_names_one_value_and_setting_it_gives_back_the_one_before() {
        let mut settings = two_rows();
        assert_eq!(settings.set(&TABLES, "gain_db", &Written::from(-3)).unwrap(), Written::from(0.0));
        assert_eq!(settings.set(&TABLES, "bands[1].freq_hz", &440.into()).unwrap(), 100.0.into());
        assert_eq!(settings.set(&TABLES, "bands[0].way.on", &true.into()).unwrap(), false.into());
        assert_eq!(settings.fixed.number("gain_db"), -3.0);
        assert_eq!([0, 1].map(|i| settings.lists[0][i].number("freq_hz")), [100.0, 440.0]);
        assert!(settings.lists[0][0].is_on("way.on"));
    }

    #[test]
    fn a_path_that_names_nothing_or_a_value_out_of_range_changes_nothing() {
        let mut settings = two_rows();
        let before = settings.clone();
        for (path, value) in [
            ("bands[2].freq_hz", json!(440)),
            ("bands[x].freq_hz", json!(440)),
            ("bands[0]", json!(1)),
            ("bells[0].freq_hz", json!(440)),
            ("gain", json!(1)),
            ("gain_db", json!(31)),
            ("bands[0].way.on", json!(1)),
        ] {
            assert!(settings.set(&TABLES, path, &serde_json::from_value(value).unwrap()).is_err(), "{path}");
            assert_eq!(settings, before, "{path}");
        }
    }

    #[test]
    fn a_number_is_put_by_its_address_and_nothing_else_is() {
        let mut settings = two_rows();
        assert!(settings.put_number_at(TABLES.find("bands[1].freq_hz").unwrap(), 99.0));
        assert_eq!(settings.lists[0][1].number("freq_hz"), 99.0);
        assert!(!settings.put_number_at(TABLES.find("bands[1].way.on").unwrap(), 1.0));
        assert!(!settings.put_number_at(TABLES.find("bands[7].freq_hz").unwrap(), 1.0));
    }

    #[test]
    fn a_sound_is_named_supplied_and_written_by_its_name() {
        const TABLES: Tables =
            Tables { params: &[Param::new("sound", "s", "s", Domain::Sound { max_seconds: 1.0 })], lists: &[] };
        let (name, other) = ("0a".repeat(32), "ff".repeat(32));
        let mut settings = Settings::from_json(&TABLES, &json!({ "sound": name })).unwrap();
        assert!(settings.fixed.sound("sound").is_none(), "not supplied yet");
        let named_only = settings.clone();
        let mut sounds = Sounds::default();
        sounds.put(name.parse().unwrap(), Arc::new(Sound::new(&[0.5], 1, 48_000.0)));
        settings.fixed.supply(&sounds);
        assert_eq!(settings.fixed.sound("sound").unwrap().sides()[1], [0.5]);
        assert_ne!(settings, named_only, "a unit goes by whether its sound is there");
        assert_eq!(settings.to_json(&TABLES), json!({ "sound": name }));
        assert_eq!(settings.set(&TABLES, "sound", &other.as_str().into()).unwrap(), name.as_str().into());
        settings.fixed.supply(&sounds);
        assert!(settings.fixed.sound("sound").is_none(), "it is missing");
        assert_eq!(
            settings.set(&TABLES, "sound", &serde_json::from_value(Json::Null).unwrap()).unwrap(),
            other.as_str().into()
        );
        assert!(settings.set(&TABLES, "sound", &"room.wav".into()).is_err());
    }

    #[test]
    fn a_number_glides_and_a_switch_steps_unless_the_table_says_otherwise() {
        assert_eq!([ROW[0].change, ROW[1].change], [Change::Glides, Change::Steps]);
        assert_eq!(ROW[1].glides().change, Change::Glides);
        assert_eq!(ROW[0].renews().change, Change::Renews);
        assert_eq!(Param::new("s", "s", "s", Domain::Sound { max_seconds: 1.0 }).change, Change::Renews);
    }
}
