//! Splits a sound into bands whose sum is flat.
//!
//! Linkwitz and Riley's fourth order (*Active Crossover Networks for Noncoincident Drivers*,
//! JAES 1976): low and high are each two Butterworth sections, and their sum is the all-pass
//! with a Butterworth's poles. The high is therefore that all-pass less the low, and the sum is
//! flat by construction. What was split off lower runs through the all-passes of the splits
//! above it, so that all bands turn alike.
//!
//! A band narrower than an octave is not much of one between edges of fourth order: what is left in
//! its middle is weak, and what it does reaches far. So there are edges of eighth order too, two
//! Butterworth filters of fourth order each, whose sum is the all-pass of one; and since every band is in phase
//! with the whole, a narrow one can be counted for as much as it lacks ([`Crossover::lacks`]).

use super::svf::{Svf, SvfDesign};
use crate::signal::Frame;
use crate::signal::math::{Complex, PI, SQRT_2, pow, tan};

/// Time in seconds in which an edge moves.
const GLIDE_S: f64 = 0.02;

/// How steep the edges are.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Edges {
    /// Fourth order, 24 dB an octave.
    Fourth,
    /// Eighth order, 48 dB an octave.
    Eighth,
}

impl Edges {
    /// Dampings of the Butterworth filter of which there are two.
    fn dampings(self) -> &'static [f64] {
        match self {
            Self::Fourth => &[SQRT_2],
            // 2 cos(pi / 8) and 2 cos(3 pi / 8).
            Self::Eighth => &[1.847_759_065_022_573_5, 0.765_366_864_730_179_5],
        }
    }

    /// Exponent of the frequency in the magnitude of a low or a high, `1 / (1 + r^n)`.
    fn exponent(self) -> f64 {
        match self {
            Self::Fourth => 4.0,
            Self::Eighth => 8.0,
        }
    }
}

fn low(hz: f64, damping: f64, rate: f64) -> SvfDesign {
    let g = tan(PI * (hz / rate).clamp(1e-5, 0.45));
    SvfDesign { g, k: damping, m: [0.0, 0.0, 1.0] }
}

/// Turns the phase and leaves the level: `1 - 2 k band`.
fn all_pass(hz: f64, damping: f64, rate: f64) -> SvfDesign {
    SvfDesign { m: [1.0, -2.0 * damping, 0.0], ..low(hz, damping, rate) }
}

/// Response of the all-pass of an edge at `angle` radians a sample.
fn turned(edges: Edges, hz: f64, rate: f64, angle: f64) -> Complex {
    edges.dampings().iter().fold(Complex::ONE, |h, k| h.times(all_pass(hz, *k, rate).response(angle)))
}

/// One edge.
#[derive(Clone, Debug)]
struct Split {
    low: Vec<Svf>,
    turn: Vec<Svf>,
    /// For each band below it.
    turn_below: Vec<Vec<Svf>>,
}

/// Bands between edges, lowest first.
#[derive(Clone, Debug)]
pub struct Crossover {
    rate: f64,
    steep: Edges,
    splits: Vec<Split>,
}

impl Crossover {
    /// With these edges in Hz, ascending, of fourth order, at a rate in Hz.
    #[must_use]
    pub fn new(edges_hz: &[f64], rate: f64) -> Self {
        Self::with(Edges::Fourth, edges_hz, rate)
    }

    /// The same with edges of some order.
    #[must_use]
    pub fn with(steep: Edges, edges_hz: &[f64], rate: f64) -> Self {
        let chain = |design: fn(f64, f64, f64) -> SvfDesign, hz: f64, times: usize| -> Vec<Svf> {
            let dampings = (0..times).flat_map(|_| steep.dampings());
            dampings.map(|k| Svf::new(design(hz, *k, rate), rate, GLIDE_S)).collect()
        };
        let split = |(below, hz): (usize, &f64)| Split {
            low: chain(low, *hz, 2),
            turn: chain(all_pass, *hz, 1),
            turn_below: (0..below).map(|_| chain(all_pass, *hz, 1)).collect(),
        };
        Self { rate, steep, splits: edges_hz.iter().enumerate().map(split).collect() }
    }

