//! A half-band stage of least delay: two paths of all-pass sections.
//!
//! The mean of two all-pass chains in `z^2`, one of them a frame later, is an elliptic half-band
//! low-pass (Valenzuela & Constantinides, *Digital Signal Processing Schemes for Efficient
//! Interpolation and Decimation*, IEE Proc. 1983). The coefficients follow from the nome of the
//! elliptic functions, whose series converge in a few terms (Orfanidis, *Lecture Notes on
//! Elliptic Filter Design*, 2006). Both paths run at the lower rate.

use crate::signal::Frame;
use crate::signal::math::{PI, cos, flush, log, pow, sin, tan};

/// Attenuation the coefficients are made for, in dB: a little over what is promised.
const DESIGN_DB: f64 = 104.0;
/// Most sections of both paths together.
const MOST: usize = 16;

/// Coefficients for a transition that is this share of the upper rate, the smallest first.
fn coefficients(transition: f64) -> Vec<f64> {
    let k = {
        let t = tan((1.0 - 2.0 * transition) * PI / 4.0);
        t * t
    };
    let root = pow(1.0 - k * k, 0.25);
    let e = 0.5 * (1.0 - root) / (1.0 + root);
    let e4 = pow(e, 4.0);
    let nome = e * (1.0 + e4 * (2.0 + e4 * (15.0 + 150.0 * e4)));
    let stop = pow(10.0, -DESIGN_DB / 10.0);
    let a = stop / (1.0 - stop);
    let order = (log(a * a / 16.0) / log(nome)).ceil() as usize;
    let order = (order | 1).clamp(3, 2 * MOST + 1);
    (1..=(order - 1) / 2).map(|c| coefficient(c as f64, k, nome, order as f64)).collect()
}

fn coefficient(c: f64, k: f64, nome: f64, order: f64) -> f64 {
    let (mut above, mut below, mut sign) = (0.0, 0.5, 1.0);
    for i in 0..8 {
        let i = f64::from(i);
        above += sign * pow(nome, i * (i + 1.0)) * sin((2.0 * i + 1.0) * c * PI / order);
        sign = -sign;
        let j = i + 1.0;
        below += sign * pow(nome, j * j) * cos(2.0 * j * c * PI / order);
    }
    let w = pow(nome, 0.25) * above / below;
    let w2 = w * w;
    let x = ((1.0 - w2 * k) * (1.0 - w2 / k)).sqrt() / (1.0 + w2);
    (1.0 - x) / (1.0 + x)
}

/// A first-order all-pass section `y = x1 + a (x - y1)` of two sounds beside each other, each with its own `a`.
#[derive(Clone, Copy, Default)]
struct Section {
    a: Frame,
    /// Last input and output.
    x1: Frame,
    y1: Frame,
}

impl Section {
    #[inline(always)] // many in a row in the innermost loop
    fn next(&mut self, x: Frame) -> Frame {
        let y = [0, 1].map(|k| self.x1[k] + self.a[k] * (x[k] - self.y1[k]));
        (self.x1, self.y1) = (x, y);
        y
    }

    fn settle(&mut self) {
        (self.x1, self.y1) = (self.x1.map(flush), self.y1.map(flush));
    }
}

/// A chain of sections for both sides.
#[derive(Clone)]
struct Path(Vec<Section>);

impl Path {
    fn new(coefficients: impl Iterator<Item = f64>) -> Self {
        Self(coefficients.map(|a| Section { a: [a; 2], ..Section::default() }).collect())
    }

    #[inline]
    fn next(&mut self, x: Frame) -> Frame {
        self.0.iter_mut().fold(x, |x, section| section.next(x))
    }

    fn settle(&mut self) {
        self.0.iter_mut().for_each(Section::settle);
    }

    fn reset(&mut self) {
        for section in &mut self.0 {
            (section.x1, section.y1) = ([0.0; 2], [0.0; 2]);
        }
    }
}

