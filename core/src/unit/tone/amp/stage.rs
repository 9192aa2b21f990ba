//! One stage of gain: a triode with what is about it.
//!
//! The coupling capacitor keeps the lows off and is charged when the grid draws current, so that
//! a loud note holds the stage down for a moment; the cathode follows the mean current, so that
//! the resting point moves with level; the valve's own capacitance takes the top. The curve
//! itself is [`Valve`]'s.

use std::sync::OnceLock;

use crate::colour::valve::{Driven, Valve};
use crate::filter::FirstOrder;
use crate::signal::math::{Complex, exp, flush};
use crate::signal::{Frame, Ramp};

/// How a valve is set: by its cathode resistor.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Bias {
    /// In the middle of its curve.
    Middle,
    /// More current: the grid clips first.
    Warm,
    /// Little current: the one side is cut off early.
    Cold,
}

impl Bias {
    /// The valve, solved once for all stages.
    fn valve(self) -> &'static Valve {
        static MIDDLE: OnceLock<Valve> = OnceLock::new();
        static WARM: OnceLock<Valve> = OnceLock::new();
        static COLD: OnceLock<Valve> = OnceLock::new();
        match self {
            Self::Middle => MIDDLE.get_or_init(|| Valve::new(1500.0)),
            Self::Warm => WARM.get_or_init(|| Valve::new(820.0)),
            Self::Cold => COLD.get_or_init(|| Valve::new(8200.0)),
        }
    }
}

/// What a voice says of a stage.
#[derive(Clone, Copy, Debug)]
pub struct StageSpec {
    /// Its valve.
    pub bias: Bias,
    /// Share of the voltage before it that reaches its grid.
    pub takes: f64,
    /// Coupling: lows fall below, in Hz.
    pub low_cut_hz: f64,
    /// The valve's capacitance: the top falls above, in Hz.
    pub top_hz: f64,
}

/// Seconds in which the coupling capacitor charges through the grid, and the cathode follows.
const CHARGE_S: f64 = 0.012;
const CATHODE_S: f64 = 0.03;

/// What a stage holds for one side.
#[derive(Clone, Copy, Debug, Default)]
struct Side {
    /// What the coupling capacitor holds.
    coupled: f64,
    /// By how far the cathode is off its rest.
    cathode: f64,
    /// What the valve did a sample ago: what follows it is so slow that it can come a sample
    /// later, and need not be waited for.
    held: [f64; 2],
    driven: Driven,
}

/// A running stage for both sides; of `alike` ones the left is worked out and the right is its copy.
#[derive(Clone)]
pub struct Stage {
    spec: StageSpec,
    valve: &'static Valve,
    sides: [Side; 2],
    /// How fast the coupling capacitor follows and is charged, and the cathode follows.
    follow: f64,
    charge: f64,
    cathode_follow: f64,
    top: FirstOrder,
}

/// A stage at work on its first `SIDES` sides; the right of one alone is the copy of the left.
struct Running<const SIDES: usize> {
    valve: &'static Valve,
    takes: f64,
    follow: f64,
    charge: f64,
    cathode_follow: f64,
    share: f64,
    sides: [Side; SIDES],
}

impl<const SIDES: usize> Running<SIDES> {
    // In a row of stages each has a copy of its own.
    #[inline(always)]
    fn next(&mut self, frame: Frame) -> Frame {
        let mut plates = [0.0; 2];
        for ((side, x), plate) in self.sides.iter_mut().zip(frame).zip(&mut plates) {
            let grid = self.takes * x - side.coupled;
            let by = grid - side.cathode;
            let [volts, over] = side.held;
            side.coupled += self.follow * grid + self.charge * over;
            side.cathode -= self.cathode_follow * (volts * self.share + side.cathode);
            side.held = self.valve.from_to(&mut side.driven, by);
            *plate = side.held[0];
        }
        if SIDES == 1 {
            plates[1] = plates[0];
        }
        plates
    }
}

impl Stage {
    pub fn new(spec: StageSpec, rate: f64) -> Self {
        let pole = |seconds: f64| 1.0 - exp(-1.0 / (seconds * rate));
        Self {
            spec,
            valve: spec.bias.valve(),
            sides: [Side::default(); 2],
            follow: pole(1.0 / (core::f64::consts::TAU * spec.low_cut_hz)),
            charge: pole(CHARGE_S),
            cathode_follow: pole(CATHODE_S),
            top: FirstOrder::low_pass(spec.top_hz, rate),
        }
    }

    /// From the voltage before the stage, of which its share reaches it, to the plate voltage, in
    /// place: the first `SIDES` sides, side by side.
    #[inline]
    fn run<const SIDES: usize>(&mut self, frames: &mut [Frame]) {
        // Here and not in `self`, so that they stay in registers.
        let (mut stage, mut top) = (self.taken::<SIDES>(), self.top);
        for frame in frames {
            *frame = top.next(stage.next(*frame));
        }
        self.give_back(&stage, top);
    }

    #[inline]
    fn taken<const SIDES: usize>(&self) -> Running<SIDES> {
        Running {
            valve: self.valve,
            takes: self.spec.takes,
            follow: self.follow,
            charge: self.charge,
            cathode_follow: self.cathode_follow,
            share: self.valve.cathode_share,
            sides: core::array::from_fn(|k| self.sides[k]),
        }
    }

