//! Decibels: amplitude ratios as 20 log10, powers as 10 log10.

use super::math::{LN_10, exp, log};

/// Level shown for silence, in dB. Nothing the program handles is quieter.
pub const FLOOR_DB: f64 = -200.0;

/// Amplitude factor of `db` decibels; 0 dB is 1.0.
#[inline]
#[must_use]
pub fn db_to_gain(db: f64) -> f64 {
    exp(db * (LN_10 / 20.0))
}

/// Decibels of an amplitude factor, not below [`FLOOR_DB`].
#[inline]
#[must_use]
pub fn gain_to_db(gain: f64) -> f64 {
    let magnitude = gain.abs();
    if magnitude <= 1e-10 { FLOOR_DB } else { log(magnitude) * (20.0 / LN_10) }
}

/// Decibels of a power, not below [`FLOOR_DB`].
#[inline]
#[must_use]
pub fn power_to_db(power: f64) -> f64 {
    if power <= 1e-20 { FLOOR_DB } else { log(power) * (10.0 / LN_10) }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn twenty_decibels_is_a_factor_of_ten() {
        assert!((db_to_gain(20.0) - 10.0).abs() < 1e-12);
        assert!((gain_to_db(10.0) - 20.0).abs() < 1e-12);
        assert!((power_to_db(10.0) - 10.0).abs() < 1e-12);
    }

    #[test]
    fn silence_reads_the_floor_and_not_minus_infinity() {
        assert_eq!(gain_to_db(0.0), FLOOR_DB);
        assert_eq!(power_to_db(0.0), FLOOR_DB);
    }
}
