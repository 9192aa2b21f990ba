//! Filters: analog prototypes, their matched digital sections, and what runs them.
//!
//! Design code (`analog`, `matched`, `correction`) may allocate and is called
//! when a control moves. Run code (`section`, `chain`, `fir`) never does.

pub mod analog;
pub mod chain;
pub mod correction;
pub mod fir;
pub mod matched;
pub mod section;

pub use analog::AnalogSection;
pub use chain::SectionChain;
pub use section::{Section, SectionDesign};
