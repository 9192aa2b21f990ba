//! The print cache: sources rendered by the core, kept by what determines them.
//!
//! A print's key is a hash of the program's version, the racks and faders in its
//! plan, and the keys of the plan's own sources down to the recorded audio. So a
//! print can never be stale: after a change its key is another.

use std::collections::HashSet;
use std::path::PathBuf;
use std::sync::{Condvar, Mutex, PoisonError};

use serde::Serialize;
use sha2::{Digest, Sha256};
use zinc_core::measure::heard::{HeardAlone, next_match};
use zinc_core::measure::treatment::{Treatment, TreatmentRun};
use zinc_core::render::offline::{BlockSource, LatencyTrim, render};
use zinc_core::render::{Listening, Plan, Source};
use zinc_core::session::{Role, Session};
use zinc_core::signal::{BLOCK, StereoBlock};

use crate::jobs::{Job, Stopped, lock, side_by_side};
use crate::shelf::{PayloadReader, SampleWriter, Shelf, hex, settle};
use crate::sound::{Bits, WavWriter};

/// Goes into every key: a change of the core's sound makes new prints.
const VERSION: &str = concat!("zinc-rack ", env!("CARGO_PKG_VERSION"), " sound 1");
/// Two sides count as equally loud within this; a third of what is promised.
const MATCHED_WITHIN_LU: f64 = 0.03;
/// Runs of the untouched side at most; two are the rule behind a bus compressor.
const MOST_TRIES: usize = 4;
/// Seconds played before a stretch is measured: longer than ordinary release times.
const RUN_UP_S: u64 = 3;
/// Most bytes of prints kept.
const CACHE_LIMIT: u64 = 4 << 30;

/// A source that can be read and streamed.
#[derive(Clone, Debug, Serialize)]
pub struct Stream {
    /// Where the page fetches it.
    pub url: String,
    /// 1 or 2.
    pub channels: usize,
    /// Length in frames.
    pub frames: u64,
    #[serde(skip)]
    file: PathBuf,
}

/// The cache.
pub struct Prints {
    shelf: Shelf,
    /// Keys being made right now, so that two jobs do not make the same.
    making: Mutex<HashSet<String>>,
    made: Condvar,
}

impl Prints {
    /// A cache on a shelf.
    #[must_use]
    pub fn new(shelf: Shelf) -> Self {
        Self { shelf, making: Mutex::default(), made: Condvar::new() }
    }

    /// Key of a source: the payload's hash for raw audio.
    fn key(session: &Session, source: &Source) -> String {
        let Some(plan) = Plan::of_source(session, source) else {
            let Source::Raw { strip } = source else { return String::new() };
            return session.strip(*strip).and_then(|s| s.audio()).map(|a| a.hash.clone()).unwrap_or_default();
        };
        let mut hasher = Sha256::new();
        hasher.update(VERSION);
        hasher.update(plan.determinants(session).to_string());
        for lane in &plan.lanes {
            hasher.update(Self::key(session, &resolve(session, &lane.source)));
        }
        hex(&hasher.finalize())
    }

    /// The stream of a source, if it is there.
    fn stream(&self, session: &Session, source: &Source) -> Option<Stream> {
        let source = resolve(session, source);
        let key = Self::key(session, &source);
        if let Source::Raw { strip } = source {
            let audio = session.strip(strip)?.audio()?;
            let (channels, frames) = (usize::from(audio.channels), audio.frames);
            let file = self.shelf.audio_file(&audio.hash);
            return Some(Stream { url: format!("/api/audio/{key}"), channels, frames, file });
        }
        let file = self.shelf.print_file(&key);
        let frames = session.frames();
        let bytes = std::fs::metadata(&file).ok()?.len();
        let channels = if frames > 0 && bytes == frames * 8 { 2 } else { 1 };
        Some(Stream { url: format!("/api/prints/{key}"), channels, frames, file })
    }

    /// Makes what is missing and returns the streams of all sources, in order.
    ///
    /// # Errors
    /// A missing or damaged payload, a full disk, or a request to stop.
    pub fn ensure(&self, session: &Session, sources: &[Source], job: &Job) -> Result<Vec<Stream>, Stopped> {
        self.ensure_tracks(session, sources, job)?;
        for source in sources {
            self.make_once(session, source, job)?;
        }
        self.shelf.trim_prints(CACHE_LIMIT)?;
        let missing = || Stopped::Failed("A print vanished while the page was being prepared; try again.".into());
        sources.iter().map(|s| self.stream(session, s).ok_or_else(missing)).collect()
    }

