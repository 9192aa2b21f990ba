//! Sound models, one file or folder for each way of making a tone.

pub mod bowed;
pub mod drum;
pub mod organ;
pub mod room;
pub mod string;
pub mod tine;
pub mod voice;
