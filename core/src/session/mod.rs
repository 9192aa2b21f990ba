//! The session: what an engineer works on, and every way it can change.
//!
//! [`document`] is the whole of it as values, [`edit`] the changes, each with its
//! inverse, [`routing`] who sounds into whom, [`compare`] the other side of a
//! comparison, [`part`] and [`family`] what a track is.

pub mod compare;
pub mod document;
pub mod edit;
pub mod family;
pub mod part;
mod paths;
pub mod routing;

pub use compare::{Change, Reference};
pub use document::{AudioRef, Role, STRIP, Section, Session, Strip};
pub use edit::{Edit, EditError, Touch};
pub use family::Family;
pub use part::Part;
pub use routing::Send;
