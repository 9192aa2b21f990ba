//! What a page needs to play: its streams, and what racks did to whole parts.

use rocket::http::Status;
use rocket::serde::Deserialize;
use rocket::serde::json::{Json, json};
use rocket::{Route, State, post, routes};
use zinc_core::advice::first::{FirstMove, first_moves, nothing_to_do};
use zinc_core::advice::usual::against_usual;
use zinc_core::measure::heard::is_treated_downstream;
use zinc_core::measure::treatment::Treatment;
use zinc_core::render::{Plan, Source, View};
use zinc_core::session::{Change, Reference, Session, Strip};

use super::answer::{Answer, ApiError, load, load_with};
use crate::app::App;
use crate::jobs::{Job, Stopped, side_by_side};

/// What a page is going to play.
#[derive(Deserialize)]
#[serde(crate = "rocket::serde")]
struct Wanted {
    #[serde(flatten)]
    view: View,
    /// The other side of its comparison.
    #[serde(default)]
    reference: Option<Reference>,
}

/// Prepares the streams of a page's mix, and of the other side of its comparison; a job.
#[post("/sessions/<id>/streams", data = "<wanted>")]
async fn streams(app: &State<App>, id: i32, wanted: Json<Wanted>) -> Answer {
    let app = app.inner().clone();
    let Wanted { view, reference } = wanted.into_inner();
    let session = load_with(&app, id, reference.as_ref()).await?;
    let unusable = |why: String| ApiError::new(Status::UnprocessableEntity, why);
    let other = reference.map(|r| r.of(&session)).transpose().map_err(|e| unusable(e.to_string()))?;
    sources(&session, &view)?;
    let worker = app.clone();
    let job = app.jobs.add("preparing to play", move |job| {
        let lanes = |session: &Session| {
            let sources = sources(session, &view).map_err(|e| Stopped::Failed(e.to_string()))?;
            worker.prints.ensure(session, &sources, job)
        };
        let reference_lanes = other.as_ref().map(lanes).transpose()?.unwrap_or_default();
        Ok(json!({ "lanes": lanes(&session)?, "reference_lanes": reference_lanes, "frames": session.frames() }))
    });
    Ok(Json(json!({ "job": job.id })))
}

/// The sources of a view, in the order of its lanes.
fn sources(session: &Session, view: &View) -> Result<Vec<Source>, ApiError> {
    let no_strip = || ApiError::new(Status::NotFound, format!("There is no strip {} in this session.", view.strip));
    let plan = Plan::of_view(session, view).ok_or_else(no_strip)?;
    Ok(plan.lanes().map(|(_, source)| source.clone()).collect())
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

/// What a track is before anyone touched it, and the first moves that suggests, each with
/// whether its rack makes it already and the edit that does; why there is nothing to do; where it lies outside what is
/// usual of its kind; a job.
#[post("/sessions/<id>/strips/<strip>/raw")]
async fn raw(app: &State<App>, id: i32, strip: u32) -> Answer {
    let app = app.inner().clone();
    let session = load(&app, id).await?;
    let worker = app.clone();
    let job = app.jobs.add("looking at the raw part", move |job| {
        let raw = worker.prints.raw(&session, strip, job)?;
        let (rack, part) = session.strip(strip).map(|s| (s.rack.clone(), s.part)).unwrap_or_default();
        let told = |m: FirstMove| json!({ "made": m.is_made(&rack), "edit": m.edit(strip, &rack), "move": m });
        let moves: Vec<_> = first_moves(&raw).into_iter().map(told).collect();
        let usual = against_usual(&raw, part).map(|usual| {
            let departures: Vec<_> = usual.departures.into_iter().map(told).collect();
            json!({ "kind": usual.kind, "range_dbfs": usual.range_dbfs, "departures": departures })
        });
        Ok(json!({ "moves": moves, "nothing": nothing_to_do(&raw), "usual": usual, "raw": raw }))
    });
    Ok(Json(json!({ "job": job.id })))
}

/// The rings of a track as it was recorded; a job.
#[post("/sessions/<id>/strips/<strip>/rings")]
async fn rings(app: &State<App>, id: i32, strip: u32) -> Answer {
    let app = app.inner().clone();
    let session = load(&app, id).await?;
    let worker = app.clone();
    let job = app.jobs.add("looking for rings", move |job| Ok(json!(worker.prints.rings(&session, strip, job)?)));
    Ok(Json(json!({ "job": job.id })))
}

/// Where a track as it was recorded begins; a job.
#[post("/sessions/<id>/strips/<strip>/floor")]
async fn floor(app: &State<App>, id: i32, strip: u32) -> Answer {
    let app = app.inner().clone();
    let session = load(&app, id).await?;
    let worker = app.clone();
    let job = app.jobs.add("finding where it begins", move |job| worker.prints.floor(&session, strip, job));
    Ok(Json(json!({ "job": job.id })))
}

/// What is compared, where, and over which frames.
#[derive(Deserialize)]
#[serde(crate = "rocket::serde")]
struct Match {
    /// The strip whose level makes both sides equally loud.
    strip: u32,
    reference: Reference,
    /// What is heard in place of the session on the side it is compared with: nothing else, as a
    /// rule.
    #[serde(default)]
    instead: Option<Reference>,
    from: u64,
    to: u64,
}

/// The gain that makes both sides of a comparison equally loud at the ear, when the
/// strip is heard alone over these frames; a job.
#[post("/sessions/<id>/match", data = "<wanted>")]
async fn heard_match(app: &State<App>, id: i32, wanted: Json<Match>) -> Answer {
    let app = app.inner().clone();
    let Match { strip, reference, instead, from, to } = wanted.into_inner();
    let mut session = load_with(&app, id, Some(&reference)).await?;
    if let Some(instead) = instead {
        let sounds = session.sounds.clone();
        session = instead.of(&session).map_err(|e| ApiError::new(Status::UnprocessableEntity, e.to_string()))?;
        session.sounds = sounds;
        session.supply();
    }
    let to = to.min(session.frames());
    if from >= to {
        return Err(ApiError::new(Status::UnprocessableEntity, "The stretch to be matched is empty."));
    }
    let worker = app.clone();
    let job = app.jobs.add("matching loudness", move |job| {
        let whole_rack = reference.changes == [Change::RackOff { strip }];
        let guess = if whole_rack {
            let tenth = |frame: u64| (frame * 10 / u64::from(session.rate)) as usize;
            worker.prints.treatment(&session, strip, job)?.match_db(tenth(from), tenth(to))
        } else {
            0.0
        };
        let found = if whole_rack && !is_treated_downstream(&session, strip) {
            guess
        } else {
            worker.prints.heard_match(&session, strip, &reference, from..to, guess, job)?
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
        app.prints.glance(session, track, job)
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

pub fn routes() -> Vec<Route> {
    routes![streams, evidence, raw, rings, floor, heard_match, overviews]
}
