//! Advice: what settings do together, where tracks collide, making room; and the impulse
//! response of a unit.

use rocket::fs::NamedFile;
use rocket::http::{ContentType, Header, Status};
use rocket::serde::Deserialize;
use rocket::serde::json::{Json, json};
use rocket::{Route, State, get, post, routes};
use zinc_core::advice::room::Way;
use zinc_core::measure::impulse::impulse_response;
use zinc_core::rack::RackSpec;

use super::answer::{Answer, ApiError, blocking, load};
use super::download::Download;
use crate::app::App;
use crate::sound::write_float;

/// What pairs of settings in a rack do together; a job.
#[post("/sessions/<id>/strips/<strip>/pairs")]
async fn pairs(app: &State<App>, id: i32, strip: u32) -> Answer {
    let app = app.inner().clone();
    let session = load(&app, id).await?;
    let worker = app.clone();
    let job = app.jobs.add("looking at the order", move |job| worker.prints.pairs(&session, strip, job));
    Ok(Json(json!({ "job": job.id })))
}

/// The tracks that are most in each other's way; a job.
#[post("/sessions/<id>/collisions")]
async fn collisions(app: &State<App>, id: i32) -> Answer {
    let app = app.inner().clone();
    let session = load(&app, id).await?;
    let worker = app.clone();
    let job = app.jobs.add("comparing the tracks", move |job| worker.prints.collisions(&session, job));
    Ok(Json(json!({ "job": job.id })))
}

/// Which tracks, and how.
#[derive(Deserialize)]
#[serde(crate = "rocket::serde")]
struct Room {
    /// The one that matters.
    greater: u32,
    /// Those that give way.
    lesser: Vec<u32>,
    way: Way,
}

/// An edit that makes room, and what it brings; a job.
#[post("/sessions/<id>/room", data = "<wanted>")]
async fn room(app: &State<App>, id: i32, wanted: Json<Room>) -> Answer {
    let app = app.inner().clone();
    let session = load(&app, id).await?;
    let Room { greater, lesser, way } = wanted.into_inner();
    let worker = app.clone();
    let job = app.jobs.add("making room", move |job| worker.prints.room(&session, greater, &lesser, way, job));
    Ok(Json(json!({ "job": job.id })))
}

/// The impulse response of a unit at rest, as a WAV file.
#[get("/sessions/<id>/strips/<strip>/units/<unit>/impulse")]
async fn impulse(app: &State<App>, id: i32, strip: u32, unit: u32) -> Result<Download, ApiError> {
    let app = app.inner().clone();
    let session = load(&app, id).await?;
    let found = session.strip(strip).and_then(|s| s.rack.units.iter().find(|u| u.id == unit));
    let gone = || ApiError::new(Status::NotFound, "This unit is not there any more.");
    let unit = found.ok_or_else(gone)?.clone();
    let name = format!("{} impulse response.wav", unit.kind.name);
    let rate = session.rate;
    let path = blocking(move || {
        let unusable = |why: String| ApiError::new(Status::UnprocessableEntity, why);
        let sides = impulse_response(&RackSpec { units: vec![unit] }, f64::from(rate)).map_err(unusable)?;
        let file = app.shelf.temporary_file();
        write_float(&file, &sides, rate).map_err(|e| unusable(format!("The file could not be written ({e}).")))?;
        Ok(file)
    })
    .await?;
    let file = NamedFile::open(&*path).await.map_err(|_| gone())?;
    let disposition = Header::new("Content-Disposition", format!("attachment; filename=\"{name}\""));
    Ok(Download { file, kind: ContentType::WAV, disposition })
}

pub fn routes() -> Vec<Route> {
    routes![pairs, collisions, room, impulse]
}
