//! Brings a sound onto the shelf and a file into a session.
//!
//! A file streams through: decoded, brought to the session's rate, written under a
//! temporary name, measured on the way. Only when all of it is there does it get its
//! name and the session its track, so that a file is wholly in or not at all.

use std::collections::BTreeMap;
use std::path::Path;
use std::time::Duration;

use serde::Serialize;

use zinc_core::measure::features::FeatureMeter;
use zinc_core::measure::intake::IntakeMeter;
use zinc_core::rack::MAX_NAME;
use zinc_core::session::edit::{LATEST_FRAME, MAX_SECTIONS};
use zinc_core::session::{AudioRef, Edit, Part, Role, Section, Session, Strip};
use zinc_core::signal::{BLOCK, StereoBlock};

use crate::app::App;
use crate::jobs::{Job, JobError, lock};
use crate::shelf::{SampleWriter, Temporary, hash_payload, settle};
use crate::store::{AudioRow, Requester, StoreError};
use zinc_sound::resample::StreamResampler;
use zinc_sound::riff::{RiffNotes, riff_notes};
use zinc_sound::{DecodeError, Decoded, Decoder, Remarks, in_words};

/// What an import did.
#[derive(Debug)]
pub struct Imported {
    /// One sentence for the page.
    pub sentence: String,
    /// The new track, or the one that holds this sound already.
    pub strip: u32,
    /// Whether the sound was there before.
    pub duplicate: bool,
    /// What it sounds like, where its name says nothing.
    pub guess: Option<Proposal>,
}

/// What a track sounds like.
#[derive(Debug, Serialize)]
pub struct Proposal {
    /// The part, in words.
    pub label: &'static str,
    /// How sure, 0 to 1.
    pub sure: f64,
    /// A name it could have.
    pub name: String,
}

/// Start times further apart than this are of another song, in seconds.
const SAME_SONG_S: f64 = 3600.0;

/// Sample rates a session can have.
pub const RATES: [u32; 4] = [44_100, 48_000, 88_200, 96_000];

/// The rate most files have, of those a session can have; of two that are as frequent the
/// higher; nothing where no file says.
#[must_use]
pub fn commonest_rate(rates: &[u32]) -> Option<u32> {
    let mut counts: BTreeMap<u32, usize> = BTreeMap::new();
    for rate in rates.iter().filter(|rate| **rate > 0) {
        let nearest = RATES.iter().min_by_key(|known| known.abs_diff(*rate));
        *counts.entry(*nearest?).or_default() += 1;
    }
    counts.into_iter().max_by_key(|(_, count)| *count).map(|(rate, _)| rate)
}

/// A payload in the making, and what was measured on the way.
struct Intake {
    temporary: Temporary,
    channels: usize,
    file_rate: u32,
    frames: u64,
    remarks: Remarks,
    meter: IntakeMeter,
    features: FeatureMeter,
}

/// Writes a sound that is in memory to the shelf under its hash and remembers it.
///
/// # Errors
/// Those of the file system and the database.
pub fn shelve(app: &App, name: &str, sound: &Decoded) -> Result<AudioRef, Box<dyn std::error::Error + Send + Sync>> {
    let temporary = app.shelf.temporary_file();
    let mut writer = SampleWriter::create(&temporary)?;
    writer.write(&sound.samples)?;
    writer.finish()?;
    let audio = put_on_shelf(app, name, &temporary, sound.channels, sound.rate, sound.frames() as u64)?;
    let mut intake = IntakeMeter::new(f64::from(sound.rate), sound.channels as u8);
    for_each_block(&sound.samples, sound.channels, |block, frames| intake.push(block, frames));
    app.store.put_intake(&audio.hash, &intake.finish())?;
    Ok(audio)
}

fn put_on_shelf(
    app: &App,
    name: &str,
    temporary: &Temporary,
    channels: usize,
    rate: u32,
    frames: u64,
) -> Result<AudioRef, Box<dyn std::error::Error + Send + Sync>> {
    let hash = hash_payload(temporary, channels, rate)?;
    settle(temporary, &app.shelf.audio_file(&hash))?;
    app.store.put_audio(&AudioRow {
        hash: hash.clone(),
        name: name.to_string(),
        channels: channels as i32,
        rate: rate as i32,
        frames: frames as i64,
        time_reference: None,
    })?;
    Ok(AudioRef { hash, channels: channels as u8, frames, start: 0, stamp: None })
}

