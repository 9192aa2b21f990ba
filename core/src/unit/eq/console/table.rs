//! Parameters of `console-eq`.

use crate::unit::eq::shared::{AMOUNT, AUTO_LEVEL};
use crate::unit::param::{Choice, Domain, Param, Quantity, Rests, Taper, decibels, number};

const fn hz(id: &'static str, label: &'static str) -> Choice {
    Choice { id, label }
}

const HIGH_PASS: &[Choice] = &[
    Choice { id: "off", label: "off" },
    hz("28", "28 Hz"),
    hz("48", "48 Hz"),
    hz("75", "75 Hz"),
    hz("115", "115 Hz"),
    hz("170", "170 Hz"),
    hz("260", "260 Hz"),
];
const LOW: &[Choice] =
    &[hz("42", "42 Hz"), hz("65", "65 Hz"), hz("95", "95 Hz"), hz("150", "150 Hz"), hz("240", "240 Hz")];
const LOW_MID: &[Choice] = &[
    hz("180", "180 Hz"),
    hz("270", "270 Hz"),
    hz("410", "410 Hz"),
    hz("620", "620 Hz"),
    hz("930", "930 Hz"),
    hz("1400", "1.4 kHz"),
];
const HIGH_MID: &[Choice] = &[
    hz("950", "950 Hz"),
    hz("1450", "1.45 kHz"),
    hz("2200", "2.2 kHz"),
    hz("3300", "3.3 kHz"),
    hz("4900", "4.9 kHz"),
    hz("7200", "7.2 kHz"),
];
const HIGH: &[Choice] = &[hz("4300", "4.3 kHz"), hz("6600", "6.6 kHz"), hz("9800", "9.8 kHz"), hz("14500", "14.5 kHz")];
const LOW_PASS: &[Choice] = &[
    Choice { id: "off", label: "off" },
    hz("17500", "17.5 kHz"),
    hz("13500", "13.5 kHz"),
    hz("10500", "10.5 kHz"),
    hz("7500", "7.5 kHz"),
    hz("5200", "5.2 kHz"),
];
const SHAPES: &[Choice] = &[Choice { id: "shelf", label: "shelf" }, Choice { id: "bell", label: "bell" }];

const fn stepped(
    id: &'static str,
    label: &'static str,
    hint: &'static str,
    options: &'static [Choice],
    default: usize,
) -> Param {
    Param::new(id, label, hint, Domain::Choice { options, default })
}

const fn gain(id: &'static str, label: &'static str, hint: &'static str) -> Param {
    Param::new(id, label, hint, decibels(-15.0, 15.0, 0.0))
}

const fn law(id: &'static str, label: &'static str) -> Param {
    Param::new(
        id,
        label,
        "Constant: as wide at every gain. Proportional: wide at a small gain, narrow at a large one.",
        number(0.0, 1.0, 0.5, 0.05, Taper::Linear, Quantity::Percent),
    )
    .between("constant", "proportional")
}

/// All of them, from the input to the output.
pub const PARAMS: &[Param] = &[
    Param::new(
        "input_db",
        "input",
        "How hard the input stage works; what it adds in level it gives back.",
        decibels(-6.0, 18.0, 0.0),
    )
    .within("input stage"),
    Param::new(
        "colour",
        "transformer / valve",
        "To the left a transformer, whose lows thicken first; to the right a valve, an octave above everything.",
        number(0.0, 1.0, 0.4, 0.05, Taper::Linear, Quantity::Percent),
    )
    .between("transformer", "valve")
    .within("input stage"),
    stepped("high_pass", "high-pass", "Takes the floor away, by 18 dB an octave.", HIGH_PASS, 0),
    stepped("low_shape", "low shape", "Everything below, or a region.", SHAPES, 0).within("low"),
    stepped("low_hz", "low at", "Where the weight is.", LOW, 2).within("low"),
    gain("low_db", "low", "Weight of the part.").within("low"),
    law("low_law", "low width").rests(&[Rests::Unless("low_shape", &["bell"])]).within("low"),
    stepped("low_mid_hz", "low mid at", "Where it is full, or boxed in.", LOW_MID, 2).within("low mid"),
    gain("low_mid_db", "low mid", "Body, or mud.").within("low mid"),
    law("low_mid_law", "low mid width").within("low mid"),
    stepped("high_mid_hz", "high mid at", "Where it speaks.", HIGH_MID, 2).within("high mid"),
    gain("high_mid_db", "high mid", "Bite, or harshness.").within("high mid"),
    law("high_mid_law", "high mid width").within("high mid"),
    stepped("high_shape", "high shape", "Everything above, or a region.", SHAPES, 0).within("high"),
    stepped("high_hz", "high at", "Where it shines.", HIGH, 2).within("high"),
    gain("high_db", "high", "Shine, or hiss.").within("high"),
    law("high_law", "high width").rests(&[Rests::Unless("high_shape", &["bell"])]).within("high"),
    stepped("low_pass", "low-pass", "Takes the top away, by 12 dB an octave.", LOW_PASS, 0),
    Param::new(
        "sides",
        "L/R tolerance",
        "Small differences of left and right, as two channels built of real parts have.",
        number(0.0, 1.0, 0.0, 0.05, Taper::Linear, Quantity::Percent),
    ),
    AMOUNT,
    AUTO_LEVEL,
];
