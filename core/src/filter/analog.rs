//! Analog prototypes: the curves an equaliser promises.
//!
//! A prototype is a chain of second-order sections in the Laplace variable
//! `s`, normalised to radian frequency at the section's own corner:
//! `H(s) = gain (n2 s^2 + n1 s + n0) / (d2 s^2 + d1 s + d0)`. Bells and
//! second-order shelves are Bristow-Johnson's analog prototypes (*Audio EQ
//! Cookbook*); cuts are Butterworth; shelves of other orders place Butterworth
//! poles and zeros either side of the corner, which for order 2 and
//! Q = 1/sqrt(2) is the cookbook's shelf.

use crate::signal::math::{Complex, PI, SQRT_2, pow, sin};

/// Most second-order sections one band can need (a 16th-order cut).
pub const MAX_SECTIONS: usize = 8;

/// One analog section; `corner_hz` is where `s = j` lies.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct AnalogSection {
    /// Frequency in Hz of `s = j`.
    pub corner_hz: f64,
    /// Numerator, `[n0, n1, n2]`.
    pub num: [f64; 3],
    /// Denominator, `[d0, d1, d2]`; `d0` is never zero, `d2` zero for first order.
    pub den: [f64; 3],
}

impl AnalogSection {
    /// `H(j hz / corner_hz)`.
    #[must_use]
    pub fn response(&self, hz: f64) -> Complex {
        let w = hz / self.corner_hz;
        let at = |p: &[f64; 3]| Complex::new(p[0] - p[2] * w * w, p[1] * w);
        at(&self.num).over(at(&self.den))
    }

    fn first_order(corner_hz: f64, num: [f64; 2], den: [f64; 2]) -> Self {
        Self { corner_hz, num: [num[0], num[1], 0.0], den: [den[0], den[1], 0.0] }
    }
}

/// A bell of `gain_db` at its centre. Boosts and cuts of one size are exact
/// mirror images.
#[must_use]
pub fn bell(hz: f64, gain_db: f64, q: f64) -> AnalogSection {
    let a = pow(10.0, gain_db / 40.0);
    AnalogSection { corner_hz: hz, num: [1.0, a / q, 1.0], den: [1.0, 1.0 / (a * q), 1.0] }
}

/// The region of a bell alone: 0 dB at `hz`, -3.01 dB at a bandwidth of `hz / q`,
/// 6 dB/oct either side.
#[must_use]
pub fn band_pass(hz: f64, q: f64) -> AnalogSection {
    AnalogSection { corner_hz: hz, num: [0.0, 1.0 / q, 0.0], den: [1.0, 1.0 / q, 1.0] }
}

/// A tilt about `hz`: `gain_db` more above, as much less below, nothing at `hz`;
/// first order, so about 6 dB/oct at its steepest.
#[must_use]
pub fn tilt(hz: f64, gain_db: f64) -> AnalogSection {
    let r = pow(10.0, gain_db / 20.0);
    AnalogSection::first_order(hz, [1.0 / r, 1.0], [1.0, 1.0 / r])
}

/// A notch: complete removal at `hz`, -3.01 dB at a bandwidth of `hz / q`.
#[must_use]
pub fn notch(hz: f64, q: f64) -> AnalogSection {
    AnalogSection { corner_hz: hz, num: [1.0, 0.0, 1.0], den: [1.0, 1.0 / q, 1.0] }
}

/// Which side of the corner a shelf lifts or a cut removes.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Side {
    /// Below the corner.
    Low,
    /// Above the corner.
    High,
}

/// A Butterworth cut of `order` 1..16: `Side::Low` removes what lies below `hz`
/// (a high-pass). -3.01 dB at `hz`.
pub fn cut(removes: Side, hz: f64, order: usize) -> impl Iterator<Item = AnalogSection> {
    let (first, second) = match removes {
        Side::Low => ([0.0, 1.0], [0.0, 0.0, 1.0]),
        Side::High => ([1.0, 0.0], [1.0, 0.0, 0.0]),
    };
    butterworth_damping(order).map(move |damping| match damping {
        None => AnalogSection::first_order(hz, first, [1.0, 1.0]),
        Some(d) => AnalogSection { corner_hz: hz, num: second, den: [1.0, d, 1.0] },
    })
}

