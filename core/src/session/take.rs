//! Two recordings of one performance as one sound: how the faders share it.
//!
//! Such recordings add in amplitude, so the sum of the two gains is what is kept while
//! the share moves from one to the other.

use super::controls::OFF_DB;
use crate::signal::decibel::{db_to_gain, gain_to_db};
use crate::unit::param::{Param, Quantity, Taper, number};

/// Highest level of a fader in dB, as in the strip's table.
const HIGHEST_DB: f64 = 12.0;

/// The control a pair has.
pub const TAKE: &[Param] = &[Param::new(
    "share",
    "ratio",
    "How much of the second recording; both together keep their level.",
    number(0.0, 1.0, 0.5, 0.01, Taper::Linear, Quantity::Percent),
)];

/// Gain of a fader; none at and below the off position.
fn gain(db: f64) -> f64 {
    if db <= OFF_DB { 0.0 } else { db_to_gain(db) }
}

/// Share of the second recording in both, 0 to 1; one half where both are off.
#[must_use]
pub fn share(first_db: f64, second_db: f64) -> f64 {
    let (first, second) = (gain(first_db), gain(second_db));
    if first + second > 0.0 { second / (first + second) } else { 0.5 }
}

/// Both faders in dB for another share of the second, keeping the sum of their gains as
/// far as the faders reach.
#[must_use]
pub fn levels(first_db: f64, second_db: f64, share: f64) -> [f64; 2] {
    let sum = gain(first_db) + gain(second_db);
    let share = share.clamp(0.0, 1.0);
    [sum * (1.0 - share), sum * share].map(|gain| gain_to_db(gain).clamp(OFF_DB, HIGHEST_DB))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_sum_of_both_stays_while_the_share_moves() {
        // Two faders at 0 dB: gains 1 + 1; a quarter of 2 is 0.5, three quarters 1.5.
        let [first, second] = levels(0.0, 0.0, 0.25);
        assert!((first - 20.0 * 1.5f64.log10()).abs() < 1e-9, "{first}");
        assert!((second + 6.020_599_913).abs() < 1e-6, "{second}");
        assert!((share(first, second) - 0.25).abs() < 1e-9);
    }

    #[test]
    fn at_the_ends_one_is_off_and_the_other_carries_all() {
        let [first, second] = levels(-6.020_599_913, -6.020_599_913, 1.0);
        assert_eq!(first, OFF_DB);
        assert!(second.abs() < 1e-6, "{second}");
        assert_eq!(share(OFF_DB, -3.0), 1.0);
        assert_eq!(share(OFF_DB, OFF_DB), 0.5);
    }
}
