//! What hangs on a pick-up: its cable, as against that with which it was recorded.
//!
//! A coil `L` with a capacity `C` across it falls by 12 dB an octave above `1 / (2 pi sqrt(L C))`, with a
//! peak there that its resistances leave: `1 / (1 + s / (Q w) + s^2 / w^2)`, `1/Q = R / (w L) + w L / R_load`
//! (Fletcher & Rossing, *The Physics of Musical Instruments*, 2nd ed., sec. 9.9). What was recorded has
//! passed one such load already, so what is run is the quotient of both.

use crate::filter::SvfDesign;
use crate::filter::analog::AnalogSection;
use crate::filter::matched::matched;
use crate::signal::math::{TAU, pow};

/// The coil, in henry and ohms, and what loads it besides the cable, in ohms.
const COIL_H: f64 = 3.0;
const COIL_OHM: f64 = 7000.0;
const LOAD_OHM: f64 = 170_000.0;
/// Cable at the left of the control and at its right, where all is as recorded, in farads.
const CABLE_F: [f64; 2] = [3e-9, 400e-12];

/// Corner in radians a second and damping of a cable.
fn loaded(farads: f64) -> [f64; 2] {
    let w = 1.0 / (COIL_H * farads).sqrt();
    [w, COIL_OHM / (w * COIL_H) + w * COIL_H / LOAD_OHM]
}

/// The section for a position of the control, 0 (dull) to 1, where all is as recorded and there is none.
pub fn design(position: f64, rate: f64) -> Option<SvfDesign> {
    if position >= 1.0 {
        return None;
    }
    let [dull, open] = CABLE_F;
    let ([w, damping], [recorded, recorded_damping]) = (loaded(dull * pow(open / dull, position)), loaded(open));
    let per = w / recorded;
    let section =
        AnalogSection { corner_hz: w / TAU, num: [1.0, recorded_damping * per, per * per], den: [1.0, damping, 1.0] };
    Some(matched(&section, rate))
}

#[cfg(test)]
mod tests {
    use super::*;

    fn db(position: f64, hz: f64) -> f64 {
        let design = design(position, 48_000.0).unwrap_or(SvfDesign::IDENTITY);
        10.0 * design.response(TAU * hz / 48_000.0).norm_sqr().log10()
    }

    #[test]
    fn open_is_as_recorded_and_dull_peaks_at_1700_hz_and_falls_to_the_ratio_of_both_cables() {
        assert_eq!(design(1.0, 48_000.0), None);
        assert!(db(0.0, 60.0).abs() < 0.1 && db(0.0, 1680.0) > 4.0, "{}", db(0.0, 1680.0));
        // High above both corners the capacities divide: 20 lg (400 / 3000).
        assert!((db(0.0, 15_000.0) + 17.5).abs() < 1.0, "{}", db(0.0, 15_000.0));
        assert!((1..10).all(|n| db(f64::from(n) / 10.0, 6000.0) > db(f64::from(n - 1) / 10.0, 6000.0)));
    }
}
