//! Where an instrument really begins, and what a high-pass there would take away.
//!
//! What lies below an instrument (rumble, handling, a neighbour through the stand) is there
//! whether it plays or not; its own low notes come and go with the playing. So of every
//! frequency two levels are taken: the one it exceeds at the loudest twentieth of the moments
//! played, and its ground: the level in the rests, or where there are none the one it stays
//! above nearly always. The instrument begins at the lowest note ([`notes`]) that rises well over
//! its ground for a fiftieth of the time played; where there are no notes, as of a drum, at the lowest
//! frequency that rises so and is not far below the strongest of the low end. Hum is named apart ([`hum`]).
//!
//! Two high-passes follow from it. *Keep it whole*: steep, under the lowest note, as high as
//! it goes without costing the instrument more than a tenth of a loudness unit. *Make room*:
//! gentle, as high as it goes for one loudness unit, for a mix in which others hold the low
//! end. The costs are those of K-weighted energy (ITU-R BS.1770-4) over the moments played;
//! the limits count what lies from the lowest tone up, since what lies below is to go.

mod energy;
mod hum;
mod lines;
mod notes;

pub use energy::Cut;
pub use hum::Hum;

use std::sync::Arc;

use serde::{Deserialize, Serialize};
use zinc_fourier::{Complex32, RealToComplex, forward_f32};

use crate::filter::KWeighting;
use crate::signal::StereoBlock;
use crate::signal::decibel::power_to_db;
use crate::signal::math::{TAU, cos, pow};
use crate::unit::text::note_name;

use energy::Energy;
use notes::Moments;

/// Transform at up to 50 kHz; twice that above. 2.9 Hz a bin at 48 kHz: a low E and the G above
/// it are two tones.
const SIZE: usize = 16_384;
/// Frequencies in Hz among which it may begin.
const RANGE_HZ: [f64; 2] = [20.0, 700.0];
/// Moments this far under the loudest are rests.
const REST_DB: f64 = 30.0;
/// Share of moments that must be rests for the ground to be taken from them.
const ENOUGH_RESTS: f64 = 0.04;
/// Quantiles of the level while it plays, and of the ground where there are no rests.
const PLAYED: f64 = 0.98;
const GROUND: f64 = 0.05;
/// Quantile of the level below that counts as steady.
const STEADY: f64 = 0.25;
/// Bins to either side over which what lies under the notes is smoothed.
const BED_BINS: usize = 3;
/// What lies below a tone is the part's own if it is no further under what lies above than this, and rises by so
/// much over what is steady, in dB.
const STRUCK_UNDER_DB: f64 = 10.0;
const STRUCK_RISES_DB: f64 = 15.0;
/// dB by which the instrument rises over the ground.
const RISE_DB: f64 = 12.0;
/// dB under the strongest of the low end at which an instrument can still begin.
const REACH_DB: f64 = 20.0;
/// Most that each suggestion may cost, in LU.
const WHOLE_LU: f64 = 0.1;
const ROOM_LU: f64 = 1.0;
/// Slopes in dB/oct.
const STEEP: u32 = 24;
const GENTLE: u32 = 12;
/// How far up making room goes at most, over where it begins.
const MOST_ROOM: f64 = 2.5;
/// The lowest tone is as wide as a third of an octave below it.
const LOWEST_EDGE: f64 = 1.26;
/// What lies below it lies half an octave below and more.
const BELOW: f64 = core::f64::consts::SQRT_2;

/// Where it begins, and the two high-passes.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "types", derive(ts_rs::TS))]
pub struct Floor {
    /// Frequency in Hz of its lowest tone.
    pub begins_hz: f64,
    /// The nearest note.
    pub note: String,
    /// Level in dBFS of what lies more than half an octave below, while it plays.
    pub below_dbfs: f64,
    /// Level in dBFS there that is hardly ever fallen short of, playing or resting: a room's or a stand's, not that
    /// of strokes and breaths, which come and go.
    pub steady_dbfs: f64,
    /// What hums, if anything does.
    pub hum: Option<Hum>,
    /// Leaves the instrument intact.
    pub keep: Cut,
    /// Leaves the low end to others.
    pub room: Cut,
}

