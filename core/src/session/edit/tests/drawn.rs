//! Edits drawn by chance from the session at hand: they name strips, units, values and sections that are there, and
//! now and then one that is not.

use std::collections::BTreeMap;

use proptest::prelude::*;
use proptest::strategy::ValueTree;
use proptest::test_runner::TestRunner;
use serde_json::{Value as Json, json};

use super::base::session;
use crate::rack::{Follow, Key, RackSpec, UnitSpec};
use crate::session::edit::change::Edit;
use crate::session::notebook::Entry;
use crate::session::{AudioRef, AuxSend, Family, Part, Role, Section, SectionChange, Session};
use crate::unit::catalogue::KINDS;
use crate::unit::param::{Domain, Param, Rows};
use crate::unit::value::WrittenRow;

/// All edits, those that set a value first.
const NAMES: [&str; 35] = [
    "set-control",
    "rename",
    "set-note",
    "set-param",
    "name-unit",
    "set-why",
    "set-key",
    "set-unit",
    "set-sends",
    "set-start",
    "set-tempo",
    "set-follows",
    "set-feeds",
    "set-part",
    "set-take-set",
    "set-here",
    "set-lane",
    "set-points-on",
    "add-unit",
    "remove-unit",
    "move-unit",
    "add-row",
    "remove-row",
    "copy-unit",
    "copy-rack",
    "replace-rack",
    "add-strip",
    "remove-strip",
    "move-strip",
    "add-section",
    "set-section",
    "remove-section",
    "set-sections",
    "note",
    "several",
];
/// How many of them set a value of something that stays where it is.
const VALUES: usize = 11;
/// One in so many is of something that is not there.
const ASTRAY: usize = 12;
/// Nothing has this identity.
const NOBODY: u32 = 99_999;

/// The name of an edit; one that is new has to be named, and then to be drawn.
fn name(edit: &Edit) -> &'static str {
    match edit {
        Edit::SetControl { .. } => "set-control",
        Edit::Rename { .. } => "rename",
        Edit::SetNote { .. } => "set-note",
        Edit::AddUnit { .. } => "add-unit",
        Edit::RemoveUnit { .. } => "remove-unit",
        Edit::MoveUnit { .. } => "move-unit",
        Edit::SetParam { .. } => "set-param",
        Edit::AddRow { .. } => "add-row",
        Edit::RemoveRow { .. } => "remove-row",
        Edit::SetHere { .. } => "set-here",
        Edit::SetLane { .. } => "set-lane",
        Edit::SetPointsOn { .. } => "set-points-on",
        Edit::NameUnit { .. } => "name-unit",
        Edit::SetWhy { .. } => "set-why",
        Edit::SetKey { .. } => "set-key",
        Edit::SetFollows { .. } => "set-follows",
        Edit::SetUnit { .. } => "set-unit",
        Edit::CopyUnit { .. } => "copy-unit",
        Edit::CopyRack { .. } => "copy-rack",
        Edit::ReplaceRack { .. } => "replace-rack",
        Edit::AddStrip { .. } => "add-strip",
        Edit::RemoveStrip { .. } => "remove-strip",
        Edit::MoveStrip { .. } => "move-strip",
        Edit::SetFeeds { .. } => "set-feeds",
        Edit::SetSends { .. } => "set-sends",
        Edit::SetPart { .. } => "set-part",
        Edit::SetTakeSet { .. } => "set-take-set",
        Edit::SetStart { .. } => "set-start",
        Edit::SetTempo { .. } => "set-tempo",
        Edit::AddSection { .. } => "add-section",
        Edit::SetSection { .. } => "set-section",
        Edit::RemoveSection { .. } => "remove-section",
        Edit::SetSections { .. } => "set-sections",
        Edit::Note { .. } => "note",
        Edit::Several { .. } => "several",
    }
}

/// A session of two tracks, a bus and a return, with every kind of unit, rows in what has them, and two sections.
pub fn full_session() -> Session {
    let mut s = session();
    let audio = AudioRef { hash: "cd".into(), channels: 1, frames: 1000, start: 0, stamp: None };
    let second = s.add_strip("Second", Family::Bs, Role::Track(audio), 1);
    for unit in [json!({"kind": "compressor"}), json!({"kind": "surgical-eq", "params": {"bands": [{}, {}]}})] {
        s.add_unit(second, UnitSpec::from_json(&unit, 1).unwrap());
    }
    // What another version has left: a kind that nobody knows here, and values in a unit that is known.
    for unit in [
        json!({"kind": "spring", "params": {"length": 3}}),
        json!({"kind": "surgical-eq", "params": {"phase": "mixed", "bands": [{"glow": 1}, {"freq_hz": 200, "q": 900}]}}),
    ] {
        s.add_unit(second, UnitSpec::of_any_version(&unit, 1).unwrap());
    }
    for (id, start) in [(501, 0), (502, 2000)] {
        let section = Section { id, name: "S".into(), start, end: start + 2000 };
        Edit::AddSection { section }.apply(&mut s).unwrap();
    }
    s
}

