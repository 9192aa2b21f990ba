//! The document: strips with racks and levels, sections, tempo.
//!
//! A **strip** is a track, a bus, a return or the main. Every strip but the main feeds
//! a bus or the main and may be sent to returns and buses besides. Values are checked on the way in, so that a document
//! that exists can be rendered.

use std::collections::BTreeMap;

use serde::de::Error;
use serde::{Deserialize, Deserializer, Serialize, Serializer};
use serde_json::{Map, Value as Json, json};

use super::controls::{CHANGING, INPUT_CONTROLS, STRIP, sent_to};
use super::family::Family;
use super::notebook::Notebook;
use super::part::Part;
use super::strip_of_any_version::{Kept, courses_of, take_out};
use crate::course::Courses;
use crate::rack::{RackError, RackSpec, UnitSpec};
use crate::unit::param::Param;
use crate::unit::settings::{Record, SettingsError};
use crate::unit::sound::Sounds;
use crate::unit::value::Written;

/// The audio a track plays: a payload of the shelf, at the session's rate.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "types", derive(ts_rs::TS))]
pub struct AudioRef {
    /// Content hash, hexadecimal.
    pub hash: String,
    /// 1 or 2.
    pub channels: u8,
    /// Length in frames.
    pub frames: u64,
    /// Where it begins in the song, in frames.
    #[serde(default)]
    pub start: u64,
    /// Where its file said that it began, in frames since midnight; none where it did not, or where it was moved by hand.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    #[cfg_attr(feature = "types", ts(optional))]
    pub stamp: Option<u64>,
}

/// A further path out of a strip, beside what it feeds.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "types", derive(ts_rs::TS))]
pub struct AuxSend {
    /// The bus or return it goes to.
    pub to: u32,
    /// Level in dB; off at and below [`OFF_DB`].
    pub level_db: f64,
    /// Taken before the fader, so that it stays when the fader moves; a mute silences it too.
    #[serde(default)]
    pub before_fader: bool,
}

/// What a strip is.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum Role {
    /// Plays audio.
    Track(AudioRef),
    /// Sums tracks.
    Bus,
    /// Sums what is sent to it, beside the tracks: a parallel path or an effect.
    Return,
    /// Sums everything; there is exactly one.
    Main,
}

/// A track, bus, return or main.
#[derive(Clone, Debug, PartialEq)]
pub struct Strip {
    /// Identity within the session, never reused.
    pub id: u32,
    /// Name on the page.
    pub name: String,
    /// Instrument family.
    pub family: Family,
    /// What it plays and how it was recorded.
    pub part: Part,
    /// Whether `part` is the program's guess that nobody has looked at yet.
    pub guessed: bool,
    /// Number of the set of recordings of one performance it belongs to; 0 for none.
    pub take_set: u32,
    /// What the engineer noted on first hearing it raw.
    pub note: String,
    /// Track, bus or main.
    pub role: Role,
    /// The bus or main it feeds; none only for the main.
    pub feeds: Option<u32>,
    /// Further paths out of it.
    pub sends: Vec<AuxSend>,
    /// Level, pan, mute ([`STRIP`]).
    pub controls: Record,
    /// What of its level, pan, mute and sends changes with the song.
    pub courses: Courses,
    /// dB by which the other side of a comparison plays it louder, whatever its level does; in no
    /// file.
    pub lift_db: f64,
    /// Its treatment.
    pub rack: RackSpec,
    /// What of its file this version cannot use, by its name there.
    pub kept: Kept,
}

/// A named stretch of the song.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "types", derive(ts_rs::TS))]
pub struct Section {
    /// Identity within the session, kept when it is renamed or moved; 0 for one not yet in it.
    #[serde(default)]
    pub id: u32,
    /// Name on the page.
    pub name: String,
    /// First frame.
    pub start: u64,
    /// One past the last frame.
    pub end: u64,
}

