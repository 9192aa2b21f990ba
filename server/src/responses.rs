//! Sounds that units name: brought in from files, and read for whoever plays or prints.
//!
//! A sound lies on the shelf at the rate it was recorded at; it is brought to a session's rate
//! when it is read. What cannot be read, or is not what its name says, counts as missing.

use std::path::Path;
use std::sync::{Arc, Mutex};

use serde::Serialize;
use zinc_core::session::{Reference, Session};
use zinc_core::signal::Sound;
use zinc_core::unit::catalogue::KINDS;
use zinc_core::unit::{Domain, SoundId, Sounds};

use crate::jobs::lock;
use crate::shelf::{SampleWriter, Shelf, hash_payload, read_range, settle};
use crate::store::{AudioRow, Store};
use zinc_sound::resample::StreamResampler;
use zinc_sound::{Decoded, Decoder};

/// Sounds kept in memory once read, at most: four seconds in stereo at 96 kHz are 3 MB.
const KEPT: usize = 24;

/// What a page shows of a sound on the shelf.
#[derive(Clone, Debug, Serialize)]
pub struct Listed {
    /// Its name in racks.
    pub hash: String,
    /// Name of the file it came from.
    pub name: String,
    /// Its length.
    pub seconds: f64,
    /// 1 or 2.
    pub channels: i32,
    /// Rate in Hz it was recorded at.
    pub rate: i32,
}

impl From<AudioRow> for Listed {
    fn from(row: AudioRow) -> Self {
        let seconds = row.frames as f64 / f64::from(row.rate);
        Self { hash: row.hash, name: row.name, seconds, channels: row.channels, rate: row.rate }
    }
}

/// The sounds of a data folder.
pub struct Responses {
    store: Store,
    shelf: Shelf,
    /// Those read last, with the rate they were brought to; the latest at the end.
    kept: Mutex<Vec<(SoundId, u32, Arc<Sound>)>>,
    /// Held while one is read.
    reading: Mutex<()>,
}

/// Length in seconds of the longest sound that any kind of unit takes.
fn longest_s() -> f64 {
    let params = KINDS.iter().flat_map(|kind| kind.tables.params);
    let seconds = params.filter_map(|p| match p.domain {
        Domain::Sound { max_seconds } => Some(max_seconds),
        _ => None,
    });
    seconds.fold(0.0, f64::max)
}

impl Responses {
    /// Those of a store and its shelf.
    #[must_use]
    pub fn new(store: Store, shelf: Shelf) -> Self {
        Self { store, shelf, kept: Mutex::default(), reading: Mutex::default() }
    }

    /// Brings a file onto the shelf as a sound for units; `name` is the file's own. Beside it comes what is to be said of the
    /// file, if anything.
    ///
    /// # Errors
    /// A sentence that says what happened; nothing was kept then.
    pub fn bring_in(&self, file: &Path, name: &str) -> Result<(Listed, Option<String>), String> {
        let refused = |why: String| format!("{name} {why}. It was not kept; nothing else is changed.");
        let Decoded { samples, channels, rate, remarks } = decoded(file).map_err(refused)?;
        if samples.iter().all(|x| *x == 0.0) {
            return Err(refused("holds nothing but silence".into()));
        }
        let kept = self.keep(&samples, channels, rate, name);
        let said = Some(remarks.words()).filter(|words| !words.is_empty()).map(|words| format!("{name}{words}."));
        Ok((kept.map_err(|e| refused(format!("could not be stored ({e})")))?, said))
    }

    fn keep(
        &self,
        samples: &[f32],
        channels: usize,
        rate: u32,
        name: &str,
    ) -> Result<Listed, Box<dyn std::error::Error>> {
        let temporary = self.shelf.temporary_file();
        let mut writer = SampleWriter::create(&temporary)?;
        writer.write(samples)?;
        writer.finish()?;
        let row = AudioRow {
            hash: hash_payload(&temporary, channels, rate)?,
            name: name.to_string(),
            channels: channels as i32,
            rate: rate as i32,
            frames: (samples.len() / channels) as i64,
            time_reference: None,
        };
        settle(&temporary, &self.shelf.audio_file(&row.hash))?;
        self.store.put_sound(&row)?;
        Ok(row.into())
    }

    /// All on the shelf, by name.
    ///
    /// # Errors
    /// Those of the database, in words.
    pub fn list(&self) -> Result<Vec<Listed>, crate::store::StoreError> {
        Ok(self.store.sounds()?.into_iter().map(Listed::from).collect())
    }

