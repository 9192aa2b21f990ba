//! `compressor`: takes level away above a threshold, in real units.
//!
//! The way of a level: the key through its filters ([`super::shared`]), how loud each side is ([`levels`]),
//! the control loop of the action ([`crate::dynamics::action`]), what crushing adds to it. The way
//! of the sound: input, lookahead, the gain element with its colour
//! ([`crate::colour::gain_element`]), output, [`edge`]. Action `clean` colours nothing and keeps
//! its figures exactly.

mod edge;
mod levels;
mod table;

use crate::colour::character::CONSTANT_HZ;
use crate::colour::gain_element::{Element, GainElement};
use crate::dynamics::action::{Asked, Times, Topology};
use crate::dynamics::time_constant::keep;
use crate::dynamics::{Action, Law};
use crate::filter::first_order;
use crate::signal::decibel::db_to_gain;
use crate::signal::math::{Complex, flush};
use crate::signal::{BLOCK, Frame, Ramp, StereoBlock, StereoDelay};
use crate::unit::dynamics::shared::{KeyFilters, gliding, lookahead_frames};
use crate::unit::kind::{TAIL_DB, Tail, UnitKind};
use crate::unit::param::Tables;
use crate::unit::processor::Processor;
use crate::unit::settings::Settings;
use crate::unit::text::note_ms;
use edge::Edge;
use levels::Levels;
use table::OPERATING_DB;

/// What crushing takes of what is wanted, once it has settled.
const CRUSH_SHARE: f64 = 1.15;
/// What it takes more at the start.
const OVERSHOOT: f64 = 0.6;
/// Time in ms in which the start is over.
const OVERSHOOT_MS: f64 = 40.0;
/// Times the colour of an element that is crushed.
const CRUSH_COLOUR: f64 = 3.0;

/// The catalogue entry.
pub const KIND: UnitKind = UnitKind {
    id: "compressor",
    name: "Compressor",
    about: "Evens out or shapes dynamics: threshold, ratio, attack and release in real units, five ways of control.",
    picture: "bend",
    tables: Tables { params: table::PARAMS, lists: &[] },
    build: |settings, rate| Box::new(Compressor::new(settings, rate)),
    latency: |settings, rate| lookahead_frames(settings, rate) + edge::latency(settings, rate),
    tail,
    response: |settings, _, freqs| {
        vec![Complex::ONE.scale(db_to_gain(settings.fixed.number("input_db") + output_db(settings))); freqs.len()]
    },
    linear: |_| false,
    reduces: true,
    holds_level: false,
    transfer: Some(|settings, in_db| {
        let at = in_db + settings.fixed.number("input_db");
        at - crush_share(settings) * law_of(settings).at_input(at) + output_db(settings)
    }),
    takes_key: true,
    regions: None,
};

/// What the lookahead holds back is lateness; what rings is the constant of a colour, and the way
/// to the edge and back.
fn tail(settings: &Settings, rate: f64) -> Tail {
    let colours = Element::of(settings.fixed.choice("action")) != Element::NONE;
    let constant = if colours { first_order::decay(CONSTANT_HZ, -TAIL_DB, rate) + BLOCK } else { 0 };
    Tail::Frames(constant + edge::tail(settings, rate))
}

fn is_crushed(settings: &Settings) -> bool {
    settings.fixed.is_on("crush")
}

fn crush_share(settings: &Settings) -> f64 {
    if is_crushed(settings) { CRUSH_SHARE } else { 1.0 }
}

/// Level in dBFS at which it begins to reduce, at its own input: a circuit lined up to a lower level reduces
/// the same sound the more.
#[must_use]
pub fn threshold_db(settings: &Settings) -> f64 {
    let p = &settings.fixed;
    let lined_up = if p.choice("action") == "clean" { 0.0 } else { p.number("operating_db") - OPERATING_DB };
    p.number("threshold_db") + lined_up
}

