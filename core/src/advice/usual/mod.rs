//! A recorded part against what parts of its kind usually measure.
//!
//! Players, pick-ups, rooms and registers differ: two recordings of one kind of instrument differ by as much as a broad
//! fault does, so that a spectrum alone tells no fault from a character. What can be told is where a part lies furthest
//! outside the usual, by how much, and how far parts of its kind stray there; the ear decides. Level is taken out (the
//! mean of what both have), and so is register: only what lies over its lowest notes counts. Octaves are held against
//! those on both sides of them, because what differs from end to end is how it was played; all of that is the highs'
//! one figure.
//!
//! The usual ([`table`]) was measured on two collections of sampled instruments.

pub mod table;

use core::f64::consts::LN_10;

use serde::Serialize;

use self::table::{USUAL, Usual};
use super::first::FirstMove;
use crate::measure::raw::Raw;
use crate::measure::third_octave::{BANDS, centre_hz};
use crate::rack::proposed::unit_of_rows;
use crate::session::Part;
use crate::signal::decibel::power_to_db;
use crate::signal::math::{log, pow};
use crate::unit::Param;
use crate::unit::Quantity;
use crate::unit::eq::surgical::KIND as SURGICAL;
use crate::unit::proposed::values;
use crate::unit::text::format as written;

/// The parameters of a band.
const BAND: &[Param] = SURGICAL.tables.lists[0].params;

/// Thirds of an octave on either side that an octave is held against.
const BESIDE: [usize; 3] = [4, 5, 6];
/// What counts begins so far over the lowest note and ends there, in Hz.
const OVER_LOWEST: f64 = 2.0;
const HIGHEST_HZ: f64 = 6500.0;
/// And is no further under the strongest octave, in dB.
const HEARD_DB: f64 = 40.0;
/// Between which frequencies the highs lie, and what they are held against.
const HIGHS_HZ: [f64; 2] = [2400.0, 8500.0];
const MIDDLE_HZ: [f64; 2] = [240.0, 1700.0];
/// dB beyond what its kind strays by from which a departure is told.
const TOLD_DB: f64 = 2.0;
/// Departures that are told, and thirds by which they are apart.
const MOST: usize = 2;
const APART: usize = 3;
/// Share of a departure that a move takes back, the most in dB, and the widths of a bell and a shelf.
const SHARE: f64 = 0.5;
const MOST_DB: f64 = 6.0;
const BELL_Q: f64 = 1.4;
const SHELF_Q: f64 = 0.7;
/// Guitars are held against clean ones: an amplifier squashes them to less than this crest in dB.
const CLEAN_CREST_DB: f64 = 13.0;

/// What is usual of a part, at its level, and where it lies outside.
#[derive(Clone, Debug, Serialize)]
#[cfg_attr(feature = "types", derive(ts_rs::TS))]
pub struct AgainstUsual {
    /// What it is held against, in words.
    pub kind: &'static str,
    /// By third of an octave from 20 Hz, lowest and highest usual level in dBFS; none where nothing is said.
    pub range_dbfs: Vec<Option<[f64; 2]>>,
    /// Where it lies furthest outside, furthest first, each with the broad move that goes halfway back.
    pub departures: Vec<FirstMove>,
}

/// A part against the usual of its kind; none of kinds that differ too much among themselves, of a guitar that was
/// amplified, and of what does not sound.
#[must_use]
pub fn against_usual(raw: &Raw, part: Part) -> Option<AgainstUsual> {
    let usual = USUAL.iter().find(|usual| usual.parts.contains(&part))?;
    let is_guitar = usual.parts.contains(&Part::RhythmGuitar);
    let floor = raw.floor.as_ref().filter(|_| !is_guitar || raw.point.crest_db >= CLEAN_CREST_DB)?;
    let levels = &raw.point.third_octave;
    let bands = counted(levels, OVER_LOWEST * floor.begins_hz);
    let offset = mean(bands.iter().map(|band| levels[*band] - usual.levels_db[*band]))?;
    let range = |band: usize| {
        let middle = usual.levels_db[band] + offset;
        bands.contains(&band).then(|| [middle - usual.strays_db[band], middle + usual.strays_db[band]])
    };
    Some(AgainstUsual {
        kind: usual.kind,
        range_dbfs: (0..BANDS).map(range).collect(),
        departures: departures(levels, usual, &bands).iter().map(|departure| departure.told(usual.kind)).collect(),
    })
}

/// Thirds that count: over the lowest notes and not far under the strongest.
fn counted(levels: &[f64; BANDS], from_hz: f64) -> Vec<usize> {
    let strongest = (1..BANDS - 1).map(|band| octave_db(levels, band)).fold(f64::MIN, f64::max);
    (BESIDE[2]..BANDS - BESIDE[2])
        .filter(|band| (from_hz..HIGHEST_HZ).contains(&centre_hz(*band)))
        .filter(|band| octave_db(levels, *band) > strongest - HEARD_DB)
        .collect()
}

