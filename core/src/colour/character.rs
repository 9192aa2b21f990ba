//! What each character does to a band, at the high rate. All have a gain of 1 for soft sounds.
//!
//! * **tape**: highs are lifted before a soft bend and put back after it (recording
//!   equalisation), so that they round first.
//! * **tube**: a soft bend and beside it what leans the wave to one side, as a single valve does:
//!   even overtones come first, the second rising by 1 dB for each dB. What leans is bounded, as
//!   the valve's bias shifts when it is driven: both sides are rounded in the end.
//! * **transformer**: what bends is the flux, the integral of the voltage, so that lows bend
//!   first: by Faraday's law a core needs the more flux for a voltage the lower it is. A saturated core
//!   still passes what its windings couple by the air, and its voltage is bent too, later.
//! * **diode**: straight at first, then a firm edge, as two diodes back to back across a
//!   resistor.
//! * **fold**: beyond the top it comes back.

use crate::colour::bend::{Bend, Shape, Straighten, mean};
use crate::filter::FirstOrder;
use crate::signal::Frame;
use crate::signal::math::{PI, flush};

/// Below this, in Hz, whoever runs a character takes out the constant that a leant wave leaves.
pub const CONSTANT_HZ: f64 = 4.0;
/// Level of a sound that drive of 0 dB pushes to where the bend begins to be heard: -15 dBFS. With it
/// the hardest drive folds nothing back above -60 dBFS at four times the rate (`core/tests/aliasing.rs`).
pub const INTO: f64 = 0.17;
/// How far a valve leans a wave, and how far bias does.
const TUBE_LEANS: f64 = 0.22;
const BIAS_LEANS: f64 = 0.8;
/// Recording equalisation of tape: highs from here on, by so much.
const TAPE_HZ: f64 = 4000.0;
const TAPE_LIFT: f64 = 2.5;
/// The flux falls above this frequency.
const FLUX_HZ: f64 = 110.0;
/// Flux of lows against the voltage.
const FLUX_GAIN: f64 = 2.2;
/// What a saturated core passes by the air.
const BY_AIR: f64 = 0.4;
/// How much later than the flux the voltage bends, as a factor.
const VOLTAGE_GAIN: f64 = 0.6;

/// A running character for both sides.
#[derive(Clone)]
pub struct Character {
    name: &'static str,
    shape: Shape,
    bend: Bend,
    /// How far it leans a wave without bias, and by how much bias moves that.
    leans: [f64; 2],
    of_flux: bool,
    before: Option<FirstOrder>,
    after: Option<FirstOrder>,
    /// Flux of a transformer, and what was bent of it last; how fast it follows.
    flux: Frame,
    bent: Frame,
    /// What bends the voltage behind the core, and gives back what its averaging takes.
    voltage: Bend,
    straight: Straighten,
    follow: f64,
    /// One over that.
    rises: f64,
    /// The gain last asked for, and one over it.
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
            bend: Bend::new(shape),
            leans,
            of_flux: name == "transformer",
            after: lift.map(|lift| lift.inverse()),
            before: lift,
            flux: [0.0; 2],
            bent: [0.0; 2],
            voltage: Bend::new(Shape::Soft),
            straight: Straighten::default(),
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
        let last = self.flux;
        self.flux = [0, 1].map(|k| last[k] + follow * (x[k] - last[k]));
        let core = self.bent(self.flux, drive * INTO * FLUX_GAIN, bias);
        // Averaged as what is bent, or the highs of both would not add up.
        let air = mean(last, self.flux);
        let bent = [0, 1].map(|k| core[k] + BY_AIR * (air[k] - core[k]));
        let rises = self.rises;
        let y = [0, 1].map(|k| (bent[k] - (1.0 - follow) * self.bent[k]) * rises);
        self.bent = bent;
        let gain = drive * INTO * VOLTAGE_GAIN;
        self.straight.next(self.voltage.next(y.map(|y| gain * y)).map(|y| y / gain))
    }

    #[inline]
    fn bent(&mut self, x: Frame, gain: f64, bias: f64) -> Frame {
        let leans = self.leans[0] + self.leans[1] * bias;
        if gain != self.down[0] {
            self.down = [gain, 1.0 / gain];
        }
        let down = self.down[1];
        self.bend.next_leant(x.map(|x| gain * x), leans).map(|y| y * down)
    }

    /// Takes what is too small to matter as zero.
    pub fn flush(&mut self) {
        self.before.iter_mut().chain(&mut self.after).for_each(FirstOrder::flush);
        self.flux = self.flux.map(flush);
        self.bent = self.bent.map(flush);
        self.straight.flush();
    }

    /// Forgets the past.
    pub fn reset(&mut self) {
        self.bend = Bend::new(self.shape);
        self.voltage = Bend::new(Shape::Soft);
        self.straight = Straighten::default();
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

/// How far it leans a wave, and how far bias moves that.
fn leans_of(name: &str) -> [f64; 2] {
    if name == "tube" { [TUBE_LEANS, 0.5 * BIAS_LEANS] } else { [0.0, BIAS_LEANS] }
}