/// Ripple in dB of [`steepest_cut`] where it lets through.
const RIPPLE_DB: f64 = 0.08;

/// The Cauer (elliptic) low-pass of order 10 with 0.08 dB of ripple and 86 dB of
/// attenuation, edge at 1 rad/s, as `[zero, |pole|^2, damping]` of each section
/// `(s^2 / zero^2 + 1) / (s^2 / |pole|^2 + damping s / |pole|^2 + 1)`. Theory: Orfanidis,
/// *Lecture Notes on Elliptic Filter Design* (2006); the figures come from an independent
/// library and are held to their promise by the tests below.
const CAUER: [[f64; 3]; 5] = [
    [1.223_383_625_057, 1.027_626_641_164, 0.044_661_833_160],
    [1.299_663_195_804, 0.932_873_847_590, 0.152_443_312_464],
    [1.521_538_708_477, 0.727_791_556_453, 0.311_159_127_095],
    [2.187_010_810_380, 0.428_264_947_094, 0.521_658_047_274],
    [6.016_118_885_300, 0.171_518_054_756, 0.697_496_414_374],
];

/// Nearly a wall: lets through within 0.08 dB up to `hz`, and is 80 dB down a third of an
/// octave beyond.
pub fn steepest_cut(removes: Side, hz: f64) -> impl Iterator<Item = AnalogSection> {
    CAUER.iter().enumerate().map(move |(i, [zero, pole, damping])| {
        // The ripple lies below 0 dB.
        let level = if i == 0 { pow(10.0, -RIPPLE_DB / 20.0) } else { 1.0 };
        let num = [level, 0.0, level / (zero * zero)];
        let den = [1.0, damping / pole, 1.0 / pole];
        match removes {
            Side::High => AnalogSection { corner_hz: hz, num, den },
            Side::Low => AnalogSection { corner_hz: hz, num: [num[2], num[1], num[0]], den: [den[2], den[1], den[0]] },
        }
    })
}

/// A shelf of `gain_db` on one side of `hz`, half the gain at `hz`. `q` shapes
/// the bend of order 2 (1/sqrt(2) is the steepest without overshoot); other
/// orders are Butterworth and ignore it.
pub fn shelf(side: Side, hz: f64, gain_db: f64, q: f64, order: usize) -> impl Iterator<Item = AnalogSection> {
    // Poles at ratio r of the corner, zeros at 1/r, mirrored for a high shelf:
    // r^(2 order) = gain.
    let gain = pow(10.0, gain_db / 20.0);
    let r = pow(gain, 1.0 / (2.0 * order as f64));
    let bend = if order == 2 { 1.0 / (q * SQRT_2) } else { 1.0 };
    butterworth_damping(order).map(move |damping| {
        let (num, den) = match damping {
            None => ([r, 1.0, 0.0], [1.0 / r, 1.0, 0.0]),
            Some(d) => ([r * r, d * bend * r, 1.0], [1.0 / (r * r), d * bend / r, 1.0]),
        };
        match side {
            Side::Low => AnalogSection { corner_hz: hz, num, den },
            Side::High if damping.is_none() => {
                AnalogSection { corner_hz: hz, num: [num[1], num[0], 0.0], den: [den[1], den[0], 0.0] }
            }
            Side::High => AnalogSection { corner_hz: hz, num: [num[2], num[1], num[0]], den: [den[2], den[1], den[0]] },
        }
    })
}

