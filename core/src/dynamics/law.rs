//! The static law as seen from either side of the gain: what a level at the input asks for, and
//! what a level at the output asks for in a loop whose detector hears what comes out.
//!
//! A loop that shall have the ratio `R` takes away `(R - 1)` times what its output is over the
//! threshold: with `x` over at the input and `x / R` at the output, `r = x - x / R`. So one
//! stated curve holds in both directions, and only the timing differs.

use super::curve::StaticCurve;
use crate::signal::decibel::db_to_gain;

/// Most that a loop amplifies what is over its threshold: a ratio of 1000:1.
const MOST_SLOPE: f64 = 0.999;
/// dB for each neper of power.
const DB_PER_POWER: f64 = 10.0 / core::f64::consts::LN_10;
/// Steps of Newton's method for a growing ratio: from its starting point, four give rounding.
const NEWTON: u32 = 10;

/// What a level asks for.
#[derive(Clone, Copy, Debug, PartialEq)]
pub enum Law {
    /// A straight line behind a knee.
    StaticCurve(StaticCurve),
    /// A ratio that grows with the level: the reduction follows the power by which the output is
    /// over the threshold, `scale (10^(over/10) - 1)`, as a valve's gain falls with its bias.
    Growing {
        /// Level in dBFS where it begins.
        threshold_db: f64,
        /// dB; the ratio is `1 + scale ln 10 / 10` where it begins and ten times as far from 1 where the
        /// output stands 10 dB over.
        scale_db: f64,
    },
}

impl Law {
    /// One whose ratio, from 1 to infinity (taken as 100), is reached where the output stands 10 dB
    /// over the threshold; it begins a tenth as far from 1.
    #[must_use]
    pub fn growing(threshold_db: f64, ratio: f64) -> Self {
        Self::Growing { threshold_db, scale_db: 0.1 * (ratio.min(100.0) - 1.0) * DB_PER_POWER }
    }

    /// Level in dBFS where it begins.
    #[must_use]
    pub fn threshold_db(&self) -> f64 {
        match *self {
            Self::StaticCurve(curve) => curve.threshold_db,
            Self::Growing { threshold_db, .. } => threshold_db,
        }
    }

    /// Reduction in dB (>= 0) for a level in dBFS at the input, once all has settled.
    #[inline]
    #[must_use]
    pub fn at_input(&self, level_db: f64) -> f64 {
        match *self {
            Self::StaticCurve(curve) => curve.reduction_db(level_db),
            Self::Growing { threshold_db, scale_db } => grown(level_db - threshold_db, scale_db),
        }
    }

    /// Reduction in dB (>= 0) that a level in dBFS at the output asks for.
    #[inline]
    #[must_use]
    pub fn at_output(&self, level_db: f64) -> f64 {
        self.at_output_rising(level_db).0
    }

    /// The same, and by how much it rises for each dB.
    #[inline]
    #[must_use]
    pub fn at_output_rising(&self, level_db: f64) -> (f64, f64) {
        match *self {
            Self::StaticCurve(curve) => of_output(&curve, level_db - curve.threshold_db),
            Self::Growing { threshold_db, scale_db } => {
                // Beyond any level that is heard, only finite.
                let over = (level_db - threshold_db).min(200.0);
                if over <= 0.0 {
                    return (0.0, 0.0);
                }
                let power = db_to_gain(2.0 * over);
                (scale_db * (power - 1.0), scale_db * power / DB_PER_POWER)
            }
        }
    }

    /// The power at the input below which nothing is ever reduced.
    #[must_use]
    pub fn floor_power(&self) -> f64 {
        match *self {
            Self::StaticCurve(curve) => curve.floor_power(),
            Self::Growing { threshold_db, .. } => db_to_gain(2.0 * threshold_db),
        }
    }
}

/// Solves `out + scale (10^(out/10) - 1) = over` for the reduction `over - out`.
fn grown(over: f64, scale_db: f64) -> f64 {
    if over <= 0.0 {
        return 0.0;
    }
    // From above the root of a convex function each step stays above it. Above it are both the
    // whole excess and where the exponential alone has it.
    let alone = if scale_db > 0.0 {
        10.0 * crate::signal::math::log(1.0 + over / scale_db) / core::f64::consts::LN_10
    } else {
        over
    };
    let mut out = over.min(alone);
    for _ in 0..NEWTON {
        let power = db_to_gain(2.0 * out);
        let slope = 1.0 + scale_db * power / DB_PER_POWER;
        out -= (out + scale_db * (power - 1.0) - over) / slope;
    }
    (over - out).max(0.0)
}