/// Whether a file of so many bytes can be taken in, with `besides` for the file itself where it is yet to come. Sound lies on
/// the shelf as 32-bit floats: twice what most WAVs take, and many times what coded files do.
///
/// # Errors
/// What is missing, in words.
pub fn room_for(app: &App, name: &str, bytes: u64, besides: u64) -> Result<(), String> {
    let ending = Path::new(name).extension().map(|ending| ending.to_ascii_lowercase()).unwrap_or_default();
    let times = match ending.to_str() {
        Some("mp3" | "ogg" | "oga") => 16,
        Some("flac") => 4,
        _ => 2,
    };
    let needed = bytes.saturating_mul(times).saturating_add(besides);
    app.shelf.space().map_or(Ok(()), |disk| disk.fits(needed, &format!("the import of {name}")))
}

/// Reads a file and adds it to a session as a track. `name` is the file's own name,
/// which the track keeps; it takes its place once the import `after` is over.
///
/// # Errors
/// A sentence that says what happened to this file (nothing was imported then), or a
/// request to stop.
pub fn import_file(
    app: &App,
    session_id: i32,
    file: &Path,
    name: &str,
    after: Option<u64>,
    job: &Job,
) -> Result<Imported, JobError> {
    let refused = |e: DecodeError| {
        JobError::Failed(format!("{name} {e}. It was not imported; the other files are not affected."))
    };
    let not_stored = |e: String| JobError::Failed(format!("{name} could not be stored ({e}). It was not imported."));
    let session = app.store.load(session_id).map_err(|e| not_stored(e.to_string()))?.session;
    let bytes = std::fs::metadata(file).map_or(0, |about| about.len());
    room_for(app, name, bytes, 0).map_err(JobError::Failed)?;
    let mut decoder = Decoder::open(file).map_err(refused)?;
    let intake = take_in(app, &mut decoder, session.rate, name, job).map_err(|e| match e {
        TakeError::Decode(e) => refused(e),
        TakeError::Write(e) => not_stored(in_words(&e)),
        TakeError::Cancelled => JobError::Cancelled,
    })?;
    let notes = riff_notes(file);
    let stamp =
        notes.time_reference.map(|at| to_rate(at, intake.file_rate, session.rate)).filter(|at| *at <= LATEST_FRAME);
    let put = put_on_shelf(app, name, &intake.temporary, intake.channels, session.rate, intake.frames);
    let audio = AudioRef { stamp, ..put.map_err(|e| not_stored(e.to_string()))? };
    in_turn(app, after, job)?;
    // One after another from here on: the same sound that comes four times at once is one track.
    let _turn = lock(&app.placing);
    let session = app.store.load(session_id).map_err(|e| not_stored(e.to_string()))?.session;
    if let Some(known) = session.tracks().find(|t| t.audio().is_some_and(|a| a.hash == audio.hash)) {
        let mut sentence =
            format!("{name} is the same sound, sample for sample, as \"{}\"; it was not brought in twice.", known.name);
        if stamp.is_some() && known.audio().is_some_and(|a| a.stamp != stamp) {
            stamp_anew(app, session_id, known, stamp).map_err(|e| not_stored(e.to_string()))?;
            sentence += " It was placed by the start time that this file has.";
        }
        return Ok(Imported { sentence, strip: known.id, duplicate: true, guess: None });
    }
    let words = describe(name, &intake, &session, &notes);
    let (strip, guess) =
        add_track(app, session_id, &session, name, audio, intake, &notes).map_err(|e| not_stored(e.to_string()))?;
    // It is in: what follows is about where it stands, and said beside that.
    let words = match place_by_start_times(app, session_id) {
        Ok(()) => words,
        Err(why) => format!("{words} It stands at the start of the song, since it could not be placed ({why})."),
    };
    Ok(Imported { sentence: words, strip, duplicate: false, guess })
}

/// A track that is there already is placed by what another file of the same sound says.
fn stamp_anew(app: &App, id: i32, track: &Strip, stamp: Option<u64>) -> Result<(), StoreError> {
    let start = track.audio().map_or(0, |a| a.start);
    app.store.apply(id, &Edit::SetStart { strip: track.id, start, stamp }, "", &Requester::default())?;
    place_by_start_times(app, id)
}