/// Damping (1/Q) of each conjugate pair of a Butterworth polynomial, with a
/// `None` first for the real pole of an odd order.
fn butterworth_damping(order: usize) -> impl Iterator<Item = Option<f64>> {
    let real = (order % 2 == 1).then_some(None);
    let pairs = (1..=order / 2).map(move |k| {
        let angle = PI * (2 * k - 1) as f64 / (2 * order) as f64;
        Some(2.0 * sin(angle))
    });
    real.into_iter().chain(pairs)
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::signal::decibel::power_to_db;

    fn db(sections: impl IntoIterator<Item = AnalogSection>, hz: f64) -> f64 {
        sections.into_iter().map(|s| power_to_db(s.response(hz).norm_sqr())).sum()
    }

    #[test]
    fn cuts_follow_the_butterworth_law() {
        for order in [1usize, 2, 3, 4, 6, 8, 12, 16] {
            for hz in [20.0, 70.0, 100.0, 101.0, 400.0] {
                let law = -10.0 * (1.0 + (100.0f64 / hz).powi(2 * order as i32)).log10();
                assert!((db(cut(Side::Low, 100.0, order), hz) - law).abs() < 1e-6);
                let law = -10.0 * (1.0 + (hz / 100.0f64).powi(2 * order as i32)).log10();
                assert!((db(cut(Side::High, 100.0, order), hz) - law).abs() < 1e-6);
            }
        }
    }

    #[test]
    fn shelves_reach_their_gain_on_one_side_and_half_of_it_at_the_corner() {
        for order in [1usize, 2, 3, 4, 8] {
            let low = || shelf(Side::Low, 1000.0, 9.0, std::f64::consts::FRAC_1_SQRT_2, order);
            assert!((db(low(), 0.01) - 9.0).abs() < 1e-3, "order {order}: {}", db(low(), 0.01));
            assert!((db(low(), 1000.0) - 4.5).abs() < 1e-9);
            assert!(db(low(), 1e8).abs() < 1e-3);
            let high = || shelf(Side::High, 1000.0, -9.0, std::f64::consts::FRAC_1_SQRT_2, order);
            assert!((db(high(), 1e8) + 9.0).abs() < 1e-3);
            assert!((db(high(), 1000.0) + 4.5).abs() < 1e-9);
        }
    }

    #[test]
    fn a_bell_and_its_opposite_cancel() {
        for hz in [30.0, 500.0, 1000.0, 1700.0, 9000.0] {
            let both = db([bell(1000.0, 7.0, 1.3)], hz) + db([bell(1000.0, -7.0, 1.3)], hz);
            assert!(both.abs() < 1e-9);
        }
        assert!((db([bell(1000.0, 7.0, 1.3)], 1000.0) - 7.0).abs() < 1e-9);
    }

    #[test]
    fn a_notch_has_its_half_power_points_a_bandwidth_apart() {
        let (f, q) = (1000.0f64, 4.0f64);
        let half = f / (2.0 * q);
        let low = (f * f + half * half).sqrt() - half;
        assert!((db([notch(f, q)], low) + 3.0103).abs() < 1e-3);
        assert!((db([notch(f, q)], low + f / q) + 3.0103).abs() < 1e-3);
    }

    #[test]
    fn the_steepest_cuts_ripple_within_a_tenth_and_fall_80_db_in_a_third_of_an_octave() {
        let third = 2.0f64.powf(1.0 / 3.0);
        for i in 0..2000 {
            let hz = 20.0 * 1000.0f64.powf(f64::from(i) / 2000.0);
            let low = db(steepest_cut(Side::Low, 100.0), hz);
            let high = db(steepest_cut(Side::High, 100.0), hz);
            if hz >= 100.0 {
                assert!((-0.1..=1e-6).contains(&low), "high-pass at {hz}: {low}");
                assert!(hz < 100.0 * third || high < -80.0, "low-pass at {hz}: {high}");
            } else {
                assert!((-0.1..=1e-6).contains(&high), "low-pass at {hz}: {high}");
                assert!(hz > 100.0 / third || low < -80.0, "high-pass at {hz}: {low}");
            }
        }
    }

    #[test]
    fn a_tilt_turns_about_its_pivot_and_a_band_pass_lets_its_bandwidth_through() {
        assert!(db([tilt(500.0, 6.0)], 500.0).abs() < 1e-9);
        assert!((db([tilt(500.0, 6.0)], 1e7) - 6.0).abs() < 1e-3);
        assert!((db([tilt(500.0, 6.0)], 0.01) + 6.0).abs() < 1e-3);
        let (f, q) = (1000.0f64, 4.0f64);
        let half = f / (2.0 * q);
        let low = (f * f + half * half).sqrt() - half;
        assert!(db([band_pass(f, q)], f).abs() < 1e-9);
        assert!((db([band_pass(f, q)], low) + 3.0103).abs() < 1e-3);
        assert!((db([band_pass(f, q)], low + f / q) + 3.0103).abs() < 1e-3);
    }
}
