//! `gate`: takes down what is soft, or, turned about, what is loud: a part that gives way by just so
//! much at each hit of its key.
//!
//! It opens where the key rises above the threshold, and closes once the key has stayed below the
//! threshold less the hysteresis for the hold. Open it passes everything, closed it takes the
//! range away. The attack is the time in which 63.2 % of the amplitude comes, the release that in
//! which 63.2 % of the decibels go.

use crate::dynamics::time_constant::keep;
use crate::signal::decibel::{db_to_gain, gain_to_db, power_to_db};
use crate::signal::math::Complex;
use crate::signal::{BLOCK, Frame, Ramp, StereoBlock, StereoDelay};
use crate::unit::dynamics::shared::{KEY_HIGH_CUT, KEY_LOW_CUT, KeyFilters, LOOKAHEAD, lookahead_frames};
use crate::unit::kind::{Tail, UnitKind};
use crate::unit::param::{Choice, Domain, Param, Quantity, Tables, Taper, decibels, number};
use crate::unit::processor::Processor;
use crate::unit::settings::Settings;

/// Time in ms in which 63.2 % of a move is done while a control has just been moved, and for how
/// long: a gate that opens because its threshold came down is not a stroke.
const EASE_MS: f64 = 10.0;
const EASED_MS: f64 = 100.0;
/// dB of reduction under which it is open, or closed.
const ARRIVED_DB: f64 = 1e-6;

const DOES: &[Choice] = &[
    Choice { id: "gate", label: "takes down what is soft" },
    Choice { id: "duck", label: "gives way to what is loud" },
];

const PARAMS: &[Param] = &[
    Param::new(
        "does",
        "does",
        "A gate closes on what is soft. Turned about it gives way while its key is loud, by the range and no more.",
        Domain::Choice { options: DOES, default: 0 },
    ),
    Param::new(
        "threshold_db",
        "threshold",
        "What counts as loud: under the softest note that matters.",
        decibels(-80.0, 0.0, -45.0),
    )
    .within("level"),
    Param::new(
        "hysteresis_db",
        "hysteresis",
        "How far below the threshold the gate closes, so that a note at the threshold does not flutter.",
        decibels(0.0, 24.0, 6.0),
    )
    .within("level"),
    Param::new("range_db", "range", "How much is taken away; a little is often enough.", decibels(0.0, 90.0, 40.0))
        .within("level"),
    Param::new(
        "attack_ms",
        "attack",
        "How fast it answers what is loud: at once keeps the stroke, a little slower keeps clicks away.",
        number(0.0, 50.0, 0.5, 0.01, Taper::Cubic, Quantity::Milliseconds),
    )
    .within("timing"),
    Param::new(
        "hold_ms",
        "hold",
        "Stays so long after the last loud moment.",
        number(0.0, 2000.0, 50.0, 0.01, Taper::Cubic, Quantity::Milliseconds),
    )
    .within("timing"),
    Param::new(
        "release_ms",
        "release",
        "How slowly it goes back: let the note end before it does.",
        number(1.0, 4000.0, 150.0, 0.01, Taper::Log, Quantity::Milliseconds),
    )
    .within("timing"),
    LOOKAHEAD,
    KEY_LOW_CUT,
    KEY_HIGH_CUT,
];

/// The catalogue entry.
pub const KIND: UnitKind = UnitKind {
    id: "gate",
    name: "Gate",
    about: "Takes down what is softer than a threshold: spill, hum, breath between phrases.",
    picture: "bend",
    tables: Tables { params: PARAMS, lists: &[] },
    build: |settings, rate| Box::new(Gate::new(settings, rate)),
    latency: lookahead_frames,
    tail: |_, _| Tail::NONE,
    response: |settings, _, freqs| vec![Complex::ONE.scale(db_to_gain(-resting_db(settings))); freqs.len()],
    linear: |_| false,
    reduces: true,
    holds_level: false,
    transfer: Some(|settings, in_db| {
        let loud = in_db > settings.fixed.number("threshold_db");
        in_db - if loud == ducks(settings) { settings.fixed.number("range_db") } else { 0.0 }
    }),
    takes_key: true,
    regions: None,
};

/// Whether it gives way to what is loud.
fn ducks(settings: &Settings) -> bool {
    settings.fixed.choice("does") == "duck"
}

/// What it takes away of silence, in dB.
fn resting_db(settings: &Settings) -> f64 {
    if ducks(settings) { 0.0 } else { settings.fixed.number("range_db") }
}

#[derive(Clone)]
struct Gate {
    rate: f64,
    settings: Settings,
    threshold_db: Ramp,
    range_db: Ramp,
    ducks: bool,
    attack_keep: f64,
    release_keep: f64,
    ease_keep: f64,
    hold_frames: u32,
    /// Frames for which it moves softly, after a control was moved.
    eased: u32,
    /// Frames for which it still stays open; none while it is closed.
    open_left: u32,
    key: KeyFilters,
    /// Reduction now in dB.
    closed_db: f64,
    lookahead: StereoDelay,
    key_frames: [Frame; BLOCK],
    reduction: [f32; BLOCK],
}

