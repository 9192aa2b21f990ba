//! The bass: one performance, recorded direct and through a cabinet.

use zinc_core::signal::math::{TAU, sin};

use super::stem::{FLOOR_DB, StemAudio, finish, note};
use crate::instrument::string::kinds::{FINGERED_BASS, PICKED_BASS, bass_coil};
use crate::instrument::string::{slide, squeak};
use crate::player::Hands;
use crate::song::{BARS, Part, at, chord, part_of};
use crate::tools::{FS, add, add_noise, bell, high_cut, low_cut, set_peak, shape, silence};

/// How much later the cabinet's microphone hears, in frames (0.9 ms).
pub const CABINET_LATE_FRAMES: usize = 43;

/// Beat, length in beats, step above the root, how hard.
type Line = &'static [(f64, f64, i32, f64)];

const FINGERED_LINE: Line = &[(0.0, 1.4, 0, 0.75), (1.5, 0.45, 7, 0.5), (2.0, 0.9, 12, 0.7), (3.0, 0.9, 7, 0.55)];
const PICKED_LINE: Line = &[
    (0.0, 0.46, 0, 0.8),
    (0.5, 0.46, 0, 0.6),
    (1.0, 0.46, 0, 0.7),
    (1.5, 0.46, 0, 0.6),
    (2.0, 0.46, 7, 0.75),
    (2.5, 0.46, 7, 0.55),
    (3.0, 0.46, 12, 0.8),
    (3.5, 0.46, 7, 0.6),
];

/// Whether a bar is played with the pick.
fn picked(bar: usize) -> bool {
    matches!(part_of(bar), Part::Chorus | Part::LastChorus | Part::Lift)
}

/// What the strings do under the pickup.
fn performance() -> Vec<f32> {
    let mut out = silence();
    let mut hands = Hands::new(4, 5.0, 0.5, 2.0);
    for bar in 3..BARS {
        let root = chord(bar).root_above(28);
        let (kind, line) = if picked(bar) { (&PICKED_BASS, PICKED_LINE) } else { (&FINGERED_BASS, FINGERED_LINE) };
        for (beat, length, step, velocity) in line {
            // Very uneven: every fifth note or so is thrown.
            let thrown = if hands.chance().unit() < 0.2 { 1.5 } else { 1.0 };
            let n = hands.play(note(at(bar, *beat), *length, root + step, velocity * thrown));
            let moves = *beat == 0.0 && hands.chance().unit() < 0.3;
            let from = if moves && !picked(bar) { -2.0 } else { 0.0 };
            slide(&mut out, n, from, kind, hands.chance());
            if moves && picked(bar) {
                squeak(&mut out, n.start_s - 0.11, 0.02, hands.chance());
            }
        }
    }
    out
}

pub(super) fn direct() -> StemAudio {
    let mut out = performance();
    shape(&mut out, &bass_coil());
    let mut channels = vec![out];
    set_peak(&mut channels, -5.0);
    // A pump somewhere below: 25 Hz with a slow swell.
    for (i, x) in channels[0].iter_mut().enumerate() {
        let t = i as f64 / FS;
        *x += (0.012 * sin(TAU * 25.0 * t) * (1.0 + 0.5 * sin(TAU * 0.11 * t))) as f32;
    }
    add_noise(&mut channels[0], 44, FLOOR_DB, &[]);
    StemAudio { channels }
}

pub(super) fn cabinet() -> StemAudio {
    let mut direct = performance();
    shape(&mut direct, &bass_coil());
    // A closed box with a big cone, the microphone near its edge: nasal.
    shape(
        &mut direct,
        &[low_cut(45.0), bell(95.0, 3.0, 1.2), bell(820.0, 9.0, 1.6), high_cut(3400.0), high_cut(5200.0)],
    );
    let mut out = silence();
    // 43.2 frames is 0.9 ms; the whole part of it, and the other way up.
    add(&mut out, &direct, -1.0, CABINET_LATE_FRAMES);
    finish(vec![out], -6.5, 5)
}
