//! Drawbar organ: nine sines a key, the click of nine contacts, a slow rotor.

use zinc_core::signal::math::{TAU, sin};

use crate::player::{Chance, Note};
use crate::song::hz;
use crate::tools::{FS, Mode, frame};

/// Pitches of the drawbars as multiples of the key's own.
const FEET: [f64; 9] = [0.5, 1.5, 1.0, 2.0, 3.0, 4.0, 5.0, 6.0, 8.0];
/// How far each is drawn.
const DRAWN: [f64; 9] = [0.7, 0.5, 1.0, 0.55, 0.25, 0.3, 0.12, 0.1, 0.14];

/// Adds one key.
pub fn key(out: &mut [f32], note: Note, chance: &mut Chance) {
    let f0 = hz(note.midi);
    let (first, last) = (frame(note.start_s), frame(note.start_s + note.length_s).min(out.len()));
    // Undamped modes are plain oscillators; the contacts close one by one.
    let mut bars: Vec<(Mode, usize)> = FEET
        .iter()
        .zip(DRAWN)
        .map(|(foot, drawn)| (Mode::new(f0 * foot, drawn, 1e9), (chance.unit() * 0.004 * FS) as usize))
        .collect();
    let mut click = 0.0;
    for (i, sample) in out.iter_mut().enumerate().take(last).skip(first) {
        let since = i - first;
        let left = last - i;
        let mut x = 0.0;
        for (bar, closes) in &mut bars {
            let tone = bar.next_sample();
            if since >= *closes {
                x += tone;
            }
        }
        if since < 240 {
            click += 0.5 * (chance.noise() - click);
            x += click * 0.5 * (1.0 - since as f64 / 240.0);
        }
        let edge = (since as f64 / 90.0).min(1.0) * (left as f64 / 300.0).min(1.0);
        let rotor = 1.0 + 0.12 * sin(TAU * 0.8 * i as f64 / FS);
        *sample += (0.16 * note.velocity * x * edge * rotor) as f32;
    }
}
