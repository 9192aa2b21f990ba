//! Every kind of unit there is.

use serde::Serialize;

use super::param::Param;
use super::processor::Processor;
use super::settings::Settings;
use super::{compressor, drawn_eq, surgical_eq, width};
use crate::signal::math::Complex;

/// One kind of unit: its words, its table, its processor.
pub struct UnitKind {
    /// Name in rack files.
    pub id: &'static str,
    /// Name on the page.
    pub name: &'static str,
    /// One line: what it is for.
    pub about: &'static str,
    /// The picture that shows what it does.
    pub picture: Picture,
    /// Parameters that exist once.
    pub params: &'static [Param],
    /// The lists of equal rows it has; the first holds what may be switched and heard alone.
    pub lists: &'static [Rows],
    /// Makes a running unit at a sample rate in Hz, at rest on the settings.
    pub build: fn(&Settings, f64) -> Box<dyn Processor>,
    /// Complex response at rest, at each of the frequencies in Hz.
    pub response: fn(&Settings, f64, &[f64]) -> Vec<Complex>,
    /// Steady output level in dB for a steady input level, for units that reduce.
    pub bend: Option<fn(&Settings, f64) -> f64>,
    /// Whether another sound may drive it.
    pub takes_key: bool,
    /// Fixed parameters whose change takes a fresh unit, faded in when it has settled.
    pub renewed_by: &'static [&'static str],
    /// For kinds with rows whose regions can be heard alone.
    pub listen: Option<Listen>,
}

/// What is heard of a unit.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub enum Heard {
    /// What it does.
    #[default]
    Output,
    /// What drives it.
    Key,
}

/// Settings under which only the region of one row is heard; none for no such row.
pub type Listen = fn(&Settings, usize) -> Option<Settings>;

/// A list of rows with a table of their own.
#[derive(Clone, Copy, Debug, Serialize)]
pub struct Rows {
    /// Name in rack files.
    pub id: &'static str,
    /// Word for one row.
    pub label: &'static str,
    /// Table of one row.
    pub params: &'static [Param],
    /// Most rows.
    pub max: usize,
}

/// The picture of a unit.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize)]
#[serde(rename_all = "kebab-case")]
pub enum Picture {
    /// Gain against frequency.
    Response,
    /// A curve drawn by hand.
    Drawn,
    /// Output level against input level.
    Bend,
    /// How far the sides stand apart.
    Width,
}

/// All kinds, in the order in which the page offers them.
pub const KINDS: &[&UnitKind] = &[&surgical_eq::KIND, &drawn_eq::KIND, &compressor::KIND, &width::KIND];

/// The kind named `id`.
#[must_use]
pub fn kind(id: &str) -> Option<&'static UnitKind> {
    KINDS.iter().copied().find(|k| k.id == id)
}

/// Names of all kinds, for error texts.
#[must_use]
pub fn kind_names() -> String {
    KINDS.iter().map(|k| k.id).collect::<Vec<_>>().join(", ")
}

impl Serialize for UnitKind {
    fn serialize<S: serde::Serializer>(&self, serializer: S) -> Result<S::Ok, S::Error> {
        use serde::ser::SerializeStruct;
        let mut s = serializer.serialize_struct("UnitKind", 7)?;
        s.serialize_field("id", self.id)?;
        s.serialize_field("name", self.name)?;
        s.serialize_field("about", self.about)?;
        s.serialize_field("picture", &self.picture)?;
        s.serialize_field("params", self.params)?;
        s.serialize_field("lists", self.lists)?;
        s.serialize_field("takes_key", &self.takes_key)?;
        s.end()
    }
}

impl core::fmt::Debug for UnitKind {
    fn fmt(&self, f: &mut core::fmt::Formatter<'_>) -> core::fmt::Result {
        write!(f, "UnitKind({})", self.id)
    }
}
