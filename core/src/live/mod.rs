//! Playing: what the browser's audio thread does.
//!
//! [`store`] holds the stretches of printed sound that have arrived,
//! [`transport`] knows where in the song we are, a playhead what of it is heard, a deck is a
//! mix with what it reads, sides are the decks of a comparison, [`player`] runs them at that
//! place and fills a [`report`] of what the page draws, and [`warm`] does beforehand what must not hold it up.

mod deck;
pub mod meters;
pub mod monitor;
pub mod player;
mod playhead;
pub mod report;
pub mod setup;
mod sides;
pub mod store;
pub mod transport;
pub mod warm;
mod wire;

pub use player::Player;
pub use report::Report;
