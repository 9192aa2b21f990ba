//! K-weighting: the ear's share of each frequency in loudness (ITU-R BS.1770-4).
//!
//! The two stages are given in the recommendation as coefficients at 48 kHz. For other
//! rates they are derived from the analog parameters that reproduce those coefficients
//! (De Man, *Evaluation of Implementations of the EBU R128 Loudness Measurement*, AES 2018).

use super::svf::{Svf, SvfDesign};
use crate::signal::Frame;
use crate::signal::math::{PI, pow, tan};

/// The two stages, running.
#[derive(Clone, Debug)]
pub struct KWeighting {
    stages: [Svf; 2],
}

impl KWeighting {
    /// At rest, for a rate in Hz.
    #[must_use]
    pub fn new(rate: f64) -> Self {
        Self { stages: [shelf(rate), high_pass(rate)].map(|design| Svf::new(design, rate, 0.01)) }
    }

    /// Weights frames in place.
    pub fn process(&mut self, frames: &mut [Frame]) {
        self.stages.iter_mut().for_each(|stage| stage.process(frames));
    }

    /// Forgets the past.
    pub fn reset(&mut self) {
        self.stages.iter_mut().for_each(Svf::reset);
    }

    /// Share of the power at a frequency in Hz that counts.
    #[must_use]
    pub fn power_at(hz: f64, rate: f64) -> f64 {
        let angle = 2.0 * PI * hz / rate;
        shelf(rate).response(angle).norm_sqr() * high_pass(rate).response(angle).norm_sqr()
    }
}

fn shelf(rate: f64) -> SvfDesign {
    let (f0, gain_db, q) = (1_681.974_450_955_533, 3.999_843_853_973_347, 0.707_175_236_955_419_6);
    let k = tan(PI * f0 / rate);
    let vh = pow(10.0, gain_db / 20.0);
    let vb = pow(vh, 0.499_666_774_154_541_6);
    let a0 = 1.0 + k / q + k * k;
    let b = [(vh + vb * k / q + k * k) / a0, 2.0 * (k * k - vh) / a0, (vh - vb * k / q + k * k) / a0];
    SvfDesign::from_biquad(b, [2.0 * (k * k - 1.0) / a0, (1.0 - k / q + k * k) / a0])
}

fn high_pass(rate: f64) -> SvfDesign {
    let (f0, q) = (38.135_470_876_024_44, 0.500_327_037_323_877_3);
    let k = tan(PI * f0 / rate);
    let a0 = 1.0 + k / q + k * k;
    SvfDesign::from_biquad([1.0, -2.0, 1.0], [2.0 * (k * k - 1.0) / a0, (1.0 - k / q + k * k) / a0])
}
