//! A time in milliseconds as what one frame keeps.

use crate::signal::math::exp;

/// What is kept of a distance after a frame where 63.2 % of it is covered in `ms`; 0 for at once.
#[must_use]
pub fn keep(ms: f64, rate: f64) -> f64 {
    if ms <= 0.0 { 0.0 } else { exp(-1000.0 / (ms * rate)) }
}
