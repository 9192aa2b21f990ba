//! A rack: an ordered chain of units, with the fields every unit has in common.
//!
//! [`spec`] is the rack as written down (a file, a row of the store), `facts` what is known of
//! it without running it, [`station`] runs one unit with its switch, mix, trim and place,
//! `any_version` reads what another version has written, `carried_over` is what its parameters have become, [`kept`] what
//! of it cannot be used,
//! [`proposed`] builds units that the core proposes itself, [`key`] is the outside sound that drives a unit, [`follow`] links one unit to another,
//! [`lead_in`] is how much it has to hear before a passage, and [`chain`] runs all of them.

mod any_version;
pub mod carried_over;
pub mod chain;
mod facts;
pub mod follow;
pub mod kept;
pub mod key;
pub mod lead_in;
mod over_time;
pub mod proposed;
mod shape;
pub mod spec;
pub mod station;

pub use chain::Rack;
pub use follow::Follow;
pub use key::{Key, KeyTap, Keys};
pub use over_time::MAX_SHAPES;
pub use spec::{COMMON, MAX_NAME, MAX_NOTE, RackError, RackSpec, UnitSpec, UnitTap};
