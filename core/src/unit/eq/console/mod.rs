//! `console-eq`: a stepped tone EQ behind an input stage that colours.
//!
//! [`table`] holds the parameters, [`design`] the curve of each side. The input stage blends two
//! characters ([`crate::colour::character`]) at twice the rate, as loud as it came in.

mod design;
mod table;

use design::{SECTIONS, sections};

use super::colour_stage::{self, Colour, ColourStage};
use super::shared::is_levelled;
use crate::dynamics::AutoLevel;
use crate::filter::equaliser::{self, Equaliser};
use crate::signal::StereoBlock;
use crate::signal::math::Complex;
use crate::unit::kind::{TAIL_DB, Tail, UnitKind};
use crate::unit::param::Tables;
use crate::unit::processor::Processor;
use crate::unit::settings::Settings;

/// The catalogue entry.
pub const KIND: UnitKind = UnitKind {
    id: "console-eq",
    name: "Console EQ",
    about: "Shapes a part with a few broad stepped bands behind an input stage with a colour of its own.",
    picture: "tone-eq",
    tables: Tables { params: table::PARAMS, lists: &[] },
    build: |settings, rate| Box::new(ConsoleEq::new(settings, rate)),
    latency: |_, rate| colour_stage::latency(rate),
    tail,
    response,
    linear: |_| false,
    reduces: false,
    holds_level: true,
    transfer: None,
    takes_key: false,
    regions: None,
};

/// Most that the bands lift and the levels give back, in dB.
const MOST_LIFTED_DB: f64 = 100.0;

fn tail(settings: &Settings, rate: f64) -> Tail {
    let rings = [0, 1].map(|side| equaliser::decay(&sections(settings, side), rate, MOST_LIFTED_DB - TAIL_DB));
    Tail::Frames(rings[0].max(rings[1]) + 2 * colour_stage::tail(rate))
}

/// Of a sound in the middle: the mean of both sides.
fn response(settings: &Settings, rate: f64, freqs: &[f64]) -> Vec<Complex> {
    let [left, right] = [0, 1].map(|side| equaliser::response(&sections(settings, side), rate, freqs));
    let both = left.into_iter().zip(right).zip(colour_stage::response(rate, freqs));
    both.map(|((l, r), coloured)| l.plus(r).scale(0.5).times(coloured)).collect()
}

fn colour_of(settings: &Settings) -> Colour<2> {
    let valve = settings.fixed.number("colour");
    Colour { shares: [1.0 - valve, valve], drive_db: settings.fixed.number("input_db"), on: 1.0 }
}

/// The running unit.
#[derive(Clone)]
struct ConsoleEq {
    settings: Settings,
    input: ColourStage<2>,
    sides: [Equaliser<SECTIONS>; 2],
    level: AutoLevel,
}

impl ConsoleEq {
    fn new(settings: &Settings, rate: f64) -> Self {
        let mut unit = Self {
            settings: settings.clone(),
            input: ColourStage::new(["transformer", "tube"], &colour_of(settings), true, rate),
            sides: [0, 1].map(|side| Equaliser::new(&sections(settings, side), rate)),
            level: AutoLevel::new(rate, 0),
        };
        unit.take_settings();
        unit
    }
}

impl Processor for ConsoleEq {
    fn settings_mut(&mut self) -> &mut Settings {
        &mut self.settings
    }

    fn take_settings(&mut self) {
        self.input.glide_to(&colour_of(&self.settings));
        let curves = [0, 1].map(|side| sections(&self.settings, side));
        self.sides.iter_mut().zip(&curves).for_each(|(side, curve)| side.glide_to(curve));
        let power = |hz: f64| curves[0].iter().flatten().map(|s| s.response(hz).norm_sqr()).product();
        self.level.set(is_levelled(&self.settings), power);
    }

    fn fork(&self) -> Box<dyn Processor> {
        Box::new(self.clone())
    }

    fn arrive(&mut self, within_s: f64) {
        self.input.arrive(within_s);
        self.sides.iter_mut().for_each(|x| x.arrive(within_s));
        self.level.arrive(within_s);
    }

    fn reset(&mut self) {
        self.input.reset();
        self.sides.iter_mut().for_each(Equaliser::reset);
        self.level.reset();
    }

    fn process(&mut self, block: &mut StereoBlock, _key: Option<&StereoBlock>) {
        let mut frames = block.frames();
        self.input.process(&mut frames);
        let coloured = frames;
        equaliser::process_sides(&mut self.sides, &mut frames);
        self.level.process(&coloured, &mut frames);
        block.set_frames(&frames);
    }
}
