//! Rings: narrow resonances that stay where they are while the notes change.
//!
//! The sound is looked at in moments, with transforms longer for low octaves than for
//! high ones ([`resolution`]), on a scale of equal steps ([`scale`]). Of each step the
//! levels are taken that it exceeds at nine, eight... of ten moments, with the lines of
//! partials and without them ([`opening`]), and bells are laid on those curves
//! ([`bells`]). Of each moment it is also asked what no note accounts for ([`notes`],
//! [`surplus`], [`peers`]). What speaks for each bump that is found and what against it is
//! weighed ([`search`], [`evidence`], [`forest`]). A line that never moves at a multiple of
//! the mains is hum.

mod bells;
mod earlier;
mod evidence;
pub mod forest;
mod notes;
mod opening;
mod peers;
mod resolution;
mod scale;
mod search;
mod suggest;
mod surplus;
mod trees;

use crate::unit::value::WrittenRow;
use serde::{Deserialize, Serialize};

pub use self::evidence::Evidence;
use self::resolution::{Cover, Resolution};
use self::scale::{STEPS, quantile};
pub use self::search::{Candidate, LOWEST_HZ};
use crate::signal::StereoBlock;
use crate::signal::math::pow;
use crate::unit::text::note_name;

/// The resolutions, lowest octaves first; together they cover the scale.
const COVERS: [Cover; 5] = [
    Cover { size: 65_536, hop: 8192, steps: (0, 384), lines: false },
    Cover { size: 32_768, hop: 8192, steps: (384, 480), lines: true },
    Cover { size: 16_384, hop: 4096, steps: (480, 576), lines: false },
    Cover { size: 8192, hop: 4096, steps: (576, 672), lines: false },
    Cover { size: 4096, hop: 4096, steps: (672, STEPS as i32), lines: false },
];
/// Fewest moments that tell notes from resonances: about 4 s.
const FEWEST_MOMENTS: usize = 16;
/// Two rings closer than this, as a ratio, are one.
const ONE_RING: f64 = 1.06;
/// Moments at which it stands out by this much less than it does at its best count as
/// those when it rings.
const RINGING_DB: f32 = 6.0;
/// Hum moves by less than this in dB, and lies within this many Hz of a multiple.
const HUM_MOVES_DB: f32 = 3.0;
const HUM_WITHIN_HZ: f64 = 1.0;

/// One ring.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "types", derive(ts_rs::TS))]
pub struct Ring {
    /// Frequency in Hz.
    pub hz: f64,
    /// The nearest note.
    pub note: String,
    /// dB by which it stands out of its surroundings.
    pub prominence_db: f64,
    /// Time in ms in which it falls by 60 dB.
    pub ring_ms: f64,
    /// Share of the time something plays in which it rings.
    pub share: f64,
    /// `ring` or `hum`.
    pub is: String,
    /// A band of the surgical EQ against it, to be heard before it is kept.
    #[cfg_attr(feature = "types", ts(type = "Params"))]
    pub suggest: WrittenRow,
    /// Why that one.
    pub why: String,
}

/// Takes in a sound and finds its rings.
pub struct RingMeter {
    resolutions: Vec<Resolution>,
}

impl RingMeter {
    /// For a sound at `rate` Hz.
    #[must_use]
    pub fn new(rate: f64) -> Self {
        Self { resolutions: COVERS.map(|cover| Resolution::new(cover, rate)).into() }
    }

    /// Takes in the first `frames` of a block, both sides together.
    pub fn push(&mut self, block: &StereoBlock, frames: usize) {
        for resolution in &mut self.resolutions {
            let sides = block.left[..frames].iter().zip(&block.right[..frames]);
            resolution.push(sides.map(|(l, r)| 0.5 * (l + r)));
        }
    }

    /// Every place that stands out, with what speaks for and against it, lowest first.
    #[must_use]
    pub fn candidates(&mut self) -> Vec<Candidate> {
        self.resolutions.iter_mut().for_each(Resolution::drop_rests);
        let enough = self.resolutions.iter().all(|r| r.moments.len() >= FEWEST_MOMENTS);
        if enough { search::candidates(&self.resolutions) } else { Vec::new() }
    }

