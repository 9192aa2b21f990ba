//! Equalisers.

pub mod drawn;
pub mod surgical;
