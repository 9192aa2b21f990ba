//! A kind of unit: its words, its tables and its facts.
//!
//! Whoever runs, draws, prints or judges a unit asks for facts here, as functions of its
//! settings and the sample rate, and never guesses one from another or builds a running unit
//! to find out.

use serde::Serialize;

use super::param::{Change, Param, Rows, Tables};
use super::processor::Processor;
use super::settings::{Record, Settings};
use crate::signal::math::Complex;

/// One kind of unit.
pub struct UnitKind {
    /// Name in rack files.
    pub id: &'static str,
    /// Name on the page.
    pub name: &'static str,
    /// One line: what it is for.
    pub about: &'static str,
    /// The picture that shows what it does, by its name in the page's registry.
    pub picture: &'static str,
    /// Its parameters.
    pub tables: Tables,
    /// Makes a running unit at a sample rate in Hz, on its way to the settings;
    /// [`Processor::snap`] puts it at rest there.
    pub build: fn(&Settings, f64) -> Box<dyn Processor>,
    /// Frames by which the output lags the input.
    pub latency: fn(&Settings, f64) -> usize,
    /// How long it goes on sounding after its input has stopped.
    pub tail: fn(&Settings, f64) -> Tail,
    /// Complex response at rest at each of the frequencies in Hz, of a sound in the middle,
    /// its latency taken out; for a unit that is not linear, that to a soft sound.
    pub response: fn(&Settings, f64, &[f64]) -> Vec<Complex>,
    /// Whether twice the input is twice the output, whatever came before.
    pub linear: fn(&Settings) -> bool,
    /// Whether it takes level away for a time ([`Processor::reduction`] says how much).
    pub reduces: bool,
    /// Whether it gives back by listening what it takes or adds in level, with no switch for that.
    pub holds_level: bool,
    /// Steady output level in dB for a steady input level in dB, where that is what it is
    /// about.
    pub transfer: Option<fn(&Settings, f64) -> f64>,
    /// Whether another sound may drive it.
    pub takes_key: bool,
    /// For kinds whose rows are regions of the spectrum.
    pub regions: Option<Regions>,
}

/// How long a unit sounds after its input has stopped: until what is left of a full-scale
/// sound is below [`TAIL_DB`].
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Tail {
    /// So many frames.
    Frames(usize),
    /// It never ends by itself.
    Endless,
}

/// Level in dBFS under which a tail has ended.
pub const TAIL_DB: f64 = -100.0;

/// What is known of rows that are regions of the spectrum.
#[derive(Clone, Copy)]
pub struct Regions {
    /// Settings under which only the region of one row is heard; none for no such row.
    pub listen: fn(&Settings, usize) -> Option<Settings>,
    /// The lowest and the highest frequency in Hz of what is then heard, at half its power; none where it has no end.
    pub edges: fn(&Settings, usize) -> Option<[Option<f64>; 2]>,
    /// Gain in dB at the far end of the way of a row that moves with the level; none for one that rests.
    pub far_end_db: fn(&Settings, usize) -> Option<f64>,
}

impl Tail {
    /// No tail.
    pub const NONE: Self = Self::Frames(0);

    /// This one after another, as in a row of units.
    #[must_use]
    pub fn then(self, other: Self) -> Self {
        match (self, other) {
            (Self::Frames(a), Self::Frames(b)) => Self::Frames(a + b),
            _ => Self::Endless,
        }
    }

    /// The longer of two, as where paths meet.
    #[must_use]
    pub fn longer(self, other: Self) -> Self {
        match (self, other) {
            (Self::Frames(a), Self::Frames(b)) => Self::Frames(a.max(b)),
            _ => Self::Endless,
        }
    }
}

impl UnitKind {
    /// Whether a running unit on `from` can go on under `to`: none of what takes a fresh unit
    /// differs, and it is as late as before. The number of rows counts where its list says so.
    #[must_use]
    pub fn carries_on(&self, from: &Settings, to: &Settings, rate: f64) -> bool {
        let mut renewing = self.tables.params.iter().filter(|p| p.change == Change::Renews);
        let mut lists = self.tables.lists.iter().zip(from.lists.iter().zip(&to.lists));
        renewing.all(|p| from.fixed.agrees(&to.fixed, p.id))
            && lists.all(|(list, (before, after))| !list.count_renews || before.len() == after.len())
            && (self.latency)(from, rate) == (self.latency)(to, rate)
    }

    /// Whether the change from one to the other has to be crossfaded by whoever runs the unit.
    #[must_use]
    pub fn steps(&self, from: &Settings, to: &Settings) -> bool {
        let differ = |params: &[Param], before: &Record, after: &Record| {
            params.iter().any(|p| p.change == Change::Steps && !before.agrees(after, p.id))
        };
        let mut rows = self.tables.lists.iter().zip(from.lists.iter().zip(&to.lists));
        differ(self.tables.params, &from.fixed, &to.fixed)
            || rows.any(|(list, (before, after))| {
                before.iter().zip(after).any(|(before, after)| differ(list.params, before, after))
            })
    }
}

/// A kind as whoever draws units reads it.
#[derive(Serialize)]
#[cfg_attr(feature = "types", derive(ts_rs::TS), ts(rename = "Kind"))]
pub struct Described {
    id: &'static str,
    name: &'static str,
    about: &'static str,
    picture: &'static str,
    params: &'static [Param],
    lists: &'static [Rows],
    reduces: bool,
    /// Whether it has a steady output level for a steady input level.
    transfers: bool,
    takes_key: bool,
}

impl Serialize for UnitKind {
    fn serialize<S: serde::Serializer>(&self, serializer: S) -> Result<S::Ok, S::Error> {
        let described = Described {
            id: self.id,
            name: self.name,
            about: self.about,
            picture: self.picture,
            params: self.tables.params,
            lists: self.tables.lists,
            reduces: self.reduces,
            transfers: self.transfer.is_some(),
            takes_key: self.takes_key,
        };
        described.serialize(serializer)
    }
}

impl core::fmt::Debug for UnitKind {
    fn fmt(&self, f: &mut core::fmt::Formatter<'_>) -> core::fmt::Result {
        write!(f, "UnitKind({})", self.id)
    }
}
