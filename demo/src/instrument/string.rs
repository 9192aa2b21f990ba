//! Plucked strings: a digital waveguide (Karplus & Strong, 1983; Jaffe & Smith, 1983).
//!
//! The excitation is a burst of noise, darker for soft strokes, combed by the
//! place of the pick; the loop loses highs faster than lows; a first-order
//! allpass tunes it to a fraction of a sample, another bends the partials sharp
//! as stiffness does; the pickup combs what is heard.

use zinc_core::signal::math::{exp, pow};

use crate::player::{Chance, Note};
use crate::song::hz;
use crate::tools::{FS, frame};

/// A string's nature.
#[derive(Clone, Copy, Debug)]
pub struct StringKind {
    /// Seconds for the fundamental to fall by 60 dB at the low E of a guitar.
    pub t60_s: f64,
    /// Loss of highs per period, 0 (none) to 0.5.
    pub damping: f64,
    /// Place of the pick, share of the string's length.
    pub pick_at: f64,
    /// Place of the pickup, or 0 for a string heard in the air.
    pub pickup_at: f64,
    /// Brightness of a hard stroke, 0..1.
    pub brightness: f64,
    /// Allpass coefficient of the stiffness, 0..0.5.
    pub stiffness: f64,
}

/// Adds one plucked note to `out`.
pub fn pluck(out: &mut [f32], note: Note, kind: StringKind, chance: &mut Chance) {
    let f0 = hz(note.midi);
    let first = frame(note.start_s);
    let tail_s = if note.muted { 0.12 } else { 0.25 };
    let last = frame(note.start_s + note.length_s + tail_s).min(out.len());
    if first >= last {
        return;
    }
    let mut string = Waveguide::new(f0, note, kind, chance);
    let stop = frame(note.start_s + note.length_s);
    let fade = last - stop.min(last - 1);
    for (i, sample) in out[first..last].iter_mut().enumerate() {
        if first + i == stop {
            string.stop();
        }
        let mut x = string.next_sample();
        if first + i > stop {
            x *= 1.0 - (first + i - stop) as f64 / fade as f64;
        }
        *sample += x as f32;
    }
}

struct Waveguide {
    line: Vec<f64>,
    at: usize,
    tuning: f64,
    tuning_state: [f64; 2],
    stiffness: f64,
    stiff_state: [f64; 2],
    damping: f64,
    keep: f64,
    before: f64,
    /// Taps between the pickup and its mirror image.
    pickup_tap: usize,
}

impl Waveguide {
    fn new(f0: f64, note: Note, kind: StringKind, chance: &mut Chance) -> Self {
        let damping = if note.muted { 0.45 } else { kind.damping };
        let stiff_delay = (1.0 - kind.stiffness) / (1.0 + kind.stiffness);
        let period = FS / f0 - damping - stiff_delay;
        let whole = (period - 0.3).floor().max(2.0);
        let fraction = period - whole;
        let t60 = if note.muted { 0.22 } else { kind.t60_s * pow(82.4 / f0, 0.4) };
        let mut line = excitation(whole as usize, note.velocity, kind, chance);
        let mean = line.iter().sum::<f64>() / line.len() as f64;
        line.iter_mut().for_each(|x| *x -= mean);
        Self {
            pickup_tap: (kind.pickup_at * line.len() as f64) as usize,
            line,
            at: 0,
            tuning: (1.0 - fraction) / (1.0 + fraction),
            tuning_state: [0.0; 2],
            stiffness: kind.stiffness,
            stiff_state: [0.0; 2],
            damping,
            keep: exp(-6.9078 / (f0 * t60)),
            before: 0.0,
        }
    }

    /// The finger leaves the fret: everything dies quickly.
    fn stop(&mut self) {
        self.damping = 0.4;
        self.keep *= 0.9;
    }

    #[inline]
    fn next_sample(&mut self) -> f64 {
        let n = self.line.len();
        let x = self.line[self.at];
        let lossy = ((1.0 - self.damping) * x + self.damping * self.before) * self.keep;
        self.before = x;
        let tuned = allpass(lossy, self.tuning, &mut self.tuning_state);
        let stiff = allpass(tuned, self.stiffness, &mut self.stiff_state);
        self.line[self.at] = stiff;
        let mirror = self.line[(self.at + self.pickup_tap) % n];
        self.at = (self.at + 1) % n;
        if self.pickup_tap > 0 { x - mirror } else { x }
    }
}

#[inline]
fn allpass(x: f64, c: f64, state: &mut [f64; 2]) -> f64 {
    let y = c * x + state[0] - c * state[1];
    *state = [x, y];
    y
}

/// One period of noise, darker for soft strokes, combed by the pick's place.
fn excitation(frames: usize, velocity: f64, kind: StringKind, chance: &mut Chance) -> Vec<f64> {
    let open = (kind.brightness * (0.35 + 0.65 * velocity)).clamp(0.05, 0.98);
    let mut smooth = 0.0;
    let raw: Vec<f64> = (0..frames)
        .map(|_| {
            smooth += open * (chance.noise() - smooth);
            smooth * velocity
        })
        .collect();
    let pick = ((kind.pick_at * frames as f64) as usize).max(1);
    (0..frames).map(|i| raw[i] - 0.9 * raw[(i + frames - pick) % frames]).collect()
}
