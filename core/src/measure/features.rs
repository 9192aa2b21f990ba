//! What a recording is like, in a few figures, and which part that sounds like.
//!
//! The figures are shares of energy by region, how tonal it is, how its loudness moves
//! and how often it starts. [`super::prototypes`] holds what they are for known parts;
//! the nearest one, in units of each figure's own spread, is the guess.

use std::sync::Arc;

use zinc_fourier::{Complex64, RealToComplex, forward_f64};

use super::prototypes::{FIGURES, PROTOTYPES, SPREAD};
use crate::session::Part;
use crate::signal::StereoBlock;
use crate::signal::decibel::power_to_db;
use crate::signal::math::{PI, cos, exp, log};

/// Frames of one look: 85 ms at 48 kHz.
const WINDOW: usize = 4096;
/// Frames from one look to the next.
const HOP: usize = 2048;
/// Borders of the regions in Hz.
const REGIONS_HZ: [f64; 6] = [20.0, 120.0, 350.0, 1000.0, 3000.0, 8000.0];
/// A look softer than the loudest by more than this is a rest.
const REST_DB: f64 = 40.0;
/// A guess further away than this from every part is no guess.
const TOO_FAR: f64 = 30.0;
/// Squared distance by which one part must be nearer than another to be about three times as
/// likely, and the distance at which an instrument without a prototype is as likely. Both so
/// that of what is called 70 % sure about 70 % is right in recordings of other instruments.
const DOUBT: f64 = 24.0;
const STRANGE: f64 = 60.0;

/// Collects looks.
pub struct FeatureMeter {
    rate: f64,
    fft: Arc<dyn RealToComplex<f64>>,
    window: Vec<f64>,
    filled: usize,
    looks: Vec<Look>,
}

/// What one look sees.
struct Look {
    power: f64,
    /// Power by region.
    regions: [f64; REGIONS_HZ.len()],
    /// Geometric over arithmetic mean of the spectrum, in dB.
    flatness_db: f64,
    /// Power-weighted mean of the frequency's logarithm to base 2.
    centre_oct: f64,
    /// Share of power in the eight strongest peaks.
    peaks: f64,
}

impl FeatureMeter {
    /// For a recording at `rate` Hz.
    #[must_use]
    pub fn new(rate: f64) -> Self {
        let fft = forward_f64(WINDOW);
        Self { rate, fft, window: vec![0.0; WINDOW], filled: 0, looks: Vec::new() }
    }

    /// Takes in the first `frames` of a block.
    pub fn push(&mut self, block: &StereoBlock, frames: usize) {
        for (l, r) in block.left[..frames].iter().zip(&block.right) {
            self.window[self.filled] = f64::from(0.5 * (l + r));
            self.filled += 1;
            if self.filled == WINDOW {
                self.looks.push(look(&self.window, self.rate, self.fft.as_ref()));
                self.window.copy_within(HOP.., 0);
                self.filled = WINDOW - HOP;
            }
        }
    }

    /// The figures.
    #[must_use]
    pub fn finish(self) -> Features {
        let loudest = self.looks.iter().fold(0.0f64, |m, l| m.max(l.power));
        let floor_db = power_to_db(loudest) - REST_DB;
        let plays: Vec<bool> = self.looks.iter().map(|l| power_to_db(l.power) > floor_db && l.power > 1e-12).collect();
        let heard: Vec<&Look> = self.looks.iter().zip(&plays).filter(|(_, p)| **p).map(|(l, _)| l).collect();
        if heard.len() < 4 {
            return Features { figures: None };
        }
        let n = heard.len() as f64;
        let mean = |f: &dyn Fn(&Look) -> f64| heard.iter().map(|l| f(l)).sum::<f64>() / n;
        let total: f64 = heard.iter().flat_map(|l| l.regions).sum();
        let mut figures = [0.0; FIGURES];
        for (k, figure) in figures.iter_mut().take(REGIONS_HZ.len()).enumerate() {
            let share = heard.iter().map(|l| l.regions[k]).sum::<f64>() / total;
            *figure = power_to_db(share).max(-50.0);
        }
        figures[6] = mean(&|l| l.flatness_db);
        figures[7] = mean(&|l| l.centre_oct);
        figures[8] = 10.0 * mean(&|l| l.peaks);
        let steps = steps_db(&self.looks, &plays);
        let share =
            |test: &dyn Fn(f64) -> bool| steps.iter().filter(|d| test(**d)).count() as f64 / steps.len().max(1) as f64;
        // Onsets, falls and steady stretches, as shares of the time it plays.
        figures[9] = 30.0 * share(&|d| d > 6.0);
        figures[10] = 10.0 * share(&|d| d < -2.5);
        figures[11] = 10.0 * share(&|d| d.abs() < 1.0);
        Features { figures: Some(figures) }
    }
}

