//! `compressor`: takes level away above a threshold, in real units.
//!
//! Action `clean`: the static law of [`crate::dynamics::curve`], times exactly
//! as typed ([`crate::dynamics::ballistics`]), no colour. It starts reducing at
//! once; attack is how long that takes, not a wait. Both channels are reduced
//! alike, by the louder one.

use crate::dynamics::{Ballistics, Curve, RmsDetector};
use crate::filter::matched::low_cut;
use crate::filter::{Svf, SvfDesign};
use crate::signal::decibel::{db_to_gain, power_to_db};
use crate::signal::math::Complex;
use crate::signal::ramp::GLIDE_S;
use crate::signal::{BLOCK, Frame, Ramp, StereoBlock, StereoDelay};
use crate::unit::kind::{Tail, UnitKind};
use crate::unit::param::{
    ATTACK_MS, Choice, Domain, Param, Quantity, RELEASE_MS, Tables, Taper, decibels, hertz, number,
};
use crate::unit::processor::Processor;
use crate::unit::settings::Settings;

/// Longest lookahead in ms.
const MAX_LOOKAHEAD_MS: f64 = 10.0;
/// Key filter position that leaves the key alone.
const KEY_LOW_CUT_OFF_HZ: f64 = 10.0;

const ACTIONS: &[Choice] = &[Choice { id: "clean", label: "clean" }];
const DETECTORS: &[Choice] = &[Choice { id: "peak", label: "peak" }, Choice { id: "rms", label: "RMS" }];

const PARAMS: &[Param] = &[
    Param::new(
        "action",
        "action",
        "How the gain is controlled. Clean does exactly what the figures say.",
        Domain::Choice { options: ACTIONS, default: 0 },
    ),
    Param::new(
        "detect",
        "detector",
        "Peak catches every spike; RMS follows loudness and lets the first transient through.",
        Domain::Choice { options: DETECTORS, default: 0 },
    ),
    Param::new(
        "threshold_db",
        "threshold",
        "Set it against the histogram: where the loud part of this material lives.",
        decibels(-60.0, 0.0, -20.0),
    )
    .within("curve"),
    Param::new(
        "ratio",
        "ratio",
        "How firmly: 2:1 evens out, 4:1 holds, above 10:1 is a wall.",
        number(1.0, f64::INFINITY, 2.0, 0.01, Taper::Ratio, Quantity::Ratio),
    )
    .within("curve"),
    Param::new(
        "knee_db",
        "knee",
        "Wide hides the work, hard makes it audible.",
        number(0.0, 30.0, 6.0, 0.5, Taper::Linear, Quantity::Decibels),
    )
    .within("curve"),
    Param::new("attack_ms", "attack", "Slower lets the stroke through; faster takes it away.", ATTACK_MS)
        .within("timing"),
    Param::new(
        "release_ms",
        "release",
        "Too fast pumps, too slow ducks the next note. Try it in note values.",
        RELEASE_MS,
    )
    .within("timing"),
    Param::new(
        "rms_ms",
        "RMS window",
        "Longer follows the phrase, shorter the note.",
        number(1.0, 300.0, 30.0, 0.01, Taper::Log, Quantity::Milliseconds),
    ),
    Param::new(
        "lookahead_ms",
        "lookahead",
        "Sees peaks coming, at the cost of latency.",
        number(0.0, MAX_LOOKAHEAD_MS, 0.0, 0.1, Taper::Linear, Quantity::Milliseconds),
    )
    .renews(),
    Param::new(
        "key_low_cut_hz",
        "key low cut",
        "Keeps lows from driving the reduction. 10 Hz leaves the key alone.",
        hertz(KEY_LOW_CUT_OFF_HZ, 2000.0, KEY_LOW_CUT_OFF_HZ),
    ),
    Param::new(
        "makeup_db",
        "make-up",
        "Brings the level back; compare at equal loudness before you believe it.",
        decibels(-30.0, 30.0, 0.0),
    ),
];

