//! Decoded samples as the blocks the core works on.

use zinc_core::render::offline::BlockSource;
use zinc_core::signal::{BLOCK, StereoBlock};

use super::decode::Decoded;

/// Gives a decoded file block by block, then silence.
pub struct DecodedBlocks<'a> {
    sound: &'a Decoded,
    at: usize,
}

impl<'a> DecodedBlocks<'a> {
    /// From the start.
    #[must_use]
    pub fn new(sound: &'a Decoded) -> Self {
        Self { sound, at: 0 }
    }
}

impl BlockSource for DecodedBlocks<'_> {
    type Error = std::io::Error;

    fn next_block(&mut self, block: &mut StereoBlock) -> Result<(), Self::Error> {
        block.clear();
        let channels = self.sound.channels;
        for (i, frame) in self.sound.samples[self.at * channels..].chunks_exact(channels).take(BLOCK).enumerate() {
            block.left[i] = frame[0];
            block.right[i] = frame[channels - 1];
        }
        self.at = (self.at + BLOCK).min(self.sound.frames());
        Ok(())
    }
}
