//! How fast the reduction follows what the curve asks for.
//!
//! The times are those to cover 63.2 % of a change *in decibels*, whether the
//! level steps on a steady value or on a tone. A plain attack/release smoother
//! does not keep that promise on a tone, whose wanted reduction falls to zero
//! at every zero crossing. So the release works first and the attack follows it
//! (the decoupled detector of Giannoulis et al., 2012, sec. 3.4, with the
//! attack stage released at once so that both times stand alone):
//!
//! ```text
//! hold = most reduction wanted lately (for 1.5 to 3 % of the release time)
//! r    = max(want, hold + (r - hold) release_keep)
//! g    = r <= g ? r : r + (g - r) attack_keep
//! ```
//!
//! `hold` bridges the zero crossings of a tone, and costs at most 3 % of the release time
//! ([`super::peak_hold`]).

use super::peak_hold::PeakHold;
use super::release::AutoRelease;
use super::time_constant::keep;
use crate::signal::math::flush;

/// Share of the release time over which the wanted reduction is held.
const HOLD_SHARE: f64 = 0.015;

/// Seconds in which an attack that is made shorter comes down from the longest to none. A slow
/// attack holds back most of a reduction; let go within a frame, all of it would come at once.
/// The share kept of each frame falls steadily, so that of 60 dB held back at 48 kHz no frame
/// brings more than 2.3 % of the level.
const ATTACK_GLIDE_S: f64 = 0.1;

/// What is kept of the reduction each frame of an attack; a shorter attack is come down to.
#[derive(Clone, Copy, Debug)]
struct Attack {
    keep: f64,
    goal: f64,
    /// By so much a frame.
    step: f64,
}

impl Attack {
    fn new(rate: f64) -> Self {
        Self { keep: 0.0, goal: 0.0, step: 1.0 / (ATTACK_GLIDE_S * rate) }
    }

    fn set(&mut self, attack_ms: f64, rate: f64) {
        self.goal = keep(attack_ms, rate);
        self.keep = self.keep.max(self.goal);
    }

    fn snap(&mut self) {
        self.keep = self.goal;
    }

    #[inline]
    fn pass(&mut self) {
        if self.keep > self.goal {
            self.keep = (self.keep - self.step).max(self.goal);
        }
    }
}

/// Attack and release of a reduction in dB.
#[derive(Clone, Copy, Debug)]
pub struct Ballistics {
    attack: Attack,
    release_keep: f64,
    hold: PeakHold,
    auto: AutoRelease,
    /// The released reduction, before the attack.
    released: f64,
    /// The reduction given out; >= 0.
    reduction: f64,
}

impl Ballistics {
    /// At rest, with times in milliseconds; an attack of 0 is immediate.
    #[must_use]
    pub fn new(attack_ms: f64, release_ms: f64, rate: f64) -> Self {
        let mut ballistics = Self {
            attack: Attack::new(rate),
            release_keep: 0.0,
            hold: PeakHold::new(1),
            auto: AutoRelease::default(),
            released: 0.0,
            reduction: 0.0,
        };
        ballistics.set_times(attack_ms, release_ms, rate);
        ballistics
    }

    /// Changes the times without a jump of the reduction.
    pub fn set_times(&mut self, attack_ms: f64, release_ms: f64, rate: f64) {
        self.set(attack_ms, release_ms, false, rate);
    }

    /// The same, with a release that may depend on what came before ([`super::release`]).
    pub fn set(&mut self, attack_ms: f64, release_ms: f64, auto_release: bool, rate: f64) {
        self.attack.set(attack_ms, rate);
        self.auto.set(auto_release, release_ms, rate);
        let release_ms = AutoRelease::release_ms(auto_release, release_ms);
        self.release_keep = keep(release_ms, rate);
        self.hold.set_frames((release_ms * HOLD_SHARE / 1000.0 * rate) as u32);
    }

    /// At once at the times last set.
    pub fn snap(&mut self) {
        self.attack.snap();
    }

    /// Back to no reduction.
    pub fn reset(&mut self) {
        self.snap();
        self.hold.reset();
        self.auto.reset();
        (self.released, self.reduction) = (0.0, 0.0);
    }