/// Takes in a sound and finds its floor.
pub struct FloorMeter {
    rate: f64,
    size: usize,
    fft: Arc<dyn RealToComplex<f32>>,
    window: Vec<f32>,
    waiting: Vec<f32>,
    spectrum: Vec<Complex32>,
    /// Power of the low bins at every moment.
    moments: Vec<Vec<f32>>,
    /// Power of all bins at every moment, K-weighted and added up.
    heard: Vec<f64>,
    weights: Vec<f64>,
}

impl FloorMeter {
    /// For a sound at `rate` Hz.
    #[must_use]
    pub fn new(rate: f64) -> Self {
        let size = if rate > 50_000.0 { 2 * SIZE } else { SIZE };
        let fft = forward_f32(size);
        let hz = |bin: usize| bin as f64 * rate / size as f64;
        Self {
            rate,
            size,
            window: (0..size).map(|i| (0.5 - 0.5 * cos(TAU * i as f64 / size as f64)) as f32).collect(),
            waiting: Vec::with_capacity(size),
            spectrum: fft.make_output_vec(),
            fft,
            moments: Vec::new(),
            heard: Vec::new(),
            weights: (0..=size / 2).map(|bin| KWeighting::power_at(hz(bin).max(1.0), rate)).collect(),
        }
    }

    /// Takes in the first `frames` of a block, both sides together.
    pub fn push(&mut self, block: &StereoBlock, frames: usize) {
        for (l, r) in block.left[..frames].iter().zip(&block.right[..frames]) {
            self.waiting.push(0.5 * (l + r));
            if self.waiting.len() == self.size {
                self.look();
                self.waiting.drain(..self.size / 2);
            }
        }
    }

    fn look(&mut self) {
        let mut windowed: Vec<f32> = self.waiting.iter().zip(&self.window).map(|(x, w)| x * w).collect();
        if self.fft.process(&mut windowed, &mut self.spectrum).is_err() {
            return;
        }
        // So that the bins of a tone add up to its mean square.
        let scale = 2.0 / (0.375 * self.size as f32 * self.size as f32);
        let power: Vec<f32> = self.spectrum.iter().map(|bin| scale * bin.norm_sqr()).collect();
        self.heard.push(power.iter().zip(&self.weights).map(|(p, w)| f64::from(*p) * w).sum());
        self.moments.push(power[..self.top_bin()].to_vec());
    }

    fn top_bin(&self) -> usize {
        (2.0 * MOST_ROOM * RANGE_HZ[1] * self.size as f64 / self.rate) as usize
    }

    fn hz(&self, bin: f64) -> f64 {
        bin * self.rate / self.size as f64
    }

    fn bin(&self, hz: f64) -> usize {
        (hz * self.size as f64 / self.rate).round() as usize
    }

    /// Where it begins; none for silence, or where nothing rises over its ground.
    #[must_use]
    pub fn finish(self) -> Option<Floor> {
        let loudest = self.heard.iter().fold(0.0f64, |m, p| m.max(*p));
        let plays = |at: &usize| self.heard[*at] > loudest * pow(10.0, -REST_DB / 10.0);
        let (played, rests): (Vec<usize>, Vec<usize>) = (0..self.moments.len()).partition(plays);
        if loudest < 1e-10 || played.is_empty() {
            return None;
        }
        let many_rests = rests.len() as f64 > ENOUGH_RESTS * self.moments.len() as f64;
        let ground_of = |bin| if many_rests { self.level(&rests, bin, 0.5) } else { self.level(&played, bin, GROUND) };
        let (first, last) = (self.bin(RANGE_HZ[0]), self.bin(RANGE_HZ[1]));
        let tops: Vec<f64> = (0..=last + 1).map(|bin| self.level(&played, bin, PLAYED)).collect();
        let rising: Vec<bool> = (0..=last + 1).map(|bin| tops[bin] - ground_of(bin) > RISE_DB).collect();
        let rises = |bin: usize| rising[bin];
        // What never rests and never changes has no ground; then its strongest tones speak.
        let of_played: Vec<&[f32]> = played.iter().map(|at| self.moments[*at].as_slice()).collect();
        let (bed_db, energy) = (self.bed_db(), self.energy(&played));
        let lowest = Moments::new(&of_played, &bed_db, &rising, self.hz(1.0)).lowest_note(first..=last);
        let place = lowest
            .filter(|place| !self.is_struck_below(&energy, *place))
            .or_else(|| first_tone(&tops, first..=last, rises))
            .or_else(|| first_tone(&tops, first..=last, |_| true))?;
        let begins_hz = self.hz(place);
        let (below, own) = (self.bin(begins_hz / BELOW), energy.from(self.bin(begins_hz / LOWEST_EDGE)));
        Some(Floor {
            hum: hum::hum(ground_of, self.hz(1.0)),
            begins_hz,
            note: note_name(begins_hz),
            below_dbfs: power_to_db(energy.low[..below].iter().sum()),
            steady_dbfs: self.steady(below),
            keep: energy.cut(own.highest(STEEP, WHOLE_LU, [10.0, 0.85 * begins_hz]), STEEP),
            room: energy.cut(own.highest(GENTLE, ROOM_LU, [0.85 * begins_hz, MOST_ROOM * begins_hz]), GENTLE),
        })
    }

