//! Writes WAV files: 24-bit integer or 32-bit float, of any length. One of more than 4 GiB becomes an RF64 file when it is whole
//! (EBU Tech 3306): room for the long sizes stands in every head.

use std::fs::File;
use std::io::{self, BufWriter, Seek, SeekFrom, Write};
use std::path::Path;

use serde::Deserialize;
use zinc_core::signal::{BLOCK, StereoBlock};

/// Sample format of a written file.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Deserialize)]
pub enum Bits {
    /// 24-bit integers, rounded; magnitudes above full scale are clipped and counted.
    #[serde(rename = "24")]
    Int24,
    /// 32-bit float, exactly the samples computed.
    #[serde(rename = "32f")]
    Float32,
}

impl Bits {
    /// Bytes of a sample.
    #[must_use]
    pub fn bytes(self) -> u16 {
        match self {
            Self::Int24 => 3,
            Self::Float32 => 4,
        }
    }
}

/// Largest 24-bit sample.
const FULL_SCALE_24: f64 = 8_388_607.0;
/// Bytes of the head: `RIFF`, room for `ds64`, `fmt `, and the start of `data`.
const HEAD: u64 = 12 + (8 + 28) + (8 + 40) + 8;
/// What follows the first two bytes of a format's identity, by its registration.
const FORMAT_REST: [u8; 14] = [0, 0, 0, 0, 0x10, 0, 0x80, 0, 0, 0xAA, 0, 0x38, 0x9B, 0x71];

/// A WAV file being written.
pub struct WavWriter<W: Write + Seek = BufWriter<File>> {
    to: W,
    bits: Bits,
    channels: u16,
    rate: u32,
    written: u64,
    clipped: u64,
    /// The bytes of a block.
    waiting: Vec<u8>,
}

impl WavWriter {
    /// Starts a file of 1 or 2 channels.
    ///
    /// # Errors
    /// Those of the file system.
    pub fn create(path: &Path, channels: usize, rate: u32, bits: Bits) -> io::Result<Self> {
        WavWriter::to(BufWriter::new(File::create(path)?), channels, rate, bits)
    }
}

impl<W: Write + Seek> WavWriter<W> {
    /// The same of anything that is written and sought like a file.
    ///
    /// # Errors
    /// Its own.
    pub fn to(to: W, channels: usize, rate: u32, bits: Bits) -> io::Result<Self> {
        let mut writer =
            Self { to, bits, channels: channels as u16, rate, written: 0, clipped: 0, waiting: Vec::new() };
        writer.to.write_all(&writer.head())?;
        Ok(writer)
    }

    /// The head of a file with all that has been written so far.
    fn head(&self) -> Vec<u8> {
        // An odd number of bytes is filled up.
        let sizes = [HEAD - 8 + self.written + self.written % 2, self.written];
        let [whole, sound] = sizes.map(|size| u32::try_from(size).ok());
        let is_long = whole.is_none();
        let frame = self.channels * self.bits.bytes();
        let mut head = Vec::with_capacity(HEAD as usize);
        head.extend(if is_long { b"RF64" } else { b"RIFF" });
        head.extend(whole.unwrap_or(u32::MAX).to_le_bytes());
        head.extend(b"WAVE");
        head.extend(if is_long { b"ds64" } else { b"JUNK" });
        head.extend(28u32.to_le_bytes());
        let long = [sizes[0], sizes[1], self.written / u64::from(frame)].map(|size| if is_long { size } else { 0 });
        head.extend(long.iter().flat_map(|size| size.to_le_bytes()));
        // A table of no entries.
        head.extend(0u32.to_le_bytes());
        head.extend(b"fmt ");
        head.extend(40u32.to_le_bytes());
        // Extensible, as more than 16 bits are said.
        head.extend(0xFFFEu16.to_le_bytes());
        head.extend(self.channels.to_le_bytes());
        head.extend(self.rate.to_le_bytes());
        head.extend((self.rate * u32::from(frame)).to_le_bytes());
        head.extend(frame.to_le_bytes());
        head.extend((8 * self.bits.bytes()).to_le_bytes());
        head.extend(22u16.to_le_bytes());
        head.extend((8 * self.bits.bytes()).to_le_bytes());
        // Centre, or left and right.
        head.extend(if self.channels == 1 { 4u32 } else { 3 }.to_le_bytes());
        head.extend(if self.bits == Bits::Float32 { 3u16 } else { 1 }.to_le_bytes());
        head.extend(FORMAT_REST);
        head.extend(b"data");
        head.extend(if is_long { u32::MAX } else { sound.unwrap_or(u32::MAX) }.to_le_bytes());
        head
    }

    /// Appends the first `frames` of a block; a mono file takes the left channel.
    ///
    /// # Errors
    /// Those of the file system.
    pub fn write(&mut self, block: &StereoBlock, frames: usize) -> io::Result<()> {
        self.waiting.clear();
        for (left, right) in block.left.iter().zip(&block.right).take(frames) {
            self.put(*left);
            if self.channels == 2 {
                self.put(*right);
            }
        }
        self.written += self.waiting.len() as u64;
        self.to.write_all(&self.waiting)
    }

    fn put(&mut self, sample: f32) {
        match self.bits {
            Bits::Float32 => self.waiting.extend(sample.to_le_bytes()),
            Bits::Int24 => {
                let scaled = (f64::from(sample) * (FULL_SCALE_24 + 1.0)).round();
                if scaled.abs() > FULL_SCALE_24 + 1.0 {
                    self.clipped += 1;
                }
                let whole = scaled.clamp(-FULL_SCALE_24 - 1.0, FULL_SCALE_24) as i32;
                self.waiting.extend(&whole.to_le_bytes()[..3]);
            }
        }
    }

    /// Completes the file; returns how many samples were clipped.
    ///
    /// # Errors
    /// Those of the file system.
    pub fn finish(mut self) -> io::Result<u64> {
        if self.written % 2 == 1 {
            self.to.write_all(&[0])?;
        }
        let head = self.head();
        self.to.seek(SeekFrom::Start(0))?;
        self.to.write_all(&head)?;
        self.to.flush()?;
        Ok(self.clipped)
    }
}

/// Writes two channels of equal length as a 32-bit float WAV file.
///
/// # Errors
/// Those of the file system.
pub fn write_float(path: &Path, sides: &[Vec<f32>; 2], rate: u32) -> io::Result<()> {
    let mut writer = WavWriter::create(path, 2, rate, Bits::Float32)?;
    let mut block = StereoBlock::SILENT;
    for (left, right) in sides[0].chunks(BLOCK).zip(sides[1].chunks(BLOCK)) {
        block.left[..left.len()].copy_from_slice(left);
        block.right[..right.len()].copy_from_slice(right);
        writer.write(&block, left.len())?;
    }
    writer.finish().map(|_| ())
}
