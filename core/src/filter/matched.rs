//! From an analog section to a digital one by matching poles and zeros.
//!
//! Each root `s` becomes `z = exp(s / rate)`, which keeps every section stable,
//! minimum-phase, and a boost the exact inverse of its cut. What a root map
//! cannot give is a high-frequency roll-off (zeros at infinity): a low-pass
//! gets one real zero placed so that the magnitude at half the rate is the
//! analog one (the numerator of Vicanek, *Matched Second Order Digital
//! Filters*, 2016, with Nyquist in place of the corner). So does a section whose zeros
//! lie beyond half the rate. The small error that
//! remains near half the rate is taken out for the whole equaliser at once by
//! [`super::correction`].
//!
//! Refused: the bilinear transform (cramps bells, sends low-passes to zero at
//! half the rate) and running at twice the rate (latency or phase shift).

use super::analog::{self, AnalogSection, Side};
use super::svf::SvfDesign;
use crate::signal::math::{Complex, PI, TAU, cos, cosh, exp};

/// A second-order Butterworth high-pass at `hz`; none at or under `off_hz`, where a control
/// says that nothing is taken away.
#[must_use]
pub fn low_cut(hz: f64, off_hz: f64, rate: f64) -> Option<SvfDesign> {
    let mut sections = analog::cut(Side::Low, hz, 2).filter(|_| hz > off_hz);
    sections.next().map(|section| matched(&section, rate))
}

/// A second-order Butterworth low-pass at `hz`; none at or over `off_hz`.
#[must_use]
pub fn high_cut(hz: f64, off_hz: f64, rate: f64) -> Option<SvfDesign> {
    let mut sections = analog::cut(Side::High, hz, 2).filter(|_| hz < off_hz);
    sections.next().map(|section| matched(&section, rate))
}

/// The digital section whose poles and zeros match `analog` at `rate` Hz.
#[must_use]
pub fn matched(analog: &AnalogSection, rate: f64) -> SvfDesign {
    let w = TAU * analog.corner_hz / rate;
    let a = mapped_roots(&analog.den, w);
    let [_, n1, n2] = analog.num;
    if n1 == 0.0 && (n2 == 0.0 || zero_hz(analog) > HIGHEST_ZERO * rate) {
        return low_pass(analog, a, rate);
    }
    let b = mapped_roots(&analog.num, w);
    let unscaled = SvfDesign::from_biquad([1.0, b[0], b[1]], a);
    let (angle, hz) = gain_fixed_at(analog, rate);
    let gain = (analog.response(hz).norm_sqr() / unscaled.response(angle).norm_sqr()).sqrt();
    SvfDesign { m: unscaled.m.map(|m| m * gain), ..unscaled }
}

/// Zeros on the frequency axis above this share of the rate are matched by magnitude
/// instead: mapped, they would come back below half the rate.
const HIGHEST_ZERO: f64 = 0.495;

/// Frequency in Hz of a pair of zeros on the frequency axis.
fn zero_hz(analog: &AnalogSection) -> f64 {
    analog.corner_hz * (analog.num[0] / analog.num[2]).sqrt()
}

/// Angle and frequency at which both gains are made equal, where the analog section is
/// never zero: at DC; for a band-pass at its centre; for a high-pass, and a band-pass
/// beyond reach, at a quarter of the rate. A section with both a low and a high end, such
/// as a high-pass with zeros, counts by its higher end where that is the louder.
fn gain_fixed_at(analog: &AnalogSection, rate: f64) -> (f64, f64) {
    let [n0, _, n2] = analog.num;
    // A high-pass up there lets little else through than the top.
    let quarter = if analog.corner_hz > 0.2 * rate { (PI, rate / 2.0) } else { (PI / 2.0, rate / 4.0) };
    if n0 == 0.0 && n2 == 0.0 && analog.corner_hz < 0.4 * rate {
        return (TAU * analog.corner_hz / rate, analog.corner_hz);
    }
    if n0 == 0.0 || (analog.num[1] == 0.0 && n0 / analog.den[0] < n2 / analog.den[2]) { quarter } else { (0.0, 0.0) }
}

/// `[c1, c2]` of `1 + c1 z^-1 + c2 z^-2` with the mapped roots of
/// `p2 s^2 + p1 s + p0`, `s` in units of `w` radians per sample.
fn mapped_roots(p: &[f64; 3], w: f64) -> [f64; 2] {
    if p[2] == 0.0 {
        return [-exp(-w * p[0] / p[1]), 0.0];
    }
    let half = p[1] / (2.0 * p[2]);
    let discriminant = half * half - p[0] / p[2];
    let decay = exp(-half * w);
    let spread = discriminant.abs().sqrt() * w;
    if discriminant < 0.0 {
        return [-2.0 * decay * cos(spread), decay * decay];
    }
    // Real roots; the two exponentials separately, where cosh would overflow.
    if spread > 300.0 {
        return [-exp(spread - half * w), decay * decay];
    }
    [-2.0 * decay * cosh(spread), decay * decay]
}

