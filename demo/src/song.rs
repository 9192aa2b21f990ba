//! The piece: 32 bars of 4/4 at 100 bpm in E minor.

/// Sample rate of the demo in Hz.
pub const RATE: u32 = 48_000;
/// Quarter notes per minute.
pub const TEMPO_BPM: f64 = 100.0;
/// Seconds in a quarter note.
pub const BEAT_S: f64 = 60.0 / TEMPO_BPM;
/// Bars in the song.
pub const BARS: usize = 32;
/// Frames in a bar.
pub const BAR_FRAMES: usize = (4.0 * BEAT_S * RATE as f64) as usize;
/// Frames in the song.
pub const FRAMES: usize = BARS * BAR_FRAMES;

/// The parts of the song, by their first bar (counted from 0).
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Part {
    /// Bars 0 to 3.
    Intro,
    /// Bars 4 to 11.
    Verse,
    /// Bars 12 to 15.
    Lift,
    /// Bars 16 to 23.
    Chorus,
    /// Bars 24 and 25.
    Break,
    /// Bars 26 to 31.
    LastChorus,
}

/// Names and first bars of the parts.
pub const PARTS: [(Part, &str, usize); 6] = [
    (Part::Intro, "Intro", 0),
    (Part::Verse, "Verse", 4),
    (Part::Lift, "Lift", 12),
    (Part::Chorus, "Chorus", 16),
    (Part::Break, "Break", 24),
    (Part::LastChorus, "Last chorus", 26),
];

/// The part a bar belongs to.
#[must_use]
pub fn part_of(bar: usize) -> Part {
    PARTS.iter().rev().find(|p| p.2 <= bar).map_or(Part::Intro, |p| p.0)
}

/// A chord: its root as a pitch class above C, and whether it is minor.
#[derive(Clone, Copy, Debug)]
pub struct Chord {
    /// 0 = C ... 11 = B.
    pub root: i32,
    /// Minor third if true.
    pub minor: bool,
}

const E_MINOR: Chord = Chord { root: 4, minor: true };
const C_MAJOR: Chord = Chord { root: 0, minor: false };
const G_MAJOR: Chord = Chord { root: 7, minor: false };
const D_MAJOR: Chord = Chord { root: 2, minor: false };
const A_MINOR: Chord = Chord { root: 9, minor: true };
const B_MINOR: Chord = Chord { root: 11, minor: true };

/// The chord of a bar.
#[must_use]
pub fn chord(bar: usize) -> Chord {
    match part_of(bar) {
        Part::Intro | Part::Verse => [E_MINOR, C_MAJOR, G_MAJOR, D_MAJOR][bar % 4],
        Part::Lift => [A_MINOR, C_MAJOR, D_MAJOR, B_MINOR][bar % 4],
        Part::Break => [A_MINOR, B_MINOR][bar % 2],
        Part::Chorus | Part::LastChorus => [C_MAJOR, G_MAJOR, D_MAJOR, E_MINOR][bar % 4],
    }
}

impl Chord {
    /// The lowest note of this chord's root at or above `lowest`, as a MIDI number.
    #[must_use]
    pub fn root_above(self, lowest: i32) -> i32 {
        lowest + (self.root - lowest).rem_euclid(12)
    }

    /// Semitones of the triad above the root.
    #[must_use]
    pub fn triad(self) -> [i32; 3] {
        [0, if self.minor { 3 } else { 4 }, 7]
    }
}

/// Start of a beat (in quarter notes) of a bar, in seconds.
#[must_use]
pub fn at(bar: usize, beat: f64) -> f64 {
    (bar as f64 * 4.0 + beat) * BEAT_S
}

/// Frequency in Hz of a MIDI note number.
#[must_use]
pub fn hz(midi: f64) -> f64 {
    440.0 * zinc_core::signal::math::pow(2.0, (midi - 69.0) / 12.0)
}
