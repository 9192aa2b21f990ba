//! Writes WAV files: 24-bit integer or 32-bit float.

use std::fs::File;
use std::io::BufWriter;
use std::path::Path;

/// Why a file could not be written.
pub use hound::Error as WavError;
use serde::Deserialize;
use zinc_core::signal::StereoBlock;

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

/// A WAV file being written.
pub struct WavWriter {
    writer: hound::WavWriter<BufWriter<File>>,
    bits: Bits,
    channels: usize,
    clipped: u64,
}

/// Largest 24-bit sample.
const FULL_SCALE_24: f64 = 8_388_607.0;

impl WavWriter {
    /// Starts a file of 1 or 2 channels.
    ///
    /// # Errors
    /// Those of the file system.
    pub fn create(path: &Path, channels: usize, rate: u32, bits: Bits) -> Result<Self, WavError> {
        let (bits_per_sample, sample_format) = match bits {
            Bits::Int24 => (24, hound::SampleFormat::Int),
            Bits::Float32 => (32, hound::SampleFormat::Float),
        };
        let spec = hound::WavSpec { channels: channels as u16, sample_rate: rate, bits_per_sample, sample_format };
        Ok(Self { writer: hound::WavWriter::create(path, spec)?, bits, channels, clipped: 0 })
    }

    /// Appends the first `frames` of a block; a mono file takes the left channel.
    ///
    /// # Errors
    /// Those of the file system.
    pub fn write(&mut self, block: &StereoBlock, frames: usize) -> Result<(), WavError> {
        for i in 0..frames {
            self.write_sample(block.left[i])?;
            if self.channels == 2 {
                self.write_sample(block.right[i])?;
            }
        }
        Ok(())
    }

    fn write_sample(&mut self, sample: f32) -> Result<(), WavError> {
        match self.bits {
            Bits::Float32 => self.writer.write_sample(sample),
            Bits::Int24 => {
                let scaled = (f64::from(sample) * (FULL_SCALE_24 + 1.0)).round();
                if scaled.abs() > FULL_SCALE_24 + 1.0 {
                    self.clipped += 1;
                }
                self.writer.write_sample(scaled.clamp(-FULL_SCALE_24 - 1.0, FULL_SCALE_24) as i32)
            }
        }
    }

    /// Completes the file; returns how many samples were clipped.
    ///
    /// # Errors
    /// Those of the file system.
    pub fn finish(self) -> Result<u64, WavError> {
        self.writer.finalize()?;
        Ok(self.clipped)
    }
}

/// Writes two channels of equal length as a 32-bit float WAV file.
///
/// # Errors
/// Those of the file system.
pub fn write_float(path: &Path, sides: &[Vec<f32>; 2], rate: u32) -> Result<(), WavError> {
    let spec = hound::WavSpec {
        channels: 2,
        sample_rate: rate,
        bits_per_sample: 32,
        sample_format: hound::SampleFormat::Float,
    };
    let mut writer = hound::WavWriter::create(path, spec)?;
    for (left, right) in sides[0].iter().zip(&sides[1]) {
        writer.write_sample(*left)?;
        writer.write_sample(*right)?;
    }
    writer.finalize()
}
