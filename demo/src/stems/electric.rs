//! The electric guitars, direct: two that play the same part, and one that sings.

use super::stem::{StemAudio, finish, handling, note};
use crate::instrument::string::kinds::{ELECTRIC, NECK, coil};
use crate::instrument::string::{StringKind, pluck, slide, squeak};
use crate::player::{Hands, Note};
use crate::song::{BARS, Part, at, chord, part_of};
use crate::tools::{bell, low_cut, resonant_low_pass, shape, silence};

/// One stroke over some strings.
#[derive(Clone, Copy)]
pub(super) struct Strum {
    pub start_s: f64,
    pub beats: f64,
    pub muted: bool,
    pub velocity: f64,
    /// Time from the first string to the next, in seconds.
    pub spread_s: f64,
}

impl Strum {
    /// Plays it, lowest string first.
    pub fn play(self, out: &mut [f32], hands: &mut Hands, kind: &StringKind, strings: &[i32]) {
        let stroke = hands.play(Note { muted: self.muted, ..note(self.start_s, self.beats, 0, self.velocity) });
        for (i, midi) in strings.iter().enumerate() {
            let chance = hands.chance();
            let n = Note {
                start_s: stroke.start_s + self.spread_s * i as f64,
                midi: f64::from(*midi) + 0.03 * chance.around(),
                velocity: (stroke.velocity * (1.0 + 0.06 * chance.around())).clamp(0.05, 1.0),
                ..stroke
            };
            pluck(out, n, kind, chance);
        }
    }
}

pub(super) fn rhythm_left() -> StemAudio {
    rhythm(64, 0.0)
}

pub(super) fn rhythm_right() -> StemAudio {
    rhythm(68, 1.0)
}

const VERSE: [(f64, bool); 7] =
    [(0.0, true), (0.5, true), (0.75, true), (1.5, false), (2.5, true), (2.75, true), (3.0, false)];

/// One of the two rhythm guitars; `edge` shifts the pickup's colour.
fn rhythm(seed: u64, edge: f64) -> StemAudio {
    let mut out = silence();
    let mut hands = Hands::new(seed, 6.0, 0.05, 3.0);
    let kind = StringKind { pickup_at: ELECTRIC.pickup_at + 0.01 * edge, ..ELECTRIC };
    for bar in 4..BARS {
        rhythm_bar(&mut out, &mut hands, &kind, bar);
    }
    // The palm on the bridge lets 165 Hz build up; both compete around 2.6 kHz.
    shape(&mut out, &[low_cut(130.0), low_cut(95.0), bell(165.0, 5.0, 2.0), bell(2600.0 + 200.0 * edge, 3.0, 1.0)]);
    shape(&mut out, &coil(4300.0));
    let mut audio = finish(vec![out], -5.0, seed);
    handling(&mut audio.channels[0], seed + 300);
    audio
}

fn rhythm_bar(out: &mut [f32], hands: &mut Hands, kind: &StringKind, bar: usize) {
    let root = chord(bar).root_above(45);
    let third = chord(bar).triad()[1];
    let mut strum = |beat: f64, beats: f64, muted: bool, velocity: f64, strings: &[i32]| {
        let spread_s = 0.011 + 0.008 * hands.chance().unit();
        Strum { start_s: at(bar, beat), beats, muted, velocity, spread_s }.play(out, hands, kind, strings);
    };
    match part_of(bar) {
        Part::Verse => {
            for (beat, muted) in VERSE {
                let (beats, strings) = if muted {
                    (0.3, [root, root + 7, root + 12])
                } else {
                    (0.9, [root + 7, root + 12, root + 12 + third])
                };
                strum(beat, beats, muted, if muted { 0.75 } else { 0.8 }, &strings);
            }
        }
        Part::Lift => {
            for eighth in 0..8 {
                let velocity = 0.92 + 0.01 * f64::from(eighth);
                strum(f64::from(eighth) * 0.5, 0.42, true, velocity, &[root, root + 7, root + 12]);
            }
        }
        Part::Chorus | Part::LastChorus => {
            for (beat, beats) in [(0.0, 1.9), (2.0, 1.4), (3.5, 0.5)] {
                let chord = [root + 7, root + 12, root + 12 + third, root + 19];
                strum(beat, beats, false, 0.72, &chord);
            }
            if hands.chance().unit() < 0.5 {
                squeak(out, at(bar, 3.9), 0.012, hands.chance());
            }
        }
        Part::Break => strum(0.0, 3.9, false, 0.75, &[root + 7, root + 12, root + 12 + third]),
        Part::Intro => {}
    }
}

/// Beat, length, pitch.
const MELODY: [(f64, f64, i32); 12] = [
    (0.0, 1.45, 64),
    (1.5, 0.45, 62),
    (2.0, 1.95, 59),
    (4.0, 0.95, 57),
    (5.0, 0.95, 55),
    (6.0, 1.95, 62),
    (8.0, 1.45, 67),
    (9.5, 0.45, 55),
    (10.0, 1.95, 62),
    (12.0, 0.95, 64),
    (13.0, 0.95, 62),
    (14.0, 1.95, 59),
];

pub(super) fn lead() -> StemAudio {
    let mut out = silence();
    let mut hands = Hands::new(9, 7.0, 0.06, 2.0);
    for start in [24usize, 28] {
        for (beat, length, midi) in MELODY {
            // The second time it dips to the low E.
            let midi = if start == 28 && beat == 9.5 { 52 } else { midi };
            let n = hands.play(note(at(start, beat), length, midi, 0.7));
            // Long notes are slid into.
            let from = if length > 1.8 { -2.0 } else { 0.0 };
            slide(&mut out, n, from, &NECK, hands.chance());
        }
    }
    // Its tone control is closed.
    shape(&mut out, &coil(4300.0));
    shape(&mut out, &[low_cut(200.0), resonant_low_pass(2000.0, 0.7)]);
    let mut audio = finish(vec![out], -7.0, 9);
    handling(&mut audio.channels[0], 309);
    audio
}
