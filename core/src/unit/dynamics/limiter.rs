//! `limiter`: no true peak above a ceiling.
//!
//! Three stages of [`crate::dynamics::ceiling`]: the first does the work over the lookahead, the
//! second, over a fraction of a millisecond, what the first one's own movement left between the
//! samples, the last, reading most closely, the hundredths that the second has left.

use crate::dynamics::ceiling::{self, Ceiling};
use crate::signal::decibel::{db_to_gain, gain_to_db};
use crate::signal::math::Complex;
use crate::signal::{BLOCK, Frame, Ramp, StereoBlock, StereoDelay};
use crate::unit::dynamics::shared::{auto_release, gliding};
use crate::unit::kind::{Tail, UnitKind};
use crate::unit::param::{Param, Quantity, Tables, Taper, decibels, number};
use crate::unit::processor::Processor;
use crate::unit::settings::Settings;

/// Windows of the second and the last stage in frames.
const LATER_WINDOWS: [usize; 2] = [32, 24];
/// Their release in ms.
const LATER_RELEASE_MS: f64 = 20.0;
/// dB by which the stages stay below the ceiling: what is read low right under half the rate, and
/// what their own movement makes there.
const MARGIN_DB: f64 = 0.1;

const PARAMS: &[Param] = &[
    Param::new("ceiling_db", "ceiling", "No true peak leaves it above this.", decibels(-24.0, 0.0, -1.0)),
    Param::new(
        "input_db",
        "drive",
        "How far the sound is pushed against the ceiling; louder, and its peaks go.",
        decibels(-12.0, 24.0, 0.0),
    ),
    Param::new(
        "release_ms",
        "release",
        "Faster is louder and rougher; slower ducks what follows a peak.",
        number(1.0, 2000.0, 80.0, 0.01, Taper::Log, Quantity::Milliseconds),
    )
    .within("timing"),
    auto_release(true),
    Param::new(
        "lookahead_ms",
        "lookahead",
        "How early it begins to turn down: longer is softer, at the cost of latency.",
        number(0.5, 10.0, 2.0, 0.1, Taper::Linear, Quantity::Milliseconds),
    )
    .renews()
    .within("timing"),
    Param::new(
        "link",
        "link",
        "All: one gain for both, the image stands still. None: each side by itself.",
        number(0.0, 1.0, 1.0, 0.05, Taper::Linear, Quantity::Percent),
    ),
];

/// The catalogue entry.
pub const KIND: UnitKind = UnitKind {
    id: "limiter",
    name: "Limiter",
    about: "Keeps every true peak below a ceiling.",
    picture: "bend",
    tables: Tables { params: PARAMS, lists: &[] },
    build: |settings, rate| Box::new(Limiter::new(settings, rate)),
    latency,
    tail: |_, _| Tail::NONE,
    response: |settings, _, freqs| vec![Complex::ONE.scale(db_to_gain(settings.fixed.number("input_db"))); freqs.len()],
    linear: |_| false,
    reduces: true,
    holds_level: false,
    transfer: Some(|settings, in_db| {
        (in_db + settings.fixed.number("input_db")).min(settings.fixed.number("ceiling_db") - MARGIN_DB)
    }),
    takes_key: false,
    regions: None,
};

fn window(settings: &Settings, rate: f64) -> usize {
    (settings.fixed.number("lookahead_ms") / 1000.0 * rate).round() as usize
}

fn latency(settings: &Settings, rate: f64) -> usize {
    let [second, last] = LATER_WINDOWS;
    ceiling::latency(window(settings, rate), false) + ceiling::latency(second, false) + ceiling::latency(last, true)
}

/// One stage: its gain and the sound that waits for it.
#[derive(Clone)]
struct Stage {
    gain: Ceiling,
    sound: StereoDelay,
}

impl Stage {
    fn new(window: usize, closely: bool, rate: f64) -> Self {
        let late = ceiling::latency(window, closely);
        Self { gain: Ceiling::new(window, closely), sound: StereoDelay::new(late, late, rate) }
    }
}

