//! The power stage: a pair in opposition, or one valve alone, with a supply that gives way and
//! feedback around it.
//!
//! Each half conducts by `v+ = (v + sqrt(v^2 + w^2)) / 2`, a line with a round corner. Of a pair
//! the halves are subtracted, so that even overtones cancel; with little bias the middle is
//! flatter (crossover). One valve alone keeps them. The supply follows `dV/dt = (1 - V) / T -
//! s |i| / T`, and with it the headroom. Feedback makes it straighter until it clips; what is
//! taken out of it above 2.5 kHz is presence, about the loudspeaker's resonance depth, and both go when it
//! clips, as feedback does. A stage without feedback drives the loudspeaker through its own
//! resistance, so that its voltage rises where the impedance does: at the resonance and at the top
//! (Langford-Smith, *Radiotron Designer's Handbook*, 4th ed., ch. 13 and 7).

use crate::filter::FirstOrder;
use crate::signal::Frame;
use crate::signal::math::{Complex, PI, SILENCE, exp, flush, sin};

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
/// Resonance of the loudspeaker, about which depth is, and its width.
const RESONANCE_HZ: f64 = 95.0;
const RESONANCE_Q: f64 = 0.9;
/// By what share the voltage of a stage without feedback rises with the impedance, controls full.
const OPEN: f64 = 0.9;

/// A resonance by two integrators in a ring (Chamberlin, *Musical Applications of Microprocessors*, 2nd
/// ed., ch. 14): at four times the rate 95 Hz are so low that no more is needed.
#[derive(Clone, Copy)]
struct Resonance {
    follow: f64,
    band: Frame,
    low: Frame,
}

impl Resonance {
    fn new(rate: f64) -> Self {
        Self { follow: 2.0 * sin(PI * RESONANCE_HZ / rate), band: [0.0; 2], low: [0.0; 2] }
    }

    /// What passed it of the frames before: of level 1 at its middle.
    #[inline(always)]
    fn passed(&self) -> Frame {
        self.band.map(|band| band / RESONANCE_Q)
    }

    #[inline(always)]
    fn take(&mut self, x: Frame) {
        for ((low, band), x) in self.low.iter_mut().zip(&mut self.band).zip(x) {
            *low += self.follow * *band;
            *band += self.follow * (x - *low - *band / RESONANCE_Q);
        }
    }

    /// Response of [`Self::passed`] before the frame is taken, at `angle` radians a sample.
    fn response(&self, angle: f64) -> Complex {
        let (f, late) = (self.follow, Complex::from_angle(-angle));
        let falls = Complex::ONE.plus(late.scale(-1.0));
        let held = falls.times(falls).plus(late.scale(f * f)).plus(late.times(falls).scale(f / RESONANCE_Q));
        late.times(falls).scale(f / RESONANCE_Q).over(held)
    }
}

