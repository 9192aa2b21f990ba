use proptest::prelude::*;
use serde_json::{Value as Json, json};

use super::*;
use crate::unit::param::{Choice, Domain, Param, Quantity, Taper, decibels, hertz, number};
use crate::unit::value::Value;

const RATE: f64 = 48_000.0;
const APPROACH: i64 = 960;
const HZ: Param = Param::new("freq_hz", "where", "", hertz(20.0, 20_000.0, 1000.0));
const DB: Param = Param::new("gain_db", "gain", "", decibels(-30.0, 30.0, 0.0));
const RATIO: Param =
    Param::new("ratio", "ratio", "", number(1.0, f64::INFINITY, 4.0, 0.05, Taper::Ratio, Quantity::Ratio));
const WAYS: Param = Param::new(
    "way",
    "way",
    "",
    Domain::Choice { options: &[Choice { id: "a", label: "a" }, Choice { id: "b", label: "b" }], default: 0 },
);

fn find(path: &str) -> Option<&'static Param> {
    [&HZ, &DB, &RATIO, &WAYS].into_iter().find(|param| param.id == path)
}

fn read(course: &Json) -> Course {
    let name = course["param"].as_str().unwrap();
    Courses::from_json(&json!([course]), find).unwrap().list.pop().unwrap_or_else(|| Course::new(name))
}

const SPANS: [Span; 3] = [
    Span { section: 7, start: 96_000, end: 192_000 },
    Span { section: 8, start: 192_000, end: 288_000 },
    // Within the one before it.
    Span { section: 9, start: 240_000, end: 264_000 },
];

fn curve(param: &Param, everywhere: f64, course: &Json) -> ValueCurve {
    ValueCurve::new(&param.domain, &Value::Number(everywhere), &read(course), &SPANS, RATE)
}

#[test]
fn a_sections_value_holds_in_it_alone_and_is_come_to_over_twenty_milliseconds_that_end_there() {
    let course = json!({"param": "gain_db", "sections": [{"section": 7, "value": 6}]});
    let curve = curve(&DB, -4.0, &course);
    for (frame, want) in [
        (-5000, -4.0),
        (0, -4.0),
        (96_000 - APPROACH, -4.0),
        (96_000 - APPROACH / 2, 1.0),
        (96_000, 6.0),
        (150_000, 6.0),
        (192_000 - APPROACH, 6.0),
        (192_000, -4.0),
        (500_000, -4.0),
    ] {
        assert!((curve.value_at(frame) - want).abs() < 1e-9, "{} at {frame}", curve.value_at(frame));
    }
}

#[test]
fn between_two_points_a_lane_runs_along_the_parameters_own_rule() {
    let points = json!([{"at": 48_000, "value": 200}, {"at": 96_000, "value": 3200}]);
    let hz = curve(&HZ, 1000.0, &json!({"param": "freq_hz", "points": points}));
    // Halfway on a rule of equal ratios is the geometric mean; after its last point it stays.
    assert!((hz.value_at(72_000) - 800.0).abs() < 1e-6);
    assert!((hz.value_at(400_000) - 3200.0).abs() < 1e-6);
    assert!((hz.value_at(1000) - 1000.0).abs() < 1e-9, "before its first it is as everywhere");
    let points = json!([{"at": 0, "value": 1}, {"at": 100, "value": "inf"}]);
    let ratio = curve(&RATIO, 4.0, &json!({"param": "ratio", "points": points}));
    // By the share of excess taken away: half of it is 2:1, all of it infinity.
    assert!((ratio.value_at(50) - 2.0).abs() < 1e-9);
    assert_eq!(ratio.value_at(100), f64::INFINITY);
}

