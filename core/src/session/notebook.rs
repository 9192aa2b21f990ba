//! What an engineer keeps while listening and working: who is heard with whom, candidates
//! of racks, named sets of units, which steps are done. None of it changes the sound, and
//! none of it is a step of undo.

use std::collections::BTreeMap;

use serde::{Deserialize, Serialize};
use serde_json::Value as Json;

use crate::rack::{MAX_NAME, RackError, RackSpec};

/// Candidates of one rack that can be kept side by side.
pub const CANDIDATES: usize = 3;
/// Most named sets, members of a set, and steps; guards far above any use.
const MOST: usize = 500;

/// Frequencies closer than this share are the same ring.
const SAME_RING: f64 = 0.015;

/// A rack that might be used, and how often it was chosen blind.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "types", derive(ts_rs::TS))]
pub struct Candidate {
    /// The rack file.
    #[cfg_attr(feature = "types", ts(type = "Rack"))]
    pub rack: Json,
    /// Times it was called the best.
    pub votes: u32,
}

/// A unit of a strip.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "types", derive(ts_rs::TS))]
pub struct UnitRef {
    /// Which strip.
    pub strip: u32,
    /// Which unit of it.
    pub unit: u32,
}

/// Units across tracks that are judged together, such as all that tame the lows.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "types", derive(ts_rs::TS))]
pub struct UnitSet {
    /// Name on the page.
    pub name: String,
    /// Its units.
    pub units: Vec<UnitRef>,
}

/// One thing written into the notebook.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
#[serde(tag = "entry", rename_all = "kebab-case")]
#[cfg_attr(feature = "types", derive(ts_rs::TS), ts(rename = "NotebookEntry"))]
pub enum Entry {
    /// The strips heard along with one on its Bench.
    Partners {
        /// Which strip.
        strip: u32,
        /// Those heard with it.
        with: Vec<u32>,
    },
    /// The candidates of a strip's rack.
    Candidates {
        /// Which strip.
        strip: u32,
        /// Up to [`CANDIDATES`] places, empty ones included.
        slots: Vec<Option<Candidate>>,
    },
    /// All named sets of units.
    UnitSets {
        /// The sets.
        sets: Vec<UnitSet>,
    },
    /// Frequencies of a strip that sound like rings and are none.
    NotRings {
        /// Which strip.
        strip: u32,
        /// In Hz.
        hz: Vec<f64>,
    },
    /// The steps of the order of work that are done.
    Done {
        /// Their numbers, 0 first.
        steps: Vec<u32>,
    },
}

/// Why something was not written down. What was there before was kept.
#[derive(Debug)]
pub enum NotebookError {
    /// More than fits.
    TooMuch,
    /// A set without a name, with a name too long, or with one already taken.
    BadName,
    /// A candidate that is no rack.
    Rack(RackError),
}

impl core::fmt::Display for NotebookError {
    fn fmt(&self, f: &mut core::fmt::Formatter<'_>) -> core::fmt::Result {
        match self {
            Self::TooMuch => f.write_str("that is more than can be kept; what was kept before is still there"),
            Self::BadName => {
                write!(f, "a set needs a name of its own of 1 to {MAX_NAME} characters; the old sets were kept")
            }
            Self::Rack(e) => e.fmt(f),
        }
    }
}

impl std::error::Error for NotebookError {}

/// Everything kept.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize)]
#[serde(default)]
#[cfg_attr(feature = "types", derive(ts_rs::TS))]
pub struct Notebook {
    /// Strips heard along with a strip on its Bench.
    pub partners: BTreeMap<u32, Vec<u32>>,
    /// Candidates of a strip's rack.
    pub candidates: BTreeMap<u32, Vec<Option<Candidate>>>,
    /// Frequencies in Hz of a strip that sound like rings and are none.
    pub not_rings: BTreeMap<u32, Vec<f64>>,
    /// Named sets of units.
    pub unit_sets: Vec<UnitSet>,
    /// Steps of the order of work that are done.
    pub done: Vec<u32>,
}

impl Notebook {
    /// Writes an entry down and returns the one that was there.
    ///
    /// # Errors
    /// See [`NotebookError`]; the notebook is then unchanged.
    pub fn write(&mut self, entry: &Entry) -> Result<Entry, NotebookError> {
        check(entry)?;
        Ok(match entry.clone() {
            Entry::Partners { strip, with } => {
                Entry::Partners { strip, with: exchange(&mut self.partners, strip, with, Vec::is_empty) }
            }
            Entry::Candidates { strip, slots } => {
                let blank = |slots: &Vec<Option<Candidate>>| slots.iter().all(Option::is_none);
                Entry::Candidates { strip, slots: exchange(&mut self.candidates, strip, slots, blank) }
            }
            Entry::NotRings { strip, hz } => {
                Entry::NotRings { strip, hz: exchange(&mut self.not_rings, strip, hz, Vec::is_empty) }
            }
            Entry::UnitSets { sets } => Entry::UnitSets { sets: std::mem::replace(&mut self.unit_sets, sets) },
            Entry::Done { steps } => Entry::Done { steps: std::mem::replace(&mut self.done, steps) },
        })
    }