/// Threshold, ratio and knee in use: crushing is a wall.
fn curve_of(settings: &Settings) -> [f64; 3] {
    let p = &settings.fixed;
    let threshold_db = threshold_db(settings);
    if is_crushed(settings) {
        [threshold_db, f64::INFINITY, 0.0]
    } else {
        [threshold_db, p.number("ratio"), p.number("knee_db")]
    }
}

/// The static law as it is set.
#[must_use]
pub fn law_of(settings: &Settings) -> Law {
    let [threshold_db, ratio, knee_db] = curve_of(settings);
    Action::law(settings.fixed.choice("action"), threshold_db, ratio, knee_db)
}

/// What is given back behind the gain, in dB.
fn output_db(settings: &Settings) -> f64 {
    let p = &settings.fixed;
    let coupled = if p.is_on("couple_output") { -p.number("input_db") } else { 0.0 };
    let automatic = if p.is_on("auto_makeup") { 0.5 * law_of(settings).at_input(0.0) } else { 0.0 };
    p.number("makeup_db") + coupled + automatic
}

fn times_of(settings: &Settings) -> Times {
    let p = &settings.fixed;
    Times {
        attack_ms: p.number("attack_ms"),
        release_ms: note_ms(p.choice("release_note"), settings.tempo_bpm).unwrap_or_else(|| p.number("release_ms")),
        auto_release: p.is_on("auto_release"),
    }
}

#[derive(Clone)]
struct Compressor {
    rate: f64,
    settings: Settings,
    threshold_db: Ramp,
    /// `1 - 1/ratio`.
    slope: Ramp,
    knee_db: Ramp,
    input_db: Ramp,
    output_db: Ramp,
    /// Factor from the operating level to where colour is stated.
    operating: Ramp,
    key: KeyFilters,
    levels: Levels,
    /// One of each side; while both are linked the first works for both.
    actions: [Action; 2],
    /// What crushing holds against: the reduction lately.
    lately: [f64; 2],
    lately_keep: f64,
    lookahead: StereoDelay,
    element: GainElement,
    edge: Edge,
    key_frames: [Frame; BLOCK],
    reduction: [f32; BLOCK],
}

impl Compressor {
    fn new(settings: &Settings, rate: f64) -> Self {
        let lookahead = lookahead_frames(settings, rate);
        let ramp = |value| Ramp::new(value, rate);
        let mut unit = Self {
            rate,
            settings: settings.clone(),
            threshold_db: ramp(0.0),
            slope: ramp(0.0),
            knee_db: ramp(0.0),
            input_db: ramp(0.0),
            output_db: ramp(0.0),
            operating: ramp(1.0),
            key: KeyFilters::new(rate),
            levels: Levels::new(lookahead, rate),
            actions: [Action::new(settings.fixed.choice("action"), times_of(settings), rate); 2],
            lately: [0.0; 2],
            lately_keep: keep(OVERSHOOT_MS, rate),
            lookahead: StereoDelay::new(lookahead, lookahead, rate),
            element: GainElement::new(rate),
            edge: Edge::new(rate),
            key_frames: [[0.0; 2]; BLOCK],
            reduction: [0.0; BLOCK],
        };
        unit.take_settings();
        unit
    }

    fn ramps(&mut self) -> [&mut Ramp; 6] {
        let Self { threshold_db, slope, knee_db, input_db, output_db, operating, .. } = self;
        [threshold_db, slope, knee_db, input_db, output_db, operating]
    }

    fn is_mid_side(&self) -> bool {
        self.settings.fixed.choice("sides") == "mid-side"
    }

    fn topology(&self, keyed: bool) -> Topology {
        match self.settings.fixed.choice("topology") {
            // What another sound drives hears nothing of its own gain.
            _ if keyed => Topology::Forward,
            "forward" => Topology::Forward,
            "feedback" => Topology::Feedback,
            _ => Action::own_topology(self.actions[0].name()),
        }
    }