/// What is changed of a section; the rest of it stays, so that who names it and who moves it do not undo each other.
#[derive(Clone, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "types", derive(ts_rs::TS))]
pub struct SectionChange {
    /// Its identity.
    pub id: u32,
    /// Its new name.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    #[cfg_attr(feature = "types", ts(optional))]
    pub name: Option<String>,
    /// Its new first frame.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    #[cfg_attr(feature = "types", ts(optional))]
    pub start: Option<u64>,
    /// One past its new last frame.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    #[cfg_attr(feature = "types", ts(optional))]
    pub end: Option<u64>,
}

impl SectionChange {
    /// Other limits.
    #[must_use]
    pub fn limits(id: u32, start: u64, end: u64) -> Self {
        Self { id, name: None, start: Some(start), end: Some(end) }
    }

    /// Which of name, start and end it sets.
    #[must_use]
    pub fn sets(&self) -> [bool; 3] {
        [self.name.is_some(), self.start.is_some(), self.end.is_some()]
    }

    /// The section as it is then.
    #[must_use]
    pub fn of(&self, section: &Section) -> Section {
        Section {
            id: section.id,
            name: self.name.clone().unwrap_or_else(|| section.name.clone()),
            start: self.start.unwrap_or(section.start),
            end: self.end.unwrap_or(section.end),
        }
    }

    /// What makes it what it is now again.
    #[must_use]
    pub fn back(&self, section: &Section) -> Self {
        Self {
            id: section.id,
            name: self.name.as_ref().map(|_| section.name.clone()),
            start: self.start.map(|_| section.start),
            end: self.end.map(|_| section.end),
        }
    }
}

/// What of a session is neither strips nor notebook, as it is written down.
#[derive(Serialize)]
#[cfg_attr(feature = "types", derive(ts_rs::TS), ts(rename = "Frame"))]
pub struct WrittenFrame<'a> {
    name: &'a str,
    rate: u32,
    tempo_bpm: f64,
    beats_per_bar: u32,
    points_on_beats: bool,
    sections: &'a [Section],
}

/// A strip as it is written down.
#[derive(Serialize)]
#[cfg_attr(feature = "types", derive(ts_rs::TS), ts(rename = "Strip"))]
pub struct WrittenStrip<'a> {
    id: u32,
    name: &'a str,
    family: &'static str,
    note: &'a str,
    part: Part,
    guessed: bool,
    take_set: u32,
    role: &'static str,
    audio: Option<&'a AudioRef>,
    feeds: Option<u32>,
    sends: &'a [AuxSend],
    #[cfg_attr(feature = "types", ts(type = "Params"))]
    controls: Map<String, Json>,
    #[cfg_attr(feature = "types", ts(type = "Rack"))]
    rack: Json,
    #[serde(skip_serializing_if = "Option::is_none")]
    #[cfg_attr(feature = "types", ts(optional, type = "Course[]"))]
    over_time: Option<Json>,
    /// By name, what this version cannot use; see [`super::strip_of_any_version`].
    #[serde(skip_serializing_if = "BTreeMap::is_empty")]
    #[cfg_attr(feature = "types", ts(optional, as = "Option<BTreeMap<String, Json>>"))]
    kept: &'a Kept,
}

/// A whole session.
#[derive(Clone, Debug, PartialEq)]
pub struct Session {
    /// Name on the page.
    pub name: String,
    /// Sample rate in Hz of everything in it.
    pub rate: u32,
    /// Quarter notes per minute.
    pub tempo_bpm: f64,
    /// Quarter notes per bar.
    pub beats_per_bar: u32,
    /// Whether points of lanes stay on their beats when the tempo changes; else on their times.
    pub points_on_beats: bool,
    /// Sections in order of time.
    pub sections: Vec<Section>,
    /// All strips in signal order; the main is last.
    pub strips: Vec<Strip>,
    /// What is kept beside the sound.
    pub notebook: Notebook,
    /// The next unused identity for a strip or unit.
    pub next_id: u32,
    /// Sounds at hand for units that name them; no part of what is written down.
    pub sounds: Sounds,
}

