//! The string: a delay as long as its period, with losses that grow with frequency
//! (Jaffe & Smith, *Extensions of the Karplus-Strong plucked-string algorithm*, 1983;
//! Valimaki, Huopaniemi, Karjalainen & Janosy, *Physical modeling of plucked string
//! instruments*, 1996).

use zinc_core::signal::math::{TAU, cos, exp, sin};

use crate::tools::{FS, between};

/// Most sections of stiffness.
const MOST_STIFF: usize = 4;
/// Where the second time of decay is meant, in Hz.
const BRIGHT_HZ: f64 = 3000.0;

/// Frames run at a time: fewer than any string's delay, so that what comes out of it is known
/// before anything goes in.
pub(super) const STEP: usize = 16;
/// Room for what the string remembers, in the longest delays.
const ROOM: usize = 6;

/// A string of one pitch up to 1.8 kHz, silent until something is put into it.
pub(super) struct StringLoop {
    /// What passed, the latest at `at - 1`; moved to the front when the room is used up.
    line: Vec<f64>,
    at: usize,
    longest: usize,
    f0: f64,
    /// Its pitch as a multiple of the note's.
    detune: f64,
    times: [f64; 2],
    /// Frames of delay before the fraction, and the weights of the four points about it.
    whole: usize,
    weights: [f64; 4],
    /// `gain (1 + a) / (1 + a / z)`: the losses of one period.
    gain: f64,
    a: f64,
    low: f64,
    stiff: [[f64; 2]; MOST_STIFF],
    sections: usize,
    c: f64,
}

impl StringLoop {
    /// A string for a note of `hz`, tuned to `detune` times that, which falls by 60 dB in
    /// `times` seconds (lows, 3 kHz).
    pub fn new(hz: f64, detune: f64, times: [f64; 2], stiffness: (usize, f64)) -> Self {
        let f0 = hz * detune;
        // A finger may come from an octave below.
        let longest = (2.0 * FS / f0) as usize + 2 * STEP;
        let mut string = Self {
            line: vec![0.0; ROOM * longest],
            at: longest,
            longest,
            f0,
            detune,
            times,
            whole: 1,
            weights: [0.0; 4],
            gain: 0.0,
            a: 0.0,
            low: 0.0,
            stiff: [[0.0; 2]; MOST_STIFF],
            sections: stiffness.0.min(MOST_STIFF),
            c: stiffness.1,
        };
        string.tune();
        string
    }

    /// Moves to another note.
    pub fn set_pitch(&mut self, hz: f64) {
        let f0 = hz * self.detune;
        if (f0 / self.f0 - 1.0).abs() > 1e-9 {
            self.f0 = f0;
            self.tune();
        }
    }

    /// A finger that stops it: the times come down to `times`, not at once.
    pub fn choke(&mut self, times: [f64; 2]) {
        if self.times[0] > 1.01 * times[0] {
            self.times = [0, 1].map(|k| times[k] + 0.7 * (self.times[k] - times[k]).max(0.0));
            self.tune();
        }
    }

    /// Losses and delay for its pitch and times.
    fn tune(&mut self) {
        // What is left after one period, of the lows and at 3 kHz (or an octave up).
        let left = |t60_s: f64| exp(-6.9078 / (self.f0 * t60_s));
        let bright_hz = BRIGHT_HZ.max(2.0 * self.f0);
        self.gain = left(self.times[0]);
        let ratio = (left(self.times[1]) / self.gain).min(0.999_999);
        let (r2, c) = (ratio * ratio, cos(TAU * bright_hz / FS));
        let b = 1.0 - r2 * c;
        self.a = ((b * b - (1.0 - r2) * (1.0 - r2)).max(0.0).sqrt() - b) / (1.0 - r2);
        let w = TAU * self.f0 / FS;
        let delay = FS / self.f0 - delay_of_losses(self.a, w) - self.sections as f64 * delay_of_stiffness(self.c, w);
        let delay = delay.clamp((STEP + 1) as f64, (self.longest - 4) as f64);
        self.whole = delay as usize;
        self.weights = between(delay - self.whole as f64);
    }

    /// Puts [`STEP`] frames of `input` in and gives what passes.
    pub fn run(&mut self, input: &[f64; STEP]) -> [f64; STEP] {
        if self.at + STEP > self.line.len() {
            self.line.copy_within(self.at - self.longest..self.at, 0);
            self.at = self.longest;
        }
        let past = &self.line[self.at - self.whole - 2..][..STEP + 3];
        let w = &self.weights;
        let mut x: [f64; STEP] =
            core::array::from_fn(|i| w[0] * past[i + 3] + w[1] * past[i + 2] + w[2] * past[i + 1] + w[3] * past[i]);
        let through = self.gain * (1.0 + self.a);
        for x in &mut x {
            self.low = through * *x - self.a * self.low;
            *x = self.low;
        }
        for state in &mut self.stiff[..self.sections] {
            for x in &mut x {
                let y = self.c * (*x - state[1]) + state[0];
                *state = [*x, y];
                *x = y;
            }
        }
        for (x, input) in x.iter_mut().zip(input) {
            *x += input;
        }
        self.line[self.at..self.at + STEP].copy_from_slice(&x);
        self.at += STEP;
        x
    }
}

/// Phase delay in frames of `1 / (1 + a / z)` at `w` radians a frame.
fn delay_of_losses(a: f64, w: f64) -> f64 {
    (-a * sin(w)).atan2(1.0 + a * cos(w)) / w
}

/// Phase delay in frames of `(c + 1/z) / (1 + c / z)`.
fn delay_of_stiffness(c: f64, w: f64) -> f64 {
    let (up, down) = ((-sin(w)).atan2(c + cos(w)), (-c * sin(w)).atan2(1.0 + c * cos(w)));
    -(up - down) / w
}