    /// The law of each frame while it moves; none at rest.
    fn moving_laws(&mut self) -> Option<[Law; BLOCK]> {
        if self.threshold_db.at_rest() && self.slope.at_rest() && self.knee_db.at_rest() {
            return None;
        }
        let name = self.actions[0].name();
        Some(core::array::from_fn(|_| {
            let ratio = 1.0 / (1.0 - self.slope.next_value());
            Action::law(name, self.threshold_db.next_value(), ratio, self.knee_db.next_value())
        }))
    }

    fn law_now(&self) -> Law {
        let ratio = 1.0 / (1.0 - self.slope.value());
        Action::law(self.actions[0].name(), self.threshold_db.value(), ratio, self.knee_db.value())
    }

    /// Reads the key, as filtered.
    fn read_key(&mut self, block: &StereoBlock, key: Option<&StereoBlock>) {
        self.key_frames = key.unwrap_or(block).frames();
        self.key.process(&mut self.key_frames);
        if self.is_mid_side() {
            self.key_frames.iter_mut().for_each(|frame| *frame = to_mid_side(*frame));
        }
    }

    /// Reduction of both sides at each frame.
    fn reductions(&mut self, keyed: bool, inputs: &[f64; BLOCK]) -> [[f64; BLOCK]; 2] {
        let mut driven = self.key_frames;
        if !keyed {
            driven.iter_mut().zip(inputs).for_each(|(frame, gain)| *frame = frame.map(|x| x * gain));
        }
        let powers = self.levels.powers(&driven);
        let topology = self.topology(keyed);
        let moving = self.moving_laws();
        let asked = moving.as_ref().map_or(Asked::Still(self.law_now()), Asked::Moving);
        let first = self.actions[0].run(&powers[0], &asked, topology);
        let mut reductions = [first, first];
        if self.levels.is_linked() {
            self.actions[1] = self.actions[0];
        } else {
            reductions[1] = self.actions[1].run(&powers[1], &asked, topology);
        }
        if is_crushed(&self.settings) {
            self.crush(&mut reductions);
        }
        reductions
    }

    /// A loop driven past its limit: more at the start, and more than was asked for ever after.
    fn crush(&mut self, reductions: &mut [[f64; BLOCK]; 2]) {
        for (reductions, lately) in reductions.iter_mut().zip(&mut self.lately) {
            for reduction in reductions {
                let start = (*reduction - *lately).max(0.0);
                *lately = *reduction * (1.0 - self.lately_keep) + *lately * self.lately_keep;
                *reduction = CRUSH_SHARE * *reduction + OVERSHOOT * start;
            }
            *lately = flush(*lately);
        }
    }

    fn element_of(&self) -> Element {
        let element = Element::of(self.actions[0].name());
        if is_crushed(&self.settings) { element.times(CRUSH_COLOUR) } else { element }
    }

    /// The sound through the gain element.
    fn turn_down(&mut self, frames: &mut [Frame; BLOCK], inputs: &[f64; BLOCK], reductions: &[[f64; BLOCK]; 2]) {
        let element = self.element_of();
        let linked = self.levels.is_linked();
        let gains = [0, 1].map(|side| if side == 1 && linked { None } else { Some(factors(&reductions[side])) });
        let of = |side: usize, frame: usize| gains[side].as_ref().or(gains[0].as_ref()).map_or(1.0, |g| g[frame]);
        for (at, frame) in frames.iter_mut().enumerate() {
            *frame = [0, 1].map(|side| frame[side] * inputs[at] * of(side, at));
            let operating = self.operating.next_value();
            if element != Element::NONE {
                let left = element.at(reductions[0][at]);
                let added = [left, if linked { left } else { element.at(reductions[1][at]) }];
                *frame = self.element.next(*frame, added, operating);
            }
        }
        self.element.flush();
    }
}