    /// Prints all tracks that the sources need, side by side.
    fn ensure_tracks(&self, session: &Session, sources: &[Source], job: &Job) -> Result<(), Stopped> {
        let mut tracks = Vec::new();
        sources.iter().for_each(|s| collect_tracks(session, s, &mut tracks));
        tracks.retain(|s| self.stream(session, s).is_none());
        side_by_side(&tracks, |done, source| {
            job.progress(&format!("printing {}", name_of(session, source)), done)?;
            self.make_once(session, source, job)
        })?;
        Ok(())
    }

    /// Makes one print unless it is there or another job is just making it.
    fn make_once(&self, session: &Session, source: &Source, job: &Job) -> Result<(), Stopped> {
        let source = resolve(session, source);
        if matches!(source, Source::Raw { .. }) {
            return Ok(());
        }
        let key = Self::key(session, &source);
        let mut making = lock(&self.making);
        while making.contains(&key) {
            making = self.made.wait(making).unwrap_or_else(PoisonError::into_inner);
        }
        if self.stream(session, &source).is_some() {
            return Ok(());
        }
        making.insert(key.clone());
        drop(making);
        let result = self.make(session, &source, &key, job);
        lock(&self.making).remove(&key);
        self.made.notify_all();
        result
    }

    fn make(&self, session: &Session, source: &Source, key: &str, job: &Job) -> Result<(), Stopped> {
        let Some(plan) = Plan::of_source(session, source) else { return Ok(()) };
        let temporary = self.shelf.temporary_file();
        // A track recorded in mono stays mono unless a unit made its sides differ.
        let try_mono = matches!(source, Source::Printed { .. })
            && plan.lanes.iter().all(|l| self.stream(session, &l.source).is_some_and(|s| s.channels == 1));
        let mut written = self.write_print(session, &plan, &temporary, if try_mono { 1 } else { 2 }, job)?;
        if !written {
            written = self.write_print(session, &plan, &temporary, 2, job)?;
        }
        if !written {
            return Err(Stopped::Failed("The print could not be written.".into()));
        }
        settle(&temporary, &self.shelf.print_file(key))?;
        Ok(())
    }

    /// Renders a plan into a file; false if it was to be mono and is not.
    fn write_print(
        &self,
        session: &Session,
        plan: &Plan,
        to: &std::path::Path,
        channels: usize,
        job: &Job,
    ) -> Result<bool, Stopped> {
        let mut writer = SampleWriter::create(to)?;
        let mut fits = true;
        self.run(session, plan, job, |block, frames| {
            fits = channels == 2 || block.left[..frames] == block.right[..frames];
            writer.write_block(block, frames, channels)?;
            Ok(fits)
        })?;
        writer.finish()?;
        Ok(fits)
    }

    /// Runs a plan over the whole song; its sources must be there.
    fn run(
        &self,
        session: &Session,
        plan: &Plan,
        job: &Job,
        mut sink: impl FnMut(&StereoBlock, usize) -> Result<bool, std::io::Error>,
    ) -> Result<(), Stopped> {
        let mut inputs = plan.lanes.iter().map(|l| self.open(session, &l.source)).collect::<Result<Vec<_>, _>>()?;
        let mut blocks = 0u32;
        let mut cancelled = false;
        render(plan, session, &mut inputs, session.frames(), |block, frames| {
            blocks += 1;
            cancelled = blocks.is_multiple_of(512) && is_cancelled(job);
            Ok::<bool, std::io::Error>(!cancelled && sink(block, frames)?)
        })?;
        if cancelled { Err(Stopped::Cancelled) } else { Ok(()) }
    }

    fn open(&self, session: &Session, source: &Source) -> Result<PayloadReader, Stopped> {
        let name = name_of(session, source);
        let gone = |why: String| {
            Stopped::Failed(format!(
                "The audio of \"{name}\" is missing or damaged ({why}). Everything else is as it was; \
                 run `zinc-rack check` to see which files are affected, and import this one again."
            ))
        };
        let stream = self.stream(session, source).ok_or_else(|| gone("no such file".into()))?;
        PayloadReader::open(&stream.file, stream.channels, stream.frames).map_err(|e| gone(e.to_string()))
    }

