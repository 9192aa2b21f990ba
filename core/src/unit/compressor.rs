//! `compressor`: takes level away above a threshold, in real units.
//!
//! Action `clean`: the static law of [`crate::dynamics::curve`], times exactly
//! as typed ([`crate::dynamics::ballistics`]), no colour. It starts reducing at
//! once; attack is how long that takes, not a wait. Both channels are reduced
//! alike, by the louder one.

use super::catalogue::{Picture, UnitKind};
use super::param::{Choice, Domain, Param, Quantity, Taper, decibels, hertz, number};
use super::processor::Processor;
use super::settings::Settings;
use crate::dynamics::{Ballistics, Curve, RmsDetector};
use crate::filter::analog::{self, Side};
use crate::filter::matched::matched;
use crate::filter::{Section, SectionDesign};
use crate::signal::decibel::{db_to_gain, power_to_db};
use crate::signal::math::Complex;
use crate::signal::ramp::GLIDE_S;
use crate::signal::{BLOCK, Frame, Ramp, StereoBlock, StereoDelay};

/// Longest lookahead in ms.
const MAX_LOOKAHEAD_MS: f64 = 10.0;
/// Key filter position that leaves the key alone.
const KEY_LOW_CUT_OFF_HZ: f64 = 10.0;

const ACTIONS: &[Choice] = &[Choice { id: "clean", label: "clean" }];
const DETECTORS: &[Choice] = &[Choice { id: "peak", label: "peak" }, Choice { id: "rms", label: "RMS" }];

const PARAMS: &[Param] = &[
    Param {
        id: "action",
        label: "action",
        hint: "How the gain is controlled. Clean does exactly what the figures say.",
        domain: Domain::Choice { options: ACTIONS, default: 0 },
    },
    Param {
        id: "detect",
        label: "detector",
        hint: "Peak catches every spike; RMS follows loudness and lets the first transient through.",
        domain: Domain::Choice { options: DETECTORS, default: 0 },
    },
    Param {
        id: "threshold_db",
        label: "threshold",
        hint: "Set it against the histogram: where the loud part of this material lives.",
        domain: decibels(-60.0, 0.0, -20.0),
    },
    Param {
        id: "ratio",
        label: "ratio",
        hint: "How firmly: 2:1 evens out, 4:1 holds, above 10:1 is a wall.",
        domain: number(1.0, f64::INFINITY, 2.0, 0.01, Taper::Ratio, Quantity::Ratio),
    },
    Param {
        id: "knee_db",
        label: "knee",
        hint: "Wide hides the work, hard makes it audible.",
        domain: number(0.0, 30.0, 6.0, 0.5, Taper::Linear, Quantity::Decibels),
    },
    Param {
        id: "attack_ms",
        label: "attack",
        hint: "Slower lets the stroke through; faster takes it away.",
        domain: number(0.0, 300.0, 10.0, 0.01, Taper::Cubic, Quantity::Milliseconds),
    },
    Param {
        id: "release_ms",
        label: "release",
        hint: "Too fast pumps, too slow ducks the next note. Try it in note values.",
        domain: number(1.0, 4000.0, 120.0, 0.01, Taper::Log, Quantity::Milliseconds),
    },
    Param {
        id: "rms_ms",
        label: "RMS window",
        hint: "Longer follows the phrase, shorter the note.",
        domain: number(1.0, 300.0, 30.0, 0.01, Taper::Log, Quantity::Milliseconds),
    },
    Param {
        id: "lookahead_ms",
        label: "lookahead",
        hint: "Sees peaks coming, at the cost of latency.",
        domain: number(0.0, MAX_LOOKAHEAD_MS, 0.0, 0.1, Taper::Linear, Quantity::Milliseconds),
    },
    Param {
        id: "key_low_cut_hz",
        label: "key low cut",
        hint: "Keeps lows from driving the reduction. 10 Hz leaves the key alone.",
        domain: hertz(KEY_LOW_CUT_OFF_HZ, 2000.0, KEY_LOW_CUT_OFF_HZ),
    },
    Param {
        id: "makeup_db",
        label: "make-up",
        hint: "Brings the level back; compare at equal loudness before you believe it.",
        domain: decibels(-30.0, 30.0, 0.0),
    },
];

/// The catalogue entry.
pub const KIND: UnitKind = UnitKind {
    id: "compressor",
    name: "Compressor",
    about: "Evens out or shapes dynamics: threshold, ratio, knee, attack and release in real units.",
    picture: Picture::Bend,
    params: PARAMS,
    lists: &[],
    renewed_by: &[],
    build: |settings, rate| Box::new(Compressor::new(settings, rate)),
    response: |settings, rate, freqs| {
        let lag = lookahead_frames(settings, rate) as f64 / rate;
        let makeup = db_to_gain(settings.fixed.number("makeup_db"));
        let at = |hz: &f64| Complex::from_angle(-crate::signal::math::TAU * hz * lag).scale(makeup);
        freqs.iter().map(at).collect()
    },
    bend: Some(|settings, in_db| in_db - curve_of(settings).reduction_db(in_db) + settings.fixed.number("makeup_db")),
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

/// High-pass sections of the key filter; none at its off position.
fn key_filter(settings: &Settings, rate: f64) -> Option<SectionDesign> {
    let hz = settings.fixed.number("key_low_cut_hz");
    if hz <= KEY_LOW_CUT_OFF_HZ {
        return None;
    }
    analog::cut(Side::Low, hz, 2).next().map(|section| matched(&section, rate))
}

struct Compressor {
    rate: f64,
    threshold_db: Ramp,
    slope: Ramp,
    knee_db: Ramp,
    makeup_db: Ramp,
    rms: Option<[RmsDetector; 2]>,
    key: Section,
    ballistics: Ballistics,
    lookahead: StereoDelay,
    key_frames: [Frame; BLOCK],
    reduction: [f32; BLOCK],
}

impl Compressor {
    fn new(settings: &Settings, rate: f64) -> Self {
        let max_lookahead = (MAX_LOOKAHEAD_MS / 1000.0 * rate).ceil() as usize;
        let mut unit = Self {
            rate,
            threshold_db: Ramp::new(0.0, rate),
            slope: Ramp::new(0.0, rate),
            knee_db: Ramp::new(0.0, rate),
            makeup_db: Ramp::new(0.0, rate),
            rms: None,
            key: Section::new(SectionDesign::IDENTITY, rate, GLIDE_S),
            ballistics: Ballistics::new(0.0, 100.0, rate),
            lookahead: StereoDelay::new(max_lookahead, 0, rate),
            key_frames: [[0.0; 2]; BLOCK],
            reduction: [0.0; BLOCK],
        };
        unit.set(settings);
        unit.snap();
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
    fn set(&mut self, settings: &Settings) {
        let p = &settings.fixed;
        let curve = curve_of(settings);
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
        match key_filter(settings, self.rate) {
            Some(design) => self.key.glide_to(design),
            None => self.key.glide_to_idle(),
        }
        self.lookahead.set_delay(lookahead_frames(settings, self.rate));
    }

    fn snap(&mut self) {
        for ramp in [&mut self.threshold_db, &mut self.slope, &mut self.knee_db, &mut self.makeup_db] {
            ramp.snap();
        }
        self.key.snap();
        self.lookahead.snap();
    }

    fn reset(&mut self) {
        self.ballistics.reset();
        self.key.reset();
        self.lookahead.reset();
        self.rms.iter_mut().flatten().for_each(RmsDetector::reset);
        self.reduction = [0.0; BLOCK];
    }

    fn latency(&self) -> usize {
        self.lookahead.delay()
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
