//! Dynamics: how loud it is, how much to take away, and how fast.
//!
//! A level goes from [`detector`] (how loud) through [`curve`] (how much reduction that level
//! deserves) to [`ballistics`] (how fast the reduction follows). All three work in decibels of
//! reduction, positive downwards. [`law`] sees the curve from the output as well, [`action`] has
//! the ways in which a gain is controlled, [`peak_hold`], [`release`] and [`time_constant`] what they share; [`ceiling`]
//! keeps what is between the samples down.
//! [`auto_level`] gives loudness back.

pub mod action;
pub mod auto_level;
pub mod ballistics;
pub mod ceiling;
pub mod curve;
pub mod detector;
pub mod law;
pub mod peak_hold;
pub mod release;
pub mod time_constant;

pub use action::Action;
pub use auto_level::AutoLevel;
pub use ballistics::{Ballistics, Branching};
pub use curve::StaticCurve;
pub use detector::RmsDetector;
pub use law::Law;
