//! WAV files whose head does not say in 32 bits how long they are: RF64 and BW64 (EBU Tech 3306, ITU-R BS.2088), which say so
//! in a chunk of their own, and files whose recorder lost power before it wrote the length.
//!
//! Such a file is read as the plain WAV that it would be, ending where its sound does.

use std::fs::File;
use std::io::{self, Read, Seek, SeekFrom};

use symphonia::core::io::MediaSource;

/// Sizes that recorders write before they know better.
const NOT_KNOWN_YET: [u32; 3] = [0, 0x7FFF_FFFF, u32::MAX];
/// Chunks before the sound that are looked at: a guard against a file that is all heads.
const MOST_CHUNKS: usize = 10_000;

/// A file as it is read: with another head where its own does not say how long it is.
pub(crate) struct WaveSource {
    file: File,
    at: u64,
    end: u64,
    /// What is read instead of four bytes of the file.
    instead: Vec<(u64, [u8; 4])>,
    /// Frames that there have to be, where the reader of plain WAV cannot know it.
    pub(crate) promised: Option<u64>,
    /// Whether its recorder never wrote its length.
    pub(crate) is_unfinished: bool,
}

impl WaveSource {
    /// Of a file of any kind: what is no WAV, or says how long it is, is read as it lies there.
    ///
    /// # Errors
    /// Those of the file system.
    pub(crate) fn open(mut file: File) -> io::Result<Self> {
        let end = file.metadata()?.len();
        let sound = find_sound(&mut file, end);
        file.seek(SeekFrom::Start(0))?;
        let plain = Self { file, at: 0, end, instead: Vec::new(), promised: None, is_unfinished: false };
        Ok(match sound {
            Some(sound) => plain.with(&sound),
            None => plain,
        })
    }

    fn with(mut self, sound: &Sound) -> Self {
        let there = self.end.saturating_sub(sound.from);
        let frame = u64::from(sound.frame_bytes.max(1));
        self.is_unfinished = sound.size.is_none();
        let size = sound.size.unwrap_or(there / frame * frame);
        self.promised = sound.size.map(|size| size / frame);
        self.end = self.end.min(sound.from.saturating_add(size));
        let said = u32::try_from(size).unwrap_or(u32::MAX);
        self.instead = vec![(0, *b"RIFF"), (4, [0xFF; 4]), (sound.from - 4, said.to_le_bytes())];
        self
    }
}

/// Where the sound of a WAV lies whose head has to be read in another way.
struct Sound {
    /// Its first byte.
    from: u64,
    /// How many there are; none where nobody knows.
    size: Option<u64>,
    /// Bytes of a frame.
    frame_bytes: u16,
}

/// The sound of a WAV that does not say in 32 bits how long it is; none for one that does, and for what is no WAV.
fn find_sound(file: &mut File, end: u64) -> Option<Sound> {
    let mut head = [0u8; 12];
    file.read_exact(&mut head).ok()?;
    let is_long = matches!(&head[..4], b"RF64" | b"BW64");
    if !is_long && &head[..4] != b"RIFF" || &head[8..] != b"WAVE" {
        return None;
    }
    let (mut long_size, mut frame_bytes) = (None, 1);
    for _ in 0..MOST_CHUNKS {
        let mut chunk = [0u8; 8];
        file.read_exact(&mut chunk).ok()?;
        let size = u32::from_le_bytes([chunk[4], chunk[5], chunk[6], chunk[7]]);
        let from = file.stream_position().ok()?;
        match &chunk[..4] {
            b"data" => {
                let told = if is_long && size == u32::MAX { long_size } else { Some(u64::from(size)) };
                let whole = u64::from(u32::from_le_bytes([head[4], head[5], head[6], head[7]])) + 8;
                // An empty sound is one if the rest of the file is as long as the head says.
                let is_empty = size == 0 && whole.abs_diff(end) <= 1;
                let is_more = told.is_none_or(|told| told > end.saturating_sub(from));
                let is_unknown = NOT_KNOWN_YET.contains(&size) && !is_empty && (size == 0 || is_more && !is_long);
                let size = told.filter(|_| !is_unknown);
                return (is_long || size.is_none()).then_some(Sound { from, size, frame_bytes });
            }
            b"ds64" => {
                let mut body = [0u8; 16];
                file.read_exact(&mut body).ok()?;
                // After the length of the whole file.
                long_size = Some(u64::from_le_bytes(body[8..].try_into().ok()?));
            }
            b"fmt " => {
                let mut body = [0u8; 14];
                file.read_exact(&mut body).ok()?;
                frame_bytes = u16::from_le_bytes([body[12], body[13]]);
            }
            _ => {}
        }
        file.seek(SeekFrom::Start(from + u64::from(size) + u64::from(size % 2))).ok()?;
    }
    None
}

impl Read for WaveSource {
    fn read(&mut self, out: &mut [u8]) -> io::Result<usize> {
        let left = usize::try_from(self.end.saturating_sub(self.at)).unwrap_or(usize::MAX);
        let most = out.len().min(left);
        let read = self.file.read(&mut out[..most])?;
        for (from, bytes) in &self.instead {
            for (byte, place) in bytes.iter().zip(*from..) {
                if let Some(to) = place.checked_sub(self.at).filter(|to| *to < read as u64) {
                    out[to as usize] = *byte;
                }
            }
        }
        self.at += read as u64;
        Ok(read)
    }
}

impl Seek for WaveSource {
    fn seek(&mut self, to: SeekFrom) -> io::Result<u64> {
        let to = match to {
            SeekFrom::Start(at) => Some(at),
            SeekFrom::Current(by) => self.at.checked_add_signed(by),
            SeekFrom::End(by) => self.end.checked_add_signed(by),
        };
        let to = to.ok_or_else(|| io::Error::new(io::ErrorKind::InvalidInput, "before the start of the file"))?;
        self.at = self.file.seek(SeekFrom::Start(to))?;
        Ok(self.at)
    }
}

impl MediaSource for WaveSource {
    fn is_seekable(&self) -> bool {
        true
    }

    fn byte_len(&self) -> Option<u64> {
        Some(self.end)
    }
}
