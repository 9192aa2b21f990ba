//! How a gain is controlled: the ways from a level to a reduction.
//!
//! Each file is one control loop: where its detector sits, what bends its timing, how its ratio
//! follows the level. [`Clean`] does what the figures say; the others are models of circuits, by
//! the published theory their files cite. All take powers and give dB of reduction.

mod asked;
mod clean;
mod fet;
mod opto;
mod vari_mu;
mod vca;

use super::curve::StaticCurve;
use super::law::Law;
use crate::signal::BLOCK;
pub use asked::{Asked, Times, Topology};
use clean::Clean;
pub use fet::ATTACK_MS as FET_ATTACK_MS;
use fet::Fet;
use opto::Opto;
pub use vari_mu::ATTACK_MS as VARI_MU_ATTACK_MS;
use vari_mu::VariMu;
use vca::Vca;

/// A running control loop of one channel.
#[derive(Clone, Copy, Debug)]
pub enum Action {
    /// Exactly as the figures say.
    Clean(Clean),
    /// A detector in decibels of the mean square.
    Vca(Vca),
    /// A fast loop about a transistor in a divider.
    Fet(Fet),
    /// A lamp and a cell with memory.
    Opto(Opto),
    /// A valve whose gain falls with its bias.
    VariMu(VariMu),
}

impl Action {
    /// The loop of this name, at rest; `clean` for one that is not known.
    #[must_use]
    pub fn new(name: &str, times: Times, rate: f64) -> Self {
        match name {
            "vca" => Self::Vca(Vca::new(times, rate)),
            "fet" => Self::Fet(Fet::new(times, rate)),
            "opto" => Self::Opto(Opto::new(rate)),
            "vari-mu" => Self::VariMu(VariMu::new(times, rate)),
            _ => Self::Clean(Clean::new(times, rate)),
        }
    }

    /// Its name.
    #[must_use]
    pub fn name(&self) -> &'static str {
        match self {
            Self::Clean(_) => "clean",
            Self::Vca(_) => "vca",
            Self::Fet(_) => "fet",
            Self::Opto(_) => "opto",
            Self::VariMu(_) => "vari-mu",
        }
    }

    /// The static law of a loop for a threshold, a ratio and a knee as they are typed.
    #[must_use]
    pub fn law(name: &str, threshold_db: f64, ratio: f64, knee_db: f64) -> Law {
        match name {
            "opto" => opto::law(threshold_db, ratio),
            "vari-mu" => Law::growing(threshold_db, ratio),
            _ => Law::StaticCurve(StaticCurve::new(threshold_db, ratio, knee_db)),
        }
    }

    /// Where a loop's own detector listens.
    #[must_use]
    pub fn own_topology(name: &str) -> Topology {
        if matches!(name, "fet" | "opto" | "vari-mu") { Topology::Feedback } else { Topology::Forward }
    }

    /// Changes the times without a jump.
    pub fn set(&mut self, times: Times, rate: f64) {
        match self {
            Self::Clean(action) => action.set(times, rate),
            Self::Vca(action) => action.set(times, rate),
            Self::Fet(action) => action.set(times, rate),
            Self::Opto(_) => {}
            Self::VariMu(action) => action.set(times, rate),
        }
    }

    /// Reduction in dB for each frame of a block of powers.
    pub fn run(&mut self, powers: &[f64; BLOCK], asked: &Asked, topology: Topology) -> [f64; BLOCK] {
        match self {
            Self::Clean(action) => action.run(powers, asked, topology),
            Self::Vca(action) => action.run(powers, asked, topology),
            Self::Fet(action) => action.run(powers, asked, topology),
            Self::Opto(action) => action.run(powers, asked, topology),
            Self::VariMu(action) => action.run(powers, asked, topology),
        }
    }

    /// Ends its glides.
    pub fn snap(&mut self) {
        match self {
            Self::Clean(action) => action.snap(),
            Self::VariMu(action) => action.snap(),
            Self::Vca(_) | Self::Fet(_) | Self::Opto(_) => {}
        }
    }

    /// Forgets the past.
    pub fn reset(&mut self) {
        match self {
            Self::Clean(action) => action.reset(),
            Self::Vca(action) => action.reset(),
            Self::Fet(action) => action.reset(),
            Self::Opto(action) => action.reset(),
            Self::VariMu(action) => action.reset(),
        }
    }
}
