//! Moments at which one region stands far above its usual level: a pluck among bowed notes, a
//! boomy strum, a squeak.
//!
//! The sound is looked at in moments of 85 ms by third octaves. A region's usual level is the one
//! it stays under for nine tenths of the time the part sounds, or that its neighbours stay under: a
//! note that is seldom played is no event. Where it rises well over that, and further than many
//! other regions do, is an event; moments and regions that touch are one. [`region`] looks in one that
//! somebody has named.

mod meter;
mod region;

pub use meter::{Event, EventMeter};
pub use region::EDGES_HZ;
