//! Audio files in and out.

pub mod decode;
pub mod encode;
pub mod resample;
pub mod riff;
pub mod stream;
pub mod through;
mod trouble;
mod wave;

pub use decode::{DecodeError, Decoded, Decoder, Remarks, decode};
pub use encode::{Bits, WavWriter, write_float};
pub use through::through;
pub use trouble::in_words;
