//! The audio shelf: payloads as files named by their content hash.
//!
//! A payload is plain interleaved 32-bit little-endian float samples. Its hash
//! covers channels, rate and samples. Files are written under a temporary name,
//! synced and renamed, so that a name that exists is a whole file.

use std::fs::{self, File};
use std::io::{self, BufReader, BufWriter, Read, Seek, SeekFrom, Write};
use std::path::{Path, PathBuf};

use sha2::{Digest, Sha256};
use zinc_core::render::offline::BlockSource;
use zinc_core::signal::{BLOCK, StereoBlock};

/// The folders of a data directory.
#[derive(Clone)]
pub struct Shelf {
    audio: PathBuf,
    prints: PathBuf,
    delivered: PathBuf,
    temporary: PathBuf,
}

impl Shelf {
    /// Opens (or makes) the folders under `data` and clears what an interrupted
    /// run left in the temporary one.
    ///
    /// # Errors
    /// When a folder cannot be made or written.
    pub fn open(data: &Path) -> io::Result<Self> {
        let shelf = Self::look(data);
        for folder in [&shelf.audio, &shelf.prints, &shelf.delivered, &shelf.temporary] {
            fs::create_dir_all(folder)?;
        }
        for leftover in fs::read_dir(&shelf.temporary)?.flatten() {
            let _ = fs::remove_file(leftover.path());
        }
        Ok(shelf)
    }

    /// The folders under `data`, changing nothing.
    #[must_use]
    pub fn look(data: &Path) -> Self {
        Self {
            audio: data.join("audio"),
            prints: data.join("prints"),
            delivered: data.join("delivered"),
            temporary: data.join("temporary"),
        }
    }

    /// Where a payload lies. `hash` must be checked by [`is_key`] when it comes
    /// from outside.
    #[must_use]
    pub fn audio_file(&self, hash: &str) -> PathBuf {
        self.audio.join(format!("{hash}.f32"))
    }

    /// Where a print lies.
    #[must_use]
    pub fn print_file(&self, key: &str) -> PathBuf {
        self.prints.join(format!("{key}.f32"))
    }

    /// Where the figures of a treatment lie.
    #[must_use]
    pub fn figures_file(&self, key: &str) -> PathBuf {
        self.prints.join(format!("{key}.json"))
    }

    /// Where a delivered file lies.
    #[must_use]
    pub fn delivered_file(&self, key: &str) -> PathBuf {
        self.delivered.join(format!("{key}.wav"))
    }

    /// A name in the temporary folder that nobody else uses; what lies there is removed
    /// with the value, unless it was moved away by [`settle`].
    #[must_use]
    pub fn temporary_file(&self) -> Temporary {
        use std::sync::atomic::{AtomicU64, Ordering};
        static NEXT: AtomicU64 = AtomicU64::new(0);
        let n = NEXT.fetch_add(1, Ordering::Relaxed);
        Temporary(self.temporary.join(format!("{}-{n}.tmp", std::process::id())))
    }

    /// Names (without ending) of the payloads on the shelf.
    ///
    /// # Errors
    /// When the folder cannot be read.
    pub fn payloads(&self) -> io::Result<Vec<String>> {
        let mut names: Vec<String> = fs::read_dir(&self.audio)?
            .flatten()
            .filter_map(|e| e.path().file_stem().map(|s| s.to_string_lossy().into_owned()))
            .collect();
        names.sort();
        Ok(names)
    }

    /// Files left in the temporary folder.
    ///
    /// # Errors
    /// When the folder cannot be read.
    pub fn leftovers(&self) -> io::Result<usize> {
        Ok(fs::read_dir(&self.temporary)?.flatten().count())
    }

    /// Removes the least recently written prints until at most `limit` bytes remain, but
    /// none of those that are `wanted` now, however much they are.
    ///
    /// # Errors
    /// When the folder cannot be read.
    pub fn trim_prints(&self, limit: u64, wanted: &[PathBuf]) -> io::Result<()> {
        let mut files: Vec<_> = fs::read_dir(&self.prints)?
            .flatten()
            .filter_map(|e| e.metadata().ok().map(|m| (m.modified().ok(), m.len(), e.path())))
            .collect();
        files.sort();
        let mut total: u64 = files.iter().map(|f| f.1).sum();
        for (_, size, path) in files {
            if total <= limit {
                break;
            }
            if wanted.contains(&path) {
                continue;
            }
            fs::remove_file(path)?;
            total -= size;
        }
        Ok(())
    }
}

