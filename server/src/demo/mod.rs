//! What the first start makes: the demo sessions, and files to try an import on.

mod recordings;

use std::path::Path;
use std::sync::Arc;
use std::sync::atomic::{AtomicUsize, Ordering};

use serde_json::json;
use zinc_core::session::AudioRef;
use zinc_demo::song::{BAR_FRAMES, RATE};
use zinc_demo::stems::STEMS;
use zinc_demo::tools::mono;
use zinc_demo::{StemAudio, sessions as documents};

use self::recordings::Played;
use crate::app::App;
use crate::import::shelve;
use crate::jobs::{Job, JobError, side_by_side};
use crate::shelf::hash_text;
use zinc_sound::{Decoded, Remarks};

/// What is said where something went wrong.
const AGAIN: &str = "Start the program again to try once more; what was made until then is kept.";

/// Begins to make what is missing of the demo, with so many bars of the song: a job, so that the program can be used
/// meanwhile.
pub fn begin(app: &App, data: &Path, bars: usize) -> Arc<Job> {
    let (own, data) = (app.clone(), data.to_path_buf());
    app.jobs.begin_lasting("making the demo song", move |job| {
        let made = ensure(&own, &data, bars, job).map_err(|why| format!("The demo could not be made ({why}). {AGAIN}"));
        if let Err(why) = &made {
            said!("{why}");
        }
        made.map(|()| json!({ "made": true })).map_err(JobError::Failed)
    })
}

/// Makes both demo sessions unless one of them is there already as this program makes them, and the recordings that are
/// missing.
fn ensure(app: &App, data: &Path, bars: usize, job: &Job) -> Result<(), String> {
    let played = sessions(app, bars, job)?;
    let folder = recordings::ensure(app, data, &played)?;
    said!("The demo song is there: open its worked session and press Space to hear it.");
    said!("Four recordings to try an import on are in {}", folder.display());
    Ok(())
}

fn sessions(app: &App, bars: usize, job: &Job) -> Result<Played, String> {
    let layout = hash_text(&documents::layout());
    if app.store.has_demo(&layout).map_err(|e| e.to_string())? {
        return Ok(Played::new());
    }
    said!("Making the demo song (once): its page says how far it is.");
    let (audio, played) = play_all(app, bars, job)?;
    // Both or none, so that whoever is killed between them has both at the next start.
    let both = [documents::as_recorded(&audio), documents::worked(&audio)];
    app.store.create_demo(&both, &layout).map_err(|e| e.to_string())?;
    Ok(played)
}

fn play_all(app: &App, bars: usize, job: &Job) -> Result<(Vec<AudioRef>, Played), String> {
    let parts = AtomicUsize::new(0);
    let all = side_by_side(&STEMS, |_, stem| {
        let audio = (stem.render)();
        let kept = recordings::are_of(stem.name).then(|| (stem.name, mono(&audio.channels)));
        let shelved = shelve(app, stem.name, &interleave(audio, bars * BAR_FRAMES))
            .map_err(|e| JobError::Failed(e.to_string()))?;
        let done = parts.fetch_add(1, Ordering::Relaxed) + 1;
        let of = STEMS.len();
        job.progress(&format!("making the demo song: {done} of {of} parts played"), done as f64 / of as f64)?;
        Ok((shelved, kept))
    });
    let (shelved, kept): (Vec<AudioRef>, Vec<_>) = all.map_err(JobError::words)?.into_iter().unzip();
    Ok((shelved, kept.into_iter().flatten().collect()))
}

/// The first frames of a stem.
fn interleave(audio: StemAudio, most: usize) -> Decoded {
    let channels = audio.channels.len();
    let frames = audio.channels.first().map_or(0, Vec::len).min(most);
    let mut samples = Vec::with_capacity(frames * channels);
    for i in 0..frames {
        samples.extend(audio.channels.iter().map(|c| c[i]));
    }
    Decoded { channels, rate: RATE, samples, remarks: Remarks::default() }
}