/// Numerator `b0 + b1 z^-1` with the analog magnitude at DC and at half the rate.
fn low_pass(analog: &AnalogSection, a: [f64; 2], rate: f64) -> SvfDesign {
    let dc = (1.0 + a[0] + a[1]) * analog.response(0.0).norm_sqr().sqrt();
    let nyquist = (1.0 - a[0] + a[1]) * analog.response(rate / 2.0).norm_sqr().sqrt();
    let b0 = 0.5 * (dc + nyquist);
    SvfDesign::from_biquad([b0, dc - b0, 0.0], a)
}

/// Complex response of a chain of digital sections at `angle` radians per sample.
#[must_use]
pub fn response_at(sections: &[SvfDesign], angle: f64) -> Complex {
    sections.iter().fold(Complex::ONE, |h, s| h.times(s.response(angle)))
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::filter::analog::{Side, bell, cut, shelf};
    use crate::filter::correction;
    use crate::filter::fir::ShortFir;

    /// Largest deviation in dB from the analog curve up to `top_hz`, over
    /// where the curve is above -60 dB.
    fn worst_db(analog: &[AnalogSection], rate: f64, top_hz: f64) -> f64 {
        let digital: Vec<_> = analog.iter().map(|a| matched(a, rate)).collect();
        let power = |hz: f64| analog.iter().map(|a| a.response(hz).norm_sqr()).product::<f64>();
        let taps = correction::fit([correction::ErrorCurve::of(analog, &digital, rate)].iter());
        let mut worst = 0.0f64;
        let mut hz = 10.0;
        while hz < top_hz {
            let w = TAU * hz / rate;
            let got = response_at(&digital, w).norm_sqr() * ShortFir::response(&taps, w).norm_sqr();
            let want = power(hz);
            if want > 1e-6 {
                worst = worst.max((10.0 * (got / want).log10()).abs());
            }
            hz *= 1.02;
        }
        worst
    }

    const RATES: [f64; 4] = [44_100.0, 48_000.0, 88_200.0, 96_000.0];

    #[test]
    fn bells_stay_within_a_twentieth_of_a_decibel_of_the_analog_curve() {
        for rate in RATES {
            for gain in [-18.0, 3.0, 12.0, 18.0] {
                for q in [0.3, 0.7, 1.0, 3.0, 10.0] {
                    for hz in [50.0, 1000.0, 5000.0, 10_000.0, 16_000.0] {
                        let e = worst_db(&[bell(hz, gain, q)], rate, 18_000.0);
                        assert!(e < 0.05, "{gain} dB, Q {q} at {hz} Hz, rate {rate}: {e} dB");
                    }
                }
            }
        }
    }

    #[test]
    fn shelves_stay_within_a_twentieth_of_a_decibel_of_the_analog_curve() {
        for rate in RATES {
            for gain in [-18.0, 6.0, 18.0] {
                for order in [1, 2, 3, 4, 8, 16] {
                    for hz in [50.0, 1000.0, 5000.0, 10_000.0, 16_000.0] {
                        for side in [Side::Low, Side::High] {
                            let e = worst_db(
                                &shelf(side, hz, gain, std::f64::consts::FRAC_1_SQRT_2, order).collect::<Vec<_>>(),
                                rate,
                                18_000.0,
                            );
                            assert!(e < 0.05, "{side:?} {gain} dB order {order} at {hz} Hz, rate {rate}: {e} dB");
                        }
                    }
                }
            }
        }
    }

    #[test]
    fn cuts_follow_the_butterworth_law_within_a_twentieth_of_a_decibel() {
        for rate in RATES {
            for order in [1, 2, 3, 4, 6, 8, 12, 16] {
                for hz in [20.0, 50.0, 1000.0, 5000.0, 8000.0, 12_000.0, 16_000.0] {
                    for side in [Side::Low, Side::High] {
                        let e = worst_db(&cut(side, hz, order).collect::<Vec<_>>(), rate, 18_000.0);
                        assert!(e < 0.05, "removing {side:?}, order {order} at {hz} Hz, rate {rate}: {e} dB");
                    }
                }
            }
        }
    }
}
