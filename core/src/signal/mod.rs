//! The ground everything stands on: blocks, decibels, exact maths, ramps, delays,
//! and working at a higher rate.

pub mod antiderivative;
pub mod between;
pub mod block;
pub mod decibel;
pub mod delay;
pub mod math;
pub mod noise;
pub mod oversample;
pub mod place;
pub mod ramp;
pub mod solve;
pub mod sound;

pub use block::{BLOCK, Frame, StereoBlock};
pub use delay::{FrameDelay, StereoDelay};
pub use ramp::Ramp;
pub use sound::Sound;