    /// The reduction for a frame for which the curve wants `want_db`.
    #[inline]
    pub fn next_reduction(&mut self, want_db: f64) -> f64 {
        let to = self.hold.next(want_db).max(self.auto.floor());
        // `x (1 - k) + y k` rather than `x + (y - x) k`: one operation less to wait for.
        self.released = want_db.max(to * (1.0 - self.release_keep) + self.released * self.release_keep);
        self.attack.pass();
        self.reduction = if self.released <= self.reduction {
            self.released
        } else {
            self.released * (1.0 - self.attack.keep) + self.reduction * self.attack.keep
        };
        self.auto.count(want_db);
        self.reduction
    }

    /// Ends a block: what has become too small to matter is taken as zero.
    pub fn settle(&mut self) {
        (self.released, self.reduction) = (flush(self.released), flush(self.reduction));
        self.auto.settle();
    }
}

/// The same for a loop that hears its own output: one memory, which moves towards what is asked
/// by the attack or by the release. What is asked while the loop has not yet answered is far more
/// than it will need, so nothing of it may be remembered but what was done; the zero crossings of
/// a tone have to be bridged before ([`Branching::hold_frames`]).
#[derive(Clone, Copy, Debug)]
pub struct Branching {
    attack: Attack,
    release_keep: f64,
    auto: AutoRelease,
    reduction: f64,
}

impl Branching {
    /// At rest, with times in milliseconds.
    #[must_use]
    pub fn new(rate: f64) -> Self {
        Self { attack: Attack::new(rate), release_keep: 0.0, auto: AutoRelease::default(), reduction: 0.0 }
    }

    /// Frames for which the level that drives it is to be held.
    #[must_use]
    pub fn hold_frames(release_ms: f64, auto_release: bool, rate: f64) -> u32 {
        (AutoRelease::release_ms(auto_release, release_ms) * HOLD_SHARE / 1000.0 * rate) as u32
    }

    /// Changes the times without a jump of the reduction.
    pub fn set(&mut self, attack_ms: f64, release_ms: f64, auto_release: bool, rate: f64) {
        self.attack.set(attack_ms, rate);
        self.auto.set(auto_release, release_ms, rate);
        self.release_keep = keep(AutoRelease::release_ms(auto_release, release_ms), rate);
    }

    /// At once at the times last set.
    pub fn snap(&mut self) {
        self.attack.snap();
    }

    /// Back to no reduction.
    pub fn reset(&mut self) {
        self.snap();
        self.auto.reset();
        self.reduction = 0.0;
    }

    /// The reduction now.
    #[inline]
    #[must_use]
    pub fn now(&self) -> f64 {
        self.reduction
    }

    /// The reduction after a frame that asks for so much.
    #[inline]
    #[must_use]
    pub fn peek(&self, want_db: f64) -> f64 {
        if want_db > self.reduction {
            want_db * (1.0 - self.attack.keep) + self.reduction * self.attack.keep
        } else {
            let to = want_db.max(self.auto.floor().min(self.reduction));
            to * (1.0 - self.release_keep) + self.reduction * self.release_keep
        }
    }

    /// By how much that rises for each dB more that is asked.
    #[inline]
    #[must_use]
    pub fn share(&self, want_db: f64) -> f64 {
        1.0 - if want_db > self.reduction { self.attack.keep } else { self.release_keep }
    }

    /// Takes it.
    #[inline]
    pub fn take(&mut self, want_db: f64) -> f64 {
        self.reduction = self.peek(want_db);
        self.attack.pass();
        self.auto.count(self.reduction.min(want_db));
        self.reduction
    }

