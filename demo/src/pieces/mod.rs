//! Other pieces than the demo's, seeded: its instruments playing other notes in other
//! keys, plain tones, noise, and something like speech; and rings to put into them. For
//! fitting and testing what is found in sound.

mod kinds;
mod take;
mod tone;

pub use kinds::{KINDS, Kind, piece};
pub use take::{Planted, Take};
