//! Makes the demo sessions on the first start.

use zinc_core::session::AudioRef;
use zinc_demo::song::RATE;
use zinc_demo::stems::STEMS;
use zinc_demo::{StemAudio, sessions};

use crate::app::App;
use crate::failure::Failure;
use crate::import::shelve;
use crate::jobs::{Stopped, side_by_side};
use crate::sound::Decoded;

/// Makes both demo sessions unless one by that name is there already.
pub fn ensure(app: &App) -> Result<(), Failure> {
    let failed = |e: String| Failure::work(format!("The demo could not be made ({e}). Start again to try once more."));
    let known = app.store.sessions().map_err(|e| failed(e.to_string()))?;
    if known.iter().any(|s| s.name.starts_with(sessions::SONG)) {
        return Ok(());
    }
    println!("Making the demo song (once).");
    let audio = play_all(app).map_err(failed)?;
    for session in [sessions::as_recorded(&audio), sessions::worked(&audio)] {
        app.store.create_session(&session).map_err(|e| failed(e.to_string()))?;
    }
    Ok(())
}

fn play_all(app: &App) -> Result<Vec<AudioRef>, String> {
    let played = side_by_side(&STEMS, |_, stem| {
        let sound = interleave((stem.render)());
        shelve(app, stem.name, &sound).map_err(|e| Stopped::Failed(e.to_string()))
    });
    played.map_err(|stopped| match stopped {
        Stopped::Cancelled => "it was stopped".to_string(),
        Stopped::Failed(why) => why,
    })
}

fn interleave(audio: StemAudio) -> Decoded {
    let channels = audio.channels.len();
    let frames = audio.channels.first().map_or(0, Vec::len);
    let mut samples = Vec::with_capacity(frames * channels);
    for i in 0..frames {
        samples.extend(audio.channels.iter().map(|c| c[i]));
    }
    Decoded { channels, rate: RATE, samples }
}
