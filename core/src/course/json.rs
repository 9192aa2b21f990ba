//! How a course is written down: `{"param": "ratio", "sections": [{"section": 3, "value": 4}],
//! "points": [{"at": 48000, "value": 2, "then": "held"}]}`.

use std::collections::{BTreeMap, BTreeSet};

use serde::{Deserialize, Serialize};
use serde_json::{Value as Json, json};

use super::written::{Course, Courses, Here, MAX_POINTS, Point, Span, Then};
use crate::unit::param::{Domain, Param};
use crate::unit::settings::SettingsError;
use crate::unit::value::{Value, Written, read_value, write_value};

/// Why a course was refused; nothing of it was taken.
#[derive(Clone, Debug, PartialEq)]
pub enum CourseError {
    /// It is not written as one.
    Form(String),
    /// The value it names is not there.
    Unknown(String),
    /// The value it names cannot change with the song.
    Fixed(String),
    /// One of its values.
    Value(SettingsError),
    /// More points than a lane holds.
    TooMany(usize),
}

impl core::fmt::Display for CourseError {
    fn fmt(&self, f: &mut core::fmt::Formatter<'_>) -> core::fmt::Result {
        match self {
            Self::Form(why) => write!(f, "what changes with the song: {why}"),
            Self::Unknown(param) => write!(f, "there is no value {param} here that could change with the song"),
            Self::Fixed(param) => write!(f, "{param} is a sound and cannot change with the song"),
            Self::Value(error) => error.fmt(f),
            Self::TooMany(given) => write!(f, "a lane of {given} points; at most {MAX_POINTS} fit"),
        }
    }
}

impl std::error::Error for CourseError {}

/// What a lane takes.
const POINTS: &str = "\"points\" takes a list of points: \"at\" is a frame of the song, \"value\" a value, \"then\" straight, held or free";

fn form(why: &str) -> CourseError {
    CourseError::Form(why.to_string())
}

/// A value of a parameter as a course may hold it.
///
/// # Errors
/// See [`CourseError`].
pub fn read(param: &Param, path: &str, written: &Written) -> Result<Value, CourseError> {
    if matches!(param.domain, Domain::Sound { .. }) {
        return Err(CourseError::Fixed(path.to_string()));
    }
    read_value(&param.domain, written, path.to_string()).map_err(CourseError::Value)
}

/// The points of a lane, put in order of time; of two at one frame the later given stands.
///
/// # Errors
/// See [`CourseError`].
pub fn read_points(param: &Param, path: &str, given: &[WrittenPoint]) -> Result<Vec<Point>, CourseError> {
    fits(given)?;
    let mut points: Vec<Point> = Vec::with_capacity(given.len());
    for point in given {
        points.push(Point { at: point.at, value: read(param, path, &point.value)?, then: point.then });
    }
    points.sort_by_key(|point| point.at);
    points.reverse();
    points.dedup_by_key(|point| point.at);
    points.reverse();
    Ok(points)
}

/// Whether so many points fit into a lane.
///
/// # Errors
/// [`CourseError::TooMany`].
pub fn fits<P>(points: &[P]) -> Result<(), CourseError> {
    if points.len() <= MAX_POINTS { Ok(()) } else { Err(CourseError::TooMany(points.len())) }
}

/// A point of a lane as it is written down.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "types", derive(ts_rs::TS), ts(rename = "Point"))]
pub struct WrittenPoint {
    /// Frame of the song.
    at: u64,
    /// Value there.
    value: Written,
    /// How it goes on.
    #[serde(default)]
    then: Then,
}

impl WrittenPoint {
    /// The same as far along a song of another tempo: `factor` is the old tempo by the new one.
    #[must_use]
    pub fn following(&self, factor: f64) -> Self {
        Self { at: follow(self.at, factor), ..self.clone() }
    }
}

/// A frame that stays on its beat at another tempo; `factor` is the old tempo by the new one.
#[must_use]
pub fn follow(at: u64, factor: f64) -> u64 {
    if factor == 1.0 { at } else { (at as f64 * factor).round() as u64 }
}

