//! Bowed strings: a section of slightly different players.
//!
//! A bowed string moves in sawteeth (Helmholtz; Cremer, *The Physics of the Violin*): each
//! player has one without aliasing (two-point polynomial correction), with a vibrato that
//! sets in late, a pitch that is never quite still, hair that scratches most while the string
//! slips, and a bow that runs out and turns. [`violin_body`] and [`cello_body`] are what the
//! wood makes of it.

use zinc_core::filter::AnalogSection;
use zinc_core::signal::math::{TAU, exp, pow, sin};

use crate::player::{Chance, Note};
use crate::song::hz;
use crate::tools::{FS, bell, frame, high_shelf, low_cut, resonant_low_pass};

/// Frames between two looks at the hands.
const STEP: usize = 32;
/// A bow lasts about this long before it turns, in seconds.
const BOW_S: f64 = 1.5;
/// Level of the hair's noise against the string.
const HAIR: f64 = 0.06;

/// Adds one note by `players` players.
pub fn section(out: &mut [f32], note: Note, players: usize, chance: &mut Chance) {
    for _ in 0..players {
        bow(out, note, chance);
    }
}

/// One player's hands in one note.
struct Hands {
    base_hz: f64,
    vibrato_hz: f64,
    /// In octaves.
    depth: f64,
    attack_s: f64,
    /// When the bow turns, seconds after the start.
    turn_s: f64,
    drift: f64,
}

impl Hands {
    fn by_chance(note: Note, chance: &mut Chance) -> Self {
        Self {
            base_hz: hz(note.midi + 0.06 * chance.around()),
            vibrato_hz: 5.3 + 0.5 * chance.around(),
            depth: 0.014 * (1.0 + 0.4 * chance.around()),
            attack_s: (0.16 - 0.09 * note.velocity) * (1.0 + 0.3 * chance.unit()),
            turn_s: BOW_S * (0.9 + 0.3 * chance.unit()),
            drift: 0.0,
        }
    }

    /// Frequency `t` seconds into the note.
    fn hz(&mut self, t: f64, chance: &mut Chance) -> f64 {
        self.drift += 0.02 * (0.0012 * chance.around() - self.drift);
        let onset = ((t - 0.18) / 0.45).clamp(0.0, 1.0);
        // The hand arrives from a little below.
        let scoop = -0.006 * exp(-t / 0.035);
        self.base_hz * pow(2.0, self.depth * onset * sin(TAU * self.vibrato_hz * t) + self.drift + scoop)
    }

    /// Pressure of the bow: it swells in, eases, turns, and leaves.
    fn pressure(&self, t: f64, left_s: f64) -> f64 {
        let turned = if t > self.turn_s { t - self.turn_s } else { self.turn_s - t };
        let turn = 1.0 - 0.75 * exp(-(turned / 0.028).powi(2));
        let breath = 0.88 + 0.12 * sin(core::f64::consts::PI * (t / BOW_S).min(1.0));
        (t / self.attack_s).min(1.0) * (left_s / 0.11).min(1.0) * turn * breath
    }
}

fn bow(out: &mut [f32], note: Note, chance: &mut Chance) {
    let start = note.start_s + 0.035 * chance.around().abs();
    let (first, last) = (frame(start), frame(start + note.length_s + 0.04 * chance.unit()).min(out.len()));
    let mut hands = Hands::by_chance(note, chance);
    let (mut phase, mut pressure, mut hair) = (chance.unit(), 0.0, 0.0);
    for (n, part) in out[first.min(last)..last].chunks_mut(STEP).enumerate() {
        let t = (n * STEP) as f64 / FS;
        let step = hands.hz(t, chance) / FS;
        let next = hands.pressure(t, (last - first - n * STEP) as f64 / FS);
        let (from, frames) = (pressure, part.len() as f64);
        for (i, x) in part.iter_mut().enumerate() {
            pressure = from + (next - from) * (i + 1) as f64 / frames;
            phase += step;
            if phase >= 1.0 {
                phase -= 1.0;
            }
            let string = 2.0 * phase - 1.0 - corner(phase, step);
            // The hair is heard most while the string slips under it.
            let slips = if phase > 0.86 { 1.0 } else { 0.35 };
            hair += 0.45 * (chance.noise() * slips - hair);
            *x += (note.velocity * pressure * (0.3 * string + HAIR * hair)) as f32;
        }
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

/// A violin: the air and the two lowest modes of the plates, the hill of the bridge, little
/// above it (Fletcher & Rossing, 10.5; Jansson, *Acoustics for violin and guitar makers*).
#[must_use]
pub fn violin_body() -> Vec<Vec<AnalogSection>> {
    vec![
        low_cut(230.0),
        bell(280.0, 5.0, 8.0),
        bell(460.0, 4.0, 9.0),
        bell(545.0, 4.0, 9.0),
        bell(1000.0, 2.0, 2.0),
        bell(2500.0, 6.0, 1.2),
        resonant_low_pass(4600.0, 0.8),
        resonant_low_pass(9500.0, 0.7),
    ]
}

/// A cello: the same, an octave and a fifth lower.
#[must_use]
pub fn cello_body() -> Vec<Vec<AnalogSection>> {
    vec![
        low_cut(75.0),
        bell(105.0, 3.0, 5.0),
        bell(180.0, 4.0, 6.0),
        bell(235.0, 3.0, 6.0),
        bell(500.0, 4.0, 1.2),
        bell(1900.0, 4.0, 1.4),
        resonant_low_pass(3300.0, 0.8),
        high_shelf(8000.0, 4.0),
    ]
}
