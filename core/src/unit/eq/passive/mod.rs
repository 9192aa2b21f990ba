//! `passive-eq`: the passive boost-and-cut law, and the valves behind it.
//!
//! Boost and cut at the lows have one selector and offset corners: the boost, of second order, is
//! half done at [`BOOST_AT`] of it, the cut, of first order, at [`CUT_AT`]. They do not cancel: the
//! boost's branch bridges the cut's where both are turned up, so that at the selected place and below a
//! lift is left ([`stays`]), and above it a dip. The high boost is a resonance whose width is
//! set apart, the high cut a shelf of first order; of those two the same holds about the boost's
//! place. (Why passive branches with offset corners do so: Zumbahlen, *Linear Circuit Design
//! Handbook*, ch. 8; the law is ours.)
//! As late as the valves, whether they are on or not, so that they can be switched while it sounds.

mod table;

use std::f64::consts::FRAC_1_SQRT_2;

use super::colour_stage::{self, Colour, ColourStage};
use super::shared::{AMOUNT, is_levelled};
use crate::dynamics::AutoLevel;
use crate::filter::analog::{self, Side};
use crate::filter::equaliser::{self, Equaliser, Sections};
use crate::signal::StereoBlock;
use crate::signal::decibel::power_to_db;
use crate::signal::math::{Complex, pow};
use crate::unit::kind::{TAIL_DB, Tail, UnitKind};
use crate::unit::param::Tables;
use crate::unit::processor::Processor;
use crate::unit::settings::Settings;

const SECTIONS: usize = 4;
/// Where boost and cut are half done, against the selected place.
const BOOST_AT: f64 = 2.3;
const CUT_AT: f64 = 7.0;
/// Boost in dB from which its branch bridges the cut's altogether.
const BRIDGES_DB: f64 = 2.0;
/// What a cut takes of a boost in its own place, at most.
const TAKES: f64 = 0.6;
/// dB of the lesser of both at which a resonance is half as wide for the load of the cut.
const LOADS_DB: f64 = 10.0;
/// Q of the high boost from the left of its width to the right.
const HIGH_Q: (f64, f64) = (2.4, 0.35);
/// Drive of the valves in dB: the octave about 50 dB under a tone of -6 dBFS.
const VALVE_DRIVE_DB: f64 = -10.0;

/// The catalogue entry.
pub const KIND: UnitKind = UnitKind {
    id: "passive-eq",
    name: "Passive EQ",
    about: "Broad lifts and cuts by a passive network: weight with room beside it, shine without an edge.",
    picture: "tone-eq",
    tables: Tables { params: table::PARAMS, lists: &[] },
    build: |settings, rate| Box::new(PassiveEq::new(settings, rate)),
    latency: |_, rate| colour_stage::latency(rate),
    tail,
    response,
    linear: |settings| !settings.fixed.is_on("valves") && !is_levelled(settings),
    reduces: false,
    holds_level: false,
    transfer: None,
    takes_key: false,
    regions: None,
};

/// Most that the bands lift and the levels give back, in dB.
const MOST_LIFTED_DB: f64 = 100.0;

fn tail(settings: &Settings, rate: f64) -> Tail {
    let rings = equaliser::decay(&sections(settings), rate, MOST_LIFTED_DB - TAIL_DB);
    Tail::Frames(rings + if settings.fixed.is_on("valves") { 2 * colour_stage::tail(rate) } else { 0 })
}

fn response(settings: &Settings, rate: f64, freqs: &[f64]) -> Vec<Complex> {
    let mut curve = equaliser::response(&sections(settings), rate, freqs);
    if settings.fixed.is_on("valves") {
        curve.iter_mut().zip(colour_stage::response(rate, freqs)).for_each(|(h, coloured)| *h = h.times(coloured));
    }
    curve
}