/// Why a document could not be read.
#[derive(Debug)]
pub enum DocumentError {
    /// A field is missing or of the wrong kind.
    Field(&'static str),
    /// A strip's control.
    Control(SettingsError),
    /// A strip's rack.
    Rack(RackError),
}

impl core::fmt::Display for DocumentError {
    fn fmt(&self, f: &mut core::fmt::Formatter<'_>) -> core::fmt::Result {
        match self {
            Self::Field(name) => write!(f, "the session's field \"{name}\" is missing or of the wrong kind"),
            Self::Control(e) => e.fmt(f),
            Self::Rack(e) => e.fmt(f),
        }
    }
}

impl std::error::Error for DocumentError {}

impl Strip {
    /// A strip at its defaults with an empty rack.
    #[must_use]
    pub fn new(id: u32, name: &str, family: Family, role: Role, feeds: Option<u32>) -> Self {
        Self {
            id,
            name: name.to_string(),
            family,
            part: Part::Unknown,
            guessed: false,
            take_set: 0,
            note: String::new(),
            role,
            feeds,
            sends: Vec::new(),
            controls: Record::defaults(STRIP),
            courses: Courses::default(),
            lift_db: 0.0,
            rack: RackSpec::default(),
            kept: Kept::new(),
        }
    }

    /// Whether it plays audio of its own.
    #[must_use]
    pub fn is_track(&self) -> bool {
        matches!(self.role, Role::Track(_))
    }

    /// The audio of a track.
    #[must_use]
    pub fn audio(&self) -> Option<&AudioRef> {
        match &self.role {
            Role::Track(audio) => Some(audio),
            _ => None,
        }
    }

    /// Whether its input controls leave its sound as it is.
    #[must_use]
    pub fn enters_unchanged(&self) -> bool {
        let (now, fresh) = (self.controls.to_json(), Record::defaults(STRIP).to_json());
        INPUT_CONTROLS.iter().all(|id| now.get(*id) == fresh.get(*id))
    }

    /// Sets one control.
    ///
    /// # Errors
    /// An unknown name or a value outside its range.
    pub fn set_control(&mut self, id: &str, value: &Written) -> Result<Written, SettingsError> {
        let old = self.controls.set(id, value, id)?;
        self.kept.remove(&format!("controls.{id}"));
        Ok(old)
    }

    /// The strip in full.
    #[must_use]
    pub fn to_json(&self) -> Json {
        json!(WrittenStrip {
            id: self.id,
            name: &self.name,
            family: self.family.mark(),
            note: &self.note,
            part: self.part,
            guessed: self.guessed,
            take_set: self.take_set,
            role: match self.role {
                Role::Track(_) => "track",
                Role::Bus => "bus",
                Role::Return => "return",
                Role::Main => "main",
            },
            audio: self.audio(),
            feeds: self.feeds,
            sends: &self.sends,
            controls: self.controls.to_json(),
            rack: self.rack.to_json(),
            over_time: (!self.courses.is_empty()).then(|| self.courses.to_json(|path| self.changing(path))),
            kept: &self.kept,
        })
    }

    /// The parameter of what can change with the song of a strip beside its rack: `level_db`,
    /// `pan`, `muted`, or `send[12].level_db` for its send to strip 12.
    #[must_use]
    pub fn changing(&self, path: &str) -> Option<&'static Param> {
        let is_sent = |to| self.sends.iter().any(|send| send.to == to);
        let id = match sent_to(path) {
            Some(to) if is_sent(to) => "level_db",
            _ => path,
        };
        STRIP.iter().find(|param| param.id == id && CHANGING.contains(&id))
    }

