//! One value as a function of the song's frame.

use super::written::{Course, Courses, Span, Then};
use crate::unit::param::{Domain, Taper};
use crate::unit::value::Value;

/// Time over which a value comes to one that is suddenly another; the move ends where the other
/// begins.
pub const APPROACH_S: f64 = 0.020;

/// Which of its values rules: of the lane's points, of a section, or everywhere.
#[derive(Clone, Copy, Debug, PartialEq)]
enum Rules {
    /// Straight between two points of the lane.
    Between(usize),
    /// A point of the lane.
    Point(usize),
    /// A section's value, by its place in the course.
    Here(usize),
    Everywhere,
}

fn rules(course: &Course, spans: &[Span], frame: u64) -> Rules {
    let next = course.points.partition_point(|point| point.at <= frame);
    if let Some(at) = next.checked_sub(1) {
        match course.points[at].then {
            Then::Straight if next < course.points.len() => return Rules::Between(at),
            Then::Straight | Then::Held => return Rules::Point(at),
            Then::Free => {}
        }
    }
    let holds = |span: &&Span| (span.start..span.end).contains(&frame);
    let with_value = |span: &Span| {
        let at = course.sections.binary_search_by_key(&span.section, |here| here.section).ok()?;
        Some((span.start, span.section, at))
    };
    let latest = spans.iter().filter(holds).filter_map(with_value).max();
    latest.map_or(Rules::Everywhere, |(_, _, at)| Rules::Here(at))
}

/// Frames at which something else may begin to rule, in order.
fn limits(course: &Course, spans: &[Span]) -> Vec<u64> {
    let named = spans.iter().filter(|span| course.here(span.section).is_some());
    let mut limits: Vec<u64> =
        named.flat_map(|span| [span.start, span.end]).chain(course.points.iter().map(|p| p.at)).collect();
    limits.sort_unstable();
    limits.dedup();
    limits
}

/// Places on a rule from 0 to 1 and back.
#[derive(Clone, Copy, Debug, PartialEq)]
struct Rule {
    min: f64,
    max: f64,
    taper: Taper,
}

impl Rule {
    fn of(domain: &Domain) -> Self {
        match *domain {
            Domain::Number { min, max, taper, .. } => Self { min, max, taper },
            _ => Self { min: 0.0, max: 1.0, taper: Taper::Linear },
        }
    }

    fn position(&self, value: &Value) -> f64 {
        match value {
            Value::Number(n) => self.taper.position_of(*n, self.min, self.max),
            Value::On(on) => f64::from(u8::from(*on)),
            Value::Choice(_) | Value::Sound(_) => 0.0,
        }
    }
}

/// A number that changes with the song: straight between its knots, along its rule.
#[derive(Clone, Debug, PartialEq)]
pub struct ValueCurve {
    rule: Rule,
    /// Frame and place on the rule; never empty.
    knots: Vec<(i64, f64)>,
}

/// A stretch in which one thing rules, straight from one place on the rule to another.
struct Piece {
    start: i64,
    from: f64,
    /// Place a frame's worth further for each frame.
    slope: f64,
}

impl Piece {
    fn at(&self, frame: i64) -> f64 {
        if self.slope == 0.0 { self.from } else { self.from + self.slope * (frame - self.start) as f64 }
    }
}

impl ValueCurve {
    /// That of a number, or of a switch as a share of 0 to 1, which is `everywhere` where its
    /// course does not say otherwise; at a rate in Hz.
    #[must_use]
    pub fn new(domain: &Domain, everywhere: &Value, course: &Course, spans: &[Span], rate: f64) -> Self {
        let rule = Rule::of(domain);
        let elsewhere = rule.position(everywhere);
        // Each once: a rule that runs by ratios takes a logarithm.
        let places: Vec<f64> = course.points.iter().map(|point| rule.position(&point.value)).collect();
        let piece = |start: u64| {
            let constant = |from: f64| Piece { start: start as i64, from, slope: 0.0 };
            match rules(course, spans, start) {
                Rules::Everywhere => constant(elsewhere),
                Rules::Here(at) => constant(rule.position(&course.sections[at].value)),
                Rules::Point(at) => constant(places[at]),
                Rules::Between(at) => {
                    let (a, b) = (course.points[at].at, course.points[at + 1].at);
                    let slope = (places[at + 1] - places[at]) / (b - a) as f64;
                    let from = places[at] + slope * (start - a) as f64;
                    Piece { start: start as i64, from, slope }
                }
            }
        };
        let approach = (APPROACH_S * rate).round() as i64;
        let mut before = Piece { start: i64::MIN / 2, from: elsewhere, slope: 0.0 };
        let limits = limits(course, spans);
        let mut knots = Vec::with_capacity(limits.len() + 1);
        for piece in limits.into_iter().map(piece) {
            let arrives = before.at(piece.start);
            if (arrives - piece.from).abs() > 1e-12 {
                let leaves = (piece.start - approach).max(before.start);
                push(&mut knots, leaves, before.at(leaves));
            }
            push(&mut knots, piece.start, piece.from);
            before = piece;
        }
        if knots.is_empty() {
            knots.push((0, elsewhere));
        }
        Self { rule, knots }
    }

