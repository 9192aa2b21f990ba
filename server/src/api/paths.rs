//! The session's paths, how two recordings of one performance lie against each other,
//! and a tempo from a MIDI file.

use midly::{MetaMessage, Smf, TrackEventKind};
use rocket::data::{Data, ToByteUnit};
use rocket::http::Status;
use rocket::serde::Deserialize;
use rocket::serde::json::{Json, json};
use rocket::{Route, State, get, post, routes};
use zinc_core::measure::alignment::mend;
use zinc_core::render::graph::graph;

use super::answer::{Answer, ApiError, blocking, queued};
use crate::app::App;
use crate::services::Work;
use crate::services::figures::Figures;

/// The drawing of a session's paths.
#[get("/sessions/<id>/graph")]
async fn drawn(app: &State<App>, id: i32) -> Answer {
    let app = app.inner().clone();
    blocking(move || Ok(Json(json!(graph(&app.session(id, None)?))))).await
}

#[derive(Deserialize)]
#[serde(crate = "rocket::serde")]
struct Pair {
    first: u32,
    second: u32,
}

/// Measures one track against another; a job. Its result has a sentence and, where
/// there is something to mend, the edit that does.
#[post("/sessions/<id>/align", data = "<pair>")]
async fn align(app: &State<App>, id: i32, pair: Json<Pair>) -> Answer {
    let Pair { first, second } = pair.into_inner();
    let measured = move |work: Work<'_>| {
        let found = Figures(work).alignment(first, second)?;
        let mended = found.and_then(|a| mend(work.session, first, second, &a));
        Ok(match (found, mended) {
            (Some(a), Some(mended)) => json!({
                "delay_frames": a.delay_frames, "inverted": a.inverted, "certainty": a.certainty,
                "gain_db": a.gain_db, "sentence": mended.sentence, "edit": mended.edit,
            }),
            _ => json!({ "sentence": "These two share too little sound to be measured against each other." }),
        })
    };
    queued(app, id, "measuring delay and polarity", measured).await
}

/// Tempo and metre at the start of a Standard MIDI File. Changes nothing.
#[post("/sessions/<_>/tempo-file", data = "<body>")]
async fn tempo(body: Data<'_>) -> Answer {
    let refused = |why: &str| ApiError::new(Status::UnprocessableEntity, format!("{why} The tempo was kept."));
    let bytes = body.open(4.mebibytes()).into_bytes().await.ok().filter(|b| b.is_complete());
    let bytes = bytes.ok_or_else(|| refused("The MIDI file did not arrive whole, or is larger than 4 MiB."))?;
    let (tempo_bpm, beats_per_bar) =
        tempo_of(&bytes).ok_or_else(|| refused("That is no MIDI file with a tempo in it."))?;
    Ok(Json(json!({ "tempo_bpm": tempo_bpm, "beats_per_bar": beats_per_bar })))
}

/// First tempo in quarter notes a minute and first metre in quarter notes a bar.
fn tempo_of(bytes: &[u8]) -> Option<(f64, u32)> {
    let file = Smf::parse(bytes).ok()?;
    let events = || file.tracks.iter().flatten();
    let tempo = events().find_map(|e| match e.kind {
        TrackEventKind::Meta(MetaMessage::Tempo(us)) => Some(f64::from(us.as_int())),
        _ => None,
    })?;
    let quarters = events().find_map(|e| match e.kind {
        // Beats of 1 / 2^power of a whole note.
        TrackEventKind::Meta(MetaMessage::TimeSignature(beats, power, _, _)) => {
            Some((f64::from(beats) * 4.0 / f64::from(1u32.checked_shl(u32::from(power))?)).round() as u32)
        }
        _ => None,
    });
    let bpm = (60_000_000.0 / tempo.max(1.0) * 100.0).round() / 100.0;
    Some((bpm, quarters.unwrap_or(4).clamp(1, 16)))
}

pub fn routes() -> Vec<Route> {
    routes![drawn, align, tempo]
}

#[cfg(test)]
#[allow(clippy::unwrap_used)]
mod tests {
    use super::tempo_of;

    /// A file of one track with these events.
    fn midi(events: &[u8]) -> Vec<u8> {
        let body = [events, &[0, 0xFF, 0x2F, 0]].concat();
        let head = [b"MThd".as_slice(), &[0, 0, 0, 6, 0, 0, 0, 1, 0, 96]].concat();
        [head, b"MTrk".to_vec(), (body.len() as u32).to_be_bytes().to_vec(), body].concat()
    }

    #[test]
    fn tempo_and_metre_are_read_and_nonsense_is_refused() {
        // 500000 us a quarter note is 120; 6/8 is three quarter notes a bar.
        let file = midi(&[0, 0xFF, 0x58, 4, 6, 3, 24, 8, 0, 0xFF, 0x51, 3, 0x07, 0xA1, 0x20]);
        assert_eq!(tempo_of(&file), Some((120.0, 3)));
        assert_eq!(tempo_of(&midi(&[0, 0xFF, 0x51, 3, 0x09, 0x27, 0xC0])), Some((100.0, 4)));
        assert_eq!(tempo_of(&midi(&[])), None);
        assert_eq!(tempo_of(b"no midi at all"), None);
    }
}
