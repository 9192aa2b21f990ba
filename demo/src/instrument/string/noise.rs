//! What hands add to a string: the tick of a stroke, the squeak of a finger on a winding.

use zinc_core::signal::math::{PI, TAU, cos, exp, sin};

use super::nature::StringKind;
use crate::player::{Chance, Note};
use crate::tools::{FS, frame};

/// The noise of finger or pick as it leaves the string: some milliseconds.
pub(super) fn contact(note: Note, kind: &StringKind, chance: &mut Chance) -> Vec<f64> {
    let (level, corner_hz) = kind.contact;
    let open = 1.0 - exp(-TAU * corner_hz / FS);
    let mut smooth = [0.0; 2];
    (0..frame(0.012))
        .map(|i| {
            smooth[0] += open * (chance.noise() - smooth[0]);
            smooth[1] += open * (smooth[0] - smooth[1]);
            let t = i as f64 / FS;
            level * note.velocity * note.velocity * smooth[1] * (1.0 - exp(-t / 0.0006)) * exp(-t / 0.0022)
        })
        .collect()
}

/// A finger that moves along a wound string: noise whose centre climbs or falls.
pub fn squeak(out: &mut [f32], start_s: f64, level: f64, chance: &mut Chance) {
    let length_s = 0.06 + 0.09 * chance.unit();
    let (from_hz, to_hz) = (1100.0 + 500.0 * chance.unit(), 1500.0 + 1100.0 * chance.unit());
    let frames = frame(length_s);
    let (mut y1, mut y2) = (0.0, 0.0);
    let keep = exp(-PI * 160.0 / FS);
    for (i, x) in out.iter_mut().skip(frame(start_s)).take(frames).enumerate() {
        let at = i as f64 / frames as f64;
        let w = TAU * (from_hz + (to_hz - from_hz) * at) / FS;
        let swell = sin(PI * at);
        let y = (1.0 - keep) * chance.noise() * swell * swell + 2.0 * keep * cos(w) * y1 - keep * keep * y2;
        (y2, y1) = (y1, y);
        *x += (level * 2.0 * y) as f32;
    }
}
