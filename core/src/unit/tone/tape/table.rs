//! Parameters of `tape`.

use crate::unit::param::{Choice, Domain, Param, Quantity, Taper, decibels, number};
use crate::unit::tone::hold::HOLD_LEVEL;

const SPEEDS: &[Choice] = &[
    Choice { id: "7.5", label: "7.5 ips" },
    Choice { id: "15", label: "15 ips" },
    Choice { id: "30", label: "30 ips" },
];
const STOCKS: &[Choice] = &[
    Choice { id: "soft", label: "soft" },
    Choice { id: "standard", label: "standard" },
    Choice { id: "strong", label: "strong" },
];

/// All of them, in the order of the signal.
pub const PARAMS: &[Param] = &[
    Param::new(
        "input_db",
        "drive",
        "How full the tape is recorded: peaks round before they are cut, highs first.",
        decibels(-12.0, 24.0, 6.0),
    ),
    Param::new(
        "speed",
        "speed",
        "Fast: open top, the lift of the lows an octave higher. Slow: rounder, and the lift lower.",
        Domain::Choice { options: SPEEDS, default: 1 },
    ),
    Param::new(
        "stock",
        "stock",
        "How much the tape holds before it rounds: soft 4 dB less, strong 4 dB more.",
        Domain::Choice { options: STOCKS, default: 1 },
    ),
    Param::new(
        "bias",
        "bias",
        "To the right cleaner and duller; to the left brighter and rougher, the soft parts first.",
        number(-1.0, 1.0, 0.0, 0.05, Taper::Linear, Quantity::Percent),
    ),
    Param::new(
        "wear",
        "wear",
        "A worn tape stands off the head: the top goes, the slower it runs the more.",
        number(0.0, 1.0, 0.0, 0.05, Taper::Linear, Quantity::Percent),
    ),
    HOLD_LEVEL,
];
