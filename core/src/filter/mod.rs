//! Filters: analog prototypes, their matched digital sections, and what runs them.
//!
//! Design code (`analog`, `matched`, `correction`) may allocate and is called
//! when a control moves. Run code (`svf`, `svf_chain`, `fir`,
//! `convolver`) never does; `linear_phase` designs its kernels in steps while it runs.

pub mod analog;
pub mod convolver;
pub mod correction;
pub mod crossover;
pub mod equaliser;
pub mod fir;
pub mod first_order;
pub mod k_weighting;
pub mod linear_phase;
pub mod long_convolver;
pub mod matched;
pub mod svf;
pub mod svf_chain;

pub use analog::AnalogSection;
pub use crossover::{Crossover, Edges};
pub use equaliser::Equaliser;
pub use first_order::FirstOrder;
pub use k_weighting::KWeighting;
pub use linear_phase::LinearPhase;
pub use long_convolver::LongConvolver;
pub use svf::{Svf, SvfDesign};
pub use svf_chain::SvfChain;
