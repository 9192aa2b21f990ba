//! Kinds of unit: one file (or folder) each, a parameter table, its facts and a processor.
//!
//! A new kind is one new file in a folder here and a line in that folder's `mod.rs`, whose
//! list [`catalogue`] joins with the others. Its table
//! drives validation, storage, the engine, the printed sheet and the controls
//! on the page; nothing else repeats a parameter's name, range or default.
//!
//! `param, sound <- value <- settings <- processor <- kind <- each kind <- its folder <- catalogue`. What the core
//! proposes is [`written`] against the tables.

pub mod catalogue;
pub mod dynamics;
pub mod eq;
pub mod foreign;
pub mod kind;
pub mod param;
pub mod processor;
pub mod proposed;
pub mod settings;
pub mod sound;
pub mod space;
pub mod text;
pub mod tone;
pub mod value;

pub use kind::{Tail, UnitKind};
pub use param::{Change, Domain, Param, Quantity, Tables, Taper};
pub use processor::Processor;
pub use settings::{Record, Settings, SettingsError, Value};
pub use sound::{SoundId, Sounds};
