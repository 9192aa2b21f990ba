//! What a string is let go with.
//!
//! A string bent at `p` of its length and let go moves so that its velocity has partials of
//! `sin(n pi p) / n` (Fletcher & Rossing, *The Physics of Musical Instruments*, 2.6); the
//! width of a finger or a pick rounds the bend, which takes the highs. A pickup at `x` sees
//! `sin(n pi x)` of each, averaged over its aperture; a bridge feels all of them.

use zinc_core::signal::math::{PI, TAU, pow, sin};

use super::nature::{MUTED, StringKind, on_sounding_length};
use crate::player::{Chance, Note};
use crate::tools::{FS, sum_of_partials};

/// No partial is higher, in Hz.
const HIGHEST_HZ: f64 = 16_000.0;

/// A pick or a finger does not let go at once: shares of the motion given in the first, second
/// and third period. What was given first has bent by its stiffness before the rest comes, so
/// that a stroke swells within some milliseconds instead of clicking.
const GIVEN: [f64; 3] = [0.45, 0.33, 0.22];

/// A wave is already bent when it first passes the pickup: sections of this for each of the
/// string's own.
const BENT: usize = 3;

/// What is put into the string: some periods of the motion of a string let go.
pub(super) fn stroke(note: Note, f0: f64, kind: &StringKind, chance: &mut Chance) -> Vec<f64> {
    let levels = partials(note, f0, kind, chance);
    let frames = FS / f0;
    let period: Vec<f64> =
        (0..frames.round() as usize).map(|i| sum_of_partials(&levels, TAU * i as f64 / frames)).collect();
    let mut given: Vec<f64> = GIVEN.iter().flat_map(|share| period.iter().map(move |x| share * x)).collect();
    let (sections, c) = kind.stiffness;
    for _ in 0..BENT * sections {
        disperse(&mut given, c);
    }
    given
}

/// `(c + 1/z) / (1 + c / z)`: with `c` below 0 the highs arrive first.
fn disperse(signal: &mut [f64], c: f64) {
    let (mut before, mut out) = (0.0, 0.0);
    for x in signal {
        out = c * (*x - out) + before;
        before = *x;
        *x = out;
    }
}

/// Levels of the partials.
fn partials(note: Note, f0: f64, kind: &StringKind, chance: &mut Chance) -> Vec<f64> {
    let place = |share: f64| on_sounding_length(share, note.midi, kind);
    // No two strokes fall on the same spot.
    let pluck = place(kind.pluck_at * (1.0 + 0.06 * chance.around())).clamp(0.03, 0.5);
    let (pickup, aperture) = (place(kind.pickup_at), place(kind.aperture));
    let corner_hz = corner_hz(note, kind);
    // A palm on the strings is played against.
    let force = if note.muted { 1.6 * note.velocity } else { note.velocity };
    let bend = 1.0 / (pluck * (1.0 - pluck));
    (1..=(HIGHEST_HZ / f0) as u32)
        .map(|n| {
            let angle = PI * f64::from(n);
            let let_go = 0.2 * bend * sin(angle * pluck) / f64::from(n);
            let rounded = 1.0 / (1.0 + (f64::from(n) * f0 / corner_hz).powi(2));
            let heard = if pickup > 0.0 { sin(angle * pickup) * average(angle * aperture / 2.0) } else { 0.5 };
            force * let_go * rounded * heard
        })
        .collect()
}

/// Where the bend is rounded: higher for a harder stroke.
fn corner_hz(note: Note, kind: &StringKind) -> f64 {
    let [soft, hard] = kind.corner_hz;
    let corner = soft * pow(hard / soft, note.velocity);
    if note.muted { corner.min(MUTED.2) } else { corner }
}

/// `sin(x) / x`: what an aperture leaves of a wave.
fn average(x: f64) -> f64 {
    if x.abs() < 1e-9 { 1.0 } else { sin(x) / x }
}
