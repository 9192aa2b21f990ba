//! A course as it is written down: values of sections, and the points of a lane.

use std::sync::Arc;

use crate::unit::value::Value;

/// Most points of a lane: one a beat for half an hour, and far more than a move that is written
/// while playing leaves.
pub const MAX_POINTS: usize = 4000;

/// What a lane does from a point on.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, serde::Serialize, serde::Deserialize)]
#[serde(rename_all = "kebab-case")]
#[cfg_attr(feature = "types", derive(ts_rs::TS))]
pub enum Then {
    /// Runs straight to the next point; after the last it stays.
    #[default]
    Straight,
    /// Stays until the next point.
    Held,
    /// Lets go: until the next point sections rule, or the value everywhere.
    Free,
}

/// A point of a lane.
#[derive(Clone, Debug, PartialEq)]
pub struct Point {
    /// Frame of the song.
    pub at: u64,
    /// Value there.
    pub value: Value,
    /// What the lane does from there on.
    pub then: Then,
}

/// A section's own value.
#[derive(Clone, Debug, PartialEq)]
pub struct Here {
    /// Identity of the section.
    pub section: u32,
    /// The value in it.
    pub value: Value,
}

/// How one value changes with the song.
#[derive(Clone, Debug, PartialEq)]
pub struct Course {
    /// Which value: `mix`, `ratio`, `bands[2].freq_hz`; of a strip `level_db`, or
    /// `send[12].level_db` for the send to strip 12.
    pub param: String,
    /// Values of sections, in order of their identity.
    pub sections: Vec<Here>,
    /// The lane, in order of time.
    pub points: Vec<Point>,
}

/// Where a section lies.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Span {
    /// Identity of the section.
    pub section: u32,
    /// First frame.
    pub start: u64,
    /// One past the last frame.
    pub end: u64,
}

/// All that changes with the song of one unit or strip.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct Courses {
    /// One for each value that changes.
    pub list: Vec<Course>,
    /// Where the sections lie; whoever holds the session says so, it is in no file.
    pub spans: Arc<[Span]>,
}

impl Course {
    /// Of a value that does not change yet.
    #[must_use]
    pub fn new(param: &str) -> Self {
        Self { param: param.to_string(), sections: Vec::new(), points: Vec::new() }
    }

    /// Whether it says nothing.
    #[must_use]
    pub fn is_empty(&self) -> bool {
        self.sections.is_empty() && self.points.is_empty()
    }

    /// The value of a section.
    #[must_use]
    pub fn here(&self, section: u32) -> Option<&Value> {
        self.sections.iter().find(|here| here.section == section).map(|here| &here.value)
    }

    /// Gives a section a value of its own, or takes it away; returns the one before.
    pub fn set_here(&mut self, section: u32, value: Option<Value>) -> Option<Value> {
        let found = self.sections.binary_search_by_key(&section, |here| here.section);
        match (found, value) {
            (Ok(at), Some(value)) => Some(std::mem::replace(&mut self.sections[at].value, value)),
            (Ok(at), None) => Some(self.sections.remove(at).value),
            (Err(at), Some(value)) => {
                self.sections.insert(at, Here { section, value });
                None
            }
            (Err(_), None) => None,
        }
    }

    /// All its values, to change.
    pub fn values_mut(&mut self) -> impl Iterator<Item = &mut Value> {
        let here = self.sections.iter_mut().map(|here| &mut here.value);
        here.chain(self.points.iter_mut().map(|point| &mut point.value))
    }

    /// The least and the largest of its numbers, or each of its other values once.
    #[must_use]
    pub fn ends(&self) -> Vec<&Value> {
        let mut ends: Vec<&Value> = Vec::new();
        for value in self.values() {
            match (value, &mut ends[..]) {
                (Value::Number(new), [Value::Number(least), Value::Number(most)]) => {
                    if new < least {
                        ends[0] = value;
                    } else if new > most {
                        ends[1] = value;
                    }
                }
                (Value::Number(new), [Value::Number(only)]) if new < only => ends.insert(0, value),
                (Value::Number(new), [Value::Number(only)]) if new > only => ends.push(value),
                (Value::Number(_), [_, ..]) => {}
                (_, known) if known.contains(&value) => {}
                _ => ends.push(value),
            }
        }
        ends
    }

    /// All its values.
    pub fn values(&self) -> impl Iterator<Item = &Value> {
        self.sections.iter().map(|here| &here.value).chain(self.points.iter().map(|point| &point.value))
    }
}

impl Courses {
    /// That of a value.
    #[must_use]
    pub fn of(&self, param: &str) -> Option<&Course> {
        self.list.iter().find(|course| course.param == param)
    }

    /// That of a value, made if there is none.
    pub fn entry(&mut self, param: &str) -> &mut Course {
        let at = self.list.iter().position(|course| course.param == param).unwrap_or_else(|| {
            self.list.push(Course::new(param));
            self.list.len() - 1
        });
        &mut self.list[at]
    }

    /// Forgets that of a value: it is as it is everywhere.
    pub fn forget(&mut self, param: &str) {
        self.list.retain(|course| course.param != param);
    }

    /// Forgets courses that say nothing; the others stand in order of their names, so that two that
    /// say the same are equal.
    pub fn tidy(&mut self) {
        self.list.retain(|course| !course.is_empty());
        self.list.sort_by(|a, b| a.param.cmp(&b.param));
    }

    /// Whether nothing changes.
    #[must_use]
    pub fn is_empty(&self) -> bool {
        self.list.is_empty()
    }

    /// Takes over where the sections lie.
    pub fn supply(&mut self, spans: &Arc<[Span]>) {
        let used = self.list.iter().any(|course| !course.sections.is_empty());
        if used && self.spans != *spans {
            self.spans = Arc::clone(spans);
        } else if !used && !self.spans.is_empty() {
            self.spans = Arc::default();
        }
    }
}
