//! How the energy of a part is spread over its low end, and what a high-pass there costs.

use serde::{Deserialize, Serialize};

use crate::signal::decibel::power_to_db;
use crate::signal::math::pow;
use crate::unit::eq::surgical::KIND as SURGICAL;
use crate::unit::param::Param;
use crate::unit::proposed::values;
use crate::unit::value::WrittenRow;

const BAND: &[Param] = SURGICAL.tables.lists[0].params;

/// A high-pass and its cost.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "types", derive(ts_rs::TS), ts(rename = "LowCut"))]
pub struct Cut {
    /// Corner in Hz.
    pub freq_hz: f64,
    /// Slope in dB/oct.
    pub slope_db_oct: u32,
    /// Loudness it takes away, in LU, >= 0, with whatever lies below the instrument.
    pub removes_lu: f64,
    /// A band of the surgical EQ that does it.
    #[cfg_attr(feature = "types", ts(type = "Params"))]
    pub suggest: WrittenRow,
}

/// How the energy of a sound is spread.
pub struct Energy {
    /// Distance of two bins in Hz.
    pub bin_hz: f64,
    /// Mean square of the low bins.
    pub low: Vec<f64>,
    /// The same, K-weighted.
    pub low_heard: Vec<f64>,
    /// K-weighted energy above them.
    pub rest: f64,
}

impl Energy {
    /// Loudness in LU that a Butterworth high-pass takes away.
    fn cost(&self, hz: f64, slope: u32) -> f64 {
        let order = f64::from(slope / 6);
        let kept: f64 = (1..self.low_heard.len())
            .map(|bin| self.low_heard[bin] / (1.0 + pow(hz / (bin as f64 * self.bin_hz), 2.0 * order)))
            .sum();
        power_to_db(self.low_heard.iter().sum::<f64>() + self.rest) - power_to_db(kept + self.rest)
    }

    /// The highest corner within bounds that costs no more than `most_lu`; the lower bound
    /// where even that costs more.
    pub fn highest(&self, slope: u32, most_lu: f64, bounds: [f64; 2]) -> f64 {
        let [mut low, mut high] = bounds;
        for _ in 0..40 {
            let middle = (low * high).sqrt();
            if self.cost(middle, slope) <= most_lu { low = middle } else { high = middle }
        }
        (low * 10.0).round() / 10.0
    }

    /// What lies from a bin up.
    pub fn from(&self, bin: usize) -> Self {
        let above = |all: &[f64]| all.iter().enumerate().map(|(i, p)| if i < bin { 0.0 } else { *p }).collect();
        Self { bin_hz: self.bin_hz, low: above(&self.low), low_heard: above(&self.low_heard), rest: self.rest }
    }

    /// A high-pass with its cost.
    pub fn cut(&self, freq_hz: f64, slope: u32) -> Cut {
        Cut {
            freq_hz,
            slope_db_oct: slope,
            removes_lu: self.cost(freq_hz, slope),
            suggest: values!(BAND, {"shape": "high-pass", "freq_hz": freq_hz, "slope_db_oct": slope}),
        }
    }
}
