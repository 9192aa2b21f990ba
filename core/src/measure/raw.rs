//! What a recorded part is before anyone touched it: level, spectrum, where it begins, what
//! rings, where it plays, and which instrument it sounds like; in one pass.

use serde::{Deserialize, Serialize};

use super::features::{FeatureMeter, Likely};
use super::floor::{Floor, FloorMeter};
use super::intake::{Intake, IntakeMeter};
use super::rings::{Ring, RingMeter};
use super::treatment::{Point, PointFigures};
use crate::session::Part;
use crate::signal::{BLOCK, StereoBlock};

/// Guesses of its instrument that are told.
const GUESSES: usize = 3;
/// A guess less likely than this is not told.
const UNLIKELY: f64 = 0.05;

/// A guess of the instrument.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "types", derive(ts_rs::TS))]
pub struct Guess {
    /// The part.
    pub part: Part,
    /// Its name on the page.
    pub label: String,
    /// How sure, 0 to 1.
    pub sure: f64,
}

/// The figures of a raw part.
#[derive(Clone, Debug, Serialize, Deserialize)]
#[cfg_attr(feature = "types", derive(ts_rs::TS))]
pub struct Raw {
    /// Level, loudness, spectrum, waveform.
    pub point: PointFigures,
    /// Loudness energy of each tenth of a second.
    pub tenths: Vec<f64>,
    /// Stretches in which it plays, in frames.
    pub plays: Vec<[u64; 2]>,
    /// Where it begins; none where nothing is heard.
    pub floor: Option<Floor>,
    /// What rings, strongest first.
    pub rings: Vec<Ring>,
    /// What it sounds like, likeliest first.
    pub sounds_like: Vec<Guess>,
}

/// Takes a recording in.
pub struct RawMeter {
    point: Point,
    intake: IntakeMeter,
    floor: FloorMeter,
    rings: RingMeter,
    features: FeatureMeter,
}

impl RawMeter {
    /// For a recording of 1 or 2 channels at `rate` Hz.
    #[must_use]
    pub fn new(rate: f64, channels: u8) -> Self {
        Self {
            point: Point::new(rate, 0),
            intake: IntakeMeter::new(rate, channels),
            floor: FloorMeter::new(rate),
            rings: RingMeter::new(rate),
            features: FeatureMeter::new(rate),
        }
    }

    /// Takes in a block.
    pub fn push(&mut self, block: &StereoBlock) {
        self.point.push(block);
        self.intake.push(block, BLOCK);
        self.floor.push(block, BLOCK);
        self.rings.push(block, BLOCK);
        self.features.push(block, BLOCK);
    }

    /// All figures.
    #[must_use]
    pub fn finish(mut self) -> Raw {
        let point = self.point.finish();
        let Intake { plays, .. } = self.intake.finish();
        let guess = |l: &Likely| Guess { part: l.part, label: l.part.label().to_string(), sure: l.sure };
        let likely = self.features.finish().likely();
        Raw {
            point,
            tenths: std::mem::take(&mut self.point.tenths),
            plays,
            floor: self.floor.finish(),
            rings: self.rings.finish(),
            sounds_like: likely.iter().filter(|l| l.sure >= UNLIKELY).take(GUESSES).map(guess).collect(),
        }
    }
}
