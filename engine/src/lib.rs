//! The C-ABI face of `zinc-core` for the browser.
//!
//! Two users load this module. The **audio thread** makes a player
//! ([`player`]) and asks it for blocks. The **page** asks questions
//! ([`ask`]): curves to draw, typed values to read. Nothing is computed here.
//!
//! Calls pass pointers into the module's own memory: the caller reserves with
//! [`zr_reserve`], writes, calls, and gives back with [`zr_release`]. Texts are
//! UTF-8. Answers longer than a number lie where [`zr_answer`] points until the
//! next call.
//!
//! Safety, for every function here: pointers come from this module (`zr_reserve`,
//! `zr_player_new`, `zr_rack_new`) with the length they were made with, and the
//! module is used by one thread at a time, as WebAssembly without shared memory is.
#![warn(missing_docs)]
#![allow(clippy::missing_safety_doc)] // one contract for all, stated above

pub mod ask;
mod lanes;
pub mod memory;
pub mod player;
pub mod rack;
pub mod sounds;
mod window;
