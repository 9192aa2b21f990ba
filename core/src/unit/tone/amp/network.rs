//! The tone controls: a passive network of three pots and three capacitors, whose controls
//! interact.
//!
//! ```text
//! in -Rs- 1 --C1-- 2 -Rt(1-t)- 3 -Rt t- 4     3 is the output, with its load
//!         1 --R1-- 5 --C2-- 4 ; 4 -Rb b- 6 -Rm(1-m)- 7 -Rm m- ground ; 5 --C3-- 7
//! ```
//!
//! By nodal analysis with the capacitors as sources of their voltages (Ho, Ruehli & Brennan,
//! *The Modified Nodal Approach*, 1975) the network is a state equation of third order in those
//! voltages, which is run by the trapezoidal rule. The voltages keep their meaning while the
//! controls move.

use crate::signal::Frame;
use crate::signal::math::{Complex, flush};

/// Nodes but the ground.
const NODES: usize = 7;
const CAPS: usize = 3;
const UNKNOWNS: usize = NODES + CAPS;

/// Values of the parts, in ohms and farads.
#[derive(Clone, Copy, Debug)]
pub struct Parts {
    source: f64,
    slope: f64,
    treble: f64,
    bass: f64,
    middle: f64,
    load: f64,
    caps: [f64; CAPS],
}

/// For a guitar: a dip in the middle, treble from 2 kHz.
pub const GUITAR: Parts = Parts {
    source: 38_000.0,
    slope: 68_000.0,
    treble: 250_000.0,
    bass: 470_000.0,
    middle: 33_000.0,
    load: 1_000_000.0,
    caps: [330e-12, 33e-9, 22e-9],
};

/// For a bass: all an octave and a half lower, less of a dip.
pub const BASS: Parts = Parts {
    source: 38_000.0,
    slope: 82_000.0,
    treble: 220_000.0,
    bass: 470_000.0,
    middle: 47_000.0,
    load: 1_000_000.0,
    caps: [680e-12, 68e-9, 47e-9],
};

/// For what has its tone already: nearly level with the controls in the middle.
pub const FLAT: Parts = Parts {
    source: 10_000.0,
    slope: 18_000.0,
    treble: 500_000.0,
    bass: 470_000.0,
    middle: 100_000.0,
    load: 1_000_000.0,
    caps: [220e-12, 15e-9, 10e-9],
};

/// Positions of the three controls, 0 to 1.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Position {
    pub bass: f64,
    pub middle: f64,
    pub treble: f64,
}

/// Ends of the capacitors, by node; node 0 is the ground.
const ENDS: [[usize; 2]; CAPS] = [[1, 2], [5, 4], [5, 7]];

impl Parts {
    /// Resistors with their ends. The bass pot runs by its square, as the ear hears it.
    fn resistors(&self, p: Position) -> [(usize, usize, f64); 8] {
        let some = |ohm: f64| ohm.max(100.0);
        [
            (1, 5, self.slope),
            (2, 3, some(self.treble * (1.0 - p.treble))),
            (3, 4, some(self.treble * p.treble)),
            (4, 6, some(self.bass * p.bass * p.bass)),
            (6, 7, some(self.middle * (1.0 - p.middle))),
            (7, 0, some(self.middle * p.middle)),
            (3, 0, self.load),
            (1, 0, 1e9),
        ]
    }
}

/// `x' = A x + B u`, `y = C x + D u` in the capacitors' voltages.
struct Equation {
    a: [[f64; CAPS]; CAPS],
    b: [f64; CAPS],
    c: [f64; CAPS],
    d: f64,
}

impl Equation {
    fn of(parts: &Parts, position: Position) -> Self {
        // Columns of the right: the source at 1 V, each capacitor at 1 V.
        let mut m = [[0.0; UNKNOWNS + CAPS + 1]; UNKNOWNS];
        for (from, to, ohm) in parts.resistors(position) {
            stamp(&mut m, from, to, 1.0 / ohm);
        }
        m[0][0] += 1.0 / parts.source;
        m[0][UNKNOWNS] += 1.0 / parts.source;
        for (k, [from, to]) in ENDS.into_iter().enumerate() {
            // Its current leaves one node and enters the other; its voltage is given.
            for (node, sign) in [(from, 1.0), (to, -1.0)] {
                m[node - 1][NODES + k] += sign;
                m[NODES + k][node - 1] += sign;
            }
            m[NODES + k][UNKNOWNS + 1 + k] = 1.0;
        }
        eliminate(&mut m);
        let of = |row: usize, column: usize| m[row][UNKNOWNS + column];
        let current = |k: usize, column: usize| of(NODES + k, column) / parts.caps[k];
        Self {
            a: core::array::from_fn(|k| core::array::from_fn(|j| current(k, 1 + j))),
            b: core::array::from_fn(|k| current(k, 0)),
            c: core::array::from_fn(|j| of(2, 1 + j)),
            d: of(2, 0),
        }
    }
}