    /// Reads what [`Self::to_json`] wrote.
    ///
    /// # Errors
    /// See [`DocumentError`].
    pub fn from_json(json: &Json) -> Result<Self, DocumentError> {
        let mut object = json.as_object().cloned().ok_or(DocumentError::Field("strips"))?;
        let kept = take_out(&mut object);
        let json = &Json::Object(object);
        let role = match json["role"].as_str() {
            Some("track") => {
                Role::Track(serde_json::from_value(json["audio"].clone()).map_err(|_| DocumentError::Field("audio"))?)
            }
            Some("bus") => Role::Bus,
            Some("return") => Role::Return,
            Some("main") => Role::Main,
            _ => return Err(DocumentError::Field("role")),
        };
        let empty = Map::new();
        let controls = json["controls"].as_object().unwrap_or(&empty);
        let mut strip = Self {
            id: id_of(&json["id"]).ok_or(DocumentError::Field("id"))?,
            name: text(&json["name"]).ok_or(DocumentError::Field("name"))?,
            family: json["family"].as_str().and_then(Family::from_mark).ok_or(DocumentError::Field("family"))?,
            part: json["part"].as_str().and_then(Part::from_id).unwrap_or_default(),
            guessed: json["guessed"].as_bool().unwrap_or(false),
            take_set: id_of(&json["take_set"]).unwrap_or(0),
            note: text(&json["note"]).unwrap_or_default(),
            role,
            feeds: id_of(&json["feeds"]),
            sends: match &json["sends"] {
                Json::Null => Vec::new(),
                sends => serde_json::from_value(sends.clone()).map_err(|_| DocumentError::Field("sends"))?,
            },
            controls: Record::from_json(STRIP, controls, "").map_err(DocumentError::Control)?,
            courses: Courses::default(),
            lift_db: 0.0,
            rack: RackSpec::of_any_version(&json["rack"]).map_err(DocumentError::Rack)?,
            kept,
        };
        let (courses, others) = courses_of(&json["over_time"], |path| strip.changing(path));
        strip.courses = courses;
        strip.kept.extend(others.map(|others| ("over_time".to_string(), others)));
        Ok(strip)
    }
}

impl Serialize for Strip {
    fn serialize<S: Serializer>(&self, into: S) -> Result<S::Ok, S::Error> {
        self.to_json().serialize(into)
    }
}

impl<'de> Deserialize<'de> for Strip {
    fn deserialize<D: Deserializer<'de>>(from: D) -> Result<Self, D::Error> {
        Self::from_json(&Json::deserialize(from)?).map_err(D::Error::custom)
    }
}

impl Session {
    /// An empty session with a main and nothing else.
    #[must_use]
    pub fn new(name: &str, rate: u32) -> Self {
        let main = Strip::new(1, "Main", Family::Fx, Role::Main, None);
        Self {
            name: name.to_string(),
            rate,
            tempo_bpm: 120.0,
            beats_per_bar: 4,
            points_on_beats: false,
            sections: Vec::new(),
            strips: vec![main],
            notebook: Notebook::default(),
            next_id: 2,
            sounds: Sounds::default(),
        }
    }

    /// A fresh identity.
    pub fn take_id(&mut self) -> u32 {
        self.next_id += 1;
        self.next_id - 1
    }

    /// Whether something new can have an identity that was given away before it came: not one far ahead of all others, after
    /// which there would soon be none left.
    #[must_use]
    pub fn may_have(&self, id: u32) -> bool {
        const REACH: u32 = 10_000;
        id > 0 && id < self.next_id.saturating_add(REACH)
    }

    /// An identity is in use: no fresh one is the same.
    pub fn reserve_id(&mut self, id: u32) {
        self.next_id = self.next_id.max(id.saturating_add(1));
    }

    /// Adds a strip before the main and returns its identity.
    pub fn add_strip(&mut self, name: &str, family: Family, role: Role, feeds: u32) -> u32 {
        let id = self.take_id();
        let at = self.strips.len() - 1;
        self.strips.insert(at, Strip::new(id, name, family, role, Some(feeds)));
        id
    }

