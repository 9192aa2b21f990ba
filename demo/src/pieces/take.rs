//! Recordings of pieces, with and without rings put into them.

use zinc_core::signal::math::pow;

use super::kinds::{Kind, piece};
use crate::player::Chance;
use crate::tools::{FS, add_noise, bell, shape};

/// How long a take may be, in seconds: as often long as short.
const SECONDS: [f64; 5] = [8.0, 12.0, 16.0, 24.0, 24.0];
/// Noise of what it was recorded with, in dBFS.
const FLOORS_DB: [f64; 4] = [-110.0, -90.0, -80.0, -70.0];

/// A ring put into a piece.
#[derive(Clone, Copy, Debug)]
pub struct Planted {
    /// Frequency in Hz.
    pub hz: f64,
    /// Gain in dB of the bell that makes it.
    pub gain_db: f64,
    /// Q of that bell.
    pub q: f64,
}

impl Planted {
    /// 200 to 4000 Hz, 12 to 18 dB, Q 20 to 50.
    pub fn by_chance(chance: &mut Chance) -> Self {
        let hz = 200.0 * pow(20.0, chance.unit());
        Self { hz, gain_db: 12.0 + 6.0 * chance.unit(), q: 20.0 + 30.0 * chance.unit() }
    }

    /// The piece with this ring in it.
    #[must_use]
    pub fn put_into(self, piece: &[f32]) -> Vec<f32> {
        let mut out = piece.to_vec();
        shape(&mut out, &[bell(self.hz, self.gain_db, self.q)]);
        out
    }
}

/// A recording of a piece.
pub struct Take {
    played: Vec<f32>,
    floor_db: f64,
    seed: u64,
}

impl Take {
    /// The first 8 to 24 seconds of a piece, over a noise floor of -110 to -70 dBFS.
    #[must_use]
    pub fn by_chance(kind: Kind, seed: u64) -> Self {
        let mut chance = Chance::new(seed * 7919 + kind as u64 + 17);
        let mut played = piece(kind, seed);
        let seconds = SECONDS[(chance.unit() * SECONDS.len() as f64) as usize];
        played.truncate((seconds * FS) as usize);
        let floor_db = FLOORS_DB[(chance.unit() * FLOORS_DB.len() as f64) as usize];
        Self { played, floor_db, seed }
    }

    /// Seconds it lasts.
    #[must_use]
    pub fn seconds(&self) -> f64 {
        self.played.len() as f64 / FS
    }

    /// As it was played.
    #[must_use]
    pub fn clean(&self) -> Vec<f32> {
        self.over_its_floor(self.played.clone())
    }

    /// The same with something that rings.
    #[must_use]
    pub fn ringing(&self, ring: Planted) -> Vec<f32> {
        self.over_its_floor(ring.put_into(&self.played))
    }

    fn over_its_floor(&self, mut sound: Vec<f32>) -> Vec<f32> {
        add_noise(&mut sound, self.seed + 9, self.floor_db, &[]);
        sound
    }
}
