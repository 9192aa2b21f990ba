//! Third-octave levels of a stretch of sound.
//!
//! Centre frequencies of IEC 61260-1 (base ten), 20 Hz to 20 kHz. Power is taken
//! from averaged Hann-windowed spectra (Welch, 1967) and summed between band
//! edges, dividing the bins that lie across an edge.

use std::sync::Arc;

use zinc_fourier::{Complex32, RealToComplex, forward_f32};

use crate::signal::StereoBlock;
use crate::signal::decibel::power_to_db;
use crate::signal::math::{TAU, cos, pow};

/// Number of bands.
pub const BANDS: usize = 31;

/// Bands per decade of third octaves.
pub const THIRDS: usize = 10;
/// Bands per decade of twelfth octaves, the fine view.
pub const TWELFTHS: usize = 40;

/// Exact centre frequency in Hz of band `i`; band 17 is 1 kHz.
#[must_use]
pub fn centre_hz(i: usize) -> f64 {
    centre_of(i, THIRDS)
}

/// Centre frequency in Hz of band `i` where a decade holds `per_decade` bands (a
/// multiple of ten); the first is the lowest third octave's.
#[must_use]
pub fn centre_of(i: usize, per_decade: usize) -> f64 {
    let step = 1.0 / per_decade as f64;
    1000.0 * pow(10.0, i as f64 * step - 1.7)
}

/// Number of bands where a decade holds `per_decade`.
#[must_use]
pub fn bands_of(per_decade: usize) -> usize {
    (BANDS - 1) * per_decade / THIRDS + 1
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
    /// Spectra of both channels.
    spectrum: [Vec<Complex32>; 2],
    /// Sum of power per bin over all spectra taken.
    power: Vec<f64>,
    /// The same of half the difference of both channels.
    side: Vec<f64>,
    spectra: u32,
}

impl ThirdOctaves {
    /// Resolution for whole parts: 2.9 Hz at 48 kHz.
    pub const LONG: usize = 16_384;

