//! Advice: what settings do together, where tracks collide, making room; and the impulse
//! response of a unit.

use rocket::http::{ContentType, Header, Status};
use rocket::serde::Deserialize;
use rocket::serde::json::{Json, json};
use rocket::{Route, State, get, post, routes};
use zinc_core::advice::recipe::Recipe;
use zinc_core::advice::room::Way;
use zinc_core::measure::events::EDGES_HZ;
use zinc_core::measure::impulse::impulse_response;
use zinc_core::rack::RackSpec;
use zinc_core::trial::Trial;

use super::answer::{Answer, ApiError, load, queued};
use super::download::{Download, made};
use crate::app::App;
use crate::services::advice::Advice;
use crate::services::listening::Listening;
use crate::services::making::Making;
use crate::services::path_reduction::PathReduction;
use crate::services::trials::Trials;

/// What pairs of settings in a rack do together; a job.
#[post("/sessions/<id>/strips/<strip>/pairs")]
async fn pairs(app: &State<App>, id: i32, strip: u32) -> Answer {
    queued(app, id, "looking at the order", move |work| Advice(work).pairs(strip)).await
}

/// A trial of a strip's rack over lists of values, orders, with and without; a job.
#[post("/sessions/<id>/strips/<strip>/trial", data = "<wanted>")]
async fn trial(app: &State<App>, id: i32, strip: u32, wanted: Json<rocket::serde::json::Value>) -> Answer {
    let unusable = |why: String| ApiError::new(Status::UnprocessableEntity, format!("This cannot be tried: {why}."));
    let mut wanted = wanted.into_inner();
    // The unit that figures are of, beside what a trial file may hold; without it they are of the whole rack.
    let about = wanted.as_object_mut().and_then(|trial| trial.remove("about")).and_then(|unit| unit.as_u64());
    let about = about.and_then(|unit| usize::try_from(unit).ok());
    let trial = Trial::from_json(&wanted).map_err(unusable)?;
    queued(app, id, "trying", move |work| Trials(work).trial(strip, &trial, about)).await
}

/// Where events are looked for: between two frequencies, or anywhere.
#[derive(Deserialize)]
#[serde(crate = "rocket::serde")]
struct Region {
    from_hz: Option<f64>,
    to_hz: Option<f64>,
}

impl Region {
    /// Its edges in Hz, if there are any.
    fn edges(&self) -> Result<Option<[f64; 2]>, ApiError> {
        let [low, high] = EDGES_HZ;
        match (self.from_hz, self.to_hz) {
            (None, None) => Ok(None),
            (Some(from), Some(to)) if from >= low && to <= high && from < to => Ok(Some([from, to])),
            _ => Err(ApiError::new(
                Status::UnprocessableEntity,
                format!(
                    "A region lies between two frequencies of {low} to {high} Hz, the lower one first; nothing was looked for."
                ),
            )),
        }
    }
}

/// Moments of a strip at which one region stands out, or at which a region that is given does; a job.
#[post("/sessions/<id>/strips/<strip>/events", data = "<wanted>")]
async fn events(app: &State<App>, id: i32, strip: u32, wanted: Json<Region>) -> Answer {
    let region = wanted.edges()?;
    queued(app, id, "looking for what stands out", move |work| Listening(work).events(strip, region)).await
}

/// An event that is to be held.
#[derive(Deserialize)]
#[serde(crate = "rocket::serde")]
struct Event {
    at_s: f64,
    /// Where it was looked for.
    #[serde(flatten)]
    region: Region,
}

/// What stands out at a marked moment; a job.
#[post("/sessions/<id>/strips/<strip>/marked", data = "<wanted>")]
async fn marked(app: &State<App>, id: i32, strip: u32, wanted: Json<Event>) -> Answer {
    let at_s = wanted.at_s;
    queued(app, id, "hearing what rises there", move |work| Listening(work).marked(strip, at_s)).await
}

/// The trim with which a unit leaves its part as loud as it came; a job.
#[post("/sessions/<id>/strips/<strip>/units/<unit>/level")]
async fn by_hand(app: &State<App>, id: i32, strip: u32, unit: u32) -> Answer {
    queued(app, id, "measuring its level", move |work| Making(work).by_hand(strip, unit)).await
}

