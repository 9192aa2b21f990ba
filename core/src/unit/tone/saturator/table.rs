//! Parameters of `saturator`.

use crate::unit::param::{Choice, Domain, Param, Quantity, Rows, Taper, decibels, hertz, number};
use crate::unit::tone::hold::HOLD_LEVEL;

/// Most bands above the lowest.
pub const MAX_UPPER: usize = 3;

pub const CHARACTERS: &[Choice] = &[
    Choice { id: "tape", label: "tape" },
    Choice { id: "tube", label: "tube" },
    Choice { id: "transformer", label: "transformer" },
    Choice { id: "diode", label: "diode" },
    Choice { id: "fold", label: "fold" },
];

const CHARACTER: Param = Param::new(
    "character",
    "character",
    "Tape: highs round first. Tube: warm, one side before the other. Transformer: lows first. Diode: an edge. Fold: turns back.",
    Domain::Choice { options: CHARACTERS, default: 0 },
);

const DRIVE: Param = Param::new(
    "drive_db",
    "drive",
    "How far into the bend it is pushed: overtones come up and peaks go down.",
    decibels(0.0, 36.0, 6.0),
);

const BIAS: Param = Param::new(
    "bias",
    "bias",
    "Leans the wave to one side: even overtones, an octave and its like, beside the odd ones.",
    number(-1.0, 1.0, 0.0, 0.05, Taper::Linear, Quantity::Percent),
);

const BLEND: Param = Param::new(
    "blend",
    "wet",
    "How much of the band is saturated; the rest stays as it came.",
    number(0.0, 1.0, 1.0, 0.05, Taper::Linear, Quantity::Percent),
);

/// Of the lowest band, which is the only one in a fresh unit, and of the whole.
pub const PARAMS: &[Param] = &[CHARACTER, DRIVE, BIAS, BLEND, HOLD_LEVEL];

const FROM: Param = Param::new(
    "from_hz",
    "from",
    "Where the band begins; it ends where the next one does.",
    hertz(60.0, 12_000.0, 2500.0),
);

/// Bands above it.
pub const LISTS: &[Rows] = &[Rows {
    id: "bands",
    label: "band",
    params: &[FROM, CHARACTER, DRIVE, BIAS, BLEND],
    max: MAX_UPPER,
    count_renews: true,
}];
