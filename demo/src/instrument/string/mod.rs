//! Plucked strings: a bent string let go, travelling round a lossy loop.
//!
//! [`stroke`] says what the string is let go with, partial by partial; [`looped`] is the
//! string itself; [`noise`] is what fingers and picks add; [`nature`] says what a string is and
//! [`kinds`] lists those there are; this file plays notes.

pub mod kinds;
mod looped;
mod nature;
mod noise;
mod stroke;

pub use nature::StringKind;
pub use noise::squeak;

use looped::{Plane, STEP, StringLoop};
use nature::MUTED;

use crate::player::{Chance, Note};
use crate::song::hz;
use crate::tools::{FS, frame};
use zinc_core::signal::math::pow;

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
    let (mut string, shares) = in_planes(note, kind, chance);
    let stop = frame(stop_s);
    for (n, part) in out[first..last].chunks_mut(STEP).enumerate() {
        let at = n * STEP;
        let strike = core::array::from_fn(|i| struck.get(at + i).copied().unwrap_or(0.0));
        if from != 0.0 {
            string.set_pitch(hz(note.midi + fretted(from, at as f64 / FS)));
        }
        if at >= stop {
            string.choke(CHOKED_S);
        }
        for (x, heard) in part.iter_mut().zip(string.run(&strike)) {
            *x += (shares[0] * heard[0]) as f32;
            *x += (shares[1] * heard[1]) as f32;
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

/// The string, and the share of each of its planes.
fn in_planes(note: Note, kind: &StringKind, chance: &mut Chance) -> (StringLoop, [f64; 2]) {
    let f0 = hz(note.midi);
    let lowest = hz(f64::from(kind.open[0]));
    let shorter = pow(lowest / f0, 0.45);
    let times = if note.muted { [MUTED.0, MUTED.1] } else { [kind.t60_s * shorter, kind.bright_t60_s * shorter] };
    let (share, cents, longer) = OTHER_PLANE;
    let detune = pow(2.0, cents * (0.4 + chance.unit()) / 1200.0);
    let planes = [Plane { detune: 1.0, times }, Plane { detune, times: times.map(|t| t * longer) }];
    (StringLoop::new(f0, planes, kind.stiffness), [1.0 - share, share])
}
