//! New sessions, files brought in.

use rocket::data::{Data, Limits, ToByteUnit};
use rocket::http::Status;
use rocket::request::{FromRequest, Outcome};
use rocket::serde::Deserialize;
use rocket::serde::json::{Json, json};
use rocket::{Request, Route, State, get, post, routes};
use zinc_core::rack::MAX_NAME;
use zinc_core::session::Session;

use super::answer::{Answer, ApiError, arrived, blocking};
use crate::app::App;
use crate::import::{RATES, commonest_rate, import_file, room_for};
use zinc_sound::Decoder;

#[derive(Deserialize)]
#[serde(crate = "rocket::serde")]
struct NewSession {
    name: String,
    rate: u32,
}

#[post("/sessions", data = "<new>")]
async fn create(app: &State<App>, new: Json<NewSession>) -> Answer {
    let name = new.name.trim().to_string();
    if !(1..=MAX_NAME).contains(&name.chars().count()) {
        let why = format!("A session needs a name of 1 to {MAX_NAME} characters.");
        return Err(ApiError::new(Status::UnprocessableEntity, why));
    }
    if !RATES.contains(&new.rate) {
        return Err(ApiError::new(Status::UnprocessableEntity, "A session runs at 44.1, 48, 88.2 or 96 kHz."));
    }
    let (app, rate) = (app.inner().clone(), new.rate);
    let id = blocking(move || Ok(app.store.create_session(&Session::new(&name, rate))?)).await?;
    Ok(Json(json!({ "id": id })))
}

#[get("/sessions/<id>")]
async fn read(app: &State<App>, id: i32) -> Answer {
    let app = app.inner().clone();
    let stored = blocking(move || Ok(app.store.load(id)?)).await?;
    Ok(Json(json!({ "version": stored.version, "session": stored.session.to_json() })))
}

/// A session of its own of what can be read of a damaged one.
#[post("/sessions/<id>/copy-readable")]
async fn copy_readable(app: &State<App>, id: i32) -> Answer {
    let app = app.inner().clone();
    let copy = blocking(move || Ok(app.store.copy_readable(id)?)).await?;
    Ok(Json(json!({ "session": copy })))
}

/// Most of a file that is looked at for its sample rate.
const HEAD_KIB: u64 = 512;

/// The sample rate in Hz that the beginning of a file tells, 0 where it does not.
#[post("/rates", data = "<body>")]
async fn rate_of(app: &State<App>, body: Data<'_>) -> Answer {
    let temporary = app.shelf.temporary_file();
    let received = body.open(HEAD_KIB.kibibytes()).into_file(&*temporary).await;
    drop(received);
    let rate = blocking(move || Ok(Decoder::open(&temporary).map_or(0, |decoder| decoder.rate()))).await?;
    Ok(Json(json!({ "rate": rate })))
}

/// The rate a session of files of these rates takes, and why.
#[post("/rates/of", data = "<rates>")]
fn rate_for(rates: Json<Vec<u32>>) -> Json<serde_json::Value> {
    let khz = |rate: u32| f64::from(rate) / 1000.0;
    let Some(rate) = commonest_rate(&rates) else {
        return Json(
            json!({ "rate": 48_000, "sentence": "No file says at which rate it was recorded: the session runs at 48 kHz." }),
        );
    };
    let count = rates.iter().filter(|r| **r == rate).count();
    let sentence = match count {
        0 => format!("The files are of other rates: the session runs at {} kHz, the nearest.", khz(rate)),
        _ => format!("{count} of {} files were recorded at {} kHz; the session runs at that.", rates.len(), khz(rate)),
    };
    Json(json!({ "rate": rate, "sentence": sentence }))
}

/// How many bytes a request says that its body has; 0 where it does not.
struct Announced(u64);

#[rocket::async_trait]
impl<'r> FromRequest<'r> for Announced {
    type Error = ();

    async fn from_request(request: &'r Request<'_>) -> Outcome<Self, ()> {
        let said = request.headers().get_one("Content-Length").and_then(|length| length.parse().ok());
        Outcome::Success(Self(said.unwrap_or(0)))
    }
}

/// One file of an import: the body is the file, `name` its name, `after` the job of the file
/// before it. Receives it, then a job reads it in.
#[post("/sessions/<id>/files?<name>&<after>", data = "<body>")]
async fn bring_in(
    app: &State<App>,
    limits: &Limits,
    id: i32,
    name: &str,
    after: Option<u64>,
    announced: Announced,
    body: Data<'_>,
) -> Answer {
    let app = app.inner().clone();
    let name = name.to_string();
    room_for(&app, &name, announced.0, announced.0).map_err(|why| ApiError::new(Status::InsufficientStorage, why))?;
    let temporary = app.shelf.temporary_file();
    let limit = limits.get("import").unwrap_or(Limits::FILE);
    arrived(body.open(limit).into_file(&*temporary).await, &name, limit, "It was not imported.")?;
    let worker = app.clone();
    let job = app.jobs.add_reading(&format!("reading {name}"), move |job| {
        let done = import_file(&worker, id, &temporary, &name, after, job)?;
        Ok(json!({
            "sentence": done.sentence, "strip": done.strip, "duplicate": done.duplicate, "guess": done.guess,
        }))
    });
    Ok(Json(json!({ "job": job.id })))
}

/// What the import check found on every track, with the edits that mend it.
#[get("/sessions/<id>/findings")]
async fn findings(app: &State<App>, id: i32) -> Answer {
    let app = app.inner().clone();
    blocking(move || {
        let session = app.store.load(id)?.session;
        let mut all = Vec::new();
        for track in session.tracks() {
            let hash = track.audio().map(|a| a.hash.as_str()).unwrap_or_default();
            let Some(intake) = app.store.intake(hash)? else { continue };
            let open: Vec<_> =
                intake.findings(track.id, track.part).into_iter().filter(|f| !f.is_mended(track)).collect();
            all.push(json!({ "strip": track.id, "findings": open, "plays": intake.plays }));
        }
        Ok(Json(json!(all)))
    })
    .await
}

pub fn routes() -> Vec<Route> {
    routes![rate_of, rate_for, create, read, copy_readable, bring_in, findings]
}
