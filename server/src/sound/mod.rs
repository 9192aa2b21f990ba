//! Audio files in and out.

pub mod decode;
pub mod encode;
pub mod stream;

pub use decode::{Decoded, decode};
pub use encode::{Bits, WavWriter};