/// Waits for the import that comes before this one: files are read side by side, and their
/// tracks stand in the order they were sent in. The one before was queued before, so that it
/// never waits for this one.
fn in_turn(app: &App, after: Option<u64>, job: &Job) -> Result<(), JobError> {
    // Jobs are numbered as they are queued: one that is not before this one would be waited for in vain.
    let after = after.filter(|before| *before < job.id);
    while after.and_then(|id| app.jobs.get(id)).is_some_and(|before| !before.state().is_over()) {
        job.progress("waiting for the file before it", 0.99)?;
        std::thread::sleep(Duration::from_millis(10));
    }
    Ok(())
}

enum TakeError {
    Decode(DecodeError),
    Write(std::io::Error),
    Cancelled,
}

/// Streams a file to a temporary payload at a session's rate.
fn take_in(app: &App, decoder: &mut Decoder, rate: u32, name: &str, job: &Job) -> Result<Intake, TakeError> {
    let temporary = app.shelf.temporary_file();
    let mut writer = SampleWriter::create(&temporary).map_err(TakeError::Write)?;
    let mut measured: Option<Measured> = None;
    let mut resampler: Option<StreamResampler> = None;
    let mut parts = 0u32;
    loop {
        // The share is asked first: the stretch borrows the decoder.
        let share = decoder.share();
        let Some(part) = decoder.next_part().map_err(TakeError::Decode)?.map(<[f32]>::to_vec) else { break };
        parts += 1;
        if parts.is_multiple_of(16) {
            job.progress(&format!("reading {name}"), share).map_err(|_| TakeError::Cancelled)?;
        }
        let (channels, from) = (decoder.channels(), decoder.rate());
        if from != rate && resampler.is_none() {
            let made = StreamResampler::new(from, rate, channels).ok_or(TakeError::Decode(DecodeError::Rate(from)))?;
            resampler = Some(made);
        }
        let meters = measured.get_or_insert_with(|| Measured::new(rate, channels));
        let mut keep = |samples: &[f32]| {
            meters.push(samples);
            writer.write(samples)
        };
        match &mut resampler {
            Some(resampler) => resampler.push(&part, &mut keep),
            None => keep(&part),
        }
        .map_err(TakeError::Write)?;
    }
    let mut measured = measured.ok_or(TakeError::Decode(DecodeError::Empty))?;
    if let Some(resampler) = resampler {
        resampler
            .finish(|samples: &[f32]| {
                measured.push(samples);
                writer.write(samples)
            })
            .map_err(TakeError::Write)?;
    }
    measured.flush();
    writer.finish().map_err(TakeError::Write)?;
    Ok(Intake {
        temporary,
        channels: decoder.channels(),
        file_rate: decoder.rate(),
        remarks: decoder.remarks(),
        frames: measured.frames,
        meter: measured.intake,
        features: measured.features,
    })
}

/// Interleaved samples block by block, one channel on both sides.
fn for_each_block(samples: &[f32], channels: usize, mut see: impl FnMut(&StereoBlock, usize)) {
    for part in samples.chunks(BLOCK * channels) {
        let mut block = StereoBlock::SILENT;
        for (i, frame) in part.chunks_exact(channels).enumerate() {
            (block.left[i], block.right[i]) = (frame[0], frame[channels - 1]);
        }
        see(&block, part.len() / channels);
    }
}

/// Gathers interleaved samples into blocks for the meters.
struct Measured {
    channels: usize,
    block: StereoBlock,
    filled: usize,
    frames: u64,
    intake: IntakeMeter,
    features: FeatureMeter,
}

impl Measured {
    fn new(rate: u32, channels: usize) -> Self {
        Self {
            channels,
            block: StereoBlock::SILENT,
            filled: 0,
            frames: 0,
            intake: IntakeMeter::new(f64::from(rate), channels as u8),
            features: FeatureMeter::new(f64::from(rate)),
        }
    }

    fn push(&mut self, samples: &[f32]) {
        for frame in samples.chunks_exact(self.channels) {
            self.block.left[self.filled] = frame[0];
            self.block.right[self.filled] = frame[self.channels - 1];
            self.filled += 1;
            if self.filled == BLOCK {
                self.flush();
            }
        }
    }

