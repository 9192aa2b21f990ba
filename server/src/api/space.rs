//! What the data folder takes of the disk, and giving it back; the bin.

use rocket::serde::json::{Json, json};
use rocket::{Route, State, delete, get, post, routes};

use super::answer::{Answer, blocking};
use crate::app::App;
use crate::shelf::size;
use crate::upkeep::daily::now_s;
use crate::upkeep::space::{give_back, taken};

#[get("/space")]
async fn look(app: &State<App>) -> Answer {
    let app = app.inner().clone();
    blocking(move || {
        let taken = taken(&app)?;
        let unused = taken.unused.total_bytes();
        Ok(Json(json!({ "said": taken.words(), "unused": (unused > 0).then(|| size(unused)) })))
    })
    .await
}

#[post("/space/give-back")]
async fn free(app: &State<App>) -> Answer {
    let app = app.inner().clone();
    blocking(move || {
        let bytes: u64 = give_back(&app)?.iter().map(|(_, file)| file.bytes).sum();
        Ok(Json(json!({ "given_back": size(bytes) })))
    })
    .await
}

/// Into the bin.
#[delete("/sessions/<id>")]
async fn remove(app: &State<App>, id: i32) -> Answer {
    let app = app.inner().clone();
    blocking(move || Ok(app.store.remove_session(id, now_s())?)).await?;
    Ok(Json(json!({ "removed": id })))
}

/// Out of it again.
#[post("/sessions/<id>/put-back")]
async fn put_back(app: &State<App>, id: i32) -> Answer {
    let app = app.inner().clone();
    blocking(move || Ok(app.store.put_back(id)?)).await?;
    Ok(Json(json!({ "id": id })))
}

/// Out of the bin for good.
#[delete("/sessions/<id>/for-good")]
async fn remove_for_good(app: &State<App>, id: i32) -> Answer {
    let app = app.inner().clone();
    blocking(move || Ok(app.store.remove_for_good(id)?)).await?;
    Ok(Json(json!({ "removed": id })))
}

pub fn routes() -> Vec<Route> {
    routes![look, free, remove, put_back, remove_for_good]
}
