//! `drawn-eq`: one smooth linear-phase curve, pulled into shape like a spline ruler.
//!
//! [`table`] holds the parameters, [`curve`] what the points mean, [`pull`] how they move
//! when one of them is dragged. The sound goes through
//! [`LinearPhase`](crate::filter::LinearPhase).

mod curve;
pub mod pull;
mod table;

use crate::dynamics::AutoLevel;
use crate::filter::LinearPhase;
use crate::filter::linear_phase::{self, Gains};
use crate::signal::math::{Complex, TAU};
use crate::signal::place::Place;
use crate::signal::{BLOCK, Frame, StereoBlock};
use crate::unit::kind::{Tail, UnitKind};
use crate::unit::param::Tables;
use crate::unit::processor::Processor;
use crate::unit::settings::Settings;
use curve::DrawnCurve;
pub use curve::{Point, drawn};

/// The catalogue entry.
pub const KIND: UnitKind = UnitKind {
    id: "drawn-eq",
    name: "Drawn EQ",
    about: "One smooth curve, pulled into shape; in linear phase, a fifth of a second late.",
    picture: "drawn",
    tables: Tables { params: table::PARAMS, lists: table::LISTS },
    build: |settings, rate| Box::new(DrawnEq::new(settings, rate)),
    latency: |_, rate| linear_phase::latency(rate),
    tail: |_, rate| Tail::Frames(linear_phase::tail(rate)),
    response,
    linear: |settings| !settings.fixed.is_on("auto_level"),
    reduces: false,
    holds_level: false,
    transfer: None,
    takes_key: false,
    regions: None,
};

/// A curve at a sample rate.
#[derive(Clone)]
struct CurveGains {
    curve: DrawnCurve,
    rate: f64,
}

impl Gains for CurveGains {
    fn at(&self, angle: f64) -> [f64; Place::ALL.len()] {
        self.curve.gains(angle * self.rate / TAU)
    }

    fn tell_parts_apart(&self) -> bool {
        self.curve.tells_parts_apart()
    }
}

fn response(settings: &Settings, rate: f64, freqs: &[f64]) -> Vec<Complex> {
    let angles: Vec<f64> = freqs.iter().map(|hz| TAU * hz / rate).collect();
    let gains = CurveGains { curve: DrawnCurve::new(settings), rate };
    linear_phase::response(&gains, rate, &angles).into_iter().map(|gain| Complex::new(gain, 0.0)).collect()
}

/// The running equaliser.
#[derive(Clone)]
struct DrawnEq {
    settings: Settings,
    curve: DrawnCurve,
    kernel: LinearPhase<CurveGains>,
    level: AutoLevel,
}

impl DrawnEq {
    fn new(settings: &Settings, rate: f64) -> Self {
        let curve = DrawnCurve::new(settings);
        let mut eq = Self {
            settings: settings.clone(),
            kernel: LinearPhase::new(rate, &CurveGains { curve: curve.clone(), rate }),
            level: AutoLevel::new(rate, linear_phase::latency(rate)),
            curve,
        };
        eq.set_level();
        eq
    }

    fn set_level(&mut self) {
        let curve = &self.curve;
        self.level.set(self.settings.fixed.is_on("auto_level"), |hz| {
            let [stereo, mid, _, left, right] = curve.gains(hz);
            let kept = stereo * mid * 0.5 * (left + right);
            kept * kept
        });
    }
}

impl Processor for DrawnEq {
    fn settings_mut(&mut self) -> &mut Settings {
        &mut self.settings
    }

    fn take_settings(&mut self) {
        self.curve.draw(&self.settings);
        self.set_level();
        self.kernel.set(|gains| gains.curve.copy(&self.curve));
    }

    fn fork(&self) -> Box<dyn Processor> {
        Box::new(self.clone())
    }

    fn arrive(&mut self, within_s: f64) {
        if within_s <= 0.0 {
            self.kernel.snap();
        }
        self.level.arrive(within_s);
    }

    fn reset(&mut self) {
        self.kernel.reset();
        self.level.reset();
    }

    fn process(&mut self, block: &mut StereoBlock, _key: Option<&StereoBlock>) {
        let heard: [Frame; BLOCK] = std::array::from_fn(|i| block.frame(i));
        let mut frames = heard;
        self.kernel.process(&mut frames);
        self.level.process(&heard, &mut frames);
        block.set_frames(&frames);
    }
}