    /// With transforms of `size` frames (a power of two) at `rate` Hz.
    #[must_use]
    pub fn new(rate: f64, size: usize) -> Self {
        let fft = forward_f32(size);
        let window: Vec<f32> = (0..size).map(|i| (0.5 - 0.5 * cos(TAU * i as f64 / size as f64)) as f32).collect();
        let spectrum = fft.make_output_vec();
        Self {
            rate,
            size,
            window,
            waiting: [Vec::with_capacity(size), Vec::with_capacity(size)],
            scratch: vec![0.0; size],
            power: vec![0.0; spectrum.len()],
            side: vec![0.0; spectrum.len()],
            spectrum: [spectrum.clone(), spectrum],
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
        for (channel, spectrum) in self.waiting.iter().zip(&mut self.spectrum) {
            for ((out, x), w) in self.scratch.iter_mut().zip(channel).zip(&self.window) {
                *out = x * w;
            }
            if self.fft.process(&mut self.scratch, spectrum).is_err() {
                // Of another size than planned for: cannot be, and would add nothing.
                return;
            }
        }
        let [left, right] = &self.spectrum;
        for (((power, side), l), r) in self.power.iter_mut().zip(&mut self.side).zip(left).zip(right) {
            *power += scale * f64::from(l.norm_sqr() + r.norm_sqr());
            // The mean of both channels' power is that of their half sum and half difference.
            *side += scale * f64::from((l - r).norm_sqr()) * 0.5;
        }
        self.spectra += 1;
    }

    /// Level of each band in dBFS RMS; a stretch shorter than one transform is
    /// padded with silence and its levels raised accordingly.
    #[must_use]
    pub fn levels_db(&mut self) -> [f64; BANDS] {
        let scale = self.scale();
        core::array::from_fn(|i| power_to_db(scale * self.band_power(centre_hz(i), THIRDS)))
    }

    /// By band, half the difference of both channels against half their sum, in dB; as low as
    /// -120 where they are the same or silent.
    #[must_use]
    pub fn side_to_mid_db(&mut self) -> [f64; BANDS] {
        core::array::from_fn(|i| {
            let side = Self::within(&self.side, self.rate / self.size as f64, centre_hz(i), THIRDS);
            let mid = self.band_power(centre_hz(i), THIRDS) - side;
            if side < 1e-20 { -120.0 } else { (power_to_db(side) - power_to_db(mid.max(1e-30))).clamp(-120.0, 120.0) }
        })
    }

    /// Levels in finer bands, each at the level its third octave would have if all of it
    /// were so: pink noise reads the same at every fineness.
    #[must_use]
    pub fn fine_levels_db(&mut self, per_decade: usize) -> Vec<f64> {
        let scale = self.scale() * per_decade as f64 / THIRDS as f64;
        let level = |i| power_to_db(scale * self.band_power(centre_of(i, per_decade), per_decade));
        (0..bands_of(per_decade)).map(level).collect()
    }

    /// From summed power to mean power, what waits taken in where there was too little.
    fn scale(&mut self) -> f64 {
        let mut correction = 1.0;
        if self.spectra == 0 && !self.waiting[0].is_empty() {
            correction = self.size as f64 / self.waiting[0].len() as f64;
            for channel in &mut self.waiting {
                channel.resize(self.size, 0.0);
            }
            self.take_spectrum();
            self.waiting.iter_mut().for_each(Vec::clear);
        }
        correction / f64::from(self.spectra.max(1))
    }

    fn band_power(&self, centre_hz: f64, per_decade: usize) -> f64 {
        Self::within(&self.power, self.rate / self.size as f64, centre_hz, per_decade)
    }

    /// Power of the bins within a band.
    fn within(power: &[f64], bin_hz: f64, centre_hz: f64, per_decade: usize) -> f64 {
        let half = pow(10.0, 0.5 / per_decade as f64);
        let (low, high) = (centre_hz / half / bin_hz, centre_hz * half / bin_hz);
        let first = (low + 0.5).floor() as usize;
        let last = ((high + 0.5).floor() as usize).min(power.len() - 1);
        (first..=last)
            .map(|bin| {
                // The bin covers half a bin either side of its frequency.
                let from = (bin as f64 - 0.5).max(low);
                let to = (bin as f64 + 0.5).min(high);
                power[bin] * (to - from).max(0.0)
            })
            .sum()
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::signal::math::sin;

    #[test]
    fn the_side_is_told_from_the_middle_band_by_band() {
        let mut meter = ThirdOctaves::new(48_000.0, 4096);
        let tone = |hz: f64, i: usize| (0.1 * sin(TAU * hz * i as f64 / 48_000.0)) as f32;
        // 1 kHz in the middle, 4 kHz on the left alone, 250 Hz upside down on the right and
        // half as loud.
        let left: Vec<f32> = (0..48_000).map(|i| tone(1000.0, i) + tone(4000.0, i) + tone(250.0, i)).collect();
        let right: Vec<f32> = (0..48_000).map(|i| tone(1000.0, i) - 0.5 * tone(250.0, i)).collect();
        meter.push_slices(&left, &right);
        let side = meter.side_to_mid_db();
        assert!(side[17] < -60.0, "{}", side[17]);
        assert!(side[23].abs() < 0.01, "{}", side[23]);
        // Half sum 0.25, half difference 0.75 of the tone.
        assert!((side[11] - 20.0 * 3f64.log10()).abs() < 0.01, "{}", side[11]);
    }

    #[test]
    fn silence_and_equal_sides_have_no_side() {
        let mut meter = ThirdOctaves::new(48_000.0, 1024);
        assert!(meter.side_to_mid_db().iter().all(|db| *db == -120.0));
        let noise: Vec<f32> = (0..4096u32).map(|i| (i.wrapping_mul(2_654_435_761) >> 8) as f32 / 1e7 - 0.8).collect();
        meter.push_slices(&noise, &noise);
        assert!(meter.side_to_mid_db().iter().all(|db| *db == -120.0));
    }
}