    #[inline]
    fn give_back<const SIDES: usize>(&mut self, stage: &Running<SIDES>, top: FirstOrder) {
        self.sides = core::array::from_fn(|k| stage.sides[k.min(SIDES - 1)]);
        self.top = top;
    }

    /// Takes what is too small to matter as zero.
    pub fn flush(&mut self) {
        for side in &mut self.sides {
            side.coupled = flush(side.coupled);
            side.cathode = flush(side.cathode);
            side.held = side.held.map(flush);
        }
        self.top.flush();
    }

    pub fn reset(&mut self) {
        self.sides = [Side::default(); 2];
        self.top.reset();
    }

    /// Response to a soft sound at `angle` radians a sample.
    pub fn response(&self, angle: f64) -> Complex {
        let back = Complex::from_angle(-angle);
        // What follows by a pole: p / (z - 1 + p); that it comes later still is far too little to count.
        let lag = |p: f64| back.scale(p).over(Complex::new(1.0 - (1.0 - p) * back.re, -(1.0 - p) * back.im));
        // Coupled follows the grid itself: grid = x - lag grid.
        let loose = Complex::ONE.over(Complex::ONE.plus(integral(self.follow, back)));
        let gain = self.valve.gain();
        let held = Complex::ONE.plus(lag(self.cathode_follow).scale(gain * self.valve.cathode_share));
        // The mean from one sample to the next.
        let mean = Complex::new(0.5 + 0.5 * back.re, 0.5 * back.im);
        loose.scale(-gain * self.spec.takes).over(held).times(mean).times(self.top.response(angle))
    }
}

/// Stages in a row on the first `SIDES` sides, with a gain that moves after the first, and what is done
/// with each frame in the end (its number, and the frame); the same as one after the other. One side
/// alone is worked on by each stage a frame behind the one before it, so that none waits for another; two
/// sides already fill each other's waits.
#[inline]
pub fn process_row<const SIDES: usize>(
    stages: &mut [Stage],
    frames: &mut [Frame],
    after_first: &mut Ramp,
    mut end: impl FnMut(usize, Frame) -> Frame,
) {
    if SIDES == 1 {
        return match stages {
            [a] => run_row([a], frames, after_first, end),
            [a, b] => run_row([a, b], frames, after_first, end),
            [a, b, c] => run_row([a, b, c], frames, after_first, end),
            [a, b, c, d, ..] => run_row([a, b, c, d], frames, after_first, end),
            [] => {}
        };
    }
    for (n, stage) in stages.iter_mut().enumerate() {
        if n == 1 {
            scale(frames, after_first);
        }
        stage.run::<2>(frames);
    }
    for (at, frame) in frames.iter_mut().enumerate() {
        *frame = end(at, *frame);
    }
}

/// Multiplies frames by what a ramp says.
pub fn scale(frames: &mut [Frame], ramp: &mut Ramp) {
    for frame in frames {
        let gain = ramp.next_value();
        *frame = frame.map(|x| gain * x);
    }
}

#[inline]
fn run_row<const ROW: usize>(
    mut stages: [&mut Stage; ROW],
    frames: &mut [Frame],
    after_first: &mut Ramp,
    mut end: impl FnMut(usize, Frame) -> Frame,
) {
    let count = frames.len();
    let mut row = Row::<ROW> {
        running: core::array::from_fn(|k| (stages[k].taken::<1>(), stages[k].top)),
        waiting: [[0.0; 2]; ROW],
    };
    for at in 0..count + ROW {
        // While the row fills and empties some have nothing to do.
        if at >= ROW {
            let done = end(at - ROW, row.waiting[ROW - 1]);
            frames[at - ROW] = done;
        }
        if at >= ROW && at < count {
            row.next(frames[at], after_first, |_| true);
        } else {
            let x = frames.get(at).copied().unwrap_or_default();
            row.next(x, after_first, |k| at >= k && at - k < count);
        }
    }
    for (stage, (running, top)) in stages.iter_mut().zip(&row.running) {
        stage.give_back(running, *top);
    }
}

/// Stages in a row, each a frame behind the one before it, and what each has made.
struct Row<const ROW: usize> {
    running: [(Running<1>, FirstOrder); ROW],
    waiting: [Frame; ROW],
}

impl<const ROW: usize> Row<ROW> {
    /// The next frame into the first; those that are at work take what the one before them has made.
    #[inline(always)]
    fn next(&mut self, x: Frame, after_first: &mut Ramp, at_work: impl Fn(usize) -> bool) {
        for k in (0..ROW).rev() {
            if at_work(k) {
                let (stage, top) = &mut self.running[k];
                let before = if k == 0 { x } else { self.waiting[k - 1] };
                let done = top.next(stage.next(before));
                // A row of one has nothing between.
                let gain = if k == 0 && ROW > 1 { after_first.next_value() } else { 1.0 };
                self.waiting[k] = done.map(|x| gain * x);
            }
        }
    }
}

/// A running sum times `p`, a sample late.
fn integral(p: f64, back: Complex) -> Complex {
    back.scale(p).over(Complex::new(1.0 - back.re, -back.im))
}
