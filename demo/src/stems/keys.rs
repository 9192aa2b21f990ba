//! Electric piano and organ.

use zinc_core::signal::math::{TAU, sin};

use super::stem::{FLOOR_DB, StemAudio, finish, note};
use crate::instrument::{organ, tine};
use crate::player::{Hands, Note};
use crate::song::{BARS, BEAT_S, Part, at, chord, part_of};
use crate::tools::{FS, add_noise, bell, high_cut, low_cut, resonant_low_pass, set_peak, shape, silence};

pub(super) fn electric_piano() -> StemAudio {
    let mut out = silence();
    let mut hands = Hands::new(10, 6.0, 0.25, 0.0);
    for bar in 0..BARS {
        let c = chord(bar);
        let root = c.root_above(52);
        let (rhythm, pedal): (&[(f64, f64)], bool) = match part_of(bar) {
            Part::Intro | Part::Break => (&[(0.0, 3.8)], true),
            Part::Verse => (&[(0.0, 1.4), (1.5, 0.9), (2.5, 1.4)], false),
            _ => (&[(0.0, 0.9), (1.0, 0.9), (2.0, 0.9), (3.0, 0.9)], bar % 2 == 0),
        };
        for (beat, beats) in rhythm {
            let accent = if *beat == 0.0 { 0.62 } else { 0.5 };
            for (finger, step) in [-12, 0, c.triad()[1], 7, 12].into_iter().enumerate() {
                let played = hands.play(note(at(bar, *beat), *beats, root + step, accent));
                // Fingers do not land together; the pedal holds what it caught until the bar ends.
                let start_s = played.start_s + 0.003 * finger as f64;
                let length_s = if pedal { at(bar, 3.9) - start_s } else { played.length_s };
                tine::strike(&mut out, Note { start_s, length_s, ..played }, hands.chance());
            }
        }
    }
    shape(&mut out, &[low_cut(55.0), bell(410.0, 5.0, 1.1), resonant_low_pass(3200.0, 0.8)]);
    finish(vec![out], -8.0, 10)
}

pub(super) fn organ() -> StemAudio {
    let mut keys = silence();
    let mut hands = Hands::new(11, 8.0, 0.05, 0.0);
    for bar in (12..BARS).filter(|b| part_of(*b) != Part::Break) {
        let c = chord(bar);
        let root = c.root_above(55);
        for step in [0, c.triad()[1], 7, 12] {
            organ::key(&mut keys, hands.play(note(at(bar, 0.0), 3.95, root + step, 0.8)), hands.chance());
        }
    }
    shape(&mut keys, &[low_cut(45.0), high_cut(5200.0)]);
    let bar_s = 4.0 * BEAT_S;
    let chorus = |t: f64| matches!(part_of(((t + 0.5) / bar_s) as usize), Part::Chorus | Part::LastChorus);
    let mut channels = vec![organ::rotor(&keys, chorus)];
    set_peak(&mut channels, -9.0);
    // Leakage of the generator and the rotor's fan, there even when nobody plays.
    for (i, x) in channels[0].iter_mut().enumerate() {
        let t = i as f64 / FS;
        *x += (0.0022 * sin(TAU * 61.7 * t) + 0.0014 * sin(TAU * 123.5 * t)) as f32;
    }
    add_noise(&mut channels[0], 110, -66.0, &[bell(240.0, 8.0, 0.8), high_cut(1800.0)]);
    add_noise(&mut channels[0], 111, FLOOR_DB, &[]);
    StemAudio { channels }
}