/// The two paths of one way.
#[derive(Clone)]
struct Pair {
    even: Path,
    odd: Path,
    /// The left side of both beside each other, while the right is its copy; the even one may have a section more.
    beside: Vec<Section>,
    alike: bool,
}

impl Pair {
    fn new(coefficients: &[f64]) -> Self {
        let every_second = |from: usize| coefficients.iter().copied().skip(from).step_by(2);
        let beside = coefficients.chunks_exact(2).map(|a| Section { a: [a[0], a[1]], ..Section::default() }).collect();
        Self { even: Path::new(every_second(0)), odd: Path::new(every_second(1)), beside, alike: true }
    }

    /// Both paths, of one side each: what each makes of its own.
    #[inline]
    fn next_alike(&mut self, x: Frame) -> Frame {
        let [even, odd] = self.beside.iter_mut().fold(x, |x, section| section.next(x));
        match self.even.0[self.beside.len()..].first_mut() {
            Some(more) => [more.next([even; 2])[0], odd],
            None => [even, odd],
        }
    }

    /// Sees whether frames are alike; where they are not any more, each side goes on from what the left has held.
    fn look_at(&mut self, frames: &[Frame]) {
        if self.alike && !frames.iter().all(|[left, right]| left == right) {
            self.alike = false;
            for ((even, odd), both) in self.even.0.iter_mut().zip(&mut self.odd.0).zip(&self.beside) {
                (even.x1, even.y1) = ([both.x1[0]; 2], [both.y1[0]; 2]);
                (odd.x1, odd.y1) = ([both.x1[1]; 2], [both.y1[1]; 2]);
            }
        }
    }

    fn settle(&mut self) {
        self.even.settle();
        self.odd.settle();
        self.beside.iter_mut().for_each(Section::settle);
    }

    fn reset(&mut self) {
        self.even.reset();
        self.odd.reset();
        for section in &mut self.beside {
            (section.x1, section.y1) = ([0.0; 2], [0.0; 2]);
        }
        self.alike = true;
    }
}

/// The stage, running both ways.
#[derive(Clone)]
pub(super) struct MinimumStage {
    up: Pair,
    down: Pair,
    /// The second frame of the last pair on the way down.
    last: Frame,
}

impl MinimumStage {
    pub(super) fn new(transition: f64) -> Self {
        let coefficients = coefficients(transition);
        Self { up: Pair::new(&coefficients), down: Pair::new(&coefficients), last: [0.0; 2] }
    }

    pub(super) fn reset(&mut self) {
        self.up.reset();
        self.down.reset();
        self.last = [0.0; 2];
    }

    pub(super) fn up(&mut self, low: &[Frame], high: &mut [Frame]) {
        self.up.look_at(low);
        if self.up.alike {
            for ([x, _], pair) in low.iter().zip(high.chunks_exact_mut(2)) {
                let [even, odd] = self.up.next_alike([*x; 2]);
                (pair[0], pair[1]) = ([even; 2], [odd; 2]);
            }
        } else {
            for (x, pair) in low.iter().zip(high.chunks_exact_mut(2)) {
                pair[0] = self.up.even.next(*x);
                pair[1] = self.up.odd.next(*x);
            }
        }
        self.up.settle();
    }

    pub(super) fn down(&mut self, high: &[Frame], low: &mut [Frame]) {
        self.down.look_at(high);
        if self.down.alike {
            for (pair, out) in high.chunks_exact(2).zip(low) {
                let [a, b] = self.down.next_alike([pair[0][0], self.last[0]]);
                self.last = pair[1];
                *out = [0.5 * (a + b); 2];
            }
        } else {
            for (pair, out) in high.chunks_exact(2).zip(low) {
                let a = self.down.even.next(pair[0]);
                let b = self.down.odd.next(self.last);
                self.last = pair[1];
                *out = [0.5 * (a[0] + b[0]), 0.5 * (a[1] + b[1])];
            }
        }
        self.down.settle();
        self.last = self.last.map(flush);
    }
}
