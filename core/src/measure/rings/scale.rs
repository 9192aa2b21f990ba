//! The scale the search is ruled on: steps of 1/96 of an octave, as fine as an ear tells
//! two tones apart, so that a resonance of a given Q has the same shape everywhere.

use crate::signal::math::{log, pow};

/// Steps in an octave.
pub(super) const PER_OCTAVE: f64 = 96.0;
/// Frequency of step 0 in Hz.
const FIRST_HZ: f64 = 45.0;
/// Steps searched: up to 9 kHz.
pub(super) const STEPS: usize = 733;

/// Frequency in Hz of a step, which may lie between two or outside those searched.
pub(super) fn hz_at(step: f64) -> f64 {
    FIRST_HZ * pow(2.0, step / PER_OCTAVE)
}

/// The step of a frequency in Hz, the inverse of [`hz_at`].
pub(super) fn step_at(hz: f64) -> f64 {
    PER_OCTAVE * log(hz / FIRST_HZ) / core::f64::consts::LN_2
}

/// Value below which `share` of the values lie.
pub(super) fn quantile(values: &mut [f32], share: f64) -> f32 {
    let at = ((values.len() - 1) as f64 * share) as usize;
    *values.select_nth_unstable_by(at, f32::total_cmp).1
}
