//! Makes the demo sessions on the first start.

use std::sync::Mutex;
use std::sync::atomic::{AtomicUsize, Ordering};

use zinc_core::session::AudioRef;
use zinc_demo::song::RATE;
use zinc_demo::stems::STEMS;
use zinc_demo::{StemAudio, sessions};

use crate::app::App;
use crate::commands::Failure;
use crate::import::shelve;
use crate::jobs::lock;
use crate::sound::Decoded;

/// Threads that play stems side by side.
const THREADS: usize = 2;

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
    let next = AtomicUsize::new(0);
    let results: Vec<Mutex<Option<Result<AudioRef, String>>>> = STEMS.iter().map(|_| Mutex::new(None)).collect();
    std::thread::scope(|scope| {
        for _ in 0..THREADS {
            scope.spawn(|| {
                while let Some((i, stem)) =
                    Some(next.fetch_add(1, Ordering::Relaxed)).and_then(|i| STEMS.get(i).map(|s| (i, s)))
                {
                    let sound = interleave((stem.render)());
                    *lock(&results[i]) = Some(shelve(app, stem.name, &sound).map_err(|e| e.to_string()));
                }
            });
        }
    });
    results.iter().map(|r| lock(r).take().unwrap_or_else(|| Err("a stem was not played".into()))).collect()
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