    /// Level in dB that a bin stays under at this share of some moments.
    fn level(&self, moments: &[usize], bin: usize, share: f64) -> f64 {
        let mut levels: Vec<f32> = moments.iter().map(|at| self.moments[*at][bin]).collect();
        let at = ((levels.len() - 1) as f64 * share).round() as usize;
        let (_, level, _) = levels.select_nth_unstable_by(at, f32::total_cmp);
        power_to_db(f64::from(*level) + 1e-20)
    }

    /// What steadily lies under the notes, in dB by bin: the level hardly ever fallen short of, without its lines.
    fn bed_db(&self) -> Vec<f32> {
        let all: Vec<usize> = (0..self.moments.len()).collect();
        let steady: Vec<f64> = (0..self.top_bin()).map(|bin| self.level(&all, bin, STEADY)).collect();
        let about = |bin: usize| {
            let mut near = steady[bin.saturating_sub(BED_BINS)..(bin + BED_BINS + 1).min(steady.len())].to_vec();
            let middle = near.len() / 2;
            *near.select_nth_unstable_by(middle, f64::total_cmp).1 as f32
        };
        (0..steady.len()).map(about).collect()
    }

    /// Level in dBFS of all that lies below a bin at its quieter moments.
    fn steady(&self, bin: usize) -> f64 {
        let mut sums: Vec<f64> =
            self.moments.iter().map(|low| low[..bin].iter().map(|p| f64::from(*p)).sum()).collect();
        let at = ((sums.len() - 1) as f64 * STEADY).round() as usize;
        let (_, level, _) = sums.select_nth_unstable_by(at, f64::total_cmp);
        power_to_db(*level)
    }

    /// Whether what lies below a tone is the part's own all the same: strong, and coming and going, as a drum's shell
    /// below its ring does and a room's rumble does not.
    fn is_struck_below(&self, energy: &Energy, place: f64) -> bool {
        let [below, own] = [BELOW, LOWEST_EDGE].map(|by| (place / by).round() as usize);
        let [below_db, own_db] = [&energy.low[..below], &energy.low[own..]].map(|low| power_to_db(low.iter().sum()));
        below_db > own_db - STRUCK_UNDER_DB && below_db > self.steady(below) + STRUCK_RISES_DB
    }

    /// Mean energy of some moments.
    fn energy(&self, moments: &[usize]) -> Energy {
        let count = moments.len() as f64;
        let mean = |bin: usize| moments.iter().map(|at| f64::from(self.moments[*at][bin])).sum::<f64>() / count;
        let low: Vec<f64> = (0..self.top_bin()).map(mean).collect();
        let all = moments.iter().map(|at| self.heard[*at]).sum::<f64>() / count;
        let low_heard: Vec<f64> = low.iter().zip(&self.weights).map(|(p, w)| p * w).collect();
        Energy { bin_hz: self.rate / self.size as f64, rest: all - low_heard.iter().sum::<f64>(), low, low_heard }
    }
}

