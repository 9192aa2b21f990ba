//! Trials: one passage through several racks, measured and compared.
//!
//! [`passage`] is what is heard, [`take`] what a rack makes of it and what it measures, [`hit`] one hit of it,
//! [`vary`] which racks are tried, [`carry`] which settings of another action come near.
//! `passage <- take <- carry`; nothing here knows where a passage comes from.

pub mod carry;
pub mod hit;
pub mod passage;
pub mod take;
pub mod vary;

pub use passage::Passage;
pub use take::{Figures, Take};
pub use vary::{Trial, Variant};
