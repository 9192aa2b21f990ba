//! What a page needs to play: its streams, and what racks did to whole parts.

use rocket::http::Status;
use rocket::serde::json::{Json, json};
use rocket::{Route, State, post, routes};
use zinc_core::measure::heard::is_treated_downstream;
use zinc_core::measure::treatment::Treatment;
use zinc_core::render::{Plan, Source};
use zinc_core::session::{Session, Strip};

use super::{Answer, ApiError, blocking};
use crate::app::App;
use crate::jobs::{Job, Stopped, side_by_side};

/// Prepares the streams of the Desk (`strip` 0) or of a strip's Bench; a job.
#[post("/sessions/<id>/streams?<strip>")]
async fn streams(app: &State<App>, id: i32, strip: u32) -> Answer {
    let app = app.inner().clone();
    let session = load(&app, id).await?;
    let no_strip = || ApiError::new(Status::NotFound, format!("There is no strip {strip} in this session."));
    let plan = if strip == 0 { Plan::desk(&session) } else { Plan::bench(&session, strip).ok_or_else(no_strip)? };
    let sources: Vec<Source> = plan.lanes.iter().map(|l| l.source.clone()).collect();
    let worker = app.clone();
    let job = app.jobs.add("preparing to play", move |job| {
        let lanes = worker.prints.ensure(&session, &sources, job)?;
        Ok(json!({ "lanes": lanes, "frames": session.frames() }))
    });
    Ok(Json(json!({ "job": job.id })))
}

/// Measures what a strip's rack does to its whole part; a job.
#[post("/sessions/<id>/strips/<strip>/evidence")]
async fn evidence(app: &State<App>, id: i32, strip: u32) -> Answer {
    let app = app.inner().clone();
    let session = load(&app, id).await?;
    let worker = app.clone();
    let job = app.jobs.add("measuring", move |job| {
        let treatment = worker.prints.treatment(&session, strip, job)?;
        Ok(json!({ "treatment": treatment, "matches": section_matches(&session, &treatment) }))
    });
    Ok(Json(json!({ "job": job.id })))
}

/// The gain that makes both sides of a strip's comparison equally loud at the ear,
/// when the strip is heard alone over these frames; a job.
#[post("/sessions/<id>/strips/<strip>/match?<from>&<to>")]
async fn heard_match(app: &State<App>, id: i32, strip: u32, from: u64, to: u64) -> Answer {
    let app = app.inner().clone();
    let session = load(&app, id).await?;
    let to = to.min(session.frames());
    if from >= to {
        return Err(ApiError::new(Status::UnprocessableEntity, "The stretch to be matched is empty."));
    }
    let worker = app.clone();
    let job = app.jobs.add("matching loudness", move |job| {
        let treatment = worker.prints.treatment(&session, strip, job)?;
        let tenth = |frame: u64| (frame * 10 / u64::from(session.rate)) as usize;
        let guess = treatment.match_db(tenth(from), tenth(to));
        let found = if is_treated_downstream(&session, strip) {
            worker.prints.heard_match(&session, strip, from..to, guess, job)?
        } else {
            guess
        };
        Ok(json!({ "match_db": found }))
    });
    Ok(Json(json!({ "job": job.id })))
}

/// Waveform and loudness of every track for the Desk; a job.
#[post("/sessions/<id>/overviews")]
async fn overviews(app: &State<App>, id: i32) -> Answer {
    let app = app.inner().clone();
    let session = load(&app, id).await?;
    let worker = app.clone();
    let job = app.jobs.add("drawing the tracks", move |job| track_overviews(&worker, &session, job));
    Ok(Json(json!({ "job": job.id })))
}

fn track_overviews(app: &App, session: &Session, job: &Job) -> Result<serde_json::Value, Stopped> {
    let tracks: Vec<&Strip> = session.tracks().collect();
    let all = side_by_side(&tracks, |done, track| {
        job.progress(&format!("measuring {}", track.name), done)?;
        let t = app.prints.treatment(session, track.id, job)?;
        let last = t.points.last();
        let (lufs, peak_db) = (last.and_then(|p| p.lufs), last.map(|p| p.peak_db));
        Ok(json!({ "strip": track.id, "wave": t.overview_in, "lufs": lufs, "peak_db": peak_db }))
    })?;
    Ok(json!(all))
}

/// Gain that matches untouched to worked: over the whole part and each section.
fn section_matches(session: &Session, treatment: &Treatment) -> serde_json::Value {
    let tenth = |frame: u64| (frame * 10 / u64::from(session.rate)) as usize;
    let sections: Vec<f64> =
        session.sections.iter().map(|s| treatment.match_db(tenth(s.start), tenth(s.end))).collect();
    json!({ "whole": treatment.match_db(0, usize::MAX), "sections": sections })
}

async fn load(app: &App, id: i32) -> Result<Session, ApiError> {
    let app = app.clone();
    blocking(move || Ok(app.store.load(id)?.session)).await
}

pub fn routes() -> Vec<Route> {
    routes![streams, evidence, heard_match, overviews]
}
