//! Playing: what the browser's audio thread does.
//!
//! [`store`] holds the stretches of printed sound that have arrived,
//! [`transport`] knows where in the song we are, [`player`] runs the mix at that
//! place and reports what the page draws.

mod deck;
pub mod meters;
pub mod monitor;
pub mod player;
pub mod store;
pub mod transport;

pub use player::Player;
