//! Proposals and checks computed from measurements, each with its reason in words and
//! figures. Nothing here changes anything: what is proposed are ordinary units and bands.
//!
//! [`curve`] is the difference of two sounds as an EQ, [`fit`] the bands that come nearest to
//! a curve, [`first`] the first moves that a raw part suggests, [`room`] what lets one part be
//! heard beside another, [`dirt`] drive beside it
//! and [`recipe`] compression beside it, both a return ([`parallel`]) of which [`adds`] says what it would add, [`pairs`] what two settings do together, [`order`] whether they
//! should change places, [`by_hand`] the trim that does what a held level does, [`hold`] what keeps an event down, [`duck`] what gives way at each hit, [`watch`] what a compressor does wrong.
//! [`begin`] is where a fresh unit begins on a part, [`new_band`] where a new band of an equaliser does, [`blend`] what a dry blend takes away and what mends it,
//! [`noise`] what an amplifier makes of the pauses, [`usual`] where a part lies outside what is usual.

pub mod adds;
pub mod begin;
pub mod blend;
pub mod by_hand;
pub mod curve;
pub mod dirt;
pub mod duck;
pub mod first;
pub mod fit;
pub mod hold;
pub mod new_band;
pub mod noise;
pub mod order;
pub mod pairs;
pub mod parallel;
pub mod recipe;
pub mod room;
pub mod usual;
pub mod watch;
