//! The print cache: sources rendered by the core, kept by what determines them.
//!
//! A print's key is a hash of the program's version, the racks and faders in its
//! plan, and the keys of the plan's own sources down to the recorded audio. So a
//! print can never be stale: after a change its key is another.

use std::collections::HashSet;
use std::path::PathBuf;
use std::sync::{Arc, Condvar, Mutex, PoisonError};
use std::time::{Duration, Instant};

use serde::Serialize;
use sha2::{Digest, Sha256};
use zinc_core::render::{Plan, Source};
use zinc_core::session::Session;

use super::growth::FRAME_BYTES;
use super::pool::{Pool, Wanted};
use super::render::run;
use super::source::{collect_tracks, name_of, resolve};
use crate::jobs::{Job, JobError, lock, side_by_side};
use crate::shelf::{Checksum, PayloadReader, SampleWriter, Shelf, hash_payload, hex, read_range, settle, touch};

/// Goes into every key: another core makes new prints.
pub const VERSION: &str = zinc_core::SOURCES;
/// Longest wait for a stretch of a print that grows, and for a look at one.
const PATIENCE: Duration = Duration::from_secs(8);
const LOOK: Duration = Duration::from_millis(100);
/// Most bytes of prints kept.
const CACHE_LIMIT: u64 = 16 << 30;
/// A print used within this time may be about to be read.
const IN_USE: Duration = Duration::from_secs(600);

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

/// The cache: what there is, and what is missing made.
pub struct Prints {
    pub shelf: Shelf,
    /// Keys being made right now, so that two jobs do not make the same.
    making: Mutex<HashSet<String>>,
    made: Condvar,
    /// Prints that can be read while they are made, by key.
    pub pool: Pool,
    /// Recordings found whole since the program started.
    whole: Mutex<HashSet<String>>,
}

