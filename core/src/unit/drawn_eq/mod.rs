//! `drawn-eq`: one smooth linear-phase curve, pulled into shape like a spline ruler.
//!
//! [`table`] holds the parameters, [`curve`] what the points mean, [`pull`] how they move
//! when one of them is dragged. The sound goes through
//! [`LinearPhase`](crate::filter::LinearPhase).

mod curve;
pub mod pull;
mod table;

use super::catalogue::{Picture, UnitKind};
use super::processor::Processor;
use super::settings::Settings;
use crate::dynamics::AutoLevel;
use crate::filter::LinearPhase;
use crate::filter::linear_phase::{self, Gains};
use crate::signal::math::{Complex, TAU};
use crate::signal::{BLOCK, Frame, StereoBlock};
use curve::DrawnCurve;
pub use curve::drawn;

/// The catalogue entry.
pub const KIND: UnitKind = UnitKind {
    id: "drawn-eq",
    name: "Drawn EQ",
    about: "One smooth curve, pulled into shape; in linear phase, a fifth of a second late.",
    picture: Picture::Drawn,
    params: table::PARAMS,
    lists: table::LISTS,
    build: |settings, rate| Box::new(DrawnEq::new(settings, rate)),
    response,
    bend: None,
    takes_key: false,
    renewed_by: &[],
    listen: None,
};

fn gains(curve: DrawnCurve, rate: f64) -> Gains {
    Box::new(move |angle| curve.gains(angle * rate / TAU))
}

fn response(settings: &Settings, rate: f64, freqs: &[f64]) -> Vec<Complex> {
    let angles: Vec<f64> = freqs.iter().map(|hz| TAU * hz / rate).collect();
    let kept = linear_phase::response(gains(DrawnCurve::new(settings), rate), rate, &angles);
    kept.into_iter().map(|gain| Complex::new(gain, 0.0)).collect()
}

/// The running equaliser.
struct DrawnEq {
    rate: f64,
    settings: Option<Settings>,
    kernel: LinearPhase,
    level: AutoLevel,
}

impl DrawnEq {
    fn new(settings: &Settings, rate: f64) -> Self {
        let level = AutoLevel::new(rate, linear_phase::latency(rate));
        let mut eq = Self { rate, settings: None, kernel: LinearPhase::new(rate), level };
        eq.set(settings);
        eq.snap();
        eq
    }
}

impl Processor for DrawnEq {
    fn set(&mut self, settings: &Settings) {
        if self.settings.as_ref() == Some(settings) {
            return;
        }
        let curve = DrawnCurve::new(settings);
        let middle = |hz: &f64| {
            let [stereo, mid, _, left, right] = curve.gains(*hz);
            let kept = stereo * mid * 0.5 * (left + right);
            kept * kept
        };
        self.level.set(settings.fixed.is_on("auto_level"), |hz| hz.iter().map(middle).collect());
        self.kernel.set(gains(curve, self.rate));
        self.settings = Some(settings.clone());
    }

    fn snap(&mut self) {
        self.kernel.snap();
        self.level.snap();
    }

    fn reset(&mut self) {
        self.kernel.reset();
        self.level.reset();
    }

    fn latency(&self) -> usize {
        linear_phase::latency(self.rate)
    }

    fn process(&mut self, block: &mut StereoBlock, _key: Option<&StereoBlock>) {
        let heard: [Frame; BLOCK] = std::array::from_fn(|i| block.frame(i));
        let mut frames = heard;
        self.kernel.process(&mut frames);
        self.level.process(&heard, &mut frames);
        for (i, frame) in frames.iter().enumerate() {
            block.set_frame(i, *frame);
        }
    }
}
