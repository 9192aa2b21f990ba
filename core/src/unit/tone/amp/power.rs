//! The power stage: a pair in opposition, or one valve alone, with a supply that gives way and
//! feedback around it.
//!
//! Each half conducts by `v+ = (v + sqrt(v^2 + w^2)) / 2`, a line with a round corner. Of a pair
//! the halves are subtracted, so that even overtones cancel; with little bias the middle is
//! flatter (crossover). One valve alone keeps them. The supply follows `dV/dt = (1 - V) / T -
//! s |i| / T`, and with it the headroom. Feedback makes it straighter until it clips; what is
//! taken out of it above 2.5 kHz is presence, and goes when it clips, as feedback does.

use crate::filter::FirstOrder;
use crate::signal::Frame;
use crate::signal::math::{Complex, SILENCE, exp, flush};

/// What a voice says of its power stage.
#[derive(Clone, Copy, Debug)]
pub struct PowerSpec {
    /// A pair in opposition; otherwise one valve alone.
    pub pair: bool,
    /// Where a half rests, against full swing.
    pub bias: f64,
    /// How much feedback, against none.
    pub feedback: f64,
    /// Share of headroom that the supply gives up at full swing, and the time it takes in s.
    pub sag: f64,
    pub sag_s: f64,
    /// What the output passes, in Hz.
    pub low_hz: f64,
    pub high_hz: f64,
}

/// Width of the corner of a half.
const CORNER: f64 = 0.35;
/// Presence is above this.
const PRESENCE_HZ: f64 = 2500.0;

/// What the stage holds for one side.
#[derive(Clone, Copy, Debug)]
struct Side {
    /// By how much the supply has gone down, 0 to 1.
    down: f64,
    /// What bent last, and the root of one and its square.
    last: f64,
    root: f64,
}

impl Side {
    const AT_REST: Self = Self { down: 0.0, last: 0.0, root: 1.0 };
}

/// The running stage for both sides; 1 is full swing.
#[derive(Clone, Copy)]
pub struct Power {
    spec: PowerSpec,
    low: FirstOrder,
    high: FirstOrder,
    presence_part: FirstOrder,
    /// What the feedback takes from the next frame.
    fed: Frame,
    sides: [Side; 2],
    follow: f64,
    /// What brings the slope for soft sounds to 1.
    narrow: f64,
}

impl Power {
    pub fn new(spec: PowerSpec, rate: f64) -> Self {
        let (bias, halves) = (spec.bias, if spec.pair { 2.0 } else { 1.0 });
        Self {
            spec,
            low: FirstOrder::high_pass(spec.low_hz, rate),
            high: FirstOrder::low_pass(spec.high_hz, rate),
            presence_part: FirstOrder::high_pass(PRESENCE_HZ, rate),
            fed: [0.0; 2],
            sides: [Side::AT_REST; 2],
            follow: 1.0 - exp(-1.0 / (spec.sag_s * rate)),
            narrow: 1.0 / (halves * (1.0 + bias / (bias * bias + CORNER * CORNER).sqrt())),
        }
    }

    /// Twice both halves, or the one, before the slope is brought to 1.
    #[inline]
    fn conducts(&self, v: f64) -> f64 {
        let (bias, corner) = (self.spec.bias, CORNER * CORNER);
        let root = |v: f64| (v * v + corner).sqrt();
        if self.spec.pair { 2.0 * v + (root(bias + v) - root(bias - v)) } else { v + (root(bias + v) - root(bias)) }
    }

    /// The next frame on its first `SIDES` sides, the other their copy, with a presence of 0 to 1.
    // Beside the stages before it, whose waits it fills. What the feedback makes wait is the way from
    // `y` to the next `y`: whatever else is known before is worked out before.
    #[inline(always)]
    pub fn next<const SIDES: usize>(&mut self, frame: Frame, presence: f64) -> Frame {
        let (back, sag) = (self.spec.feedback, self.spec.sag);
        let mut y = [0.0; 2];
        for k in 0..SIDES {
            let driven = (1.0 + back) * frame[k] - self.fed[k];
            let conducted = self.conducts(driven);
            let side = &mut self.sides[k];
            let headroom = 1.0 - sag * side.down;
            let v = (self.narrow / headroom) * conducted;
            // The mean of `v / sqrt(1 + v^2)` from the last to this one.
            let root = (1.0 + v * v).sqrt();
            y[k] = headroom * (v + side.last) / (root + side.root);
            (side.last, side.root) = (v, root);
            side.down += self.follow * (y[k].abs() - side.down);
        }
        if SIDES == 1 {
            y[1] = y[0];
        }
        let out = self.high.next(y);
        self.fed = self.presence_part.mixed(out, back, -back * presence);
        self.low.next(out)
    }

    /// Takes the right side, not worked on, as a copy of the left.
    pub fn copy_left(&mut self) {
        self.sides[1] = self.sides[0];
    }

    /// Takes what is too small to matter as zero.
    pub fn flush(&mut self) {
        for section in [&mut self.low, &mut self.high, &mut self.presence_part] {
            section.flush();
        }
        self.fed = self.fed.map(flush);
        for side in &mut self.sides {
            side.down = flush(side.down);
            if side.last.abs() < SILENCE {
                (side.last, side.root) = (0.0, 1.0);
            }
        }
    }

    pub fn reset(&mut self) {
        for section in [&mut self.low, &mut self.high, &mut self.presence_part] {
            section.reset();
        }
        self.fed = [0.0; 2];
        self.sides = [Side::AT_REST; 2];
    }

    /// Response to a soft sound at `angle` radians a sample.
    pub fn response(&self, angle: f64, presence: f64) -> Complex {
        let back = self.spec.feedback;
        let late = Complex::from_angle(-angle);
        let mean = Complex::new(0.5 + 0.5 * late.re, 0.5 * late.im);
        let high = mean.times(self.high.response(angle));
        let part = Complex::ONE.plus(self.presence_part.response(angle).scale(-presence));
        // y = H ((1 + b) x - b part y / z)
        let held = Complex::ONE.plus(high.times(part).times(late).scale(back));
        high.scale(1.0 + back).over(held).times(self.low.response(angle))
    }
}
