//! What the first start makes: the demo sessions, and files to try an import on.

mod recordings;

use std::path::Path;

use zinc_core::session::AudioRef;
use zinc_demo::song::RATE;
use zinc_demo::stems::STEMS;
use zinc_demo::tools::mono;
use zinc_demo::{StemAudio, sessions as documents};

use self::recordings::Played;
use crate::app::App;
use crate::failure::Failure;
use crate::import::shelve;
use crate::jobs::{JobError, side_by_side};
use zinc_sound::Decoded;

/// Makes both demo sessions unless one by that name is there already, and the recordings that
/// are missing.
///
/// # Errors
/// A sentence; what was made until then is kept, and the next start makes the rest.
pub fn ensure(app: &App, data: &Path) -> Result<(), Failure> {
    let failed = |e: String| Failure::work(format!("The demo could not be made ({e}). Start again to try once more."));
    let played = sessions(app, &failed)?;
    let folder = recordings::ensure(app, data, &played).map_err(failed)?;
    said!("Four recordings to try an import on are in {}", folder.display());
    Ok(())
}

fn sessions(app: &App, failed: &impl Fn(String) -> Failure) -> Result<Played, Failure> {
    let known = app.store.sessions().map_err(|e| failed(e.to_string()))?;
    if known.iter().any(|s| s.name.starts_with(documents::SONG)) {
        return Ok(Played::new());
    }
    said!("Making the demo song (once).");
    let (audio, played) = play_all(app).map_err(failed)?;
    for session in [documents::as_recorded(&audio), documents::worked(&audio)] {
        app.store.create_session(&session).map_err(|e| failed(e.to_string()))?;
    }
    Ok(played)
}

fn play_all(app: &App) -> Result<(Vec<AudioRef>, Played), String> {
    let all = side_by_side(&STEMS, |_, stem| {
        let audio = (stem.render)();
        let kept = recordings::are_of(stem.name).then(|| (stem.name, mono(&audio.channels)));
        let shelved = shelve(app, stem.name, &interleave(audio)).map_err(|e| JobError::Failed(e.to_string()))?;
        Ok((shelved, kept))
    });
    let (shelved, kept): (Vec<AudioRef>, Vec<_>) = all.map_err(JobError::words)?.into_iter().unzip();
    Ok((shelved, kept.into_iter().flatten().collect()))
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