fn sections(settings: &Settings) -> Sections<SECTIONS> {
    let record = &settings.fixed;
    let hz = |id: &str| record.choice(id).parse::<f64>().unwrap_or(1000.0);
    let amount = record.number(AMOUNT.id);
    let [low, low_cut] = ["low_boost_db", "low_cut_db"].map(|id| amount * record.number(id));
    let [high, high_cut] = ["high_boost_db", "high_cut_db"].map(|id| amount * record.number(id));
    let shelf = |side, hz, gain_db: f64, order| {
        analog::shelf(side, hz, gain_db, FRAC_1_SQRT_2, order).next().filter(|_| gain_db != 0.0)
    };
    let (narrow, wide) = HIGH_Q;
    let cut = shelf(Side::High, hz("high_cut_hz"), -high_cut, 1);
    // What the cut takes where the boost is.
    let there = cut.map_or(0.0, |cut| -power_to_db(cut.response(hz("high_hz")).norm_sqr()));
    let loaded = 1.0 + high.min(there) / LOADS_DB;
    let q = narrow * pow(wide / narrow, record.number("high_width")) * loaded;
    [
        shelf(Side::Low, BOOST_AT * hz("low_hz"), bridging(low, low_cut), 2),
        shelf(Side::Low, CUT_AT * hz("low_hz"), -low_cut, 1),
        (high != 0.0).then(|| analog::bell(hz("high_hz"), bridging(high, there), q)),
        cut,
    ]
}

/// What is left of a boost in its own place beside a cut of so much there, both in dB and >= 0.
fn stays(boost: f64, cut: f64) -> f64 {
    if boost > 0.0 { boost * (1.0 - TAKES * cut / (boost + cut)) } else { 0.0 }
}

/// Gain of the boost's section: with the cut behind it [`stays`] is left. A boost of nothing leaves the cut
/// alone; in between it goes from one to the other smoothly.
fn bridging(boost: f64, cut: f64) -> f64 {
    let t = (boost / BRIDGES_DB).min(1.0);
    let share = t * t * (3.0 - 2.0 * t);
    boost + share * (stays(boost, cut) + cut - boost)
}

fn colour_of(settings: &Settings) -> Colour<1> {
    let on = f64::from(u8::from(settings.fixed.is_on("valves")));
    Colour { shares: [1.0], drive_db: VALVE_DRIVE_DB, on }
}

/// The running unit.
#[derive(Clone)]
struct PassiveEq {
    settings: Settings,
    eq: Equaliser<SECTIONS>,
    valves: ColourStage<1>,
    level: AutoLevel,
}

impl PassiveEq {
    fn new(settings: &Settings, rate: f64) -> Self {
        let mut unit = Self {
            settings: settings.clone(),
            eq: Equaliser::new(&sections(settings), rate),
            valves: ColourStage::new(["tube"], &colour_of(settings), false, rate),
            level: AutoLevel::new(rate, colour_stage::latency(rate)),
        };
        unit.take_settings();
        unit
    }
}

impl Processor for PassiveEq {
    fn settings_mut(&mut self) -> &mut Settings {
        &mut self.settings
    }

    fn take_settings(&mut self) {
        let curve = sections(&self.settings);
        self.eq.glide_to(&curve);
        self.valves.glide_to(&colour_of(&self.settings));
        let power = |hz: f64| curve.iter().flatten().map(|s| s.response(hz).norm_sqr()).product();
        self.level.set(is_levelled(&self.settings), power);
    }

    fn fork(&self) -> Box<dyn Processor> {
        Box::new(self.clone())
    }

    fn arrive(&mut self, within_s: f64) {
        self.eq.arrive(within_s);
        self.valves.arrive(within_s);
        self.level.arrive(within_s);
    }

    fn reset(&mut self) {
        self.eq.reset();
        self.valves.reset();
        self.level.reset();
    }

    fn process(&mut self, block: &mut StereoBlock, _key: Option<&StereoBlock>) {
        let mut frames = block.frames();
        let before = frames;
        self.eq.process(&mut frames);
        self.valves.process(&mut frames);
        self.level.process(&before, &mut frames);
        block.set_frames(&frames);
    }
}
