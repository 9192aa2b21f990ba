//! What a gain element adds to the sound it turns down.
//!
//! Two bends beside the straight path, so that where they are small nothing else changes: an odd
//! one that rounds both sides, `z^3 / (1 + z^2)^1.5` (3rd overtone, 2 dB for each dB while soft),
//! and an even one that leans, `z^2 (3 + z^2) / (3 (1 + z^2)^2)` (2nd overtone, 1 dB for each dB).
//! Both stay within 1. Averaged along the line between two samples
//! ([`crate::signal::antiderivative`]), which leaves the straight path as it is; the constant
//! that the even one makes is taken out of what is added. What is bent has lost its top
//! ([`BENDS_TO_HZ`]): at the base rate products of the highest octaves would fold back.

use super::character::CONSTANT_HZ;
use crate::filter::FirstOrder;
use crate::signal::Frame;
use crate::signal::antiderivative::NEAR;

/// How much of each is added, of a sound at the operating level.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Added {
    /// Of the odd bend, taken away: it rounds.
    pub odd: f64,
    /// Of the even bend.
    pub even: f64,
}

impl Added {
    /// Nothing.
    pub const NONE: Self = Self { odd: 0.0, even: 0.0 };
}

/// What an element adds at rest, and what more of it the further it is from its rest.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Element {
    rest: Added,
    deep: Added,
}

/// Reduction in dB at which an element is half way to its deepest.
const HALF_DEEP_DB: f64 = 10.0;

impl Element {
    /// One that adds nothing.
    pub const NONE: Self = Self { rest: Added::NONE, deep: Added::NONE };

    /// That of an action ([`crate::dynamics::Action`]) by its name.
    #[must_use]
    pub fn of(action: &str) -> Self {
        let element = |rest: [f64; 2], deep: [f64; 2]| Self {
            rest: Added { odd: rest[0], even: rest[1] },
            deep: Added { odd: deep[0], even: deep[1] },
        };
        match action {
            // Slight and odd.
            "vca" => element([0.006, 0.0], [0.0, 0.0]),
            // Rounds with drive; the channel is no straight resistor, so it leans while it works.
            "fet" => element([0.06, 0.0], [0.1, 0.04]),
            // The cell is straight; the stage behind it leans a little.
            "opto" => element([0.004, 0.012], [0.0, 0.0]),
            // A pair: even overtones all but cancel, the third grows as the bias goes down.
            "vari-mu" => element([0.02, 0.001], [0.12, 0.0]),
            _ => Self::NONE,
        }
    }

    /// The same, so many times as much.
    #[must_use]
    pub fn times(self, times: f64) -> Self {
        let more = |added: Added| Added { odd: added.odd * times, even: added.even * times };
        Self { rest: more(self.rest), deep: more(self.deep) }
    }

    /// What it adds while it takes away `reduction_db`.
    #[inline]
    #[must_use]
    pub fn at(&self, reduction_db: f64) -> Added {
        let share = reduction_db / (reduction_db + HALF_DEEP_DB);
        Added { odd: self.rest.odd + share * self.deep.odd, even: self.rest.even + share * self.deep.even }
    }
}

fn odd(z: f64) -> f64 {
    let root = (1.0 + z * z).sqrt();
    z * z * z / (root * root * root)
}

fn even(z: f64) -> f64 {
    let square = z * z;
    square * (3.0 + square) / (3.0 * (1.0 + square) * (1.0 + square))
}

/// Antiderivatives of both, which share what is dear: `(z^2 + 2) / sqrt(1 + z^2)` and
/// `z^3 / (3 (1 + z^2))`.
fn integrals(z: f64) -> Integrals {
    let square = 1.0 + z * z;
    let part = 1.0 / square;
    Integrals { odd: (square + 1.0) * square.sqrt() * part, even: (1.0 / 3.0) * z * (z * z) * part }
}

#[derive(Clone, Copy, Debug)]
struct Integrals {
    odd: f64,
    even: f64,
}

/// Both bends of one side, averaged along the way from the sample before.
#[derive(Clone, Copy, Debug)]
struct Bends {
    last: f64,
    integrals: Integrals,
}

impl Bends {
    fn new() -> Self {
        Self { last: 0.0, integrals: integrals(0.0) }
    }