fn stamp(m: &mut [[f64; UNKNOWNS + CAPS + 1]; UNKNOWNS], from: usize, to: usize, siemens: f64) {
    for node in [from, to].into_iter().filter(|n| *n > 0) {
        m[node - 1][node - 1] += siemens;
    }
    if from > 0 && to > 0 {
        m[from - 1][to - 1] -= siemens;
        m[to - 1][from - 1] -= siemens;
    }
}

/// Gauss and Jordan, the largest first: the left becomes one.
fn eliminate<const R: usize, const C: usize>(m: &mut [[f64; C]; R]) {
    for column in 0..R {
        let largest = (column..R).max_by(|i, j| m[*i][column].abs().total_cmp(&m[*j][column].abs()));
        m.swap(column, largest.unwrap_or(column));
        let pivot = m[column][column];
        m[column].iter_mut().for_each(|x| *x /= pivot);
        let row = m[column];
        for other in (0..R).filter(|i| *i != column) {
            let times = m[other][column];
            if times != 0.0 {
                for (x, from) in m[other].iter_mut().zip(&row) {
                    *x -= times * from;
                }
            }
        }
    }
}

/// The running network for both sides.
#[derive(Clone, Copy)]
pub struct Network {
    parts: Parts,
    rate: f64,
    position: Position,
    /// One step of the capacitors' voltages: from themselves, from the input before and now.
    step: [[f64; CAPS]; CAPS],
    push: [f64; CAPS],
    c: [f64; CAPS],
    d: f64,
    volts: [Frame; CAPS],
    last: Frame,
}

impl Network {
    pub fn new(parts: Parts, position: Position, rate: f64) -> Self {
        let mut network = Self {
            parts,
            rate,
            position: Position { bass: f64::NAN, ..position },
            step: [[0.0; CAPS]; CAPS],
            push: [0.0; CAPS],
            c: [0.0; CAPS],
            d: 0.0,
            volts: [[0.0; 2]; CAPS],
            last: [0.0; 2],
        };
        network.turn(position);
        network
    }

    /// Turns the controls.
    pub fn turn(&mut self, position: Position) {
        if position == self.position {
            return;
        }
        self.position = position;
        let Equation { a, b, c, d } = Equation::of(&self.parts, position);
        let half = 0.5 / self.rate;
        // (1 - h/2 A) on the left; (1 + h/2 A) and h/2 B on the right.
        let mut m = [[0.0; 2 * CAPS + 1]; CAPS];
        for i in 0..CAPS {
            for j in 0..CAPS {
                let one = f64::from(u8::from(i == j));
                m[i][j] = one - half * a[i][j];
                m[i][CAPS + j] = one + half * a[i][j];
            }
            m[i][2 * CAPS] = half * b[i];
        }
        eliminate(&mut m);
        self.step = core::array::from_fn(|i| core::array::from_fn(|j| m[i][CAPS + j]));
        self.push = core::array::from_fn(|i| m[i][2 * CAPS]);
        (self.c, self.d) = (c, d);
    }

    /// The next frame.
    #[inline]
    pub fn next(&mut self, x: Frame) -> Frame {
        let mut volts = self.volts;
        for (i, next) in volts.iter_mut().enumerate() {
            *next = [0, 1].map(|k| {
                let own: f64 = (0..CAPS).map(|j| self.step[i][j] * self.volts[j][k]).sum();
                own + self.push[i] * (x[k] + self.last[k])
            });
        }
        (self.volts, self.last) = (volts, x);
        [0, 1].map(|k| self.d * x[k] + (0..CAPS).map(|j| self.c[j] * volts[j][k]).sum::<f64>())
    }

    /// Takes what is too small to matter as zero.
    pub fn flush(&mut self) {
        self.volts = self.volts.map(|v| v.map(flush));
    }

    pub fn reset(&mut self) {
        self.volts = [[0.0; 2]; CAPS];
        self.last = [0.0; 2];
    }

