//! Zinc Rack's core: every rule and every calculation, and nothing else.
//!
//! Three nouns carry it. A **unit** is one processor with one parameter table
//! ([`unit`]). A **rack** is an ordered chain of units ([`rack`]). A
//! **session** is the document an engineer works on: strips with racks and
//! levels, and the edits that change it ([`session`]). [`render`] turns a
//! session into sound, [`measure`] turns sound into figures, [`trial`] compares racks by them, [`advice`] figures into
//! proposals, [`live`] plays.
//!
//! The same code runs natively in the server and as WebAssembly in the
//! browser's audio thread and gives the same bits in both: transcendental
//! functions come from [`signal::math`], sums have a fixed order, and nothing
//! here reads a clock, a file or a random source.
//!
//! Folders depend downwards only:
//! `signal <- filter <- dynamics, colour <- unit <- course <- rack <- session <- render <- measure <- trial <- advice, live`.
#![forbid(unsafe_code)]
#![cfg_attr(test, allow(clippy::unwrap_used, clippy::expect_used))]

/// What this core was built from: its name and a digest of its sources and of the versions it is
/// built with. Two cores of one digest give the same sound; what was computed by another is
/// computed anew.
pub const SOURCES: &str = concat!("zinc-core ", env!("ZINC_CORE_DIGEST"));

pub mod advice;
pub mod colour;
pub mod course;
pub mod dynamics;
pub mod filter;
pub mod live;
pub mod measure;
pub mod rack;
pub mod render;
pub mod session;
pub mod signal;
pub mod trial;
pub mod unit;
