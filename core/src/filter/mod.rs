//! Filters: analog prototypes, their matched digital sections, and what runs them.
//!
//! Design code (`analog`, `matched`, `correction`) may allocate and is called
//! when a control moves. Run code (`section`, `chain`, `fir`,
//! `convolver`) never does; `linear_phase` designs its kernels in steps while it runs.

pub mod analog;
pub mod chain;
pub mod convolver;
pub mod correction;
pub mod fir;
pub mod k_weighting;
pub mod linear_phase;
pub mod matched;
pub mod section;

pub use analog::AnalogSection;
pub use chain::SectionChain;
pub use k_weighting::KWeighting;
pub use linear_phase::LinearPhase;
pub use section::{Section, SectionDesign};