/// An edit before it is known of what: which, and numbers by which its parts are drawn.
#[derive(Clone, Debug)]
pub struct Drawn {
    which: usize,
    numbers: Vec<u32>,
}

fn drawn_of(which: std::ops::Range<usize>) -> impl Strategy<Value = Drawn> {
    (which, prop::collection::vec(any::<u32>(), 16)).prop_map(|(which, numbers)| Drawn { which, numbers })
}

/// Any edit.
pub fn any_drawn() -> impl Strategy<Value = Drawn> {
    drawn_of(0..NAMES.len())
}

/// An edit that sets a value.
pub fn any_value() -> impl Strategy<Value = Drawn> {
    drawn_of(0..VALUES)
}

/// A change that lasts for a part of the song.
pub fn any_change_over_time() -> impl Strategy<Value = Drawn> {
    let from = NAMES.iter().position(|name| *name == "set-here").unwrap();
    drawn_of(from..from + 3)
}

impl Drawn {
    /// The edit of a session.
    pub fn of(&self, session: &Session) -> Edit {
        Hand { session, numbers: &self.numbers, at: 0 }.edit(NAMES[self.which])
    }
}

/// What draws.
struct Hand<'a> {
    session: &'a Session,
    numbers: &'a [u32],
    at: usize,
}

