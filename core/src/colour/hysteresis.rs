//! A magnet that follows a field, late and never quite back: hysteresis.
//!
//! Jiles & Atherton, *Theory of Ferromagnetic Hysteresis* (1986), in units of the field at which
//! the magnet begins to fill up and of its saturation, without the coupling between domains,
//! which is small in fine powders:
//!
//! ```text
//! an(h)  = coth h - 1/h                         Langevin's curve, slope 1/3 at rest
//! m      = c an(h) + (1 - c) turned             c follows at once, the rest by turning domains
//! dturned/dh = d (an(h) - turned) / k'          k' = +-k, the sign that of the field's direction
//! d      = 1 where an - turned lies in the field's direction, else 0
//! ```
//!
//! Along the line between two samples `an` is averaged (antiderivative antialiasing of first
//! order, [`crate::signal::antiderivative`]; the antiderivative is `ln(sinh h / h)`), and the
//! domains turn by one step against that mean, `exp(-x)` taken as `1 / (1 + x + x^2 / 2)`: of second
//! order and without overshoot (an implicit step of first order is 46 dB off the equations on a tone of 440 Hz,
//! `core/tests/slow.rs`). What comes out is the mean on the way, half a sample late ([`super::bend::Straighten`] gives its top back).
//!
//! A bias oscillator keeps shaking the magnet: what it holds drifts towards the curve without
//! memory, so that in silence it comes to rest. More of it leaves less of the memory.

use std::sync::OnceLock;

use crate::signal::Frame;
use crate::signal::math::{Complex, TAU, exp, flush, log};

/// Seconds in which the shaken magnet forgets.
const FORGETS_S: f64 = 0.02;
/// Fields nearer to each other than this are taken as one: the middle point is then off by less
/// than 1e-8.
const NEAR: f64 = 1e-3;
/// Squares of fields under this are taken by the series.
const SMALL: f64 = 0.04;

/// Langevin's curve.
#[inline]
fn langevin(h: f64) -> f64 {
    let hh = h * h;
    if hh < SMALL {
        return h * (1.0 / 3.0 - hh * (1.0 / 45.0 - hh * (2.0 / 945.0 - hh / 4725.0)));
    }
    let e = exp(-2.0 * h.abs());
    ((1.0 + e) / (1.0 - e)).copysign(h) - 1.0 / h
}

/// Its antiderivative, by the formula.
fn integral_slowly(h: f64) -> f64 {
    let hh = h * h;
    if hh < SMALL {
        return hh * (1.0 / 6.0 - hh * (1.0 / 180.0 - hh * (1.0 / 2835.0 - hh / 37_800.0)));
    }
    let size = h.abs();
    size + log((1.0 - exp(-2.0 * size)) / (2.0 * size))
}

/// Points of the table to a unit of field, and how far it goes.
const POINTS_A_UNIT: f64 = 64.0;
const TABLE_TO: f64 = 24.0;

/// The antiderivative and, for the run to the next point, its slope: what a cubic through two
/// points takes (Hermite). Its error, the fourth derivative over `384 64^4`, is under 1e-11.
fn table() -> &'static [[f64; 2]] {
    static TABLE: OnceLock<Vec<[f64; 2]>> = OnceLock::new();
    TABLE.get_or_init(|| {
        let point = |i: u32| {
            let h = f64::from(i) / POINTS_A_UNIT;
            [integral_slowly(h), langevin(h) / POINTS_A_UNIT]
        };
        (0..=(TABLE_TO * POINTS_A_UNIT) as u32).map(point).collect()
    })
}

/// The antiderivative from the table.
#[inline]
fn integral(table: &[[f64; 2]], h: f64) -> f64 {
    let at = h.abs() * POINTS_A_UNIT;
    let i = at as usize;
    let Some([[f0, d0], [f1, d1]]) = table.get(i..i.saturating_add(2)).map(|two| [two[0], two[1]]) else {
        return integral_slowly(h);
    };
    let t = at - i as f64;
    let run = f1 - f0;
    f0 + t * (d0 + t * (3.0 * run - 2.0 * d0 - d1 + t * (d0 + d1 - 2.0 * run)))
}

/// How a magnet follows.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Follows {
    /// Field that turns a domain: the width of the loop.
    pub coercivity: f64,
    /// Share that follows at once and without memory, 0 to 1.
    pub reversible: f64,
}

impl Follows {
    /// Response to a soft field at a frequency in Hz: what it follows at once, and what being
    /// shaken brings it to.
    #[must_use]
    pub fn soft(&self, hz: f64) -> Complex {
        let shaken = Complex::ONE.over(Complex::new(1.0, TAU * hz * FORGETS_S));
        shaken.scale(1.0 - self.reversible).plus(Complex::new(self.reversible, 0.0))
    }
}

