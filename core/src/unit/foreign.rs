//! A unit of a kind that this version does not know: it passes its input. What its file says is kept beside it
//! ([`crate::rack::kept`]). It stands in no catalogue, so that nobody is offered it.

use super::kind::{Tail, UnitKind};
use super::param::Tables;
use super::processor::Processor;
use super::settings::Settings;
use crate::signal::StereoBlock;
use crate::signal::math::Complex;

/// The kind of all of them.
pub static KIND: UnitKind = UnitKind {
    id: "foreign",
    name: "Unit of another version",
    about: "This version does not know it: it is kept as it is, and passes its sound.",
    picture: "",
    tables: Tables { params: &[], lists: &[] },
    build: |settings, _| Box::new(Foreign { settings: settings.clone() }),
    latency: |_, _| 0,
    tail: |_, _| Tail::NONE,
    response: |_, _, freqs| vec![Complex::ONE; freqs.len()],
    linear: |_| true,
    reduces: false,
    holds_level: false,
    transfer: None,
    takes_key: false,
    regions: None,
};

struct Foreign {
    settings: Settings,
}

impl Processor for Foreign {
    fn settings_mut(&mut self) -> &mut Settings {
        &mut self.settings
    }

    fn take_settings(&mut self) {}

    fn arrive(&mut self, _within_s: f64) {}

    fn reset(&mut self) {}

    fn fork(&self) -> Box<dyn Processor> {
        Box::new(Self { settings: self.settings.clone() })
    }

    fn process(&mut self, _block: &mut StereoBlock, _key: Option<&StereoBlock>) {}
}