#[derive(Clone)]
struct Limiter {
    rate: f64,
    settings: Settings,
    input_db: Ramp,
    ceiling_db: Ramp,
    link: Ramp,
    stages: [Stage; 3],
    reduction: [f32; BLOCK],
    detected: [Frame; BLOCK],
}

impl Limiter {
    fn new(settings: &Settings, rate: f64) -> Self {
        let ramp = |value| Ramp::new(value, rate);
        let mut unit = Self {
            rate,
            settings: settings.clone(),
            input_db: ramp(0.0),
            ceiling_db: ramp(0.0),
            link: ramp(1.0),
            stages: [
                Stage::new(window(settings, rate), false, rate),
                Stage::new(LATER_WINDOWS[0], false, rate),
                Stage::new(LATER_WINDOWS[1], true, rate),
            ],
            reduction: [0.0; BLOCK],
            detected: [[0.0; 2]; BLOCK],
        };
        unit.take_settings();
        unit
    }

    /// One stage over a block; gives the lower gain of both sides at each frame.
    fn limit(
        &mut self,
        stage: usize,
        block: &mut StereoBlock,
        ceilings: &[f64; BLOCK],
        links: &[f64; BLOCK],
    ) -> [f64; BLOCK] {
        let Stage { gain, sound } = &mut self.stages[stage];
        let frames = block.frames();
        sound.process(block);
        let mut lowest = [1.0; BLOCK];
        for (i, gains) in gain.process(&frames, ceilings, links).into_iter().enumerate() {
            let late = block.frame(i);
            block.set_frame(i, [late[0] * gains[0], late[1] * gains[1]]);
            lowest[i] = gains[0].min(gains[1]);
        }
        lowest
    }
}

impl Processor for Limiter {
    fn settings_mut(&mut self) -> &mut Settings {
        &mut self.settings
    }

    fn take_settings(&mut self) {
        let p = &self.settings.fixed;
        self.input_db.glide_to(p.number("input_db"));
        self.ceiling_db.glide_to(p.number("ceiling_db") - MARGIN_DB);
        self.link.glide_to(p.number("link"));
        let (release_ms, auto) = (p.number("release_ms"), p.is_on("auto_release"));
        self.stages[0].gain.set(release_ms, auto, self.rate);
        for stage in &mut self.stages[1..] {
            stage.gain.set(LATER_RELEASE_MS, false, self.rate);
        }
    }

    fn fork(&self) -> Box<dyn Processor> {
        Box::new(self.clone())
    }

    fn arrive(&mut self, within_s: f64) {
        for ramp in [&mut self.input_db, &mut self.ceiling_db, &mut self.link] {
            ramp.arrive(within_s);
        }
    }

    fn reset(&mut self) {
        for stage in &mut self.stages {
            stage.gain.reset();
            stage.sound.reset();
        }
        self.reduction = [0.0; BLOCK];
    }

    fn process(&mut self, block: &mut StereoBlock, _key: Option<&StereoBlock>) {
        for (i, gain) in gliding(&mut self.input_db).into_iter().enumerate() {
            block.set_frame(i, block.frame(i).map(|x| x * gain));
        }
        self.detected = block.frames();
        let ceilings = [(); BLOCK].map(|()| self.ceiling_db.next_value());
        let links = [(); BLOCK].map(|()| self.link.next_value());
        let gains = [0, 1, 2].map(|stage| self.limit(stage, block, &ceilings, &links));
        for (at, out) in self.reduction.iter_mut().enumerate() {
            let gain = gains.iter().fold(1.0, |all, stage| all * stage[at]);
            *out = if gain == 1.0 { 0.0 } else { (-gain_to_db(gain)).max(0.0) as f32 };
        }
    }

    fn reduction(&self) -> Option<&[f32; BLOCK]> {
        Some(&self.reduction)
    }

    fn detected(&self) -> Option<&[Frame; BLOCK]> {
        Some(&self.detected)
    }
}
