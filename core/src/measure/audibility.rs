//! What a parallel path adds where a small speaker plays, against what it changes on a large one.
//!
//! With the direct sound `d` and the added `w` the energy of `d + g w` is `dd + 2 g dw + g^2 ww`:
//! three sums answer for every level of the path. Once K-weighted for the ear on large speakers
//! (BS.1770, without gating), once above 150 Hz for what a small one gives.

use serde::Serialize;

use crate::filter::analog::{self, Side};
use crate::filter::matched::matched;
use crate::filter::{KWeighting, Svf};
use crate::signal::decibel::{db_to_gain, power_to_db};
use crate::signal::{BLOCK, Frame, StereoBlock};

/// Small speakers play above this.
pub const SMALL_FROM_HZ: f64 = 150.0;
/// By so much the small speaker shall gain, in dB, while the large one changes by less, in LU.
pub const GAINS_DB: f64 = 3.0;
/// See [`GAINS_DB`].
pub const CHANGES_LU: f64 = 0.5;
/// Levels of the path that are looked at, in dB.
const LEVELS_DB: (i32, i32) = (-48, 6);
/// Order of the small speaker's fall.
const ORDER: usize = 4;
/// A path that is this much alike, as a share of energy, is a copy.
const COPY: f64 = 0.999_99;

/// What the path does at one level.
#[derive(Clone, Copy, Debug, Serialize)]
pub struct At {
    /// Level of the path in dB.
    pub level_db: f64,
    /// Gain on a small speaker in dB.
    pub small_db: f64,
    /// Change of loudness on a large one in LU.
    pub large_lu: f64,
}

/// What is found.
#[derive(Clone, Debug, Serialize)]
pub struct Audibility {
    /// From the softest level to the loudest, in steps of a dB.
    pub levels: Vec<At>,
    /// The softest level at which the small speaker gains [`GAINS_DB`]; none where none does.
    pub mark: Option<At>,
    /// What is asked of the mark: [`GAINS_DB`] and [`CHANGES_LU`].
    pub gains_db: f64,
    /// See `gains_db`.
    pub changes_lu: f64,
    /// How much of what is added lies above [`SMALL_FROM_HZ`], 0 to 1.
    pub share_above: f64,
    /// Whether what is added is the direct sound once more, which only adds level.
    pub copy: bool,
}

/// `dd`, `dw`, `ww`.
type Sums = [f64; 3];

/// Takes both sounds in.
pub struct AudibilityMeter {
    weighting: [KWeighting; 2],
    small: [Vec<Svf>; 2],
    on_large: Sums,
    on_small: Sums,
    plain: Sums,
}

impl AudibilityMeter {
    /// At rest at a rate in Hz.
    #[must_use]
    pub fn new(rate: f64) -> Self {
        let cut = || -> Vec<Svf> {
            analog::cut(Side::Low, SMALL_FROM_HZ, ORDER).map(|s| Svf::new(matched(&s, rate), rate, 0.01)).collect()
        };
        Self {
            weighting: [KWeighting::new(rate), KWeighting::new(rate)],
            small: [cut(), cut()],
            on_large: [0.0; 3],
            on_small: [0.0; 3],
            plain: [0.0; 3],
        }
    }

    /// A block of the direct sound and of what is added, as loud as it is at 0 dB.
    pub fn push(&mut self, direct: &StereoBlock, added: &StereoBlock) {
        let mut both: [[Frame; BLOCK]; 2] = [direct, added].map(|block| std::array::from_fn(|i| block.frame(i)));
        add(&mut self.plain, &both);
        both.iter_mut().zip(&mut self.weighting).for_each(|(frames, weighting)| weighting.process(frames));
        add(&mut self.on_large, &both);
        for (frames, sections) in both.iter_mut().zip(&mut self.small) {
            sections.iter_mut().for_each(|section| section.process(frames));
        }
        add(&mut self.on_small, &both);
    }

