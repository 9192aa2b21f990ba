//! The voices: not one circuit turned up, but different ones.

use super::network::{BASS, FLAT, GUITAR, Parts};
use super::power::PowerSpec;
use super::stage::{Bias, StageSpec};
use crate::filter::SvfDesign;
use crate::filter::analog;
use crate::filter::matched::matched;
use crate::unit::param::Choice;

/// A bell before the first stage.
#[derive(Clone, Copy, Debug)]
pub struct Bell {
    hz: f64,
    gain_db: f64,
    q: f64,
}

impl Bell {
    /// As a section at a rate in Hz.
    pub fn design(self, rate: f64) -> SvfDesign {
        matched(&analog::bell(self.hz, self.gain_db, self.q), rate)
    }
}

/// A circuit.
#[derive(Clone, Copy, Debug)]
pub struct Voice {
    /// Name in rack files.
    pub id: &'static str,
    /// Word on the page.
    pub label: &'static str,
    /// What its input does to the sound before it is amplified.
    pub shape: &'static [Bell],
    /// Stages of gain, first to last; drive acts before the second.
    pub stages: &'static [StageSpec],
    /// After how many stages the tone controls stand.
    pub tone_after: usize,
    /// The tone controls' parts.
    pub parts: Parts,
    /// The power stage, and what of the voltage before it is its full swing.
    pub power: PowerSpec,
    pub swing_v: f64,
    /// Lows below this go past all stages but the first; 0 for none.
    pub past_hz: f64,
    /// Gain in dB before the second stage with the drive control at its left end.
    pub drive_from_db: f64,
}

impl Voice {
    /// Every stage turns the wave over; the power stage of a voice with an odd number of them is fed from its
    /// other side, so that all voices leave in the polarity in which the sound came.
    pub fn polarity(&self) -> f64 {
        if self.stages.len().is_multiple_of(2) { 1.0 } else { -1.0 }
    }
}

const fn stage(bias: Bias, takes: f64, low_cut_hz: f64, top_hz: f64) -> StageSpec {
    StageSpec { bias, takes, low_cut_hz, top_hz }
}

/// A pair with room above it, for what is to stay open.
const OPEN: PowerSpec =
    PowerSpec { pair: true, bias: 0.7, feedback: 0.9, sag: 0.08, sag_s: 0.08, low_hz: 38.0, high_hz: 7500.0 };

