//! The controls that every strip has, and how what changes with the song of a strip is named.

use crate::unit::param::{Choice, Domain, Param, Quantity, Taper, decibels, number};

/// How far a strip's input is taken up or down, in dB.
pub const INPUT_LIMIT_DB: f64 = 24.0;

/// Level at and below which a fader is off.
pub const OFF_DB: f64 = -90.0;

/// Longest delay of a strip against the others, in ms.
pub const LONGEST_SHIFT_MS: f64 = 100.0;

/// The controls every strip has.
pub const STRIP: &[Param] = &[
    Param::new(
        "level_db",
        "level",
        "Balance against the parts that matter; off at the left end.",
        number(OFF_DB, 12.0, 0.0, 0.5, Taper::Linear, Quantity::Decibels),
    ),
    Param::new(
        "pan",
        "pan",
        "Left to right, at equal power; a stereo track is balanced.",
        number(-1.0, 1.0, 0.0, 0.05, Taper::Linear, Quantity::Pan),
    ),
    Param::new("muted", "mute", "Take it out of the mix and of the print.", Domain::Switch { default: false }).glides(),
    Param::new(
        "inverted",
        "polarity",
        "Turn it over where two recordings of one performance cancel each other.",
        Domain::Switch { default: false },
    ),
    Param::new(
        "delay_ms",
        "delay",
        "Later, to stand in time with a partner that was recorded further away.",
        number(0.0, LONGEST_SHIFT_MS, 0.0, 0.01, Taper::Cubic, Quantity::Milliseconds),
    ),
    Param::new(
        "input_db",
        "input",
        "Level into the rack: take down what was recorded too hot.",
        decibels(-INPUT_LIMIT_DB, INPUT_LIMIT_DB, 0.0),
    ),
    Param::new(
        "image",
        "image",
        "How the two sides enter: mono for a recording that only looks stereo.",
        Domain::Choice { options: IMAGES, default: 0 },
    ),
];

/// The controls that act before the rack, and so belong to a print after it.
pub const INPUT_CONTROLS: &[&str] = &["input_db", "image"];

/// The controls that act between the rack and the fader.
pub const SHIFT_CONTROLS: &[&str] = &["inverted", "delay_ms"];

/// The controls that can change with the song; the level of a send is another.
pub const CHANGING: &[&str] = &["level_db", "pan", "muted"];

/// How the level of a send is named among what changes with the song.
#[must_use]
pub fn send_path(to: u32) -> String {
    format!("send[{to}].level_db")
}

/// The strip to which the send goes that a path names.
#[must_use]
pub fn sent_to(path: &str) -> Option<u32> {
    path.strip_prefix("send[")?.strip_suffix("].level_db")?.parse().ok()
}

const IMAGES: &[Choice] = &[
    Choice { id: "as-recorded", label: "as recorded" },
    Choice { id: "mono", label: "mono" },
    Choice { id: "left", label: "left only" },
    Choice { id: "right", label: "right only" },
    Choice { id: "swapped", label: "swapped" },
];
