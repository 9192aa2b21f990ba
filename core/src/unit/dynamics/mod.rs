//! Units that follow the level.

pub mod compressor;