impl Prints {
    /// A cache on a shelf.
    #[must_use]
    pub fn new(shelf: Shelf) -> Self {
        let (made, pool) = (Condvar::new(), Pool::default());
        Self { shelf, making: Mutex::default(), made, pool, whole: Mutex::default() }
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

    /// The streams of all sources, in order, whether they are there or are still to be made; and what is, which is made
    /// as long as that is held.
    ///
    /// # Errors
    /// A missing recording, or a full disk.
    pub fn begin(
        self: &Arc<Self>,
        session: &Arc<Session>,
        sources: &[Source],
    ) -> Result<(Vec<Stream>, Wanted), JobError> {
        let wanted = Wanted::of(self, session, sources)?;
        let stream = |source: &Source| {
            let there = self.stream(session, source).or_else(|| self.to_come(session, source));
            there.ok_or_else(|| damaged(&name_of(session, source), "no such file"))
        };
        Ok((sources.iter().map(stream).collect::<Result<_, _>>()?, wanted))
    }

    /// The stream of a source that grows.
    fn to_come(&self, session: &Session, source: &Source) -> Option<Stream> {
        let source = resolve(session, source);
        let key = Self::key(session, &source);
        let frames = Plan::of_source(session, &source)?.length(session).frames;
        let file = self.shelf.print_file(&key);
        Some(Stream { url: format!("/api/sides/{key}-{frames}"), channels: 2, frames, start: 0, file })
    }

    /// Bytes `from..=to` of both sides of a print of `frames` frames, waited for where it grows.
    ///
    /// # Errors
    /// A print that is not there and does not grow, or does not come so far in time.
    pub fn read_sides(&self, (key, frames): (&str, u64), from: u64, to: u64) -> std::io::Result<Vec<u8>> {
        let until = Instant::now() + PATIENCE;
        loop {
            let growth = self.pool.growth(key);
            let left = until.saturating_duration_since(Instant::now());
            if let Some(growth) = growth {
                if growth.wait_for(to / FRAME_BYTES + 1, left) {
                    return growth.read(from, to);
                }
            } else if let Some(bytes) = both_sides(&self.shelf.print_file(key), frames, from, to)? {
                return Ok(bytes);
            }
            if left.is_zero() {
                return Err(std::io::Error::new(std::io::ErrorKind::NotFound, "it is not there and does not come"));
            }
            std::thread::sleep(Duration::from_millis(50));
        }
    }

    /// Makes what is missing and returns the streams of all sources, in order.
    ///
    /// # Errors
    /// A missing or damaged payload, a full disk, or a request to stop.
    pub fn ensure(&self, session: &Session, sources: &[Source], job: &Job) -> Result<Vec<Stream>, JobError> {
        self.ensure_racks(session, sources, job)?;
        for source in sources {
            self.make_with_needs(session, source, job)?;
        }
        // A print and the sum over it go together.
        for stream in sources.iter().filter_map(|s| self.stream(session, s)) {
            touch(&stream.file);
            touch(&stream.file.with_extension("sum"));
        }
        self.shelf.trim_prints(CACHE_LIMIT, IN_USE)?;
        let missing = || JobError::Failed("A print vanished while the page was being prepared; try again.".into());
        sources.iter().map(|s| self.stream(session, s).ok_or_else(missing)).collect()
    }

    /// Prints all tracks that the sources need, side by side.
    fn ensure_racks(&self, session: &Session, sources: &[Source], job: &Job) -> Result<(), JobError> {
        let mut tracks = Vec::new();
        sources.iter().for_each(|s| collect_tracks(session, s, &mut tracks));
        tracks.retain(|s| self.stream(session, s).is_none());
        side_by_side(&tracks, |done, source| {
            job.progress(&format!("printing {}", name_of(session, source)), done)?;
            self.make_with_needs(session, source, job)
        })?;
        Ok(())
    }

    /// Makes a print after those it is made from.
    fn make_with_needs(&self, session: &Session, source: &Source, job: &Job) -> Result<(), JobError> {
        let source = resolve(session, source);
        if self.stream(session, &source).is_some() {
            return Ok(());
        }
        if let Some(plan) = Plan::of_source(session, &source) {
            for (_, needed) in plan.lanes() {
                self.make_with_needs(session, needed, job)?;
            }
        }
        self.make_once(session, &source, job)
    }

    /// Makes one print unless it is there or another job is just making it.
    fn make_once(&self, session: &Session, source: &Source, job: &Job) -> Result<(), JobError> {
        let source = resolve(session, source);
        if matches!(source, Source::Raw { .. }) {
            return Ok(());
        }
        let key = Self::key(session, &source);
        // Somebody makes it to be played.
        while let Some(growth) = self.pool.growth(&key) {
            if job.is_cancelled() {
                return Err(JobError::Cancelled);
            }
            let _ = growth.wait_for(u64::MAX, LOOK);
        }
        let mut making = lock(&self.making);
        while making.contains(&key) {
            making = self.made.wait(making).unwrap_or_else(PoisonError::into_inner);
        }
        if self.stream(session, &source).is_some() {
            return Ok(());
        }
        making.insert(key.clone());
        drop(making);
        // Also when the work ends in a panic, or whoever waits for it would wait for good.
        let _made = WhenMade { prints: self, key: &key };
        self.make(session, &source, &key, job)
    }

    fn make(&self, session: &Session, source: &Source, key: &str, job: &Job) -> Result<(), JobError> {
        let Some(plan) = Plan::of_source(session, source) else { return Ok(()) };
        self.check_recordings(session, source)?;
        let temporary = self.shelf.temporary_file();
        let try_mono = self.may_be_mono(session, source, &plan);
        let mut written = self.write_print(session, &plan, &temporary, if try_mono { 1 } else { 2 }, job)?;
        if written.is_none() {
            written = self.write_print(session, &plan, &temporary, 2, job)?;
        }
        let Some(sum) = written else {
            return Err(JobError::Failed("The print could not be written.".into()));
        };
        let said = self.shelf.temporary_file();
        std::fs::write(&*said, sum.to_text())?;
        settle(&said, &self.shelf.sum_file(key))?;
        settle(&temporary, &self.shelf.print_file(key))?;
        Ok(())
    }

    /// Whether a print may be one side: a track recorded in mono stays mono unless a unit made its sides differ.
    pub fn may_be_mono(&self, session: &Session, source: &Source, plan: &Plan) -> bool {
        matches!(source, Source::Racked { .. })
            && plan.lanes().all(|(_, source)| self.stream(session, source).is_some_and(|s| s.channels == 1))
    }

    /// Whether the recordings that a print is made from are what their names say.
    ///
    /// # Errors
    /// One that is not.
    pub fn check_recordings(&self, session: &Session, source: &Source) -> Result<(), JobError> {
        let Some(plan) = Plan::of_source(session, source) else { return Ok(()) };
        plan.lanes().try_for_each(|(_, source)| self.check_recording(session, source))
    }

    /// Whether a recording is what its name says, looked at once: a print of a damaged one
    /// would outlive its mending.
    fn check_recording(&self, session: &Session, source: &Source) -> Result<(), JobError> {
        let Source::Raw { strip } = resolve(session, source) else { return Ok(()) };
        let Some(audio) = session.strip(strip).and_then(|s| s.audio()) else { return Ok(()) };
        if lock(&self.whole).contains(&audio.hash) {
            return Ok(());
        }
        let found = hash_payload(&self.shelf.audio_file(&audio.hash), usize::from(audio.channels), session.rate);
        match found {
            Ok(hash) if hash == audio.hash => {
                lock(&self.whole).insert(hash);
                Ok(())
            }
            Ok(_) => Err(damaged(&name_of(session, source), "its content has changed")),
            Err(e) => Err(damaged(&name_of(session, source), &e.to_string())),
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

    /// Renders a plan into a file and sums it up; none if it was to be mono and is not.
    fn write_print(
        &self,
        session: &Session,
        plan: &Plan,
        to: &std::path::Path,
        channels: usize,
        job: &Job,
    ) -> Result<Option<Checksum>, JobError> {
        let mut writer = SampleWriter::create(to)?;
        let mut fits = true;
        let sources: Vec<Source> = plan.lanes().map(|(_, source)| source.clone()).collect();
        run(plan, session, &mut self.open(session, &sources)?, job, |block, frames| {
            fits = channels == 2 || block.left[..frames] == block.right[..frames];
            writer.write_block(block, frames, channels)?;
            Ok(fits)
        })?;
        let sum = writer.finish()?;
        Ok(fits.then_some(sum))
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

/// Bytes of both sides of a print that is whole, whichever way it is kept; none where it is not there.
fn both_sides(file: &std::path::Path, frames: u64, from: u64, to: u64) -> std::io::Result<Option<Vec<u8>>> {
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

/// Says that a print is no longer being made.
struct WhenMade<'a> {
    prints: &'a Prints,
    key: &'a str,
}

impl Drop for WhenMade<'_> {
    fn drop(&mut self) {
        lock(&self.prints.making).remove(self.key);
        self.prints.made.notify_all();
    }
}

fn damaged(name: &str, why: &str) -> JobError {
    JobError::Failed(format!(
        "The audio of \"{name}\" is missing or damaged ({why}). Everything else is as it was; \
         run `zinc-rack check` to see which files are affected, and import this one again."
    ))
}