    fn flush(&mut self) {
        if self.filled > 0 {
            self.intake.push(&self.block, self.filled);
            self.features.push(&self.block, self.filled);
            self.frames += self.filled as u64;
            self.filled = 0;
        }
    }
}

fn to_rate(frames: u64, from: u32, to: u32) -> u64 {
    (u128::from(frames) * u128::from(to) / u128::from(from.max(1))) as u64
}

fn describe(name: &str, intake: &Intake, session: &Session, notes: &RiffNotes) -> String {
    let seconds = intake.frames as f64 / f64::from(session.rate);
    let width = if intake.channels == 2 { "stereo" } else { "mono" };
    let khz = |rate: u32| f64::from(rate) / 1000.0;
    let mut words = format!("{name}: {seconds:.1} s, {width}");
    if intake.file_rate != session.rate {
        words += &format!(", resampled from {} to {} kHz", khz(intake.file_rate), khz(session.rate));
    }
    if notes.time_reference.is_some() {
        words += ", with a start time";
    }
    words += &intake.remarks.words();
    if !notes.markers.is_empty() && session.sections.is_empty() {
        words += &match notes.markers.len() {
            all if all > MAX_SECTIONS => format!(", the first {MAX_SECTIONS} of {all} markers made into sections"),
            all => format!(", {all} markers made into sections"),
        };
    }
    words + "."
}

fn add_track(
    app: &App,
    id: i32,
    session: &Session,
    name: &str,
    audio: AudioRef,
    intake: Intake,
    notes: &RiffNotes,
) -> Result<(u32, Option<Proposal>), StoreError> {
    let frames = audio.frames;
    let own_name = track_name(name);
    let named = app.store.remembered_part(own_name)?.unwrap_or_else(|| Part::from_name(own_name));
    let likely = if named == Part::Unknown { intake.features.finish().likely() } else { Vec::new() };
    let part = likely.first().map_or(named, |likely| likely.part);
    let guess = likely.first().map(|likely| Proposal {
        label: likely.part.label(),
        sure: likely.sure,
        name: proposed_name(session, likely.part),
    });
    let mut track = Strip::new(0, own_name, part.family(), Role::Track(audio), Some(session.main_id()));
    (track.part, track.guessed) = (part, true);
    let findings = intake.meter.finish();
    app.store.put_intake(&track.audio().map(|a| a.hash.clone()).unwrap_or_default(), &findings)?;
    let mut edits = vec![Edit::AddStrip { at: session.tracks().count(), strip: Box::new(track) }];
    if session.sections.is_empty() && !notes.markers.is_empty() {
        edits.push(Edit::SetSections { sections: sections_of(notes, intake.file_rate, session.rate, frames) });
    }
    let change = app.store.apply(id, &Edit::Several { edits }, "", &Requester::default())?;
    Ok((change.session.tracks().last().map_or(0, |t| t.id), guess))
}

/// Sections from one marker to the next.
fn sections_of(notes: &RiffNotes, from: u32, to: u32, frames: u64) -> Vec<Section> {
    let starts: Vec<u64> = notes.markers.iter().map(|(at, _)| to_rate(*at, from, to)).collect();
    let ends = starts.iter().skip(1).copied().chain([frames]);
    let all = notes.markers.iter().zip(starts.iter().copied().zip(ends));
    all.filter(|(_, (start, end))| start < end && *end <= LATEST_FRAME)
        .take(MAX_SECTIONS)
        .map(|((_, name), (start, end))| Section { id: 0, name: name.clone(), start, end })
        .collect()
}

/// A name for a track whose own says nothing: what it seems to be, with a number where a
/// strip of the session is called that already.
fn proposed_name(session: &Session, part: Part) -> String {
    let mut label = part.label().to_string();
    label[..1].make_ascii_uppercase();
    let taken = |name: &str| session.strips.iter().any(|s| s.name == name);
    if !taken(&label) {
        return label;
    }
    (2..).map(|n| format!("{label} {n}")).find(|n| !taken(n)).unwrap_or(label)
}

