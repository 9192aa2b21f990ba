//! What a player is to play, as the page asks for it.

use serde::Deserialize;
use serde_json::Value as Json;

use crate::rack::RackError;
use crate::render::View;
use crate::session::{Reference, Session};

/// What a player is to play.
#[derive(Clone, Debug, PartialEq)]
pub struct Setup {
    /// The document.
    pub session: Session,
    /// Which mix of it.
    pub view: View,
    /// The other side of the comparison, if there is one.
    pub reference: Option<Reference>,
    /// Number of the store of each lane of the mix.
    pub lanes: Vec<usize>,
    /// The same for the other side.
    pub reference_lanes: Vec<usize>,
}

impl Setup {
    /// Reads `{"session", "view", "reference", "lanes", "reference_lanes"}`.
    ///
    /// # Errors
    /// What is missing or wrong, in words.
    pub fn from_json(json: &Json) -> Result<Self, String> {
        #[derive(Deserialize)]
        struct Frame {
            view: View,
            reference: Option<Reference>,
            lanes: Vec<usize>,
            reference_lanes: Vec<usize>,
        }
        let session = Session::from_json(&json["session"]).map_err(|e| e.to_string())?;
        let frame: Frame = serde_json::from_value(json.clone()).map_err(|e| e.to_string())?;
        let Frame { view, reference, lanes, reference_lanes } = frame;
        Ok(Self { session, view, reference, lanes, reference_lanes })
    }
}

/// Why a setup cannot be played.
#[derive(Debug)]
pub enum SetupError {
    /// The view names a strip that does not exist.
    NoStrip(u32),
    /// The other side's rack.
    Reference(RackError),
}

impl core::fmt::Display for SetupError {
    fn fmt(&self, f: &mut core::fmt::Formatter<'_>) -> core::fmt::Result {
        match self {
            Self::NoStrip(id) => write!(f, "there is no strip {id} in this session"),
            Self::Reference(e) => write!(f, "the other side of the comparison cannot be played: {e}"),
        }
    }
}

impl std::error::Error for SetupError {}