    /// Whether something of a strip at `hz` may be called a ring: nobody has said that it is
    /// none.
    #[must_use]
    pub fn is_ring(&self, strip: u32, hz: f64) -> bool {
        let none = self.not_rings.get(&strip);
        !none.is_some_and(|none| none.iter().any(|said| (said / hz - 1.0).abs() < SAME_RING))
    }
}

/// Puts a value in the place of a strip, or nothing if it is blank; returns what was there.
fn exchange<T: Default>(map: &mut BTreeMap<u32, T>, strip: u32, value: T, blank: impl Fn(&T) -> bool) -> T {
    let old = if blank(&value) { map.remove(&strip) } else { map.insert(strip, value) };
    old.unwrap_or_default()
}

fn check(entry: &Entry) -> Result<(), NotebookError> {
    let fits = |count: usize, most: usize| if count <= most { Ok(()) } else { Err(NotebookError::TooMuch) };
    match entry {
        Entry::Partners { with, .. } => fits(with.len(), MOST),
        Entry::NotRings { hz, .. } => fits(hz.len(), MOST),
        Entry::Done { steps } => fits(steps.len(), MOST),
        Entry::Candidates { slots, .. } => {
            fits(slots.len(), CANDIDATES)?;
            let mut racks = slots.iter().flatten();
            racks.try_for_each(|c| RackSpec::of_any_version(&c.rack).map(drop).map_err(NotebookError::Rack))
        }
        Entry::UnitSets { sets } => {
            fits(sets.len() + sets.iter().map(|s| s.units.len()).sum::<usize>(), MOST)?;
            let named = |s: &UnitSet| !s.name.trim().is_empty() && s.name.chars().count() <= MAX_NAME;
            let twice = sets.iter().enumerate().any(|(i, s)| sets[..i].iter().any(|t| t.name == s.name));
            if twice || !sets.iter().all(named) { Err(NotebookError::BadName) } else { Ok(()) }
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use serde_json::json;

    #[test]
    fn an_entry_is_taken_back_by_the_one_it_replaced() {
        let mut notebook = Notebook::default();
        let rack = json!({"zinc_rack": 1, "units": [{"kind": "compressor"}]});
        let entries = [
            Entry::Partners { strip: 4, with: vec![5, 6] },
            Entry::Partners { strip: 4, with: vec![7] },
            Entry::Candidates { strip: 4, slots: vec![None, Some(Candidate { rack, votes: 2 }), None] },
            Entry::UnitSets { sets: vec![UnitSet { name: "lows".into(), units: vec![UnitRef { strip: 4, unit: 9 }] }] },
            Entry::NotRings { strip: 4, hz: vec![441.5] },
            Entry::Done { steps: vec![0, 3] },
        ];
        let mut states = vec![notebook.clone()];
        let old: Vec<Entry> =
            entries.iter().map(|e| (notebook.write(e).unwrap(), states.push(notebook.clone())).0).collect();
        assert_eq!(notebook.partners[&4], [7]);
        let text = serde_json::to_string(&notebook).unwrap();
        assert_eq!(serde_json::from_str::<Notebook>(&text).unwrap(), notebook);
        for (entry, state) in old.iter().zip(&states).rev() {
            notebook.write(entry).unwrap();
            assert_eq!(&notebook, state);
        }
        assert_eq!(notebook, Notebook::default());
    }

    #[test]
    fn what_was_said_to_be_no_ring_is_none_on_that_strip_and_near_that_frequency_alone() {
        let mut notebook = Notebook::default();
        notebook.write(&Entry::NotRings { strip: 4, hz: vec![441.5, 90.0] }).unwrap();
        assert!(!notebook.is_ring(4, 441.5) && !notebook.is_ring(4, 445.0) && !notebook.is_ring(4, 90.5));
        assert!(notebook.is_ring(4, 452.0) && notebook.is_ring(5, 441.5));
    }

    #[test]
    fn what_cannot_be_kept_is_refused_and_the_old_stays() {
        let set = |name: &str| UnitSet { name: name.into(), units: Vec::new() };
        let mut notebook = Notebook::default();
        notebook.write(&Entry::UnitSets { sets: vec![set("lows")] }).unwrap();
        let before = notebook.clone();
        let candidate = |rack| Some(Candidate { rack, votes: 0 });
        for entry in [
            Entry::UnitSets { sets: vec![set("lows"), set("lows")] },
            Entry::UnitSets { sets: vec![set("  ")] },
            Entry::Candidates { strip: 1, slots: vec![None; 4] },
            Entry::Candidates { strip: 1, slots: vec![candidate(json!({"units": 3}))] },
            Entry::Done { steps: vec![0; 501] },
        ] {
            assert!(notebook.write(&entry).is_err(), "{entry:?}");
            assert_eq!(notebook, before);
        }
    }
}
