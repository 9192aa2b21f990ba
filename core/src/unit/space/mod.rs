//! Units that place a sound.

pub mod width;
