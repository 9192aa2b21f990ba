//! Parameters of `amp`.

use super::voice::CHOICES;
use crate::unit::param::{Domain, Param, Quantity, Taper, decibels, number};
use crate::unit::tone::hold::HOLD_LEVEL;

/// Longest wait of the dry sound in ms.
pub const MOST_DRY_DELAY_MS: f64 = 5.0;

const fn control(default: f64) -> Domain {
    number(0.0, 1.0, default, 0.02, Taper::Linear, Quantity::Percent)
}

pub const PARAMS: &[Param] = &[
    Param::new(
        "voice",
        "voice",
        "Different circuits: how many stages, how they are set, what stands between them.",
        Domain::Choice { options: CHOICES, default: 0 },
    )
    .renews(),
    Param::new(
        "input_db",
        "input",
        "Brings a recorded signal to the level an instrument has; too cold and it never bends, too hot and it never cleans up.",
        decibels(-24.0, 24.0, 0.0),
    ),
    Param::new(
        "load",
        "pick-up load",
        "What hangs on the pick-up (3 H). Open: as recorded, 400 pF of cable, its peak at 4.6 kHz. Dull: 3 nF, 1.7 kHz.",
        control(1.0),
    )
    .between("dull", "open"),
    Param::new("drive_db", "drive", "Gain between the stages: flatter, denser, longer.", decibels(0.0, 40.0, 16.0)),
    Param::new("bass", "bass", "Works with the other two, as one network.", control(0.5)).within("tone"),
    Param::new("middle", "middle", "Works with the other two, as one network.", control(0.5)).within("tone"),
    Param::new("treble", "treble", "Works with the other two, as one network.", control(0.5)).within("tone"),
    Param::new(
        "presence",
        "presence",
        "Highs above 2.5 kHz that the power stage lets through; they go when it clips.",
        control(0.2),
    )
    .within("power stage"),
    Param::new(
        "depth",
        "depth",
        "Lows about the loudspeaker's resonance (95 Hz) that the power stage lets through; they go when it clips.",
        control(0.2),
    )
    .within("power stage"),
    Param::new(
        "power_db",
        "master",
        "Level into the power stage, apart from drive: it sags and rounds after the tone controls.",
        decibels(-24.0, 12.0, 0.0),
    )
    .within("power stage"),
    Param::new("blend", "dry blend", "The sound as it came beside the amplified one, equally loud.", control(0.0))
        .within("dry"),
    Param::new(
        "dry_delay_ms",
        "dry delay",
        "Lets the dry sound wait for the amplified one, so that the two add up where their phases differ.",
        number(0.0, MOST_DRY_DELAY_MS, 0.0, 0.02, Taper::Linear, Quantity::Milliseconds),
    )
    .within("dry"),
    Param::new(
        "dry_inverted",
        "invert dry",
        "The polarity of the dry sound the other way round.",
        Domain::Switch { default: false },
    )
    .glides()
    .within("dry"),
    HOLD_LEVEL,
];