/// Places all tracks whose files told when they began, the earliest at the start of
/// the song.
fn place_by_start_times(app: &App, id: i32) -> Result<(), StoreError> {
    let session = app.store.load(id)?.session;
    let known = stamped(&session, &app.store.time_references()?);
    let Some(earliest) = known.iter().map(|(_, _, stamp)| *stamp).min() else { return Ok(()) };
    let furthest = (SAME_SONG_S * f64::from(session.rate)) as u64;
    let edits: Vec<Edit> = known
        .iter()
        .map(|(strip, now, stamp)| (*strip, *now, stamp - earliest, Some(*stamp)))
        .filter(|(_, now, start, _)| *start <= furthest && now != start)
        .map(|(strip, _, start, stamp)| Edit::SetStart { strip, start, stamp })
        .collect();
    if !edits.is_empty() {
        app.store.apply(id, &Edit::Several { edits }, "", &Requester::default())?;
    }
    Ok(())
}

/// Tracks that know when they began, with where they stand and that time in frames since midnight. Of those that came in before
/// tracks kept it, `of_sounds` knows the times by their sound: they count where the track still stands by them.
fn stamped(session: &Session, of_sounds: &[(String, i64)]) -> Vec<(u32, u64, u64)> {
    let of_sound = |audio: &AudioRef| {
        let (_, at) = of_sounds.iter().find(|(hash, _)| *hash == audio.hash)?;
        u64::try_from(*at).ok().filter(|at| *at <= LATEST_FRAME)
    };
    let earlier = session.tracks().filter_map(|t| t.audio().filter(|a| a.stamp.is_none()).and_then(of_sound)).min();
    let known = |track: &Strip| {
        let audio = track.audio()?;
        let stands = |at: &u64| earlier.is_some_and(|earliest| at - earliest == audio.start);
        let stamp = audio.stamp.or_else(|| of_sound(audio).filter(stands))?;
        Some((track.id, audio.start, stamp))
    };
    session.tracks().filter_map(known).collect()
}

/// A file's name without folder and ending, cut to what a strip holds.
fn track_name(file_name: &str) -> &str {
    let base = file_name.rsplit(['/', '\\']).next().unwrap_or(file_name);
    let stem = base.rsplit_once('.').map_or(base, |(stem, _)| stem).trim();
    let end = stem.char_indices().nth(MAX_NAME).map_or(stem.len(), |(i, _)| i);
    if stem.is_empty() { "Track" } else { &stem[..end] }
}

#[cfg(test)]
#[allow(clippy::unwrap_used)]
mod tests {
    use super::*;

    #[test]
    fn track_names_are_the_files_own_without_folder_and_ending() {
        assert_eq!(track_name("takes/Gtr.left.wav"), "Gtr.left");
        assert_eq!(track_name("..\\..\\x.flac"), "x");
        assert_eq!(track_name(".wav"), "Track");
        assert_eq!(track_name(&"a".repeat(200)).len(), MAX_NAME);
    }

    #[test]
    fn a_proposed_name_is_that_of_the_part_with_a_number_where_it_is_taken() {
        let mut session = Session::new("names", 48_000);
        assert_eq!(proposed_name(&session, Part::Kick), "Kick drum");
        session.add_strip("Kick drum", zinc_core::session::Family::Dr, Role::Bus, 1);
        assert_eq!(proposed_name(&session, Part::Kick), "Kick drum 2");
    }

    #[test]
    fn a_session_takes_the_rate_most_of_its_files_have() {
        assert_eq!(commonest_rate(&[44_100, 48_000, 44_100]), Some(44_100));
        assert_eq!(commonest_rate(&[44_100, 48_000]), Some(48_000));
        assert_eq!(commonest_rate(&[192_000, 192_000, 48_000]), Some(96_000));
        assert_eq!(commonest_rate(&[0]), None);
        assert_eq!(commonest_rate(&[]), None);
    }

    /// A data folder with a session at 48 kHz.
    fn studio() -> (tempfile::TempDir, App, i32) {
        let folder = tempfile::tempdir().unwrap();
        let app = App::open(folder.path()).unwrap();
        let id = app.store.create_session(&Session::new("imports", 48_000)).unwrap();
        (folder, app, id)
    }

    /// Half a second of a tone of its own, as a file that says when it began.
    fn file(folder: &Path, tone: f64, rate: u32, stamp: Option<u64>) -> std::path::PathBuf {
        let path = folder.join(format!("{tone} {}.wav", stamp.unwrap_or(0)));
        let side: Vec<f32> = (0..rate / 2).map(|n| 0.3 * (f64::from(n) * tone).sin() as f32).collect();
        zinc_sound::write_float(&path, &[side.clone(), side], rate).unwrap();
        if let Some(at) = stamp {
            let mut body = vec![0u8; 602];
            body[338..346].copy_from_slice(&at.to_le_bytes());
            append(&path, b"bext", &body);
        }
        path
    }

