//! The session: what an engineer works on, and every way it can change.
//!
//! [`document`] is the whole of it as values, [`edit`] the changes, each with
//! its inverse, [`family`] the marks of instrument families.

pub mod document;
pub mod edit;
pub mod family;

pub use document::{AudioRef, Role, STRIP, Section, Session, Strip};
pub use edit::{Edit, EditError, Touch};
pub use family::Family;