/// Middle and side of a frame.
fn to_mid_side([left, right]: Frame) -> Frame {
    [0.5 * (left + right), 0.5 * (left - right)]
}

fn from_mid_side([mid, side]: Frame) -> Frame {
    [mid + side, mid - side]
}

/// Factors of reductions in dB; all 1 where nothing is reduced.
fn factors(reductions: &[f64; BLOCK]) -> [f64; BLOCK] {
    if reductions.iter().all(|r| *r == 0.0) { [1.0; BLOCK] } else { reductions.map(|r| db_to_gain(-r)) }
}

impl Processor for Compressor {
    fn settings_mut(&mut self) -> &mut Settings {
        &mut self.settings
    }

    fn take_settings(&mut self) {
        let p = &self.settings.fixed;
        let action = p.choice("action");
        let by_rms = match p.choice("detect") {
            "own" => action == "vca",
            detector => detector == "rms",
        };
        if self.actions[0].name() != action {
            // Whoever runs the unit crossfades from the one before.
            self.actions = [Action::new(action, times_of(&self.settings), self.rate); 2];
            self.element.reset();
        }
        let (times, rate) = (times_of(&self.settings), self.rate);
        self.actions.iter_mut().for_each(|action| action.set(times, rate));
        self.levels.take(&self.settings, by_rms);
        self.key.take(&self.settings, p.number("key_tilt_db"));
        self.edge.take(&self.settings);
        let [threshold_db, ratio, knee_db] = curve_of(&self.settings);
        self.threshold_db.glide_to(threshold_db);
        self.slope.glide_to(1.0 - 1.0 / ratio);
        self.knee_db.glide_to(knee_db);
        self.input_db.glide_to(p.number("input_db"));
        self.output_db.glide_to(output_db(&self.settings));
        self.operating.glide_to(db_to_gain(OPERATING_DB - p.number("operating_db")));
    }

    fn fork(&self) -> Box<dyn Processor> {
        Box::new(self.clone())
    }

    fn arrive(&mut self, within_s: f64) {
        self.ramps().into_iter().for_each(|x| x.arrive(within_s));
        if within_s <= 0.0 {
            self.actions.iter_mut().for_each(Action::snap);
        }
        self.key.arrive(within_s);
        self.levels.arrive(within_s);
        self.edge.arrive(within_s);
    }

    fn reset(&mut self) {
        self.actions.iter_mut().for_each(Action::reset);
        self.key.reset();
        self.levels.reset();
        self.lately = [0.0; 2];
        self.lookahead.reset();
        self.element.reset();
        self.edge.reset();
        self.reduction = [0.0; BLOCK];
    }

    fn process(&mut self, block: &mut StereoBlock, key: Option<&StereoBlock>) {
        self.read_key(block, key);
        let inputs = gliding(&mut self.input_db);
        let reductions = self.reductions(key.is_some(), &inputs);
        for (out, (left, right)) in self.reduction.iter_mut().zip(reductions[0].iter().zip(&reductions[1])) {
            *out = left.max(*right) as f32;
        }
        self.lookahead.process(block);
        let mut frames = block.frames();
        let mid_side = self.is_mid_side();
        if mid_side {
            frames.iter_mut().for_each(|frame| *frame = to_mid_side(*frame));
        }
        self.turn_down(&mut frames, &inputs, &reductions);
        if mid_side {
            frames.iter_mut().for_each(|frame| *frame = from_mid_side(*frame));
        }
        for (frame, gain) in frames.iter_mut().zip(gliding(&mut self.output_db)) {
            *frame = frame.map(|x| x * gain);
        }
        self.edge.process(&mut frames);
        block.set_frames(&frames);
    }

    fn reduction(&self) -> Option<&[f32; BLOCK]> {
        Some(&self.reduction)
    }

    fn detected(&self) -> Option<&[Frame; BLOCK]> {
        Some(&self.key_frames)
    }
}
