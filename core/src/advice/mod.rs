//! Proposals and checks computed from measurements, each with its reason in words and
//! figures. Nothing here changes anything: what is proposed are ordinary units and bands.
//!
//! [`curve`] is the difference of two sounds as an EQ, [`fit`] the bands that come nearest to
//! a curve, [`first`] the first moves that a raw part suggests, [`room`] what lets one part be
//! heard beside another, [`pairs`] what two settings do together.

pub mod curve;
pub mod first;
pub mod fit;
pub mod pairs;
pub mod room;
