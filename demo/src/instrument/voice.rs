//! A voice without words: pulses of the folds through five moving resonances.
//!
//! The folds' pulse is Rosenberg's (*Effect of glottal pulse shape on the quality of natural
//! vowels*, 1971), the resonances stand side by side (Klatt, *Software for a cascade/parallel
//! formant synthesizer*, 1980).

use zinc_core::signal::math::{PI, TAU, cos, exp, pow, sin};

use crate::player::{Chance, Note};
use crate::song::hz;
use crate::tools::{FS, frame};

/// Resonances in Hz of "ah", "oh", "oo" and "eh" (after Peterson & Barney, 1952, rounded).
const VOWELS: [[f64; 5]; 4] = [
    [780.0, 1250.0, 2700.0, 3500.0, 4500.0],
    [560.0, 900.0, 2600.0, 3400.0, 4400.0],
    [410.0, 880.0, 2500.0, 3400.0, 4400.0],
    [600.0, 1900.0, 2700.0, 3600.0, 4600.0],
];
const WIDTHS_HZ: [f64; 5] = [95.0, 110.0, 150.0, 220.0, 300.0];
const GAINS: [f64; 5] = [1.0, 0.9, 1.3, 1.5, 1.2];
/// Frames between two looks at the mouth.
const STEP: usize = 32;

/// How a note begins: one in three with a hiss or a stop before it.
#[derive(Clone, Copy)]
enum Onset {
    Open,
    /// A hiss about this many Hz.
    Hiss(f64),
    /// Closed lips that burst.
    Stop,
}

impl Onset {
    fn by_chance(chance: &mut Chance) -> Self {
        match (chance.unit() * 6.0) as u32 {
            0 => Self::Hiss(6200.0),
            1 => Self::Hiss(3300.0),
            2 | 3 => Self::Stop,
            _ => Self::Open,
        }
    }
}

/// Adds one sung note, gliding from vowel to vowel.
pub fn sing(out: &mut [f32], note: Note, chance: &mut Chance) {
    let (first, last) = (frame(note.start_s), frame(note.start_s + note.length_s).min(out.len()));
    if first >= last {
        return;
    }
    match Onset::by_chance(chance) {
        Onset::Open => breath(out, note.start_s - 0.24, 0.2, 0.016, 1500.0, chance),
        Onset::Hiss(hz) => breath(out, note.start_s - 0.09, 0.11, 0.16 * note.velocity, hz, chance),
        Onset::Stop => breath(out, note.start_s - 0.006, 0.016, 0.4 * note.velocity, 1800.0, chance),
    }
    let mut mouth = Mouth::by_chance(note, chance);
    for (n, part) in out[first..last].chunks_mut(STEP).enumerate() {
        let t = (n * STEP) as f64 / FS;
        mouth.shape(t, note.length_s, chance);
        for (i, x) in part.iter_mut().enumerate() {
            let t = t + i as f64 / FS;
            let swell = (t / 0.06).min(1.0) * ((note.length_s - t) / 0.11).clamp(0.0, 1.0);
            *x += (note.velocity * swell * mouth.next_sample(chance) * 8.0) as f32;
        }
    }
}

/// Throat and mouth during one note.
struct Mouth {
    base_hz: f64,
    vibrato_hz: f64,
    /// Where the pitch comes from, in semitones.
    scoop: f64,
    /// How open the folds stay: soft notes are breathier and darker.
    effort: f64,
    from: [f64; 5],
    to: [f64; 5],
    drift: f64,
    phase: f64,
    step: f64,
    before: f64,
    tilt: f64,
    resonators: [[f64; 2]; 5],
    coefficients: [[f64; 3]; 5],
}

