//! Four files to try an import on: parts of the demo as a recorder leaves them, with what
//! recorders leave behind.

use std::collections::HashMap;
use std::convert::Infallible;
use std::fs;
use std::path::{Path, PathBuf};

use zinc_core::signal::{BLOCK, StereoBlock};
use zinc_demo::STEMS;
use zinc_demo::song::RATE;
use zinc_demo::tools::mono;

use crate::app::App;
use crate::jobs::{JobError, side_by_side};
use crate::shelf::settle;
use zinc_sound::encode::{Bits, WavWriter};
use zinc_sound::resample::StreamResampler;

/// Sounds that were played just now and are recorded too, by the names of their stems.
pub type Played = HashMap<&'static str, Vec<f32>>;

/// Folder of the recordings within the data folder.
const FOLDER: &str = "recordings";
/// Their sample rate in Hz: not that of the demo's sessions.
const FILE_RATE: u32 = 44_100;

/// One of the four.
struct Recording {
    /// Its file's name, which says nothing of what is in it.
    file: &'static str,
    /// What plays.
    stem: &'static str,
    /// Brought up until its largest sample is full scale.
    normalised: bool,
    /// One sound on both sides of a stereo file.
    doubled: bool,
}

const RECORDINGS: [Recording; 4] = [
    Recording { file: "track01-take02.wav", stem: "Snare", normalised: true, doubled: false },
    Recording { file: "track02-take02.wav", stem: "Bass DI", normalised: false, doubled: false },
    // 0.9 ms later than track 2 and upside down against it, as the demo's cabinet is.
    Recording { file: "track03-take02.wav", stem: "Bass cabinet", normalised: false, doubled: false },
    Recording { file: "track04-take02.wav", stem: "Electric piano", normalised: false, doubled: true },
];

/// Whether one of them is of this stem.
pub fn are_of(stem: &str) -> bool {
    RECORDINGS.iter().any(|recording| recording.stem == stem)
}

/// Writes those that are missing, from what was played just now where it was; returns their
/// folder.
///
/// # Errors
/// Those of the file system, in words. A file is wholly there or not at all.
pub fn ensure(app: &App, data: &Path, played: &Played) -> Result<PathBuf, String> {
    let folder = data.join(FOLDER);
    fs::create_dir_all(&folder).map_err(|e| e.to_string())?;
    let missing: Vec<&Recording> = RECORDINGS.iter().filter(|r| !folder.join(r.file).exists()).collect();
    side_by_side(&missing, |_, recording| {
        let sound = recorded(recording, played);
        write(app, &sound, recording.doubled, &folder.join(recording.file)).map_err(JobError::Failed)
    })
    .map_err(JobError::words)?;
    Ok(folder)
}

/// The part as one channel at the files' rate.
fn recorded(recording: &Recording, played: &Played) -> Vec<f32> {
    let play = || STEMS.iter().find(|s| s.name == recording.stem).map(|s| mono(&(s.render)().channels));
    let mut sound = match played.get(recording.stem) {
        Some(sound) => at_file_rate(sound),
        None => at_file_rate(&play().unwrap_or_default()),
    };
    if recording.normalised {
        let peak = sound.iter().fold(f32::MIN_POSITIVE, |m, x| m.max(x.abs()));
        sound.iter_mut().for_each(|x| *x /= peak);
    }
    sound
}

fn at_file_rate(sound: &[f32]) -> Vec<f32> {
    let mut out = Vec::with_capacity(sound.len());
    let mut keep = |samples: &[f32]| {
        out.extend_from_slice(samples);
        Ok::<(), Infallible>(())
    };
    if let Some(mut resampler) = StreamResampler::new(RATE, FILE_RATE, 1) {
        let Ok(()) = resampler.push(sound, &mut keep);
        let Ok(()) = resampler.finish(&mut keep);
    }
    out
}

fn write(app: &App, sound: &[f32], doubled: bool, to: &Path) -> Result<(), String> {
    let temporary = app.shelf.temporary_file();
    let mut writer = WavWriter::create(&temporary, if doubled { 2 } else { 1 }, FILE_RATE, Bits::Int24)
        .map_err(|e| e.to_string())?;
    for part in sound.chunks(BLOCK) {
        let mut block = StereoBlock::SILENT;
        block.left[..part.len()].copy_from_slice(part);
        block.right[..part.len()].copy_from_slice(part);
        writer.write(&block, part.len()).map_err(|e| e.to_string())?;
    }
    writer.finish().map_err(|e| e.to_string())?;
    settle(&temporary, to).map_err(|e| e.to_string())
}