/// Changes of level between looks of which at least one plays, in dB.
fn steps_db(looks: &[Look], plays: &[bool]) -> Vec<f64> {
    let level = |l: &Look| power_to_db(l.power.max(1e-12));
    let pairs = looks.windows(2).zip(plays.windows(2));
    pairs.filter(|(_, p)| p[0] || p[1]).map(|(l, _)| level(&l[1]) - level(&l[0])).collect()
}

fn look(window: &[f64], rate: f64, fft: &dyn RealToComplex<f64>) -> Look {
    let hann = |i: usize| 0.5 - 0.5 * cos(2.0 * PI * i as f64 / WINDOW as f64);
    let mut input: Vec<f64> = window.iter().enumerate().map(|(i, x)| x * hann(i)).collect();
    let mut spectrum = fft.make_output_vec();
    if fft.process(&mut input, &mut spectrum).is_err() {
        spectrum.fill(Complex64::new(0.0, 0.0));
    }
    let hz = |k: usize| k as f64 * rate / WINDOW as f64;
    let bins: Vec<(f64, f64)> =
        (2..spectrum.len()).map(|k| (hz(k), spectrum[k].norm_sqr())).filter(|b| b.0 < 16_000.0).collect();
    let power: f64 = bins.iter().map(|b| b.1).sum::<f64>().max(1e-30);
    let mut regions = [0.0; REGIONS_HZ.len()];
    for (hz, p) in &bins {
        regions[REGIONS_HZ.iter().rposition(|low| hz >= low).unwrap_or(0)] += p;
    }
    let mean_log = bins.iter().map(|b| log(b.1.max(1e-30))).sum::<f64>() / bins.len() as f64;
    let mean = power / bins.len() as f64;
    let mut tops: Vec<f64> =
        bins.windows(3).filter(|w| w[1].1 > w[0].1 && w[1].1 > w[2].1).map(|w| w[0].1 + w[1].1 + w[2].1).collect();
    tops.sort_by(|a, b| b.total_cmp(a));
    Look {
        power: power / (WINDOW * WINDOW) as f64,
        regions,
        flatness_db: (mean_log - log(mean)) * 10.0 / core::f64::consts::LN_10,
        centre_oct: bins.iter().map(|(hz, p)| p * log(*hz) / core::f64::consts::LN_2).sum::<f64>() / power,
        peaks: tops.iter().take(8).sum::<f64>() / power,
    }
}

/// A part a recording may be.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Likely {
    /// The part.
    pub part: Part,
    /// How sure, 0 to 1.
    pub sure: f64,
}

/// The figures of one recording.
#[derive(Clone, Debug, PartialEq)]
pub struct Features {
    /// None where there is too little sound.
    pub figures: Option<[f64; FIGURES]>,
}

impl Features {
    /// The part it sounds like most; `Unknown` where it sounds like none.
    #[must_use]
    pub fn guess(&self) -> Part {
        self.likely().first().map_or(Part::Unknown, |likely| likely.part)
    }

    /// The parts it may be, the likeliest first; none where it sounds like none.
    #[must_use]
    pub fn likely(&self) -> Vec<Likely> {
        let Some(figures) = &self.figures else { return Vec::new() };
        let distance = |prototype: &[f64; FIGURES]| -> f64 {
            (0..FIGURES).map(|k| ((figures[k] - prototype[k]) / SPREAD[k]).powi(2)).sum()
        };
        let mut near: Vec<(Part, f64)> = Vec::new();
        for (part, prototype) in PROTOTYPES {
            let far = distance(prototype);
            match near.iter_mut().find(|(known, _)| known == part) {
                Some((_, nearest)) => *nearest = nearest.min(far),
                None => near.push((*part, far)),
            }
        }
        near.retain(|(_, far)| *far < TOO_FAR * FIGURES as f64);
        near.sort_by(|a, b| a.1.total_cmp(&b.1));
        let weight = |far: f64| exp(-(far - near.first().map_or(0.0, |n| n.1)) / DOUBT);
        // Something that has no prototype is as likely as a part at this distance.
        let none = exp(-(STRANGE - near.first().map_or(0.0, |n| n.1)) / DOUBT);
        let all: f64 = none + near.iter().map(|(_, far)| weight(*far)).sum::<f64>();
        near.iter().map(|(part, far)| Likely { part: *part, sure: weight(*far) / all }).collect()
    }
}
