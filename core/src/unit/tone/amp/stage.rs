//! One stage of gain: a triode with what is about it.
//!
//! The coupling capacitor keeps the lows off and is charged when the grid draws current, so that
//! a loud note holds the stage down for a moment; the cathode follows the mean current, so that
//! the resting point moves with level; the valve's own capacitance takes the top. The curve
//! itself is [`Valve`]'s.

use std::sync::OnceLock;

use crate::colour::valve::{Driven, Valve};
use crate::filter::FirstOrder;
use crate::filter::first_order::FirstOrders;
use crate::signal::Frame;
use crate::signal::math::{Complex, exp, flush};

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

/// What two valves hold, each on one side.
#[derive(Clone, Copy, Debug, Default)]
struct Held {
    /// What the coupling capacitors hold.
    coupled: Frame,
    /// By how far the cathodes are off their rest.
    cathode: Frame,
    /// What the valves did a sample ago, their plates and their grids: what follows it is so slow that it
    /// can come a sample later, and need not be waited for.
    plate: Frame,
    over: Frame,
    driven: Driven,
}

impl Held {
    /// One side of each of two.
    fn of([(one, k), (other, l)]: [(&Self, usize); 2]) -> Self {
        Self {
            coupled: [one.coupled[k], other.coupled[l]],
            cathode: [one.cathode[k], other.cathode[l]],
            plate: [one.plate[k], other.plate[l]],
            over: [one.over[k], other.over[l]],
            driven: Driven::of([(&one.driven, k), (&other.driven, l)]),
        }
    }
}

/// A running stage for both sides.
#[derive(Clone)]
pub struct Stage {
    spec: StageSpec,
    valve: &'static Valve,
    held: Held,
    /// How fast the coupling capacitor follows and is charged, and the cathode follows.
    follow: f64,
    charge: f64,
    cathode_follow: f64,
    top: FirstOrder,
}

/// Two valves at work beside each other, in the two halves of a processor's registers: both sides of
/// one stage, or the left side of two stages in a row.
#[derive(Clone, Copy)]
struct Beside {
    valves: [&'static Valve; 2],
    takes: Frame,
    follow: Frame,
    charge: f64,
    cathode_follow: f64,
    share: Frame,
    held: Held,
    top: FirstOrders,
}

impl Beside {
    /// Of each a stage and which of its sides.
    fn new(stages: [(&Stage, usize); 2]) -> Self {
        let [(one, _), _] = stages;
        Self {
            valves: stages.map(|(stage, _)| stage.valve),
            takes: stages.map(|(stage, _)| stage.spec.takes),
            follow: stages.map(|(stage, _)| stage.follow),
            charge: one.charge,
            cathode_follow: one.cathode_follow,
            share: stages.map(|(stage, _)| stage.valve.cathode_share),
            held: Held::of(stages.map(|(stage, side)| (&stage.held, side))),
            top: FirstOrders::new(stages.map(|(stage, side)| (&stage.top, side))),
        }
    }

    /// From the voltages before both to what they make of them.
    // All in pairs: what is written as one is read as one.
    #[inline(always)]
    fn next(&mut self, x: Frame) -> Frame {
        let Self { takes, follow, share, held, .. } = self;
        let Held { coupled, cathode, plate, over, .. } = *held;
        let grid = [takes[0] * x[0] - coupled[0], takes[1] * x[1] - coupled[1]];
        let by = [grid[0] - cathode[0], grid[1] - cathode[1]];
        held.coupled = [0, 1].map(|k| coupled[k] + (follow[k] * grid[k] + self.charge * over[k]));
        held.cathode = [0, 1].map(|k| cathode[k] - self.cathode_follow * (plate[k] * share[k] + cathode[k]));
        [held.plate, held.over] = Valve::from_to(self.valves, &mut held.driven, by);
        self.top.next(held.plate)
    }

    /// The same where only some have something to do: the others stay as they are.
    #[inline(never)]
    fn next_of(&mut self, x: Frame, at_work: [bool; 2]) -> Frame {
        let (held, top) = (self.held, self.top);
        let out = self.next(x);
        let of = |k: usize, now: &Held| if at_work[k] { *now } else { held };
        let both = [of(0, &self.held), of(1, &self.held)];
        self.held = Held::of([(&both[0], 0), (&both[1], 1)]);
        (0..2).filter(|k| !at_work[*k]).for_each(|k| self.top.take_side(k, &top));
        out
    }
}

impl Stage {
    pub fn new(spec: StageSpec, rate: f64) -> Self {
        let pole = |seconds: f64| 1.0 - exp(-1.0 / (seconds * rate));
        Self {
            spec,
            valve: spec.bias.valve(),
            held: Held::default(),
            follow: pole(1.0 / (core::f64::consts::TAU * spec.low_cut_hz)),
            charge: pole(CHARGE_S),
            cathode_follow: pole(CATHODE_S),
            top: FirstOrder::low_pass(spec.top_hz, rate),
        }
    }