    /// Adds a unit at the end of a strip's rack; ignored for a strip that does not exist.
    pub fn add_unit(&mut self, strip: u32, mut unit: UnitSpec) {
        unit.id = self.take_id();
        if let Some(strip) = self.strip_mut(strip) {
            strip.rack.units.push(unit);
        }
    }

    /// The strip with this identity.
    #[must_use]
    pub fn strip(&self, id: u32) -> Option<&Strip> {
        self.strips.iter().find(|s| s.id == id)
    }

    /// The strip with this identity, to change.
    pub fn strip_mut(&mut self, id: u32) -> Option<&mut Strip> {
        self.strips.iter_mut().find(|s| s.id == id)
    }

    /// The main strip's identity; 0 in a document without one, which no
    /// constructor makes.
    #[must_use]
    pub fn main_id(&self) -> u32 {
        self.strips.iter().find(|s| s.role == Role::Main).map_or(0, |s| s.id)
    }

    /// Tracks in order.
    pub fn tracks(&self) -> impl Iterator<Item = &Strip> {
        self.strips.iter().filter(|s| s.is_track())
    }

    /// Buses in order.
    pub fn buses(&self) -> impl Iterator<Item = &Strip> {
        self.strips.iter().filter(|s| s.role == Role::Bus)
    }

    /// Returns in order.
    pub fn returns(&self) -> impl Iterator<Item = &Strip> {
        self.strips.iter().filter(|s| s.role == Role::Return)
    }

    /// Length in frames: to the end of the last track.
    #[must_use]
    pub fn frames(&self) -> u64 {
        self.tracks().filter_map(Strip::audio).map(|a| a.start + a.frames).max().unwrap_or(0)
    }

    /// The document in full.
    #[must_use]
    pub fn to_json(&self) -> Json {
        let mut json = self.frame_json();
        json["strips"] = self.strips.iter().map(Strip::to_json).collect();
        json["notebook"] = json!(self.notebook);
        json["next_id"] = json!(self.next_id);
        json
    }

    /// What of [`Self::to_json`] is neither strips nor notebook.
    #[must_use]
    pub fn frame_json(&self) -> Json {
        json!(WrittenFrame {
            name: &self.name,
            rate: self.rate,
            tempo_bpm: self.tempo_bpm,
            beats_per_bar: self.beats_per_bar,
            points_on_beats: self.points_on_beats,
            sections: &self.sections,
        })
    }

    /// Reads what [`Self::to_json`] wrote.
    ///
    /// # Errors
    /// See [`DocumentError`].
    pub fn from_json(json: &Json) -> Result<Self, DocumentError> {
        let field = DocumentError::Field;
        let strips = json["strips"].as_array().ok_or(field("strips"))?;
        let mut session = Self {
            name: text(&json["name"]).ok_or(field("name"))?,
            rate: id_of(&json["rate"]).filter(|r| *r > 0).ok_or(field("rate"))?,
            tempo_bpm: json["tempo_bpm"].as_f64().ok_or(field("tempo_bpm"))?,
            beats_per_bar: id_of(&json["beats_per_bar"]).ok_or(field("beats_per_bar"))?,
            points_on_beats: json["points_on_beats"].as_bool().unwrap_or(false),
            sections: serde_json::from_value(json["sections"].clone()).map_err(|_| field("sections"))?,
            strips: strips.iter().map(Strip::from_json).collect::<Result<_, _>>()?,
            notebook: match &json["notebook"] {
                Json::Null => Notebook::default(),
                notebook => serde_json::from_value(notebook.clone()).map_err(|_| field("notebook"))?,
            },
            next_id: id_of(&json["next_id"]).ok_or(field("next_id"))?,
            sounds: Sounds::default(),
        };
        session.supply();
        Ok(session)
    }
}

fn id_of(json: &Json) -> Option<u32> {
    json.as_u64().and_then(|n| u32::try_from(n).ok())
}

fn text(json: &Json) -> Option<String> {
    json.as_str().map(str::to_string)
}
