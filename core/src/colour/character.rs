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
    core: Core,
    /// The gain into the bend last asked for, and one over it.
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
            core: Core::new(w / (1.0 + w)),
            down: [1.0; 2],
        }
    }

    /// Its name in the table.
    #[must_use]
    pub fn name(&self) -> &'static str {
        self.name
    }

    /// Bends a stretch in place: of each frame and the one before it the mean, bent. `driven` gives drive and
    /// bias of each frame by its number.
    pub fn process(&mut self, frames: &mut [Frame], mut driven: impl FnMut(usize) -> [f64; 2]) {
        if self.of_flux {
            return self.process_of_flux(frames, driven);
        }
        through(&mut self.before, frames);
        let (leans, mut down) = (self.leans, self.down);
        self.bend.run(frames, |at| {
            let [drive, bias] = driven(at);
            down = into_bend(drive, down);
            [down[0], down[1], leans[0] + leans[1] * bias]
        });
        self.down = down;
        through(&mut self.after, frames);
    }

    /// The same of a transformer.
    fn process_of_flux(&mut self, frames: &mut [Frame], mut driven: impl FnMut(usize) -> [f64; 2]) {
        // Here and not in `self`, so that it stays in registers.
        let (mut core, mut bend, mut down) = (self.core, self.bend, self.down);
        for (at, frame) in frames.iter_mut().enumerate() {
            let [drive, bias] = driven(at);
            down = into_bend(drive, down);
            *frame = core.next(&mut bend, *frame, down, self.leans[0] + self.leans[1] * bias);
        }
        (self.core, self.bend, self.down) = (core, bend, down);
    }

    /// Takes what is too small to matter as zero.
    pub fn flush(&mut self) {
        self.before.iter_mut().chain(&mut self.after).for_each(FirstOrder::flush);
        self.core.flush();
    }

    /// Forgets the past.
    pub fn reset(&mut self) {
        self.bend = Bend::new(self.shape);
        self.core = Core::new(self.core.follow);
        self.before.iter_mut().chain(&mut self.after).for_each(FirstOrder::reset);
    }
}

/// The core of a transformer, and the voltage behind it.
#[derive(Clone, Copy)]
struct Core {
    /// The flux, and what was bent of it last; how fast it follows.
    flux: Frame,
    bent: Frame,
    follow: f64,
    /// One over that.
    rises: f64,
    /// What bends the voltage behind the core, and gives back what its averaging takes.
    voltage: Bend,
    straight: Straighten,
}

impl Core {
    /// At rest, following the voltage by so much a frame.
    fn new(follow: f64) -> Self {
        let voltage = Bend::new(Shape::Soft);
        let straight = Straighten::default();
        Self { flux: [0.0; 2], bent: [0.0; 2], follow, rises: 1.0 / follow, voltage, straight }
    }

    /// The flux follows the voltage, bends by `bend` leant so far, and the voltage is its slope again. The gain is
    /// that into the bend, and one over it.
    #[inline(always)] // in the innermost loop of a colour
    fn next(&mut self, bend: &mut Bend, x: Frame, [gain, down]: [f64; 2], leans: f64) -> Frame {
        let (follow, last) = (self.follow, self.flux);
        self.flux = [0, 1].map(|k| last[k] + follow * (x[k] - last[k]));
        let core = bend.next_soft(self.flux, [gain * FLUX_GAIN, down * (1.0 / FLUX_GAIN), leans]);
        // Averaged as what is bent, or the highs of both would not add up.
        let air = mean(last, self.flux);
        let bent = [0, 1].map(|k| core[k] + BY_AIR * (air[k] - core[k]));
        let y = [0, 1].map(|k| (bent[k] - (1.0 - follow) * self.bent[k]) * self.rises);
        self.bent = bent;
        self.straight.next(self.voltage.next_soft(y, [gain * VOLTAGE_GAIN, down * (1.0 / VOLTAGE_GAIN), 0.0]))
    }

    fn flush(&mut self) {
        (self.flux, self.bent) = (self.flux.map(flush), self.bent.map(flush));
        self.straight.flush();
    }
}

/// The gain into the bend for a drive, and one over it; `last` is what was asked for before, and mostly stays.
#[inline]
fn into_bend(drive: f64, last: [f64; 2]) -> [f64; 2] {
    let gain = drive * INTO;
    if gain == last[0] { last } else { [gain, 1.0 / gain] }
}

/// A stretch through a section, where there is one.
fn through(section: &mut Option<FirstOrder>, frames: &mut [Frame]) {
    if let Some(held) = section {
        // Here and not behind a reference, so that it stays in registers.
        let mut section = *held;
        frames.iter_mut().for_each(|frame| *frame = section.next(*frame));
        *held = section;
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
