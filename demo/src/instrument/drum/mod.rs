//! Drums and cymbals.

mod cymbal;
mod kick;
mod snare;

pub use cymbal::{plate, shaker};
pub use kick::kick;
pub use snare::{RING_HZ, SHELL_HZ, snare};
