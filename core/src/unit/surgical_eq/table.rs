//! The parameters of the surgical EQ.

use crate::unit::param::{Choice, Domain, PLACES, Param, Quantity, Taper, decibels, hertz, number};

/// Most bands.
pub const MAX_BANDS: usize = 24;

const SHAPES: &[Choice] = &[
    Choice { id: "high-pass", label: "high-pass" },
    Choice { id: "low-shelf", label: "low shelf" },
    Choice { id: "bell", label: "bell" },
    Choice { id: "notch", label: "notch" },
    Choice { id: "high-shelf", label: "high shelf" },
    Choice { id: "low-pass", label: "low-pass" },
    Choice { id: "band-pass", label: "band-pass" },
    Choice { id: "tilt", label: "tilt" },
];

const SLOPES: &[Choice] = &[
    Choice { id: "6", label: "6" },
    Choice { id: "12", label: "12" },
    Choice { id: "18", label: "18" },
    Choice { id: "24", label: "24" },
    Choice { id: "36", label: "36" },
    Choice { id: "48", label: "48" },
    Choice { id: "72", label: "72" },
    Choice { id: "96", label: "96" },
    Choice { id: "steepest", label: "steepest" },
];

const PHASES: &[Choice] = &[Choice { id: "minimum", label: "minimum" }, Choice { id: "linear", label: "linear" }];

const DRIVES: &[Choice] = &[Choice { id: "self", label: "its region" }, Choice { id: "key", label: "the key" }];

pub const BAND: &[Param] = &[
    Param {
        id: "on",
        label: "on",
        hint: "Switch the band off to hear what it was doing.",
        domain: Domain::Switch { default: true },
    },
    Param {
        id: "shape",
        label: "shape",
        hint: "High-pass and cuts come first, lifts last.",
        domain: Domain::Choice { options: SHAPES, default: 2 },
    },
    Param {
        id: "freq_hz",
        label: "where",
        hint: "Listen for the place where the fault is strongest.",
        domain: hertz(10.0, 20_000.0, 1000.0),
    },
    Param {
        id: "gain_db",
        label: "gain",
        hint: "Cut until the fault no longer draws the ear, then give a little back.",
        domain: decibels(-30.0, 30.0, 0.0),
    },
    Param {
        id: "q",
        label: "Q",
        hint: "Narrow for a ring, wide for tone. Shapes bells, notches and 12 dB/oct shelves.",
        domain: number(0.1, 100.0, 1.0, 0.01, Taper::Log, Quantity::Q),
    },
    Param {
        id: "slope_db_oct",
        label: "slope, dB/oct",
        hint: "Gentle makes room in a dense mix; steep removes rumble and leaves the instrument whole.",
        domain: Domain::Choice { options: SLOPES, default: 1 },
    },
    Param {
        id: "place",
        label: "on",
        hint: "Both sides, what they share, what differs, or one of them.",
        domain: Domain::Choice { options: PLACES, default: 0 },
    },
    Param {
        id: "dynamic.on",
        label: "dynamic",
        hint: "Act only while the region is loud, and leave the rest of the song alone.",
        domain: Domain::Switch { default: false },
    },
    Param {
        id: "dynamic.threshold_db",
        label: "above",
        hint: "Level of the band's own region from which the gain moves.",
        domain: decibels(-80.0, 0.0, -30.0),
    },
    Param {
        id: "dynamic.ratio",
        label: "ratio",
        hint: "Above 1 the gain moves toward less, below 1 toward more.",
        domain: number(0.1, 100.0, 2.0, 0.01, Taper::Log, Quantity::Ratio),
    },
    Param {
        id: "dynamic.range_db",
        label: "at most",
        hint: "The gain never moves further than this.",
        domain: number(0.0, 30.0, 6.0, 0.5, Taper::Linear, Quantity::Decibels),
    },
    Param {
        id: "dynamic.attack_ms",
        label: "attack",
        hint: "Fast catches the stroke, slow lets it through.",
        domain: number(0.0, 300.0, 10.0, 0.01, Taper::Cubic, Quantity::Milliseconds),
    },
    Param {
        id: "dynamic.release_ms",
        label: "release",
        hint: "How long it takes to come back.",
        domain: number(1.0, 4000.0, 120.0, 0.01, Taper::Log, Quantity::Milliseconds),
    },
    Param {
        id: "dynamic.key",
        label: "driven by",
        hint: "The band's own region, or the same region of the unit's key.",
        domain: Domain::Choice { options: DRIVES, default: 0 },
    },
];

/// Parameters of the whole unit.
pub const PARAMS: &[Param] = &[
    Param {
        id: "amount",
        label: "amount",
        hint: "Scales every gain; below 0 the curve is turned over, for the partner of a doubled part.",
        domain: number(-2.0, 2.0, 1.0, 0.05, Taper::Linear, Quantity::Percent),
    },
    Param {
        id: "phase",
        label: "phase",
        hint: "Minimum is immediate and natural; linear keeps two recordings of one sound in step, a fifth of a second late. Bands that move stay minimum.",
        domain: Domain::Choice { options: PHASES, default: 0 },
    },
    Param {
        id: "auto_level",
        label: "auto level",
        hint: "Gives back the loudness the curve takes or adds, so that the ear judges tone and not level.",
        domain: Domain::Switch { default: false },
    },
];
