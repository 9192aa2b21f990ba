//! Third-octave levels of a stretch of sound.
//!
//! Centre frequencies of IEC 61260-1 (base ten), 20 Hz to 20 kHz. Power is taken
//! from averaged Hann-windowed spectra (Welch, 1967) and summed between band
//! edges, dividing the bins that lie across an edge.

use std::sync::Arc;

use realfft::{RealFftPlanner, RealToComplex, num_complex::Complex32};

use crate::signal::StereoBlock;
use crate::signal::decibel::power_to_db;
use crate::signal::math::{TAU, cos, pow};

/// Number of bands.
pub const BANDS: usize = 31;

/// Exact centre frequency in Hz of band `i`; band 17 is 1 kHz.
#[must_use]
pub fn centre_hz(i: usize) -> f64 {
    1000.0 * pow(10.0, (i as f64 - 17.0) / 10.0)
}

/// Accumulates spectra of the channels' mean power.
pub struct ThirdOctaves {
    rate: f64,
    size: usize,
    fft: Arc<dyn RealToComplex<f32>>,
    window: Vec<f32>,
    /// Waiting input of both channels, up to `size` frames.
    waiting: [Vec<f32>; 2],
    scratch: Vec<f32>,
    spectrum: Vec<Complex32>,
    /// Sum of power per bin over all spectra taken.
    power: Vec<f64>,
    spectra: u32,
}

impl ThirdOctaves {
    /// Resolution for whole parts: 2.9 Hz at 48 kHz.
    pub const LONG: usize = 16_384;

    /// With transforms of `size` frames (a power of two) at `rate` Hz.
    #[must_use]
    pub fn new(rate: f64, size: usize) -> Self {
        let fft = RealFftPlanner::new().plan_fft_forward(size);
        let window: Vec<f32> = (0..size).map(|i| (0.5 - 0.5 * cos(TAU * i as f64 / size as f64)) as f32).collect();
        let spectrum = fft.make_output_vec();
        Self {
            rate,
            size,
            window,
            waiting: [Vec::with_capacity(size), Vec::with_capacity(size)],
            scratch: vec![0.0; size],
            power: vec![0.0; spectrum.len()],
            spectrum,
            spectra: 0,
            fft,
        }
    }

    /// Takes in the first `frames` of a block.
    pub fn push(&mut self, block: &StereoBlock, frames: usize) {
        self.push_slices(&block.left[..frames], &block.right[..frames]);
    }

    /// Takes in two channels of equal length.
    pub fn push_slices(&mut self, left: &[f32], right: &[f32]) {
        let mut at = 0;
        while at < left.len() {
            let take = (self.size - self.waiting[0].len()).min(left.len() - at);
            self.waiting[0].extend_from_slice(&left[at..at + take]);
            self.waiting[1].extend_from_slice(&right[at..at + take]);
            at += take;
            if self.waiting[0].len() == self.size {
                self.take_spectrum();
                for channel in &mut self.waiting {
                    channel.drain(..self.size / 2);
                }
            }
        }
    }

    fn take_spectrum(&mut self) {
        // Mean power of a Hann window is 3/8; a one-sided bin holds half the power.
        let scale = 2.0 / (0.375 * (self.size as f64).powi(2)) / 2.0;
        for channel in &self.waiting {
            for ((out, x), w) in self.scratch.iter_mut().zip(channel).zip(&self.window) {
                *out = x * w;
            }
            if self.fft.process(&mut self.scratch, &mut self.spectrum).is_ok() {
                for (sum, bin) in self.power.iter_mut().zip(&self.spectrum) {
                    *sum += scale * f64::from(bin.norm_sqr());
                }
            }
        }
        self.spectra += 1;
    }

    /// Level of each band in dBFS RMS; a stretch shorter than one transform is
    /// padded with silence and its levels raised accordingly.
    #[must_use]
    pub fn levels_db(&mut self) -> [f64; BANDS] {
        let mut correction = 1.0;
        if self.spectra == 0 && !self.waiting[0].is_empty() {
            correction = self.size as f64 / self.waiting[0].len() as f64;
            for channel in &mut self.waiting {
                channel.resize(self.size, 0.0);
            }
            self.take_spectrum();
            self.waiting.iter_mut().for_each(Vec::clear);
        }
        let scale = correction / f64::from(self.spectra.max(1));
        core::array::from_fn(|i| power_to_db(scale * self.band_power(i)))
    }

    fn band_power(&self, band: usize) -> f64 {
        let bin_hz = self.rate / self.size as f64;
        let half = pow(10.0, 0.05);
        let (low, high) = (centre_hz(band) / half / bin_hz, centre_hz(band) * half / bin_hz);
        let first = (low + 0.5).floor() as usize;
        let last = ((high + 0.5).floor() as usize).min(self.power.len() - 1);
        (first..=last)
            .map(|bin| {
                // The bin covers half a bin either side of its frequency.
                let from = (bin as f64 - 0.5).max(low);
                let to = (bin as f64 + 0.5).min(high);
                self.power[bin] * (to - from).max(0.0)
            })
            .sum()
    }
}