/// The lowest bin that stands out among those that may.
fn first_tone(tops: &[f64], range: std::ops::RangeInclusive<usize>, may: impl Fn(usize) -> bool) -> Option<f64> {
    let own: Vec<usize> = range.filter(|bin| *bin > 0 && may(*bin)).collect();
    let strongest = own.iter().map(|bin| tops[*bin]).fold(f64::NEG_INFINITY, f64::max);
    let top = |b: &usize| tops[*b] > strongest - REACH_DB && tops[*b] >= tops[b - 1] && tops[*b] >= tops[b + 1];
    own.into_iter().find(top).map(|b| b as f64 + lines::between([tops[b - 1], tops[b], tops[b + 1]]))
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::signal::BLOCK;
    use crate::signal::math::sin;

    const RATE: f64 = 48_000.0;

    fn floor_of(signal: impl Fn(f64) -> f64) -> Option<Floor> {
        let mut meter = FloorMeter::new(RATE);
        for block in 0..3000 {
            let mut out = StereoBlock::SILENT;
            for i in 0..BLOCK {
                out.set_frame(i, [signal((block * BLOCK + i) as f64 / RATE); 2]);
            }
            meter.push(&out, BLOCK);
        }
        meter.finish()
    }

    /// Notes of half a second with partials, and rests between them.
    fn notes(t: f64) -> f64 {
        let hz = [110.0, 146.83, 196.0, 82.41][(t / 0.5) as usize % 4];
        let fade = (1.0 - (t % 0.5) / 0.45).max(0.0);
        fade * (1..=6).map(|n| sin(TAU * hz * f64::from(n) * t) / f64::from(n)).sum::<f64>() * 0.1
    }

    #[test]
    fn an_instrument_begins_at_its_lowest_note_whatever_rumbles_below() {
        let found = floor_of(|t| notes(t) + 0.02 * sin(TAU * 27.0 * t) + 0.01 * sin(TAU * 50.0 * t)).unwrap();
        assert!((found.begins_hz / 82.41 - 1.0).abs() < 0.03, "{found:?}");
        assert!(found.keep.freq_hz < 82.41 && found.keep.freq_hz > 35.0, "{found:?}");
        assert!(found.room.freq_hz > found.keep.freq_hz && found.keep.slope_db_oct > found.room.slope_db_oct);
    }

    #[test]
    fn a_tone_that_never_rests_is_where_it_begins() {
        let found = floor_of(|t| 0.2 * sin(TAU * 130.8 * t)).unwrap();
        assert!((found.begins_hz / 130.8 - 1.0).abs() < 0.01, "{found:?}");
    }

    #[test]
    fn the_corner_that_costs_one_unit_is_the_butterworths() {
        // All energy in one bin at 100 Hz: 10 lg(1 + r^4) = 1 at a ratio r for 12 dB/oct.
        let (mut low, bin_hz) = (vec![0.0; 400], 1.0);
        low[100] = 0.5;
        let energy = Energy { bin_hz, low_heard: low.clone(), low, rest: 0.0 };
        let cut = energy.cut(energy.highest(12, 1.0, [10.0, 400.0]), 12);
        let expected = 100.0 * (10f64.powf(0.1) - 1.0).powf(0.25);
        assert!((cut.freq_hz - expected).abs() < 0.1 && (cut.removes_lu - 1.0).abs() < 0.01, "{cut:?}");
    }

    #[test]
    fn a_low_e_is_told_from_the_notes_just_above_it() {
        // A bass line of E1, C2, G1, D2, half a second each, a third of it on the low E.
        let line = [41.2, 65.41, 49.0, 41.2, 73.42, 49.0];
        let bass = |t: f64| {
            let hz = line[(t / 0.5) as usize % line.len()];
            let fade = (1.0 - (t % 0.5) / 0.48).max(0.0);
            fade * (1..=8).map(|n| sin(TAU * hz * f64::from(n) * t) / f64::from(n * n)).sum::<f64>() * 0.1
        };
        let floor = floor_of(bass).unwrap_or_else(|| panic!("nothing found"));
        assert!((floor.begins_hz / 41.2 - 1.0).abs() < 0.03, "{floor:?}");
        assert!(floor.keep.freq_hz < 41.2, "{floor:?}");
    }

    #[test]
    fn silence_begins_nowhere() {
        assert_eq!(floor_of(|_| 0.0), None);
    }
}