    /// One more chunk at the end of a file.
    fn append(path: &Path, name: &[u8; 4], body: &[u8]) {
        let mut bytes = std::fs::read(path).unwrap();
        bytes.extend(name);
        bytes.extend((body.len() as u32).to_le_bytes());
        bytes.extend(body);
        std::fs::write(path, bytes).unwrap();
    }

    fn bring(app: &App, id: i32, path: &Path) -> Imported {
        import_file(app, id, path, &path.file_name().unwrap().to_string_lossy(), None, &Job::alone()).unwrap()
    }

    /// Where the tracks of a session begin, in seconds.
    fn starts(app: &App, id: i32) -> Vec<f64> {
        let session = app.store.load(id).unwrap().session;
        session.tracks().map(|t| t.audio().unwrap().start as f64 / 48_000.0).collect()
    }

    #[test]
    fn a_start_time_belongs_to_the_file_and_not_to_the_sound() {
        let (folder, app, id) = studio();
        let of = |tone: f64, seconds: u64| file(folder.path(), tone, 48_000, Some(48_000 * seconds));
        bring(&app, id, &of(0.05, 100));
        bring(&app, id, &of(0.06, 103));
        assert_eq!(starts(&app, id), [0.0, 3.0]);
        // The same sound, stamped anew.
        let again = bring(&app, id, &of(0.06, 110));
        assert!(again.duplicate && again.sentence.ends_with("It was placed by the start time that this file has."));
        assert_eq!(starts(&app, id), [0.0, 10.0]);
        // In another session it stands by the file that was brought in there.
        let other = app.store.create_session(&Session::new("other", 48_000)).unwrap();
        bring(&app, other, &of(0.05, 100));
        bring(&app, other, &of(0.06, 101));
        assert_eq!(starts(&app, other), [0.0, 1.0]);
        assert_eq!(starts(&app, id), [0.0, 10.0]);
        // One that was moved by hand stays there, whoever comes in after it.
        let session = app.store.load(id).unwrap().session;
        let strip = session.tracks().nth(1).unwrap().id;
        let by_hand = Edit::SetStart { strip, start: 48_000 * 7, stamp: None };
        app.store.apply(id, &by_hand, "", &Requester::default()).unwrap();
        bring(&app, id, &of(0.07, 102));
        assert_eq!(starts(&app, id), [0.0, 7.0, 2.0]);
    }

    #[test]
    fn a_start_time_beyond_all_days_is_none_and_no_later_import_suffers_from_it() {
        let (folder, app, id) = studio();
        for at in [1 << 63, u64::MAX, 1 << 40] {
            let done = bring(&app, id, &file(folder.path(), 0.01 + at as f64 / 1e20, 48_000, Some(at)));
            assert!(!done.duplicate && !done.sentence.contains("start time"), "{}", done.sentence);
        }
        bring(&app, id, &file(folder.path(), 0.05, 48_000, Some(48_000)));
        bring(&app, id, &file(folder.path(), 0.06, 48_000, Some(96_000)));
        assert_eq!(starts(&app, id), [0.0, 0.0, 0.0, 0.0, 1.0]);
    }

    #[test]
    fn the_same_file_four_times_at_once_is_one_track_and_three_that_say_so() {
        let (folder, app, id) = studio();
        let path = file(folder.path(), 0.05, 48_000, None);
        let gate = std::sync::Barrier::new(4);
        let done: Vec<Imported> = std::thread::scope(|scope| {
            let begun: Vec<_> = (0..4)
                .map(|_| {
                    scope.spawn(|| {
                        gate.wait();
                        bring(&app, id, &path)
                    })
                })
                .collect();
            begun.into_iter().map(|one| one.join().unwrap()).collect()
        });
        assert_eq!(done.iter().filter(|one| one.duplicate).count(), 3);
        assert_eq!(starts(&app, id).len(), 1);
        assert!(done.iter().all(|one| one.strip == done[0].strip));
    }

