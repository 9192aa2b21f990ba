//! How long work stands: asked once, followed as events, cancelled.

use std::sync::Arc;
use std::time::Duration;

use rocket::http::Status;
use rocket::response::stream::{Event, EventStream};
use rocket::serde::json::{Json, Value, json};
use rocket::tokio::time::{interval, sleep};
use rocket::{Route, Shutdown, State, get, post, routes};

use super::answer::{Answer, ApiError};
use crate::app::App;
use crate::jobs::{Job, JobState};

/// A page that has not come again for so long is gone.
const GONE_AFTER: Duration = Duration::from_secs(5);
const UNKNOWN: &str = "This work is not known (the server may have been restarted); start it again.";

fn unknown() -> ApiError {
    ApiError::new(Status::NotFound, UNKNOWN)
}

#[get("/jobs/<id>")]
fn state(app: &State<App>, id: u64) -> Answer {
    let job = app.jobs.get(id).ok_or_else(unknown)?;
    Ok(Json(job.state().to_json()))
}

/// How several jobs stand, named by their numbers between commas, as one stream of lists until all are over: a page
/// follows all it waits for by one connection.
#[get("/jobs/events?<of>")]
fn follow<'a>(app: &'a State<App>, of: &str, mut end: Shutdown) -> EventStream![Event + 'a] {
    let mut waiting: Vec<u64> = of.split(',').filter_map(|id| id.parse().ok()).collect();
    let following = Following(waiting.iter().filter_map(|id| app.jobs.get(*id)).collect());
    following.0.iter().for_each(|job| job.followed());
    EventStream! {
        // Dropped with the stream, whichever side ends it.
        let _following = following;
        let mut ticks = interval(Duration::from_millis(60));
        while !waiting.is_empty() {
            rocket::tokio::select! {
                _ = ticks.tick() => {}
                _ = &mut end => break,
            }
            let mut states = Vec::new();
            waiting.retain(|id| {
                let (state, over) = standing(app, *id);
                states.push(state);
                !over
            });
            yield Event::json(&states);
        }
    }
}

/// The jobs a stream follows.
struct Following(Vec<Arc<Job>>);

impl Drop for Following {
    fn drop(&mut self) {
        let alone: Vec<Arc<Job>> = self.0.drain(..).filter(|job| job.left()).collect();
        // A page that waits for something more follows all anew.
        if let Ok(runtime) = rocket::tokio::runtime::Handle::try_current() {
            runtime.spawn(async move {
                sleep(GONE_AFTER).await;
                alone.iter().for_each(|job| job.cancel_if_alone());
            });
        }
    }
}

/// How one job stands, as a page is told, and whether nothing more will happen.
fn standing(app: &App, id: u64) -> (Value, bool) {
    let state = app.jobs.get(id).map_or_else(|| JobState::Failed(UNKNOWN.into()), |job| job.state());
    let mut told = state.to_json();
    told["job"] = json!(id);
    (told, state.is_over())
}

#[post("/jobs/<id>/cancel")]
fn cancel(app: &State<App>, id: u64) -> Answer {
    app.jobs.get(id).ok_or_else(unknown)?.cancel();
    Ok(Json(json!({ "cancelling": id })))
}

pub fn routes() -> Vec<Route> {
    routes![state, follow, cancel]
}
