//! The audio shelf: payloads as files named by their content hash.
//!
//! A payload is plain interleaved 32-bit little-endian float samples. Its hash
//! covers channels, rate and samples. Files are written under a temporary name,
//! synced and renamed, so that a name that exists is a whole file.

use std::fs::{self, File};
use std::io::{self, BufReader, BufWriter, Read, Seek, SeekFrom, Write};
use std::path::{Path, PathBuf};
use std::time::{Duration, SystemTime};

use sha2::{Digest, Sha256};
use zinc_core::render::offline::BlockSource;
use zinc_core::signal::{BLOCK, StereoBlock};

/// The folders of a data directory.
#[derive(Clone)]
pub struct Shelf {
    audio: PathBuf,
    prints: PathBuf,
    printed: PathBuf,
    temporary: PathBuf,
    /// Whether this process owns the folder, and so may clean it.
    owned: bool,
}

impl Shelf {
    /// Opens (or makes) the folders under `data` for their owner and clears what interrupted
    /// runs left in the temporary one.
    ///
    /// # Errors
    /// When a folder cannot be made or written.
    pub fn open(data: &Path) -> io::Result<Self> {
        let shelf = Self { owned: true, ..Self::look(data) };
        // Data folders made before the page of prints had its name call this otherwise.
        let former = data.join("delivered");
        if former.exists() && !shelf.printed.exists() {
            fs::rename(former, &shelf.printed)?;
        }
        for folder in [&shelf.audio, &shelf.prints, &shelf.printed, &shelf.temporary] {
            fs::create_dir_all(folder)?;
        }
        for leftover in fs::read_dir(&shelf.temporary)?.flatten() {
            if !is_at_work(&leftover.path()) {
                let _ = fs::remove_file(leftover.path());
            }
        }
        Ok(shelf)
    }

