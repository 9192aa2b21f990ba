//! Printing to files, and fetching them.

use percent_encoding::{NON_ALPHANUMERIC, utf8_percent_encode};
use rocket::fs::NamedFile;
use rocket::http::{ContentType, Header, Status};
use rocket::serde::Deserialize;
use rocket::serde::json::{Json, json};
use rocket::{Route, State, get, post, routes};
use zinc_core::session::Role;

use super::answer::{Answer, ApiError, load};
use super::download::Download;
use crate::app::App;
use crate::prints::file::{Order, PrintedFile, to_file};
use crate::shelf::is_key;
use zinc_sound::Bits;

#[derive(Deserialize)]
#[serde(crate = "rocket::serde")]
struct Wanted {
    /// The strip; the main for the mix.
    strip: u32,
    bits: Bits,
    /// Frames of the song; all of it where there are none.
    passage: Option<(u64, u64)>,
    /// What the passage is called, for the name of the file.
    #[serde(default)]
    called: String,
}

/// Prints a strip to a WAV file; a job.
#[post("/sessions/<id>/prints", data = "<order>")]
async fn print(app: &State<App>, id: i32, order: Json<Wanted>) -> Answer {
    let app = app.inner().clone();
    let Wanted { strip, bits, passage, called } = order.into_inner();
    let order = Order { strip, bits, passage };
    let session = load(&app, id).await?;
    let no_strip = || ApiError::new(Status::NotFound, format!("There is no strip {} to print.", order.strip));
    let strip = session.strip(strip).ok_or_else(no_strip)?;
    let what = if strip.role == Role::Main { "mix" } else { &strip.name };
    let part = if called.is_empty() { String::new() } else { format!(" - {called}") };
    let name = format!("{} - {what}{part}.wav", session.name);
    let worker = app.clone();
    let job = app.jobs.add_lasting(&format!("printing {what}"), move |job| {
        let PrintedFile { key, clipped, frames, is_silent } = to_file(&worker.prints, &session, &order, job)?;
        Ok(json!({ "key": key, "name": name, "clipped": clipped, "frames": frames, "silent": is_silent, "rate": session.rate, "missing": session.missing_sounds(order.strip) }))
    });
    Ok(Json(json!({ "job": job.id })))
}

#[get("/printed/<key>?<name>")]
async fn fetch(app: &State<App>, key: &str, name: &str) -> Result<Download, ApiError> {
    let gone = || ApiError::new(Status::NotFound, "This print is not there any more; print it again.");
    if !is_key(key) {
        return Err(gone());
    }
    let file = NamedFile::open(app.shelf.wav_file(key)).await.map_err(|_| gone())?;
    let encoded = utf8_percent_encode(name, NON_ALPHANUMERIC);
    let disposition = Header::new("Content-Disposition", format!("attachment; filename*=UTF-8''{encoded}"));
    Ok(Download { file, kind: ContentType::WAV, disposition })
}

pub fn routes() -> Vec<Route> {
    routes![print, fetch]
}
