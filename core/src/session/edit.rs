//! Every change to a session, as a value with an inverse.
//!
//! `apply` changes the document and returns the edit that takes it back. Undo
//! and redo are nothing else than applying inverses. An edit that cannot be
//! applied changes nothing.

use serde::{Deserialize, Serialize};
use serde_json::Value as Json;

use super::document::{DocumentError, Section, Session, Strip};
use super::family::Family;
use super::part::Part;
use super::paths;
use super::routing::Send;
use crate::rack::spec::MAX_UNITS;
use crate::rack::{RackError, RackSpec, UnitSpec};
use crate::unit::settings::SettingsError;

/// One change.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
#[serde(tag = "edit", rename_all = "kebab-case")]
pub enum Edit {
    /// Sets a strip's level, pan or mute.
    SetControl {
        /// Which strip.
        strip: u32,
        /// Which control.
        control: String,
        /// Its new value.
        value: Json,
    },
    /// Renames a strip.
    Rename {
        /// Which strip.
        strip: u32,
        /// New name.
        name: String,
    },
    /// Changes the note written on first hearing.
    SetNote {
        /// Which strip.
        strip: u32,
        /// New note.
        note: String,
    },
    /// Puts a unit into a rack. An identity of 0 or none means: give it a new one.
    AddUnit {
        /// Which strip.
        strip: u32,
        /// Position, 0 first.
        at: usize,
        /// The unit as in a rack file.
        unit: Json,
    },
    /// Takes a unit out.
    RemoveUnit {
        /// Which strip.
        strip: u32,
        /// Which unit.
        unit: u32,
    },
    /// Moves a unit within its rack.
    MoveUnit {
        /// Which strip.
        strip: u32,
        /// Which unit.
        unit: u32,
        /// New position, counted without the unit.
        to: usize,
    },
    /// Replaces a unit's values; the identity says which.
    SetUnit {
        /// Which strip.
        strip: u32,
        /// The unit as in a rack file, with its identity.
        unit: Json,
    },
    /// Replaces a whole rack. Units without identity get one.
    ReplaceRack {
        /// Which strip.
        strip: u32,
        /// The rack file.
        rack: Json,
    },
    /// Adds a strip.
    AddStrip {
        /// Position among the strips.
        at: usize,
        /// The strip in full; identity 0 means: give it a new one.
        strip: Json,
    },
    /// Removes a track or bus that nothing feeds.
    RemoveStrip {
        /// Which strip.
        strip: u32,
    },
    /// Moves a strip to another place in the list.
    MoveStrip {
        /// Which strip.
        strip: u32,
        /// New position, counted without the strip.
        to: usize,
    },
    /// Lets a strip feed another bus, or the main.
    SetFeeds {
        /// Which strip.
        strip: u32,
        /// What it feeds.
        to: u32,
    },
    /// Replaces a strip's sends.
    SetSends {
        /// Which strip.
        strip: u32,
        /// The sends.
        sends: Vec<Send>,
    },
    /// Says what a track is.
    SetPart {
        /// Which strip.
        strip: u32,
        /// What it plays.
        part: Part,
        /// Its family's mark, which may differ from the part's own.
        family: Family,
        /// Whether this is a guess nobody has looked at.
        #[serde(default)]
        guessed: bool,
    },
    /// Puts a track into a set of recordings of one performance, or out of one (0).
    SetTakeSet {
        /// Which strip.
        strip: u32,
        /// Number of the set.
        set: u32,
    },
    /// Moves where a track's audio begins in the song.
    SetStart {
        /// Which strip.
        strip: u32,
        /// First frame.
        start: u64,
    },
    /// Changes tempo and metre.
    SetTempo {
        /// Quarter notes per minute.
        tempo_bpm: f64,
        /// Quarter notes per bar.
        beats_per_bar: u32,
    },
    /// Replaces all sections.
    SetSections {
        /// The sections.
        sections: Vec<Section>,
    },
    /// Several changes as one, all or none.
    Several {
        /// The changes in order.
        edits: Vec<Edit>,
    },
}

/// The part of a document an edit changed: what must be stored and heard anew.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Touch {
    /// A strip's own fields.
    Strip(u32),
    /// A strip's rack.
    Rack(u32),
    /// What a strip feeds and is sent to.
    Paths(u32),
    /// The list of strips.
    Strips,
    /// Name, tempo, sections.
    Frame,
    /// Any of it.
    Everything,
}