#[test]
fn a_held_point_stays_and_one_that_lets_go_gives_way_to_the_section() {
    let course = json!({"param": "gain_db", "sections": [{"section": 8, "value": 3}, {"section": 7, "value": -9}],
        "points": [{"at": 120_000, "value": 10, "then": "held"}, {"at": 150_000, "value": -10},
            {"at": 210_000, "value": 0, "then": "free"}]});
    let curve = curve(&DB, 1.0, &course);
    for (frame, want) in [
        (110_000, -9.0),
        (120_000, 10.0),
        (149_000, 10.0),
        (150_000, -10.0),
        // The lane wins over the section that begins meanwhile.
        (192_000, -3.0),
        (209_000, -1.0 / 6.0),
        (210_000, 3.0),
        (250_000, 3.0),
        (288_000, 1.0),
    ] {
        assert!((curve.value_at(frame) - want).abs() < 2e-4, "{} at {frame}", curve.value_at(frame));
    }
}

#[test]
fn of_sections_one_within_the_other_that_which_began_last_rules() {
    let sections = json!([{"section": 8, "value": 3}, {"section": 9, "value": 8}]);
    let curve = curve(&DB, 0.0, &json!({"param": "gain_db", "sections": sections}));
    assert_eq!([230_000, 250_000, 270_000].map(|frame| curve.value_at(frame)), [3.0, 8.0, 3.0]);
}

#[test]
fn a_choice_steps_where_its_section_begins_and_ends() {
    let course = read(&json!({"param": "way", "sections": [{"section": 7, "value": "b"}]}));
    let steps = Steps::new(&Value::Choice(0), &course, &SPANS);
    let at = |frame| steps.value_at(frame) == &Value::Choice(1);
    assert_eq!([at(95_999), at(96_000), at(191_999), at(192_000)], [false, true, true, false]);
    assert_eq!(steps.frames().collect::<Vec<_>>(), [96_000, 192_000]);
}

#[test]
fn what_cannot_be_read_says_why() {
    let said = |course: Json| Courses::from_json(&json!([course]), find).unwrap_err().to_string();
    assert!(said(json!({"param": "nonsense"})).contains("no value nonsense here"));
    assert!(said(json!({"param": "gain_db", "points": [{"at": 0, "value": 99}]})).contains("must be -30 to 30"));
    assert!(said(json!({"param": "gain_db", "points": [{"at": -1, "value": 9}]})).contains("a frame of the song"));
    assert!(
        said(json!({"param": "gain_db", "points": [{"at": 1, "value": 9, "then": "x"}]})).contains("straight, held")
    );
    assert!(said(json!({"param": "gain_db", "sections": [{"value": 9}]})).contains("the number of one"));
    let many: Vec<Json> = (0..=MAX_POINTS).map(|at| json!({"at": at, "value": 0})).collect();
    assert!(said(json!({"param": "gain_db", "points": many})).contains("at most 4000"));
}

fn any_course() -> impl Strategy<Value = Json> {
    let then = prop::sample::select(vec!["straight", "held", "free"]);
    let points = prop::collection::vec((0u64..400_000, -30.0f64..30.0, then), 0..8);
    let sections = prop::collection::btree_map(7u32..10, -30.0f64..30.0, 0..4);
    (points, sections).prop_map(|(points, sections)| {
        let points: Vec<Json> =
            points.into_iter().map(|(at, value, then)| json!({"at": at, "value": value, "then": then})).collect();
        let sections: Vec<Json> =
            sections.into_iter().map(|(section, value)| json!({"section": section, "value": value})).collect();
        json!({"param": "gain_db", "sections": sections, "points": points})
    })
}

/// The rule as it stands in the words of the module, looked up frame by frame.
fn as_written(course: &Course, everywhere: f64, frame: u64) -> f64 {
    let number = |value: &Value| if let Value::Number(n) = value { *n } else { f64::NAN };
    let before = course.points.iter().rev().find(|point| point.at <= frame);
    let after = course.points.iter().find(|point| point.at > frame);
    match (before, after) {
        (Some(a), Some(b)) if a.then == Then::Straight => {
            let share = (frame - a.at) as f64 / (b.at - a.at) as f64;
            return number(&a.value) + (number(&b.value) - number(&a.value)) * share;
        }
        (Some(a), _) if a.then != Then::Free => return number(&a.value),
        _ => {}
    }
    let mut best = (0, everywhere);
    for span in SPANS.iter().filter(|span| (span.start..span.end).contains(&frame)) {
        if let Some(value) = course.here(span.section)
            && span.start >= best.0
        {
            best = (span.start, number(value));
        }
    }
    best.1
}