    /// Lifts all its values, of a rule that runs evenly; they may then lie beyond it.
    pub fn lift(&mut self, by: f64) {
        self.rule.min += by;
        self.rule.max += by;
    }

    /// Place on the rule, 0 to 1, at a frame of the song, which may lie before it.
    #[must_use]
    pub fn position_at(&self, frame: i64) -> f64 {
        let next = self.knots.partition_point(|knot| knot.0 <= frame);
        match (next.checked_sub(1).map(|at| self.knots[at]), self.knots.get(next)) {
            (None, Some((_, first))) => *first,
            (Some((_, last)), None) => last,
            (Some((a, from)), Some((b, to))) if from != *to => {
                from + (to - from) * ((frame - a) as f64 / (b - a) as f64)
            }
            (Some((_, same)), Some(_)) => same,
            (None, None) => 0.0,
        }
    }

    /// Place on the rule of a value.
    #[must_use]
    pub fn position_of(&self, value: &Value) -> f64 {
        self.rule.position(value)
    }

    /// Value at a place on the rule.
    #[must_use]
    pub fn value_of(&self, position: f64) -> f64 {
        self.rule.taper.value_at(position, self.rule.min, self.rule.max)
    }

    /// Value at a frame of the song, which may lie before it.
    #[must_use]
    pub fn value_at(&self, frame: i64) -> f64 {
        self.value_of(self.position_at(frame))
    }
}

/// Adds a knot; one at the same frame takes its place, one that goes on at the same place moves the
/// last.
fn push(knots: &mut Vec<(i64, f64)>, frame: i64, position: f64) {
    match &mut knots[..] {
        [.., last] if last.0 >= frame => last.1 = position,
        [.., (_, before), last] if *before == position && last.1 == position => last.0 = frame,
        _ => knots.push((frame, position)),
    }
}

/// A value that steps with the song.
#[derive(Clone, Debug, PartialEq)]
pub struct Steps {
    first: Value,
    /// Frame from which each holds.
    later: Vec<(i64, Value)>,
}

impl Steps {
    /// That of a value which is `everywhere` where its course does not say otherwise.
    #[must_use]
    pub fn new(everywhere: &Value, course: &Course, spans: &[Span]) -> Self {
        let mut later: Vec<(i64, Value)> = Vec::new();
        for start in limits(course, spans) {
            let value = match rules(course, spans, start) {
                Rules::Everywhere => everywhere,
                Rules::Here(at) => &course.sections[at].value,
                Rules::Point(at) | Rules::Between(at) => &course.points[at].value,
            };
            if later.last().map_or(everywhere, |(_, last)| last) != value {
                later.push((start as i64, value.clone()));
            }
        }
        Self { first: everywhere.clone(), later }
    }

    /// Value at a frame of the song, which may lie before it.
    #[must_use]
    pub fn value_at(&self, frame: i64) -> &Value {
        let next = self.later.partition_point(|(start, _)| *start <= frame);
        next.checked_sub(1).map_or(&self.first, |at| &self.later[at].1)
    }

    /// Number of the stretch of the song without a step that a frame lies in.
    #[must_use]
    pub fn stretch_at(&self, frame: i64) -> usize {
        self.later.partition_point(|(start, _)| *start <= frame)
    }

    /// Frames at which it steps, in order.
    pub fn frames(&self) -> impl Iterator<Item = i64> {
        self.later.iter().map(|(start, _)| *start)
    }
}

impl Courses {
    /// The curve of a number or fading switch; none for one that does not change.
    #[must_use]
    pub fn curve(&self, param: &str, domain: &Domain, everywhere: &Value, rate: f64) -> Option<ValueCurve> {
        let course = self.of(param)?;
        Some(ValueCurve::new(domain, everywhere, course, &self.spans, rate))
    }
}
