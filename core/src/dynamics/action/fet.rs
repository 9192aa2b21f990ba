//! `fet`: a fast loop about a transistor that is one arm of a divider.
//!
//! Its channel's conductance grows with the control voltage `v`, so that the divider passes
//! `1 / (1 + v)`; the voltage is charged fast and leaks slowly. Hence a release that in decibels is
//! steady as long as the reduction is deep and slows down at its end, and an attack that is faster
//! the harder the loop is asked, by its gain. (The divider:
//! Horowitz & Hill, *The Art of Electronics*, 2nd ed., sec. 3.10; the closed loop: Giannoulis,
//! Massberg & Reiss, JAES 2012, sec. 2.)

use super::asked::{Asked, Times, Topology};
use crate::dynamics::law::{Followed, Law, settled};
use crate::dynamics::release::AutoRelease;
use crate::dynamics::time_constant::keep;
use crate::signal::BLOCK;
use crate::signal::decibel::{db_to_gain, gain_to_db, power_to_db};
use crate::signal::math::flush;

/// Fastest and slowest attack of its control voltage, in ms.
pub const ATTACK_MS: [f64; 2] = [0.02, 1.0];

/// Share of the typed release that its control voltage takes: the divider turns what is left of a
/// voltage into so many decibels that it is felt as the typed time.
const RELEASE_SHARE: f64 = 0.2;

/// The running loop.
#[derive(Clone, Copy, Debug)]
pub struct Fet {
    attack_keep: f64,
    release_keep: f64,
    auto: AutoRelease,
    /// Control voltage; the divider passes `1 / (1 + v)`.
    control: f64,
    /// The same in dB of reduction.
    reduction: f64,
}

/// What a frame that asks for so much leads to.
#[derive(Clone, Copy)]
struct Next {
    want_db: f64,
    control: f64,
    reduction: f64,
    /// dB of reduction for each dB more that is asked.
    rises: f64,
}

impl Fet {
    /// At rest.
    pub fn new(times: Times, rate: f64) -> Self {
        let mut fet =
            Self { attack_keep: 0.0, release_keep: 0.0, auto: AutoRelease::default(), control: 0.0, reduction: 0.0 };
        fet.set(times, rate);
        fet
    }

    /// Changes the times.
    pub fn set(&mut self, times: Times, rate: f64) {
        self.attack_keep = keep(times.attack_ms.clamp(ATTACK_MS[0], ATTACK_MS[1]), rate);
        let release_ms = AutoRelease::release_ms(times.auto_release, times.release_ms);
        self.release_keep = keep(RELEASE_SHARE * release_ms, rate);
        self.auto.set(times.auto_release, times.release_ms, rate);
    }

    /// Forgets the past.
    pub fn reset(&mut self) {
        (self.control, self.reduction) = (0.0, 0.0);
        self.auto.reset();
    }

    /// Control voltage after a frame that asks for a reduction in dB.
    // In the search as well, whose steps are too short to be called.
    #[inline(always)]
    fn follow(&self, want_db: f64) -> Next {
        let floor_db = self.auto.floor();
        let asked = match want_db.min(200.0).max(floor_db) {
            0.0 => 1.0,
            asked_db => db_to_gain(asked_db),
        };
        let keep = if asked - 1.0 > self.control { self.attack_keep } else { self.release_keep };
        let control = (asked - 1.0) * (1.0 - keep) + self.control * keep;
        let rises = if want_db > floor_db { (1.0 - keep) * asked / (1.0 + control) } else { 0.0 };
        Next { want_db, control, reduction: gain_to_db(1.0 + control), rises }
    }

    /// Where the loop settles that hears what it lets out.
    #[inline]
    fn settle(&self, level_db: f64, law: &Law) -> Next {
        // Between the peaks it lets go; whether nothing more is asked there is told without a search.
        let let_go = self.follow(0.0);
        if law.at_output(level_db - let_go.reduction) <= self.auto.floor() {
            return let_go;
        }
        settled(self.reduction, |r| {
            let (want_db, steep) = law.at_output_rising(level_db - r);
            let next = self.follow(want_db);
            Followed { reduction_db: next.reduction, slope: -steep * next.rises, state: next }
        })
    }

    /// Reduction for each power of a block.
    pub fn run(&mut self, powers: &[f64; BLOCK], asked: &Asked, topology: Topology) -> [f64; BLOCK] {
        let mut reduction = powers.map(power_to_db);
        for (frame, value) in reduction.iter_mut().enumerate() {
            let (level_db, law) = (*value, asked.at(frame));
            let next = match topology {
                Topology::Forward => self.follow(law.at_input(level_db)),
                Topology::Feedback => self.settle(level_db, &law),
            };
            (self.control, self.reduction) = (next.control, next.reduction);
            self.auto.count(next.want_db.min(next.reduction));
            *value = self.reduction;
        }
        self.control = flush(self.control);
        self.auto.settle();
        reduction
    }
}