    /// Ends a block: what has become too small to matter is taken as zero.
    pub fn settle(&mut self) {
        self.reduction = flush(self.reduction);
        self.auto.settle();
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    const RATE: f64 = 48_000.0;

    /// Milliseconds until 63.2 % of the way from `from` to `to` is covered.
    fn time_to_cover(b: &mut Ballistics, from: f64, to: f64, want: impl Fn(usize) -> f64) -> f64 {
        let goal = from + 0.632 * (to - from);
        for n in 0..960_000 {
            let r = b.next_reduction(want(n));
            if (to > from && r >= goal) || (to < from && r <= goal) {
                return (n + 1) as f64 * 1000.0 / RATE;
            }
        }
        panic!("never got there");
    }

    #[test]
    fn attack_and_release_cover_63_percent_in_their_time_on_a_steady_level() {
        for (attack, release) in [(5.0, 100.0), (0.5, 20.0), (30.0, 400.0), (100.0, 50.0), (300.0, 4000.0)] {
            let mut b = Ballistics::new(attack, release, RATE);
            let t = time_to_cover(&mut b, 0.0, 12.0, |_| 12.0);
            assert!((t / attack - 1.0).abs() < 0.05, "attack {attack}: {t}");
            for _ in 0..2_000_000 {
                b.next_reduction(12.0);
            }
            let t = time_to_cover(&mut b, 12.0, 4.0, |_| 4.0);
            assert!((t / release - 1.0).abs() < 0.05, "release {release}: {t}");
        }
    }

    #[test]
    fn a_tone_has_the_same_times_as_a_steady_level() {
        // A 1 kHz tone 12 dB over a hard threshold, falling to 4 dB over it.
        let want = |over: f64| {
            move |n: usize| {
                let x = (std::f64::consts::TAU * 1000.0 * n as f64 / RATE).sin().abs();
                (over + 20.0 * x.max(1e-9).log10()).max(0.0)
            }
        };
        for (attack, release) in [(10.0, 100.0), (30.0, 200.0), (50.0, 800.0)] {
            let mut b = Ballistics::new(attack, release, RATE);
            let t = time_to_cover(&mut b, 0.0, 12.0, want(12.0));
            assert!((t / attack - 1.0).abs() < 0.05, "attack {attack}: {t}");
            for n in 0..96_000 {
                b.next_reduction(want(12.0)(n));
            }
            let t = time_to_cover(&mut b, 12.0, 4.0, want(4.0));
            assert!((t / release - 1.0).abs() < 0.05, "release {release}: {t}");
        }
    }

    #[test]
    fn the_same_sound_later_is_treated_alike() {
        let want = |n: usize| ((n * 7919) % 1000) as f64 / 50.0 * if n % 3000 < 1500 { 1.0 } else { 0.1 };
        let mut now = Ballistics::new(3.0, 120.0, RATE);
        let mut later = Ballistics::new(3.0, 120.0, RATE);
        for _ in 0..96 {
            later.next_reduction(0.0);
        }
        for n in 0..20_000 {
            assert_eq!(now.next_reduction(want(n)), later.next_reduction(want(n)), "frame {n}");
        }
    }

    #[test]
    fn an_attack_of_zero_never_lets_the_wanted_reduction_pass() {
        let mut b = Ballistics::new(0.0, 50.0, RATE);
        for n in 0..5000usize {
            let want = ((n * 7919) % 1000) as f64 / 50.0;
            assert!(b.next_reduction(want) >= want);
        }
    }

    #[test]
    fn an_attack_let_go_brings_the_reduction_it_held_back_without_a_step() {
        let mut b = Ballistics::new(300.0, 100.0, RATE);
        let gain = |reduction: f64| 10f64.powf(-reduction / 20.0);
        let mut last = gain(b.next_reduction(60.0));
        b.set_times(0.0, 100.0, RATE);
        // 0.115 sqrt(2 r d / t) exp(-0.115 r) is largest at r = 4.3 dB: d = 60 dB, t = 4800 frames.
        for _ in 0..4800 {
            let now = gain(b.next_reduction(60.0));
            assert!(last - now < 0.0235, "from {last} to {now}");
            last = now;
        }
        assert!((last - gain(60.0)).abs() < 1e-9, "all of it has come");
        // An attack made longer holds from its first frame.
        b.reset();
        b.set_times(300.0, 100.0, RATE);
        assert!(b.next_reduction(60.0) < 0.01);
    }
}