/// The frames at which two states of a lane differ, in order.
#[must_use]
pub fn differing(was: &[WrittenPoint], is: &[WrittenPoint]) -> BTreeSet<u64> {
    let by_frame = |lane: &'_ [WrittenPoint]| -> BTreeMap<u64, WrittenPoint> {
        lane.iter().map(|point| (point.at, point.clone())).collect()
    };
    let (was, is) = (by_frame(was), by_frame(is));
    was.keys().chain(is.keys()).filter(|at| was.get(at) != is.get(at)).copied().collect()
}

/// A section's own value as it is written down.
#[derive(Serialize)]
#[cfg_attr(feature = "types", derive(ts_rs::TS), ts(rename = "Here"))]
pub struct WrittenHere {
    section: u32,
    value: Written,
}

/// How a value changes with the song, as it is written down.
#[derive(Serialize)]
#[cfg_attr(feature = "types", derive(ts_rs::TS), ts(rename = "Course"))]
pub struct WrittenCourse<'a> {
    param: &'a str,
    sections: Vec<WrittenHere>,
    points: Vec<WrittenPoint>,
}

/// The points of a lane as written down.
#[must_use]
pub fn write_points(domain: &Domain, points: &[Point]) -> Vec<WrittenPoint> {
    let point = |p: &Point| WrittenPoint { at: p.at, value: write_value(domain, &p.value), then: p.then };
    points.iter().map(point).collect()
}

impl Course {
    /// What of it can be heard, written down: values with the stretches of the song in which they
    /// hold, and the lane.
    #[must_use]
    pub fn sounding(&self, domain: &Domain, spans: &[Span]) -> Json {
        let here = |span: &Span| {
            let value = write_value(domain, self.here(span.section)?);
            Some(json!([span.start, span.end, span.section, value]))
        };
        let sections: Vec<Json> = spans.iter().filter_map(here).collect();
        json!([self.param, sections, write_points(domain, &self.points)])
    }
}

impl Courses {
    /// Reads the list of a unit or strip; `find` gives the parameter that a path names.
    ///
    /// # Errors
    /// See [`CourseError`].
    pub fn from_json(json: &Json, find: impl Fn(&str) -> Option<&'static Param>) -> Result<Self, CourseError> {
        let mut courses = Self::default();
        let none = Vec::new();
        let list = match json {
            Json::Null => &none,
            json => json.as_array().ok_or_else(|| form("\"over_time\" takes a list"))?,
        };
        for given in list {
            let path = given["param"].as_str().ok_or_else(|| form("\"param\" names the value"))?;
            let param = find(path).ok_or_else(|| CourseError::Unknown(path.to_string()))?;
            let course = courses.entry(path);
            for here in given["sections"].as_array().unwrap_or(&none) {
                let section = here["section"].as_u64().and_then(|n| u32::try_from(n).ok());
                let section = section.ok_or_else(|| form("\"section\" takes the number of one"))?;
                let value = Written::of(&here["value"]).ok_or_else(|| form("the value of a section is no list"))?;
                course.set_here(section, Some(read(param, path, &value)?));
            }
            if !given["points"].is_null() {
                let points = Vec::<WrittenPoint>::deserialize(&given["points"]);
                let points = points.map_err(|_| form(POINTS))?;
                course.points = read_points(param, path, &points)?;
            }
        }
        courses.tidy();
        Ok(courses)
    }

    /// The list as written down.
    #[must_use]
    pub fn to_json(&self, find: impl Fn(&str) -> Option<&'static Param>) -> Json {
        let course = |course: &Course| {
            let domain = find(&course.param)?.domain;
            let here = |h: &Here| WrittenHere { section: h.section, value: write_value(&domain, &h.value) };
            let sections = course.sections.iter().map(here).collect();
            let points = write_points(&domain, &course.points);
            Some(json!(WrittenCourse { param: &course.param, sections, points }))
        };
        self.list.iter().filter_map(course).collect()
    }
}
