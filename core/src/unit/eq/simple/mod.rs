//! Equalisers with a few gains and nothing else: one running unit, and a file for each face.

pub mod graphic;
pub mod weight_air;

use crate::dynamics::AutoLevel;
use crate::filter::equaliser::{self, Equaliser, Sections};
use crate::signal::StereoBlock;
use crate::unit::eq::shared::is_levelled;
use crate::unit::kind::{TAIL_DB, Tail};
use crate::unit::processor::Processor;
use crate::unit::settings::Settings;

/// From settings to the sections they mean.
type Design<const N: usize> = fn(&Settings) -> Sections<N>;

/// The running unit.
#[derive(Clone)]
struct Simple<const N: usize> {
    settings: Settings,
    design: Design<N>,
    eq: Equaliser<N>,
    level: AutoLevel,
}

impl<const N: usize> Simple<N> {
    fn new(design: Design<N>, settings: &Settings, rate: f64) -> Self {
        let mut unit = Self {
            settings: settings.clone(),
            design,
            eq: Equaliser::new(&design(settings), rate),
            level: AutoLevel::new(rate, 0),
        };
        unit.take_settings();
        unit
    }
}

/// How long it rings, with as much as it may lift.
fn tail<const N: usize>(sections: &Sections<N>, settings: &Settings, rate: f64) -> Tail {
    const MOST_LIFTED_DB: f64 = 40.0;
    let lift = if is_levelled(settings) { 2.0 } else { 1.0 } * MOST_LIFTED_DB;
    Tail::Frames(equaliser::decay(sections, rate, lift - TAIL_DB))
}

impl<const N: usize> Processor for Simple<N> {
    fn settings_mut(&mut self) -> &mut Settings {
        &mut self.settings
    }

    fn take_settings(&mut self) {
        let sections = (self.design)(&self.settings);
        self.eq.glide_to(&sections);
        let power = |hz: f64| sections.iter().flatten().map(|s| s.response(hz).norm_sqr()).product();
        self.level.set(is_levelled(&self.settings), power);
    }

    fn fork(&self) -> Box<dyn Processor> {
        Box::new(self.clone())
    }

    fn arrive(&mut self, within_s: f64) {
        self.eq.arrive(within_s);
        self.level.arrive(within_s);
    }

    fn reset(&mut self) {
        self.eq.reset();
        self.level.reset();
    }

    fn process(&mut self, block: &mut StereoBlock, _key: Option<&StereoBlock>) {
        let mut frames = block.frames();
        let before = frames;
        self.eq.process(&mut frames);
        self.level.process(&before, &mut frames);
        block.set_frames(&frames);
    }
}
