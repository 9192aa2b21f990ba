//! What each character does to a band, at the high rate. All have a gain of 1 for soft sounds.
//!
//! * **tape**: highs are lifted before a soft bend and put back after it (recording
//!   equalisation), so that they round first.
//! * **tube**: a soft bend leant to one side, as a single valve is by its bias: even overtones
//!   come first, the second rising by 1 dB for each dB.
//! * **transformer**: what bends is the flux, the integral of the voltage, so that lows bend
//!   first: by Faraday's law a core needs the more flux for a voltage the lower it is.
//! * **diode**: straight at first, then a firm edge, as two diodes back to back across a
//!   resistor.
//! * **fold**: beyond the top it comes back.

use crate::colour::bend::{Bend, Shape};
use crate::filter::FirstOrder;
use crate::signal::Frame;
use crate::signal::math::{PI, flush};

/// Below this, in Hz, whoever runs a character takes out the constant that a leant wave leaves.
pub const CONSTANT_HZ: f64 = 4.0;
/// Level of a sound that drive of 0 dB pushes to where the bend begins to be heard: -12 dBFS.
pub const INTO: f64 = 0.25;
/// By how much a valve's resting point is off the middle.
const LEANT: f64 = 0.6;
/// How far the bias leans a wave.
const BIAS_LEANS: f64 = 0.8;
/// Recording equalisation of tape: highs from here on, by so much.
const TAPE_HZ: f64 = 4000.0;
const TAPE_LIFT: f64 = 2.5;
/// The flux falls above this frequency.
const FLUX_HZ: f64 = 110.0;
/// Flux of lows against the voltage.
const FLUX_GAIN: f64 = 2.2;

/// Where the wave rests on its shape: what comes out there, and the slope.
#[derive(Clone, Copy)]
struct Rest {
    lean: f64,
    out: f64,
    slope: f64,
    bend: Bend,
    /// Whether it moved in the last frame.
    on_the_way: bool,
}

impl Rest {
    fn new(shape: Shape, lean: f64) -> Self {
        Self {
            lean,
            out: shape.at(lean),
            slope: shape.slope(lean).max(0.05),
            bend: Bend::new(shape, lean),
            on_the_way: false,
        }
    }

    /// Goes to another place, by the mean on the way as the wave itself does.
    #[inline]
    fn go(&mut self, shape: Shape, lean: f64) {
        if lean != self.lean {
            let [out, _] = self.bend.next([lean; 2]);
            *self = Self { lean, out, slope: shape.slope(lean).max(0.05), bend: self.bend, on_the_way: true };
        } else if self.on_the_way {
            self.out = shape.at(lean);
            self.on_the_way = false;
        }
    }
}

/// A running character for both sides.
#[derive(Clone)]
pub struct Character {
    name: &'static str,
    shape: Shape,
    bend: Bend,
    rest: Rest,
    /// Where it rests without bias, and how far bias moves that.
    leans: [f64; 2],
    of_flux: bool,
    before: Option<FirstOrder>,
    after: Option<FirstOrder>,
    /// Flux of a transformer, and what was bent of it last; how fast it follows.
    flux: Frame,
    bent: Frame,
    follow: f64,
    /// One over that.
    rises: f64,
    /// The slope last asked for, and one over it.
    down: [f64; 2],
}

impl Character {
    /// At rest, by its name in the table, at the high rate in Hz.
    pub fn new(name: &'static str, rate: f64) -> Self {
        let (shape, leans) = (shape_of(name), leans_of(name));
        let lift = (name == "tape").then(|| FirstOrder::high_shelf(TAPE_HZ, TAPE_LIFT, rate));
        let w = 2.0 * PI * FLUX_HZ / rate;
        Self {
            name,
            shape,
            bend: Bend::new(shape, leans[0]),
            rest: Rest::new(shape, leans[0]),
            leans,
            of_flux: name == "transformer",
            after: lift.map(|lift| lift.inverse()),
            before: lift,
            flux: [0.0; 2],
            bent: [0.0; 2],
            follow: w / (1.0 + w),
            rises: (1.0 + w) / w,
            down: [1.0; 2],
        }
    }

    /// Its name in the table.
    #[must_use]
    pub fn name(&self) -> &'static str {
        self.name
    }

    /// Bends a frame: the mean of the last and this one, bent.
    #[inline]
    pub fn next(&mut self, x: Frame, drive: f64, bias: f64) -> Frame {
        if self.of_flux {
            return self.next_of_flux(x, drive, bias);
        }
        let x = self.before.as_mut().map_or(x, |before| before.next(x));
        let y = self.bent(x, drive * INTO, bias);
        self.after.as_mut().map_or(y, |after| after.next(y))
    }

    /// The flux follows the voltage, bends, and the voltage is its slope again.
    #[inline]
    fn next_of_flux(&mut self, x: Frame, drive: f64, bias: f64) -> Frame {
        let follow = self.follow;
        self.flux = [0, 1].map(|k| self.flux[k] + follow * (x[k] - self.flux[k]));
        let bent = self.bent(self.flux, drive * INTO * FLUX_GAIN, bias);
        let rises = self.rises;
        let y = [0, 1].map(|k| (bent[k] - (1.0 - follow) * self.bent[k]) * rises);
        self.bent = bent;
        y
    }

    #[inline]
    fn bent(&mut self, x: Frame, gain: f64, bias: f64) -> Frame {
        let lean = self.leans[0] + self.leans[1] * bias;
        self.rest.go(self.shape, lean);
        let steep = self.rest.slope * gain;
        if steep != self.down[0] {
            self.down = [steep, 1.0 / steep];
        }
        let (rest, down) = (self.rest.out, self.down[1]);
        self.bend.next(x.map(|x| gain * x + lean)).map(|y| (y - rest) * down)
    }

    /// Takes what is too small to matter as zero.
    pub fn flush(&mut self) {
        self.before.iter_mut().chain(&mut self.after).for_each(FirstOrder::flush);
        self.flux = self.flux.map(flush);
        self.bent = self.bent.map(flush);
    }

    /// Forgets the past; `bias` says where it rests.
    pub fn reset(&mut self, bias: f64) {
        let lean = self.leans[0] + self.leans[1] * bias;
        self.bend = Bend::new(self.shape, lean);
        self.rest = Rest::new(self.shape, lean);
        self.before.iter_mut().chain(&mut self.after).for_each(FirstOrder::reset);
        (self.flux, self.bent) = ([0.0; 2], [0.0; 2]);
    }
}

fn shape_of(name: &str) -> Shape {
    match name {
        "diode" => Shape::Firm,
        "fold" => Shape::Fold,
        _ => Shape::Soft,
    }
}

/// Where the wave rests on the shape, and how far bias moves that.
fn leans_of(name: &str) -> [f64; 2] {
    if name == "tube" { [LEANT, 0.5 * BIAS_LEANS] } else { [0.0, BIAS_LEANS] }
}
