//! What a machine does about the tape, by its speed: lifts the highs before it and takes them
//! back, loses some at the head, and lifts a region of the lows.

use std::f64::consts::FRAC_1_SQRT_2;

use crate::colour::hysteresis::Follows;
use crate::filter::FirstOrder;
use crate::filter::analog::{self, Side};
use crate::filter::correction::{self, TAPS};
use crate::filter::equaliser::Sections;
use crate::signal::math::{PI, TAU, exp, pow, sin};
use crate::unit::settings::Settings;

/// A machine as it is set.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Machine {
    /// Inches a second.
    ips: f64,
    /// Distance of the tape from the head, in metres.
    spacing_m: f64,
    /// What of full scale fills the tape.
    pub into: f64,
    /// How the tape follows the field.
    pub follows: Follows,
}

const INCH_M: f64 = 0.0254;
/// Time constants of the recording equalisation at 30 in/s; half the speed has twice as much
/// (IEC 60094-1: 17.5, 35 and 70 microseconds).
const EQUALISATION_30_S: f64 = 17.5e-6;
/// What the recording amplifier adds above it, as a factor.
const RECORDED_HIGHS: f64 = 2.2;
/// Width of the playback head's gap, and of the space that is left before a clean head.
const GAP_M: f64 = 3e-6;
const CLEAN_M: f64 = 0.35e-6;
/// What wear adds to that, and bias off its middle.
const WORN_M: f64 = 4e-6;
const BIASED_M: f64 = 0.4e-6;
/// Length of the head's face: a wave as long as it lifts the lows (contour effect).
const FACE_M: f64 = 6.5e-3;
/// By how much, and how much less comes above.
const BUMP_DB: f64 = 1.6;
const DIP_DB: f64 = -0.6;
/// Field of a full-scale sample on the standard stock with no drive: a tone of -6 dBFS leaves 3 %
/// of third harmonic, where tapes state their highest level.
const INTO: f64 = 2.7;
/// What the stocks hold more or less, in dB.
const STOCK_DB: f64 = 4.0;

/// Field that turns a domain of a biased tape. So little of it turns that a tone's third harmonic
/// rises by 2 dB for each dB, as tapes state; without enough bias the soft parts are rough.
const COERCIVITY: f64 = 0.35;
/// What follows without memory with the bias in the middle, how much of that goes with no bias, and
/// how much comes with all of it.
const REVERSIBLE: f64 = 0.97;
const UNDER_BIASED: f64 = 0.17;
const OVER_BIASED: f64 = 0.03;

impl Machine {
    /// From a unit's settings.
    pub fn of(settings: &Settings) -> Self {
        let record = &settings.fixed;
        let stock_db = match record.choice("stock") {
            "soft" => -STOCK_DB,
            "strong" => STOCK_DB,
            _ => 0.0,
        };
        let bias = record.number("bias");
        let per_bias = if bias < 0.0 { UNDER_BIASED } else { OVER_BIASED };
        Self {
            ips: record.choice("speed").parse().unwrap_or(15.0),
            spacing_m: CLEAN_M + WORN_M * record.number("wear") + BIASED_M * bias.max(-0.8),
            into: INTO * pow(10.0, -stock_db / 20.0),
            follows: Follows { coercivity: COERCIVITY, reversible: REVERSIBLE + bias * per_bias },
        }
    }

    fn metres_per_s(&self) -> f64 {
        self.ips * INCH_M
    }

    /// The lift of highs before the tape; its inverse stands behind it.
    pub fn recording(&self, rate: f64) -> FirstOrder {
        let hz = self.ips / 30.0 / (TAU * EQUALISATION_30_S);
        FirstOrder::high_shelf(hz, RECORDED_HIGHS, rate)
    }

    /// Power that is left at the head of a wave, by spacing and gap (Wallace, *The Reproduction
    /// of Magnetically Recorded Signals*, BSTJ 1951): `exp(-2 k d) (sin(k g / 2) / (k g / 2))^2`,
    /// `k = 2 pi f / v`. What the coating's thickness loses is what machines are aligned for.
    fn left_at_head(&self, hz: f64) -> f64 {
        let k = TAU * hz / self.metres_per_s();
        let half = (0.5 * k * GAP_M).clamp(1e-9, 0.9 * PI);
        let gap = sin(half) / half;
        exp(-2.0 * k * self.spacing_m) * gap * gap
    }

    /// Taps of what the head loses.
    pub fn head(&self, rate: f64) -> [f64; TAPS] {
        correction::of_power(|share| self.left_at_head(0.5 * share * rate))
    }

    /// The lift of the lows where a wave is as long as the head's face, the dip where it is less than
    /// half as long, and the fall below.
    pub fn lows(&self) -> Sections<3> {
        let hz = self.metres_per_s() / FACE_M;
        [
            analog::cut(Side::Low, 0.35 * hz, 2).next(),
            Some(analog::bell(hz, BUMP_DB, 1.2)),
            Some(analog::bell(2.2 * hz, DIP_DB, 2.0 * FRAC_1_SQRT_2)),
        ]
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_head_loses_what_the_spacing_says() {
        // 54.6 dB for each wavelength of spacing (Wallace): 1 um at 10 kHz and 0.381 m/s.
        let machine =
            Machine { ips: 15.0, spacing_m: 1e-6, into: 1.0, follows: Follows { coercivity: 1.0, reversible: 1.0 } };
        let wavelength = 0.381 / 10_000.0;
        let gap = (PI * GAP_M / wavelength).sin() / (PI * GAP_M / wavelength);
        let want = -54.575 * 1e-6 / wavelength + 20.0 * gap.log10();
        assert!((10.0 * machine.left_at_head(10_000.0).log10() - want).abs() < 0.01);
    }
}
