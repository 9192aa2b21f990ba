//! `transient`: stroke and body up or down, whatever the level.
//!
//! Followers in decibels run beside each other: how far a fast one is above one that rises slowly
//! says that a stroke begins, how far one that falls slowly is above a fast one that a note is dying
//! away. Both are differences of decibels, so that a soft note is treated as a loud one is.

use crate::dynamics::time_constant::keep;
use crate::signal::decibel::{db_to_gain, power_to_db};
use crate::signal::math::{Complex, flush};
use crate::signal::{BLOCK, Frame, Ramp, StereoBlock};
use crate::unit::kind::{Tail, UnitKind};
use crate::unit::param::{Param, Quantity, Tables, Taper, decibels, number};
use crate::unit::processor::Processor;
use crate::unit::settings::Settings;

/// dB between the followers at which a stroke or a body counts as whole.
const WHOLE_DB: f64 = 9.0;
/// Level in dBFS below which nothing is told apart from silence.
const FLOOR_DB: f64 = -75.0;
/// The fast follower, up and down, in ms: down slowly enough to bridge the cycles of a bass.
const FAST_MS: [f64; 2] = [0.3, 25.0];
/// How fast the gain may move, in ms.
const SMOOTH_MS: f64 = 0.7;

const PARAMS: &[Param] = &[
    Param::new(
        "attack_db",
        "attack",
        "The first moment of a note: up brings it forward, down sets it back.",
        decibels(-18.0, 18.0, 0.0),
    )
    .within("amount"),
    Param::new(
        "body_db",
        "body",
        "What rings on after it: up is longer and nearer, down is drier.",
        decibels(-18.0, 18.0, 0.0),
    )
    .within("amount"),
    Param::new(
        "attack_ms",
        "attack lasts",
        "How much of the note counts as its stroke.",
        number(3.0, 120.0, 25.0, 0.01, Taper::Log, Quantity::Milliseconds),
    )
    .within("timing"),
    Param::new(
        "body_ms",
        "body lasts",
        "How long after the stroke the body is followed.",
        number(50.0, 2000.0, 350.0, 0.01, Taper::Log, Quantity::Milliseconds),
    )
    .within("timing"),
];

/// The catalogue entry.
pub const KIND: UnitKind = UnitKind {
    id: "transient",
    name: "Transient",
    about: "Brings the stroke or the body of each note up or down, however loud the note.",
    picture: "note",
    tables: Tables { params: PARAMS, lists: &[] },
    build: |settings, rate| Box::new(Transient::new(settings, rate)),
    latency: |_, _| 0,
    tail: |_, _| Tail::NONE,
    response: |_, _, freqs| vec![Complex::ONE; freqs.len()],
    linear: |_| false,
    reduces: false,
    holds_level: false,
    transfer: None,
    takes_key: false,
    regions: None,
};

/// A follower in dB above the floor.
#[derive(Clone, Copy, Debug, Default)]
struct Follower {
    up: f64,
    down: f64,
    level: f64,
}

impl Follower {
    fn set(&mut self, up_ms: f64, down_ms: f64, rate: f64) {
        (self.up, self.down) = (keep(up_ms, rate), keep(down_ms, rate));
    }

    #[inline]
    fn next(&mut self, level: f64) -> f64 {
        let keep = if level > self.level { self.up } else { self.down };
        self.level = level * (1.0 - keep) + self.level * keep;
        self.level
    }
}

#[derive(Clone)]
struct Transient {
    rate: f64,
    settings: Settings,
    attack_db: Ramp,
    body_db: Ramp,
    fast: Follower,
    /// Rises slowly.
    slow: Follower,
    /// Falls slowly.
    lasting: Follower,
    smooth_keep: f64,
    /// Gain now in dB.
    gain_db: f64,
}

impl Transient {
    fn new(settings: &Settings, rate: f64) -> Self {
        let mut fast = Follower::default();
        fast.set(FAST_MS[0], FAST_MS[1], rate);
        let mut unit = Self {
            rate,
            settings: settings.clone(),
            attack_db: Ramp::new(0.0, rate),
            body_db: Ramp::new(0.0, rate),
            fast,
            slow: Follower::default(),
            lasting: Follower::default(),
            smooth_keep: keep(SMOOTH_MS, rate),
            gain_db: 0.0,
        };
        unit.take_settings();
        unit
    }

    /// Gain in dB for a frame.
    #[inline]
    fn next_gain(&mut self, [left, right]: Frame) -> f64 {
        let level = (power_to_db((left * left).max(right * right)) - FLOOR_DB).max(0.0);
        let fast = self.fast.next(level);
        let stroke = ((fast - self.slow.next(fast)) / WHOLE_DB).clamp(0.0, 1.0);
        // What belongs to the stroke is no body yet.
        let body = ((self.lasting.next(fast) - fast) / WHOLE_DB).clamp(0.0, 1.0) * (1.0 - stroke);
        // In silence there is neither.
        let heard = (fast / WHOLE_DB).min(1.0);
        let wanted = heard * (self.attack_db.next_value() * stroke + self.body_db.next_value() * body);
        self.gain_db = wanted * (1.0 - self.smooth_keep) + self.gain_db * self.smooth_keep;
        self.gain_db
    }

    fn rests(&self) -> bool {
        [&self.attack_db, &self.body_db].iter().all(|r| r.at_rest() && r.value() == 0.0) && self.gain_db == 0.0
    }
}

impl Processor for Transient {
    fn settings_mut(&mut self) -> &mut Settings {
        &mut self.settings
    }

    fn take_settings(&mut self) {
        let (p, rate) = (&self.settings.fixed, self.rate);
        self.attack_db.glide_to(p.number("attack_db"));
        self.body_db.glide_to(p.number("body_db"));
        self.slow.set(p.number("attack_ms"), FAST_MS[1], rate);
        self.lasting.set(FAST_MS[0], p.number("body_ms"), rate);
    }

    fn fork(&self) -> Box<dyn Processor> {
        Box::new(self.clone())
    }

    fn arrive(&mut self, within_s: f64) {
        self.attack_db.arrive(within_s);
        self.body_db.arrive(within_s);
    }

    fn reset(&mut self) {
        for follower in [&mut self.fast, &mut self.slow, &mut self.lasting] {
            follower.level = 0.0;
        }
        self.gain_db = 0.0;
    }

    fn process(&mut self, block: &mut StereoBlock, _key: Option<&StereoBlock>) {
        let rests = self.rests();
        for i in 0..BLOCK {
            let frame = block.frame(i);
            let gain_db = self.next_gain(frame);
            if !rests {
                block.set_frame(i, frame.map(|x| x * db_to_gain(gain_db)));
            }
        }
        self.gain_db = if self.gain_db.abs() < 1e-9 { 0.0 } else { self.gain_db };
        for follower in [&mut self.fast, &mut self.slow, &mut self.lasting] {
            follower.level = flush(follower.level);
        }
    }
}
