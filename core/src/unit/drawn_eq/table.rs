//! The parameters of the drawn EQ.

use crate::unit::catalogue::Rows;
use crate::unit::param::{Choice, Domain, PLACES, Param, Quantity, Taper, decibels, hertz, number};

/// Most points of all curves together: three curves at every semitone.
pub const MAX_POINTS: usize = 384;
/// Most protected ranges.
pub const MAX_RANGES: usize = 12;
/// Where an end cut is out of the way, low and high, in Hz.
pub const OPEN_HZ: [f64; 2] = [10.0, 20_000.0];

const GRIDS: &[Choice] = &[
    Choice { id: "octave", label: "octave" },
    Choice { id: "third", label: "third" },
    Choice { id: "sixth", label: "sixth" },
    Choice { id: "semitone", label: "semitone" },
];

const POINT: &[Param] = &[
    Param {
        id: "place",
        label: "on",
        hint: "The curve it belongs to: both sides, what they share, what differs, or one of them.",
        domain: Domain::Choice { options: PLACES, default: 0 },
    },
    Param { id: "freq_hz", label: "where", hint: "Where the curve is held.", domain: hertz(10.0, 22_000.0, 1000.0) },
    Param { id: "gain_db", label: "gain", hint: "How high the curve is held.", domain: decibels(-30.0, 30.0, 0.0) },
];

const RANGE: &[Param] = &[
    Param { id: "low_hz", label: "from", hint: "Where the range begins.", domain: hertz(10.0, 22_000.0, 60.0) },
    Param { id: "high_hz", label: "to", hint: "Where the range ends.", domain: hertz(10.0, 22_000.0, 120.0) },
];

/// The lists of the unit.
pub const LISTS: &[Rows] = &[
    Rows { id: "points", label: "point", params: POINT, max: MAX_POINTS },
    Rows { id: "protect", label: "protected range", params: RANGE, max: MAX_RANGES },
];

/// Parameters of the whole unit.
pub const PARAMS: &[Param] = &[
    Param {
        id: "grid",
        label: "grid",
        hint: "How far apart the curve can be held: wide for tone, semitones for single notes.",
        domain: Domain::Choice { options: GRIDS, default: 1 },
    },
    Param {
        id: "contour",
        label: "contour",
        hint: "From one very smooth bow to nearly a step between points.",
        domain: number(0.0, 1.0, 0.5, 0.05, Taper::Linear, Quantity::Percent),
    },
    Param {
        id: "strength",
        label: "strength",
        hint: "How much of the curve is applied; below 0 it is turned over.",
        domain: number(-2.0, 2.0, 1.0, 0.05, Taper::Linear, Quantity::Percent),
    },
    Param {
        id: "protect_only",
        label: "only inside",
        hint: "Turns protection round: the curve acts inside the ranges and nowhere else.",
        domain: Domain::Switch { default: false },
    },
    Param {
        id: "low_end_hz",
        label: "low end",
        hint: "Takes away smoothly what lies below; out of the way at 10 Hz.",
        domain: hertz(OPEN_HZ[0], 1000.0, OPEN_HZ[0]),
    },
    Param {
        id: "high_end_hz",
        label: "high end",
        hint: "Takes away smoothly what lies above; out of the way at 20 kHz.",
        domain: hertz(1000.0, OPEN_HZ[1], OPEN_HZ[1]),
    },
    Param {
        id: "auto_level",
        label: "auto level",
        hint: "Gives back the loudness the curve takes or adds, so that the ear judges tone and not level.",
        domain: Domain::Switch { default: false },
    },
];
