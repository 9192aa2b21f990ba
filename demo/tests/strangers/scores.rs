//! What the strangers play: made-up lines and chords of a human hand, the same at every run.

use zinc_demo::player::{Chance, Note};

use super::SECONDS;

/// Roots of four bars, by number of the note.
const ROOTS: [f64; 4] = [40.0, 36.0, 43.0, 38.0];
/// A beat in seconds.
const BEAT_S: f64 = 0.5;

fn beats() -> usize {
    (SECONDS / BEAT_S) as usize
}

/// The root of the bar that a beat is in.
fn root(beat: f64) -> f64 {
    ROOTS[(beat / 4.0) as usize % ROOTS.len()]
}

/// A hand that is a few ms off and uneven.
struct Hand {
    chance: Chance,
    notes: Vec<Note>,
}

impl Hand {
    fn new(seed: u64) -> Self {
        Self { chance: Chance::new(seed), notes: Vec::new() }
    }

    /// Plays a note at a beat.
    fn play(&mut self, beat: f64, length: f64, midi: f64, velocity: f64) {
        let start_s = (beat * BEAT_S + 0.004 * self.chance.around()).max(0.0);
        let velocity = (velocity + 0.12 * self.chance.around()).clamp(0.15, 1.0);
        self.notes.push(Note { start_s, length_s: length * BEAT_S, midi, velocity, muted: false });
    }

    fn done(self) -> Vec<Note> {
        self.notes
    }
}

/// Roots, fifths and steps between, some held, from the low E string down to its C.
pub fn bass_line() -> Vec<Note> {
    let mut hand = Hand::new(11);
    for beat in (0..beats()).map(|b| b as f64) {
        let root = root(beat) - 12.0 + if root(beat) < 40.0 { 12.0 } else { 0.0 };
        match beat as usize % 4 {
            0 => hand.play(beat, 0.9, root, 0.85),
            1 => hand.play(beat, 0.45, root, 0.55),
            2 => {
                hand.play(beat, 0.4, root + 7.0, 0.7);
                hand.play(beat + 0.5, 0.4, root + 12.0, 0.6);
            }
            _ => hand.play(beat, 0.8, root + 5.0, 0.65),
        }
    }
    hand.done()
}

/// Eighths on the root.
pub fn bass_eighths() -> Vec<Note> {
    let mut hand = Hand::new(12);
    for eighth in 0..2 * beats() {
        let beat = 0.5 * eighth as f64;
        let root = root(beat) - 12.0 + if root(beat) < 40.0 { 12.0 } else { 0.0 };
        hand.play(beat, 0.42, root, if eighth % 2 == 0 { 0.8 } else { 0.6 });
    }
    hand.done()
}

/// Strings of a chord above a root, as a guitar has them.
fn strings(root: f64) -> [f64; 6] {
    let root = if root < 40.0 { root + 12.0 } else { root };
    [root, root + 7.0, root + 12.0, root + 16.0, root + 19.0, root + 24.0]
}

/// Chords strummed down and up.
pub fn strummed() -> Vec<Note> {
    let mut hand = Hand::new(13);
    const PATTERN: [(f64, bool, f64); 6] = [
        (0.0, true, 0.9),
        (1.0, true, 0.6),
        (1.5, false, 0.45),
        (2.5, false, 0.5),
        (3.0, true, 0.7),
        (3.5, false, 0.45),
    ];
    for bar in 0..beats() / 4 {
        for (at, down, velocity) in PATTERN {
            let beat = 4.0 * bar as f64 + at;
            for (n, string) in strings(root(beat)).into_iter().enumerate() {
                let order = if down { n } else { 5 - n };
                hand.play(beat + 0.02 * order as f64, 0.9, string, velocity);
            }
        }
    }
    hand.done()
}

/// A chord picked string by string.
pub fn picked() -> Vec<Note> {
    let mut hand = Hand::new(14);
    const ORDER: [usize; 8] = [0, 2, 3, 4, 5, 4, 3, 2];
    for eighth in 0..2 * beats() {
        let beat = 0.5 * eighth as f64;
        hand.play(beat, 1.4, strings(root(beat))[ORDER[eighth % 8]], if eighth % 8 == 0 { 0.8 } else { 0.6 });
    }
    hand.done()
}

/// Short low fifths, with pauses.
pub fn chugged() -> Vec<Note> {
    let mut hand = Hand::new(15);
    for eighth in (0..2 * beats()).filter(|e| e % 8 != 3 && e % 8 != 7) {
        let beat = 0.5 * eighth as f64;
        for string in &strings(root(beat))[..2] {
            hand.play(beat, 0.25, *string, if eighth % 4 == 0 { 0.95 } else { 0.7 });
        }
    }
    hand.done()
}

