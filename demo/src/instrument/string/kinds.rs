//! Strings as they are built, struck and heard.

use zinc_core::filter::AnalogSection;

use super::nature::StringKind;
use crate::tools::{bell, high_shelf, low_cut, resonant_low_pass, roll_off};

/// Pitches of a guitar's open strings.
const GUITAR: &[i32] = &[40, 45, 50, 55, 59, 64];

/// A bass under two fingers, its coil near the neck.
pub const FINGERED_BASS: StringKind = StringKind {
    open: &[28, 33, 38, 43],
    t60_s: 7.0,
    bright_t60_s: 0.5,
    stiffness: (2, -0.82),
    pluck_at: 0.23,
    pickup_at: 0.26,
    aperture: 0.035,
    corner_hz: [240.0, 700.0],
    contact: (0.07, 1200.0),
};

/// The same with a pick nearer to the bridge.
pub const PICKED_BASS: StringKind =
    StringKind { pluck_at: 0.15, corner_hz: [440.0, 1350.0], contact: (0.3, 4500.0), ..FINGERED_BASS };

/// An electric guitar, its coil near the bridge.
pub const ELECTRIC: StringKind = StringKind {
    open: GUITAR,
    t60_s: 16.0,
    bright_t60_s: 4.0,
    stiffness: (3, -0.65),
    pluck_at: 0.12,
    pickup_at: 0.075,
    aperture: 0.02,
    corner_hz: [4500.0, 25_000.0],
    contact: (0.02, 3500.0),
};

/// The same with its coil near the neck.
pub const NECK: StringKind = StringKind { pluck_at: 0.17, pickup_at: 0.24, corner_hz: [2600.0, 14_000.0], ..ELECTRIC };

/// A steel-strung acoustic guitar: what is heard is the force on the bridge.
pub const STEEL: StringKind = StringKind {
    pickup_at: 0.0,
    aperture: 0.0,
    stiffness: (2, -0.68),
    t60_s: 6.0,
    bright_t60_s: 2.2,
    pluck_at: 0.16,
    corner_hz: [2600.0, 22_000.0],
    contact: (0.06, 6000.0),
    ..ELECTRIC
};

/// A cello's string under a finger.
pub const PIZZICATO: StringKind = StringKind {
    open: &[36, 43, 50, 57],
    t60_s: 1.6,
    bright_t60_s: 0.12,
    stiffness: (0, 0.0),
    pluck_at: 0.25,
    pickup_at: 0.0,
    aperture: 0.0,
    corner_hz: [500.0, 1100.0],
    contact: (0.05, 1500.0),
};

/// A bright guitar's coil with its cable: two poles that ring at `hz`.
#[must_use]
pub fn coil(hz: f64) -> Vec<Vec<AnalogSection>> {
    vec![high_shelf(2600.0, 14.0), resonant_low_pass(hz, 2.0)]
}

/// A bass's coil with its cable.
#[must_use]
pub fn bass_coil() -> Vec<Vec<AnalogSection>> {
    vec![resonant_low_pass(4000.0, 1.3), low_cut(22.0)]
}

/// An acoustic guitar: the air in its body at `air_hz`, the lowest mode of its top at
/// `top_hz`, the broad hill above, and what a microphone hears of its strings about
/// `string_hz` (Fletcher & Rossing, 9.4).
#[must_use]
pub fn steel_body(air_hz: f64, top_hz: f64, string_hz: f64) -> Vec<Vec<AnalogSection>> {
    vec![
        low_cut(78.0),
        bell(air_hz, 5.0, 2.2),
        bell(top_hz, 3.0, 2.2),
        bell(390.0, 2.0, 4.0),
        high_shelf(1300.0, 12.0),
        bell(string_hz, 2.0, 0.8),
        high_shelf(6000.0, 17.0),
        resonant_low_pass(13_000.0, 0.7),
        roll_off(16_000.0),
    ]
}