/// What is let through by the two controls, each 0 to 1.
#[derive(Clone, Copy, Debug)]
pub struct Lets {
    pub presence: f64,
    pub depth: f64,
}

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
    resonance: Resonance,
    /// Share of the controls that acts behind the stage: all of it without feedback.
    open: f64,
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
            resonance: Resonance::new(rate),
            open: if spec.feedback > 0.0 { 0.0 } else { OPEN },
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

    /// The next frame on its first `SIDES` sides, the other their copy.
    // Beside the stages before it, whose waits it fills. What the feedback makes wait is the way from
    // `y` to the next `y`: whatever else is known before is worked out before.
    #[inline(always)]
    pub fn next<const SIDES: usize>(&mut self, frame: Frame, lets: Lets) -> Frame {
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
        let lows = self.resonance.passed();
        self.resonance.take(out);
        let Lets { presence, depth } = lets;
        if self.open == 0.0 {
            let fed = self.presence_part.mixed(out, back, -back * presence);
            self.fed = [0, 1].map(|k| fed[k] - back * depth * lows[k]);
            return self.low.next(out);
        }
        let rises = self.presence_part.mixed(out, 1.0, self.open * presence);
        self.low.next([0, 1].map(|k| rises[k] + self.open * depth * lows[k]))
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
        self.resonance.band = self.resonance.band.map(flush);
        self.resonance.low = self.resonance.low.map(flush);
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
        (self.resonance.band, self.resonance.low) = ([0.0; 2], [0.0; 2]);
        self.sides = [Side::AT_REST; 2];
    }

    /// Response to a soft sound at `angle` radians a sample.
    pub fn response(&self, angle: f64, lets: Lets) -> Complex {
        let back = self.spec.feedback;
        let late = Complex::from_angle(-angle);
        let mean = Complex::new(0.5 + 0.5 * late.re, 0.5 * late.im);
        let high = mean.times(self.high.response(angle));
        let presence = self.presence_part.response(angle).scale(lets.presence);
        let let_through = presence.plus(self.resonance.response(angle).scale(lets.depth));
        // y = H ((1 + b) x - b (1 - let through) y / z)
        let part = Complex::ONE.plus(let_through.scale(-1.0));
        let held = Complex::ONE.plus(high.times(part).times(late).scale(back));
        let behind = Complex::ONE.plus(let_through.scale(self.open));
        high.scale(1.0 + back).over(held).times(behind).times(self.low.response(angle))
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::signal::math::TAU;

    /// Four times 48 kHz, as it runs.
    const RATE: f64 = 192_000.0;
    /// Points between two frames at which the bend is worked out.
    const STEPS: u32 = 64;

    /// A pair with feedback that gives way, and one valve alone.
    const SPECS: [PowerSpec; 2] = [
        PowerSpec { pair: true, bias: 0.3, feedback: 1.2, sag: 0.25, sag_s: 0.06, low_hz: 40.0, high_hz: 9000.0 },
        PowerSpec { pair: false, bias: 0.5, feedback: 0.0, sag: 0.1, sag_s: 0.03, low_hz: 70.0, high_hz: 6000.0 },
    ];

    /// The stage by its equations as they are written, one side: halves that conduct, the mean of the bend from one frame
    /// to the next summed in small steps, a supply that gives way.
    struct Slow {
        spec: PowerSpec,
        last: f64,
        down: f64,
        fed: f64,
        sections: [FirstOrder; 3],
        resonance: Resonance,
    }

    impl Slow {
        fn new(spec: PowerSpec) -> Self {
            let sections = [
                FirstOrder::high_pass(spec.low_hz, RATE),
                FirstOrder::low_pass(spec.high_hz, RATE),
                FirstOrder::high_pass(PRESENCE_HZ, RATE),
            ];
            Self { spec, last: 0.0, down: 0.0, fed: 0.0, sections, resonance: Resonance::new(RATE) }
        }

        fn half(v: f64) -> f64 {
            0.5 * (v + (v * v + CORNER * CORNER).sqrt())
        }

        fn conducts(&self, v: f64) -> f64 {
            let bias = self.spec.bias;
            let rest = if self.spec.pair { Self::half(bias - v) } else { Self::half(bias) };
            Self::half(bias + v) - rest
        }

        fn next(&mut self, x: f64, lets: Lets) -> f64 {
            let back = self.spec.feedback;
            let driven = (1.0 + back) * x - self.fed;
            // Brought to a slope of 1 at rest, found by a small step.
            let slope = (self.conducts(1e-4) - self.conducts(-1e-4)) / 2e-4;
            let headroom = 1.0 - self.spec.sag * self.down;
            let v = self.conducts(driven) / slope / headroom;
            let bend = |v: f64| v / (1.0 + v * v).sqrt();
            let on_the_way = |n: u32| bend(self.last + (v - self.last) * (f64::from(n) + 0.5) / f64::from(STEPS));
            let y = headroom * (0..STEPS).map(on_the_way).sum::<f64>() / f64::from(STEPS);
            self.last = v;
            self.down += (y.abs() - self.down) / (self.spec.sag_s * RATE);
            let out = self.sections[1].next([y; 2]);
            let lows = self.resonance.passed()[0];
            self.resonance.take(out);
            // What is let through of the controls is taken out of the feedback, or is open behind the stage.
            let let_through = lets.presence * self.sections[2].next(out)[0] + lets.depth * lows;
            self.fed = back * (out[0] - let_through);
            let open = if back > 0.0 { 0.0 } else { OPEN };
            self.sections[0].next([out[0] + open * let_through; 2])[0]
        }
    }

    #[test]
    fn a_power_stage_bends_as_its_equations_say_where_they_are_solved_slowly() {
        let pluck = |t: f64| {
            (1..7).map(|k| 1.5 / f64::from(k) * (-4.0 * t).exp() * (TAU * 110.0 * f64::from(k) * t).sin()).sum()
        };
        let sounds: [(&str, &dyn Fn(f64) -> f64); 3] = [
            ("a soft tone", &|t| 0.05 * (TAU * 220.0 * t).sin()),
            ("a tone that clips", &|t| 2.0 * (TAU * 82.4 * t).sin()),
            ("a plucked string", &pluck),
        ];
        for spec in SPECS {
            for (name, sound) in sounds {
                let (mut power, mut slow) = (Power::new(spec, RATE), Slow::new(spec));
                let (mut off, mut all, mut largest) = (0.0, 0.0, 0.0f64);
                for n in 0..(0.3 * RATE) as usize {
                    let (x, lets) = (sound(n as f64 / RATE), Lets { presence: 0.4, depth: 0.7 });
                    let (found, wanted) = (power.next::<1>([x; 2], lets)[0], slow.next(x, lets));
                    off += (found - wanted).powi(2);
                    all += wanted * wanted;
                    largest = largest.max(wanted.abs());
                }
                let off_db = 10.0 * (off / all).log10();
                assert!(off_db < -80.0, "{name}, {spec:?}: {off_db:.1} dB");
                assert!(name == "a soft tone" || largest > 0.5, "{name} does not bend: {largest}");
            }
        }
    }
}
