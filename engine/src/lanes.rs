//! Questions about what changes with the song: how a value runs, points typed, written and ridden.

use serde::Deserialize;
use serde_json::{Value as Json, json};
use zinc_core::course::json::{WrittenPoint, read, read_points, write_points};
use zinc_core::course::lane::{self, Beats};
use zinc_core::course::text::{format_clock, format_place, format_running, parse_place, parse_point};
use zinc_core::course::{Course, Courses, Span, Steps, ValueCurve};
use zinc_core::session::Section;
use zinc_core::unit::Param;
use zinc_core::unit::param::Domain;
use zinc_core::unit::value::{Value, Written};

/// Tempo, metre and rate of a session.
#[derive(Clone, Copy, Deserialize)]
pub struct Metre {
    tempo_bpm: f64,
    beats_per_bar: u32,
    rate: f64,
}

impl From<Metre> for Beats {
    fn from(m: Metre) -> Self {
        Self { tempo_bpm: m.tempo_bpm, per_bar: m.beats_per_bar, rate: m.rate }
    }
}

/// What is asked of one value.
#[derive(Deserialize)]
#[serde(tag = "lane", rename_all = "kebab-case")]
pub enum LaneQuestion {
    /// Places on its rule, 0 to 1, at so many frames evenly from one to another.
    Run { everywhere: Written, course: Json, sections: Vec<Section>, rate: f64, from: i64, to: i64, columns: u32 },
    /// A typed point.
    Point { text: String, metre: Metre },
    /// The lane with a run of points written into it, thinned.
    Written { points: Vec<WrittenPoint>, run: Vec<WrittenPoint> },
    /// The lane after a stretch was ridden.
    Ridden { everywhere: Written, course: Json, sections: Vec<Section>, rate: f64, from: u64, to: u64, by: f64 },
}

/// What is asked of places in the song.
#[derive(Deserialize)]
#[serde(tag = "place", rename_all = "kebab-case")]
pub enum PlaceQuestion {
    /// A place as bar and beat.
    Words { frame: u64, metre: Metre },
    /// A typed place.
    Typed { text: String, metre: Metre },
    /// The nearest place of a grid with so many places to the beat.
    Snapped { frame: u64, per_beat: u32, metre: Metre },
    /// Where a song is while it plays: bar, beat and time.
    Running { frame: u64, metre: Metre },
    /// A time in seconds as minutes and seconds.
    Clock { seconds: f64 },
    /// Frames of a beat and of a bar.
    Lengths { metre: Metre },
}

fn words(error: impl std::fmt::Display) -> String {
    error.to_string()
}

fn spans(sections: &[Section]) -> Vec<Span> {
    sections.iter().map(|s| Span { section: s.id, start: s.start, end: s.end }).collect()
}

/// The course of one parameter as a page holds it; one that says nothing for null.
fn course(param: &'static Param, json: &Json) -> Result<Course, String> {
    let mut one = json.clone();
    one["param"] = json!(param.id);
    let courses = Courses::from_json(&json!([one]), |_| Some(param)).map_err(words)?;
    Ok(courses.list.into_iter().next().unwrap_or_else(|| Course::new(param.id)))
}

/// Place of a stepped value among those it can take, 0 to 1.
fn place_of(domain: &Domain, value: &Value) -> f64 {
    match (domain, value) {
        (Domain::Choice { options, .. }, Value::Choice(at)) => *at as f64 / (options.len() - 1).max(1) as f64,
        (_, Value::On(on)) => f64::from(u8::from(*on)),
        _ => 0.0,
    }
}

/// Answers a question about a value.
pub fn about(param: &'static Param, question: &LaneQuestion) -> Result<Json, String> {
    Ok(match question {
        LaneQuestion::Run { everywhere, course: given, sections, rate, from, to, columns } => {
            let (everywhere, given) = (read(param, param.id, everywhere).map_err(words)?, course(param, given)?);
            let frame = |n: u32| from + (to - from) * i64::from(n) / i64::from((*columns).max(2) - 1);
            let spans = spans(sections);
            let places: Vec<f64> = if matches!(param.domain, Domain::Number { .. }) {
                let curve = ValueCurve::new(&param.domain, &everywhere, &given, &spans, *rate);
                (0..*columns).map(|n| curve.position_at(frame(n))).collect()
            } else {
                let steps = Steps::new(&everywhere, &given, &spans);
                (0..*columns).map(|n| place_of(&param.domain, steps.value_at(frame(n)))).collect()
            };
            json!(places)
        }
        LaneQuestion::Point { text, metre } => {
            let point = parse_point(param, text, &(*metre).into()).map_err(words)?;
            json!(write_points(&param.domain, &[point])[0])
        }
        LaneQuestion::Written { points, run } => {
            let points = read_points(param, param.id, points).map_err(words)?;
            let run = lane::thinned(param, &read_points(param, param.id, run).map_err(words)?);
            json!(write_points(&param.domain, &lane::written(&points, &run)))
        }
        LaneQuestion::Ridden { everywhere, course: given, sections, rate, from, to, by } => {
            let (everywhere, given) = (read(param, param.id, everywhere).map_err(words)?, course(param, given)?);
            let ridden = lane::ridden((param, &everywhere), &given, &spans(sections), (*from, *to), *by, *rate)?;
            json!(write_points(&param.domain, &ridden))
        }
    })
}

/// Answers a question about a place in the song.
pub fn place(question: &PlaceQuestion) -> Result<Json, String> {
    Ok(match question {
        PlaceQuestion::Words { frame, metre } => json!(format_place(*frame, &(*metre).into())),
        PlaceQuestion::Typed { text, metre } => json!(parse_place(text, &(*metre).into()).map_err(words)?),
        PlaceQuestion::Snapped { frame, per_beat, metre } => {
            json!(Beats::from(*metre).snapped(*frame, *per_beat))
        }
        PlaceQuestion::Running { frame, metre } => json!(format_running(*frame, &(*metre).into())),
        PlaceQuestion::Clock { seconds } => json!(format_clock(*seconds)),
        PlaceQuestion::Lengths { metre } => {
            let beat = Beats::from(*metre).frames();
            json!({ "beat": beat, "bar": beat * f64::from(metre.beats_per_bar) })
        }
    })
}