    /// The folders under `data`, changing nothing.
    #[must_use]
    pub fn look(data: &Path) -> Self {
        Self {
            audio: data.join("audio"),
            prints: data.join("prints"),
            printed: data.join("printed"),
            temporary: data.join("temporary"),
            owned: false,
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

    /// Where the sum over a print lies.
    #[must_use]
    pub fn sum_file(&self, key: &str) -> PathBuf {
        self.prints.join(format!("{key}.sum"))
    }

    /// Where the figures of a treatment lie.
    #[must_use]
    pub fn figures_file(&self, key: &str) -> PathBuf {
        self.prints.join(format!("{key}.json"))
    }

    /// Where a printed WAV file lies.
    #[must_use]
    pub fn wav_file(&self, key: &str) -> PathBuf {
        self.printed.join(format!("{key}.wav"))
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

    /// Removes the prints that were used longest ago until at most `limit` bytes remain, but
    /// none that was used within `rest`: somebody may be about to read it.
    ///
    /// # Errors
    /// When the folder cannot be read.
    pub fn trim_prints(&self, limit: u64, rest: Duration) -> io::Result<()> {
        self.trim(&self.prints, limit, rest)
    }

    /// The same of files that were printed to be fetched.
    ///
    /// # Errors
    /// When the folder cannot be read.
    pub fn trim_printed(&self, limit: u64, rest: Duration) -> io::Result<()> {
        self.trim(&self.printed, limit, rest)
    }

    fn trim(&self, folder: &Path, limit: u64, rest: Duration) -> io::Result<()> {
        if !self.owned {
            return Ok(());
        }
        let mut files: Vec<_> = fs::read_dir(folder)?
            .flatten()
            .filter_map(|e| e.metadata().ok().and_then(|m| Some((m.modified().ok()?, m.len(), e.path()))))
            .collect();
        files.sort();
        let mut total: u64 = files.iter().map(|f| f.1).sum();
        for (used, size, path) in files {
            if total <= limit || used.elapsed().is_ok_and(|ago| ago < rest) {
                break;
            }
            match fs::remove_file(path) {
                // Another trim was there first.
                Err(e) if e.kind() != io::ErrorKind::NotFound => return Err(e),
                _ => total -= size,
            }
        }
        Ok(())
    }
}

/// Notes that a print is used now, so that it is not the next to be trimmed.
pub fn touch(path: &Path) {
    // A folder that cannot be written keeps its order; nothing else depends on it.
    let _ = File::open(path).and_then(|file| file.set_modified(SystemTime::now()));
}

/// Whether the process that a temporary file is named after still runs.
fn is_at_work(path: &Path) -> bool {
    let name = path.file_name().map(|n| n.to_string_lossy().into_owned()).unwrap_or_default();
    let process = name.split('-').next().and_then(|n| n.parse::<u32>().ok());
    process.is_some_and(|n| n != std::process::id() && Path::new("/proc").join(n.to_string()).exists())
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

/// Hash of a payload in memory: interleaved samples.
#[must_use]
pub fn hash_samples(samples: &[f32], channels: usize, rate: u32) -> String {
    let mut hasher = Sha256::new();
    hasher.update(format!("zinc audio {channels} {rate}\n"));
    samples.iter().for_each(|sample| hasher.update(sample.to_le_bytes()));
    hex(&hasher.finalize())
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

    /// Writes out what is buffered and gives the sum over all of it.
    ///
    /// # Errors
    /// Those of the file system.
    pub fn finish(mut self) -> io::Result<Checksum> {
        self.file.flush()?;
        Ok(self.sum)
    }
}

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
    fn prints_give_way_in_the_order_of_their_use_and_none_that_may_be_about_to_be_read() {
        let folder = tempfile::tempdir().unwrap();
        let shelf = Shelf::open(folder.path()).unwrap();
        let files: Vec<PathBuf> = (0..4).map(|n| shelf.print_file(&format!("{n}"))).collect();
        for file in &files {
            fs::write(file, [0; 100]).unwrap();
            std::thread::sleep(Duration::from_millis(15));
        }
        let there = || files.iter().map(|f| f.exists()).collect::<Vec<_>>();
        shelf.trim_prints(250, Duration::from_secs(60)).unwrap();
        assert_eq!(there(), [true; 4], "all were used just now");
        touch(&files[0]);
        Shelf::look(folder.path()).trim_prints(250, Duration::ZERO).unwrap();
        assert_eq!(there(), [true; 4], "only the owner cleans");
        std::thread::scope(|both| {
            for _ in 0..2 {
                both.spawn(|| shelf.trim_prints(250, Duration::ZERO).unwrap());
            }
        });
        assert!(files[0].exists() && !files[1].exists() && !files[2].exists());
    }

    #[test]
    fn an_owner_clears_what_is_left_and_not_what_a_living_process_writes() {
        let folder = tempfile::tempdir().unwrap();
        drop(Shelf::open(folder.path()).unwrap());
        let temporary = |name: &str| folder.path().join("temporary").join(name);
        let mut living = std::process::Command::new("sleep").arg("30").spawn().unwrap();
        // A number no process has, and one that has: this machine's own child.
        for name in ["4194305-0.tmp".to_string(), format!("{}-0.tmp", living.id())] {
            fs::write(temporary(&name), b"half").unwrap();
        }
        drop(Shelf::open(folder.path()).unwrap());
        assert!(!temporary("4194305-0.tmp").exists() && temporary(&format!("{}-0.tmp", living.id())).exists());
        living.kill().unwrap();
        living.wait().unwrap();
    }

    #[test]
    fn a_sum_tells_a_damaged_file_from_what_was_written() {
        let folder = tempfile::tempdir().unwrap();
        let file = folder.path().join("print");
        let mut writer = SampleWriter::create(&file).unwrap();
        writer.write(&(0..100_000).map(|i| i as f32).collect::<Vec<_>>()).unwrap();
        let said = writer.finish().unwrap();
        assert_eq!(Checksum::of_file(&file).unwrap(), said);
        let mut bytes = fs::read(&file).unwrap();
        bytes[123_457] ^= 1;
        fs::write(&file, bytes).unwrap();
        assert_ne!(Checksum::of_file(&file).unwrap(), said);
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
