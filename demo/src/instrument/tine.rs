//! Electric piano: a struck tine before a pickup.
//!
//! The tine is a fundamental and a stiff overtone; the pickup answers to the
//! square of the distance, which makes hard strokes bark.

use crate::player::Note;
use crate::song::hz;
use crate::tools::{FS, Mode, frame};

/// Adds one note.
pub fn strike(out: &mut [f32], note: Note) {
    let f0 = hz(note.midi);
    let first = frame(note.start_s);
    let release = frame(note.start_s + note.length_s);
    let last = (release + frame(0.18)).min(out.len());
    let mut tine = Mode::new(f0, note.velocity, 5.0);
    let mut bell = Mode::new(f0 * 6.27, 0.22 * note.velocity * note.velocity, 0.7);
    let mut thump = Mode::new(f0 * 0.5 + 60.0, 0.15 * note.velocity, 0.09);
    for (i, sample) in out.iter_mut().enumerate().take(last).skip(first) {
        let motion = tine.next_sample() + bell.next_sample();
        let bark = motion + 0.55 * motion * motion + 0.25 * motion * motion * motion;
        let damper = if i < release { 1.0 } else { 1.0 - (i - release) as f64 / (0.18 * FS) };
        *sample += ((bark + thump.next_sample()) * damper.max(0.0)) as f32;
    }
}
