//! The print cache: sources rendered by the core, kept by what determines them.
//!
//! A print's key is a hash of the program's version, the racks and faders in its
//! plan, and the keys of the plan's own sources down to the recorded audio. So a
//! print can never be stale: after a change its key is another.

use std::collections::HashSet;
use std::path::PathBuf;
use std::sync::Mutex;

use serde::Serialize;
use sha2::{Digest, Sha256};
use zinc_core::render::{Plan, Source};
use zinc_core::session::Session;

use super::growth::FRAME_BYTES;
use super::source::{name_of, resolve};
use crate::jobs::{JobError, lock};
use crate::shelf::{Checksum, PayloadReader, Shelf, hash_payload, hex, read_range, touch};

/// Goes into every key: another core makes new prints.
pub const VERSION: &str = zinc_core::SOURCES;

/// A source that can be read and streamed.
#[derive(Clone, Debug, Serialize)]
pub struct Stream {
    /// Where the page fetches it.
    pub url: String,
    /// 1 or 2.
    pub channels: usize,
    /// Length in frames.
    pub frames: u64,
    /// Where it begins in the song, in frames.
    pub start: u64,
    #[serde(skip)]
    file: PathBuf,
}

/// A recording that a print is made from.
pub struct Recording {
    /// What its strip is called.
    name: String,
    hash: String,
    channels: usize,
    rate: u32,
}

/// What has been printed, and what was recorded.
pub struct Cache {
    pub shelf: Shelf,
    /// Recordings found whole since the program started.
    whole: Mutex<HashSet<String>>,
}

impl Cache {
    /// A cache on a shelf.
    #[must_use]
    pub fn new(shelf: Shelf) -> Self {
        Self { shelf, whole: Mutex::default() }
    }

    /// Key of a source: the payload's hash for raw audio.
    pub fn key(session: &Session, source: &Source) -> String {
        let Some(plan) = Plan::of_source(session, source) else {
            let Source::Raw { strip } = source else { return String::new() };
            return session.strip(*strip).and_then(|s| s.audio()).map(|a| a.hash.clone()).unwrap_or_default();
        };
        let mut hasher = Sha256::new();
        hasher.update(VERSION);
        hasher.update(plan.determinants(session).to_string());
        for (_, source) in plan.lanes() {
            let source = resolve(session, source);
            if let Source::Raw { strip } = source {
                hasher.update(session.strip(strip).and_then(|s| s.audio()).map_or(0, |a| a.start).to_le_bytes());
            }
            hasher.update(Self::key(session, &source));
        }
        hex(&hasher.finalize())
    }

    /// Keys of all that is printed for a session: every strip by itself and in the mix, and all that they are made from.
    pub fn keys(&self, session: &Session) -> HashSet<String> {
        let mut keys = HashSet::new();
        for strip in &session.strips {
            let plans = [Plan::stem(session, strip.id), Plan::in_parts(session, strip.id)];
            for plan in plans.iter().flatten() {
                plan.lanes().for_each(|(_, source)| Self::add_keys(session, source, &mut keys));
            }
        }
        keys
    }

    fn add_keys(session: &Session, source: &Source, keys: &mut HashSet<String>) {
        let source = resolve(session, source);
        let Some(plan) = Plan::of_source(session, &source) else { return };
        if keys.insert(Self::key(session, &source)) {
            plan.lanes().for_each(|(_, below)| Self::add_keys(session, below, keys));
        }
    }

    /// The stream of a source, if it is there.
    pub fn stream(&self, session: &Session, source: &Source) -> Option<Stream> {
        let source = resolve(session, source);
        let key = Self::key(session, &source);
        if let Source::Raw { strip } = source {
            let audio = session.strip(strip)?.audio()?;
            let (channels, frames) = (usize::from(audio.channels), audio.frames);
            let file = self.shelf.audio_file(&audio.hash);
            return Some(Stream { url: format!("/api/audio/{key}"), channels, frames, start: audio.start, file });
        }
        let file = self.shelf.print_file(&key);
        let frames = Plan::of_source(session, &source)?.length(session).frames;
        let channels = match std::fs::metadata(&file).ok()?.len() {
            bytes if bytes == frames * 8 => 2,
            bytes if bytes == frames * 4 => 1,
            // Cut short or grown: it is made again.
            _ => return None,
        };
        Some(Stream { url: format!("/api/prints/{key}"), channels, frames, start: 0, file })
    }

    /// The stream of a source that grows.
    pub fn to_come(&self, session: &Session, source: &Source) -> Option<Stream> {
        let source = resolve(session, source);
        let key = Self::key(session, &source);
        let frames = Plan::of_source(session, &source)?.length(session).frames;
        let file = self.shelf.print_file(&key);
        Some(Stream { url: format!("/api/sides/{key}-{frames}"), channels: 2, frames, start: 0, file })
    }

    /// Whether what is still to be printed for these sources fits on the disk, with so many bytes besides.
    ///
    /// # Errors
    /// What is missing, in words.
    pub fn room_for(&self, session: &Session, sources: &[Source], besides: u64) -> Result<(), String> {
        let prints = self.bytes_to_come(session, sources);
        self.shelf.space().map_or(Ok(()), |disk| disk.fits(prints.saturating_add(besides), "this print"))
    }

    /// Bytes of what is not printed yet of sources and all they are made from; each of them once.
    pub fn bytes_to_come(&self, session: &Session, sources: &[Source]) -> u64 {
        let mut seen = HashSet::new();
        sources.iter().map(|source| self.not_printed(session, source, &mut seen)).sum()
    }

