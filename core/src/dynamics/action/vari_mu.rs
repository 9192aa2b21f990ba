//! `vari-mu`: a valve whose amplification falls as its bias grows.
//!
//! In a remote-cutoff valve transconductance falls exponentially with grid bias, so that decibels
//! of gain follow the rectified output (Langford-Smith, *Radiotron Designer's Handbook*, 4th ed.,
//! ch. 27): the law of [`Law::growing`](crate::dynamics::law::Law::growing), whose ratio begins
//! near 1, is the typed one 10 dB over the threshold at the output, and grows on. The bias is held
//! by a capacitor that cannot be charged faster than in half a millisecond, and is let go in 0.3 to
//! 15 s, however short the typed release.

use super::asked::{Asked, Times, Topology};
use super::clean::Clean;
use crate::dynamics::release::TYPED_MS;
use crate::signal::BLOCK;
use crate::signal::math::{log, pow};

/// Fastest and slowest attack in ms.
pub const ATTACK_MS: [f64; 2] = [0.5, 50.0];
/// Fastest and slowest release in ms.
pub const RELEASE_MS: [f64; 2] = [300.0, 15_000.0];

/// The typed release runs over its own range, in equal ratios for equal ratios.
fn own_release_ms(typed_ms: f64) -> f64 {
    let [fastest, slowest] = TYPED_MS;
    let share = (log(typed_ms / fastest) / log(slowest / fastest)).clamp(0.0, 1.0);
    RELEASE_MS[0] * pow(RELEASE_MS[1] / RELEASE_MS[0], share)
}

/// The running loop.
#[derive(Clone, Copy, Debug)]
pub struct VariMu {
    capacitor: Clean,
}

fn within(times: Times) -> Times {
    Times {
        attack_ms: times.attack_ms.clamp(ATTACK_MS[0], ATTACK_MS[1]),
        release_ms: own_release_ms(times.release_ms),
        ..times
    }
}

impl VariMu {
    /// At rest.
    pub fn new(times: Times, rate: f64) -> Self {
        Self { capacitor: Clean::new(within(times), rate) }
    }

    /// Changes the times.
    pub fn set(&mut self, times: Times, rate: f64) {
        self.capacitor.set(within(times), rate);
    }

    /// Ends its glides.
    pub fn snap(&mut self) {
        self.capacitor.snap();
    }

    /// Forgets the past.
    pub fn reset(&mut self) {
        self.capacitor.reset();
    }

    /// Reduction for each power of a block.
    pub fn run(&mut self, powers: &[f64; BLOCK], asked: &Asked, topology: Topology) -> [f64; BLOCK] {
        self.capacitor.run(powers, asked, topology)
    }
}
