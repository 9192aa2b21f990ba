//! What the page *Measure* asks: figures of a rack or one of its units, and test signals through
//! them.

use rocket::http::{ContentType, Header, Status};
use rocket::serde::Deserialize;
use rocket::serde::json::{Json, json};
use rocket::{Route, State, get, post, routes};
use zinc_core::measure::probe::{With, probe};
use zinc_core::measure::test_signal::TestSignal;
use zinc_core::measure::treatment::Treatment;
use zinc_core::rack::RackSpec;
use zinc_core::session::Session;

use super::answer::{Answer, ApiError, load, queued_on};
use super::download::{Download, made};
use crate::app::App;
use crate::services::figures::Figures;
use zinc_sound::through;

/// Levels and frequencies of test tones that can be asked for.
const LEVELS_DB: (f64, f64) = (-60.0, 12.0);
const TONES_HZ: (f64, f64) = (20.0, 8000.0);

#[derive(Deserialize)]
#[serde(crate = "rocket::serde")]
struct Wanted {
    /// One unit; none for the whole rack.
    unit: Option<u32>,
    /// Those of the part where none are given.
    level_db: Option<f64>,
    tone_hz: Option<f64>,
}

/// The rack of a strip as it is set, or one unit of it, switched on.
fn rack_of(session: &Session, strip: u32, unit: Option<u32>) -> Result<RackSpec, ApiError> {
    let gone = || ApiError::new(Status::NotFound, "What was to be measured is not there any more.");
    let strip = session.strip(strip).ok_or_else(gone)?;
    let Some(unit) = unit else { return Ok(strip.rack.clone()) };
    let mut found = strip.rack.units.iter().find(|u| u.id == unit).ok_or_else(gone)?.clone();
    found.common.switch("on", true);
    Ok(RackSpec { units: vec![found] })
}

fn within(value: f64, (low, high): (f64, f64), what: &str) -> Result<f64, ApiError> {
    let outside = || {
        let sentence = format!("{what} takes {low} to {high}; nothing was measured.");
        ApiError::new(Status::UnprocessableEntity, sentence)
    };
    (low..=high).contains(&value).then_some(value).ok_or_else(outside)
}

/// Everything a probe finds of a rack or one unit; a job.
#[post("/sessions/<id>/strips/<strip>/probe", data = "<wanted>")]
async fn probed(app: &State<App>, id: i32, strip: u32, wanted: Json<Wanted>) -> Answer {
    let app = app.inner().clone();
    let session = load(&app, id).await?;
    let level_db = wanted.level_db.map(|db| within(db, LEVELS_DB, "The level in dBFS")).transpose()?;
    let tone_hz = wanted.tone_hz.map(|hz| within(hz, TONES_HZ, "The tone in Hz")).transpose()?;
    let rack = rack_of(&session, strip, wanted.unit)?;
    let unit = wanted.unit;
    Ok(queued_on(&app, session, "measuring with tones", move |work| {
        let own = match (level_db, tone_hz) {
            (Some(level_db), Some(tone_hz)) => With { level_db, tone_hz },
            _ => own_tone(&Figures(work).treatment(strip)?, work.session, strip, unit),
        };
        work.job.progress("measuring with tones", 0.5)?;
        let with = With { level_db: level_db.unwrap_or(own.level_db), tone_hz: tone_hz.unwrap_or(own.tone_hz) };
        Ok(json!(probe(&rack, f64::from(work.session.rate), with)))
    }))
}

/// A note and a level of what comes to a unit, or to the rack.
fn own_tone(part: &Treatment, session: &Session, strip: u32, unit: Option<u32>) -> With {
    let at = unit.and_then(|unit| session.strip(strip)?.rack.units.iter().position(|u| u.id == unit)).unwrap_or(0);
    let point = &part.points[at];
    With::of_part(&point.third_octave, point.peak_db)
}

/// A test signal through a rack or one unit, or as it is, as a WAV file.
#[get("/sessions/<id>/strips/<strip>/signal/<name>?<unit>&<level_db>&<untouched>")]
async fn signal(
    app: &State<App>,
    id: i32,
    strip: u32,
    name: &str,
    unit: Option<u32>,
    level_db: Option<f64>,
    untouched: Option<bool>,
) -> Result<Download, ApiError> {
    let app = app.inner().clone();
    let session = load(&app, id).await?;
    let unknown = || ApiError::new(Status::NotFound, "There is no such test signal.");
    let signal = TestSignal::named(name).ok_or_else(unknown)?;
    let level_db = within(level_db.unwrap_or(0.0), LEVELS_DB, "The level in dBFS")?;
    let mut rack = rack_of(&session, strip, unit)?;
    if untouched == Some(true) {
        rack.units.clear();
    }
    let rate = session.rate;
    let make = move |rack: &RackSpec| {
        let samples = signal.samples(f64::from(rate), level_db);
        Ok(through(rack, f64::from(rate), &samples))
    };
    let file = made(&app, &session, rack, json!(["signal", name, level_db]), make).await?;
    let disposition = Header::new("Content-Disposition", format!("inline; filename=\"{name}.wav\""));
    Ok(Download { file, kind: ContentType::WAV, disposition })
}

pub fn routes() -> Vec<Route> {
    routes![probed, signal]
}
