//! All figures of one stretch of sound, as `zinc-rack measure` reports them.

use serde::Serialize;

use super::level::LevelMeter;
use super::loudness::{LoudnessMeter, integrated_lufs};
use super::third_octave::{BANDS, ThirdOctaves, centre_hz};
use super::true_peak::TruePeakMeter;
use crate::signal::StereoBlock;

/// Level of one third-octave band.
#[derive(Clone, Copy, Debug, Serialize)]
pub struct Band {
    /// Centre frequency in Hz.
    pub hz: f64,
    /// Level in dBFS RMS.
    pub db: f64,
}

/// The figures. Loudness is absent for silence and for less than 400 ms.
#[derive(Clone, Debug, Serialize)]
pub struct Figures {
    /// Gated loudness in LUFS.
    pub lufs_integrated: Option<f64>,
    /// True peak in dBTP.
    pub true_peak_dbtp: f64,
    /// Sample peak in dBFS.
    pub sample_peak_dbfs: f64,
    /// RMS in dBFS.
    pub rms_dbfs: f64,
    /// Peak minus RMS in dB.
    pub crest_db: f64,
    /// Third-octave levels.
    pub third_octave: Vec<Band>,
}

/// Measures everything at once.
pub struct FigureMeter {
    level: LevelMeter,
    loudness: LoudnessMeter,
    tenths: Vec<f64>,
    true_peak: TruePeakMeter,
    third_octaves: ThirdOctaves,
}

impl FigureMeter {
    /// For a sound of 1 or 2 channels at `rate` Hz.
    #[must_use]
    pub fn new(rate: f64, channels: usize) -> Self {
        Self {
            level: LevelMeter::default(),
            loudness: LoudnessMeter::new(rate, channels),
            tenths: Vec::new(),
            true_peak: TruePeakMeter::default(),
            third_octaves: ThirdOctaves::new(rate, ThirdOctaves::LONG),
        }
    }

    /// Takes in the first `frames` of a block.
    pub fn push(&mut self, block: &StereoBlock, frames: usize) {
        self.level.push(block, frames);
        self.loudness.push(block, frames, |tenth| self.tenths.push(tenth));
        self.true_peak.push(block);
        self.third_octaves.push(block, frames);
    }

    /// The figures so far.
    #[must_use]
    pub fn figures(&mut self) -> Figures {
        let levels: [f64; BANDS] = self.third_octaves.levels_db();
        let band = |(i, db): (usize, &f64)| Band { hz: centre_hz(i), db: *db };
        Figures {
            lufs_integrated: integrated_lufs(&self.tenths),
            true_peak_dbtp: self.true_peak.dbtp().max(self.level.peak_db()),
            sample_peak_dbfs: self.level.peak_db(),
            rms_dbfs: self.level.rms_db(),
            crest_db: self.level.crest_db(),
            third_octave: levels.iter().enumerate().map(band).collect(),
        }
    }
}