    /// The order that bands between these edges ask for: an eighth where one is narrower than an octave.
    #[must_use]
    pub fn asked(edges_hz: &[f64]) -> Edges {
        if edges_hz.windows(2).any(|pair| pair[1] < 2.0 * pair[0]) { Edges::Eighth } else { Edges::Fourth }
    }

    /// By what the band above edge `band` has to be multiplied to be all there in its middle; 1 for one that ends
    /// an octave higher or nowhere.
    #[must_use]
    pub fn lacks(steep: Edges, edges_hz: &[f64], band: usize, rate: f64) -> f64 {
        // As the edges are at this rate.
        let at = |hz: f64| tan(PI * (hz / rate).clamp(1e-5, 0.45));
        match edges_hz.get(band..band + 2) {
            Some([from, to]) if *to < 2.0 * from && *to > *from => {
                let middle = at((from * to).sqrt());
                let falls = |ratio: f64| 1.0 + pow(ratio, steep.exponent());
                falls(at(*from) / middle) * falls(middle / at(*to))
            }
            _ => 1.0,
        }
    }

    /// Moves the edges, as many as there are.
    pub fn move_to(&mut self, edges_hz: &[f64]) {
        let (rate, dampings) = (self.rate, self.steep.dampings());
        let go = |sections: &mut [Svf], design: fn(f64, f64, f64) -> SvfDesign, hz: f64| {
            sections.iter_mut().zip(dampings.iter().cycle()).for_each(|(s, k)| s.glide_to(design(hz, *k, rate)));
        };
        for (split, hz) in self.splits.iter_mut().zip(edges_hz) {
            go(&mut split.low, low, *hz);
            go(&mut split.turn, all_pass, *hz);
            split.turn_below.iter_mut().for_each(|sections| go(sections, all_pass, *hz));
        }
    }

    /// Its moves end within so many seconds; 0 is at once.
    pub fn arrive(&mut self, within_s: f64) {
        self.sections().for_each(|x| x.arrive(within_s));
    }

    /// Forgets the past.
    pub fn reset(&mut self) {
        self.sections().for_each(Svf::reset);
    }

    fn sections(&mut self) -> impl Iterator<Item = &mut Svf> {
        self.splits
            .iter_mut()
            .flat_map(|s| s.low.iter_mut().chain(&mut s.turn).chain(s.turn_below.iter_mut().flatten()))
    }

    /// Splits the sound in the last of `bands`, one more than there are edges, all of one
    /// length (a multiple of 16): each takes its part.
    pub fn split(&mut self, bands: &mut [Vec<Frame>]) {
        let top = bands.len() - 1;
        for (at, split) in self.splits.iter_mut().enumerate() {
            let (below, rest) = bands.split_at_mut(at + 1);
            let (mine, high) = (&mut below[at], &mut rest[top - at - 1]);
            mine.copy_from_slice(high);
            split.low.iter_mut().for_each(|s| s.process(mine));
            split.turn.iter_mut().for_each(|s| s.process(high));
            for (high, low) in high.iter_mut().zip(mine.iter()) {
                *high = [high[0] - low[0], high[1] - low[1]];
            }
            for (turn, lower) in split.turn_below.iter_mut().zip(below) {
                turn.iter_mut().for_each(|s| s.process(lower));
            }
        }
    }

    /// Response of all bands together at `angle` radians a sample, for edges of fourth order: of level 1.
    #[must_use]
    pub fn response(edges_hz: &[f64], rate: f64, angle: f64) -> Complex {
        edges_hz.iter().fold(Complex::ONE, |h, hz| h.times(turned(Edges::Fourth, *hz, rate, angle)))
    }

    /// Response of each band at `angle` radians a sample, lowest first; together of level 1.
    #[must_use]
    pub fn band_responses(steep: Edges, edges_hz: &[f64], rate: f64, angle: f64) -> Vec<Complex> {
        let mut above = Complex::ONE;
        let mut bands: Vec<Complex> = Vec::with_capacity(edges_hz.len() + 1);
        for hz in edges_hz {
            let one = steep.dampings().iter().fold(Complex::ONE, |h, k| h.times(low(*hz, *k, rate).response(angle)));
            let (below, turn) = (one.times(one), turned(steep, *hz, rate, angle));
            bands.iter_mut().for_each(|lower| *lower = lower.times(turn));
            bands.push(above.times(below));
            above = above.times(turn.plus(below.scale(-1.0)));
        }
        bands.push(above);
        bands
    }

