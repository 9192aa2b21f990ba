//! What a parallel path adds where a small speaker plays, against what it changes on a large one.
//!
//! Heard on a small speaker is what stands within 12 dB of the whole mix where such a speaker has its body, 150 to
//! 600 Hz, while the part plays: a gain over next to nothing is still nothing. With the direct sound `d` and the added `w` the energy of `d + g w` is `dd + 2 g dw + g^2 ww`:
//! three sums answer for every level of the path. Once K-weighted for the ear on large speakers
//! (BS.1770, without gating), once between 150 and 600 Hz.

use serde::Serialize;

use crate::filter::analog::{self, Side};
use crate::filter::matched::matched;
use crate::filter::{KWeighting, Svf};
use crate::signal::decibel::{db_to_gain, power_to_db};
use crate::signal::{BLOCK, Frame, StereoBlock};

/// Small speakers play above this.
pub const SMALL_FROM_HZ: f64 = 150.0;
/// Where a small speaker has its body.
pub const SMALL_TO_HZ: f64 = 600.0;
/// So near to the mix there, in dB, the part shall stand, while the large speaker changes by less, in LU.
pub const NEAR_DB: f64 = 12.0;
/// See [`NEAR_DB`].
pub const CHANGES_LU: f64 = 0.5;
/// Blocks of the part so far under its loudest are rests, in dB.
const REST_DB: f64 = 40.0;
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
    /// Level of the part with what is added on a small speaker against the mix there, in dB.
    pub against_mix_db: f64,
    /// Change of loudness on a large one in LU.
    pub large_lu: f64,
}

/// What is found.
#[derive(Clone, Debug, Serialize)]
pub struct Audibility {
    /// From the softest level to the loudest, in steps of a dB.
    pub levels: Vec<At>,
    /// The softest level at which the part stands within [`NEAR_DB`] of the mix; none where none does.
    pub mark: Option<At>,
    /// The loudest level at which large speakers change by no more than [`CHANGES_LU`].
    pub unnoticed: At,
    /// Level of the part alone on a small speaker against the mix there, in dB.
    pub alone_db: f64,
    /// What is asked of the mark: [`NEAR_DB`] and [`CHANGES_LU`].
    pub near_db: f64,
    /// See `near_db`.
    pub changes_lu: f64,
    /// How much of what is added lies between [`SMALL_FROM_HZ`] and [`SMALL_TO_HZ`], 0 to 1.
    pub share_body: f64,
    /// Whether what is added is the direct sound once more, which only adds level.
    pub copy: bool,
}

/// `dd`, `dw`, `ww`.
type Sums = [f64; 3];

/// Takes both sounds in.
pub struct AudibilityMeter {
    weighting: [KWeighting; 2],
    small: [Vec<Svf>; 3],
    on_large: Sums,
    on_small: Sums,
    plain: Sums,
    /// Energy of each block in the small speaker's body: of the part, and of the mix.
    blocks: Vec<[f64; 2]>,
}

impl AudibilityMeter {
    /// At rest at a rate in Hz.
    #[must_use]
    pub fn new(rate: f64) -> Self {
        let cut = || -> Vec<Svf> {
            let body = analog::cut(Side::Low, SMALL_FROM_HZ, ORDER).chain(analog::cut(Side::High, SMALL_TO_HZ, ORDER));
            body.map(|s| Svf::new(matched(&s, rate), rate, 0.01)).collect()
        };
        Self {
            weighting: [KWeighting::new(rate), KWeighting::new(rate)],
            small: [cut(), cut(), cut()],
            on_large: [0.0; 3],
            on_small: [0.0; 3],
            plain: [0.0; 3],
            blocks: Vec::new(),
        }
    }

    /// A block of the direct sound, of what is added, as loud as it is at 0 dB, and of the whole mix.
    pub fn push(&mut self, direct: &StereoBlock, added: &StereoBlock, mix: &StereoBlock) {
        let plain: [[Frame; BLOCK]; 2] = [direct, added].map(|block| std::array::from_fn(|i| block.frame(i)));
        add(&mut self.plain, &plain);
        let mut both = plain;
        both.iter_mut().zip(&mut self.weighting).for_each(|(frames, weighting)| weighting.process(frames));
        add(&mut self.on_large, &both);
        let mut all = [plain[0], plain[1], std::array::from_fn(|i| mix.frame(i))];
        for (frames, sections) in all.iter_mut().zip(&mut self.small) {
            sections.iter_mut().for_each(|section| section.process(frames));
        }
        add(&mut self.on_small, &[all[0], all[1]]);
        let energy = |frames: &[Frame; BLOCK]| frames.iter().map(|[l, r]| l * l + r * r).sum::<f64>();
        self.blocks.push([energy(&all[0]) + energy(&all[1]), energy(&all[2])]);
    }

