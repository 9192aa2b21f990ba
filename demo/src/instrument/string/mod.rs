//! Plucked strings: a bent string let go, travelling round a lossy loop.
//!
//! [`stroke`] says what the string is let go with, partial by partial; [`looped`] is the
//! string itself; [`noise`] is what fingers and picks add; [`kinds`] lists the strings there
//! are; this file plays notes.

pub mod kinds;
mod looped;
mod noise;
mod stroke;

pub use noise::squeak;

use looped::{STEP, StringLoop};

use crate::player::{Chance, Note};
use crate::song::hz;
use crate::tools::{FS, frame};
use zinc_core::signal::math::pow;

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
const MUTED: (f64, f64, f64) = (0.5, 0.07, 900.0);
/// A finger that leaves the fret: the same two times.
const CHOKED_S: [f64; 2] = [0.09, 0.03];
/// Share of the motion that leaves the plane of the stroke, how far off its pitch is in
/// cents, and how much longer it sounds (Weinreich, *Coupled piano strings*, 1977).
const OTHER_PLANE: (f64, f64, f64) = (0.3, 0.9, 1.7);

/// Adds one plucked note to `out`.
pub fn pluck(out: &mut [f32], note: Note, kind: &StringKind, chance: &mut Chance) {
    slide(out, note, 0.0, kind, chance);
}

/// Adds a note whose finger comes from `from` semitones away, fret by fret, within its first
/// part.
pub fn slide(out: &mut [f32], note: Note, from: f64, kind: &StringKind, chance: &mut Chance) {
    let late_s = if note.muted { 0.0 } else { 0.05 * chance.unit() * chance.unit() };
    let stop_s = note.length_s + late_s;
    let first = frame(note.start_s);
    let last = frame(note.start_s + stop_s + 0.16).min(out.len());
    if first >= last {
        return;
    }
    let struck = stroke::stroke(note, hz(note.midi), kind, chance);
    let mut planes = planes(note, kind, chance);
    let stop = frame(stop_s);
    for (n, part) in out[first..last].chunks_mut(STEP).enumerate() {
        let at = n * STEP;
        let strike = core::array::from_fn(|i| struck.get(at + i).copied().unwrap_or(0.0));
        for (string, share) in &mut planes {
            if from != 0.0 {
                string.set_pitch(hz(note.midi + fretted(from, at as f64 / FS)));
            }
            if at >= stop {
                string.choke(CHOKED_S);
            }
            for (x, heard) in part.iter_mut().zip(string.run(&strike)) {
                *x += (*share * heard) as f32;
            }
        }
        fade(part, last - first - at, frame(0.02));
    }
    for (x, noise) in out[first..last].iter_mut().zip(noise::contact(note, kind, chance)) {
        *x += noise as f32;
    }
}

/// How far a sliding finger still is: it crosses the frets one by one.
fn fretted(from: f64, seconds: f64) -> f64 {
    (from * (1.0 - seconds / 0.14).max(0.0)).round()
}

/// Fades the last `over` frames out; `left` of them remain from the start of this part.
fn fade(part: &mut [f32], left: usize, over: usize) {
    if left > over + part.len() {
        return;
    }
    for (i, x) in part.iter_mut().enumerate() {
        *x *= (left.saturating_sub(i) as f32 / over as f32).min(1.0);
    }
}

/// The string in both planes, each with its share.
fn planes(note: Note, kind: &StringKind, chance: &mut Chance) -> [(StringLoop, f64); 2] {
    let f0 = hz(note.midi);
    let lowest = hz(f64::from(kind.open[0]));
    let shorter = pow(lowest / f0, 0.45);
    let times = if note.muted { [MUTED.0, MUTED.1] } else { [kind.t60_s * shorter, kind.bright_t60_s * shorter] };
    let (share, cents, longer) = OTHER_PLANE;
    let detune = pow(2.0, cents * (0.4 + chance.unit()) / 1200.0);
    let string = |detune: f64, times: [f64; 2]| StringLoop::new(f0, detune, times, kind.stiffness);
    [(string(1.0, times), 1.0 - share), (string(detune, times.map(|t| t * longer)), share)]
}

/// The share of the sounding length that lies `open_share` of the open string from the
/// bridge, for the string this note is played on.
fn on_sounding_length(open_share: f64, midi: f64, kind: &StringKind) -> f64 {
    let open = kind.open.iter().rev().map(|m| f64::from(*m)).find(|m| *m <= midi + 0.5);
    let frets = midi - open.unwrap_or(midi);
    (open_share * pow(2.0, frets / 12.0)).min(0.5)
}
