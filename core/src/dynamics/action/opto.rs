//! `opto`: a lamp before a light-dependent resistor.
//!
//! Light follows what the output asks for, quickly up, more slowly down. The cell follows the
//! light: what electrons in shallow traps hold is let go in tens of milliseconds, what those in
//! deep traps hold in seconds, and the fuller the deep ones the slower (the two-stage decay and the
//! light history of cadmium sulphide: Bube, *Photoconductivity of Solids*, 1960, ch. 3 and 9).
//! So it needs no times: half of a release takes about 60 ms, the rest half a second to five, the
//! longer and deeper it worked. A lamp begins to glow long before it is bright: the knee is three
//! times as wide as a typed one can be, and the ratio rises with the level all the way.

use super::asked::{Asked, Topology};
use crate::dynamics::curve::StaticCurve;
use crate::dynamics::law::{Followed, Law, settled};
use crate::dynamics::peak_hold::PeakHold;
use crate::dynamics::time_constant::keep;
use crate::signal::BLOCK;
use crate::signal::decibel::power_to_db;
use crate::signal::math::{exp, flush};

/// The lamp, up and down, in ms.
const LIGHT_MS: [f64; 2] = [1.0, 10.0];
/// The rectifier before the lamp holds peaks for so long, in ms.
const HELD_MS: f64 = 5.0;
/// The cell on its way to more light, in ms: the loop makes half of it or less.
const CELL_MS: f64 = 42.0;
/// The shallow traps, in ms: what they hold is half gone within 60 where the deep ones hold the rest.
const SHALLOW_MS: f64 = 17.0;
/// Share of the reduction that the deep traps can hold.
const DEEP_SHARE: f64 = 0.48;
/// Filling of the deep traps, in ms.
const FILL_MS: f64 = 170.0;
/// Emptying of the deep traps: fastest, and how much slower when all memory is full, in ms.
const EMPTY_MS: [f64; 2] = [450.0, 3200.0];
/// Memory of how long and how deep it worked: filling and forgetting, in ms.
const MEMORY_MS: [f64; 2] = [3000.0, 10_000.0];
/// Reduction in dB that fills the memory.
const DEEP_DB: f64 = 12.0;
/// Its knee in dB, and how far under the threshold that begins: a threshold takes about as much as
/// elsewhere of what is a little over it.
const KNEE_DB: f64 = 90.0;
const BEGINS_DB: f64 = 28.0;
/// Most that the lamp can ask for: 10:1.
const MOST_RATIO: f64 = 10.0;

/// Its static law.
pub fn law(threshold_db: f64, ratio: f64) -> Law {
    Law::StaticCurve(StaticCurve::new(threshold_db - BEGINS_DB + 0.5 * KNEE_DB, ratio.min(MOST_RATIO), KNEE_DB))
}

/// The running loop.
#[derive(Clone, Copy, Debug)]
pub struct Opto {
    rate: f64,
    rectified: PeakHold,
    light_keep: [f64; 2],
    cell_keep: f64,
    shallow_keep: f64,
    fill_keep: f64,
    memory_keep: [f64; 2],
    /// What is kept in the deep traps of each frame; taken anew at each block.
    empty_keep: f64,
    light: f64,
    reduction: f64,
    deep: f64,
    /// 0..1.
    memory: f64,
}

impl Opto {
    /// At rest.
    pub fn new(rate: f64) -> Self {
        Self {
            rate,
            rectified: PeakHold::new((HELD_MS / 1000.0 * rate) as u32),
            light_keep: LIGHT_MS.map(|ms| keep(ms, rate)),
            cell_keep: keep(CELL_MS, rate),
            shallow_keep: keep(SHALLOW_MS, rate),
            fill_keep: keep(FILL_MS, rate),
            memory_keep: MEMORY_MS.map(|ms| keep(ms, rate)),
            empty_keep: keep(EMPTY_MS[0], rate),
            light: 0.0,
            reduction: 0.0,
            deep: 0.0,
            memory: 0.0,
        }
    }

    /// Forgets the past.
    pub fn reset(&mut self) {
        *self = Self::new(self.rate);
    }

    #[inline]
    fn lit(&self, want_db: f64) -> f64 {
        let keep = self.light_keep[usize::from(want_db < self.light)];
        want_db * (1.0 - keep) + self.light * keep
    }

    /// By how much the light rises for each dB more that is asked.
    #[inline]
    fn light_share(&self, want_db: f64) -> f64 {
        1.0 - self.light_keep[usize::from(want_db < self.light)]
    }

    /// By how much the cell's reduction rises for each dB more of light.
    #[inline]
    fn cell_share(&self, light: f64) -> f64 {
        if light > self.reduction {
            1.0 - self.cell_keep
        } else if light > self.deep {
            1.0 - self.shallow_keep
        } else {
            0.0
        }
    }

    /// The cell's reduction under a light.
    #[inline]
    fn cell(&self, light: f64) -> f64 {
        if light > self.reduction {
            light * (1.0 - self.cell_keep) + self.reduction * self.cell_keep
        } else {
            let to = light.max(self.deep.min(self.reduction));
            to * (1.0 - self.shallow_keep) + self.reduction * self.shallow_keep
        }
    }

    #[inline]
    fn take(&mut self, want_db: f64) -> f64 {
        self.light = self.lit(want_db);
        self.reduction = self.cell(self.light);
        let held = DEEP_SHARE * self.reduction;
        let keep = if held > self.deep { self.fill_keep } else { self.empty_keep };
        self.deep = held * (1.0 - keep) + self.deep * keep;
        let depth = (self.reduction / DEEP_DB).min(1.0);
        let keep = self.memory_keep[usize::from(depth < self.memory)];
        self.memory = depth * (1.0 - keep) + self.memory * keep;
        self.reduction
    }

    /// Reduction for each power of a block.
    pub fn run(&mut self, powers: &[f64; BLOCK], asked: &Asked, topology: Topology) -> [f64; BLOCK] {
        self.empty_keep = exp(-1000.0 / ((EMPTY_MS[0] + EMPTY_MS[1] * self.memory) * self.rate));
        let mut reduction = powers.map(|power| self.rectified.next(power)).map(power_to_db);
        for (frame, value) in reduction.iter_mut().enumerate() {
            let (level_db, law) = (*value, asked.at(frame));
            let want = match topology {
                Topology::Forward => law.at_input(level_db),
                Topology::Feedback => settled(self.reduction, |r| {
                    let (want, rises) = law.at_output_rising(level_db - r);
                    let light = self.lit(want);
                    let slope = -rises * self.light_share(want) * self.cell_share(light);
                    Followed { reduction_db: self.cell(light), slope, state: want }
                }),
            };
            *value = self.take(want);
        }
        (self.light, self.reduction) = (flush(self.light), flush(self.reduction));
        (self.deep, self.memory) = (flush(self.deep), flush(self.memory));
        reduction
    }
}