/// The place of a file that is being written. An error or a cancel on the way leaves
/// nothing behind.
pub struct Temporary(PathBuf);

impl std::ops::Deref for Temporary {
    type Target = Path;

    fn deref(&self) -> &Path {
        &self.0
    }
}

impl Drop for Temporary {
    fn drop(&mut self) {
        // After a rename there is nothing left to remove.
        let _ = fs::remove_file(&self.0);
    }
}

/// Whether a text is a hash as this shelf names files by: 64 hexadecimal digits.
#[must_use]
pub fn is_key(text: &str) -> bool {
    text.len() == 64 && text.bytes().all(|b| b.is_ascii_digit() || (b'a'..=b'f').contains(&b))
}

/// Syncs `from` and gives it its final name, whole or not at all.
///
/// # Errors
/// Those of the file system.
pub fn settle(from: &Path, to: &Path) -> io::Result<()> {
    File::open(from)?.sync_all()?;
    fs::rename(from, to)?;
    if let Some(folder) = to.parent() {
        File::open(folder)?.sync_all()?;
    }
    Ok(())
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

/// Lower-case hexadecimal digits.
#[must_use]
pub fn hex(bytes: &[u8]) -> String {
    bytes.iter().map(|b| format!("{b:02x}")).collect()
}

/// Writes samples as a payload holds them.
pub struct SampleWriter {
    file: BufWriter<File>,
    bytes: Vec<u8>,
}

impl SampleWriter {
    /// Starts a file.
    ///
    /// # Errors
    /// Those of the file system.
    pub fn create(path: &Path) -> io::Result<Self> {
        Ok(Self { file: BufWriter::with_capacity(1 << 18, File::create(path)?), bytes: Vec::new() })
    }

    /// Appends interleaved samples.
    ///
    /// # Errors
    /// Those of the file system.
    pub fn write(&mut self, samples: &[f32]) -> io::Result<()> {
        self.bytes.clear();
        self.bytes.extend(samples.iter().flat_map(|s| s.to_le_bytes()));
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
        self.file.write_all(&self.bytes)
    }

    /// Writes out what is buffered.
    ///
    /// # Errors
    /// Those of the file system.
    pub fn finish(mut self) -> io::Result<()> {
        self.file.flush()
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
            let sample = |at: usize| f32::from_le_bytes([frame[at], frame[at + 1], frame[at + 2], frame[at + 3]]);
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
        let shelf = Shelf::open(folder.path()).unwrap();
        let temporary = shelf.temporary_file();
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
    fn prints_give_way_oldest_first_but_never_those_that_are_wanted() {
        let folder = tempfile::tempdir().unwrap();
        let shelf = Shelf::open(folder.path()).unwrap();
        let files: Vec<PathBuf> = (0..4).map(|n| shelf.print_file(&format!("{n}"))).collect();
        for file in &files {
            fs::write(file, [0; 100]).unwrap();
            std::thread::sleep(std::time::Duration::from_millis(15));
        }
        shelf.trim_prints(250, std::slice::from_ref(&files[0])).unwrap();
        let there: Vec<bool> = files.iter().map(|f| f.exists()).collect();
        assert_eq!(there, [true, false, false, true]);
    }

    #[test]
    fn what_is_half_written_is_gone_with_its_value_and_what_is_settled_stays() {
        let folder = tempfile::tempdir().unwrap();
        let shelf = Shelf::open(folder.path()).unwrap();
        let kept = shelf.audio_file("kept");
        let (first, second) = (shelf.temporary_file(), shelf.temporary_file());
        for file in [&first, &second] {
            fs::write(&**file, b"sound").unwrap();
        }
        settle(&first, &kept).unwrap();
        drop((first, second));
        assert_eq!((shelf.leftovers().unwrap(), fs::read(kept).unwrap()), (0, b"sound".to_vec()));
    }
}
