//! Audio files in and out.

pub mod decode;
pub mod encode;
pub mod resample;
pub mod riff;
pub mod stream;
pub mod through;

pub use decode::{DecodeError, Decoded, Decoder, decode};
pub use encode::{Bits, WavError, WavWriter, write_float};
pub use through::through;