    /// Frames in which what the edges hold falls by `db` (> 0).
    #[must_use]
    pub fn decay(steep: Edges, edges_hz: &[f64], rate: f64, db: f64) -> usize {
        // Sections of one corner in a row fall later than one: by as much again.
        let slowest = steep.dampings().iter().copied().fold(f64::MAX, f64::min);
        let sections = 2 * steep.dampings().len();
        edges_hz.iter().map(|hz| sections * low(*hz, slowest, rate).decay(db)).sum()
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::signal::math::{TAU, cos, sin};

    const RATE: f64 = 48_000.0;
    const LEN: usize = 16_384;

    /// Impulse responses of the bands.
    fn bands(steep: Edges, edges: &[f64]) -> Vec<Vec<Frame>> {
        let mut crossover = Crossover::with(steep, edges, RATE);
        let mut bands = vec![vec![[0.0; 2]; LEN]; edges.len() + 1];
        bands[edges.len()][0] = [1.0; 2];
        crossover.split(&mut bands);
        bands
    }

    fn level_db(sound: impl Iterator<Item = f64>, hz: f64) -> f64 {
        let angle = TAU * hz / RATE;
        let (re, im) = sound
            .enumerate()
            .fold((0.0, 0.0), |(re, im), (n, x)| (re + x * cos(angle * n as f64), im + x * sin(angle * n as f64)));
        10.0 * (re * re + im * im).log10()
    }

    #[test]
    fn the_bands_together_are_flat_whatever_their_number() {
        let cases = [&[700.0][..], &[120.0, 2500.0], &[90.0, 600.0, 5000.0], &[300.0, 1000.0, 1060.0]];
        for (edges, steep) in cases.into_iter().flat_map(|edges| [(edges, Edges::Fourth), (edges, Edges::Eighth)]) {
            let bands = bands(steep, edges);
            for hz in [30.0, 90.0, 100.0, 700.0, 1500.0, 5000.0, 16_000.0] {
                let sum = level_db((0..LEN).map(|n| bands.iter().map(|b| b[n][0]).sum()), hz);
                assert!(sum.abs() < 0.01, "{sum} dB at {hz} Hz of {edges:?}");
            }
        }
    }

    #[test]
    fn the_response_stated_of_each_band_is_the_one_it_has() {
        let edges = [90.0, 600.0, 5000.0];
        for steep in [Edges::Fourth, Edges::Eighth] {
            let bands = bands(steep, &edges);
            for hz in [60.0, 90.0, 300.0, 1500.0, 9000.0] {
                let stated = Crossover::band_responses(steep, &edges, RATE, TAU * hz / RATE);
                for (band, stated) in bands.iter().zip(&stated) {
                    let measured = level_db(band.iter().map(|f| f[0]), hz);
                    let stated = 10.0 * stated.norm_sqr().log10();
                    assert!(measured < -80.0 || (measured - stated).abs() < 0.02, "{measured} and {stated} at {hz} Hz");
                }
            }
        }
    }

    #[test]
    fn each_band_is_6_db_down_at_its_edges_and_falls_by_24_db_an_octave() {
        let bands = bands(Edges::Fourth, &[500.0, 4000.0]);
        for (band, hz) in [(0, 500.0), (1, 500.0), (1, 4000.0), (2, 4000.0)] {
            let db = level_db(bands[band].iter().map(|f| f[0]), hz);
            assert!((db + 6.02).abs() < 0.1, "band {band} at {hz} Hz: {db}");
        }
        let fall = level_db(bands[0].iter().map(|f| f[0]), 2000.0) - level_db(bands[0].iter().map(|f| f[0]), 4000.0);
        assert!((22.0..32.0).contains(&fall), "{fall}");
    }
}
