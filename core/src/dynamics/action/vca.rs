//! `vca`: a detector of the mean square in decibels before an exact gain element.
//!
//! The mean square follows the power with one time constant up and another down; its logarithm
//! drives the gain (log-domain detectors: Adams, *Filtering in the Log Domain*, AES Preprint 1470,
//! 1979). In decibels that is an attack that comes sooner for a larger step, and a release that
//! runs at a steady number of decibels a second: twice the reduction takes twice the time. The
//! typed times are those in which a step of 10 dB above the threshold is covered to 63.2 %.

use super::asked::{Asked, Times, Topology};
use crate::dynamics::law::{Followed, Law, settled};
use crate::dynamics::release::AutoRelease;
use crate::dynamics::time_constant::keep;
use crate::signal::BLOCK;
use crate::signal::decibel::{db_to_gain, power_to_db};
use crate::signal::math::flush;

/// Attack as a share of its time constant: `0.1 + 0.9 (1 - e^-x) = 10^-0.368`.
const ATTACK_SHARE: f64 = 0.4539;
/// Release as a share of its time constant: 6.32 dB at 4.343 dB for each.
const RELEASE_SHARE: f64 = 1.4552;
/// Power under which a mean square is silence.
const SILENCE: f64 = 1e-20;

/// The running loop.
#[derive(Clone, Copy, Debug)]
pub struct Vca {
    attack_keep: f64,
    release_keep: f64,
    auto: AutoRelease,
    mean: f64,
}

impl Vca {
    /// At rest.
    pub fn new(times: Times, rate: f64) -> Self {
        let mut vca = Self { attack_keep: 0.0, release_keep: 0.0, auto: AutoRelease::default(), mean: 0.0 };
        vca.set(times, rate);
        vca
    }

    /// Changes the times.
    pub fn set(&mut self, times: Times, rate: f64) {
        self.attack_keep = keep(times.attack_ms / ATTACK_SHARE, rate);
        let release_ms = AutoRelease::release_ms(times.auto_release, times.release_ms);
        self.release_keep = keep(release_ms / RELEASE_SHARE, rate);
        self.auto.set(times.auto_release, times.release_ms, rate);
    }

    /// Forgets the past.
    pub fn reset(&mut self) {
        self.mean = 0.0;
        self.auto.reset();
    }

    #[inline]
    fn keep_of(&self, power: f64) -> f64 {
        if power > self.mean { self.attack_keep } else { self.release_keep }
    }

    #[inline]
    fn follow(&self, power: f64) -> f64 {
        let keep = self.keep_of(power);
        power * (1.0 - keep) + self.mean * keep
    }

    #[inline]
    fn next(&mut self, power: f64, law: &Law, topology: Topology) -> f64 {
        let heard = match topology {
            Topology::Forward => power,
            Topology::Feedback => {
                settled(law.at_output(power_to_db(self.mean)), |r| {
                    let heard = power * db_to_gain(-2.0 * r);
                    let mean = self.follow(heard);
                    let (reduction_db, rises) = law.at_output_rising(power_to_db(mean));
                    // The share of this frame in the mean, in which a dB is a dB.
                    let share = (heard * (1.0 - self.keep_of(heard)) / mean.max(SILENCE)).clamp(0.0, 1.0);
                    Followed { reduction_db, slope: -rises * share, state: heard }
                })
            }
        };
        self.mean = self.follow(heard);
        let level_db = power_to_db(self.mean);
        let reduction = match topology {
            Topology::Forward => law.at_input(level_db),
            Topology::Feedback => law.at_output(level_db),
        };
        self.auto.count(reduction);
        reduction.max(self.auto.floor())
    }

    /// Reduction for each power of a block.
    pub fn run(&mut self, powers: &[f64; BLOCK], asked: &Asked, topology: Topology) -> [f64; BLOCK] {
        let mut reduction = [0.0; BLOCK];
        for (frame, (reduction, power)) in reduction.iter_mut().zip(powers).enumerate() {
            *reduction = self.next(*power, &asked.at(frame), topology);
        }
        self.mean = if self.mean < SILENCE { 0.0 } else { flush(self.mean) };
        self.auto.settle();
        reduction
    }
}