    /// Gain in dB that makes the untouched sound of a strip as loud as the worked one
    /// where it is heard alone, between two frames; found from a first guess.
    ///
    /// # Errors
    /// As [`Self::ensure`].
    pub fn heard_match(
        &self,
        session: &Session,
        strip: u32,
        range: std::ops::Range<u64>,
        guess_db: f64,
        job: &Job,
    ) -> Result<f64, Stopped> {
        let source = input_of(session, strip)?;
        self.ensure(session, std::slice::from_ref(&source), job)?;
        let loudness = |listening: Listening| self.heard_lufs(session, strip, &source, &range, listening, job);
        let first = side_by_side(&[Listening::Worked, Listening::Untouched(guess_db)], |_, side| loudness(*side))?;
        let (Some(goal), Some(mut heard)) = (first[0], first[1]) else { return Ok(guess_db) };
        let mut tried = vec![(guess_db, heard)];
        while (heard - goal).abs() > MATCHED_WITHIN_LU && tried.len() < MOST_TRIES {
            let gain_db = next_match(&tried, goal);
            heard = loudness(Listening::Untouched(gain_db))?.unwrap_or(heard);
            tried.push((gain_db, heard));
        }
        let best = tried.iter().min_by(|a, b| (a.1 - goal).abs().total_cmp(&(b.1 - goal).abs()));
        Ok(best.map_or(guess_db, |t| t.0))
    }

    fn heard_lufs(
        &self,
        session: &Session,
        strip: u32,
        source: &Source,
        range: &std::ops::Range<u64>,
        listening: Listening,
        job: &Job,
    ) -> Result<Option<f64>, Stopped> {
        let run_up = range.start.min(u64::from(session.rate) * RUN_UP_S);
        let missing = || Stopped::Failed(format!("There is no strip {strip}."));
        let mut heard = HeardAlone::new(session, strip, listening, run_up as usize).ok_or_else(missing)?;
        let mut input = self.open(session, source)?;
        input.skip_to(range.start - run_up)?;
        let mut block = StereoBlock::SILENT;
        for n in 0..(range.end - range.start + run_up).div_ceil(BLOCK as u64) {
            if n.is_multiple_of(512) && is_cancelled(job) {
                return Err(Stopped::Cancelled);
            }
            input.next_block(&mut block)?;
            heard.push(&block);
        }
        Ok(heard.lufs())
    }

    /// What a strip's rack does to its whole part.
    ///
    /// # Errors
    /// As [`Self::ensure`].
    pub fn treatment(&self, session: &Session, strip: u32, job: &Job) -> Result<Treatment, Stopped> {
        let source = input_of(session, strip)?;
        let found = session.strip(strip).ok_or_else(|| Stopped::Failed(format!("There is no strip {strip}.")))?;
        let mut hasher = Sha256::new();
        hasher.update(format!("{VERSION} treatment {}", session.rate));
        hasher.update(Self::key(session, &source));
        hasher.update(found.rack.to_json().to_string());
        let file = self.shelf.figures_file(&hex(&hasher.finalize()));
        if let Some(known) = std::fs::read(&file).ok().and_then(|b| serde_json::from_slice(&b).ok()) {
            return Ok(known);
        }
        self.ensure(session, std::slice::from_ref(&source), job)?;
        job.progress(&format!("measuring {}", found.name), 0.5)?;
        let mut input = self.open(session, &source)?;
        let mut run = TreatmentRun::new(&found.rack, f64::from(session.rate));
        let mut block = StereoBlock::SILENT;
        let blocks = (session.frames() + run.latency() as u64).div_ceil(BLOCK as u64);
        for n in 0..blocks {
            if n.is_multiple_of(512) && is_cancelled(job) {
                return Err(Stopped::Cancelled);
            }
            input.next_block(&mut block)?;
            run.process(&mut block);
        }
        let treatment = run.finish();
        let temporary = self.shelf.temporary_file();
        std::fs::write(&*temporary, serde_json::to_vec(&treatment)?)?;
        settle(&temporary, &file)?;
        Ok(treatment)
    }

