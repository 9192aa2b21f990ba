//! One look at the sound: a transform as long as its octaves need, laid on the scale.

use std::sync::Arc;
use zinc_fourier::{Complex32, RealToComplex, forward_f32};

use super::notes::Lines;
use super::opening::opened;
use super::scale::{hz_at, quantile};
use crate::signal::decibel::power_to_db;
use crate::signal::math::{TAU, cos, pow};

/// Most moments kept; of longer sounds every second, fourth... one.
const MOST_MOMENTS: usize = 1024;
/// Moments this far under the loudest are rests.
const REST_DB: f32 = 30.0;
/// What lies so far under the strongest bin is not looked at: 100 dB, as a power.
const NOTHING: f64 = 1e-10;
/// Half the width in steps of the surroundings a level is held against: a third of an octave.
const AROUND: usize = 32;
/// Steps looked at beyond the ends, so that surroundings are whole there.
const BEYOND: i32 = 46;

/// What one resolution covers.
#[derive(Clone, Copy)]
pub(super) struct Cover {
    /// Frames of the transform at up to 50 kHz; twice that above.
    pub size: usize,
    /// Frames from one look to the next, likewise.
    pub hop: usize,
    /// First step and the one after the last.
    pub steps: (i32, i32),
    /// Whether the lines of notes are looked for too.
    pub lines: bool,
}

/// One moment on the scale, in dB.
pub(super) struct Moment {
    /// As it is.
    pub levels: Vec<f32>,
    /// Over its surroundings.
    pub over: Vec<f32>,
    /// Its opening over the surroundings of that.
    pub opened: Vec<f32>,
    /// Level of the whole spectrum.
    loudness: f32,
    /// The lines of notes, where they are looked for.
    pub lines: Option<Lines>,
}

/// Takes in a sound and keeps its moments.
pub(super) struct Resolution {
    pub cover: Cover,
    bin_hz: f64,
    hop: usize,
    fft: Arc<dyn RealToComplex<f32>>,
    window: Vec<f32>,
    waiting: Vec<f32>,
    pub moments: Vec<Moment>,
    /// Every how many moments one is kept, and how many passed.
    every: usize,
    passed: usize,
}

impl Resolution {
    pub fn new(cover: Cover, rate: f64) -> Self {
        let double = if rate > 50_000.0 { 2 } else { 1 };
        let size = double * cover.size;
        Self {
            cover,
            bin_hz: rate / size as f64,
            hop: double * cover.hop,
            fft: forward_f32(size),
            window: (0..size).map(|i| blackman_harris(i as f64 / size as f64) as f32).collect(),
            waiting: Vec::with_capacity(size),
            moments: Vec::new(),
            every: 1,
            passed: 0,
        }
    }

    /// Takes in samples of the sound as one channel.
    pub fn push(&mut self, samples: impl Iterator<Item = f32>) {
        for x in samples {
            self.waiting.push(x);
            if self.waiting.len() == self.window.len() {
                self.look();
                self.waiting.drain(..self.hop);
            }
        }
    }

    /// Seconds between two moments.
    pub fn step_s(&self) -> f64 {
        (self.hop * self.every) as f64 / (self.bin_hz * self.window.len() as f64)
    }

    /// From the level of a bin to the peak level in dBFS of the tone that stands in it: half of
    /// its amplitude times the sum of the window.
    pub fn tone_db(&self) -> f64 {
        -power_to_db(pow(0.5 * WINDOW[0] * self.window.len() as f64, 2.0))
    }

    /// Drops the rests.
    pub fn drop_rests(&mut self) {
        let loudest = self.moments.iter().fold(f32::NEG_INFINITY, |most, m| most.max(m.loudness));
        self.moments.retain(|m| m.loudness > loudest - REST_DB);
    }

    fn look(&mut self) {
        self.passed += 1;
        if !(self.passed - 1).is_multiple_of(self.every) {
            return;
        }
        if self.moments.len() == MOST_MOMENTS {
            let mut keep = false;
            self.moments.retain(|_| {
                keep = !keep;
                keep
            });
            self.every *= 2;
        }
        let mut scratch: Vec<f32> = self.waiting.iter().zip(&self.window).map(|(x, w)| x * w).collect();
        let mut spectrum = self.fft.make_output_vec();
        if self.fft.process(&mut scratch, &mut spectrum).is_ok() {
            let moment = self.moment(&spectrum);
            self.moments.push(moment);
        }
    }

