//! Decibels: amplitude ratios as 20 log10, powers as 10 log10.
//!
//! Dynamics convert both ways at every frame, so the two functions underneath are
//! short polynomials of our own that the compiler can run two at a time: plain
//! additions, multiplications and one division, hence the same bits everywhere.
//! Relative error below 1e-13, checked against the standard library by a test.

use super::math::{LN_10, ROUND};

/// Level shown for silence, in dB. Nothing the program handles is quieter.
pub const FLOOR_DB: f64 = -200.0;

/// Amplitude factor of `db` decibels; 0 dB is 1.0. Held within +-6000 dB.
#[inline]
#[must_use]
pub fn db_to_gain(db: f64) -> f64 {
    exp2(db.clamp(-6000.0, 6000.0) * (LN_10 / 20.0 * core::f64::consts::LOG2_E))
}

/// Decibels of an amplitude factor, not below [`FLOOR_DB`].
#[inline]
#[must_use]
pub fn gain_to_db(gain: f64) -> f64 {
    let magnitude = gain.abs();
    if magnitude <= 1e-10 { FLOOR_DB } else { ln(magnitude) * (20.0 / LN_10) }
}

/// Decibels of a power, not below [`FLOOR_DB`].
#[inline]
#[must_use]
pub fn power_to_db(power: f64) -> f64 {
    if power <= 1e-20 { FLOOR_DB } else { ln(power) * (10.0 / LN_10) }
}

/// Natural logarithm of a positive, normal number.
///
/// `x = 2^e m` with `m` between the square roots of 1/2 and 2; then
/// `ln m = 2 artanh t`, `t = (m - 1) / (m + 1)`, `|t| < 0.172`, as its odd series to
/// `t^15` (what is left out is below 2 t^17 / 17 < 2e-14).
#[inline]
fn ln(x: f64) -> f64 {
    const MANTISSA: u64 = (1 << 52) - 1;
    /// Bits of the square root of 1/2: adding their distance to 1 rounds the exponent.
    const HALF_ROOT: u64 = 0x3FE6_A09E_667F_3BCD;
    let shifted = x.to_bits().wrapping_sub(HALF_ROOT);
    let exponent = (shifted as i64 >> 52) as f64;
    let m = f64::from_bits((shifted & MANTISSA).wrapping_add(HALF_ROOT));
    let t = (m - 1.0) / (m + 1.0);
    let u = t * t;
    let (u2, u4) = (u * u, u * u * (u * u));
    let low = (1.0 + u * (1.0 / 3.0)) + u2 * (1.0 / 5.0 + u * (1.0 / 7.0));
    let high = (1.0 / 9.0 + u * (1.0 / 11.0)) + u2 * (1.0 / 13.0 + u * (1.0 / 15.0));
    exponent * core::f64::consts::LN_2 + 2.0 * t * (low + u4 * high)
}

/// 2 to the power of `x`, for `|x| < 1020`.
///
/// `x = n + f` with `|f| <= 1/2`; `2^f` by the series of `e^y`, `y = f ln 2`, to
/// `y^11` (what is left out is below y^12 / 12! < 7e-15).
#[inline]
fn exp2(x: f64) -> f64 {
    let x = x.clamp(-1020.0, 1020.0);
    let sum = x + ROUND;
    let y = (x - (sum - ROUND)) * core::f64::consts::LN_2;
    let scale = f64::from_bits(sum.to_bits().wrapping_add(1023) << 52);
    let y2 = y * y;
    let y4 = y2 * y2;
    let a = (1.0 + y) + y2 * (1.0 / 2.0 + y * (1.0 / 6.0));
    let b = (1.0 / 24.0 + y * (1.0 / 120.0)) + y2 * (1.0 / 720.0 + y * (1.0 / 5040.0));
    let c = (1.0 / 40_320.0 + y * (1.0 / 362_880.0)) + y2 * (1.0 / 3_628_800.0 + y * (1.0 / 39_916_800.0));
    scale * (a + y4 * (b + y4 * c))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn twenty_decibels_is_a_factor_of_ten() {
        assert!((db_to_gain(20.0) - 10.0).abs() < 1e-12);
        assert!((gain_to_db(10.0) - 20.0).abs() < 1e-12);
        assert!((power_to_db(10.0) - 10.0).abs() < 1e-12);
        assert_eq!(db_to_gain(0.0), 1.0);
        assert_eq!(gain_to_db(1.0), 0.0);
    }

    #[test]
    fn both_ways_agree_with_the_standard_library() {
        for i in -200_000..=40_000 {
            let db = f64::from(i) / 1000.0;
            let want = 10f64.powf(db / 20.0);
            assert!((db_to_gain(db) / want - 1.0).abs() < 1e-13, "{db} dB");
            if db > -199.9 {
                assert!((gain_to_db(want) - 20.0 * want.log10()).abs() < 4e-13 * (1.0 + db.abs()), "{db} dB");
            }
        }
    }

    #[test]
    fn silence_reads_the_floor_and_not_minus_infinity() {
        assert_eq!(gain_to_db(0.0), FLOOR_DB);
        assert_eq!(power_to_db(0.0), FLOOR_DB);
        assert!(db_to_gain(f64::MAX).is_finite() && db_to_gain(f64::MIN) >= 0.0);
    }
}