    #[test]
    fn what_the_disk_has_no_room_for_is_refused_before_it_begins_by_what_it_takes_once_it_is_read() {
        let (_folder, app, _) = studio();
        let free = app.shelf.space().unwrap().free_bytes;
        assert!(room_for(&app, "a.wav", free / 16, 0).is_ok());
        for (name, bytes) in [("a.wav", free / 2 + 1), ("a.MP3", free / 15), ("none", free)] {
            let why = room_for(&app, name, bytes, 0).unwrap_err();
            assert!(why.contains(&format!("the import of {name} needs about")) && why.contains("are free"), "{why}");
        }
        assert!(room_for(&app, "a.wav", 1000, free).is_err(), "the file itself is to come");
    }

    #[test]
    fn an_import_that_is_to_wait_for_itself_does_not() {
        let (folder, app, id) = studio();
        let path = file(folder.path(), 0.05, 48_000, None);
        let (worker, own) = (app.clone(), std::sync::Arc::new(std::sync::OnceLock::new()));
        let told = std::sync::Arc::clone(&own);
        let job = app.jobs.add_lasting("reading", move |job| {
            let itself = told.wait();
            import_file(&worker, id, &path, "itself.wav", Some(*itself), job)
                .map(|done| serde_json::json!(done.sentence))
        });
        own.set(job.id).unwrap();
        let until = std::time::Instant::now() + Duration::from_secs(60);
        while !job.state().is_over() && std::time::Instant::now() < until {
            std::thread::sleep(Duration::from_millis(20));
        }
        assert!(matches!(job.state(), crate::jobs::JobState::Done(_)));
    }

    #[test]
    fn of_forty_thousand_markers_five_hundred_become_sections_and_it_is_said() {
        let (folder, app, id) = studio();
        let path = file(folder.path(), 0.05, 48_000, None);
        let many = 40_000u32;
        let mut cues = many.to_le_bytes().to_vec();
        (0..many).for_each(|n| cues.extend([n, n, 0, 0, 0, n / 2].iter().flat_map(|x| x.to_le_bytes())));
        append(&path, b"cue ", &cues);
        let done = bring(&app, id, &path);
        assert!(done.sentence.contains("the first 500 of 40000 markers made into sections"), "{}", done.sentence);
        assert_eq!(app.store.load(id).unwrap().session.sections.len(), 500);
    }

    #[test]
    fn what_is_no_number_comes_in_as_silence_at_any_rate_and_is_counted() {
        let (folder, app, id) = studio();
        for rate in [48_000, 44_100] {
            let path = folder.path().join(format!("{rate}.wav"));
            let bad = [f32::NAN, f32::INFINITY, f32::NEG_INFINITY, 1e30];
            let side: Vec<f32> =
                (0..rate).map(|n| if n % 5000 == 77 { bad[n as usize / 5000 % 4] } else { 0.1 }).collect();
            let many = 2 * side.iter().filter(|x| x.abs() != 0.1).count();
            zinc_sound::write_float(&path, &[side.clone(), side], rate).unwrap();
            let done = bring(&app, id, &path);
            assert!(
                done.sentence
                    .contains(&format!("{many} invalid samples (not a number, or infinite) were set to silence")),
                "{}",
                done.sentence
            );
            let session = app.store.load(id).unwrap().session;
            let track = session.strip(done.strip).unwrap();
            let bytes = std::fs::read(app.shelf.audio_file(&track.audio().unwrap().hash)).unwrap();
            let samples = bytes.chunks_exact(4).map(|b| f32::from_le_bytes([b[0], b[1], b[2], b[3]]));
            assert!(samples.into_iter().all(|x| x.abs() < 0.2), "resampled around them");
            let intake = app.store.intake(&track.audio().unwrap().hash).unwrap().unwrap();
            assert!(intake.peak_db.is_finite() && intake.peak_db < 0.0, "{}", intake.peak_db);
        }
    }

    #[test]
    fn markers_become_sections_that_meet() {
        let marker = |at, name: &str| (at, name.to_string());
        let notes = RiffNotes { time_reference: None, markers: vec![marker(0, "Verse"), marker(44_100, "Chorus")] };
        let sections = sections_of(&notes, 44_100, 48_000, 200_000);
        assert_eq!(sections.iter().map(|s| (s.start, s.end)).collect::<Vec<_>>(), [(0, 48_000), (48_000, 200_000)]);
    }
}
