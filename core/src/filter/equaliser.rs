//! An equaliser of a few analog sections: matched ([`super::matched`]), with what they still miss
//! near half the rate taken out for all of them together ([`super::correction`]). No latency.
//!
//! For units with a fixed number of controls; the surgical EQ, whose bands come and go and move
//! with the level, keeps its own.

use super::analog::AnalogSection;
use super::correction::{self, ErrorCurve};
use super::fir::ShortFir;
use super::matched::{matched, response_at};
use super::svf::SvfDesign;
use super::svf_chain::{SvfChain, run_beside};
use crate::signal::math::{Complex, TAU};
use crate::signal::ramp::GLIDE_S;
use crate::signal::{BLOCK, Frame};

/// What an equaliser of `N` sections shall do; none for a section that does nothing.
pub type Sections<const N: usize> = [Option<AnalogSection>; N];

/// A running equaliser of `N` sections.
#[derive(Clone)]
pub struct Equaliser<const N: usize> {
    rate: f64,
    sections: SvfChain,
    fir: ShortFir,
}

/// Digital sections and the taps of their correction.
fn design<const N: usize>(analog: &Sections<N>, rate: f64) -> ([Option<SvfDesign>; N], [f64; correction::TAPS]) {
    let digital = analog.map(|section| section.map(|section| matched(&section, rate)));
    let mut curves = [const { None }; N];
    for (curve, (analog, digital)) in curves.iter_mut().zip(analog.iter().zip(&digital)) {
        *curve = analog.zip(*digital).map(|(analog, digital)| ErrorCurve::of(&[analog], &[digital], rate));
    }
    (digital, correction::fit(curves.iter().flatten()))
}

impl<const N: usize> Equaliser<N> {
    /// At rest on these sections at a rate in Hz.
    #[must_use]
    pub fn new(analog: &Sections<N>, rate: f64) -> Self {
        let (_, taps) = design(analog, rate);
        let mut eq = Self { rate, sections: SvfChain::new(N, rate, GLIDE_S), fir: ShortFir::new(taps, rate, GLIDE_S) };
        eq.glide_to(analog);
        eq.arrive(0.0);
        eq
    }

    /// Glides to others. Nothing is allocated.
    pub fn glide_to(&mut self, analog: &Sections<N>) {
        let (digital, taps) = design(analog, self.rate);
        for (at, section) in digital.into_iter().enumerate() {
            self.sections.glide_to(at, section);
        }
        self.sections.find_active();
        self.fir.glide_to(taps);
    }

    /// Its moves end within so many seconds; 0 is at once.
    pub fn arrive(&mut self, within_s: f64) {
        self.sections.arrive(within_s);
        self.fir.arrive(within_s);
    }

    /// Forgets the past.
    pub fn reset(&mut self) {
        self.sections.reset();
        self.fir.reset();
    }

    /// Works on a block in place.
    pub fn process(&mut self, frames: &mut [Frame; BLOCK]) {
        self.sections.process(frames);
        self.fir.process(frames);
    }
}

/// Two equalisers, the first for the left side and the second for the right, on a block in place: in
/// the time of one while both rest.
pub fn process_sides<const N: usize>([left, right]: &mut [Equaliser<N>; 2], frames: &mut [Frame; BLOCK]) {
    let mut other = *frames;
    let takes_right = |frames: &mut [Frame; BLOCK], other: &[Frame; BLOCK]| {
        frames.iter_mut().zip(other).for_each(|(frame, other)| frame[1] = other[1]);
    };
    if !run_beside(&mut left.sections, &mut right.sections, frames) {
        left.sections.process(frames);
        right.sections.process(&mut other);
        takes_right(frames, &other);
    }
    if !ShortFir::run_beside(&mut left.fir, &mut right.fir, frames) {
        other = *frames;
        left.fir.process(frames);
        right.fir.process(&mut other);
        takes_right(frames, &other);
    }
}

/// Complex response of an equaliser of these sections at frequencies in Hz.
#[must_use]
pub fn response<const N: usize>(analog: &Sections<N>, rate: f64, freqs: &[f64]) -> Vec<Complex> {
    let (digital, taps) = design(analog, rate);
    let sections: Vec<SvfDesign> = digital.into_iter().flatten().collect();
    let at = |hz: &f64| {
        let angle = TAU * hz / rate;
        response_at(&sections, angle).times(ShortFir::response(&taps, angle))
    };
    freqs.iter().map(at).collect()
}

/// Frames in which what these sections hold has fallen by `db` (> 0).
///
/// Until the slowest has fallen by all of it; the others each ring on with what the one before
/// still gives them.
#[must_use]
pub fn decay<const N: usize>(analog: &Sections<N>, rate: f64, db: f64) -> usize {
    /// By how much the others are given time to fall, in dB.
    const OTHERS_DB: f64 = 30.0;
    let sections = analog.iter().flatten().map(|section| matched(section, rate));
    let (mut slowest, mut all) = (0, 0);
    for section in sections {
        slowest = slowest.max(section.decay(1000.0));
        all += section.decay(OTHERS_DB);
    }
    (db / 1000.0 * slowest as f64).ceil() as usize + all + correction::TAPS
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::filter::analog;
    use crate::signal::decibel::power_to_db;

    const RATE: f64 = 44_100.0;

    fn sections() -> Sections<3> {
        let shelf = analog::shelf(analog::Side::High, 12_000.0, 6.0, 0.7, 1).next();
        [Some(analog::bell(9000.0, -7.0, 0.8)), None, shelf]
    }

    #[test]
    fn it_follows_the_analog_curve_to_18_khz() {
        let freqs: Vec<f64> = (0..90).map(|i| 200.0 * f64::from(i + 1)).collect();
        for (hz, h) in freqs.iter().zip(response(&sections(), RATE, &freqs)) {
            let want: f64 = sections().iter().flatten().map(|s| power_to_db(s.response(*hz).norm_sqr())).sum();
            assert!((power_to_db(h.norm_sqr()) - want).abs() < 0.1, "{hz} Hz");
        }
    }

    #[test]
    fn what_runs_is_what_the_response_says() {
        let mut eq = Equaliser::new(&sections(), RATE);
        let mut out = Vec::new();
        for n in 0..16 {
            let mut block = [[0.0; 2]; BLOCK];
            if n == 0 {
                block[0] = [1.0; 2];
            }
            eq.process(&mut block);
            out.extend(block.map(|frame| frame[0]));
        }
        for (hz, stated) in [100.0, 3000.0, 9000.0, 15_000.0].iter().zip(response(
            &sections(),
            RATE,
            &[100.0, 3000.0, 9000.0, 15_000.0],
        )) {
            let sum = out.iter().enumerate().fold(Complex::new(0.0, 0.0), |sum, (n, x)| {
                sum.plus(Complex::from_angle(-TAU * hz / RATE * n as f64).scale(*x))
            });
            assert!((sum.re - stated.re).abs() < 1e-6 && (sum.im - stated.im).abs() < 1e-6, "{hz} Hz");
        }
    }
}