impl Mouth {
    fn by_chance(note: Note, chance: &mut Chance) -> Self {
        let mut vowel = || VOWELS[(chance.unit() * 4.0) as usize % 4];
        let (from, to) = (vowel(), vowel());
        Self {
            base_hz: hz(note.midi),
            vibrato_hz: 5.3 + 0.3 * chance.around(),
            scoop: -0.5 - 0.5 * chance.unit(),
            effort: note.velocity,
            from,
            to,
            drift: 0.0,
            phase: 0.0,
            step: 0.0,
            before: 0.0,
            tilt: 0.0,
            resonators: [[0.0; 2]; 5],
            coefficients: [[0.0; 3]; 5],
        }
    }

    /// Pitch and resonances `t` seconds into a note of `length_s`.
    fn shape(&mut self, t: f64, length_s: f64, chance: &mut Chance) {
        self.drift += 0.03 * (0.25 * chance.around() - self.drift);
        // Vibrato waits for the second half of a long note.
        let vibrato = 0.45 * ((t - 0.35) / 0.5).clamp(0.0, 1.0) * sin(TAU * self.vibrato_hz * t);
        let semitones = self.scoop * exp(-t / 0.05) + vibrato + self.drift;
        self.step = self.base_hz * pow(2.0, semitones / 12.0) / FS;
        let glide = 0.5 - 0.5 * cos(PI * ((t - 0.05) / (0.7 * length_s)).clamp(0.0, 1.0));
        for (k, c) in self.coefficients.iter_mut().enumerate() {
            // A singer lifts the first resonance to the note where it would fall below it.
            let mut f = self.from[k] + (self.to[k] - self.from[k]) * glide;
            if k == 0 {
                f = f.max(1.05 * self.base_hz);
            }
            let r = exp(-PI * WIDTHS_HZ[k] / FS);
            *c = [2.0 * r * cos(TAU * f / FS), -r * r, (1.0 - r) * GAINS[k]];
        }
    }

    #[inline]
    fn next_sample(&mut self, chance: &mut Chance) -> f64 {
        self.phase += self.step;
        if self.phase >= 1.0 {
            self.phase -= 1.0;
        }
        let flow = flow(self.phase);
        // Harder singing closes the folds more sharply; breath is heard while they are open.
        self.tilt += (0.25 + 0.6 * self.effort) * (flow - self.before - self.tilt);
        self.before = flow;
        let source = 6.0 * self.tilt + (0.010 + 0.012 * flow) * (1.2 - self.effort) * chance.noise();
        // What passes above the resonances.
        let mut sum = 0.3 * source;
        for (k, (state, c)) in self.resonators.iter_mut().zip(&self.coefficients).enumerate() {
            let y = c[2] * source + c[0] * state[0] + c[1] * state[1];
            *state = [y, state[0]];
            // Neighbours against each other, so that no hole is cut between them.
            sum += if k % 2 == 0 { y } else { -y };
        }
        sum
    }
}

/// Rosenberg's pulse: opens over 40 % of the period, closes over 16 %.
#[inline]
fn flow(phase: f64) -> f64 {
    if phase < 0.4 {
        0.5 - 0.5 * cos(PI * phase / 0.4)
    } else if phase < 0.56 {
        cos(0.5 * PI * (phase - 0.4) / 0.16)
    } else {
        0.0
    }
}

/// Air without tone: noise about `hz` that swells and goes.
fn breath(out: &mut [f32], start_s: f64, length_s: f64, level: f64, hz: f64, chance: &mut Chance) {
    if start_s < 0.0 {
        return;
    }
    let frames = frame(length_s);
    let keep = exp(-PI * (0.5 * hz) / FS);
    let turn = 2.0 * keep * cos(TAU * hz / FS);
    let (mut y1, mut y2) = (0.0, 0.0);
    for (i, x) in out.iter_mut().skip(frame(start_s)).take(frames).enumerate() {
        let swell = sin(PI * i as f64 / frames as f64);
        let y = (1.0 - keep) * chance.noise() * swell + turn * y1 - keep * keep * y2;
        (y2, y1) = (y1, y);
        *x += (level * 3.0 * (y - y2)) as f32;
    }
}