impl Gate {
    fn new(settings: &Settings, rate: f64) -> Self {
        let lookahead = lookahead_frames(settings, rate);
        let ramp = |value| Ramp::new(value, rate);
        let mut unit = Self {
            rate,
            settings: settings.clone(),
            threshold_db: ramp(settings.fixed.number("threshold_db")),
            range_db: ramp(settings.fixed.number("range_db")),
            ducks: false,
            attack_keep: 0.0,
            release_keep: 0.0,
            ease_keep: keep(EASE_MS, rate),
            hold_frames: 0,
            eased: 0,
            open_left: 0,
            key: KeyFilters::new(rate),
            // Before any sound there was silence.
            closed_db: resting_db(settings),
            lookahead: StereoDelay::new(lookahead, lookahead, rate),
            key_frames: [[0.0; 2]; BLOCK],
            reduction: [0.0; BLOCK],
        };
        unit.take_settings();
        unit
    }

    fn resting_db(&self) -> f64 {
        if self.ducks { 0.0 } else { self.range_db.value() }
    }

    /// Whether it is open after a frame of this level.
    #[inline]
    fn opens(&mut self, level_db: f64, threshold_db: f64, hysteresis_db: f64) -> bool {
        if level_db > threshold_db || (self.open_left > 0 && level_db > threshold_db - hysteresis_db) {
            self.open_left = self.hold_frames + 1;
        } else {
            self.open_left = self.open_left.saturating_sub(1);
        }
        self.open_left > 0
    }

    /// Reduction after a frame on the way to open or closed.
    #[inline]
    fn moved(&mut self, open: bool, range_db: f64) -> f64 {
        let slowest = if self.eased > 0 { self.ease_keep } else { 0.0 };
        self.eased = self.eased.saturating_sub(1);
        let keep = if open { self.attack_keep } else { self.release_keep }.max(slowest);
        if open && !self.ducks {
            return self.opened(keep);
        }
        let to = if open == self.ducks { range_db } else { 0.0 };
        let left = (to - self.closed_db) * keep;
        if left.abs() < ARRIVED_DB { to } else { to - left }
    }

    /// On the way to a gain of 1, in amplitude: in decibels it would stay silent for long.
    #[inline]
    fn opened(&self, keep: f64) -> f64 {
        if self.closed_db == 0.0 {
            return 0.0;
        }
        let moved = -gain_to_db((1.0 - keep) + db_to_gain(-self.closed_db) * keep);
        if moved < ARRIVED_DB { 0.0 } else { moved }
    }
}

impl Processor for Gate {
    fn settings_mut(&mut self) -> &mut Settings {
        &mut self.settings
    }

    fn take_settings(&mut self) {
        let (p, rate) = (&self.settings.fixed, self.rate);
        self.threshold_db.glide_to(p.number("threshold_db"));
        self.range_db.glide_to(p.number("range_db"));
        self.ducks = ducks(&self.settings);
        self.attack_keep = keep(p.number("attack_ms"), rate);
        self.release_keep = keep(p.number("release_ms"), rate);
        self.hold_frames = (p.number("hold_ms") / 1000.0 * rate).round() as u32;
        self.eased = (EASED_MS / 1000.0 * rate) as u32;
        self.key.take(&self.settings, 0.0);
    }

    fn fork(&self) -> Box<dyn Processor> {
        Box::new(self.clone())
    }

    fn arrive(&mut self, within_s: f64) {
        self.threshold_db.arrive(within_s);
        self.range_db.arrive(within_s);
        self.key.arrive(within_s);
        if within_s > 0.0 {
            return;
        }
        self.eased = 0;
        if self.open_left == 0 {
            self.closed_db = self.resting_db();
        }
    }

    fn reset(&mut self) {
        self.eased = 0;
        self.open_left = 0;
        self.closed_db = self.resting_db();
        self.key.reset();
        self.lookahead.reset();
        self.reduction = [0.0; BLOCK];
    }

    fn process(&mut self, block: &mut StereoBlock, key: Option<&StereoBlock>) {
        self.key_frames = key.unwrap_or(block).frames();
        self.key.process(&mut self.key_frames);
        let hysteresis_db = self.settings.fixed.number("hysteresis_db");
        for i in 0..BLOCK {
            let [left, right] = self.key_frames[i];
            let threshold_db = self.threshold_db.next_value();
            let open = self.opens(power_to_db((left * left).max(right * right)), threshold_db, hysteresis_db);
            let range_db = self.range_db.next_value();
            self.closed_db = self.moved(open, range_db);
            self.reduction[i] = self.closed_db as f32;
        }
        self.lookahead.process(block);
        for i in 0..BLOCK {
            let gain = db_to_gain(-f64::from(self.reduction[i]));
            block.set_frame(i, block.frame(i).map(|x| x * gain));
        }
    }

    fn reduction(&self) -> Option<&[f32; BLOCK]> {
        Some(&self.reduction)
    }

    fn detected(&self) -> Option<&[Frame; BLOCK]> {
        Some(&self.key_frames)
    }
}
