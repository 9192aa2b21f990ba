//! `graphic-eq`: ten gains an octave apart, and a curve that goes through them.
//!
//! Bells side by side lift each other's middle. The gains of the bells are found so that the
//! curve of all of them passes through the controls (as Välimäki & Liski, *Accurate Cascade
//! Graphic Equalizer*, IEEE SPL 2017, do in one step by a matrix): each bell is corrected by
//! what the sum misses at its centre, again and again.

use super::{Simple, tail};
use crate::filter::analog;
use crate::filter::equaliser::{self, Sections};
use crate::signal::decibel::power_to_db;
use crate::unit::eq::shared::{AMOUNT, AUTO_LEVEL, is_levelled};
use crate::unit::kind::UnitKind;
use crate::unit::param::{Param, Tables, decibels};
use crate::unit::settings::Settings;

const BANDS: usize = 10;
/// Centres of octave bands in Hz (IEC 61260), by their parameters.
const CENTRES: [(&str, f64); BANDS] = [
    ("gain_31_db", 31.5),
    ("gain_63_db", 63.0),
    ("gain_125_db", 125.0),
    ("gain_250_db", 250.0),
    ("gain_500_db", 500.0),
    ("gain_1k_db", 1000.0),
    ("gain_2k_db", 2000.0),
    ("gain_4k_db", 4000.0),
    ("gain_8k_db", 8000.0),
    ("gain_16k_db", 16_000.0),
];
/// Width of a bell: it has half its gain about half an octave from its centre.
const Q: f64 = 1.3;
/// Rounds of correction, and how much of what is missed each takes.
const ROUNDS: usize = 24;
const STEP: f64 = 0.6;

const fn gain(id: &'static str, label: &'static str, hint: &'static str) -> Param {
    Param::new(id, label, hint, decibels(-12.0, 12.0, 0.0))
}

const PARAMS: &[Param] = &[
    gain(CENTRES[0].0, "31 Hz", "Rumble, the lowest string of a five-string bass, the floor of an organ."),
    gain(CENTRES[1].0, "63 Hz", "Weight of kick and bass."),
    gain(CENTRES[2].0, "125 Hz", "Body of bass, warmth of low strings."),
    gain(CENTRES[3].0, "250 Hz", "Fullness, and where parts crowd each other."),
    gain(CENTRES[4].0, "500 Hz", "Wood and boxes."),
    gain(CENTRES[5].0, "1 kHz", "Voice of a guitar, honk of a horn."),
    gain(CENTRES[6].0, "2 kHz", "Attack of strings and hammers."),
    gain(CENTRES[7].0, "4 kHz", "Presence, edge, pick."),
    gain(CENTRES[8].0, "8 kHz", "Brightness, rosin, fret noise."),
    gain(CENTRES[9].0, "16 kHz", "Air."),
    AMOUNT,
    AUTO_LEVEL,
];

/// The catalogue entry.
pub const KIND: UnitKind = UnitKind {
    id: "graphic-eq",
    name: "Graphic EQ",
    about: "Ten gains an octave apart, for a quick picture of what a part needs.",
    picture: "faders",
    tables: Tables { params: PARAMS, lists: &[] },
    build: |settings, rate| Box::new(Simple::new(sections, settings, rate)),
    latency: |_, _| 0,
    tail: |settings, rate| tail(&sections(settings), settings, rate),
    response: |settings, rate, freqs| equaliser::response(&sections(settings), rate, freqs),
    linear: |settings| !is_levelled(settings),
    reduces: false,
    holds_level: false,
    transfer: None,
    takes_key: false,
    regions: None,
};

fn sections(settings: &Settings) -> Sections<BANDS> {
    let amount = settings.fixed.number(AMOUNT.id);
    let wanted = CENTRES.map(|(id, _)| amount * settings.fixed.number(id));
    let gains = bell_gains(&wanted);
    std::array::from_fn(|i| (gains[i] != 0.0).then(|| analog::bell(CENTRES[i].1, gains[i], Q)))
}

/// Gains of the bells in dB so that all together pass through `wanted`.
fn bell_gains(wanted: &[f64; BANDS]) -> [f64; BANDS] {
    let mut gains = *wanted;
    if gains.iter().all(|gain| *gain == 0.0) {
        return gains;
    }
    for _ in 0..ROUNDS {
        let bells: [_; BANDS] = std::array::from_fn(|i| analog::bell(CENTRES[i].1, gains[i], Q));
        let missed: [f64; BANDS] = std::array::from_fn(|i| {
            let power: f64 = bells.iter().map(|bell| bell.response(CENTRES[i].1).norm_sqr()).product();
            wanted[i] - power_to_db(power)
        });
        for (gain, missed) in gains.iter_mut().zip(missed) {
            *gain += STEP * missed;
        }
    }
    gains
}