    /// One sound at a rate in Hz; none where it is missing.
    #[must_use]
    pub fn get(&self, id: SoundId, rate: u32) -> Option<Arc<Sound>> {
        let known = || lock(&self.kept).iter().find(|k| (k.0, k.1) == (id, rate)).map(|k| k.2.clone());
        if let Some(known) = known() {
            return Some(known);
        }
        // Of all who ask for one at once the first reads it.
        let _reading = lock(&self.reading);
        if let Some(known) = known() {
            return Some(known);
        }
        let row = self.store.audio(&id.to_string()).ok()??;
        let sound = Arc::new(read(&self.shelf, &row, rate)?);
        let mut kept = lock(&self.kept);
        if kept.len() == KEPT {
            kept.remove(0);
        }
        kept.push((id, rate, sound.clone()));
        Some(sound)
    }

    /// Gives a session the sounds that its units name, and those that the other side of a
    /// comparison does.
    pub fn supply(&self, session: &mut Session, other: Option<&Reference>) {
        let named: Vec<SoundId> =
            session.named_sounds().chain(other.into_iter().flat_map(Reference::named_sounds)).collect();
        let mut sounds = Sounds::default();
        for id in named {
            if let Some(sound) = self.get(id, session.rate) {
                sounds.put(id, sound);
            }
        }
        session.supply_with(sounds);
    }
}

/// A file that is short enough for a unit.
///
/// # Errors
/// Why not, as it reads on after the file's name.
pub fn decoded(file: &Path) -> Result<Decoded, String> {
    let mut decoder = Decoder::open(file).map_err(|e| e.to_string())?;
    let mut samples = Vec::new();
    while let Some(part) = decoder.next_part().map_err(|e| e.to_string())? {
        samples.extend_from_slice(part);
        // The header need not be believed: a file of an hour is not read to its end.
        if samples.len() as f64 / (decoder.channels() * decoder.rate() as usize) as f64 > longest_s() {
            return Err(format!(
                "is longer than {} s, the longest response a unit takes; cut it after it has died away",
                longest_s()
            ));
        }
    }
    Ok(Decoded { samples, channels: decoder.channels(), rate: decoder.rate(), remarks: decoder.remarks() })
}

/// The sound of a row at a rate; none where the file is gone, is not what its name says, or is
/// too long for any unit.
fn read(shelf: &Shelf, row: &AudioRow, rate: u32) -> Option<Sound> {
    let (channels, from, frames) = (row.channels as usize, row.rate as u32, row.frames as u64);
    let file = shelf.audio_file(&row.hash);
    let fits = frames > 0 && frames as f64 / f64::from(from) <= longest_s();
    if !fits || hash_payload(&file, channels, from).ok()? != row.hash {
        return None;
    }
    let bytes = read_range(&file, 0, frames * channels as u64 * 4 - 1).ok()?;
    let sample = |b: &[u8]| f32::from_le_bytes([b[0], b[1], b[2], b[3]]);
    // One that came in before sounds were looked through for what is no number.
    let sound = |x: f32| if x.is_finite() { x } else { 0.0 };
    let samples: Vec<f32> = bytes.chunks_exact(4).map(|b| sound(sample(b))).collect();
    at_rate(&samples, channels, from, rate)
}

/// A sound of interleaved samples brought from one rate to another; none for rates that cannot
/// be had.
#[must_use]
pub fn at_rate(samples: &[f32], channels: usize, from: u32, to: u32) -> Option<Sound> {
    if from == to {
        return Some(Sound::new(samples, channels, f64::from(from)));
    }
    let mut resampled = Vec::new();
    let mut keep = |part: &[f32]| {
        resampled.extend_from_slice(part);
        Ok::<(), std::convert::Infallible>(())
    };
    let mut resampler = StreamResampler::new(from, to, channels)?;
    resampler.push(samples, &mut keep).ok()?;
    resampler.finish(&mut keep).ok()?;
    Some(Sound::new(&resampled, channels, f64::from(from)))
}

#[cfg(test)]
#[allow(clippy::unwrap_used)]
mod tests {
    use super::*;
    use zinc_core::session::Change;
    use zinc_sound::write_float;

