//! What a change is: a value, what it touches, and whether two are of one target.

use serde::{Deserialize, Serialize};

use super::error::EditError;
use crate::course::json::WrittenPoint;
use crate::rack::{Follow, Key, RackSpec, UnitSpec};
use crate::session::document::{AuxSend, Section, SectionChange, Session, Strip};
use crate::session::family::Family;
use crate::session::notebook::Entry;
use crate::session::part::Part;
use crate::unit::value::{Written, WrittenRow};

/// One change.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
#[serde(tag = "edit", rename_all = "kebab-case")]
#[cfg_attr(feature = "types", derive(ts_rs::TS))]
pub enum Edit {
    /// Sets a strip's level, pan or mute.
    SetControl {
        /// Which strip.
        strip: u32,
        /// Which control.
        control: String,
        /// Its new value.
        value: Written,
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
        #[cfg_attr(feature = "types", ts(type = "Partial<Unit> & { kind: string }"))]
        unit: Box<UnitSpec>,
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
    /// Sets one value of a unit: `mix` or another field that every unit has, or a path into its
    /// own parameters such as `ratio` or `bands[2].freq_hz`.
    SetParam {
        /// Which strip.
        strip: u32,
        /// Which unit.
        unit: u32,
        /// Which value.
        param: String,
        /// Its new value.
        value: Written,
    },
    /// Puts a row into a list of a unit.
    AddRow {
        /// Which strip.
        strip: u32,
        /// Which unit.
        unit: u32,
        /// Name of the list.
        list: String,
        /// Position, 0 first.
        at: usize,
        /// The row as in a rack file.
        row: WrittenRow,
    },
    /// Takes a row out of a list of a unit.
    RemoveRow {
        /// Which strip.
        strip: u32,
        /// Which unit.
        unit: u32,
        /// Name of the list.
        list: String,
        /// Position, 0 first.
        at: usize,
    },
    /// Gives one value of a unit or a strip a setting of its own in a section.
    SetHere {
        /// Which strip.
        strip: u32,
        /// Which unit; 0 for the strip itself.
        unit: u32,
        /// Which value, as in [`crate::course::Course`].
        param: String,
        /// Which section.
        section: u32,
        /// The value there; none for the one everywhere.
        value: Option<Written>,
    },
    /// Replaces the lane of one value of a unit or a strip.
    SetLane {
        /// Which strip.
        strip: u32,
        /// Which unit; 0 for the strip itself.
        unit: u32,
        /// Which value, as in [`crate::course::Course`].
        param: String,
        /// The points; none of them takes the lane away.
        #[cfg_attr(feature = "types", ts(type = "Point[]"))]
        points: Vec<WrittenPoint>,
        /// What they were drawn over in a window, so that what others have drawn meanwhile stays; none where they replace
        /// whatever is there.
        #[serde(default, skip_serializing_if = "Option::is_none")]
        #[cfg_attr(feature = "types", ts(optional))]
        over: Option<Box<DrawnOver>>,
    },
    /// Chooses whether points of lanes stay on their beats when the tempo changes.
    SetPointsOn {
        /// On their beats; else on their times.
        beats: bool,
    },
    /// Changes what a unit is called.
    NameUnit {
        /// Which strip.
        strip: u32,
        /// Which unit.
        unit: u32,
        /// Its name; empty to call it by its kind.
        name: String,
    },
    /// Changes the engineer's words for what a unit is there for.
    SetWhy {
        /// Which strip.
        strip: u32,
        /// Which unit.
        unit: u32,
        /// The words.
        why: String,
    },
    /// Changes what drives a unit.
    SetKey {
        /// Which strip.
        strip: u32,
        /// Which unit.
        unit: u32,
        /// The key as in a rack file; `"self"` for none.
        #[serde(with = "crate::rack::key::written")]
        #[cfg_attr(feature = "types", ts(type = "\"self\" | { strip: number, tap: KeyTap }"))]
        key: Option<Key>,
    },
    /// Changes which unit a unit follows.
    SetFollows {
        /// Which strip.
        strip: u32,
        /// Which unit.
        unit: u32,
        /// What it follows; none to go on by itself.
        follows: Option<Follow>,
    },
    /// Replaces all of a unit's values; the identity says which.
    SetUnit {
        /// Which strip.
        strip: u32,
        /// The unit as in a rack file, with its identity.
        #[cfg_attr(feature = "types", ts(type = "Partial<Unit> & { kind: string }"))]
        unit: Box<UnitSpec>,
    },
    /// Puts a copy of a unit at the end of another rack, linked or free.
    CopyUnit {
        /// Strip of the unit.
        strip: u32,
        /// The unit.
        unit: u32,
        /// Strip that gets the copy.
        to: u32,
        /// Whether the copy goes on following.
        linked: bool,
        /// Rows of its first list whose gains are turned over in the copy.
        #[serde(default)]
        #[cfg_attr(feature = "types", ts(optional, as = "Option<Vec<usize>>"))]
        mirrored: Vec<usize>,
    },
    /// Replaces another strip's rack by a copy of this one's, linked or free.
    CopyRack {
        /// Strip of the rack.
        strip: u32,
        /// Strip that gets the copy.
        to: u32,
        /// Whether the copies go on following.
        linked: bool,
    },
    /// Replaces a whole rack. Units without identity get one.
    ReplaceRack {
        /// Which strip.
        strip: u32,
        /// The rack file.
        #[cfg_attr(feature = "types", ts(type = "Rack"))]
        rack: RackSpec,
    },
    /// Adds a strip.
    AddStrip {
        /// Position among the strips.
        at: usize,
        /// The strip in full; identity 0 means: give it a new one.
        #[cfg_attr(feature = "types", ts(type = "unknown"))]
        strip: Box<Strip>,
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
        sends: Vec<AuxSend>,
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
        #[cfg_attr(feature = "types", ts(optional, as = "Option<bool>"))]
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
        /// Where its file said that it began, in frames since midnight; none where it is moved by hand.
        #[serde(default, skip_serializing_if = "Option::is_none")]
        #[cfg_attr(feature = "types", ts(optional))]
        stamp: Option<u64>,
    },
    /// Changes tempo and metre.
    SetTempo {
        /// Quarter notes per minute.
        tempo_bpm: f64,
        /// Quarter notes per bar.
        beats_per_bar: u32,
    },
    /// Adds a section. An identity of 0 means: give it a new one.
    AddSection {
        /// The section.
        section: Section,
    },
    /// Changes name or limits of the section with this identity.
    SetSection {
        /// What of it.
        section: SectionChange,
    },
    /// Removes a section.
    RemoveSection {
        /// Its identity.
        section: u32,
    },
    /// Replaces all sections. Those without an identity get one.
    SetSections {
        /// The sections.
        sections: Vec<Section>,
    },
    /// Writes something into the notebook: no sound changes, and it is no step of undo.
    Note {
        /// What.
        note: Entry,
    },
    /// Several changes as one, all or none.
    Several {
        /// The changes in order.
        edits: Vec<Edit>,
    },
}

/// A lane as a window knew it when points were drawn in it.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "types", derive(ts_rs::TS))]
pub struct DrawnOver {
    /// Tempo of the song there, in quarter notes a minute.
    pub tempo_bpm: f64,
    /// The lane's points.
    #[cfg_attr(feature = "types", ts(type = "Point[]"))]
    pub points: Vec<WrittenPoint>,
}

/// The part of a document an edit changed: what must be stored and heard anew.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Touch {
    /// A strip's own fields.
    Strip(u32),
    /// A strip's rack.
    Rack(u32),
    /// One unit (the second) of a strip's rack, and nothing else of it.
    Unit(u32, u32),
    /// What a strip feeds and is sent to.
    Paths(u32),
    /// The list of strips.
    Strips,
    /// Name, sections, what points stay on.
    Frame,
    /// What is kept beside the sound.
    Notebook,
    /// Any of it.
    Everything,
}

