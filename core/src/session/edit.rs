//! Every change to a session, as a value with an inverse.
//!
//! `apply` changes the document and returns the edit that takes it back. Undo
//! and redo are nothing else than applying inverses. An edit that cannot be
//! applied changes nothing.

use serde::{Deserialize, Serialize};
use serde_json::Value as Json;

use super::document::{DocumentError, Section, Session, Strip};
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
    /// Replaces all sections.
    SetSections {
        /// The sections.
        sections: Vec<Section>,
    },
}

/// The part of a document an edit changed: what must be stored and heard anew.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Touch {
    /// A strip's own fields.
    Strip(u32),
    /// A strip's rack.
    Rack(u32),
    /// The list of strips.
    Strips,
    /// Name, tempo, sections.
    Frame,
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
            Self::AddStrip { at, strip } => add_strip(session, *at, strip),
            Self::RemoveStrip { strip } => remove_strip(session, *strip),
            Self::SetSections { sections } => set_sections(session, sections),
        }
    }

    /// What it changes.
    #[must_use]
    pub fn touches(&self) -> Touch {
        match self {
            Self::SetControl { strip, .. } | Self::Rename { strip, .. } | Self::SetNote { strip, .. } => {
                Touch::Strip(*strip)
            }
            Self::AddUnit { strip, .. }
            | Self::RemoveUnit { strip, .. }
            | Self::MoveUnit { strip, .. }
            | Self::SetUnit { strip, .. }
            | Self::ReplaceRack { strip, .. } => Touch::Rack(*strip),
            Self::AddStrip { .. } | Self::RemoveStrip { .. } => Touch::Strips,
            Self::SetSections { .. } => Touch::Frame,
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
            _ => false,
        }
    }
}

type Applied = Result<(Edit, Edit), EditError>;

fn strip_mut(session: &mut Session, id: u32) -> Result<&mut Strip, EditError> {
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
    let json = unit.to_json();
    let strip = strip_mut(session, id)?;
    let at = at.min(strip.rack.units.len());
    strip.rack.units.insert(at, unit);
    Ok((Edit::AddUnit { strip: id, at, unit: json }, Edit::RemoveUnit { strip: id, unit: unit_id }))
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
    let json = unit.to_json();
    let old = std::mem::replace(&mut strip.rack.units[at], unit);
    Ok((Edit::SetUnit { strip: id, unit: json }, Edit::SetUnit { strip: id, unit: old.to_json() }))
}

fn replace_rack(session: &mut Session, id: u32, rack: &Json) -> Applied {
    let mut rack = RackSpec::from_json(rack).map_err(EditError::Rack)?;
    session.strip(id).ok_or(EditError::NoStrip(id))?;
    for unit in rack.units.iter_mut().filter(|u| u.id == 0) {
        unit.id = session.take_id();
    }
    let json = rack.to_json();
    let strip = strip_mut(session, id)?;
    let old = std::mem::replace(&mut strip.rack, rack);
    Ok((Edit::ReplaceRack { strip: id, rack: json }, Edit::ReplaceRack { strip: id, rack: old.to_json() }))
}

fn add_strip(session: &mut Session, at: usize, strip: &Json) -> Applied {
    let mut strip = Strip::from_json(strip).map_err(EditError::Strip)?;
    if strip.role == super::Role::Main {
        return Err(EditError::BadText("a session has one main already"));
    }
    let target = strip.feeds.and_then(|id| session.strip(id)).map(Strip::is_track);
    if target != Some(false) {
        return Err(EditError::BadText("the strip must feed a bus or the main"));
    }
    if strip.id == 0 || session.strip(strip.id).is_some() {
        strip.id = session.take_id();
    }
    let (id, json) = (strip.id, strip.to_json());
    let at = at.min(session.strips.len() - 1);
    session.strips.insert(at, strip);
    Ok((Edit::AddStrip { at, strip: json }, Edit::RemoveStrip { strip: id }))
}

fn remove_strip(session: &mut Session, id: u32) -> Applied {
    let at = session.strips.iter().position(|s| s.id == id).ok_or(EditError::NoStrip(id))?;
    if session.main_id() == id {
        return Err(EditError::InUse("a session needs its main".into()));
    }
    if let Some(feeder) = session.strips.iter().find(|s| s.feeds == Some(id)) {
        return Err(EditError::InUse(format!("{} feeds it", feeder.name)));
    }
    let removed = session.strips.remove(at);
    Ok((Edit::RemoveStrip { strip: id }, Edit::AddStrip { at, strip: removed.to_json() }))
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
        let audio = AudioRef { hash: "ab".into(), channels: 1, frames: 1000 };
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
            strip.prop_map(|strip| Edit::RemoveStrip { strip }),
            (0u64..10, 0u64..10).prop_map(|(start, end)| Edit::SetSections {
                sections: vec![Section { name: "A".into(), start, end }]
            }),
        ]
    }

    proptest! {
        #[test]
        fn any_run_of_edits_is_taken_back_by_its_inverses(edits in prop::collection::vec(any_edit(), 1..30)) {
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
            }
            for (applied, _) in &inverses {
                applied.apply(&mut now).unwrap();
            }
            prop_assert_eq!(&now.strips, &after.strips);
        }

        #[test]
        fn documents_survive_json(edits in prop::collection::vec(any_edit(), 1..20)) {
            let mut s = session();
            for edit in &edits {
                let _ = edit.apply(&mut s);
            }
            prop_assert_eq!(Session::from_json(&s.to_json()).unwrap(), s);
        }
    }

    #[test]
    fn a_bus_that_is_fed_and_the_main_cannot_be_removed() {
        let mut s = session();
        let bus = s.buses().next().unwrap().id;
        assert!(Edit::RemoveStrip { strip: bus }.apply(&mut s).unwrap_err().to_string().contains("Lead feeds it"));
        assert!(Edit::RemoveStrip { strip: 1 }.apply(&mut s).is_err());
    }
}