/// What an amplifier's dry blend takes away and what it makes of the pauses; a job.
#[post("/sessions/<id>/strips/<strip>/units/<unit>/amplified")]
async fn amplified(app: &State<App>, id: i32, strip: u32, unit: u32) -> Answer {
    queued(app, id, "hearing the amplifier", move |work| Making(work).amplified(strip, unit)).await
}

/// Four ways to hold the event nearest to a moment, measured; a job.
#[post("/sessions/<id>/strips/<strip>/ways", data = "<wanted>")]
async fn ways(app: &State<App>, id: i32, strip: u32, wanted: Json<Event>) -> Answer {
    let (at_s, region) = (wanted.at_s, wanted.region.edges()?);
    queued(app, id, "holding it four ways", move |work| Listening(work).ways(strip, at_s, region)).await
}

/// Which compressor is carried over to which action, on which stretch.
#[derive(Deserialize)]
#[serde(crate = "rocket::serde")]
struct Carry {
    unit: u32,
    action: String,
    from_s: f64,
    to_s: f64,
}

/// The settings of another action that behave most alike; a job that gives the edit.
#[post("/sessions/<id>/strips/<strip>/carry", data = "<wanted>")]
async fn carry(app: &State<App>, id: i32, strip: u32, wanted: Json<Carry>) -> Answer {
    let Carry { unit, action, from_s, to_s } = wanted.into_inner();
    let no_stretch = "There is no such stretch to compare on; nothing was changed.";
    if !(to_s > from_s && from_s >= 0.0) {
        return Err(ApiError::new(Status::UnprocessableEntity, no_stretch));
    }
    queued(app, id, "comparing", move |work| Trials(work).carry(strip, unit, &action, [from_s, to_s])).await
}

/// What is taken away along the path of a strip; a job.
#[post("/sessions/<id>/strips/<strip>/taken")]
async fn taken(app: &State<App>, id: i32, strip: u32) -> Answer {
    queued(app, id, "adding up what is taken", move |work| PathReduction(work).of(strip)).await
}

/// What is made beside a strip.
#[derive(Deserialize)]
#[serde(crate = "rocket::serde")]
struct Beside {
    recipe: Recipe,
}

/// A return beside a strip by a recipe; a job that gives the edit.
#[post("/sessions/<id>/strips/<strip>/beside", data = "<wanted>")]
async fn beside(app: &State<App>, id: i32, strip: u32, wanted: Json<Beside>) -> Answer {
    queued(app, id, "listening to the part", move |work| Making(work).beside(strip, wanted.recipe)).await
}

/// What gives way to what, and by how much.
#[derive(Deserialize)]
#[serde(crate = "rocket::serde")]
struct GiveWay {
    /// The strip whose hits count.
    key: u32,
    depth_db: f64,
}

/// A unit that gives way at each hit of another strip; a job that gives the edit.
#[post("/sessions/<id>/strips/<strip>/duck", data = "<wanted>")]
async fn duck(app: &State<App>, id: i32, strip: u32, wanted: Json<GiveWay>) -> Answer {
    let GiveWay { key, depth_db } = wanted.into_inner();
    queued(app, id, "listening for the hits", move |work| Making(work).duck(strip, key, depth_db)).await
}

/// The tracks that are most in each other's way; a job.
#[post("/sessions/<id>/collisions")]
async fn collisions(app: &State<App>, id: i32) -> Answer {
    queued(app, id, "comparing the tracks", move |work| Advice(work).collisions()).await
}

/// What a return adds on small and on large speakers; a job.
#[post("/sessions/<id>/strips/<strip>/audibility")]
async fn audibility(app: &State<App>, id: i32, strip: u32) -> Answer {
    queued(app, id, "listening on small and large speakers", move |work| Advice(work).audibility(strip)).await
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
    let Room { greater, lesser, way } = wanted.into_inner();
    queued(app, id, "making room", move |work| Advice(work).room(greater, &lesser, way)).await
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
    let rack = RackSpec { units: vec![unit] };
    let make = move |rack: &RackSpec| impulse_response(rack, f64::from(rate));
    let file = made(&app, &session, rack, json!("impulse"), make).await?;
    let disposition = Header::new("Content-Disposition", format!("attachment; filename=\"{name}\""));
    Ok(Download { file, kind: ContentType::WAV, disposition })
}

pub fn routes() -> Vec<Route> {
    routes![
        pairs, trial, events, marked, by_hand, amplified, ways, carry, taken, beside, duck, collisions, audibility,
        room, impulse
    ]
}
