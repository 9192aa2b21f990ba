//! A release that depends on what came before.
//!
//! A stroke is let go fast; after long work a part of the reduction goes slowly, so that what
//! lies under the strokes is not pumped. A slow average of the reduction is the floor to which
//! the fast release falls.

use super::time_constant::keep;
use crate::signal::math::flush;

/// Times the typed release at which strokes are let go.
pub const FAST: f64 = 1.0 / 3.0;
/// Times the typed release over which long work is counted.
const COUNTS: f64 = 4.0;
/// Times the typed release in which it is forgotten.
const FORGETS: f64 = 5.0;
/// Share of long work that goes slowly.
const SHARE: f64 = 0.7;

/// Fastest and slowest release that can be typed, in ms.
pub const TYPED_MS: [f64; 2] = [1.0, 4000.0];

/// The floor of an automatic release.
#[derive(Clone, Copy, Debug, Default)]
pub struct AutoRelease {
    on: bool,
    /// What is kept of the average at each frame while it rises, and while it falls.
    keep: [f64; 2],
    worked: f64,
}

impl AutoRelease {
    /// Switches it, about a release in ms.
    pub fn set(&mut self, on: bool, release_ms: f64, rate: f64) {
        self.on = on;
        self.keep = [COUNTS, FORGETS].map(|times| keep(times * release_ms, rate));
    }

    /// The typed release, or the fast one where it is on.
    #[must_use]
    pub fn release_ms(on: bool, release_ms: f64) -> f64 {
        if on { FAST * release_ms } else { release_ms }
    }

    /// Below which nothing is let go fast; 0 while off.
    #[inline]
    #[must_use]
    pub fn floor(&self) -> f64 {
        if self.on { SHARE * self.worked } else { 0.0 }
    }

    /// Counts what was done in a frame.
    #[inline]
    pub fn count(&mut self, done: f64) {
        if self.on {
            self.worked = if done > self.worked {
                done * (1.0 - self.keep[0]) + self.worked * self.keep[0]
            } else {
                done.max(self.worked * self.keep[1])
            };
        }
    }

    /// Forgets the past.
    pub fn reset(&mut self) {
        self.worked = 0.0;
    }

    /// Takes what is too small to matter as zero.
    pub fn settle(&mut self) {
        self.worked = flush(self.worked);
    }
}
