//! Values that change with the song.
//!
//! A value has one setting *everywhere*, and may have others: one for a **section**, and a **lane**
//! of points. [`Course`] is what is written down of one value; [`ValueCurve`] is what becomes of it: one
//! function of the song's frame, from which playing and printing read alike. A lane rules from each
//! point on as that point says; where none rules, the section that began last does, and elsewhere
//! the value everywhere.
//!
//! Positions between two points run along the parameter's own taper, as its rule does.

mod curve;
pub mod json;
pub mod lane;
mod merge;
pub mod text;
mod written;

pub use curve::{APPROACH_S, Steps, ValueCurve};
pub use json::CourseError;
pub use merge::merged;
pub use written::{Course, Courses, Here, MAX_POINTS, Point, Span, Then};

#[cfg(test)]
mod tests;
