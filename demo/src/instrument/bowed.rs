//! Bowed strings: a section of slightly different players.
//!
//! A bowed string moves in sawteeth (Helmholtz). Each player has a sawtooth
//! without aliasing (two-point polynomial correction), a vibrato of their own that
//! sets in late, bow noise, and a swell. The body is a filter over the section.

use zinc_core::signal::math::{TAU, pow, sin};

use crate::player::{Chance, Note};
use crate::song::hz;
use crate::tools::{FS, frame};

/// Adds one note by `players` players.
pub fn section(out: &mut [f32], note: Note, players: usize, chance: &mut Chance) {
    for _ in 0..players {
        bow(out, note, chance);
    }
}

fn bow(out: &mut [f32], note: Note, chance: &mut Chance) {
    let start = note.start_s + 0.02 * chance.around().abs();
    let (first, last) = (frame(start), frame(start + note.length_s).min(out.len()));
    let base = hz(note.midi + 0.06 * chance.around());
    let (vibrato_hz, depth) = (5.1 + 0.7 * chance.around(), 0.0045 * (1.0 + 0.4 * chance.around()));
    let (attack_s, release_s) = (0.11 + 0.03 * chance.unit(), 0.09);
    let mut phase = chance.unit();
    let mut rosin = 0.0;
    let mut step = base / FS;
    for (i, sample) in out.iter_mut().enumerate().take(last).skip(first) {
        let t = (i - first) as f64 / FS;
        if (i - first) % 32 == 0 {
            let onset = (t / 0.5).min(1.0);
            step = base * pow(2.0, depth * onset * sin(TAU * vibrato_hz * t)) / FS;
        }
        phase += step;
        if phase >= 1.0 {
            phase -= 1.0;
        }
        let saw = 2.0 * phase - 1.0 - corner(phase, step);
        rosin += 0.3 * (chance.noise() - rosin);
        let left = (last - i) as f64 / FS;
        let swell = (t / attack_s).min(1.0) * (left / release_s).min(1.0);
        *sample += (note.velocity * swell * (0.3 * saw + 0.05 * rosin)) as f32;
    }
}

/// Rounds the sawtooth's jump over the two samples around it.
#[inline]
fn corner(phase: f64, step: f64) -> f64 {
    if phase < step {
        let t = phase / step;
        t + t - t * t - 1.0
    } else if phase > 1.0 - step {
        let t = (phase - 1.0) / step;
        t * t + t + t + 1.0
    } else {
        0.0
    }
}