    /// The rings, strongest first.
    #[must_use]
    pub fn finish(mut self) -> Vec<Ring> {
        let mut likely: Vec<(Candidate, bool)> = self
            .candidates()
            .into_iter()
            .map(|c| {
                let hum = self.is_hum(&c);
                (c, hum)
            })
            .filter(|(c, hum)| *hum || c.is_ring())
            .collect();
        let odds = |c: &Candidate| c.evidence.log_odds();
        likely.sort_by(|a, b| odds(&b.0).total_cmp(&odds(&a.0)));
        let mut kept: Vec<(Candidate, bool)> = Vec::new();
        for (candidate, hum) in likely {
            let ratio = |other: f64| (candidate.hz / other).max(other / candidate.hz);
            if kept.iter().all(|(k, _)| ratio(k.hz) > ONE_RING) {
                kept.push((candidate, hum));
            }
        }
        kept.sort_by(|a, b| b.0.prominence_db.total_cmp(&a.0.prominence_db));
        kept.iter().map(|(candidate, hum)| self.ring(candidate, *hum)).collect()
    }

    /// The resolution that covers a step, and the step within it.
    fn covering(&self, step: usize) -> (&Resolution, usize) {
        let covers = |r: &&Resolution| step < r.cover.steps.1 as usize;
        let resolution = self.resolutions.iter().find(covers).unwrap_or(&self.resolutions[0]);
        (resolution, step - resolution.cover.steps.0 as usize)
    }

    fn is_hum(&self, candidate: &Candidate) -> bool {
        let hz = candidate.hz;
        let near = [50.0, 60.0].iter().any(|mains| {
            let n = (hz / mains).round();
            (1.0..=12.0).contains(&n) && (hz - n * mains).abs() < HUM_WITHIN_HZ
        });
        let (resolution, step) = self.covering(candidate.step);
        let mut levels: Vec<f32> = resolution.moments.iter().map(|m| m.levels[step]).collect();
        near && quantile(&mut levels, 0.9) - quantile(&mut levels, 0.1) < HUM_MOVES_DB
    }

    fn ring(&self, candidate: &Candidate, hum: bool) -> Ring {
        let &Candidate { hz, prominence_db, q, step, .. } = candidate;
        let (resolution, at) = self.covering(step);
        let mut over: Vec<f32> = resolution.moments.iter().map(|m| m.over[at]).collect();
        let ringing_from = quantile(&mut over, 0.9) - RINGING_DB;
        let mut ringing: Vec<f32> =
            resolution.moments.iter().filter(|m| m.over[at] > ringing_from).map(|m| m.levels[at]).collect();
        let share = ringing.len() as f64 / over.len() as f64;
        // Three quarters of the moments when it rings are over the threshold.
        let threshold_db = f64::from(quantile(&mut ringing, 0.25)) + resolution.tone_db();
        let levels: Vec<f32> = resolution.moments.iter().map(|m| m.levels[at]).collect();
        // The poles of a bell are sharper than its Q by half its gain.
        let bell_s = 2.2 * q * pow(10.0, prominence_db.clamp(0.0, 30.0) / 40.0) / hz;
        let ring_ms = 1000.0 * fall_time_s(&levels, resolution.step_s()).max(bell_s);
        let (suggest, why) = if hum {
            suggest::notch(hz)
        } else {
            suggest::cut(&suggest::Cut { hz, prominence_db, q, share, threshold_db })
        };
        let is = if hum { "hum" } else { "ring" }.to_string();
        Ring { hz, note: note_name(hz), prominence_db, ring_ms, share, is, suggest, why }
    }
}

/// Time in which levels a step apart fall by 60 dB, from the middle of their steady falls.
fn fall_time_s(levels: &[f32], step_s: f64) -> f64 {
    let mut falls: Vec<f32> = levels.windows(2).map(|w| w[0] - w[1]).filter(|fall| *fall > 0.5).collect();
    if falls.is_empty() { 0.0 } else { 60.0 * step_s / f64::from(quantile(&mut falls, 0.5)) }
}
