//! `fet`: a fast loop about a transistor that is one arm of a divider.
//!
//! Its channel's conductance grows with the control voltage `v`, so that the divider passes
//! `1 / (1 + v)`; the voltage is charged fast and leaks slowly. Hence a release that in decibels is
//! steady as long as the reduction is deep and slows down at its end, and an attack that is faster
//! the harder the loop is asked, by its gain. (The divider:
//! Horowitz & Hill, *The Art of Electronics*, 2nd ed., sec. 3.10; the closed loop: Giannoulis,
//! Massberg & Reiss, JAES 2012, sec. 2.)
//!
//! The typed times are those in which a step of 10 dB above the threshold is covered to 63.2 %, whatever
//! the ratio and wherever it listens: what the loop's gain makes faster the charging makes up for
//! ([`slower`]). Its attack runs from 20 us to 6 ms, with which a hit keeps as much of its front as with 5 to 10 ms of `clean`; beyond, nothing more happens.

use super::asked::{Asked, Times, Topology};
use crate::dynamics::law::{Followed, Law, settled};
use crate::dynamics::peak_hold::PeakHold;
use crate::dynamics::release::AutoRelease;
use crate::dynamics::time_constant::keep;
use crate::signal::BLOCK;
use crate::signal::decibel::{db_to_gain, gain_to_db, power_to_db};
use crate::signal::math::flush;

/// Fastest and slowest attack in ms.
pub const ATTACK_MS: [f64; 2] = [0.02, 6.0];

/// Share of the typed release that its control voltage takes: of 7.5 dB (`v = 1.37`) 63.2 % are gone
/// at `v = 0.374`, after 1.3 time constants; of 9.5 dB after 1.38.
const RELEASE_SHARE: f64 = 0.75;
/// The step in dB of which the typed times are.
const STEP_DB: f64 = 10.0;
/// The rectifier asks for no more than so many dB beyond where the loop will settle, however hard it is
/// driven: else a firm ratio would all but have to be charged by what little is asked for in the end.
const BEYOND_DB: f64 = 8.0;
/// Steps of the integral that says how much slower the voltage is charged than the reduction comes.
const INTEGRAL_STEPS: usize = 24;

/// The rectifier holds a peak for so long, in ms: what is left of each half wave above 2.5 kHz would fold
/// back, and nobody hears a gain that fast.
const HELD_MS: f64 = 0.2;

/// The running loop.
#[derive(Clone, Copy, Debug)]
pub struct Fet {
    hold: PeakHold,
    rate: f64,
    attack_ms: f64,
    /// For which law and where it listens the attack was worked out last.
    worked_out: Option<(Law, Topology)>,
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
        let mut fet = Self {
            hold: PeakHold::new(1),
            rate,
            attack_ms: ATTACK_MS[0],
            worked_out: None,
            attack_keep: 0.0,
            release_keep: 0.0,
            auto: AutoRelease::default(),
            control: 0.0,
            reduction: 0.0,
        };
        fet.set(times, rate);
        fet
    }

    /// Changes the times.
    pub fn set(&mut self, times: Times, rate: f64) {
        self.hold.set_frames((HELD_MS / 1000.0 * rate).round() as u32);
        let attack_ms = times.attack_ms.clamp(ATTACK_MS[0], ATTACK_MS[1]);
        if attack_ms != self.attack_ms || rate != self.rate {
            (self.attack_ms, self.rate, self.worked_out) = (attack_ms, rate, None);
        }
        let release_ms = AutoRelease::release_ms(times.auto_release, times.release_ms);
        self.release_keep = keep(RELEASE_SHARE * release_ms, rate);
        self.auto.set(times.auto_release, times.release_ms, rate);
    }

    /// The charging for a law and a place where it listens.
    fn work_out(&mut self, law: Law, topology: Topology) {
        if self.worked_out != Some((law, topology)) {
            self.attack_keep = keep(self.attack_ms * slower(&law, topology), self.rate);
            self.worked_out = Some((law, topology));
        }
    }

    /// Forgets the past.
    pub fn reset(&mut self) {
        (self.control, self.reduction) = (0.0, 0.0);
        self.hold.reset();
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
        let most_db = law.at_input(level_db) + BEYOND_DB;
        settled(self.reduction, |r| {
            let (want_db, steep) = law.at_output_rising(level_db - r);
            let next = self.follow(want_db.min(most_db));
            let slope = if want_db < most_db { -steep * next.rises } else { 0.0 };
            Followed { reduction_db: next.reduction, slope, state: next }
        })
    }

    /// Reduction for each power of a block.
    pub fn run(&mut self, powers: &[f64; BLOCK], asked: &Asked, topology: Topology) -> [f64; BLOCK] {
        self.work_out(asked.at(0), topology);
        let mut reduction = powers.map(|power| self.hold.next(power)).map(power_to_db);
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

/// How much slower the control voltage is charged than the reduction of a step comes: one over the time in
/// which it has covered 63.2 %, in time constants. With `v' = asked(v) - v` that time is the integral of
/// `dv / (asked(v) - v)`, by the middle of each of some steps.
fn slower(law: &Law, topology: Topology) -> f64 {
    let at_db = law.threshold_db() + STEP_DB;
    let settled_db = law.at_input(at_db);
    let voltage = |db: f64| db_to_gain(db) - 1.0;
    let goal = voltage(0.632 * settled_db);
    if goal <= 1e-9 {
        return 1.0;
    }
    let step = goal / INTEGRAL_STEPS as f64;
    let speed = |v: f64| {
        let asked_db = match topology {
            Topology::Forward => settled_db,
            Topology::Feedback => law.at_output(at_db - gain_to_db(1.0 + v)),
        };
        voltage(asked_db.min(settled_db + BEYOND_DB)) - v
    };
    let time: f64 = (0..INTEGRAL_STEPS).map(|n| step / speed((n as f64 + 0.5) * step).max(1e-9)).sum();
    1.0 / time
}
