//! The string in its two planes: in each a delay as long as its period, with losses that grow
//! with frequency (Jaffe & Smith, *Extensions of the Karplus-Strong plucked-string algorithm*, 1983;
//! Valimaki, Huopaniemi, Karjalainen & Janosy, *Physical modeling of plucked string
//! instruments*, 1996).

use zinc_core::signal::Frame;
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

/// What one plane of the motion adds to the note's own figures.
#[derive(Clone, Copy)]
pub(super) struct Plane {
    /// Its pitch as a multiple of the note's.
    pub detune: f64,
    /// Seconds in which it falls by 60 dB: the lows, and 3 kHz.
    pub times: [f64; 2],
}

/// A string of one pitch up to 1.8 kHz, silent until something is put into it. Both planes run
/// side by side, since each sample waits for the one before.
pub(super) struct StringLoop {
    /// What passed in either plane, the latest at `at - 1`; moved to the front when the room is
    /// used up.
    line: Vec<Frame>,
    at: usize,
    longest: usize,
    hz: f64,
    planes: [Plane; 2],
    /// Frames of delay before the fraction, and the weights of the four points about it.
    whole: [usize; 2],
    weights: [[f64; 4]; 2],
    /// `gain (1 + a) / (1 + a / z)`: the losses of one period.
    gain: Frame,
    a: Frame,
    low: Frame,
    stiff: [[Frame; 2]; MOST_STIFF],
    sections: usize,
    c: f64,
}

impl StringLoop {
    /// A string for a note of `hz`.
    pub fn new(hz: f64, planes: [Plane; 2], stiffness: (usize, f64)) -> Self {
        // A finger may come from an octave below.
        let lowest = hz * planes[0].detune.min(planes[1].detune);
        let longest = (2.0 * FS / lowest) as usize + 2 * STEP;
        let mut string = Self {
            line: vec![[0.0; 2]; ROOM * longest],
            at: longest,
            longest,
            hz,
            planes,
            whole: [1; 2],
            weights: [[0.0; 4]; 2],
            gain: [0.0; 2],
            a: [0.0; 2],
            low: [0.0; 2],
            stiff: [[[0.0; 2]; 2]; MOST_STIFF],
            sections: stiffness.0.min(MOST_STIFF),
            c: stiffness.1,
        };
        string.tune();
        string
    }

    /// Moves to another note.
    pub fn set_pitch(&mut self, hz: f64) {
        if (hz / self.hz - 1.0).abs() > 1e-9 {
            self.hz = hz;
            self.tune();
        }
    }

    /// A finger that stops it: the times come down to `times`, not at once.
    pub fn choke(&mut self, times: [f64; 2]) {
        let sounding = self.planes.map(|plane| plane.times[0] > 1.01 * times[0]);
        for (plane, _) in self.planes.iter_mut().zip(sounding).filter(|(_, sounding)| *sounding) {
            plane.times = [0, 1].map(|k| times[k] + 0.7 * (plane.times[k] - times[k]).max(0.0));
        }
        if sounding.contains(&true) {
            self.tune();
        }
    }

    /// Losses and delay for its pitch and times.
    fn tune(&mut self) {
        for lane in 0..2 {
            let Plane { detune, times } = self.planes[lane];
            let f0 = self.hz * detune;
            // What is left after one period, of the lows and at 3 kHz (or an octave up).
            let left = |t60_s: f64| exp(-6.9078 / (f0 * t60_s));
            let bright_hz = BRIGHT_HZ.max(2.0 * f0);
            let gain = left(times[0]);
            let ratio = (left(times[1]) / gain).min(0.999_999);
            let (r2, c) = (ratio * ratio, cos(TAU * bright_hz / FS));
            let b = 1.0 - r2 * c;
            let a = ((b * b - (1.0 - r2) * (1.0 - r2)).max(0.0).sqrt() - b) / (1.0 - r2);
            let w = TAU * f0 / FS;
            let delay = FS / f0 - delay_of_losses(a, w) - self.sections as f64 * delay_of_stiffness(self.c, w);
            let delay = delay.clamp((STEP + 1) as f64, (self.longest - 4) as f64);
            (self.gain[lane], self.a[lane]) = (gain, a);
            self.whole[lane] = delay as usize;
            self.weights[lane] = between(delay - delay.floor());
        }
    }

    /// Puts [`STEP`] frames of `input` in and gives what passes in either plane.
    pub fn run(&mut self, input: &[f64; STEP]) -> [Frame; STEP] {
        if self.at + STEP > self.line.len() {
            self.line.copy_within(self.at - self.longest..self.at, 0);
            self.at = self.longest;
        }
        let mut x = [[0.0; 2]; STEP];
        for lane in 0..2 {
            let past = &self.line[self.at - self.whole[lane] - 2..][..STEP + 3];
            let w = &self.weights[lane];
            for (i, x) in x.iter_mut().enumerate() {
                x[lane] = w[0] * past[i + 3][lane]
                    + w[1] * past[i + 2][lane]
                    + w[2] * past[i + 1][lane]
                    + w[3] * past[i][lane];
            }
        }
        let through = [0, 1].map(|lane| self.gain[lane] * (1.0 + self.a[lane]));
        for x in &mut x {
            self.low = [0, 1].map(|lane| through[lane] * x[lane] - self.a[lane] * self.low[lane]);
            *x = self.low;
        }
        for [before, after] in &mut self.stiff[..self.sections] {
            for x in &mut x {
                let y = [0, 1].map(|lane| self.c * (x[lane] - after[lane]) + before[lane]);
                (*before, *after) = (*x, y);
                *x = y;
            }
        }
        for (x, input) in x.iter_mut().zip(input) {
            *x = x.map(|x| x + input);
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