impl Touch {
    /// The least that holds both.
    fn and(self, other: Self) -> Self {
        match (self, other) {
            (a, b) if a == b => a,
            (Self::Unit(a, _) | Self::Rack(a), Self::Unit(b, _) | Self::Rack(b)) if a == b => Self::Rack(a),
            _ => Self::Everything,
        }
    }
}

impl Edit {
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
            Self::SetParam { strip, unit, .. }
            | Self::AddRow { strip, unit, .. }
            | Self::RemoveRow { strip, unit, .. }
            | Self::NameUnit { strip, unit, .. }
            | Self::SetWhy { strip, unit, .. }
            | Self::SetKey { strip, unit, .. }
            | Self::SetFollows { strip, unit, .. } => Touch::Unit(*strip, *unit),
            Self::SetUnit { strip, unit } => Touch::Unit(*strip, unit.id),
            Self::AddUnit { strip, .. }
            | Self::RemoveUnit { strip, .. }
            | Self::MoveUnit { strip, .. }
            | Self::CopyUnit { to: strip, .. }
            | Self::CopyRack { to: strip, .. }
            | Self::ReplaceRack { strip, .. } => Touch::Rack(*strip),
            Self::AddStrip { .. } | Self::RemoveStrip { .. } | Self::MoveStrip { .. } => Touch::Strips,
            Self::AddSection { .. } | Self::SetSection { .. } | Self::SetPointsOn { .. } => Touch::Frame,
            // They may take along what changes with the song, anywhere.
            Self::SetSections { .. } | Self::RemoveSection { .. } | Self::SetTempo { .. } => Touch::Everything,
            Self::SetHere { strip, unit: 0, .. } | Self::SetLane { strip, unit: 0, .. } => Touch::Strip(*strip),
            Self::SetHere { strip, unit, .. } | Self::SetLane { strip, unit, .. } => Touch::Unit(*strip, *unit),
            Self::Note { .. } => Touch::Notebook,
            Self::Several { edits } => edits.iter().map(Self::touches).reduce(Touch::and).unwrap_or(Touch::Everything),
        }
    }

    /// Everything it changes, each once: of several the parts of each.
    #[must_use]
    pub fn parts(&self) -> Vec<Touch> {
        let mut parts = Vec::new();
        for touch in self.each().iter().map(Self::touches) {
            if !parts.contains(&touch) {
                parts.push(touch);
            }
        }
        parts
    }

    /// The edits it is made of: itself, where it is not several.
    #[must_use]
    pub fn each(&self) -> &[Self] {
        match self {
            Self::Several { edits } => edits,
            single => std::slice::from_ref(single),
        }
    }

    /// The same, taken out.
    #[must_use]
    pub fn into_parts(self) -> Vec<Self> {
        match self {
            Self::Several { edits } => edits,
            single => vec![single],
        }
    }

    /// Whether `later` changes the very same value, so that both may be one
    /// step of undo when they belong to one gesture.
    #[must_use]
    pub fn same_target(&self, later: &Edit) -> bool {
        self.target().is_some_and(|target| later.target() == Some(target))
    }

    /// The value it sets, as far as a hand can be on it; none for what happens once.
    fn target(&self) -> Option<Target<'_>> {
        match self {
            Self::SetControl { strip, control, .. } => Some(Target::Control(*strip, control)),
            Self::SetParam { strip, unit, param, .. } => Some(Target::Param(*strip, *unit, param)),
            Self::SetHere { strip, unit, param, section, .. } => Some(Target::Here(*strip, *unit, param, *section)),
            Self::SetLane { strip, unit, param, .. } => Some(Target::Lane(*strip, *unit, param)),
            Self::SetUnit { strip, unit } => Some(Target::Unit(*strip, unit.id)),
            Self::SetSection { section } => Some(Target::Section(section.id, section.sets())),
            Self::SetSends { strip, sends } => Some(Target::Sends(*strip, sends.len())),
            Self::SetTempo { .. } => Some(Target::Tempo),
            // A unit and those that follow it.
            Self::Several { edits } => edits.iter().map(Self::target).collect::<Option<_>>().map(Target::Several),
            Self::Rename { .. }
            | Self::SetNote { .. }
            | Self::AddUnit { .. }
            | Self::RemoveUnit { .. }
            | Self::MoveUnit { .. }
            | Self::AddRow { .. }
            | Self::RemoveRow { .. }
            | Self::SetPointsOn { .. }
            | Self::NameUnit { .. }
            | Self::SetWhy { .. }
            | Self::SetKey { .. }
            | Self::SetFollows { .. }
            | Self::CopyUnit { .. }
            | Self::CopyRack { .. }
            | Self::ReplaceRack { .. }
            | Self::AddStrip { .. }
            | Self::RemoveStrip { .. }
            | Self::MoveStrip { .. }
            | Self::SetFeeds { .. }
            | Self::SetPart { .. }
            | Self::SetTakeSet { .. }
            | Self::SetStart { .. }
            | Self::AddSection { .. }
            | Self::RemoveSection { .. }
            | Self::SetSections { .. }
            | Self::Note { .. } => None,
        }
    }
}

/// What an edit sets, so that the next of the same hand can stand in its place.
#[derive(PartialEq)]
enum Target<'a> {
    Control(u32, &'a str),
    Param(u32, u32, &'a str),
    Here(u32, u32, &'a str, u32),
    Lane(u32, u32, &'a str),
    Unit(u32, u32),
    Section(u32, [bool; 3]),
    Sends(u32, usize),
    Tempo,
    Several(Vec<Target<'a>>),
}

/// The edit as applied, and its inverse.
pub(super) type Applied = Result<(Edit, Edit), EditError>;

pub(super) fn strip_mut(session: &mut Session, id: u32) -> Result<&mut Strip, EditError> {
    session.strip_mut(id).ok_or(EditError::NoStrip(id))
}
