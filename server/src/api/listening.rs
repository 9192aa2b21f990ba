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

use super::answer::{Answer, ApiError, blocking, load_with, queued, queued_on};
use crate::app::App;
use crate::jobs::{Job, JobError, side_by_side};
use crate::prints::Prints;
use crate::prints::cache::Stream;
use crate::prints::pool::Wanted as WantedPrints;
use crate::services::Work;
use crate::services::figures::Figures;
use crate::services::matching::Matching;

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

/// The streams of a page's mix, and of the other side of its comparison: at once, as what is not printed yet can be read
/// while it is made. What makes it is a job, if there is anything to make.
#[post("/sessions/<id>/streams", data = "<wanted>")]
async fn streams(app: &State<App>, id: i32, wanted: Json<Wanted>) -> Answer {
    let app = app.inner().clone();
    let Wanted { view, reference } = wanted.into_inner();
    let session = load_with(&app, id, reference.as_ref()).await?;
    let unusable = |why: String| ApiError::new(Status::UnprocessableEntity, why);
    let other = reference.map(|r| r.of(&session)).transpose().map_err(|e| unusable(e.to_string()))?;
    blocking(move || {
        let mut mixes = vec![Mix::begun(&app.prints, session, &view)?];
        mixes.extend(other.map(|other| Mix::begun(&app.prints, other, &view)).transpose()?);
        let lanes = |at: usize| mixes.get(at).map(|mix| mix.streams.clone()).unwrap_or_default();
        let mut told = json!({ "lanes": lanes(0), "reference_lanes": lanes(1), "frames": mixes[0].session.frames() });
        if mixes.iter().any(|mix| !mix.wanted.is_done()) {
            let prints = app.prints.clone();
            let job = app.jobs.begin("printing", move |job| {
                // Both sides beside each other: what they share is made once.
                std::thread::scope(|scope| {
                    let made: Vec<_> = mixes.into_iter().map(|mix| scope.spawn(|| mix.make(&prints, job))).collect();
                    made.into_iter().try_for_each(|made| made.join().unwrap_or_else(|_| Err(JobError::fault())))
                })?;
                Ok(json!({ "printed": true }))
            });
            told["job"] = json!(job.id);
        }
        Ok(Json(told))
    })
    .await
}

/// What one side of a page plays, and what of it is still to be made.
struct Mix {
    session: Session,
    sources: Vec<Source>,
    streams: Vec<Stream>,
    wanted: WantedPrints,
}

impl Mix {
    fn begun(prints: &Prints, session: Session, view: &View) -> Result<Self, ApiError> {
        let sources = sources(&session, view)?;
        let begun = prints.begin(&session, &sources);
        let (streams, wanted) = begun.map_err(|why| ApiError::new(Status::InternalServerError, why.words()))?;
        Ok(Self { session, sources, streams, wanted })
    }

    /// Makes what is to be made, and sees that it stays.
    fn make(self, prints: &Prints, job: &Job) -> Result<(), JobError> {
        self.wanted.make(job)?;
        prints.ensure(&self.session, &self.sources, job).map(|_| ())
    }
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
    let measured = move |work: Work<'_>| {
        let treatment = Figures(work).treatment(strip)?;
        Ok(json!({ "treatment": treatment, "matches": section_matches(work.session, &treatment) }))
    };
    queued(app, id, "measuring", measured).await
}

/// A stretch of the song, in frames.
#[derive(Deserialize)]
#[serde(crate = "rocket::serde")]
struct Within {
    from: u64,
    to: u64,
}

/// The same of a stretch alone, which is there before the whole is measured; a job.
#[post("/sessions/<id>/strips/<strip>/evidence-within", data = "<within>")]
async fn evidence_within(app: &State<App>, id: i32, strip: u32, within: Json<Within>) -> Answer {
    let Within { from, to } = within.into_inner();
    queued(app, id, "measuring", move |work| {
        Ok(json!({ "treatment": Figures(work).treatment_within(strip, [from, to])? }))
    })
    .await
}

/// What a track is before anyone touched it, and the first moves that suggests, each with
/// whether its rack makes it already and the edit that does; why there is nothing to do; where it lies outside what is
/// usual of its kind; a job.
#[post("/sessions/<id>/strips/<strip>/raw")]
async fn raw(app: &State<App>, id: i32, strip: u32) -> Answer {
    let looked_at = move |work: Work<'_>| {
        let raw = Figures(work).raw(strip)?;
        let (rack, part) = work.session.strip(strip).map(|s| (s.rack.clone(), s.part)).unwrap_or_default();
        let told = |m: FirstMove| json!({ "made": m.is_made(&rack), "edit": m.edit(strip, &rack), "move": m });
        let moves: Vec<_> = first_moves(&raw).into_iter().map(told).collect();
        let usual = against_usual(&raw, part).map(|usual| {
            let departures: Vec<_> = usual.departures.into_iter().map(told).collect();
            json!({ "kind": usual.kind, "range_dbfs": usual.range_dbfs, "departures": departures })
        });
        Ok(json!({ "moves": moves, "nothing": nothing_to_do(&raw), "usual": usual, "raw": raw }))
    };
    queued(app, id, "looking at the raw part", looked_at).await
}

/// The rings of a track as it was recorded; a job.
#[post("/sessions/<id>/strips/<strip>/rings")]
async fn rings(app: &State<App>, id: i32, strip: u32) -> Answer {
    queued(app, id, "looking for rings", move |work| Ok(json!(Figures(work).rings(strip)?))).await
}

/// Where a track as it was recorded begins; a job.
#[post("/sessions/<id>/strips/<strip>/floor")]
async fn floor(app: &State<App>, id: i32, strip: u32) -> Answer {
    queued(app, id, "finding where it begins", move |work| Figures(work).floor(strip)).await
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
    Ok(queued_on(&app, session, "matching loudness", move |work| {
        let session = work.session;
        let whole_rack = reference.changes == [Change::RackOff { strip }];
        let guess = if whole_rack {
            let tenth = |frame: u64| (frame * 10 / u64::from(session.rate)) as usize;
            Figures(work).treatment(strip)?.match_db(tenth(from), tenth(to))
        } else {
            0.0
        };
        let found = if whole_rack && !is_treated_downstream(session, strip) {
            guess
        } else {
            Matching(work).gain_db(strip, &reference, from..to, guess)?
        };
        Ok(json!({ "match_db": found }))
    }))
}

/// Waveform and loudness of every track for the Desk; a job.
#[post("/sessions/<id>/overviews")]
async fn overviews(app: &State<App>, id: i32) -> Answer {
    queued(app, id, "drawing the tracks", track_overviews).await
}

fn track_overviews(work: Work<'_>) -> Result<serde_json::Value, JobError> {
    let tracks: Vec<&Strip> = work.session.tracks().collect();
    let all = side_by_side(&tracks, |done, track| {
        work.job.progress(&format!("measuring {}", track.name), done)?;
        Figures(work).glance(track)
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
    routes![streams, evidence, evidence_within, raw, rings, floor, heard_match, overviews]
}