/// The catalogue entry.
pub const KIND: UnitKind = UnitKind {
    id: "compressor",
    name: "Compressor",
    about: "Evens out or shapes dynamics: threshold, ratio, knee, attack and release in real units.",
    picture: "bend",
    tables: Tables { params: PARAMS, lists: &[] },
    build: |settings, rate| Box::new(Compressor::new(settings, rate)),
    latency: lookahead_frames,
    // What the lookahead holds back is lateness; nothing rings.
    tail: |_, _| Tail::NONE,
    response: |settings, _, freqs| {
        vec![Complex::ONE.scale(db_to_gain(settings.fixed.number("makeup_db"))); freqs.len()]
    },
    linear: |_| false,
    reduces: true,
    transfer: Some(|settings, in_db| {
        in_db - curve_of(settings).reduction_db(in_db) + settings.fixed.number("makeup_db")
    }),
    takes_key: true,
    listen: None,
};

fn curve_of(settings: &Settings) -> Curve {
    let p = &settings.fixed;
    Curve::new(p.number("threshold_db"), p.number("ratio"), p.number("knee_db"))
}

fn lookahead_frames(settings: &Settings, rate: f64) -> usize {
    (settings.fixed.number("lookahead_ms") / 1000.0 * rate).round() as usize
}

/// The key filter; none at its off position.
fn key_filter(settings: &Settings, rate: f64) -> Option<SvfDesign> {
    low_cut(settings.fixed.number("key_low_cut_hz"), KEY_LOW_CUT_OFF_HZ, rate)
}

#[derive(Clone)]
struct Compressor {
    rate: f64,
    settings: Settings,
    threshold_db: Ramp,
    slope: Ramp,
    knee_db: Ramp,
    makeup_db: Ramp,
    rms: Option<[RmsDetector; 2]>,
    key: Svf,
    ballistics: Ballistics,
    lookahead: StereoDelay,
    key_frames: [Frame; BLOCK],
    reduction: [f32; BLOCK],
}

impl Compressor {
    fn new(settings: &Settings, rate: f64) -> Self {
        let lookahead = lookahead_frames(settings, rate);
        let mut unit = Self {
            rate,
            settings: settings.clone(),
            threshold_db: Ramp::new(0.0, rate),
            slope: Ramp::new(0.0, rate),
            knee_db: Ramp::new(0.0, rate),
            makeup_db: Ramp::new(0.0, rate),
            rms: None,
            key: Svf::new(SvfDesign::IDENTITY, rate, GLIDE_S),
            ballistics: Ballistics::new(0.0, 100.0, rate),
            lookahead: StereoDelay::new(lookahead, lookahead, rate),
            key_frames: [[0.0; 2]; BLOCK],
            reduction: [0.0; BLOCK],
        };
        unit.take_settings();
        unit
    }

    fn curve_now(&self) -> Curve {
        Curve { threshold_db: self.threshold_db.value(), slope: self.slope.value(), knee_db: self.knee_db.value() }
    }

    fn curve_moves(&self) -> bool {
        !(self.threshold_db.at_rest() && self.slope.at_rest() && self.knee_db.at_rest())
    }

    /// Power of the louder side at every frame of the key.
    fn powers(&mut self) -> [f64; BLOCK] {
        let mut powers = [0.0; BLOCK];
        for (power, key) in powers.iter_mut().zip(&self.key_frames) {
            let (left, right) = (key[0] * key[0], key[1] * key[1]);
            *power = match &mut self.rms {
                None => left.max(right),
                Some([l, r]) => l.next_power(left).max(r.next_power(right)),
            };
        }
        powers
    }

