//! A room of some hundred cubic metres: eight delays that feed each other (Jot & Chaigne,
//! *Digital delay networks for designing artificial reverberators*, 1991).

use zinc_core::signal::math::{TAU, exp};

use crate::tools::FS;

/// Lengths of the delays in frames: primes, so that no two echoes fall together.
const FRAMES: [usize; 8] = [769, 947, 1123, 1319, 1523, 1741, 1993, 2239];
/// Walls take what lies above, in Hz.
const DULL_HZ: f64 = 4200.0;

/// What the room gives back of `sound`, in two places, falling by 60 dB in `t60_s` seconds.
#[must_use]
pub fn room(sound: &[f32], t60_s: f64) -> [Vec<f32>; 2] {
    let keep = FRAMES.map(|frames| exp(-6.9078 * frames as f64 / (t60_s * FS)));
    let open = 1.0 - exp(-TAU * DULL_HZ / FS);
    let mut lines = FRAMES.map(|frames| vec![0.0f64; frames]);
    let mut dull = [0.0f64; 8];
    let mut heard = [Vec::with_capacity(sound.len()), Vec::with_capacity(sound.len())];
    for (i, x) in sound.iter().enumerate() {
        for (k, line) in lines.iter().enumerate() {
            dull[k] += open * (line[i % FRAMES[k]] * keep[k] - dull[k]);
        }
        // Householder's reflection: what leaves one delay reaches all of them.
        let share = 0.25 * dull.iter().sum::<f64>();
        for (k, line) in lines.iter_mut().enumerate() {
            line[i % FRAMES[k]] = f64::from(*x) * 0.35 + dull[k] - share;
        }
        heard[0].push((dull[0] + dull[2] - dull[4] + dull[6]) as f32);
        heard[1].push((dull[1] - dull[3] + dull[5] + dull[7]) as f32);
    }
    heard
}
