//! The demo session: the song "Copper Bell, Slow Tide" by the invented group
//! Almanac for Tin, synthesised from nothing, with faults planted to be found.
//!
//! [`song`] is the piece (bars, chords, sections), [`instrument`] holds the
//! sound models, [`stems`] lets each player play its part and plants the faults,
//! [`sessions`] makes the two sessions that show them. Everything is seeded: the
//! same bits every time.
#![forbid(unsafe_code)]

pub mod cards;
pub mod instrument;
pub mod pieces;
pub mod player;
pub mod recorded;
pub mod sessions;
pub mod song;
pub mod stems;
pub mod tools;
pub mod variations;

pub use stems::{STEMS, Stem, StemAudio};
