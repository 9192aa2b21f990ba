//! A whole sound in memory: a response that is convolved with.

use std::sync::{Arc, Mutex, PoisonError};

use super::math::Complex;

/// A sound at the rate of the session that uses it.
pub struct Sound {
    recorded_hz: f64,
    sides: [Vec<f32>; 2],
    /// Spectra found already: a curve is drawn again and again.
    spectra: Mutex<Vec<Spectrum>>,
}

struct Spectrum {
    angles: Vec<f64>,
    bins: Arc<[Complex]>,
}

/// Spectra remembered for a sound: as many as there are places that draw one.
const REMEMBERED: usize = 4;

impl core::fmt::Debug for Sound {
    fn fmt(&self, f: &mut core::fmt::Formatter<'_>) -> core::fmt::Result {
        write!(f, "Sound({} frames)", self.frames())
    }
}

impl Sound {
    /// A sound from its interleaved samples in one or two channels; what is not a number
    /// counts as silence. `recorded_hz` is the rate it was recorded at, which a response needs
    /// to keep its level.
    #[must_use]
    pub fn new(samples: &[f32], channels: usize, recorded_hz: f64) -> Self {
        let channels = channels.clamp(1, 2);
        let side = |at: usize| {
            let sane = |frame: &[f32]| if frame[at].is_finite() { frame[at] } else { 0.0 };
            samples.chunks_exact(channels).map(sane).collect()
        };
        Self { recorded_hz, sides: [side(0), side(channels - 1)], spectra: Mutex::default() }
    }

    /// Its length.
    #[must_use]
    pub fn frames(&self) -> usize {
        self.sides[0].len()
    }

    /// Rate in Hz it was recorded at.
    #[must_use]
    pub fn recorded_hz(&self) -> f64 {
        self.recorded_hz
    }

    /// Samples of the left (0) and the right (1).
    #[must_use]
    pub fn sides(&self) -> [&[f32]; 2] {
        [&self.sides[0], &self.sides[1]]
    }

    /// Whether both sides are the same.
    #[must_use]
    pub fn is_mono(&self) -> bool {
        self.sides[0] == self.sides[1]
    }

    /// Spectrum of the half sum of its sides at angles in radians per frame: what it does to a
    /// sound in the middle. Not for the audio path.
    #[must_use]
    pub fn spectrum(&self, angles: &[f64]) -> Arc<[Complex]> {
        let mut spectra = self.spectra.lock().unwrap_or_else(PoisonError::into_inner);
        if let Some(known) = spectra.iter().find(|s| s.angles == angles) {
            return known.bins.clone();
        }
        let middle: Vec<f64> =
            self.sides[0].iter().zip(&self.sides[1]).map(|(l, r)| 0.5 * (f64::from(*l) + f64::from(*r))).collect();
        let bins: Arc<[Complex]> = angles.chunks(LANES).flat_map(|some| sums(&middle, some)).collect();
        if spectra.len() == REMEMBERED {
            spectra.remove(0);
        }
        spectra.push(Spectrum { angles: angles.to_vec(), bins: bins.clone() });
        bins
    }
}

/// Angles summed side by side.
const LANES: usize = 8;
/// Taps after which the turning number is found anew, before its rounding adds up.
const ANEW: usize = 4096;

/// `sum taps[n] e^(-j n angle)` for a few angles.
fn sums(taps: &[f64], angles: &[f64]) -> Vec<Complex> {
    let mut sums = vec![Complex::new(0.0, 0.0); angles.len()];
    let steps: Vec<Complex> = angles.iter().map(|angle| Complex::from_angle(-angle)).collect();
    for (part, taps) in taps.chunks(ANEW).enumerate() {
        let mut turned: Vec<Complex> =
            angles.iter().map(|angle| Complex::from_angle(-angle * (part * ANEW) as f64)).collect();
        for tap in taps {
            for ((sum, now), step) in sums.iter_mut().zip(&mut turned).zip(&steps) {
                *sum = sum.plus(now.scale(*tap));
                *now = now.times(*step);
            }
        }
    }
    sums
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_spectrum_of_two_clicks_is_a_comb_and_is_found_once() {
        // 1 + 0.5 e^(-j 6000 angle), the second click on the left alone, so that half is in the
        // middle.
        let mut samples = vec![0.0; 2 * 6001];
        (samples[0], samples[1], samples[12_000]) = (1.0, 1.0, 0.5);
        let sound = Sound::new(&samples, 2, 48_000.0);
        let angles: Vec<f64> = (0..20).map(|i| 0.0001 * f64::from(i * i)).collect();
        let found = sound.spectrum(&angles);
        for (h, angle) in found.iter().zip(&angles) {
            let want = Complex::ONE.plus(Complex::from_angle(-6000.0 * angle).scale(0.25));
            assert!((h.re - want.re).abs() < 1e-9 && (h.im - want.im).abs() < 1e-9, "{angle}: {h:?} {want:?}");
        }
        assert!(Arc::ptr_eq(&found, &sound.spectrum(&angles)));
    }

    #[test]
    fn samples_come_apart_by_side_and_what_is_no_number_is_silence() {
        let stereo = Sound::new(&[1.0, 2.0, f32::NAN, 4.0, 5.0], 2, 48_000.0);
        assert_eq!((stereo.sides(), stereo.is_mono()), ([&[1.0, 0.0][..], &[2.0, 4.0]], false));
        let mono = Sound::new(&[1.0, f32::INFINITY], 1, 48_000.0);
        assert_eq!((mono.sides(), mono.is_mono()), ([&[1.0, 0.0][..], &[1.0, 0.0]], true));
    }
}
