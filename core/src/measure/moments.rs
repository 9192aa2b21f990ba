//! What a part takes up, moment by moment: K-weighted energy by third octave.

use std::sync::Arc;

use serde::{Deserialize, Serialize};
use zinc_fourier::{Complex32, RealToComplex, forward_f32};

use super::third_octave::{BANDS, centre_hz};
use crate::filter::KWeighting;
use crate::signal::StereoBlock;
use crate::signal::math::{TAU, cos, pow};

/// Frames of a moment at up to 50 kHz; twice that above. 0.17 s at 48 kHz.
const SIZE: usize = 8192;

/// Energies of a whole part.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "types", derive(ts_rs::TS))]
pub struct Moments {
    /// Mean square by third octave, K-weighted, for each moment, one after another.
    #[cfg_attr(feature = "types", ts(type = "number[][]"))]
    pub energy: Vec<[f32; BANDS]>,
}

impl Moments {
    /// Adds another part's energy.
    pub fn add(&mut self, part: &Self) {
        self.energy.resize(self.energy.len().max(part.energy.len()), Default::default());
        for (sum, energy) in self.energy.iter_mut().zip(&part.energy) {
            sum.iter_mut().zip(energy).for_each(|(s, e)| *s += e);
        }
    }
}

/// Takes in a part.
pub struct MomentMeter {
    size: usize,
    fft: Arc<dyn RealToComplex<f32>>,
    window: Vec<f32>,
    waiting: [Vec<f32>; 2],
    spectrum: Vec<Complex32>,
    /// Bins of each band, from and to.
    edges: [(usize, usize); BANDS],
    weights: Vec<f32>,
    moments: Moments,
}

impl MomentMeter {
    /// At a rate in Hz.
    #[must_use]
    pub fn new(rate: f64) -> Self {
        let size = if rate > 50_000.0 { 2 * SIZE } else { SIZE };
        let fft = forward_f32(size);
        let bin = |hz: f64| ((hz * size as f64 / rate).round() as usize).min(size / 2);
        let half = pow(10.0, 0.05);
        let edge = |i: usize| (bin(centre_hz(i) / half), bin(centre_hz(i) * half));
        let weight = |b: usize| KWeighting::power_at((b as f64 * rate / size as f64).max(1.0), rate) as f32;
        Self {
            size,
            window: (0..size).map(|i| (0.5 - 0.5 * cos(TAU * i as f64 / size as f64)) as f32).collect(),
            waiting: [Vec::with_capacity(size), Vec::with_capacity(size)],
            spectrum: fft.make_output_vec(),
            fft,
            edges: std::array::from_fn(edge),
            weights: (0..=size / 2).map(weight).collect(),
            moments: Moments::default(),
        }
    }

    /// Takes in the first `frames` of a block.
    pub fn push(&mut self, block: &StereoBlock, frames: usize) {
        for (l, r) in block.left[..frames].iter().zip(&block.right[..frames]) {
            self.waiting[0].push(*l);
            self.waiting[1].push(*r);
            if self.waiting[0].len() == self.size {
                self.look();
            }
        }
    }

    fn look(&mut self) {
        let scale = 2.0 / (0.375 * self.size as f32 * self.size as f32);
        let mut energy = [0.0; BANDS];
        for channel in &mut self.waiting {
            channel.iter_mut().zip(&self.window).for_each(|(x, w)| *x *= w);
            if self.fft.process(channel, &mut self.spectrum).is_ok() {
                for (sum, (from, to)) in energy.iter_mut().zip(self.edges) {
                    let bins = self.spectrum[from..to].iter().zip(&self.weights[from..to]);
                    *sum += scale * bins.map(|(bin, w)| bin.norm_sqr() * w).sum::<f32>();
                }
            }
            channel.clear();
        }
        self.moments.energy.push(energy);
    }

    /// The energies.
    #[must_use]
    pub fn finish(self) -> Moments {
        self.moments
    }
}