/// The magnets of both sides.
#[derive(Clone, Debug)]
pub struct Magnet {
    /// The last field, and the antiderivative there.
    field: Frame,
    integral: Frame,
    /// What its domains hold.
    turned: Frame,
    forgets: f64,
    table: &'static [[f64; 2]],
}

impl Magnet {
    /// At rest at a rate in Hz.
    #[must_use]
    pub fn new(rate: f64) -> Self {
        Self {
            field: [0.0; 2],
            integral: [0.0; 2],
            turned: [0.0; 2],
            forgets: 1.0 - exp(-1.0 / (FORGETS_S * rate)),
            table: table(),
        }
    }

    /// Mean magnetisation on the way to the next field, three times as much: of slope 1 for what
    /// it follows at once.
    #[inline]
    pub fn next(&mut self, field: Frame, follows: Follows) -> Frame {
        let here = field.map(|h| integral(self.table, h));
        let out = [0, 1].map(|k| {
            let run = field[k] - self.field[k];
            let rest = if run.abs() < NEAR {
                langevin(0.5 * (field[k] + self.field[k]))
            } else {
                (here[k] - self.integral[k]) / run
            };
            let before = self.turned[k];
            let towards = rest - before;
            let by = run.abs() / follows.coercivity;
            let fills = by + 0.5 * by * by;
            let turns = if towards * run > 0.0 { fills / (1.0 + fills) } else { 0.0 };
            self.turned[k] += (turns + (1.0 - turns) * self.forgets) * towards;
            let mean = 0.5 * (before + self.turned[k]);
            3.0 * (mean + follows.reversible * (rest - mean))
        });
        (self.field, self.integral) = (field, here);
        out
    }

    /// Takes what is too small to matter as zero.
    pub fn flush(&mut self) {
        self.turned = self.turned.map(flush);
    }

    /// Forgets the past.
    pub fn reset(&mut self) {
        (self.field, self.integral, self.turned) = ([0.0; 2], [0.0; 2], [0.0; 2]);
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::signal::math::sin;

    const HARD: Follows = Follows { coercivity: 0.8, reversible: 0.2 };

    #[test]
    fn langevin_is_its_formula_and_the_slope_of_its_integral_on_both_sides_of_the_series() {
        for h in [-9.0, -2.0, -0.21, -0.2, -0.19, 0.05, 0.1999, 0.2001, 1.0, 30.0f64] {
            assert!((langevin(h) - (1.0 / h.tanh() - 1.0 / h)).abs() < 1e-8, "{h}");
            let by = 1e-4;
            let slope = (integral_slowly(h + by) - integral_slowly(h - by)) / (2.0 * by);
            assert!((slope - langevin(h)).abs() < 1e-7, "{h}: {slope}");
            assert!((integral(table(), h + 0.003) - integral_slowly(h + 0.003)).abs() < 1e-10, "{h}");
        }
    }

    /// Rising and falling through zero after the loop has closed.
    fn through_zero(follows: Follows) -> [f64; 2] {
        // So fast that nothing is forgotten between two crossings.
        let mut magnet = Magnet::new(1e9);
        let mut crossings = [0.0; 2];
        for n in 0..4000 {
            let m = magnet.next([4.0 * sin(TAU * f64::from(n) / 1000.0); 2], follows)[0];
            match n {
                3000 => crossings[0] = m,
                3500 => crossings[1] = m,
                _ => {}
            }
        }
        crossings
    }

    #[test]
    fn a_loop_is_left_open_by_the_coercivity_and_closed_without_memory() {
        let [rising, falling] = through_zero(HARD);
        assert!(rising < -0.3 && (rising + falling).abs() < 0.02, "{rising} {falling}");
        let [rising, falling] = through_zero(Follows { coercivity: 0.8, reversible: 1.0 });
        // Half a step of the field is left: what comes out is the mean on the way.
        assert!(rising.abs() < 0.02 && falling.abs() < 0.02, "{rising} {falling}");
    }

    #[test]
    fn what_it_holds_in_silence_goes_in_a_fiftieth_of_a_second() {
        let mut magnet = Magnet::new(48_000.0);
        (0..200).for_each(|n| {
            magnet.next([3.0 * sin(f64::from(n) * 0.03); 2], HARD);
        });
        magnet.next([0.0; 2], HARD);
        let held = magnet.next([0.0; 2], HARD)[0];
        let after = (0..960).fold(0.0, |_, _| magnet.next([0.0; 2], HARD)[0]);
        assert!(held.abs() > 0.1 && (after / held - (-1.0f64).exp()).abs() < 0.02, "{held} {after}");
    }
}