    /// Response at `angle` radians a sample, of a network at rest.
    pub fn response(&self, angle: f64) -> Complex {
        // (z - step) v = push (z + 1) u, solved by Cramer's rule in three unknowns.
        let z = Complex::from_angle(angle);
        let minus = |a: Complex, b: Complex| a.plus(b.scale(-1.0));
        let m: [[Complex; CAPS]; CAPS] = core::array::from_fn(|i| {
            core::array::from_fn(|j| {
                let own = Complex::new(-self.step[i][j], 0.0);
                if i == j { own.plus(z) } else { own }
            })
        });
        let det = |m: &[[Complex; CAPS]; CAPS]| {
            let minor = |r: [usize; 2], c: [usize; 2]| {
                minus(m[r[0]][c[0]].times(m[r[1]][c[1]]), m[r[0]][c[1]].times(m[r[1]][c[0]]))
            };
            let first = m[0][0].times(minor([1, 2], [1, 2]));
            let second = m[0][1].times(minor([1, 2], [0, 2]));
            first.plus(second.scale(-1.0)).plus(m[0][2].times(minor([1, 2], [0, 1])))
        };
        let whole = det(&m);
        let mut out = Complex::new(self.d, 0.0);
        for j in 0..CAPS {
            let mut with = m;
            for (i, row) in with.iter_mut().enumerate() {
                row[j] = z.plus(Complex::ONE).scale(self.push[i]);
            }
            out = out.plus(det(&with).over(whole).scale(self.c[j]));
        }
        out
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::signal::math::TAU;

    const RATE: f64 = 192_000.0;

    /// The node equations with complex admittances, solved at one frequency: another way to the
    /// same network.
    fn nodal(parts: &Parts, p: Position, hz: f64) -> Complex {
        // Real and imaginary parts as one real system of twice the size.
        const N: usize = 2 * NODES;
        let mut m = [[0.0; N + 1]; N];
        let mut add = |from: usize, to: usize, g: f64, b: f64| {
            for (i, j, sign) in [(from, from, 1.0), (to, to, 1.0), (from, to, -1.0), (to, from, -1.0)] {
                if i > 0 && j > 0 {
                    let (i, j) = (i - 1, j - 1);
                    m[i][j] += sign * g;
                    m[i + NODES][j + NODES] += sign * g;
                    m[i][j + NODES] -= sign * b;
                    m[i + NODES][j] += sign * b;
                }
            }
        };
        for (from, to, ohm) in parts.resistors(p) {
            add(from, to, 1.0 / ohm, 0.0);
        }
        for ([from, to], farad) in ENDS.into_iter().zip(parts.caps) {
            add(from, to, 0.0, TAU * hz * farad);
        }
        add(1, 0, 1.0 / parts.source, 0.0);
        m[0][N] = 1.0 / parts.source;
        eliminate(&mut m);
        Complex::new(m[2][N], m[2 + NODES][N])
    }

    #[test]
    fn the_network_is_what_its_node_equations_say_at_every_setting() {
        for parts in [GUITAR, BASS, FLAT] {
            for (bass, middle, treble) in
                [(0.5, 0.5, 0.5), (0.0, 0.0, 0.0), (1.0, 1.0, 1.0), (0.9, 0.1, 0.7), (0.2, 0.8, 0.0)]
            {
                let position = Position { bass, middle, treble };
                let network = Network::new(parts, position, RATE);
                for hz in [30.0, 100.0, 350.0, 1000.0, 3000.0, 9000.0] {
                    let (run, said) = (network.response(TAU * hz / RATE), nodal(&parts, position, hz));
                    let db = 10.0 * (run.norm_sqr() / said.norm_sqr()).log10();
                    assert!(db.abs() < 0.1, "{position:?} at {hz} Hz: {db:.3} dB off");
                }
            }
        }
    }

    #[test]
    fn what_runs_is_what_the_response_says() {
        let position = Position { bass: 0.7, middle: 0.3, treble: 0.6 };
        let mut network = Network::new(GUITAR, position, RATE);
        let angle = TAU * 1000.0 / RATE;
        let (mut re, mut im) = (0.0, 0.0);
        for n in 0..60_000 {
            let y = network.next([if n == 0 { 1.0 } else { 0.0 }; 2])[1];
            re += y * (angle * f64::from(n)).cos();
            im -= y * (angle * f64::from(n)).sin();
        }
        let said = network.response(angle);
        assert!((re - said.re).abs() < 1e-6 && (im - said.im).abs() < 1e-6, "{re} {im} {said:?}");
    }

    #[test]
    fn the_controls_interact_and_the_middle_dips_when_both_ends_are_up() {
        let db = |bass: f64, middle: f64, treble: f64, hz: f64| {
            let network = Network::new(GUITAR, Position { bass, middle, treble }, RATE);
            10.0 * network.response(TAU * hz / RATE).norm_sqr().log10()
        };
        assert!(db(0.8, 0.2, 0.8, 450.0) < db(0.8, 0.2, 0.8, 90.0) - 6.0);
        assert!(db(0.8, 0.2, 0.8, 450.0) < db(0.8, 0.2, 0.8, 4000.0) - 6.0);
        // The middle control does more with the treble down than with it up.
        let does = |treble: f64| db(0.5, 1.0, treble, 800.0) - db(0.5, 0.0, treble, 800.0);
        assert!(does(0.0) > does(1.0) + 1.0, "{} and {}", does(0.0), does(1.0));
    }
}