/// Steps of a scale from E.
const SCALE: [f64; 7] = [0.0, 2.0, 3.0, 5.0, 7.0, 8.0, 10.0];

/// A melody from `low` up to a ninth above it, with pauses.
fn melody(seed: u64, low: f64, lengths: [f64; 4]) -> Vec<Note> {
    let mut hand = Hand::new(seed);
    let (mut beat, mut step, mut n) = (0.0, 2i32, 0usize);
    while beat < beats() as f64 - 1.0 {
        let length = lengths[n % 4];
        step = (step + [1, 2, -1, -3, 2, -1][n % 6]).clamp(0, 8);
        let midi = low + 12.0 * f64::from(step / 7) + SCALE[(step % 7) as usize];
        hand.play(beat, 0.95 * length, midi, 0.65 + 0.02 * f64::from(step));
        beat += length + if n % 7 == 6 { 1.0 } else { 0.0 };
        n += 1;
    }
    hand.done()
}

/// A guitar's melody.
pub fn line() -> Vec<Note> {
    melody(16, 57.0, [1.0, 0.5, 0.5, 1.5])
}

/// A cello's melody.
pub fn low_line() -> Vec<Note> {
    melody(17, 40.0, [2.0, 1.0, 1.5, 0.5])
}

/// A violin's melody.
pub fn high_line() -> Vec<Note> {
    melody(18, 64.0, [1.5, 0.5, 2.0, 1.0])
}

/// Chords of two hands.
pub fn chords() -> Vec<Note> {
    let mut hand = Hand::new(19);
    for beat in (0..beats()).map(|b| b as f64).filter(|b| *b as usize % 4 != 1) {
        let root = root(beat);
        hand.play(beat, 0.9, root, 0.6);
        for above in [12.0, 19.0, 24.0, 28.0] {
            hand.play(beat + 0.01, 0.9, root + above, 0.55);
        }
    }
    hand.done()
}

/// Chords held for two bars.
pub fn held() -> Vec<Note> {
    let mut hand = Hand::new(20);
    for bar in 0..beats() / 4 {
        let beat = 4.0 * bar as f64;
        for above in [12.0, 19.0, 24.0, 28.0] {
            hand.play(beat, 3.9, root(beat) + above, 0.7);
        }
    }
    hand.done()
}

/// Low fifths held for a bar.
pub fn low_held() -> Vec<Note> {
    let mut hand = Hand::new(21);
    for bar in 0..beats() / 4 {
        let beat = 4.0 * bar as f64;
        for above in [0.0, 7.0, 12.0] {
            hand.play(beat, 3.9, root(beat) + above, 0.7);
        }
    }
    hand.done()
}

/// Short chords of brass.
pub fn stabs() -> Vec<Note> {
    let mut hand = Hand::new(22);
    for beat in (0..beats()).map(|b| b as f64) {
        let (length, velocity) = if beat as usize % 4 == 3 { (0.9, 0.8) } else { (0.3, 0.95) };
        if beat as usize % 4 != 1 {
            for above in [12.0, 19.0, 24.0, 28.0] {
                hand.play(beat, length, root(beat) + above, velocity);
            }
        }
    }
    hand.done()
}

/// Strokes of one drum at beats of a bar.
fn strokes(seed: u64, at: &[(f64, f64, f64)]) -> Vec<Note> {
    let mut hand = Hand::new(seed);
    for bar in 0..beats() / 4 {
        for (beat, key, velocity) in at {
            hand.play(4.0 * bar as f64 + beat, 0.4, *key, *velocity);
        }
    }
    hand.done()
}

/// A kick drum.
pub fn kick() -> Vec<Note> {
    strokes(23, &[(0.0, 36.0, 0.9), (1.75, 36.0, 0.6), (2.0, 36.0, 0.85)])
}

/// A snare drum, one ghost stroke a bar.
pub fn snare() -> Vec<Note> {
    strokes(24, &[(1.0, 38.0, 0.9), (2.75, 38.0, 0.35), (3.0, 38.0, 0.9)])
}

/// Closed hats, one open a bar.
pub fn hats() -> Vec<Note> {
    let closed = (0..7).map(|n| (0.5 * f64::from(n), 42.0, if n % 2 == 0 { 0.8 } else { 0.55 }));
    strokes(25, &closed.chain([(3.5, 46.0, 0.7)]).collect::<Vec<_>>())
}

/// Toms.
pub fn toms() -> Vec<Note> {
    strokes(26, &[(0.0, 48.0, 0.8), (1.0, 47.0, 0.85), (2.0, 45.0, 0.9), (3.0, 41.0, 0.9), (3.5, 41.0, 0.7)])
}