    /// A data folder with a response in it.
    fn with_room(rate: u32) -> (tempfile::TempDir, Responses, Listed) {
        let folder = tempfile::tempdir().unwrap();
        let store = Store::open(&folder.path().join("zinc.sqlite")).unwrap();
        let responses = Responses::new(store, Shelf::open(folder.path()).unwrap());
        let file = folder.path().join("room.wav");
        let fall = |n: usize| 0.9f32.powi(n as i32);
        let sides = [(0..441).map(fall).collect::<Vec<_>>(), (0..441).map(|n| 0.5 * fall(n)).collect()];
        write_float(&file, &sides, rate).unwrap();
        let (listed, said) = responses.bring_in(&file, "room.wav").unwrap();
        assert_eq!(said, None);
        (folder, responses, listed)
    }

    #[test]
    fn a_file_brought_in_is_listed_once_and_read_at_any_rate() {
        let (folder, responses, room) = with_room(44_100);
        let (again, _) = responses.bring_in(&folder.path().join("room.wav"), "the same.wav").unwrap();
        assert_eq!(again.hash, room.hash);
        let listed = responses.list().unwrap();
        assert_eq!(listed.iter().map(|l| l.name.as_str()).collect::<Vec<_>>(), ["room.wav"]);
        let id = room.hash.parse().unwrap();
        let own = responses.get(id, 44_100).unwrap();
        assert_eq!((own.frames(), own.sides()[0][0], own.sides()[1][0]), (441, 1.0, 0.5));
        let other = responses.get(id, 48_000).unwrap();
        assert_eq!((other.frames(), other.recorded_hz()), (480, 44_100.0));
        assert!(Arc::ptr_eq(&other, &responses.get(id, 48_000).unwrap()), "read once");
    }

    #[test]
    fn a_silent_a_long_and_an_unreadable_file_are_refused_in_words_and_leave_nothing() {
        let (folder, responses, _) = with_room(48_000);
        let file = folder.path().join("other.wav");
        let refused = |write: &dyn Fn()| {
            write();
            responses.bring_in(&file, "other.wav").unwrap_err()
        };
        let silence = |frames: usize, level: f32| {
            let sides = [vec![level; frames], vec![level; frames]];
            write_float(&file, &sides, 8000).unwrap();
        };
        assert!(refused(&|| silence(100, 0.0)).contains("nothing but silence"));
        assert!(refused(&|| silence(5 * 8000, 0.1)).contains("longer than 4 s"));
        assert!(refused(&|| std::fs::write(&file, b"no sound").unwrap()).contains("It was not kept"));
        assert!(refused(&|| std::fs::remove_file(&file).unwrap()).contains("cannot be read"));
        assert_eq!(responses.list().unwrap().len(), 1);
        assert_eq!(responses.shelf.leftovers().unwrap(), 0);
    }

    #[test]
    fn a_damaged_and_a_lost_file_count_as_missing() {
        let (_folder, responses, room) = with_room(48_000);
        let (id, file) = (room.hash.parse().unwrap(), responses.shelf.audio_file(&room.hash));
        let whole = std::fs::read(&file).unwrap();
        let mut bytes = whole.clone();
        bytes[100] ^= 1;
        std::fs::write(&file, bytes).unwrap();
        assert!(responses.get(id, 48_000).is_none(), "damaged");
        std::fs::remove_file(&file).unwrap();
        assert!(responses.get(id, 48_000).is_none(), "lost");
        std::fs::write(&file, whole).unwrap();
        assert!(responses.get(id, 48_000).is_some(), "mended");
        assert!(responses.get("ab".repeat(32).parse().unwrap(), 48_000).is_none(), "never known");
    }

    #[test]
    fn a_session_and_the_other_side_of_its_comparison_get_what_they_name() {
        let (_folder, responses, room) = with_room(48_000);
        let rack = serde_json::json!({"zinc_rack": 1, "units": [{"kind": "impulse", "params": {"sound": room.hash}}]});
        let reference = Reference { changes: vec![Change::Rack { strip: 1, rack: rack.clone() }] };
        let mut session = Session::new("s", 48_000);
        responses.supply(&mut session, Some(&reference));
        assert!(reference.of(&session).unwrap().strip(1).unwrap().rack.units[0].works());
        session.strip_mut(1).unwrap().rack = zinc_core::rack::RackSpec::from_json(&rack).unwrap();
        responses.supply(&mut session, None);
        assert!(session.strip(1).unwrap().rack.units[0].works());
    }
}
