//! Sounds that units name: what there is, a file brought in, the samples for the engine.

use rocket::data::{Data, ToByteUnit};
use rocket::http::{ContentType, Header, Status};
use rocket::response::{self, Responder, Response};
use rocket::serde::json::{Json, json};
use rocket::{Request, Route, State, get, post, routes};
use zinc_core::unit::SoundId;

use super::answer::{Answer, ApiError, arrived, blocking};
use crate::app::App;

/// All sounds on the shelf.
#[get("/sounds")]
async fn list(app: &State<App>) -> Answer {
    let app = app.inner().clone();
    blocking(move || Ok(Json(json!(app.responses.list()?)))).await
}

/// Brings in a file: the body is the file, `name` its name. `said` is what there is to be said of it.
#[post("/sounds?<name>", data = "<body>")]
async fn bring_in(app: &State<App>, name: &str, body: Data<'_>) -> Answer {
    let refused = |why: String| ApiError::new(Status::UnprocessableEntity, why);
    let temporary = app.shelf.temporary_file();
    let limit = 64.mebibytes();
    arrived(body.open(limit).into_file(&*temporary).await, name, limit, "It was not kept.")?;
    let (app, name) = (app.inner().clone(), name.to_string());
    blocking(move || {
        let (sound, said) = app.responses.bring_in(&temporary, &name).map_err(refused)?;
        let mut answer = json!(sound);
        answer["said"] = json!(said);
        Ok(Json(answer))
    })
    .await
}

/// Samples of a sound at a rate.
struct Samples {
    bytes: Vec<u8>,
    recorded_hz: f64,
}

impl<'r> Responder<'r, 'static> for Samples {
    fn respond_to(self, _: &'r Request<'_>) -> response::Result<'static> {
        Response::build()
            .header(ContentType::Binary)
            .header(Header::new("Recorded-Hz", self.recorded_hz.to_string()))
            // A sound's name is its content: it never changes.
            .header(Header::new("Cache-Control", "private, max-age=31536000, immutable"))
            .sized_body(self.bytes.len(), std::io::Cursor::new(self.bytes))
            .ok()
    }
}

/// Both sides of a sound at a rate in Hz, interleaved 32-bit floats.
#[get("/sounds/<hash>/<rate>")]
async fn samples(app: &State<App>, hash: &str, rate: u32) -> Result<Samples, ApiError> {
    let missing = || {
        let why =
            "A sound that a unit names is missing or damaged; the unit passes its input. Bring the file in again.";
        ApiError::new(Status::NotFound, why)
    };
    let id: SoundId = hash.parse().map_err(|_| missing())?;
    let app = app.inner().clone();
    blocking(move || {
        // Only what a session has is worked out.
        if !app.store.has_rate(rate)? {
            return Err(ApiError::new(Status::UnprocessableEntity, "No session has that rate."));
        }
        let sound = app.responses.get(id, rate).ok_or_else(missing)?;
        let [left, right] = sound.sides();
        let both = left.iter().zip(right).flat_map(|(l, r)| [l.to_le_bytes(), r.to_le_bytes()]);
        Ok(Samples { bytes: both.flatten().collect(), recorded_hz: sound.recorded_hz() })
    })
    .await
}

pub fn routes() -> Vec<Route> {
    routes![list, bring_in, samples]
}
