//! Dynamics: how loud it is, how much to take away, and how fast.
//!
//! A level goes from [`detector`] (how loud) through [`curve`] (how much
//! reduction that level deserves) to [`ballistics`] (how fast the reduction
//! follows). All three work in decibels of reduction, positive downwards. [`auto_level`] gives loudness back.

pub mod auto_level;
pub mod ballistics;
pub mod curve;
pub mod detector;

pub use auto_level::AutoLevel;
pub use ballistics::Ballistics;
pub use curve::Curve;
pub use detector::RmsDetector;