    fn moment(&self, spectrum: &[Complex32]) -> Moment {
        let power: f64 = spectrum.iter().map(|h| f64::from(h.norm_sqr())).sum();
        // Below this there is nothing but the rounding of the transform.
        let nothing = spectrum.iter().fold(1e-20, |most: f64, h| most.max(f64::from(h.norm_sqr()))) * NOTHING;
        let db = |h: &Complex32| power_to_db(f64::from(h.norm_sqr()).max(nothing)) as f32;
        let (first, last) = self.cover.steps;
        // Lines are looked for as high as there may be partials, and need all of it.
        let highest = if self.cover.lines { f64::INFINITY } else { 1.01 * hz_at(f64::from(last + BEYOND)) };
        let from = ((0.98 * hz_at(f64::from(first - BEYOND))) / self.bin_hz) as usize;
        let from = if self.cover.lines { 0 } else { from };
        let to = ((highest / self.bin_hz) as usize).saturating_add(2).min(spectrum.len());
        let bins: Vec<f32> = spectrum[from..to].iter().map(db).collect();
        let open = opened(&bins);
        let lay = |bins: &[f32]| self.on_scale(bins, from);
        let (levels, open_levels) = (lay(&bins), lay(&open));
        let inside = |steps: Vec<f32>| steps[BEYOND as usize..steps.len() - BEYOND as usize].to_vec();
        Moment {
            over: inside(over_surroundings(&levels)),
            opened: inside(over_surroundings(&open_levels)),
            levels: inside(levels),
            loudness: power_to_db(power + 1e-20) as f32,
            lines: self.cover.lines.then(|| Lines::of(&bins, &open, self.bin_hz)),
        }
    }

    /// Bins from `from` on, read at the steps and those beyond, between two bins in a line.
    fn on_scale(&self, bins: &[f32], from: usize) -> Vec<f32> {
        let (first, last) = self.cover.steps;
        (first - BEYOND..last + BEYOND)
            .map(|step| {
                let at = (hz_at(f64::from(step)) / self.bin_hz - from as f64).clamp(0.0, (bins.len() - 2) as f64);
                let share = at.fract() as f32;
                bins[at as usize] * (1.0 - share) + bins[at as usize + 1] * share
            })
            .collect()
    }
}

/// Each step over the mean level of what surrounds it.
fn over_surroundings(levels: &[f32]) -> Vec<f32> {
    let end = levels.len() - 1;
    let near = |i: isize| levels[i.clamp(0, end as isize) as usize];
    let width = (2 * AROUND + 1) as f32;
    let mut sum: f32 = (-(AROUND as isize)..=AROUND as isize).map(near).sum();
    (0..=end as isize)
        .map(|i| {
            let over = near(i) - sum / width;
            sum += near(i + AROUND as isize + 1) - near(i - AROUND as isize);
            over
        })
        .collect()
}

/// Coefficients of the four-term window of Blackman and Harris (Harris 1978), 92 dB down
/// beside its main lobe.
const WINDOW: [f64; 4] = [0.358_75, 0.488_29, 0.141_28, 0.011_68];

fn blackman_harris(at: f64) -> f64 {
    WINDOW[0] - WINDOW[1] * cos(TAU * at) + WINDOW[2] * cos(2.0 * TAU * at) - WINDOW[3] * cos(3.0 * TAU * at)
}

/// Of each step the level exceeded at all but `share` of the moments.
pub(super) fn curve(moments: &[Moment], of: impl Fn(&Moment) -> &[f32], share: f64) -> Vec<f64> {
    let steps = moments.first().map_or(0, |m| of(m).len());
    let mut column = vec![0.0; moments.len()];
    (0..steps)
        .map(|step| {
            column.iter_mut().zip(moments).for_each(|(x, m)| *x = of(m)[step]);
            f64::from(quantile(&mut column, share))
        })
        .collect()
}
