//! What payloads are named by: the content hash, in 64 hexadecimal digits.

use std::fs::File;
use std::io::{self, Read};
use std::path::Path;

use sha2::{Digest, Sha256};

/// Whether a text is a hash as this shelf names files by: 64 hexadecimal digits.
#[must_use]
pub fn is_key(text: &str) -> bool {
    text.len() == 64 && text.bytes().all(|b| b.is_ascii_digit() || (b'a'..=b'f').contains(&b))
}

/// Hash of a payload in a file.
///
/// # Errors
/// When it cannot be read.
pub fn hash_payload(path: &Path, channels: usize, rate: u32) -> io::Result<String> {
    let mut hasher = Sha256::new();
    hasher.update(format!("zinc audio {channels} {rate}\n"));
    let mut file = File::open(path)?;
    let mut buffer = vec![0u8; 1 << 16];
    loop {
        match file.read(&mut buffer)? {
            0 => return Ok(hex(&hasher.finalize())),
            n => hasher.update(&buffer[..n]),
        }
    }
}

/// Hash of a payload in memory: interleaved samples.
#[must_use]
pub fn hash_samples(samples: &[f32], channels: usize, rate: u32) -> String {
    let mut hasher = Sha256::new();
    hasher.update(format!("zinc audio {channels} {rate}\n"));
    samples.iter().for_each(|sample| hasher.update(sample.to_le_bytes()));
    hex(&hasher.finalize())
}

/// Hash of a text.
#[must_use]
pub fn hash_text(text: &str) -> String {
    hex(&Sha256::digest(text))
}

/// Lower-case hexadecimal digits.
#[must_use]
pub fn hex(bytes: &[u8]) -> String {
    bytes.iter().map(|b| format!("{b:02x}")).collect()
}
