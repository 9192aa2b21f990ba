//! What was done to every strip of the worked session, and what was heard before: `worked.json`, units as a rack file
//! has them, what drives or leads them by the name of its strip.

use serde::Deserialize;
use serde_json::Value as Json;

/// A strip's.
#[derive(Deserialize)]
#[serde(deny_unknown_fields)]
pub(super) struct Treatment {
    /// By its name.
    pub strip: String,
    /// What was noted on hearing it raw.
    pub heard_raw: String,
    /// Its rack.
    pub units: Vec<Json>,
}

/// The file.
pub(super) const WRITTEN: &str = include_str!("worked.json");

/// All of them. Empty where the file cannot be read, which a test does.
pub(super) fn treatments() -> Vec<Treatment> {
    serde_json::from_str(WRITTEN).unwrap_or_default()
}