/// Why an edit was refused. Nothing was changed.
#[derive(Debug)]
pub enum EditError {
    /// No strip with this identity.
    NoStrip(u32),
    /// No unit with this identity in that strip.
    NoUnit(u32),
    /// A rack holds no more units.
    RackFull,
    /// The strip cannot be removed.
    InUse(String),
    /// A text is empty or too long.
    BadText(&'static str),
    /// The paths would run in a circle, here in words.
    Circle(String),
    /// A path to something that cannot take it in.
    NoSuchPath(String),
    /// A number outside its range.
    BadNumber(&'static str),
    /// A section is empty, reversed or too long.
    BadSections(String),
    /// A control's value.
    Control(SettingsError),
    /// A unit or rack.
    Rack(RackError),
    /// A strip.
    Strip(DocumentError),
}

impl core::fmt::Display for EditError {
    fn fmt(&self, f: &mut core::fmt::Formatter<'_>) -> core::fmt::Result {
        match self {
            Self::NoStrip(id) => write!(f, "there is no strip {id} in this session"),
            Self::NoUnit(id) => write!(f, "there is no unit {id} in this rack; it may have been removed"),
            Self::Circle(words) => {
                write!(f, "the sound would run in a circle: {words}")
            }
            Self::NoSuchPath(why) => f.write_str(why),
            Self::BadNumber(why) => f.write_str(why),
            Self::RackFull => write!(f, "the rack is full; {MAX_UNITS} units fit"),
            Self::InUse(what) => write!(f, "it cannot be removed: {what}"),
            Self::BadText(what) => write!(f, "{what}"),
            Self::BadSections(what) => write!(f, "{what}"),
            Self::Control(e) => e.fmt(f),
            Self::Rack(e) => e.fmt(f),
            Self::Strip(e) => e.fmt(f),
        }
    }
}

impl std::error::Error for EditError {}

/// Longest name in characters.
const MAX_NAME: usize = 80;

impl Edit {
    /// Changes `session` and returns the edit as applied (with identities filled
    /// in) and the one that takes it back.
    ///
    /// # Errors
    /// See [`EditError`]; the session is then unchanged.
    pub fn apply(&self, session: &mut Session) -> Result<(Edit, Edit), EditError> {
        match self {
            Self::SetControl { strip, control, value } => set_control(session, *strip, control, value),
            Self::Rename { strip, name } => rename(session, *strip, name),
            Self::SetNote { strip, note } => set_note(session, *strip, note),
            Self::AddUnit { strip, at, unit } => add_unit(session, *strip, *at, unit),
            Self::RemoveUnit { strip, unit } => remove_unit(session, *strip, *unit),
            Self::MoveUnit { strip, unit, to } => move_unit(session, *strip, *unit, *to),
            Self::SetUnit { strip, unit } => set_unit(session, *strip, unit),
            Self::ReplaceRack { strip, rack } => replace_rack(session, *strip, rack),
            Self::MoveStrip { strip, to } => move_strip(session, *strip, *to),
            Self::SetFeeds { strip, to } => paths::set_feeds(session, *strip, *to),
            Self::SetSends { strip, sends } => paths::set_sends(session, *strip, sends),
            Self::SetPart { strip, part, family, guessed } => set_part(session, *strip, *part, *family, *guessed),
            Self::SetTakeSet { strip, set } => set_take_set(session, *strip, *set),
            Self::SetStart { strip, start } => set_start(session, *strip, *start),
            Self::SetTempo { tempo_bpm, beats_per_bar } => set_tempo(session, *tempo_bpm, *beats_per_bar),
            Self::Several { edits } => several(session, edits),
            Self::AddStrip { at, strip } => add_strip(session, *at, strip),
            Self::RemoveStrip { strip } => remove_strip(session, *strip),
            Self::SetSections { sections } => set_sections(session, sections),
        }
    }

    /// What it changes.
    #[must_use]
    pub fn touches(&self) -> Touch {
        match self {
            Self::SetControl { strip, .. }
            | Self::Rename { strip, .. }
            | Self::SetNote { strip, .. }
            | Self::SetPart { strip, .. }
            | Self::SetTakeSet { strip, .. }
            | Self::SetStart { strip, .. } => Touch::Strip(*strip),
            Self::SetFeeds { strip, .. } | Self::SetSends { strip, .. } => Touch::Paths(*strip),
            Self::AddUnit { strip, .. }
            | Self::RemoveUnit { strip, .. }
            | Self::MoveUnit { strip, .. }
            | Self::SetUnit { strip, .. }
            | Self::ReplaceRack { strip, .. } => Touch::Rack(*strip),
            Self::AddStrip { .. } | Self::RemoveStrip { .. } | Self::MoveStrip { .. } => Touch::Strips,
            Self::SetSections { .. } | Self::SetTempo { .. } => Touch::Frame,
            Self::Several { .. } => Touch::Everything,
        }
    }

    /// Whether `later` changes the very same value, so that both may be one
    /// step of undo when they belong to one gesture.
    #[must_use]
    pub fn same_target(&self, later: &Edit) -> bool {
        match (self, later) {
            (Self::SetControl { strip: a, control: c, .. }, Self::SetControl { strip: b, control: d, .. }) => {
                a == b && c == d
            }
            (Self::SetUnit { strip: a, unit: u }, Self::SetUnit { strip: b, unit: v }) => a == b && u["id"] == v["id"],
            (Self::SetSends { strip: a, sends: s }, Self::SetSends { strip: b, sends: t }) => {
                a == b && s.len() == t.len()
            }
            (Self::SetTempo { .. }, Self::SetTempo { .. }) => true,
            _ => false,
        }
    }
}

/// The edit as applied, and its inverse.
pub(super) type Applied = Result<(Edit, Edit), EditError>;

pub(super) fn strip_mut(session: &mut Session, id: u32) -> Result<&mut Strip, EditError> {
    session.strip_mut(id).ok_or(EditError::NoStrip(id))
}

fn unit_at(strip: &Strip, unit: u32) -> Result<usize, EditError> {
    strip.rack.units.iter().position(|u| u.id == unit).ok_or(EditError::NoUnit(unit))
}

fn read_unit(json: &Json, number: usize) -> Result<UnitSpec, EditError> {
    UnitSpec::from_json(json, number).map_err(EditError::Rack)
}

fn set_control(session: &mut Session, id: u32, control: &str, value: &Json) -> Applied {
    let strip = strip_mut(session, id)?;
    let before = strip.controls.to_json();
    strip.set_control(control, value).map_err(EditError::Control)?;
    let old = before.get(control).cloned().unwrap_or(Json::Null);
    let edit = |value| Edit::SetControl { strip: id, control: control.to_string(), value };
    Ok((edit(value.clone()), edit(old)))
}

fn rename(session: &mut Session, id: u32, name: &str) -> Applied {
    let name = name.trim();
    if name.is_empty() || name.chars().count() > MAX_NAME {
        return Err(EditError::BadText("a name needs 1 to 80 characters; the old name was kept"));
    }
    let strip = strip_mut(session, id)?;
    let old = std::mem::replace(&mut strip.name, name.to_string());
    Ok((Edit::Rename { strip: id, name: name.to_string() }, Edit::Rename { strip: id, name: old }))
}

fn set_note(session: &mut Session, id: u32, note: &str) -> Applied {
    if note.chars().count() > 2000 {
        return Err(EditError::BadText("a note holds 2000 characters; the old note was kept"));
    }
    let strip = strip_mut(session, id)?;
    let old = std::mem::replace(&mut strip.note, note.to_string());
    Ok((Edit::SetNote { strip: id, note: note.to_string() }, Edit::SetNote { strip: id, note: old }))
}

fn add_unit(session: &mut Session, id: u32, at: usize, unit: &Json) -> Applied {
    let mut unit = read_unit(unit, at + 1)?;
    let strip = session.strip(id).ok_or(EditError::NoStrip(id))?;
    if strip.rack.units.len() >= MAX_UNITS {
        return Err(EditError::RackFull);
    }
    let taken = |unit_id| session.strips.iter().any(|s| s.rack.units.iter().any(|u| u.id == unit_id));
    if unit.id == 0 || taken(unit.id) {
        unit.id = session.take_id();
    }
    let unit_id = unit.id;
    let (json, keyed) = (unit.to_json(), unit.key.is_some());
    let strip = strip_mut(session, id)?;
    let at = at.min(strip.rack.units.len());
    strip.rack.units.insert(at, unit);
    let applied = (Edit::AddUnit { strip: id, at, unit: json }, Edit::RemoveUnit { strip: id, unit: unit_id });
    paths::checked_if(keyed, session, applied)
}

fn remove_unit(session: &mut Session, id: u32, unit: u32) -> Applied {
    let strip = strip_mut(session, id)?;
    let at = unit_at(strip, unit)?;
    let removed = strip.rack.units.remove(at);
    Ok((Edit::RemoveUnit { strip: id, unit }, Edit::AddUnit { strip: id, at, unit: removed.to_json() }))
}

fn move_unit(session: &mut Session, id: u32, unit: u32, to: usize) -> Applied {
    let strip = strip_mut(session, id)?;
    let at = unit_at(strip, unit)?;
    let moved = strip.rack.units.remove(at);
    let to = to.min(strip.rack.units.len());
    strip.rack.units.insert(to, moved);
    Ok((Edit::MoveUnit { strip: id, unit, to }, Edit::MoveUnit { strip: id, unit, to: at }))
}

fn set_unit(session: &mut Session, id: u32, unit: &Json) -> Applied {
    let unit = read_unit(unit, 1)?;
    let strip = strip_mut(session, id)?;
    let at = unit_at(strip, unit.id)?;
    let (json, keyed) = (unit.to_json(), unit.key.is_some());
    let old = std::mem::replace(&mut strip.rack.units[at], unit);
    let applied = (Edit::SetUnit { strip: id, unit: json }, Edit::SetUnit { strip: id, unit: old.to_json() });
    paths::checked_if(keyed, session, applied)
}

fn replace_rack(session: &mut Session, id: u32, rack: &Json) -> Applied {
    let mut rack = RackSpec::from_json(rack).map_err(EditError::Rack)?;
    session.strip(id).ok_or(EditError::NoStrip(id))?;
    for unit in rack.units.iter_mut().filter(|u| u.id == 0) {
        unit.id = session.take_id();
    }
    let (json, keyed) = (rack.to_json(), rack.units.iter().any(|u| u.key.is_some()));
    let strip = strip_mut(session, id)?;
    let old = std::mem::replace(&mut strip.rack, rack);
    let applied = (Edit::ReplaceRack { strip: id, rack: json }, Edit::ReplaceRack { strip: id, rack: old.to_json() });
    paths::checked_if(keyed, session, applied)
}

fn add_strip(session: &mut Session, at: usize, strip: &Json) -> Applied {
    let mut strip = Strip::from_json(strip).map_err(EditError::Strip)?;
    if strip.role == super::Role::Main {
        return Err(EditError::BadText("a session has one main already"));
    }
    if strip.id == 0 || session.strip(strip.id).is_some() {
        strip.id = session.take_id();
    }
    // A copy of a strip brings units along that are known already.
    for unit in &mut strip.rack.units {
        let known = |u: &UnitSpec| u.id == unit.id;
        if unit.id == 0 || session.strips.iter().any(|s| s.rack.units.iter().any(known)) {
            unit.id = session.take_id();
        }
    }
    let (id, json) = (strip.id, strip.to_json());
    let at = at.min(session.strips.len() - 1);
    session.strips.insert(at, strip);
    paths::checked_if(true, session, (Edit::AddStrip { at, strip: json }, Edit::RemoveStrip { strip: id }))
}

fn remove_strip(session: &mut Session, id: u32) -> Applied {
    let at = session.strips.iter().position(|s| s.id == id).ok_or(EditError::NoStrip(id))?;
    if session.main_id() == id {
        return Err(EditError::InUse("a session needs its main".into()));
    }
    if let Some(why) = paths::who_uses(session, id) {
        return Err(EditError::InUse(why));
    }
    let removed = session.strips.remove(at);
    Ok((Edit::RemoveStrip { strip: id }, Edit::AddStrip { at, strip: removed.to_json() }))
}

fn move_strip(session: &mut Session, id: u32, to: usize) -> Applied {
    let at = session.strips.iter().position(|s| s.id == id).ok_or(EditError::NoStrip(id))?;
    if session.main_id() == id {
        return Err(EditError::InUse("the main stays last".into()));
    }
    let moved = session.strips.remove(at);
    let to = to.min(session.strips.len() - 1);
    session.strips.insert(to, moved);
    Ok((Edit::MoveStrip { strip: id, to }, Edit::MoveStrip { strip: id, to: at }))
}

fn set_part(session: &mut Session, id: u32, part: Part, family: Family, guessed: bool) -> Applied {
    let strip = strip_mut(session, id)?;
    let edit = |s: &Strip| Edit::SetPart { strip: id, part: s.part, family: s.family, guessed: s.guessed };
    let before = edit(strip);
    (strip.part, strip.family, strip.guessed) = (part, family, guessed);
    Ok((edit(strip), before))
}

fn set_take_set(session: &mut Session, id: u32, set: u32) -> Applied {
    let strip = strip_mut(session, id)?;
    if !strip.is_track() {
        return Err(EditError::BadText("only tracks belong to a set of recordings"));
    }
    let old = std::mem::replace(&mut strip.take_set, set);
    Ok((Edit::SetTakeSet { strip: id, set }, Edit::SetTakeSet { strip: id, set: old }))
}

/// Latest start of a track: a day into the song at 384 kHz.
const LATEST_START: u64 = 24 * 3600 * 384_000;

fn set_start(session: &mut Session, id: u32, start: u64) -> Applied {
    if start > LATEST_START {
        return Err(EditError::BadNumber("a track begins within a day; it was left where it was"));
    }
    match &mut strip_mut(session, id)?.role {
        super::Role::Track(audio) => {
            let old = std::mem::replace(&mut audio.start, start);
            Ok((Edit::SetStart { strip: id, start }, Edit::SetStart { strip: id, start: old }))
        }
        _ => Err(EditError::BadText("only tracks begin somewhere")),
    }
}

/// Slowest and fastest tempo in quarter notes per minute.
const TEMPO_RANGE: std::ops::RangeInclusive<f64> = 20.0..=400.0;

fn set_tempo(session: &mut Session, tempo_bpm: f64, beats_per_bar: u32) -> Applied {
    if !TEMPO_RANGE.contains(&tempo_bpm) {
        return Err(EditError::BadNumber("a tempo is 20 to 400 quarter notes a minute; the old one was kept"));
    }
    if !(1..=16).contains(&beats_per_bar) {
        return Err(EditError::BadNumber("a bar has 1 to 16 quarter notes; the old metre was kept"));
    }
    let old = Edit::SetTempo { tempo_bpm: session.tempo_bpm, beats_per_bar: session.beats_per_bar };
    (session.tempo_bpm, session.beats_per_bar) = (tempo_bpm, beats_per_bar);
    Ok((Edit::SetTempo { tempo_bpm, beats_per_bar }, old))
}

/// Most edits in one; a guard against hostile requests.
const MOST_AT_ONCE: usize = 2000;

fn several(session: &mut Session, edits: &[Edit]) -> Applied {
    if edits.len() > MOST_AT_ONCE || edits.iter().any(|e| matches!(e, Edit::Several { .. })) {
        return Err(EditError::BadText("at most 2000 changes go together, and none of them may be several itself"));
    }
    let mut whole = session.clone();
    let mut applied = Vec::with_capacity(edits.len());
    let mut inverses = Vec::with_capacity(edits.len());
    for edit in edits {
        let (done, inverse) = edit.apply(&mut whole)?;
        applied.push(done);
        inverses.push(inverse);
    }
    inverses.reverse();
    *session = whole;
    Ok((Edit::Several { edits: applied }, Edit::Several { edits: inverses }))
}

fn set_sections(session: &mut Session, sections: &[Section]) -> Applied {
    for s in sections {
        if s.start >= s.end || s.name.trim().is_empty() || s.name.chars().count() > MAX_NAME {
            return Err(EditError::BadSections(format!(
                "section \"{}\" needs a name and an end after its start; the old sections were kept",
                s.name
            )));
        }
    }
    let old = std::mem::replace(&mut session.sections, sections.to_vec());
    Ok((Edit::SetSections { sections: sections.to_vec() }, Edit::SetSections { sections: old }))
}

#[cfg(test)]
mod tests {
    use super::super::{AudioRef, Family, Role};
    use super::*;
    use proptest::prelude::*;
    use serde_json::json;

    fn session() -> Session {
        let mut s = Session::new("test", 48_000);
        let bus = s.add_strip("Guitars", Family::Gt, Role::Bus, 1);
        s.add_strip("Room", Family::Fx, Role::Return, 1);
        let audio = AudioRef { hash: "ab".into(), channels: 1, frames: 1000, start: 0 };
        let track = s.add_strip("Lead", Family::Gt, Role::Track(audio), bus);
        for kind in crate::unit::catalogue::KINDS {
            s.add_unit(track, UnitSpec::new(kind));
        }
        s
    }

    fn any_edit() -> impl Strategy<Value = Edit> {
        let strip = 0u32..6;
        prop_oneof![
            (strip.clone(), -100.0f64..20.0).prop_map(|(strip, v)| Edit::SetControl {
                strip,
                control: "level_db".into(),
                value: json!(v)
            }),
            (strip.clone(), ".{0,5}").prop_map(|(strip, name)| Edit::Rename { strip, name }),
            (strip.clone(), 0usize..5, 5.0f64..30_000.0).prop_map(|(strip, at, hz)| Edit::AddUnit {
                strip,
                at,
                unit: json!({"kind": "surgical-eq", "params": {"bands": [{"freq_hz": hz}]}})
            }),
            (strip.clone(), 0u32..12).prop_map(|(strip, unit)| Edit::RemoveUnit { strip, unit }),
            (strip.clone(), 0u32..12, 0usize..5).prop_map(|(strip, unit, to)| Edit::MoveUnit { strip, unit, to }),
            (strip.clone(), 0u32..12, 0.5f64..30.0).prop_map(|(strip, unit, ratio)| Edit::SetUnit {
                strip,
                unit: json!({"id": unit, "kind": "compressor", "params": {"ratio": ratio}})
            }),
            strip.clone().prop_map(|strip| Edit::ReplaceRack {
                strip,
                rack: json!({"zinc_rack": 1, "units": [{"kind": "compressor"}]})
            }),
            strip.clone().prop_map(|strip| Edit::RemoveStrip { strip }),
            (strip.clone(), 0u32..6).prop_map(|(strip, to)| Edit::SetFeeds { strip, to }),
            (strip.clone(), prop::collection::vec((0u32..6, -95.0f64..13.0, any::<bool>()), 0..3)).prop_map(
                |(strip, sends)| Edit::SetSends {
                    strip,
                    sends: sends
                        .into_iter()
                        .map(|(to, level_db, before_fader)| Send { to, level_db, before_fader })
                        .collect()
                }
            ),
            (strip.clone(), 0usize..6).prop_map(|(strip, to)| Edit::MoveStrip { strip, to }),
            (strip.clone(), 0u32..12, 0u32..6).prop_map(|(strip, unit, key)| Edit::SetUnit {
                strip,
                unit: json!({"id": unit, "kind": "compressor", "key": {"strip": key}})
            }),
            (strip.clone(), 0u32..3).prop_map(|(strip, set)| Edit::SetTakeSet { strip, set }),
            (strip, any::<bool>()).prop_map(|(strip, guessed)| Edit::SetPart {
                strip,
                part: Part::Organ,
                family: Family::Ky,
                guessed
            }),
            (0u32..6, 0u64..1000).prop_map(|(strip, start)| Edit::SetStart { strip, start }),
            (0.0f64..500.0, 0u32..20)
                .prop_map(|(tempo_bpm, beats_per_bar)| Edit::SetTempo { tempo_bpm, beats_per_bar }),
            (0u64..10, 0u64..10).prop_map(|(start, end)| Edit::SetSections {
                sections: vec![Section { name: "A".into(), start, end }]
            }),
        ]
    }

    /// Any edit, or a few as one.
    fn any_change() -> impl Strategy<Value = Edit> {
        prop_oneof![
            4 => any_edit(),
            1 => prop::collection::vec(any_edit(), 0..4).prop_map(|edits| Edit::Several { edits }),
        ]
    }

    proptest! {
        #[test]
        fn any_run_of_edits_is_taken_back_by_its_inverses(edits in prop::collection::vec(any_change(), 1..30)) {
            let before = session();
            let mut now = before.clone();
            let mut inverses = Vec::new();
            let mut states = Vec::new();
            for edit in &edits {
                let state = now.clone();
                match edit.apply(&mut now) {
                    Ok((applied, inverse)) => {
                        inverses.push((applied, inverse));
                        states.push(state);
                    }
                    // A refused edit must leave the document as it was.
                    Err(_) => prop_assert_eq!(&now, &state),
                }
            }
            let after = now.clone();
            for ((_, inverse), state) in inverses.iter().zip(&states).rev() {
                inverse.apply(&mut now).unwrap();
                prop_assert_eq!(&now.strips, &state.strips);
                prop_assert_eq!(&now.sections, &state.sections);
                prop_assert_eq!(now.tempo_bpm, state.tempo_bpm);
            }
            for (applied, _) in &inverses {
                applied.apply(&mut now).unwrap();
            }
            prop_assert_eq!(&now.strips, &after.strips);
        }

        #[test]
        fn documents_survive_json(edits in prop::collection::vec(any_change(), 1..20)) {
            let mut s = session();
            for edit in &edits {
                let _ = edit.apply(&mut s);
            }
            prop_assert_eq!(Session::from_json(&s.to_json()).unwrap(), s);
        }
    }

    #[test]
    fn a_circle_is_refused_with_its_path_and_nothing_changes() {
        let mut s = session();
        let (bus, room, lead) = (2, 3, 4);
        let send = |to| vec![Send { to, level_db: -6.0, before_fader: false }];
        Edit::SetSends { strip: bus, sends: send(room) }.apply(&mut s).unwrap();
        let before = s.clone();
        let circle = Edit::SetFeeds { strip: room, to: bus }.apply(&mut s).unwrap_err().to_string();
        assert!(circle.contains("Guitars > Room > Guitars") || circle.contains("Room > Guitars > Room"), "{circle}");
        let keyed = json!({"kind": "compressor", "key": {"strip": bus}});
        let circle = Edit::AddUnit { strip: lead, at: 0, unit: keyed }.apply(&mut s).unwrap_err().to_string();
        assert!(circle.contains("Lead > Guitars > Lead") || circle.contains("Guitars > Lead > Guitars"), "{circle}");
        assert_eq!(before.strips, s.strips);
    }

    #[test]
    fn paths_lead_only_where_sound_can_go() {
        let mut s = session();
        for (edit, why) in [
            (Edit::SetFeeds { strip: 4, to: 99 }, "must feed a bus or the main"),
            (Edit::SetFeeds { strip: 2, to: 4 }, "must feed a bus or the main"),
            (Edit::SetFeeds { strip: 1, to: 2 }, "the main feeds the listener"),
            (
                Edit::SetSends { strip: 4, sends: vec![Send { to: 1, level_db: 0.0, before_fader: false }] },
                "buses and returns only",
            ),
            (
                Edit::AddUnit { strip: 4, at: 0, unit: json!({"kind": "compressor", "key": "outside"}) },
                "not in this session",
            ),
        ] {
            assert!(edit.apply(&mut s).unwrap_err().to_string().contains(why), "{edit:?}");
        }
    }

    #[test]
    fn several_edits_are_all_made_or_none() {
        let mut s = session();
        let before = s.clone();
        let level = |value: f64| Edit::SetControl { strip: 2, control: "level_db".into(), value: json!(value) };
        assert!(Edit::Several { edits: vec![level(-3.0), level(99.0)] }.apply(&mut s).is_err());
        assert_eq!(s, before);
        let (_, inverse) = Edit::Several { edits: vec![level(-3.0), level(-6.0)] }.apply(&mut s).unwrap();
        assert_eq!(s.strip(2).unwrap().controls.number("level_db"), -6.0);
        inverse.apply(&mut s).unwrap();
        assert_eq!(s, before);
    }

    #[test]
    fn a_copy_of_a_strip_gets_units_of_its_own() {
        let mut s = session();
        let mut lead = s.strip(4).unwrap().to_json();
        lead["id"] = json!(0);
        Edit::AddStrip { at: 0, strip: lead }.apply(&mut s).unwrap();
        let mut ids: Vec<u32> = s.strips.iter().flat_map(|s| s.rack.units.iter().map(|u| u.id)).collect();
        let count = ids.len();
        ids.sort_unstable();
        ids.dedup();
        let kinds = crate::unit::catalogue::KINDS.len();
        assert_eq!((count, ids.len()), (2 * kinds, 2 * kinds));
    }

    #[test]
    fn a_bus_that_is_fed_and_the_main_cannot_be_removed() {
        let mut s = session();
        let bus = s.buses().next().unwrap().id;
        assert!(Edit::RemoveStrip { strip: bus }.apply(&mut s).unwrap_err().to_string().contains("Lead feeds it"));
        assert!(Edit::RemoveStrip { strip: 1 }.apply(&mut s).is_err());
    }
}