    /// Prints a strip to a WAV file on the delivery shelf; returns its key and
    /// how many samples were clipped.
    ///
    /// # Errors
    /// As [`Self::ensure`].
    pub fn deliver(&self, session: &Session, strip: u32, bits: Bits, job: &Job) -> Result<(String, u64), Stopped> {
        let missing = || Stopped::Failed(format!("There is no strip {strip}."));
        let found = session.strip(strip).ok_or_else(missing)?;
        let plan = Plan::stem(session, strip).ok_or_else(missing)?;
        let sources: Vec<Source> = plan.lanes.iter().map(|l| l.source.clone()).collect();
        self.ensure(session, &sources, job)?;
        let mono = found.is_track() && self.is_mono(session, strip, job)?;
        let temporary = self.shelf.temporary_file();
        let channels = if mono { 1 } else { 2 };
        let mut writer = WavWriter::create(&temporary, channels, session.rate, bits)?;
        let label = format!("writing {}", found.name);
        let (mut done, total) = (0u64, session.frames().max(1));
        self.run(session, &plan, job, |block, frames| {
            writer.write(block, frames).map_err(std::io::Error::other)?;
            done += frames as u64;
            Ok(!done.is_multiple_of(512 * BLOCK as u64) || job.progress(&label, done as f64 / total as f64).is_ok())
        })?;
        job.progress(&label, 1.0)?;
        let clipped = writer.finish()?;
        let mut hasher = Sha256::new();
        hasher.update(std::fs::read(&*temporary)?);
        let key = hex(&hasher.finalize());
        settle(&temporary, &self.shelf.delivered_file(&key))?;
        Ok((key, clipped))
    }

    fn is_mono(&self, session: &Session, strip: u32, job: &Job) -> Result<bool, Stopped> {
        let streams = self.ensure(session, &[Source::Printed { strip }], job)?;
        Ok(streams.iter().all(|s| s.channels == 1))
    }
}

/// What flows into a strip's rack.
fn input_of(session: &Session, strip: u32) -> Result<Source, Stopped> {
    let found = session.strip(strip).ok_or_else(|| Stopped::Failed(format!("There is no strip {strip}.")))?;
    Ok(match found.role {
        Role::Track(_) => Source::Raw { strip },
        Role::Bus => Source::IntoBus { bus: strip, without: None },
        Role::Main => Source::IntoMain { without: None },
    })
}

fn is_cancelled(job: &Job) -> bool {
    match job.state() {
        crate::jobs::JobState::Running { label, share } => job.progress(&label, share).is_err(),
        _ => false,
    }
}

/// A track whose rack does nothing is its own print.
fn resolve(session: &Session, source: &Source) -> Source {
    match source {
        Source::Printed { strip } => {
            let idle = session.strip(*strip).is_some_and(|s| s.rack.units.iter().all(|u| !u.common.is_on("on")));
            if idle { Source::Raw { strip: *strip } } else { source.clone() }
        }
        _ => source.clone(),
    }
}

fn collect_tracks(session: &Session, source: &Source, out: &mut Vec<Source>) {
    if matches!(source, Source::Printed { .. }) && !out.contains(source) {
        out.push(source.clone());
    }
    if let Some(plan) = Plan::of_source(session, source) {
        plan.lanes.iter().for_each(|l| collect_tracks(session, &l.source, out));
    }
}

fn name_of(session: &Session, source: &Source) -> String {
    let strip = match source {
        Source::Raw { strip } | Source::Printed { strip } => *strip,
        Source::IntoBus { bus, .. } => *bus,
        Source::IntoMain { .. } => session.main_id(),
    };
    session.strip(strip).map(|s| s.name.clone()).unwrap_or_default()
}

/// Runs one rack over blocks, latency taken out: what `zinc-rack process` does.
///
/// # Errors
/// Those of source and sink.
pub fn process<E>(
    rack: &zinc_core::rack::RackSpec,
    rate: u32,
    source: &mut impl BlockSource<Error = E>,
    frames: u64,
    mut sink: impl FnMut(&StereoBlock, usize) -> Result<bool, E>,
) -> Result<(), E> {
    let mut running = zinc_core::rack::Rack::new(rack, f64::from(rate));
    let mut trim = LatencyTrim::new(running.latency(), frames);
    let mut block = StereoBlock::SILENT;
    while trim.wants_more() {
        source.next_block(&mut block)?;
        running.process(&mut block);
        trim.pass(&block, &mut sink)?;
    }
    Ok(())
}
