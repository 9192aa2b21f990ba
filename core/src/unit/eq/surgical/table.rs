//! The parameters of the surgical EQ.

use crate::unit::eq::shared::{AMOUNT, AUTO_LEVEL};
use crate::unit::param::{
    ATTACK_MS, Choice, Domain, PLACES, Param, Quantity, RELEASE_MS, Rests, Taper, decibels, hertz, number,
};

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

/// Shapes that only take away have no gain, and nothing of it moves.
const WITHOUT_GAIN: Rests = Rests::At("shape", &["high-pass", "low-pass", "notch", "band-pass"]);
/// What a band moves by rests while it does not.
const AT_REST: &[Rests] = &[WITHOUT_GAIN, Rests::At("dynamic.on", &["off"])];

pub const BAND: &[Param] = &[
    Param::new("on", "on", "Switch the band off to hear what it was doing.", Domain::Switch { default: true }).glides(),
    Param::new(
        "shape",
        "shape",
        "High-pass and cuts come first, lifts last.",
        Domain::Choice { options: SHAPES, default: 2 },
    )
    .glides_by_hand(),
    Param::new("freq_hz", "frequency", "Listen for where the fault is strongest.", hertz(10.0, 20_000.0, 1000.0))
        .within("region"),
    Param::new(
        "gain_db",
        "gain",
        "Cut until the fault no longer draws the ear, then give a little back.",
        decibels(-30.0, 30.0, 0.0),
    )
    .within("region")
    .rests(&[WITHOUT_GAIN]),
    Param::new(
        "q",
        "Q",
        "Narrow for a ring, wide for tone. Shapes bells, notches and 12 dB/oct shelves.",
        number(0.1, 100.0, 1.0, 0.01, Taper::Log, Quantity::Q),
    )
    .within("region")
    .rests(&[
        Rests::At("shape", &["high-pass", "low-pass", "tilt"]),
        Rests::Both(&Rests::At("shape", &["low-shelf", "high-shelf"]), &Rests::Unless("slope_db_oct", &["12"])),
    ]),
    Param::new(
        "slope_db_oct",
        "slope, dB/oct",
        "Gentle makes room in a dense mix; steep removes rumble and leaves the instrument whole.",
        Domain::Choice { options: SLOPES, default: 1 },
    )
    .glides_by_hand()
    .rests(&[Rests::At("shape", &["bell", "notch", "band-pass", "tilt"])]),
    Param::new(
        "place",
        "channels",
        "Both sides, what they share, what differs, or one of them.",
        Domain::Choice { options: PLACES, default: 0 },
    )
    .glides_by_hand(),
    Param::new(
        "dynamic.on",
        "dynamic",
        "Act only while the region is loud, and leave the rest of the song alone.",
        Domain::Switch { default: false },
    )
    .glides()
    .rests(&[WITHOUT_GAIN]),
    Param::new(
        "dynamic.threshold_db",
        "threshold",
        "Level of the band's own region from which the gain moves.",
        decibels(-80.0, 0.0, -30.0),
    )
    .rests(AT_REST),
    Param::new(
        "dynamic.ratio",
        "ratio",
        "Above 1 the gain moves toward less, below 1 toward more.",
        number(0.1, 100.0, 2.0, 0.01, Taper::Log, Quantity::Ratio),
    )
    .rests(AT_REST),
    Param::new(
        "dynamic.range_db",
        "max change",
        "The gain never moves further than this.",
        number(0.0, 30.0, 6.0, 0.5, Taper::Linear, Quantity::Decibels),
    )
    .rests(AT_REST),
    Param::new("dynamic.attack_ms", "attack", "Fast catches the stroke, slow lets it through.", ATTACK_MS)
        .within("timing")
        .rests(AT_REST),
    Param::new("dynamic.release_ms", "release", "How long it takes to come back.", RELEASE_MS)
        .within("timing")
        .rests(AT_REST),
    Param::new(
        "dynamic.key",
        "driven by",
        "The band's own region, or the same region of the unit's key.",
        Domain::Choice { options: DRIVES, default: 0 },
    )
    .rests(AT_REST),
];

/// Parameters of the whole unit.
pub const PARAMS: &[Param] = &[
    AMOUNT,
    Param::new(
        "phase",
        "phase",
        "Minimum is immediate and natural; linear keeps two recordings of one sound in step, a fifth \
         of a second late. Bands that move stay minimum.",
        Domain::Choice { options: PHASES, default: 0 },
    )
    .renews(),
    AUTO_LEVEL,
];
