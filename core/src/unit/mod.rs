//! The catalogue of units: one file per kind, each a parameter table and a processor.
//!
//! A new kind is one new file here and one line in [`catalogue`]. Its table
//! drives validation, storage, the engine, the printed sheet and the controls
//! on the page; nothing else repeats a parameter's name, range or default.

pub mod catalogue;
pub mod compressor;
pub mod drawn_eq;
pub mod param;
pub mod processor;
pub mod settings;
pub mod surgical_eq;
pub mod text;
pub mod width;

pub use catalogue::{Picture, UnitKind, kind};
pub use param::{Domain, Param, Quantity, Taper};
pub use processor::Processor;
pub use settings::{Record, Settings, SettingsError, Value};