    /// What is added at the next value.
    #[inline]
    fn next(&mut self, z: f64, added: Added) -> f64 {
        let (before, here, run) = (self.integrals, integrals(z), z - self.last);
        let y = if run.abs() < NEAR {
            let middle = 0.5 * (z + self.last);
            added.even * even(middle) - added.odd * odd(middle)
        } else {
            (added.even * (here.even - before.even) - added.odd * (here.odd - before.odd)) / run
        };
        *self = Self { last: z, integrals: here };
        y
    }
}

/// Above this, in Hz, an element bends less and less: its own capacity bridges it.
const BENDS_TO_HZ: f64 = 3500.0;

/// The running element of both sides.
#[derive(Clone)]
pub struct GainElement {
    before: FirstOrder,
    bends: [Bends; 2],
    constant: FirstOrder,
}

impl GainElement {
    /// At rest at a rate in Hz.
    #[must_use]
    pub fn new(rate: f64) -> Self {
        let before = FirstOrder::low_pass(BENDS_TO_HZ, rate);
        Self { before, bends: [Bends::new(); 2], constant: FirstOrder::high_pass(CONSTANT_HZ, rate) }
    }

    /// Forgets the past.
    pub fn reset(&mut self) {
        self.before.reset();
        self.bends = [Bends::new(); 2];
        self.constant.reset();
    }

    /// A frame with what is added to it; `level` is the factor that brings the operating level
    /// to where the bends are stated.
    #[inline]
    pub fn next(&mut self, frame: Frame, added: [Added; 2], level: f64) -> Frame {
        let back = 1.0 / level;
        let low = self.before.next(frame.map(|x| x * level));
        let bent = [0, 1].map(|side| self.bends[side].next(low[side], added[side]) * back);
        let bent = self.constant.next(bent);
        [frame[0] + bent[0], frame[1] + bent[1]]
    }

    /// Takes what is too small to matter as zero.
    pub fn flush(&mut self) {
        self.before.flush();
        self.constant.flush();
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::signal::math::{TAU, sin};

    /// Level in dB of an overtone of a tone of 480 Hz against the tone.
    fn overtone_db(added: Added, level: f64, number: usize) -> f64 {
        let mut element = GainElement::new(48_000.0);
        let mut out = Vec::new();
        for n in 0..48_000 {
            let x = level * sin(TAU * 480.0 * f64::from(n) / 48_000.0);
            out.push(element.next([x; 2], [added; 2], 1.0)[0]);
        }
        let line = |number: usize| {
            let angle = |n: usize| TAU * ((n * number) % 100) as f64 / 100.0;
            let (re, im) = out[24_000..]
                .iter()
                .enumerate()
                .fold((0.0, 0.0), |(re, im), (n, x)| (re + x * angle(n).cos(), im + x * angle(n).sin()));
            f64::hypot(re, im)
        };
        20.0 * (line(number) / line(1)).log10()
    }

    #[test]
    fn soft_overtones_are_those_of_the_square_and_the_cube() {
        // z^2 has its 2nd at half, z^3 its 3rd at a quarter of the power of the level.
        for level in [0.05, 0.1] {
            let even = overtone_db(Added { odd: 0.0, even: 0.1 }, level, 2);
            assert!((even - 20.0 * (0.1 * level / 2.0).log10()).abs() < 0.4, "{even}");
            let odd = overtone_db(Added { odd: 0.1, even: 0.0 }, level, 3);
            assert!((odd - 20.0 * (0.1 * level * level / 4.0).log10()).abs() < 0.5, "{odd}");
        }
    }

    #[test]
    fn each_bend_is_the_slope_of_its_integral() {
        for i in -60..60 {
            let (z, by) = (f64::from(i) * 0.13, 1e-5);
            let (above, below) = (integrals(z + by), integrals(z - by));
            for (bend, gained) in [(odd(z), above.odd - below.odd), (even(z), above.even - below.even)] {
                assert!((gained / (2.0 * by) - bend).abs() < 1e-8 && bend.abs() <= 1.0, "at {z}");
            }
        }
    }

    #[test]
    fn nothing_added_is_the_sound_itself() {
        let mut element = GainElement::new(48_000.0);
        for n in 0..500 {
            let frame = [sin(0.3 * f64::from(n)), 1e6];
            assert_eq!(element.next(frame, [Added::NONE; 2], 1.0), frame);
        }
    }
}