    /// Reduction wanted at every frame. In passes of their own, so that the logarithms,
    /// which do not wait for each other, run side by side.
    fn wanted(&mut self) -> [f64; BLOCK] {
        let powers = self.powers();
        let moving = self.curve_moves();
        let curve = self.curve_now();
        let loudest = powers.iter().fold(0.0, |m: f64, p| m.max(*p));
        if !moving && loudest <= curve.floor_power() {
            return [0.0; BLOCK];
        }
        let mut wanted = powers.map(power_to_db);
        if moving {
            for want in &mut wanted {
                let curve = Curve {
                    threshold_db: self.threshold_db.next_value(),
                    slope: self.slope.next_value(),
                    knee_db: self.knee_db.next_value(),
                };
                *want = curve.reduction_db(*want);
            }
        } else {
            wanted.iter_mut().for_each(|want| *want = curve.reduction_db(*want));
        }
        wanted
    }

    fn detect(&mut self) {
        let wanted = self.wanted();
        for (out, want) in self.reduction.iter_mut().zip(wanted) {
            *out = self.ballistics.next_reduction(want) as f32;
        }
        self.ballistics.settle();
        self.rms.iter_mut().flatten().for_each(RmsDetector::settle);
    }

    /// Factor at every frame: make-up less reduction.
    fn gains(&mut self) -> [f64; BLOCK] {
        let mut gains = [0.0; BLOCK];
        let still = self.makeup_db.at_rest();
        if still && self.reduction.iter().all(|r| *r == 0.0) {
            return [db_to_gain(self.makeup_db.value()); BLOCK];
        }
        for (gain, reduction) in gains.iter_mut().zip(&self.reduction) {
            *gain = self.makeup_db.next_value() - f64::from(*reduction);
        }
        gains.map(db_to_gain)
    }
}

impl Processor for Compressor {
    fn settings_mut(&mut self) -> &mut Settings {
        &mut self.settings
    }

    fn take_settings(&mut self) {
        let (p, curve) = (&self.settings.fixed, curve_of(&self.settings));
        self.threshold_db.glide_to(curve.threshold_db);
        self.slope.glide_to(curve.slope);
        self.knee_db.glide_to(curve.knee_db);
        self.makeup_db.glide_to(p.number("makeup_db"));
        self.ballistics.set_times(p.number("attack_ms"), p.number("release_ms"), self.rate);
        let window = p.number("rms_ms");
        match (&mut self.rms, p.choice("detect")) {
            (Some(pair), "rms") => pair.iter_mut().for_each(|d| d.set_window(window, self.rate)),
            (rms, "rms") => *rms = Some([RmsDetector::new(window, self.rate); 2]),
            (rms, _) => *rms = None,
        }
        self.key.glide_to_or_idle(key_filter(&self.settings, self.rate));
    }

    fn fork(&self) -> Box<dyn Processor> {
        Box::new(self.clone())
    }

    fn snap(&mut self) {
        for ramp in [&mut self.threshold_db, &mut self.slope, &mut self.knee_db, &mut self.makeup_db] {
            ramp.snap();
        }
        self.ballistics.snap();
        self.key.snap();
    }

    fn reset(&mut self) {
        self.ballistics.reset();
        self.key.reset();
        self.lookahead.reset();
        self.rms.iter_mut().flatten().for_each(RmsDetector::reset);
        self.reduction = [0.0; BLOCK];
    }

    fn process(&mut self, block: &mut StereoBlock, key: Option<&StereoBlock>) {
        let key = key.unwrap_or(block);
        for (i, frame) in self.key_frames.iter_mut().enumerate() {
            *frame = key.frame(i);
        }
        if !self.key.is_idle() {
            self.key.process(&mut self.key_frames);
        }
        self.detect();
        self.lookahead.process(block);
        for (i, gain) in self.gains().into_iter().enumerate() {
            let [l, r] = block.frame(i);
            block.set_frame(i, [l * gain, r * gain]);
        }
    }

    fn reduction(&self) -> Option<&[f32; BLOCK]> {
        Some(&self.reduction)
    }

    fn detected(&self) -> Option<&[Frame; BLOCK]> {
        Some(&self.key_frames)
    }
}