impl Hand<'_> {
    fn number(&mut self) -> u32 {
        self.at += 1;
        // Mixed, as they are used again where many are needed.
        self.numbers[self.at % self.numbers.len()]
            .wrapping_add(((self.at / self.numbers.len()) as u32).wrapping_mul(0x9E37_79B9))
    }

    fn up_to(&mut self, count: usize) -> usize {
        self.number() as usize % count.max(1)
    }

    fn share(&mut self) -> f64 {
        f64::from(self.number()) / f64::from(u32::MAX)
    }

    fn either(&mut self) -> bool {
        self.up_to(2) == 0
    }

    fn astray(&mut self) -> bool {
        self.up_to(ASTRAY) == 0
    }

    fn word(&mut self) -> String {
        ["a", "Lead 2", "", "\u{e9}\u{df}", "much longer"][self.up_to(5)].into()
    }

    fn strip(&mut self) -> u32 {
        let at = self.up_to(self.session.strips.len());
        if self.astray() { NOBODY } else { self.session.strips[at].id }
    }

    /// A strip and a unit of it.
    fn unit(&mut self) -> (u32, u32) {
        let all: Vec<_> =
            self.session.strips.iter().flat_map(|s| s.rack.units.iter().map(move |u| (s.id, u.id))).collect();
        let at = self.up_to(all.len());
        match all.get(at) {
            Some(found) if !self.astray() => *found,
            _ => (self.strip(), NOBODY),
        }
    }

    fn spec(&self, unit: u32) -> Option<&UnitSpec> {
        self.session.strips.iter().flat_map(|s| &s.rack.units).find(|u| u.id == unit)
    }

    /// A value within a parameter's range, or now and then beyond.
    fn value(&mut self, param: &Param) -> Json {
        match param.domain {
            Domain::Number { min, max, .. } => {
                let to = if max.is_finite() { max } else { min + 50.0 };
                let over = if self.astray() { 2.0 } else { 1.0 };
                json!(min + over * self.share() * (to - min))
            }
            Domain::Choice { options, .. } => {
                let id = options[self.up_to(options.len())].id;
                id.parse::<f64>().map_or_else(|_| json!(id), |number| json!(number))
            }
            Domain::Switch { .. } => json!(self.either()),
            Domain::Sound { .. } => Json::Null,
        }
    }

    /// The path of a value of a unit, its own or one that all have.
    fn path(&mut self, unit: u32) -> String {
        let Some(spec) = self.spec(unit) else { return "mix".into() };
        let common = ["mix", "trim_db", "place", "on"].map(String::from);
        let own = spec.kind.tables.params.iter().map(|p| p.id.to_string());
        let of_list = |(rows, list): (&Rows, &Vec<crate::unit::settings::Record>)| -> Vec<String> {
            let of_row = |row: usize| rows.params.iter().map(move |p| format!("{}[{row}].{}", rows.id, p.id));
            (0..list.len()).flat_map(of_row).collect()
        };
        let rows = spec.kind.tables.lists.iter().zip(&spec.settings.lists).flat_map(of_list);
        let all: Vec<String> = common.into_iter().chain(own).chain(rows).collect();
        if self.astray() { "nonsense".into() } else { all[self.up_to(all.len())].clone() }
    }

    fn value_at(&mut self, unit: u32, path: &str) -> Json {
        let param = self.spec(unit).and_then(|spec| spec.param(path));
        param.map_or_else(|| json!(1.0), |param| self.value(param))
    }

    /// What changes with the song: strip, unit (0 for the strip itself), the value's path, and a value.
    fn changing(&mut self) -> (u32, u32, String, Json) {
        if self.up_to(3) > 0 {
            let (strip, unit) = self.unit();
            let path = self.path(unit);
            let value = self.value_at(unit, &path);
            return (strip, unit, path, value);
        }
        let strip = self.strip();
        let sends = self.session.strip(strip).map(|s| s.sends.clone()).unwrap_or_default();
        let paths: Vec<String> = ["level_db", "pan", "muted"]
            .map(String::from)
            .into_iter()
            .chain(sends.iter().map(|send| format!("send[{}].level_db", send.to)))
            .collect();
        let path = paths[self.up_to(paths.len())].clone();
        let value = match path.as_str() {
            "muted" => json!(self.either()),
            "pan" => json!(2.0 * self.share() - 1.0),
            _ => json!(-40.0 * self.share()),
        };
        (strip, 0, path, value)
    }

    /// A unit with a list, if there is one, the name of the list, and how many rows it has.
    fn list(&mut self) -> (u32, u32, String, usize) {
        let listed = |u: &&UnitSpec| !u.kind.tables.lists.is_empty();
        let all: Vec<(u32, u32)> = self
            .session
            .strips
            .iter()
            .flat_map(|s| s.rack.units.iter().filter(listed).map(move |u| (s.id, u.id)))
            .collect();
        let at = self.up_to(all.len());
        let (strip, unit) = all.get(at).copied().unwrap_or((1, NOBODY));
        let of = |spec: &UnitSpec| (spec.kind.tables.lists[0].id.to_string(), spec.settings.lists[0].len());
        let (list, rows) = self.spec(unit).map_or(("bands".into(), 0), of);
        (strip, unit, if self.astray() { "nonsense".into() } else { list }, rows)
    }

    /// A fresh unit of any kind, with one value drawn.
    /// A new unit with one value other than usual; what cannot be read is no edit, so that value is left out then.
    fn fresh_unit(&mut self) -> UnitSpec {
        let kind = &KINDS[self.up_to(KINDS.len())];
        let plain = UnitSpec::new(kind);
        if kind.tables.params.is_empty() {
            return plain;
        }
        let param = &kind.tables.params[self.up_to(kind.tables.params.len())];
        let value = self.value(param);
        let written = json!({"kind": kind.id, "why": self.word(), "params": {param.id: value}});
        serde_json::from_value(written).unwrap_or(plain)
    }

    fn section(&mut self) -> Section {
        let ids: Vec<u32> = self.session.sections.iter().map(|s| s.id).collect();
        let at = self.up_to(ids.len());
        let id = if self.astray() { NOBODY } else { ids.get(at).copied().unwrap_or(0) };
        let start = u64::from(self.number() % 4000);
        Section { id, name: self.word(), start, end: start + u64::from(self.number() % 3000) }
    }

    fn section_change(&mut self) -> SectionChange {
        let Section { id, name, start, end } = self.section();
        let [named, begun, ended] = [0; 3].map(|_| self.number().is_multiple_of(2));
        SectionChange { id, name: named.then_some(name), start: begun.then_some(start), end: ended.then_some(end) }
    }

    fn edit(&mut self, name: &str) -> Edit {
        self.edit_of_strips(name)
            .or_else(|| self.edit_of_units(name))
            .or_else(|| self.edit_over_time(name))
            .or_else(|| self.edit_of_the_song(name))
            .unwrap_or_else(|| panic!("{name} is not drawn"))
    }

    fn edit_of_strips(&mut self, name: &str) -> Option<Edit> {
        Some(match name {
            "set-control" => {
                let (control, value) = match self.up_to(5) {
                    0 => ("muted", json!(self.either())),
                    1 => ("pan", json!(2.0 * self.share() - 1.0)),
                    2 => ("input_db", json!(40.0 * self.share() - 20.0)),
                    3 => ("inverted", json!(self.either())),
                    _ => ("level_db", json!(-100.0 + 120.0 * self.share())),
                };
                Edit::SetControl {
                    strip: self.strip(),
                    control: control.into(),
                    value: serde_json::from_value(value).unwrap(),
                }
            }
            "rename" => Edit::Rename { strip: self.strip(), name: self.word() },
            "set-note" => Edit::SetNote { strip: self.strip(), note: self.word() },
            "set-feeds" => Edit::SetFeeds { strip: self.strip(), to: self.strip() },
            "set-sends" => {
                let send = |hand: &mut Self| AuxSend {
                    to: hand.strip(),
                    level_db: -40.0 * hand.share(),
                    before_fader: hand.either(),
                };
                let strip = self.strip();
                Edit::SetSends { strip, sends: (0..self.up_to(3)).map(|_| send(self)).collect() }
            }
            "set-part" => {
                let family = if self.either() { Family::Ky } else { Family::Gt };
                Edit::SetPart { strip: self.strip(), part: Part::Organ, family, guessed: self.either() }
            }
            "set-take-set" => Edit::SetTakeSet { strip: self.strip(), set: self.number() % 3 },
            "set-start" => Edit::SetStart {
                strip: self.strip(),
                start: u64::from(self.number() % 1000),
                stamp: self.either().then(|| u64::from(self.number() % 1000)),
            },
            "add-strip" => {
                let at = self.up_to(self.session.strips.len());
                let mut strip = self.session.strips[at].to_json();
                strip["id"] = json!(0);
                Edit::AddStrip { at: self.up_to(5), strip: serde_json::from_value(strip).unwrap() }
            }
            "remove-strip" => Edit::RemoveStrip { strip: self.strip() },
            "move-strip" => Edit::MoveStrip { strip: self.strip(), to: self.up_to(6) },
            _ => return None,
        })
    }

    fn edit_of_units(&mut self, name: &str) -> Option<Edit> {
        let (strip, unit) = self.unit();
        Some(match name {
            "set-param" => {
                let param = self.path(unit);
                Edit::SetParam {
                    strip,
                    unit,
                    value: serde_json::from_value(self.value_at(unit, &param)).unwrap(),
                    param,
                }
            }
            "name-unit" => Edit::NameUnit { strip, unit, name: self.word() },
            "set-why" => Edit::SetWhy { strip, unit, why: self.word() },
            "set-key" => {
                let key = if self.either() { json!("self") } else { json!({"strip": self.strip()}) };
                Edit::SetKey { strip, unit, key: Key::from_json(&key).unwrap() }
            }
            "set-unit" => {
                let mut whole = self.fresh_unit().to_json();
                if let Some(spec) = self.spec(unit) {
                    whole = spec.to_json();
                    let path = self.path(unit);
                    if let Some(param) =
                        self.spec(unit).and_then(|u| u.kind.tables.params.iter().find(|p| p.id == path))
                    {
                        whole["params"][param.id] = self.value(param);
                    }
                    whole["why"] = json!(self.word());
                }
                whole["id"] = json!(unit);
                Edit::SetUnit { strip, unit: serde_json::from_value(whole).unwrap() }
            }
            "set-follows" => {
                let kind = self.spec(unit).map(|u| u.kind.id);
                let units = self.session.strips.iter().flat_map(|s| &s.rack.units);
                let alike: Vec<u32> = units.filter(|u| Some(u.kind.id) == kind && u.id != unit).map(|u| u.id).collect();
                let at = self.up_to(alike.len() + 1);
                let follows = alike.get(at).map(|source| Follow { unit: *source, mirrored: vec![0] });
                Edit::SetFollows { strip, unit, follows }
            }
            "add-unit" => Edit::AddUnit { strip: self.strip(), at: self.up_to(5), unit: Box::new(self.fresh_unit()) },
            "remove-unit" => Edit::RemoveUnit { strip, unit },
            "move-unit" => Edit::MoveUnit { strip, unit, to: self.up_to(5) },
            "add-row" => {
                let (strip, unit, list, rows) = self.list();
                Edit::AddRow { strip, unit, list, at: self.up_to(rows + 1), row: WrittenRow::new() }
            }
            "remove-row" => {
                let (strip, unit, list, rows) = self.list();
                Edit::RemoveRow { strip, unit, list, at: self.up_to(rows) }
            }
            "copy-unit" => Edit::CopyUnit { strip, unit, to: self.strip(), linked: self.either(), mirrored: vec![] },
            "copy-rack" => Edit::CopyRack { strip: self.strip(), to: self.strip(), linked: self.either() },
            "replace-rack" => {
                let units = (0..self.up_to(4)).map(|_| self.fresh_unit()).collect();
                Edit::ReplaceRack { strip: self.strip(), rack: RackSpec { units } }
            }
            _ => return None,
        })
    }

    fn edit_over_time(&mut self, name: &str) -> Option<Edit> {
        let (strip, unit, param, value) = self.changing();
        Some(match name {
            "set-here" => {
                let value = (self.up_to(4) > 0).then_some(value);
                Edit::SetHere {
                    strip,
                    unit,
                    param,
                    section: self.section().id,
                    value: value.map(|value| serde_json::from_value(value).unwrap()),
                }
            }
            "set-lane" => {
                let (mut at, mut points) = (0, Vec::new());
                for _ in 0..self.up_to(4) {
                    points.push(json!({"at": at, "value": value}));
                    at += 1 + u64::from(self.number() % 2000);
                }
                Edit::SetLane { strip, unit, param, points: serde_json::from_value(json!(points)).unwrap(), over: None }
            }
            "set-points-on" => Edit::SetPointsOn { beats: self.either() },
            _ => return None,
        })
    }

    fn edit_of_the_song(&mut self, name: &str) -> Option<Edit> {
        Some(match name {
            "set-tempo" => Edit::SetTempo { tempo_bpm: 400.0 * self.share(), beats_per_bar: self.number() % 14 },
            "add-section" => Edit::AddSection { section: Section { id: 0, ..self.section() } },
            "set-section" => Edit::SetSection { section: self.section_change() },
            "remove-section" => Edit::RemoveSection { section: self.section().id },
            "set-sections" => {
                let sections = (0..self.up_to(3)).map(|_| Section { id: 0, ..self.section() }).collect();
                Edit::SetSections { sections }
            }
            "note" => Edit::Note { note: Entry::Partners { strip: self.strip(), with: vec![self.strip()] } },
            "several" => {
                let one = |hand: &mut Self| {
                    let name = NAMES[hand.up_to(VALUES)];
                    hand.edit(name)
                };
                Edit::Several { edits: (0..self.up_to(4)).map(|_| one(self)).collect() }
            }
            _ => return None,
        })
    }
}