    /// From the voltage before the stage, of which its share reaches it, to the plate voltage, in
    /// place: both sides beside each other.
    pub fn run(&mut self, frames: &mut [Frame]) {
        // Here and not in `self`, so that they stay in registers.
        let mut sides = Beside::new([(self, 0), (self, 1)]);
        for frame in frames {
            *frame = sides.next(*frame);
        }
        self.held = sides.held;
        self.top.hold(sides.top.held());
    }

    /// Takes what one of two holds for both sides.
    fn hold_alike(&mut self, of: &Beside, side: usize) {
        self.held = Held::of([(&of.held, side); 2]);
        self.top.hold([of.top.held()[side]; 2]);
    }

    /// Takes what is too small to matter as zero.
    pub fn flush(&mut self) {
        let Held { coupled, cathode, plate, over, .. } = &mut self.held;
        for held in [coupled, cathode, plate, over] {
            *held = held.map(flush);
        }
        self.top.flush();
    }

    pub fn reset(&mut self) {
        self.held = Held::default();
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

/// What is done with what stages in a row have made.
pub trait Behind {
    /// With frame number `at` behind the first stage.
    fn the_first(&mut self, at: usize, frame: Frame) -> Frame;
    /// With it behind the last.
    fn the_last(&mut self, at: usize, frame: Frame) -> Frame;
}

/// Both sides of a sound through stages in a row, in place.
#[inline]
pub fn run_apart(stages: &mut [Stage], frames: &mut [Frame], behind: &mut impl Behind) {
    for (n, stage) in stages.iter_mut().enumerate() {
        stage.run(frames);
        if n == 0 {
            frames.iter_mut().enumerate().for_each(|(at, frame)| *frame = behind.the_first(at, *frame));
        }
    }
    frames.iter_mut().enumerate().for_each(|(at, frame)| *frame = behind.the_last(at, *frame));
}

/// The same for a sound whose sides are alike: two stages work beside each other, each a frame behind the one
/// before it.
#[inline]
pub fn run_alike(stages: &mut [Stage], frames: &mut [Frame], behind: &mut impl Behind) {
    match stages.len() {
        0 => {}
        1 | 2 => run_pairs::<1>(stages, frames, behind),
        _ => run_pairs::<2>(stages, frames, behind),
    }
}

/// Pairs of stages in a row, and what each stage has made.
#[derive(Clone, Copy)]
struct Row<const PAIRS: usize> {
    pairs: [Beside; PAIRS],
    made: [Frame; PAIRS],
}

impl<const PAIRS: usize> Row<PAIRS> {
    /// Each of a pair takes what the one before it has made; the first of all takes `x`. The later pair first.
    #[inline(always)]
    fn next<const PAIR: usize>(&mut self, x: f64) {
        let before = if PAIR > 0 { self.made[PAIR - 1][1] } else { x };
        self.made[PAIR] = self.pairs[PAIR].next([before, self.made[PAIR][0]]);
    }

    /// The same while the row fills and empties, and some have nothing to do. By value, so that a row that runs
    /// stays in registers.
    #[inline(never)]
    fn next_of(mut self, x: f64, works: impl Fn(usize) -> bool) -> Self {
        for pair in (0..PAIRS).rev() {
            let before = if pair > 0 { self.made[pair - 1][1] } else { x };
            let at_work = [works(2 * pair), works(2 * pair + 1)];
            self.made[pair] = self.pairs[pair].next_of([before, self.made[pair][0]], at_work);
        }
        self
    }
}

#[inline]
fn run_pairs<const PAIRS: usize>(stages: &mut [Stage], frames: &mut [Frame], behind: &mut impl Behind) {
    let (length, count) = (stages.len().min(2 * PAIRS), frames.len());
    // Of an odd number the last has a companion that never works.
    let of = |n: usize| (&stages[n.min(length - 1)], 0);
    let pairs = core::array::from_fn(|pair| Beside::new([of(2 * pair), of(2 * pair + 1)]));
    let mut row = Row::<PAIRS> { pairs, made: [[0.0; 2]; PAIRS] };
    let even = length.is_multiple_of(2);
    for at in 0..count + length {
        let [first, second] = row.made[PAIRS - 1];
        let done = if even { second } else { first };
        let x = frames.get(at).map_or(0.0, |frame| frame[0]);
        if at >= length && at < count {
            // The companion may work: nobody takes what it makes.
            if PAIRS == 2 {
                row.next::<1>(x);
            }
            row.next::<0>(x);
        } else {
            row = row.next_of(x, |n| at >= n && at - n < count);
        }
        if at < count {
            row.made[0][0] = behind.the_first(at, [row.made[0][0]; 2])[0];
        }
        if at >= length {
            frames[at - length] = behind.the_last(at - length, [done; 2]);
        }
    }
    for (n, stage) in stages.iter_mut().take(length).enumerate() {
        stage.hold_alike(&row.pairs[n / 2], n % 2);
    }
}

/// A running sum times `p`, a sample late.
fn integral(p: f64, back: Complex) -> Complex {
    back.scale(p).over(Complex::new(1.0 - back.re, -back.im))
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::signal::math::TAU;

    /// Four times 48 kHz, as it runs.
    const RATE: f64 = 192_000.0;
    /// Points between two frames at which the valve is asked.
    const STEPS: u32 = 64;

    /// The stage by its equations as they are written, one side: the mean of the plate voltage from one drive to the next
    /// summed in small steps, a coupling capacitor that is charged, a cathode that follows.
    struct Slow {
        spec: StageSpec,
        coupled: f64,
        cathode: f64,
        driven: f64,
        /// Of the frame before: plate, and by how much the grid was over.
        made: [f64; 2],
        top: FirstOrder,
    }

    impl Slow {
        fn next(&mut self, x: f64) -> f64 {
            let valve = self.spec.bias.valve();
            let grid = self.spec.takes * x - self.coupled;
            let by = grid - self.cathode;
            let steps = |of: &dyn Fn(f64) -> f64| {
                let at = |n: u32| self.driven + (by - self.driven) * (f64::from(n) + 0.5) / f64::from(STEPS);
                (0..STEPS).map(|n| of(at(n))).sum::<f64>() / f64::from(STEPS)
            };
            let plate = steps(&|v| valve.plate_v(v));
            let over = valve.at(by)[1];
            let follow = |seconds: f64| 1.0 - (-1.0 / (seconds * RATE)).exp();
            let lows_s = 1.0 / (TAU * self.spec.low_cut_hz);
            self.coupled += follow(lows_s) * grid + follow(CHARGE_S) * self.made[1];
            self.cathode -= follow(CATHODE_S) * (self.made[0] * valve.cathode_share + self.cathode);
            (self.driven, self.made) = (by, [plate, over]);
            self.top.next([plate; 2])[0]
        }
    }

    #[test]
    fn a_stage_bends_as_its_equations_say_where_they_are_solved_slowly() {
        let pluck = |t: f64| {
            (1..7).map(|k| 4.0 / f64::from(k) * (-4.0 * t).exp() * (TAU * 110.0 * f64::from(k) * t).sin()).sum()
        };
        let sounds: [(&str, &dyn Fn(f64) -> f64); 3] = [
            ("a soft tone", &|t| 0.05 * (TAU * 220.0 * t).sin()),
            ("a tone that draws grid current", &|t| 8.0 * (TAU * 82.4 * t).sin()),
            ("a plucked string", &pluck),
        ];
        for bias in [Bias::Middle, Bias::Warm, Bias::Cold] {
            let spec = StageSpec { bias, takes: 0.8, low_cut_hz: 60.0, top_hz: 12_000.0 };
            for (name, sound) in sounds {
                let mut frames: Vec<Frame> = (0..(0.3 * RATE) as usize).map(|n| [sound(n as f64 / RATE); 2]).collect();
                let top = FirstOrder::low_pass(spec.top_hz, RATE);
                let mut slow = Slow { spec, coupled: 0.0, cathode: 0.0, driven: 0.0, made: [0.0; 2], top };
                let wanted: Vec<f64> = frames.iter().map(|frame| slow.next(frame[0])).collect();
                Stage::new(spec, RATE).run(&mut frames);
                let off: f64 = frames.iter().zip(&wanted).map(|(found, wanted)| (found[0] - wanted).powi(2)).sum();
                let off_db = 10.0 * (off / wanted.iter().map(|y| y * y).sum::<f64>()).log10();
                assert!(off_db < -80.0, "{bias:?}, {name}: {off_db:.1} dB");
                let charged = slow.coupled.abs() > 0.2 || slow.cathode.abs() > 0.2;
                assert!(
                    charged || name != "a tone that draws grid current",
                    "{bias:?}: the resting point has not moved"
                );
            }
        }
    }
}
