//! Parameters of `passive-eq`.

use crate::unit::eq::shared::{AMOUNT, AUTO_LEVEL};
use crate::unit::param::{Choice, Domain, Param, Quantity, Taper, decibels, number};

const LOW: &[Choice] = &[
    Choice { id: "25", label: "25 Hz" },
    Choice { id: "40", label: "40 Hz" },
    Choice { id: "70", label: "70 Hz" },
    Choice { id: "120", label: "120 Hz" },
];
const HIGH_BOOST: &[Choice] = &[
    Choice { id: "2600", label: "2.6 kHz" },
    Choice { id: "3700", label: "3.7 kHz" },
    Choice { id: "5600", label: "5.6 kHz" },
    Choice { id: "8500", label: "8.5 kHz" },
    Choice { id: "12500", label: "12.5 kHz" },
];
const HIGH_CUT: &[Choice] = &[
    Choice { id: "4500", label: "4.5 kHz" },
    Choice { id: "9000", label: "9 kHz" },
    Choice { id: "15000", label: "15 kHz" },
];

/// All of them, from the lows up.
pub const PARAMS: &[Param] = &[
    Param::new(
        "low_hz",
        "low at",
        "One place for both: the cut reaches higher than the boost.",
        Domain::Choice { options: LOW, default: 2 },
    )
    .within("low"),
    Param::new(
        "low_boost_db",
        "low boost",
        "Weight. With the cut up too a lift stays here and below, and a dip above makes room.",
        decibels(0.0, 14.0, 0.0),
    )
    .within("low"),
    Param::new(
        "low_cut_db",
        "low cut",
        "Leaner, up to two octaves above the boost; beside a boost it only cuts above it.",
        decibels(0.0, 12.0, 0.0),
    )
    .within("low"),
    Param::new("high_hz", "high boost at", "Where it shines.", Domain::Choice { options: HIGH_BOOST, default: 3 })
        .within("high boost"),
    Param::new("high_boost_db", "high boost", "Shine that does not turn sharp.", decibels(0.0, 14.0, 0.0))
        .within("high boost"),
    Param::new(
        "high_width",
        "width",
        "To the right it reaches further to both sides.",
        number(0.0, 1.0, 0.6, 0.05, Taper::Linear, Quantity::Percent),
    )
    .within("high boost"),
    Param::new(
        "high_cut_hz",
        "high cut at",
        "Where the top begins to go.",
        Domain::Choice { options: HIGH_CUT, default: 1 },
    )
    .within("high cut"),
    Param::new("high_cut_db", "high cut", "Rounds the top.", decibels(0.0, 14.0, 0.0)).within("high cut"),
    Param::new(
        "valves",
        "valves",
        "The amplifier behind the filters adds an octave very softly, even when all is flat.",
        Domain::Switch { default: true },
    )
    .glides(),
    Param::new(
        AMOUNT.id,
        AMOUNT.label,
        "Scales boosts and cuts.",
        number(0.0, 2.0, 1.0, 0.05, Taper::Linear, Quantity::Percent),
    ),
    AUTO_LEVEL,
];
