//! `width`: how far the sides stand apart, with the lows kept in the centre.
//!
//! The half difference of the sides is scaled and, below a chosen frequency, removed by
//! a second-order Butterworth high-pass; the half sum passes unchanged. So a mono sum
//! never changes, at any setting, and a mono source stays as it is.

use crate::filter::matched::low_cut;
use crate::filter::{Svf, SvfDesign};
use crate::signal::math::Complex;
use crate::signal::ramp::GLIDE_S;
use crate::signal::{BLOCK, Ramp, StereoBlock};
use crate::unit::kind::{TAIL_DB, Tail, UnitKind};
use crate::unit::param::{Domain, Param, Quantity, Tables, Taper, hertz, number};
use crate::unit::processor::Processor;
use crate::unit::settings::Settings;

/// Position of the frequency at which nothing is kept in the centre.
const CENTRE_OFF_HZ: f64 = 10.0;

const PARAMS: &[Param] = &[
    Param::new("width", "width", "0 is mono, 100 % as it came, beyond that wider; check it in mono.", WIDTH),
    Param::new(
        "centre_below_hz",
        "centre below",
        "Lows under this stay in the middle, where they are steady. 10 Hz leaves them alone.",
        hertz(CENTRE_OFF_HZ, 1000.0, 120.0),
    ),
];

const WIDTH: Domain = number(0.0, 2.0, 1.0, 0.05, Taper::Linear, Quantity::Percent);

/// The catalogue entry.
pub const KIND: UnitKind = UnitKind {
    id: "width",
    name: "Width",
    about: "Brings the sides together or apart and keeps the lows in the centre.",
    picture: "width",
    tables: Tables { params: PARAMS, lists: &[] },
    build: |settings, rate| Box::new(Width::new(settings, rate)),
    latency: |_, _| 0,
    tail: |settings, rate| high_pass(settings, rate).map_or(Tail::NONE, |design| Tail::Frames(design.decay(-TAIL_DB))),
    // Of a mono source, which passes unchanged.
    response: |_, _, freqs| vec![Complex::ONE; freqs.len()],
    linear: |_| true,
    reduces: false,
    holds_level: false,
    transfer: None,
    takes_key: false,
    regions: None,
};

fn high_pass(settings: &Settings, rate: f64) -> Option<SvfDesign> {
    low_cut(settings.fixed.number("centre_below_hz"), CENTRE_OFF_HZ, rate)
}

#[derive(Clone)]
struct Width {
    rate: f64,
    settings: Settings,
    width: Ramp,
    section: Svf,
}

impl Width {
    fn new(settings: &Settings, rate: f64) -> Self {
        let section = Svf::new(SvfDesign::IDENTITY, rate, GLIDE_S);
        let mut unit = Self { rate, settings: settings.clone(), width: Ramp::new(1.0, rate), section };
        unit.take_settings();
        unit
    }
}

impl Processor for Width {
    fn settings_mut(&mut self) -> &mut Settings {
        &mut self.settings
    }

    fn take_settings(&mut self) {
        self.width.glide_to(self.settings.fixed.number("width"));
        self.section.glide_to_or_idle(high_pass(&self.settings, self.rate));
    }

    fn fork(&self) -> Box<dyn Processor> {
        Box::new(self.clone())
    }

    fn arrive(&mut self, within_s: f64) {
        self.width.arrive(within_s);
        self.section.arrive(within_s);
    }

    fn reset(&mut self) {
        self.section.reset();
    }

    fn process(&mut self, block: &mut StereoBlock, _key: Option<&StereoBlock>) {
        let mut side = [[0.0; 2]; BLOCK];
        for (i, out) in side.iter_mut().enumerate() {
            let [l, r] = block.frame(i);
            out[0] = 0.5 * (l - r);
        }
        if !self.section.is_idle() {
            self.section.process(&mut side);
        }
        for (i, side) in side.iter().enumerate() {
            let [l, r] = block.frame(i);
            let (mid, side) = (0.5 * (l + r), side[0] * self.width.next_value());
            block.set_frame(i, [mid + side, mid - side]);
        }
    }
}
