//! A steady tone through a running rack, and its harmonics.

use crate::rack::{Rack, RackSpec};
use crate::signal::decibel::{db_to_gain, gain_to_db};
use crate::signal::math::{TAU, cos, sin};
use crate::signal::{BLOCK, StereoBlock};

/// Harmonics that are measured, the fundamental among them.
pub const HARMONICS: usize = 10;
/// Time a tone runs before it is measured, in seconds: several of the longest
/// ordinary release times.
const SETTLE_S: f64 = 1.0;
/// Softest amplitude that counts, -200 dBFS: rounding of 32-bit samples lies above it.
const NOTHING: f64 = 1e-10;
/// Below this against the fundamental a harmonic is rounding, in dB.
const ROUNDING_DB: f64 = -130.0;

/// Amplitudes of a tone's harmonics.
#[derive(Clone, Copy, Debug)]
pub struct Comb {
    /// From the fundamental up.
    pub amplitudes: [f64; HARMONICS],
}

impl Comb {
    /// The 2nd to the 10th against the fundamental, in dB.
    #[must_use]
    pub fn harmonics_db(&self) -> [f64; HARMONICS - 1] {
        std::array::from_fn(|i| gain_to_db(self.amplitudes[i + 1] / self.amplitudes[0].max(NOTHING)))
    }

    /// Power of every second harmonic from one on, numbered from the fundamental at 0.
    fn power_from(&self, first: usize) -> f64 {
        self.amplitudes.iter().skip(first).step_by(2).map(|a| a * a).sum()
    }

    /// All harmonics against the fundamental, in per cent.
    #[must_use]
    pub fn thd_percent(&self) -> f64 {
        100.0 * (self.power_from(1) + self.power_from(2)).sqrt() / self.amplitudes[0].max(NOTHING)
    }

    /// Even against odd, in dB of their powers; none where there are only roundings of either.
    #[must_use]
    pub fn even_odd_db(&self) -> Option<f64> {
        let floor = self.amplitudes[0].max(NOTHING) * db_to_gain(ROUNDING_DB);
        let (even, odd) = (self.power_from(1).sqrt(), self.power_from(2).sqrt());
        (even.max(odd) > floor).then(|| gain_to_db(even.max(floor) / odd.max(floor)))
    }
}

/// The harmonics of a tone of `tone_hz`, a multiple of 10 Hz, at one level in dBFS.
pub(super) fn comb_at(spec: &RackSpec, rate: f64, tone_hz: f64, level_db: f64) -> Comb {
    Tone::new(spec, rate, tone_hz).settle_and_measure(db_to_gain(level_db))
}

/// The same at several levels, upwards through one running rack, so that each starts near rest.
pub(super) fn combs(spec: &RackSpec, rate: f64, tone_hz: f64, levels_db: &[f64]) -> Vec<Comb> {
    let mut tone = Tone::new(spec, rate, tone_hz);
    levels_db.iter().map(|level| tone.settle_and_measure(db_to_gain(*level))).collect()
}

struct Tone {
    rack: Rack,
    rate: f64,
    hz: f64,
    frame: u64,
}

impl Tone {
    fn new(spec: &RackSpec, rate: f64, hz: f64) -> Self {
        Self { rack: Rack::new(spec, rate), rate, hz, frame: 0 }
    }

    fn settle_and_measure(&mut self, amplitude: f64) -> Comb {
        for _ in 0..(SETTLE_S * self.rate) as usize / BLOCK {
            self.next_block(amplitude);
        }
        // A tenth of a second holds whole periods of a multiple of 10 Hz at every supported
        // rate; the sum runs over the frames of the blocks that lie within it.
        let frames = (self.rate / 10.0).round() as usize;
        let mut sums = [[0.0f64; 2]; HARMONICS];
        let mut done = 0;
        while done < frames {
            let start = self.frame;
            let block = self.next_block(amplitude);
            for i in 0..BLOCK.min(frames - done) {
                let angle = TAU * self.hz * (start + i as u64) as f64 / self.rate;
                let x = f64::from(block.left[i]);
                for (k, sum) in sums.iter_mut().enumerate() {
                    sum[0] += x * cos(angle * (k + 1) as f64);
                    sum[1] += x * sin(angle * (k + 1) as f64);
                }
            }
            done += BLOCK;
        }
        let whole = 2.0 / frames as f64;
        // What would lie above half the rate is not there.
        let there = |k: usize| (k + 1) as f64 * self.hz < 0.5 * self.rate;
        let amplitude = |k: usize, [c, s]: [f64; 2]| if there(k) { whole * (c * c + s * s).sqrt() } else { 0.0 };
        Comb { amplitudes: std::array::from_fn(|k| amplitude(k, sums[k])) }
    }

    fn next_block(&mut self, amplitude: f64) -> StereoBlock {
        let mut block = StereoBlock::default();
        for i in 0..BLOCK {
            let x = amplitude * sin(TAU * self.hz * (self.frame + i as u64) as f64 / self.rate);
            block.set_frame(i, [x, x]);
        }
        self.frame += BLOCK as u64;
        self.rack.process(&mut block);
        block
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn comb(harmonics: [f64; 4]) -> Comb {
        let mut amplitudes = [0.0; HARMONICS];
        amplitudes[..4].copy_from_slice(&harmonics);
        Comb { amplitudes }
    }

    #[test]
    fn distortion_and_balance_follow_from_the_amplitudes() {
        let both = comb([0.5, 0.03, 0.04, 0.0]);
        assert!((both.thd_percent() - 10.0).abs() < 1e-9, "sqrt(0.03^2 + 0.04^2) of 0.5 is a tenth");
        let balance = both.even_odd_db().expect("both");
        assert!((balance - 20.0 * 0.75f64.log10()).abs() < 1e-9);
        assert_eq!(comb([0.5, 0.0, 0.0, 0.0]).even_odd_db(), None);
        assert!(comb([0.5, 0.01, 0.0, 0.0]).even_odd_db().expect("even") > 60.0);
    }
}
