//! The parameters of the drawn EQ.

use crate::unit::eq::shared::{AUTO_LEVEL, SCALE};
use crate::unit::param::{Choice, Domain, PLACES, Param, Quantity, Rows, Taper, decibels, hertz, number};

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
    Param::new(
        "place",
        "channels",
        "The curve it belongs to: both sides, what they share, what differs, or one of them.",
        Domain::Choice { options: PLACES, default: 0 },
    )
    .glides(),
    Param::new("freq_hz", "frequency", "Where the curve is held.", hertz(10.0, 22_000.0, 1000.0)),
    Param::new("gain_db", "gain", "How high the curve is held.", decibels(-30.0, 30.0, 0.0)),
];

const RANGE: &[Param] = &[
    Param::new("low_hz", "from", "Where the range begins.", hertz(10.0, 22_000.0, 60.0)),
    Param::new("high_hz", "to", "Where the range ends.", hertz(10.0, 22_000.0, 120.0)),
];

/// The lists of the unit.
pub const LISTS: &[Rows] = &[
    Rows { id: "points", label: "point", params: POINT, max: MAX_POINTS, count_renews: false },
    Rows { id: "protect", label: "protected range", params: RANGE, max: MAX_RANGES, count_renews: false },
];

/// Parameters of the whole unit.
pub const PARAMS: &[Param] = &[
    Param::new(
        "grid",
        "grid",
        "How far apart the curve can be held: wide for tone, semitones for single notes.",
        Domain::Choice { options: GRIDS, default: 1 },
    )
    .glides(),
    Param::new(
        "contour",
        "contour",
        "From one very smooth bow to nearly a step between points.",
        number(0.0, 1.0, 0.5, 0.05, Taper::Linear, Quantity::Percent),
    ),
    Param::new("strength", "strength", "How much of the curve is applied; below 0 it is inverted.", SCALE),
    Param::new(
        "protect_only",
        "only inside",
        "Turns protection round: the curve acts inside the ranges and nowhere else.",
        Domain::Switch { default: false },
    )
    .glides(),
    Param::new(
        "low_end_hz",
        "low end",
        "Takes away smoothly what lies below; out of the way at 10 Hz.",
        hertz(OPEN_HZ[0], 1000.0, OPEN_HZ[0]),
    ),
    Param::new(
        "high_end_hz",
        "high end",
        "Takes away smoothly what lies above; out of the way at 20 kHz.",
        hertz(1000.0, OPEN_HZ[1], OPEN_HZ[1]),
    ),
    AUTO_LEVEL,
];
