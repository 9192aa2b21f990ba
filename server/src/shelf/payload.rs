//! Payloads: plain interleaved 32-bit little-endian float samples, written and read block by block.

use std::fs::File;
use std::io::{self, BufReader, BufWriter, Read, Seek, SeekFrom, Write};
use std::path::Path;

use zinc_core::render::offline::BlockSource;
use zinc_core::signal::{BLOCK, StereoBlock};

use super::checksum::Checksum;

/// Writes samples as a payload holds them.
pub struct SampleWriter {
    file: BufWriter<File>,
    bytes: Vec<u8>,
    sum: Checksum,
}

impl SampleWriter {
    /// Starts a file.
    ///
    /// # Errors
    /// Those of the file system.
    pub fn create(path: &Path) -> io::Result<Self> {
        Ok(Self {
            file: BufWriter::with_capacity(1 << 18, File::create(path)?),
            bytes: Vec::new(),
            sum: Checksum::default(),
        })
    }

    /// Appends interleaved samples.
    ///
    /// # Errors
    /// Those of the file system.
    pub fn write(&mut self, samples: &[f32]) -> io::Result<()> {
        self.bytes.clear();
        self.bytes.extend(samples.iter().flat_map(|s| s.to_le_bytes()));
        self.sum.add(&self.bytes);
        self.file.write_all(&self.bytes)
    }

    /// Appends the first `frames` of a block as 1 or 2 channels.
    ///
    /// # Errors
    /// Those of the file system.
    pub fn write_block(&mut self, block: &StereoBlock, frames: usize, channels: usize) -> io::Result<()> {
        if channels == 1 {
            return self.write(&block.left[..frames]);
        }
        let sides = block.left[..frames].iter().zip(&block.right);
        self.bytes.clear();
        self.bytes.extend(sides.flat_map(|(l, r)| [l.to_le_bytes(), r.to_le_bytes()]).flatten());
        self.sum.add(&self.bytes);
        self.file.write_all(&self.bytes)
    }

    /// Writes out what is buffered, so that it can be read.
    ///
    /// # Errors
    /// Those of the file system.
    pub fn flush(&mut self) -> io::Result<()> {
        self.file.flush()
    }

    /// Writes out what is buffered and gives the sum over all of it.
    ///
    /// # Errors
    /// Those of the file system.
    pub fn finish(mut self) -> io::Result<Checksum> {
        self.file.flush()?;
        Ok(self.sum)
    }
}

/// Reads a payload block by block.
pub struct PayloadReader {
    file: BufReader<File>,
    channels: usize,
    /// Frames of silence before the payload begins.
    silence_left: u64,
    frames_left: u64,
}

impl PayloadReader {
    /// Opens a payload of `frames` frames that begins `start` frames into the song.
    ///
    /// # Errors
    /// When it cannot be opened or is not as long as it should be.
    pub fn open(path: &Path, channels: usize, frames: u64, start: u64) -> io::Result<Self> {
        let file = File::open(path)?;
        if file.metadata()?.len() != frames * channels as u64 * 4 {
            return Err(io::Error::new(io::ErrorKind::InvalidData, "the file is not as long as it should be"));
        }
        Ok(Self { file: BufReader::with_capacity(1 << 18, file), channels, silence_left: start, frames_left: frames })
    }

    /// Goes on from frame `at` of the song; for a reader that has given nothing yet.
    ///
    /// # Errors
    /// When the file cannot be read there.
    pub fn skip_to(&mut self, at: u64) -> io::Result<()> {
        let silent = at.min(self.silence_left);
        self.silence_left -= silent;
        let at = (at - silent).min(self.frames_left);
        self.file.seek(SeekFrom::Start(at * self.channels as u64 * 4))?;
        self.frames_left -= at;
        Ok(())
    }
}

impl BlockSource for PayloadReader {
    type Error = io::Error;

    fn next_block(&mut self, block: &mut StereoBlock) -> io::Result<()> {
        block.clear();
        let silent = self.silence_left.min(BLOCK as u64) as usize;
        self.silence_left -= silent as u64;
        let frames = self.frames_left.min((BLOCK - silent) as u64) as usize;
        self.frames_left -= frames as u64;
        let mut bytes = [0u8; BLOCK * 2 * 4];
        let bytes = &mut bytes[..frames * self.channels * 4];
        self.file.read_exact(bytes)?;
        for (i, frame) in bytes.chunks_exact(self.channels * 4).enumerate() {
            // What came in before files were looked through for it is silence where it is no number.
            let sample = |at: usize| {
                let x = f32::from_le_bytes([frame[at], frame[at + 1], frame[at + 2], frame[at + 3]]);
                if x.is_finite() { x } else { 0.0 }
            };
            let at = silent + i;
            block.left[at] = sample(0);
            block.right[at] = if self.channels == 2 { sample(4) } else { block.left[at] };
        }
        Ok(())
    }
}

/// Bytes `from..=to` of a file.
///
/// # Errors
/// When it cannot be read that far.
pub fn read_range(path: &Path, from: u64, to: u64) -> io::Result<Vec<u8>> {
    let mut file = File::open(path)?;
    file.seek(SeekFrom::Start(from))?;
    let mut bytes = vec![0u8; (to - from + 1) as usize];
    file.read_exact(&mut bytes)?;
    Ok(bytes)
}

#[cfg(test)]
#[allow(clippy::unwrap_used)]
mod tests {
    use super::*;

    #[test]
    fn a_payload_is_read_as_it_was_written_from_any_place_and_after_its_silence() {
        let folder = tempfile::tempdir().unwrap();
        let temporary = folder.path().join("payload");
        let mut writer = SampleWriter::create(&temporary).unwrap();
        let samples: Vec<f32> = (0..600).map(|i| i as f32).collect();
        writer.write(&samples).unwrap();
        writer.finish().unwrap();
        for (start, skip) in [(0u64, 0u64), (5, 0), (200, 0), (0, 7), (5, 3), (5, 20), (200, 150)] {
            let mut reader = PayloadReader::open(&temporary, 2, 300, start).unwrap();
            reader.skip_to(skip).unwrap();
            let mut block = StereoBlock::SILENT;
            for n in 0..5 {
                reader.next_block(&mut block).unwrap();
                for i in 0..BLOCK {
                    let at = (skip + (n * BLOCK + i) as u64).checked_sub(start).filter(|f| *f < 300);
                    let want = at.map_or([0.0; 2], |f| [2.0 * f as f64, 2.0 * f as f64 + 1.0]);
                    assert_eq!(block.frame(i), want, "start {start}, skip {skip}, frame {}", n * BLOCK + i);
                }
            }
        }
        assert!(PayloadReader::open(&temporary, 1, 300, 0).is_err(), "a wrong length is noticed");
    }

    #[test]
    fn a_sum_tells_a_damaged_file_from_what_was_written() {
        let folder = tempfile::tempdir().unwrap();
        let file = folder.path().join("print");
        let mut writer = SampleWriter::create(&file).unwrap();
        writer.write(&(0..100_000).map(|i| i as f32).collect::<Vec<_>>()).unwrap();
        let said = writer.finish().unwrap();
        assert_eq!(Checksum::of_file(&file).unwrap(), said);
        let mut bytes = std::fs::read(&file).unwrap();
        bytes[123_457] ^= 1;
        std::fs::write(&file, bytes).unwrap();
        assert_ne!(Checksum::of_file(&file).unwrap(), said);
    }
}
