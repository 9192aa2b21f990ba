//! Why an edit is refused.

use crate::course::CourseError;
use crate::rack::spec::MAX_UNITS;
use crate::rack::{MAX_NAME, MAX_NOTE, RackError};
use crate::session::DocumentError;
use crate::session::notebook::NotebookError;
use crate::unit::settings::SettingsError;

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
    /// A name that is empty or too long.
    BadName,
    /// What somebody wrote is too long.
    LongNote,
    /// More of something than there can be.
    TooMany {
        /// Of what it is a part.
        whole: &'static str,
        /// How many fit.
        most: usize,
        /// Of what.
        what: &'static str,
    },
    /// A number outside its range.
    BadNumber(&'static str),
    /// A section is empty, reversed or too long.
    BadSections(String),
    /// A control's value.
    Control(SettingsError),
    /// A unit or rack.
    Rack(RackError),
    /// What is to change with the song cannot.
    Course(CourseError),
    /// A strip.
    Strip(DocumentError),
    /// Something for the notebook.
    Notebook(NotebookError),
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
            Self::BadName => write!(f, "a name needs 1 to {MAX_NAME} characters"),
            Self::LongNote => write!(f, "a text can have {MAX_NOTE} characters at most"),
            Self::TooMany { whole, most, what } => write!(f, "{whole} can have {most} {what} at most"),
            Self::BadNumber(why) => f.write_str(why),
            Self::RackFull => write!(f, "the rack is full; {MAX_UNITS} units fit"),
            Self::InUse(what) => write!(f, "it cannot be removed: {what}"),
            Self::BadText(what) => write!(f, "{what}"),
            Self::BadSections(what) => write!(f, "{what}"),
            Self::Control(e) => e.fmt(f),
            Self::Rack(e) => e.fmt(f),
            Self::Course(e) => e.fmt(f),
            Self::Strip(e) => e.fmt(f),
            Self::Notebook(e) => e.fmt(f),
        }
    }
}

impl std::error::Error for EditError {}
