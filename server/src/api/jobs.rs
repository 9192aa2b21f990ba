//! How long work stands: asked once, followed as events, cancelled.

use std::time::Duration;

use rocket::http::Status;
use rocket::response::stream::{Event, EventStream};
use rocket::serde::json::{Json, json};
use rocket::tokio::time::interval;
use rocket::{Route, Shutdown, State, get, post, routes};

use super::answer::{Answer, ApiError};
use crate::app::App;

fn unknown() -> ApiError {
    ApiError::new(Status::NotFound, "This work is not known (the server may have been restarted); start it again.")
}

#[get("/jobs/<id>")]
fn state(app: &State<App>, id: u64) -> Answer {
    let job = app.jobs.get(id).ok_or_else(unknown)?;
    Ok(Json(job.state().to_json()))
}

#[get("/jobs/<id>/events")]
fn follow(app: &State<App>, id: u64, mut end: Shutdown) -> Result<EventStream![Event + 'static], ApiError> {
    let job = app.jobs.get(id).ok_or_else(unknown)?;
    Ok(EventStream! {
        let mut ticks = interval(Duration::from_millis(60));
        loop {
            rocket::tokio::select! {
                _ = ticks.tick() => {}
                _ = &mut end => break,
            }
            let state = job.state();
            yield Event::data(state.to_json().to_string());
            if state.is_over() {
                break;
            }
        }
    })
}

#[post("/jobs/<id>/cancel")]
fn cancel(app: &State<App>, id: u64) -> Answer {
    app.jobs.get(id).ok_or_else(unknown)?.cancel();
    Ok(Json(json!({ "cancelling": id })))
}

pub fn routes() -> Vec<Route> {
    routes![state, follow, cancel]
}