/// All voices, in the order of the table.
pub const VOICES: [Voice; 11] = [
    Voice {
        id: "clean",
        label: "clean",
        shape: &[],
        stages: &[stage(Bias::Middle, 1.0, 25.0, 14_000.0), stage(Bias::Middle, 0.6, 25.0, 12_000.0)],
        tone_after: 1,
        parts: GUITAR,
        power: OPEN,
        swing_v: 70.0,
        past_hz: 0.0,
        drive_from_db: -44.0,
    },
    Voice {
        id: "edge",
        label: "edge of breakup",
        shape: &[],
        stages: &[stage(Bias::Warm, 1.0, 40.0, 12_000.0), stage(Bias::Middle, 0.5, 60.0, 9000.0)],
        tone_after: 2,
        parts: GUITAR,
        power: PowerSpec {
            pair: false,
            bias: 0.9,
            feedback: 0.0,
            sag: 0.22,
            sag_s: 0.14,
            low_hz: 55.0,
            high_hz: 7500.0,
        },
        swing_v: 16.0,
        past_hz: 0.0,
        drive_from_db: -42.0,
    },
    Voice {
        id: "early",
        label: "class A pair",
        shape: &[],
        stages: &[stage(Bias::Warm, 1.0, 30.0, 14_000.0), stage(Bias::Middle, 0.5, 40.0, 11_000.0)],
        tone_after: 1,
        parts: GUITAR,
        // Both halves conduct nearly all the time, without feedback, into little room.
        power: PowerSpec {
            pair: true,
            bias: 1.4,
            feedback: 0.0,
            sag: 0.18,
            sag_s: 0.12,
            low_hz: 45.0,
            high_hz: 9500.0,
        },
        swing_v: 9.0,
        past_hz: 0.0,
        drive_from_db: -40.0,
    },
    Voice {
        id: "crunch",
        label: "crunch",
        shape: &[],
        stages: &[
            stage(Bias::Middle, 1.0, 70.0, 12_000.0),
            stage(Bias::Middle, 0.5, 110.0, 9000.0),
            stage(Bias::Warm, 0.06, 60.0, 9000.0),
        ],
        tone_after: 3,
        parts: GUITAR,
        power: PowerSpec { bias: 0.35, feedback: 0.6, sag: 0.15, sag_s: 0.1, ..OPEN },
        swing_v: 14.5,
        past_hz: 0.0,
        drive_from_db: -40.0,
    },
    Voice {
        id: "lead",
        label: "lead",
        shape: &[],
        stages: &[
            stage(Bias::Middle, 1.0, 80.0, 12_000.0),
            stage(Bias::Middle, 0.5, 150.0, 8000.0),
            stage(Bias::Cold, 0.12, 80.0, 8000.0),
            stage(Bias::Middle, 0.05, 60.0, 7000.0),
        ],
        tone_after: 4,
        parts: GUITAR,
        power: PowerSpec { bias: 0.4, feedback: 0.6, sag: 0.12, sag_s: 0.09, low_hz: 24.0, ..OPEN },
        swing_v: 20.0,
        past_hz: 0.0,
        drive_from_db: -34.5,
    },
    Voice {
        id: "tight",
        label: "tight",
        // Lows go before the gain, so that a muted string stops when the hand does.
        shape: &[Bell { hz: 90.0, gain_db: -9.0, q: 0.6 }, Bell { hz: 850.0, gain_db: 4.0, q: 0.7 }],
        stages: &[
            stage(Bias::Middle, 1.0, 220.0, 12_000.0),
            stage(Bias::Middle, 0.5, 260.0, 9000.0),
            stage(Bias::Cold, 0.12, 110.0, 9000.0),
            stage(Bias::Middle, 0.05, 60.0, 8000.0),
        ],
        tone_after: 4,
        parts: GUITAR,
        power: PowerSpec { bias: 0.45, feedback: 0.9, sag: 0.05, sag_s: 0.05, low_hz: 24.0, ..OPEN },
        swing_v: 27.0,
        past_hz: 0.0,
        drive_from_db: -34.0,
    },
    Voice {
        id: "round",
        label: "bass, round",
        shape: &[],
        stages: &[stage(Bias::Warm, 1.0, 8.0, 6000.0), stage(Bias::Warm, 0.35, 12.0, 3500.0)],
        tone_after: 1,
        parts: BASS,
        power: PowerSpec { pair: false, bias: 1.0, sag: 0.12, sag_s: 0.16, low_hz: 20.0, high_hz: 5000.0, ..OPEN },
        swing_v: 12.0,
        past_hz: 0.0,
        drive_from_db: -40.0,
    },
    Voice {
        id: "gritty",
        label: "bass, gritty",
        shape: &[],
        stages: &[
            stage(Bias::Middle, 1.0, 10.0, 9000.0),
            stage(Bias::Middle, 0.5, 120.0, 7000.0),
            stage(Bias::Warm, 0.06, 120.0, 6000.0),
        ],
        tone_after: 3,
        parts: BASS,
        power: PowerSpec { bias: 0.5, feedback: 0.7, sag: 0.1, sag_s: 0.12, low_hz: 22.0, high_hz: 6000.0, ..OPEN },
        swing_v: 24.0,
        past_hz: 190.0,
        drive_from_db: -38.0,
    },
    Voice {
        id: "driven",
        label: "bass, driven",
        shape: &[],
        stages: &[
            stage(Bias::Middle, 1.0, 8.0, 12_000.0),
            stage(Bias::Warm, 0.5, 25.0, 9000.0),
            stage(Bias::Middle, 0.06, 15.0, 9000.0),
        ],
        tone_after: 3,
        parts: BASS,
        power: PowerSpec { bias: 0.6, feedback: 0.5, sag: 0.14, sag_s: 0.12, low_hz: 18.0, high_hz: 8000.0, ..OPEN },
        swing_v: 20.0,
        past_hz: 0.0,
        drive_from_db: -38.0,
    },
    Voice {
        id: "acoustic",
        label: "acoustic, wide",
        // A crystal under a bridge has little body and a bark about 2 to 4 kHz.
        shape: &[
            Bell { hz: 160.0, gain_db: 5.0, q: 0.7 },
            Bell { hz: 2700.0, gain_db: -6.0, q: 0.8 },
            Bell { hz: 10_500.0, gain_db: 2.0, q: 0.7 },
        ],
        stages: &[stage(Bias::Middle, 1.0, 18.0, 22_000.0), stage(Bias::Middle, 0.6, 18.0, 22_000.0)],
        tone_after: 1,
        parts: FLAT,
        power: PowerSpec { bias: 0.9, sag: 0.04, low_hz: 30.0, high_hz: 18_000.0, ..OPEN },
        swing_v: 90.0,
        past_hz: 0.0,
        drive_from_db: -46.0,
    },
    Voice {
        id: "keys",
        label: "keys, soft valve",
        shape: &[],
        stages: &[stage(Bias::Warm, 1.0, 15.0, 18_000.0), stage(Bias::Warm, 0.6, 20.0, 14_000.0)],
        tone_after: 1,
        parts: FLAT,
        power: PowerSpec {
            pair: false,
            bias: 1.1,
            feedback: 0.4,
            sag: 0.1,
            sag_s: 0.15,
            low_hz: 28.0,
            high_hz: 11_000.0,
        },
        swing_v: 22.0,
        past_hz: 0.0,
        drive_from_db: -42.0,
    },
];

/// Their names and words.
pub const CHOICES: &[Choice] = &{
    let mut choices = [Choice { id: "", label: "" }; VOICES.len()];
    let mut n = 0;
    while n < VOICES.len() {
        choices[n] = Choice { id: VOICES[n].id, label: VOICES[n].label };
        n += 1;
    }
    choices
};

/// The voice by its name in the table.
pub fn voice(id: &str) -> &'static Voice {
    VOICES.iter().find(|voice| voice.id == id).unwrap_or(&VOICES[0])
}
