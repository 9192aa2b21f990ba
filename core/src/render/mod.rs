//! From a session to sound.
//!
//! A [`plan`] says what is summed where and which racks run; a [`mixer`] runs a
//! plan block by block. The page plays and the server prints with the same two,
//! which is why what is printed is what was heard. [`offline`] runs a plan over
//! a whole song; [`length`] says how long that is.

mod fader;
pub mod graph;
mod input;
pub mod length;
pub mod mixer;
mod node;
pub mod offline;
mod parts;
pub mod plan;

pub use fader::fader_gain;
pub use length::Length;
pub use mixer::Mixer;
pub use plan::{Plan, Source, View};
