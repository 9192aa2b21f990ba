//! The session: what an engineer works on, and every way it can change.
//!
//! [`document`] is the whole of it as values, [`edit`] the changes, each with its
//! inverse, [`routing`] who sounds into whom, [`compare`] the other side of a
//! comparison, [`part`] and [`family`] what a track is, [`take`] how two recordings of
//! one performance share a sound, [`partners`] which strips belong together, [`grouping`] new
//! paths as one change, [`sections`] sections placed and split, [`notebook`] what is kept beside the sound, [`window`] the session as one
//! window holds it, with what waits for the server.

pub mod compare;
pub mod controls;
pub mod document;
pub mod edit;
pub mod family;
pub mod grouping;
pub mod notebook;
mod over_time;
pub mod part;
pub mod partners;
pub mod routing;
pub mod sections;
mod sounds;
pub mod strip_of_any_version;
pub mod take;
pub mod window;

pub use compare::{Change, Reference};
pub use controls::STRIP;
pub use document::{AudioRef, AuxSend, DocumentError, Role, Section, SectionChange, Session, Strip};
pub use edit::{Edit, EditError, Facts, Meeting, Touch};
pub use family::Family;
pub use notebook::Notebook;
pub use part::Part;