/// The kind of the unit that an edit is of, in the session before it.
fn kind_of(edit: &Edit, session: &Session) -> Option<&'static str> {
    let there = |id: u32| session.strips.iter().flat_map(|s| &s.rack.units).find(|u| u.id == id).map(|u| u.kind.id);
    match edit {
        Edit::AddUnit { unit, .. } => KINDS.iter().find(|kind| unit.kind.id == kind.id).map(|kind| kind.id),
        Edit::SetUnit { unit, .. } => there(unit.id),
        Edit::SetParam { unit, .. } | Edit::SetHere { unit, .. } | Edit::SetLane { unit, .. } => there(*unit),
        _ => None,
    }
}

/// A test whose generator never makes the case proves nothing.
#[test]
fn every_edit_is_drawn_and_accepted_and_every_kind_of_unit_changed() {
    let mut runner = TestRunner::deterministic();
    let (mut made, mut kinds, mut refused) = (BTreeMap::new(), BTreeMap::new(), 0);
    for _ in 0..200 {
        let mut s = full_session();
        for _ in 0..40 {
            let edit = any_drawn().new_tree(&mut runner).unwrap().current().of(&s);
            let kind = kind_of(&edit, &s);
            if edit.apply(&mut s).is_ok() {
                *made.entry(name(&edit)).or_insert(0) += 1;
                *kinds.entry(kind.unwrap_or("none")).or_insert(0) += 1;
            } else {
                refused += 1;
            }
        }
    }
    let rare: Vec<_> = NAMES.iter().filter(|name| made.get(**name).is_none_or(|n| *n < 20)).collect();
    assert!(rare.is_empty(), "accepted less than 20 times: {rare:?} of {made:?}");
    let rare: Vec<_> = KINDS.iter().map(|kind| kind.id).filter(|id| kinds.get(id).is_none_or(|n| *n < 20)).collect();
    assert!(rare.is_empty(), "changed less than 20 times: {rare:?} of {kinds:?}");
    assert!(refused > 400, "some are of nothing there is: {refused}");
}