/// The inverse of the knee: with `u` the input's way into the knee and `y = u - s u^2 / (2 W)` the
/// output's, `u = (1 - sqrt(1 - 2 s y / W)) W / s`.
fn of_output(curve: &StaticCurve, over: f64) -> (f64, f64) {
    let (slope, knee) = (curve.slope.min(MOST_SLOPE), curve.knee_db);
    let into = over + knee / 2.0;
    if into <= 0.0 || slope <= 0.0 {
        (0.0, 0.0)
    } else if into < knee - slope * knee / 2.0 {
        // What does not hang on the level is divided first: no loop waits for it.
        let root = (1.0 - into * (2.0 * slope / knee)).max(0.0).sqrt();
        ((1.0 - root) * (knee / slope) - into, 1.0 / root.max(1.0 - MOST_SLOPE) - 1.0)
    } else {
        let steep = slope / (1.0 - slope);
        (steep * over, steep)
    }
}

/// What a loop does if its reduction were so and so much.
#[derive(Clone, Copy, Debug)]
pub struct Followed<T> {
    /// Reduction in dB that comes of it.
    pub reduction_db: f64,
    /// By how much that changes with it, never above 0.
    pub slope: f64,
    /// What whoever asks wants to know of it.
    pub state: T,
}

/// Finds the reduction `r` of a loop with `follow(r) = r`, and gives its state there. `near` is
/// where it is looked for first: the reduction of the frame before.
///
/// `follow(r) - r` falls at least as fast as `r` rises, so that what it is at `near` is as far as the
/// solution can be. Between those ends by Newton's method, halving where it would leave them.
#[inline]
pub fn settled<T: Copy>(near: f64, follow: impl Fn(f64) -> Followed<T>) -> T {
    /// dB between what is found and what is right.
    const NEAR_DB: f64 = 1e-6;
    let mut at = near;
    let mut found = follow(at);
    let mut off = found.reduction_db - at;
    let (mut low, mut high) = if off > 0.0 { (near, near + off) } else { (near + off, near) };
    for _ in 0..40 {
        if off.abs() <= NEAR_DB {
            break;
        }
        if off > 0.0 {
            low = at
        } else {
            high = at
        }
        let next = at + off / (1.0 - found.slope);
        at = if next >= low && next <= high { next } else { 0.5 * (low + high) };
        found = follow(at);
        off = found.reduction_db - at;
    }
    found.state
}

#[cfg(test)]
mod tests {
    use super::*;

    fn laws() -> Vec<Law> {
        vec![
            Law::StaticCurve(StaticCurve::new(-20.0, 2.0, 0.0)),
            Law::StaticCurve(StaticCurve::new(-30.0, 4.0, 12.0)),
            Law::StaticCurve(StaticCurve::new(-24.0, 20.0, 30.0)),
            Law::growing(-30.0, 1.5),
            Law::growing(-20.0, 4.0),
        ]
    }

    #[test]
    fn what_the_output_asks_for_is_what_its_input_asked_for() {
        for law in laws() {
            for level in -500..=100 {
                let level = f64::from(level) / 10.0;
                let taken = law.at_input(level);
                let again = law.at_output(level - taken);
                assert!((taken - again).abs() < 1e-6, "{law:?} at {level}: {taken} and {again}");
            }
        }
    }

    #[test]
    fn a_growing_ratio_begins_as_stated_and_passes_10_to_1() {
        let law = Law::growing(-40.0, 6.0);
        let ratio = |level: f64| 0.2 / (0.2 - (law.at_input(level + 0.1) - law.at_input(level - 0.1)));
        assert!((ratio(-39.89) - 1.5).abs() < 0.03, "{}", ratio(-39.89));
        let along: Vec<f64> = (0..60).map(|n| ratio(-39.5 + f64::from(n))).collect();
        assert!(along.windows(2).all(|pair| pair[1] > pair[0]), "it grows all the way");
        // 1 + 0.5 10^(out/10) = 10 where the output is 12.55 dB over, the input 12.55 + 2.171 * 17 = 49.5.
        assert!((ratio(9.46) - 10.0).abs() < 0.1, "{}", ratio(9.46));
    }

    #[test]
    fn a_loop_settles_where_following_changes_nothing() {
        for law in laws() {
            for level in [-60.0, -20.0, -6.0, 0.0, 12.0] {
                for near in [0.0, 3.0, 40.0] {
                    let found = settled(near, |r| {
                        let (reduction_db, rises) = law.at_output_rising(level - r);
                        Followed { reduction_db, slope: -rises, state: r }
                    });
                    assert!((found - law.at_input(level)).abs() < 1e-5, "{law:?} at {level} from {near}: {found}");
                }
            }
        }
        let still = |r: f64| Followed { reduction_db: 3.0, slope: 0.0, state: r };
        assert_eq!(settled(1.0, still), 3.0);
    }
}
