//! `clean`: the stated law and the stated times, nothing else (Giannoulis, Massberg & Reiss,
//! JAES 2012; [`crate::dynamics::ballistics`]).
//!
//! With its detector at the output the same times become those of the open loop: the closed one
//! attacks faster by its gain.

use super::asked::{Asked, Times, Topology};
use crate::dynamics::law::{Followed, settled};
use crate::dynamics::peak_hold::PeakHold;
use crate::dynamics::{Ballistics, Branching};
use crate::signal::BLOCK;
use crate::signal::decibel::power_to_db;

/// The running loop.
#[derive(Clone, Copy, Debug)]
pub struct Clean {
    forward: Ballistics,
    feedback: Branching,
    /// Bridges the zero crossings before the feedback.
    hold: PeakHold,
}

impl Clean {
    /// At rest.
    pub fn new(times: Times, rate: f64) -> Self {
        let mut clean = Self {
            forward: Ballistics::new(times.attack_ms, times.release_ms, rate),
            feedback: Branching::new(rate),
            hold: PeakHold::new(1),
        };
        clean.set(times, rate);
        clean.snap();
        clean
    }

    /// Changes the times.
    pub fn set(&mut self, times: Times, rate: f64) {
        let Times { attack_ms, release_ms, auto_release } = times;
        self.forward.set(attack_ms, release_ms, auto_release, rate);
        self.feedback.set(attack_ms, release_ms, auto_release, rate);
        self.hold.set_frames(Branching::hold_frames(release_ms, auto_release, rate));
    }

    /// Ends its glides.
    pub fn snap(&mut self) {
        self.forward.snap();
        self.feedback.snap();
    }

    /// Forgets the past.
    pub fn reset(&mut self) {
        self.forward.reset();
        self.feedback.reset();
        self.hold.reset();
    }

    /// Reduction for each power of a block.
    pub fn run(&mut self, powers: &[f64; BLOCK], asked: &Asked, topology: Topology) -> [f64; BLOCK] {
        match topology {
            Topology::Forward => {
                let reduction = wanted(powers, asked).map(|want| self.forward.next_reduction(want));
                self.forward.settle();
                reduction
            }
            Topology::Feedback => self.run_feedback(powers, asked),
        }
    }

    fn run_feedback(&mut self, powers: &[f64; BLOCK], asked: &Asked) -> [f64; BLOCK] {
        let mut reduction = powers.map(|power| self.hold.next(power)).map(power_to_db);
        for (frame, value) in reduction.iter_mut().enumerate() {
            let (level_db, law, feedback) = (*value, asked.at(frame), &mut self.feedback);
            let want = settled(feedback.now(), |r| {
                let (want, rises) = law.at_output_rising(level_db - r);
                Followed { reduction_db: feedback.peek(want), slope: -rises * feedback.share(want), state: want }
            });
            *value = feedback.take(want);
        }
        self.feedback.settle();
        reduction
    }
}

/// Reduction wanted at every frame. In passes of their own, so that the logarithms, which do not
/// wait for each other, run side by side.
fn wanted(powers: &[f64; BLOCK], asked: &Asked) -> [f64; BLOCK] {
    if let Asked::Still(law) = asked {
        let loudest = powers.iter().fold(0.0, |m: f64, p| m.max(*p));
        if loudest <= law.floor_power() {
            return [0.0; BLOCK];
        }
    }
    let mut wanted = powers.map(power_to_db);
    match asked {
        Asked::Still(law) => wanted.iter_mut().for_each(|want| *want = law.at_input(*want)),
        Asked::Moving(laws) => {
            wanted.iter_mut().zip(*laws).for_each(|(want, law)| *want = law.at_input(*want));
        }
    }
    wanted
}