    /// What was found.
    #[must_use]
    pub fn finish(&self) -> Audibility {
        let (low, high) = LEVELS_DB;
        let levels: Vec<At> = (low..=high).map(|db| self.at(f64::from(db))).collect();
        let mark = levels.iter().find(|at| at.small_db >= GAINS_DB).map(|first| self.exactly(first.level_db));
        let [dd, dw, ww] = self.plain;
        Audibility {
            levels,
            mark,
            gains_db: GAINS_DB,
            changes_lu: CHANGES_LU,
            share_above: if self.on_large[2] > 0.0 { (self.on_small[2] / self.on_large[2]).min(1.0) } else { 0.0 },
            copy: ww > 0.0 && dw * dw > COPY * dd * ww,
        }
    }

    fn at(&self, level_db: f64) -> At {
        let gain = db_to_gain(level_db);
        let by = |[dd, dw, ww]: Sums| {
            let whole = dd + 2.0 * gain * dw + gain * gain * ww;
            if dd > 0.0 { power_to_db(whole.max(1e-30) / dd) } else { 0.0 }
        };
        At { level_db, small_db: by(self.on_small), large_lu: by(self.on_large) }
    }

    /// The level within the dB before `level_db` at which the small speaker gains what is asked.
    fn exactly(&self, level_db: f64) -> At {
        let (mut low, mut high) = (level_db - 1.0, level_db);
        for _ in 0..12 {
            let middle = 0.5 * (low + high);
            if self.at(middle).small_db >= GAINS_DB { high = middle } else { low = middle }
        }
        self.at(high)
    }
}

fn add(sums: &mut Sums, [direct, added]: &[[Frame; BLOCK]; 2]) {
    for (d, w) in direct.iter().zip(added) {
        for k in 0..2 {
            sums[0] += d[k] * d[k];
            sums[1] += d[k] * w[k];
            sums[2] += w[k] * w[k];
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::signal::math::{TAU, sin};

    const RATE: f64 = 48_000.0;

    fn found(direct: impl Fn(f64) -> f64, added: impl Fn(f64) -> f64) -> Audibility {
        let mut meter = AudibilityMeter::new(RATE);
        for first in (0..96_000).step_by(BLOCK) {
            let mut blocks = [StereoBlock::SILENT, StereoBlock::SILENT];
            for i in 0..BLOCK {
                let t = (first + i) as f64 / RATE;
                blocks[0].set_frame(i, [direct(t); 2]);
                blocks[1].set_frame(i, [added(t); 2]);
            }
            meter.push(&blocks[0], &blocks[1]);
        }
        meter.finish()
    }

    #[test]
    fn an_identical_copy_is_called_one_and_adds_6_db_at_its_own_level() {
        let tone = |t: f64| 0.2 * sin(TAU * 440.0 * t);
        let copy = found(tone, tone);
        let same = copy.levels.iter().find(|at| at.level_db == 0.0).unwrap();
        assert!(copy.copy && (same.large_lu - 6.02).abs() < 0.01 && (same.small_db - 6.02).abs() < 0.01);
        assert!(!found(tone, |t| 0.1 * sin(TAU * 880.0 * t)).copy);
    }

    #[test]
    fn overtones_of_a_low_tone_gain_on_the_small_speaker_long_before_the_large_one_changes() {
        // 30 Hz, so low that none of it is left on the small speaker, with a trace of 440 Hz; 220 Hz
        // is added.
        let direct = |t: f64| 0.3 * sin(TAU * 30.0 * t) + 0.003 * sin(TAU * 440.0 * t);
        let added = |t: f64| 0.01 * sin(TAU * 220.0 * t);
        let found = found(direct, added);
        let mark = found.mark.unwrap();
        // As much energy as there is doubles it: 3 dB at 0.003 of 0.01, -10.5 dB, less what the
        // small speaker loses of 220 Hz.
        assert!((-11.0..-8.0).contains(&mark.level_db), "{mark:?}");
        assert!((mark.small_db - GAINS_DB).abs() < 0.01 && mark.large_lu < CHANGES_LU, "{mark:?}");
        assert!(found.share_above > 0.8);
    }

    #[test]
    fn what_adds_nothing_up_there_has_no_mark() {
        let found = found(|t| 0.3 * sin(TAU * 300.0 * t), |t| 0.01 * sin(TAU * 60.0 * t));
        assert!(found.mark.is_none() && !found.copy);
    }
}