/// Level in dB of the octave about a third.
fn octave_db(levels: &[f64; BANDS], band: usize) -> f64 {
    power_to_db(levels[band - 1..=band + 1].iter().map(|db| pow(10.0, db / 10.0)).sum::<f64>() + 1e-30)
}

/// dB by which the octave about a third stands out of those on both sides of it.
#[must_use]
pub fn stands_out_db(levels: &[f64; BANDS], band: usize) -> f64 {
    let beside = |at: fn(usize, usize) -> usize| BESIDE.map(|far| octave_db(levels, at(band, far).clamp(1, BANDS - 2)));
    let mean = |octaves: [f64; 3]| octaves.iter().sum::<f64>() / 3.0;
    octave_db(levels, band) - 0.5 * (mean(beside(|band, far| band.saturating_sub(far))) + mean(beside(|a, b| a + b)))
}

/// Level in dB of the highs against the middle.
#[must_use]
pub fn highs_db(levels: &[f64; BANDS]) -> f64 {
    let of = |[from, to]: [f64; 2]| {
        let within = (0..BANDS).filter(|band| (from..to).contains(&centre_hz(*band)));
        mean(within.map(|band| levels[band])).unwrap_or(0.0)
    };
    of(HIGHS_HZ) - of(MIDDLE_HZ)
}

fn mean(values: impl Iterator<Item = f64>) -> Option<f64> {
    let (count, sum) = values.fold((0, 0.0), |(count, sum), value| (count + 1, sum + value));
    (count > 0).then(|| sum / f64::from(count))
}

/// One place outside the usual.
struct Departure {
    hz: f64,
    /// dB over the usual there.
    over_db: f64,
    /// dB by which parts of the kind stray there.
    strays_db: f64,
    /// All the highs.
    shelf: bool,
}

impl Departure {
    fn beyond_db(&self) -> f64 {
        self.over_db.abs() - self.strays_db
    }

    /// In words, with the move that takes half of it back.
    fn told(&self, kind: &str) -> FirstMove {
        let Self { over_db, strays_db, shelf, .. } = *self;
        let hz = to_two_figures(self.hz);
        let named = written(Quantity::Hertz, hz);
        let place = if shelf { format!("above {named}") } else { format!("about {named}") };
        let much = if over_db > 0.0 { "more" } else { "less" };
        let says = format!(
            "{:.0} dB {much} {place} than {kind} usually have, which differ by {strays_db:.0} dB among themselves.",
            over_db.abs()
        );
        let gain_db = (10.0 * (-SHARE * over_db).clamp(-MOST_DB, MOST_DB)).round() / 10.0;
        let (shape, q) = if shelf { ("high-shelf", SHELF_Q) } else { ("bell", BELL_Q) };
        let does = if gain_db < 0.0 { "cut" } else { "lift" };
        let band = values!(BAND, {"shape": shape, "freq_hz": hz, "gain_db": gain_db, "q": q});
        let unit = unit_of_rows(&SURGICAL, &[band]);
        FirstMove::new(says, format!("a broad {does} of {:.1} dB at {named}", gain_db.abs()), unit)
    }
}

/// A frequency as one says it: no more is known of a place that is an octave wide.
fn to_two_figures(hz: f64) -> f64 {
    let unit = pow(10.0, (log(hz) / LN_10).floor() - 1.0);
    (hz / unit).round() * unit
}

/// Where a part lies furthest outside, furthest first.
fn departures(levels: &[f64; BANDS], usual: &Usual, bands: &[usize]) -> Vec<Departure> {
    let bell = |band: &usize| Departure {
        hz: centre_hz(*band),
        over_db: stands_out_db(levels, *band) - stands_out_db(&usual.levels_db, *band),
        strays_db: usual.stands_out_strays_db[*band],
        shelf: false,
    };
    let highs = Departure {
        hz: HIGHS_HZ[0],
        over_db: highs_db(levels) - highs_db(&usual.levels_db),
        strays_db: usual.highs_stray_db,
        shelf: true,
    };
    // Of highs that hardly sound there is nothing to say.
    let has_highs = bands.iter().any(|band| centre_hz(*band) >= HIGHS_HZ[0]);
    let mut all: Vec<Departure> = bands.iter().map(bell).chain(has_highs.then_some(highs)).collect();
    all.retain(|departure| departure.beyond_db() >= TOLD_DB);
    all.sort_by(|a, b| b.beyond_db().total_cmp(&a.beyond_db()));
    let ratio = pow(10.0, APART as f64 / 10.0) * 0.99;
    let mut told: Vec<Departure> = Vec::new();
    for departure in all {
        let apart = |other: &Departure| (departure.hz / other.hz).max(other.hz / departure.hz) >= ratio;
        if told.len() < MOST && told.iter().all(apart) {
            told.push(departure);
        }
    }
    told
}