    fn not_printed(&self, session: &Session, source: &Source, seen: &mut HashSet<String>) -> u64 {
        let source = resolve(session, source);
        let Some(plan) = Plan::of_source(session, &source) else { return 0 };
        if !seen.insert(Self::key(session, &source)) || self.stream(session, &source).is_some() {
            return 0;
        }
        let own = plan.length(session).frames.saturating_mul(FRAME_BYTES);
        plan.lanes().fold(own, |sum, (_, below)| sum.saturating_add(self.not_printed(session, below, seen)))
    }

    /// Says that a print is used, so that it stays; a print and the sum over it go together.
    pub fn touch(&self, stream: &Stream) {
        touch(&stream.file);
        touch(&stream.file.with_extension("sum"));
    }

    /// Whether a print may be one side: a track recorded in mono stays mono unless a unit made its sides differ.
    pub fn may_be_mono(&self, session: &Session, source: &Source, plan: &Plan) -> bool {
        matches!(source, Source::Racked { .. })
            && plan.lanes().all(|(_, source)| self.stream(session, source).is_some_and(|s| s.channels == 1))
    }

    /// The recordings among what a plan reads.
    pub fn recordings(&self, session: &Session, plan: &Plan) -> Vec<Recording> {
        let recording = |source: &Source| {
            let Source::Raw { strip } = resolve(session, source) else { return None };
            let audio = session.strip(strip)?.audio()?;
            let (hash, channels) = (audio.hash.clone(), usize::from(audio.channels));
            Some(Recording { name: name_of(session, source), hash, channels, rate: session.rate })
        };
        plan.lanes().filter_map(|(_, source)| recording(source)).collect()
    }

    /// Whether a recording is what its name says, looked at once: a print of a damaged one
    /// would outlive its mending.
    ///
    /// # Errors
    /// One that is not.
    pub fn check(&self, recording: &Recording) -> Result<(), JobError> {
        let Recording { name, hash, channels, rate } = recording;
        if lock(&self.whole).contains(hash) {
            return Ok(());
        }
        match hash_payload(&self.shelf.audio_file(hash), *channels, *rate) {
            Ok(found) if found == *hash => {
                lock(&self.whole).insert(found);
                Ok(())
            }
            Ok(_) => Err(damaged(name, "its content has changed")),
            Err(e) => Err(damaged(name, &e.to_string())),
        }
    }

    /// Removes the prints among these sources, and those they are made of, that are not what
    /// was written once, so that they are made again.
    ///
    /// # Errors
    /// A file that cannot be read or removed.
    pub fn remove_damaged(&self, session: &Session, sources: &[Source]) -> Result<(), JobError> {
        for source in sources.iter().map(|source| resolve(session, source)) {
            let Some(plan) = Plan::of_source(session, &source) else { continue };
            let key = Self::key(session, &source);
            let file = self.shelf.print_file(&key);
            let said = std::fs::read_to_string(self.shelf.sum_file(&key)).unwrap_or_default();
            if file.exists() && Checksum::of_file(&file)?.to_text() != said {
                std::fs::remove_file(&file)?;
                let inner: Vec<Source> = plan.lanes().map(|(_, source)| source.clone()).collect();
                self.remove_damaged(session, &inner)?;
            }
        }
        Ok(())
    }

    /// A source that is there, opened to be read.
    ///
    /// # Errors
    /// One that is missing or damaged.
    pub fn open_one(&self, session: &Session, source: &Source) -> Result<PayloadReader, JobError> {
        let gone = |why: &str| damaged(&name_of(session, source), why);
        let stream = self.stream(session, source).ok_or_else(|| gone("no such file"))?;
        let reader = PayloadReader::open(&stream.file, stream.channels, stream.frames, stream.start);
        reader.map_err(|e| gone(&e.to_string()))
    }

    /// Sources that are there, opened to be read.
    ///
    /// # Errors
    /// One that is missing or damaged.
    pub fn open(&self, session: &Session, sources: &[Source]) -> Result<Vec<PayloadReader>, JobError> {
        sources.iter().map(|s| self.open_one(session, s)).collect()
    }
}

/// Bytes `from..=to` of both sides of a print that is whole, whichever way it is kept; none where it is not there.
///
/// # Errors
/// When it cannot be read.
pub fn both_sides(file: &std::path::Path, frames: u64, from: u64, to: u64) -> std::io::Result<Option<Vec<u8>>> {
    let Ok(found) = std::fs::metadata(file) else { return Ok(None) };
    if found.len() == frames * FRAME_BYTES {
        return read_range(file, from, to).map(Some);
    }
    if found.len() != frames * FRAME_BYTES / 2 {
        return Ok(None);
    }
    let (first, last) = (from / FRAME_BYTES, to / FRAME_BYTES);
    let side = read_range(file, first * 4, last * 4 + 3)?;
    let both: Vec<u8> = side.chunks_exact(4).flat_map(|sample| [sample, sample].concat()).collect();
    let begin = (from - first * FRAME_BYTES) as usize;
    Ok(Some(both[begin..begin + (to + 1 - from) as usize].to_vec()))
}

/// Why a source cannot be played or printed.
#[must_use]
pub fn damaged(name: &str, why: &str) -> JobError {
    JobError::Failed(format!(
        "The audio of \"{name}\" is missing or damaged ({why}). Everything else is as it was; \
         run `zinc-rack check` to see which files are affected, and import this one again."
    ))
}
