//! Parameters of `amp`.

use super::voice::CHOICES;
use crate::unit::param::{Domain, Param, Quantity, Taper, decibels, number};
use crate::unit::tone::hold::HOLD_LEVEL;

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
        "load",
        "How heavily the instrument is loaded: to the left its top is rounder, as through a long cable.",
        control(0.8),
    ),
    Param::new("drive_db", "drive", "Gain between the stages: flatter, denser, longer.", decibels(0.0, 40.0, 16.0)),
    Param::new("bass", "bass", "Works with the other two, as one network.", control(0.5)).within("tone"),
    Param::new("middle", "middle", "Works with the other two, as one network.", control(0.5)).within("tone"),
    Param::new("treble", "treble", "Works with the other two, as one network.", control(0.5)).within("tone"),
    Param::new(
        "presence",
        "presence",
        "Highs that the power stage's feedback lets through; they go when it clips.",
        control(0.3),
    ),
    Param::new(
        "power_db",
        "power",
        "How hard the power stage works: it sags and rounds after the tone controls.",
        decibels(-24.0, 12.0, 0.0),
    ),
    Param::new("blend", "clean blend", "The sound as it came beside the amplified one, equally loud.", control(0.0)),
    HOLD_LEVEL,
];
