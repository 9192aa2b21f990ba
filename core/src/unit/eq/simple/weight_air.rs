//! `weight-air`: two moves, each with what an engineer does beside it.
//!
//! *Weight* lifts the lows and takes a third as much out above them, where lifted lows turn to
//! mud; *air* is the widest of shelves from above where sibilance lies.

use std::f64::consts::FRAC_1_SQRT_2;

use super::{Simple, tail};
use crate::filter::analog::{self, Side};
use crate::filter::equaliser::{self, Sections};
use crate::unit::eq::shared::{AUTO_LEVEL, is_levelled};
use crate::unit::kind::UnitKind;
use crate::unit::param::{Param, Tables, decibels};
use crate::unit::settings::Settings;

/// Weight: a shelf up to here, in Hz, chosen to hold the fundamentals of bass and kick.
const WEIGHT_HZ: f64 = 85.0;
/// What is taken out beside it: where, how wide, and how much of the lift.
const MUD_HZ: f64 = 270.0;
const MUD_Q: f64 = 0.8;
const MUD_SHARE: f64 = -1.0 / 3.0;
/// Air: half its gain here, in Hz.
const AIR_HZ: f64 = 11_000.0;

const PARAMS: &[Param] = &[
    Param::new(
        "weight_db",
        "weight",
        "More below 85 Hz and a third as much less about 270 Hz; to the left lighter.",
        decibels(-9.0, 9.0, 0.0),
    ),
    Param::new("air_db", "air", "A wide shelf above the sibilants; to the left softer.", decibels(-9.0, 9.0, 0.0)),
    AUTO_LEVEL,
];

/// The catalogue entry.
pub const KIND: UnitKind = UnitKind {
    id: "weight-air",
    name: "Weight and air",
    about: "Two moves that most parts ask for: more or less at the bottom, more or less at the top.",
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

fn sections(settings: &Settings) -> Sections<3> {
    let (weight, air) = (settings.fixed.number("weight_db"), settings.fixed.number("air_db"));
    let weighs = weight != 0.0;
    [
        analog::shelf(Side::Low, WEIGHT_HZ, weight, FRAC_1_SQRT_2, 2).next().filter(|_| weighs),
        weighs.then(|| analog::bell(MUD_HZ, MUD_SHARE * weight, MUD_Q)),
        analog::shelf(Side::High, AIR_HZ, air, FRAC_1_SQRT_2, 1).next().filter(|_| air != 0.0),
    ]
}
