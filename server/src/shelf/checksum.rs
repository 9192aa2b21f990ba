//! A sum beside each print, which tells a damaged one from what was written.

use std::fs::File;
use std::io::{self, Read};
use std::path::Path;

/// A sum over bytes that tells a damaged file from a whole one: FNV-1a (Fowler, Noll, Vo) over
/// words of four bytes, as many as a sample has. Against accidents, not against malice.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Checksum(u64);

impl Default for Checksum {
    fn default() -> Self {
        Self(0xcbf2_9ce4_8422_2325)
    }
}

impl Checksum {
    /// Takes in more bytes, a multiple of four.
    pub fn add(&mut self, bytes: &[u8]) {
        for word in bytes.chunks_exact(4) {
            let word = u32::from_le_bytes([word[0], word[1], word[2], word[3]]);
            self.0 = (self.0 ^ u64::from(word)).wrapping_mul(0x0100_0000_01b3);
        }
    }

    /// Of a whole file.
    ///
    /// # Errors
    /// When it cannot be read.
    pub fn of_file(path: &Path) -> io::Result<Self> {
        let (mut file, mut sum, mut buffer) = (File::open(path)?, Self::default(), vec![0u8; 1 << 18]);
        loop {
            // A read may end within a word; the next goes on there.
            let mut filled = 0;
            while filled < buffer.len() {
                match file.read(&mut buffer[filled..])? {
                    0 => break,
                    n => filled += n,
                }
            }
            sum.add(&buffer[..filled]);
            if filled < buffer.len() {
                return Ok(sum);
            }
        }
    }

    /// As it is kept beside a print.
    #[must_use]
    pub fn to_text(self) -> String {
        format!("{:016x}", self.0)
    }
}
