//! Brings a sound onto the shelf and a file into a session.

use std::path::Path;

use zinc_core::session::{AudioRef, Edit, Family, Role, Session, Strip};

use crate::app::App;
use crate::shelf::{SampleWriter, hash_payload, settle};
use crate::sound::{Decoded, decode};
use crate::store::{AudioRow, StoreError};

/// What an import did, or why it did nothing.
pub struct Imported {
    /// One sentence for the page.
    pub sentence: String,
    /// The new track.
    pub strip: u32,
}

/// Writes a sound to the shelf under its hash and remembers it.
///
/// # Errors
/// Those of the file system and the database.
pub fn shelve(app: &App, name: &str, sound: &Decoded) -> Result<AudioRef, Box<dyn std::error::Error + Send + Sync>> {
    let temporary = app.shelf.temporary_file();
    let mut writer = SampleWriter::create(&temporary)?;
    writer.write(&sound.samples)?;
    writer.finish()?;
    let hash = hash_payload(&temporary, sound.channels, sound.rate)?;
    settle(&temporary, &app.shelf.audio_file(&hash))?;
    let row = AudioRow {
        hash: hash.clone(),
        name: name.to_string(),
        channels: sound.channels as i32,
        rate: sound.rate as i32,
        frames: sound.frames() as i64,
    };
    app.store.put_audio(&row)?;
    Ok(AudioRef { hash, channels: sound.channels as u8, frames: sound.frames() as u64 })
}

/// Reads a file and adds it to a session as a track. `name` is the file's own
/// name, used for words only.
///
/// # Errors
/// A sentence that says what happened to this file; nothing was imported then.
pub fn import_file(app: &App, session_id: i32, file: &Path, name: &str) -> Result<Imported, String> {
    let sound =
        decode(file).map_err(|e| format!("{name} {e}. It was not imported; the other files are not affected."))?;
    let session = app.store.load(session_id).map_err(|e| e.to_string())?.session;
    let from_rate = sound.rate;
    let sound = sound.resampled(session.rate).map_err(|e| format!("{name} {e}. It was not imported."))?;
    let audio =
        shelve(app, name, &sound).map_err(|e| format!("{name} could not be stored ({e}). It was not imported."))?;
    let seconds = sound.frames() as f64 / f64::from(sound.rate);
    let strip = add_track(app, session_id, &session, track_name(name), audio).map_err(|e| e.to_string())?;
    let width = if sound.channels == 2 { "stereo" } else { "mono" };
    let resampled = if from_rate == session.rate {
        String::new()
    } else {
        format!(", resampled from {} to {} kHz", f64::from(from_rate) / 1000.0, f64::from(session.rate) / 1000.0)
    };
    Ok(Imported { sentence: format!("{name}: {seconds:.1} s, {width}{resampled}."), strip })
}

fn add_track(app: &App, id: i32, session: &Session, name: &str, audio: AudioRef) -> Result<u32, StoreError> {
    let family = Family::guess(name);
    let track = Strip::new(0, name, family, Role::Track(audio), Some(session.main_id()));
    let at = session.tracks().count();
    let change = app.store.apply(id, &Edit::AddStrip { at, strip: track.to_json() }, "")?;
    Ok(match change.edit {
        Edit::AddStrip { strip, .. } => strip["id"].as_u64().unwrap_or(0) as u32,
        _ => 0,
    })
}

/// A file's name without folder and ending, cut to what a strip holds.
fn track_name(file_name: &str) -> &str {
    let base = file_name.rsplit(['/', '\\']).next().unwrap_or(file_name);
    let stem = base.rsplit_once('.').map_or(base, |(stem, _)| stem).trim();
    let end = stem.char_indices().nth(80).map_or(stem.len(), |(i, _)| i);
    if stem.is_empty() { "Track" } else { &stem[..end] }
}

#[cfg(test)]
mod tests {
    use super::track_name;

    #[test]
    fn track_names_are_the_files_own_without_folder_and_ending() {
        assert_eq!(track_name("takes/Gtr.left.wav"), "Gtr.left");
        assert_eq!(track_name("..\\..\\x.flac"), "x");
        assert_eq!(track_name(".wav"), "Track");
        assert_eq!(track_name(&"a".repeat(200)).len(), 80);
    }
}
