//! A wordless voice: glottal pulses through five moving resonances.

use zinc_core::signal::math::{TAU, exp, pow, sin};

use crate::player::{Chance, Note};
use crate::song::hz;
use crate::tools::{FS, frame};

/// Resonances in Hz of "ah" and "oo" (after Peterson & Barney, 1952, rounded).
const VOWELS: [[f64; 5]; 2] = [[750.0, 1200.0, 2600.0, 3300.0, 4300.0], [360.0, 820.0, 2400.0, 3200.0, 4200.0]];
const WIDTHS_HZ: [f64; 5] = [85.0, 95.0, 130.0, 180.0, 250.0];
const GAINS: [f64; 5] = [1.0, 0.65, 0.3, 0.2, 0.1];

/// Adds one sung note, gliding between vowels.
pub fn sing(out: &mut [f32], note: Note, chance: &mut Chance) {
    let (first, last) = (frame(note.start_s), frame(note.start_s + note.length_s).min(out.len()));
    let base = hz(note.midi);
    let mut phase = 0.0;
    let mut before = 0.0;
    let mut resonators = [[0.0f64; 2]; 5];
    let mut coefficients = [[0.0f64; 3]; 5];
    let turn = chance.unit();
    let mut step = base / FS;
    for (i, sample) in out.iter_mut().enumerate().take(last).skip(first) {
        let t = (i - first) as f64 / FS;
        if (i - first) % 32 == 0 {
            let scoop = -0.6 * exp(-t * 18.0);
            let vibrato = 0.28 * (t / 0.6).min(1.0) * sin(TAU * 5.4 * t);
            step = base * pow(2.0, (scoop + vibrato) / 12.0) / FS;
            let vowel = (0.5 + 0.5 * sin(TAU * (turn + t * 0.45))).clamp(0.0, 1.0);
            for (k, c) in coefficients.iter_mut().enumerate() {
                let f = VOWELS[0][k] + (VOWELS[1][k] - VOWELS[0][k]) * vowel;
                let r = exp(-core::f64::consts::PI * WIDTHS_HZ[k] / FS);
                *c = [2.0 * r * zinc_core::signal::math::cos(TAU * f / FS), -r * r, (1.0 - r) * GAINS[k]];
            }
        }
        phase += step;
        if phase >= 1.0 {
            phase -= 1.0;
        }
        // Rosenberg's pulse: opens over 40 % of the period, closes over 16 %.
        let flow = if phase < 0.4 {
            0.5 - 0.5 * sin(TAU * (0.25 + phase / 0.8))
        } else if phase < 0.56 {
            1.0 - ((phase - 0.4) / 0.16).powi(2)
        } else {
            0.0
        };
        let breath = 0.012 * chance.noise();
        let source = (flow - before) * 6.0 + breath;
        before = flow;
        let mut x = 0.0;
        for (state, c) in resonators.iter_mut().zip(&coefficients) {
            let y = c[2] * source + c[0] * state[0] + c[1] * state[1];
            *state = [y, state[0]];
            x += y;
        }
        let left = (last - i) as f64 / FS;
        let swell = (t / 0.07).min(1.0) * (left / 0.12).min(1.0);
        *sample += (note.velocity * swell * x * 8.0) as f32;
    }
}