proptest! {
    #[test]
    fn a_curve_is_the_rule_as_written_wherever_nothing_else_is_about_to_begin(
        given in any_course(), everywhere in -30.0f64..30.0, frame in 0u64..400_000,
    ) {
        let course = read(&given);
        if course.is_empty() {
            return Ok(());
        }
        let limits = course.points.iter().map(|p| p.at).chain(SPANS.iter().flat_map(|s| [s.start, s.end]));
        let is_near = |limit: u64| limit > frame && limit <= frame + APPROACH as u64;
        if !limits.into_iter().any(is_near) {
            let curve = ValueCurve::new(&DB.domain, &Value::Number(everywhere), &course, &SPANS, RATE);
            let (got, want) = (curve.value_at(frame as i64), as_written(&course, everywhere, frame));
            prop_assert!((got - want).abs() < 1e-6, "{} and {}", got, want);
        }
    }

    #[test]
    fn a_curve_never_jumps(given in any_course(), everywhere in -30.0f64..30.0) {
        let course = read(&given);
        if course.is_empty() || course.points.windows(2).any(|pair| pair[1].at - pair[0].at < APPROACH as u64) {
            return Ok(());
        }
        let curve = ValueCurve::new(&DB.domain, &Value::Number(everywhere), &course, &SPANS, RATE);
        for limit in course.points.iter().map(|p| p.at).chain(SPANS.iter().flat_map(|s| [s.start, s.end])) {
            let step = curve.value_at(limit as i64) - curve.value_at(limit as i64 - 1);
            // The whole range in the shortest approach: between a limit and a point just before it.
            prop_assert!(step.abs() <= 60.0 / 1.0f64.max(nearest(&course, limit)) + 1e-9, "{}", step);
        }
    }

    #[test]
    fn a_course_reads_back_as_it_was_written(given in any_course()) {
        let courses = Courses::from_json(&json!([given]), find).unwrap();
        let written = courses.to_json(find);
        prop_assert_eq!(Courses::from_json(&written, find).unwrap(), courses);
    }
}

/// Frames since something else began before a limit, at most an approach.
fn nearest(course: &Course, limit: u64) -> f64 {
    let others = course.points.iter().map(|p| p.at).chain(SPANS.iter().flat_map(|s| [s.start, s.end]));
    let since = others.filter(|at| *at < limit).map(|at| limit - at).min().unwrap_or(APPROACH as u64);
    since.min(APPROACH as u64) as f64
}

#[test]
fn the_ends_of_a_course_are_its_least_and_largest_numbers_or_each_other_value_once() {
    let of = |values: &[Value]| {
        let mut course = Course::new("x");
        for (n, value) in values.iter().enumerate() {
            course.set_here(n as u32, Some(value.clone()));
        }
        course.ends().into_iter().cloned().collect::<Vec<_>>()
    };
    let numbers = |all: &[f64]| all.iter().map(|n| Value::Number(*n)).collect::<Vec<_>>();
    assert_eq!(of(&numbers(&[3.0, 5.0, -1.0, 4.0, 5.0, 9.0])), numbers(&[-1.0, 9.0]));
    assert_eq!(of(&numbers(&[2.0, 2.0])), numbers(&[2.0]));
    assert_eq!(of(&numbers(&[2.0, 1.0])), numbers(&[1.0, 2.0]));
    assert_eq!(of(&[Value::On(true), Value::On(false), Value::On(true)]), [Value::On(true), Value::On(false)]);
    assert_eq!(of(&[]), []);
}
