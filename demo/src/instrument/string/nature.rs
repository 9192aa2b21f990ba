//! What a string is, and how it is struck and heard.

use zinc_core::signal::math::pow;

use crate::player::Chance;

/// A string's nature, and how it is struck and heard.
#[derive(Clone, Copy, Debug)]
pub struct StringKind {
    /// Pitches of the open strings as MIDI numbers, lowest first.
    pub open: &'static [i32],
    /// Seconds for the lows of the lowest string to fall by 60 dB.
    pub t60_s: f64,
    /// Seconds for its partials at 3 kHz to fall by 60 dB.
    pub bright_t60_s: f64,
    /// How much of the loop's delay bends with frequency: sections, and their coefficient
    /// (below 0: high partials are sharp, as stiffness makes them).
    pub stiffness: (usize, f64),
    /// Place of the stroke from the bridge, share of the open string.
    pub pluck_at: f64,
    /// Place of the pickup from the bridge, share of the open string; 0 where the bridge's
    /// force is what is heard.
    pub pickup_at: f64,
    /// Length of string the pickup sees, share of the open string.
    pub aperture: f64,
    /// Where the stroke's corner rounds off the partials: the lightest and the hardest, in Hz.
    pub corner_hz: [f64; 2],
    /// Level of the noise that finger or pick make as they leave the string, and where that
    /// noise begins to fall, in Hz.
    pub contact: (f64, f64),
}

impl StringKind {
    /// Another string of the kind, struck and heard elsewhere.
    #[must_use]
    pub fn another(self, chance: &mut Chance) -> Self {
        let mut by = |share: f64| pow(2.0, share * chance.noise());
        Self {
            t60_s: self.t60_s * by(0.5),
            bright_t60_s: self.bright_t60_s * by(0.7),
            pluck_at: self.pluck_at * by(0.6),
            pickup_at: self.pickup_at * by(0.6),
            corner_hz: self.corner_hz.map(|hz| hz * by(0.6)),
            ..self
        }
    }
}

/// What a palm on the bridge leaves: seconds of the lows and of 3 kHz, and the corner in Hz.
pub(super) const MUTED: (f64, f64, f64) = (0.5, 0.07, 900.0);
/// The share of the sounding length that lies `open_share` of the open string from the
/// bridge, for the string this note is played on.
pub(super) fn on_sounding_length(open_share: f64, midi: f64, kind: &StringKind) -> f64 {
    let open = kind.open.iter().rev().map(|m| f64::from(*m)).find(|m| *m <= midi + 0.5);
    let frets = midi - open.unwrap_or(midi);
    (open_share * pow(2.0, frets / 12.0)).min(0.5)
}