    /// What was found.
    #[must_use]
    pub fn finish(&self) -> Audibility {
        let (low, high) = LEVELS_DB;
        let levels: Vec<At> = (low..=high).map(|db| self.at(f64::from(db))).collect();
        let mark = levels.iter().find(|at| at.against_mix_db >= -NEAR_DB).map(|first| self.exactly(first.level_db));
        let unnoticed = levels.iter().rev().find(|at| at.large_lu.abs() <= CHANGES_LU).unwrap_or(&levels[0]);
        let [dd, dw, ww] = self.plain;
        Audibility {
            unnoticed: *unnoticed,
            levels,
            mark,
            alone_db: power_to_db(self.on_small[0].max(1e-30) / self.mix()),
            near_db: NEAR_DB,
            changes_lu: CHANGES_LU,
            share_body: if ww > 0.0 { (self.on_small[2] / ww).min(1.0) } else { 0.0 },
            copy: ww > 0.0 && dw * dw > COPY * dd * ww,
        }
    }

    /// Energy of the mix in the small speaker's body while the part plays.
    fn mix(&self) -> f64 {
        let loudest = self.blocks.iter().map(|block| block[0]).fold(0.0, f64::max);
        let rest = loudest * db_to_gain(-2.0 * REST_DB);
        self.blocks.iter().filter(|block| block[0] > rest).map(|block| block[1]).sum::<f64>().max(1e-30)
    }

    fn at(&self, level_db: f64) -> At {
        let gain = db_to_gain(level_db);
        let whole = |[dd, dw, ww]: Sums| dd + 2.0 * gain * dw + gain * gain * ww;
        let large =
            if self.on_large[0] > 0.0 { power_to_db(whole(self.on_large).max(1e-30) / self.on_large[0]) } else { 0.0 };
        At { level_db, against_mix_db: power_to_db(whole(self.on_small).max(1e-30) / self.mix()), large_lu: large }
    }

    /// The level within the dB before `level_db` at which the part stands as near to the mix as is asked.
    fn exactly(&self, level_db: f64) -> At {
        let (mut low, mut high) = (level_db - 1.0, level_db);
        for _ in 0..12 {
            let middle = 0.5 * (low + high);
            if self.at(middle).against_mix_db >= -NEAR_DB { high = middle } else { low = middle }
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

    fn found(direct: impl Fn(f64) -> f64, added: impl Fn(f64) -> f64, beside: impl Fn(f64) -> f64) -> Audibility {
        let mut meter = AudibilityMeter::new(RATE);
        for first in (0..96_000).step_by(BLOCK) {
            let mut blocks = [StereoBlock::SILENT, StereoBlock::SILENT, StereoBlock::SILENT];
            for i in 0..BLOCK {
                let t = (first + i) as f64 / RATE;
                blocks[0].set_frame(i, [direct(t); 2]);
                blocks[1].set_frame(i, [added(t); 2]);
                blocks[2].set_frame(i, [direct(t) + beside(t); 2]);
            }
            let [direct, added, mix] = &blocks;
            meter.push(direct, added, mix);
        }
        meter.finish()
    }

    #[test]
    fn an_identical_copy_is_called_one_and_adds_6_db_at_its_own_level() {
        let tone = |t: f64| 0.2 * sin(TAU * 440.0 * t);
        let copy = found(tone, tone, |_| 0.0);
        let same = copy.levels.iter().find(|at| at.level_db == 0.0).unwrap();
        assert!(copy.copy && (same.large_lu - 6.02).abs() < 0.01 && (same.against_mix_db - 6.02).abs() < 0.01);
        assert!(!found(tone, |t| 0.1 * sin(TAU * 880.0 * t), |_| 0.0).copy);
    }

    #[test]
    fn a_low_part_is_heard_on_a_small_speaker_when_it_stands_near_the_mix_there_and_not_before() {
        // A sub of 30 Hz beside a mix of 300 Hz: what is added at 300 Hz too counts against the mix.
        let sub = |t: f64| 0.3 * sin(TAU * 30.0 * t);
        let found = found(sub, |t| 0.02 * sin(TAU * 320.0 * t), |t| 0.04 * sin(TAU * 300.0 * t));
        assert!(found.alone_db < -30.0, "{}", found.alone_db);
        let mark = found.mark.unwrap();
        // 0.02 is 6 dB under 0.04: 6 dB less is 12 under.
        assert!((mark.level_db + 6.0).abs() < 0.3 && (mark.against_mix_db + NEAR_DB).abs() < 0.05, "{mark:?}");
        assert!(found.share_body > 0.9 && found.unnoticed.large_lu <= CHANGES_LU);
    }

    #[test]
    fn where_both_cannot_be_had_the_mark_changes_more_than_is_allowed() {
        let sub = |t: f64| 0.02 * sin(TAU * 60.0 * t);
        let found = found(sub, |t| 0.02 * sin(TAU * 320.0 * t), |t| 0.1 * sin(TAU * 300.0 * t));
        let mark = found.mark.unwrap();
        assert!(mark.large_lu > CHANGES_LU && found.unnoticed.level_db < mark.level_db, "{mark:?}");
        assert!(found.unnoticed.against_mix_db < -NEAR_DB);
    }

    #[test]
    fn what_adds_nothing_up_there_has_no_mark() {
        let found =
            found(|t| 0.003 * sin(TAU * 300.0 * t), |t| 0.01 * sin(TAU * 60.0 * t), |t| 0.3 * sin(TAU * 300.0 * t));
        assert!(found.mark.is_none() && !found.copy);
    }
}
