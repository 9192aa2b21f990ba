//! The last stage: what it shaves off peaks, at four times the rate.
//!
//! In linear phase: it is late by whole frames, which the compressor states, so that beside the untouched sound
//! nothing cancels.

use crate::signal::decibel::db_to_gain;
use crate::signal::oversample::{self, Oversampler};
use crate::signal::{BLOCK, Frame, Ramp};
use crate::unit::settings::Settings;

/// Times the rate at which peaks are shaved.
const FACTOR: usize = 4;
/// Share of the level at which a firm edge begins to bend.
const FIRM_FROM: f64 = 0.7;

/// Frames by which it is late.
pub fn latency(settings: &Settings, rate: f64) -> usize {
    if Shave::of(settings) == Shave::None { 0 } else { oversample::latency(FACTOR, rate) }
}

/// Frames it goes on sounding: what rings on the way up and down.
pub fn tail(settings: &Settings, rate: f64) -> usize {
    2 * latency(settings, rate)
}

/// How hard the edge is.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Shave {
    /// Nothing is shaved.
    None,
    /// From the start, `x / sqrt(1 + x^2)`.
    Rounded,
    /// Straight up to 0.7, then a quarter of a circle's bend into the level.
    Firm,
    /// Cut off.
    FlatTop,
}

impl Shave {
    /// As set.
    pub fn of(settings: &Settings) -> Self {
        match settings.fixed.choice("edge") {
            "rounded" => Self::Rounded,
            "firm" => Self::Firm,
            "flat-top" => Self::FlatTop,
            _ => Self::None,
        }
    }

    /// What it leaves of a sample, in units of its level.
    #[inline]
    fn at(self, x: f64) -> f64 {
        let size = x.abs();
        match self {
            Self::None => x,
            Self::Rounded => x / (1.0 + x * x).sqrt(),
            Self::Firm if size <= FIRM_FROM => x,
            Self::Firm => {
                // `w / (1 + w)` of what is left: slope 1 where it begins, the level at the end.
                let over = (size - FIRM_FROM) / (1.0 - FIRM_FROM);
                (FIRM_FROM + (1.0 - FIRM_FROM) * over / (1.0 + over)).copysign(x)
            }
            Self::FlatTop => x.clamp(-1.0, 1.0),
        }
    }
}

/// The running stage.
#[derive(Clone)]
pub struct Edge {
    shave: Shave,
    level: Ramp,
    over: Oversampler,
}

impl Edge {
    /// At rest.
    pub fn new(rate: f64) -> Self {
        Self { shave: Shave::None, level: Ramp::new(1.0, FACTOR as f64 * rate), over: Oversampler::new(FACTOR, rate) }
    }

    /// Takes the settings. Whoever runs the unit crossfades from another edge.
    pub fn take(&mut self, settings: &Settings) {
        let shave = Shave::of(settings);
        if self.shave == Shave::None && shave != Shave::None {
            self.over.reset();
        }
        self.shave = shave;
        self.level.glide_to(db_to_gain(settings.fixed.number("edge_at_db")));
    }

    /// Its moves end within so many seconds; 0 is at once.
    pub fn arrive(&mut self, within_s: f64) {
        self.level.arrive(within_s);
    }

    /// Forgets the past.
    pub fn reset(&mut self) {
        self.over.reset();
    }

    /// Whether it leaves everything as it is.
    pub fn is_off(&self) -> bool {
        self.shave == Shave::None
    }

    /// Shaves a block in place.
    pub fn process(&mut self, frames: &mut [Frame; BLOCK]) {
        if self.is_off() {
            return;
        }
        let Self { shave, level, over } = self;
        over.process(frames, |high| {
            for frame in high {
                let level = level.next_value();
                *frame = frame.map(|x| level * shave.at(x / level));
            }
        });
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn each_edge_leaves_what_is_soft_and_lets_nothing_past_its_level() {
        for (shave, soft) in [(Shave::Rounded, 1e-4), (Shave::Firm, 1e-12), (Shave::FlatTop, 1e-12)] {
            assert!((shave.at(0.02) - 0.02).abs() <= soft * 0.1, "{shave:?}");
            for n in 0..400 {
                let x = f64::from(n) * 0.05;
                assert!(shave.at(x) <= 1.0 && shave.at(-x) == -shave.at(x));
                assert!(shave.at(x + 0.05) >= shave.at(x), "{shave:?} never turns back");
            }
        }
        let taken = |shave: Shave| 0.9 - shave.at(0.9);
        assert!(taken(Shave::Rounded) > taken(Shave::Firm) && taken(Shave::Firm) > taken(Shave::FlatTop));
    }
}
