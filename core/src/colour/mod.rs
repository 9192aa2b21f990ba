//! What bends a wave: shapes, a valve's curve, a magnet's memory, and what stands about them.
//!
//! `bend, valve, hysteresis <- character`; units choose among them and drive them.

pub mod bend;
pub mod character;
pub mod gain_element;
pub mod hysteresis;
pub mod valve;

pub use character::Character;
pub use hysteresis::Magnet;
