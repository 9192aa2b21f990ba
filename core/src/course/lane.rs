//! Making lanes: a move that is written while playing, thinned; a stretch ridden up or down; points
//! on the beat.

use super::curve::{APPROACH_S, ValueCurve};
use super::written::{Course, Point, Span, Then};
use crate::unit::param::Param;
use crate::unit::value::Value;

/// The tempo and metre by which places in the song are named and snapped to.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Beats {
    /// Quarter notes a minute.
    pub tempo_bpm: f64,
    /// Quarter notes a bar.
    pub per_bar: u32,
    /// Sample rate in Hz.
    pub rate: f64,
}

impl Beats {
    /// Frames of a quarter note.
    #[must_use]
    pub fn frames(&self) -> f64 {
        60.0 * self.rate / self.tempo_bpm
    }

    /// The nearest place of a grid with so many places to the quarter note.
    #[must_use]
    pub fn snapped(&self, frame: u64, per_beat: u32) -> u64 {
        let step = self.frames() / f64::from(per_beat.max(1));
        ((frame as f64 / step).round() * step).round() as u64
    }
}

/// Share of a rule by which a thinned move may differ from the one that was made.
const THIN: f64 = 0.004;

/// The fewest of a run of points, in order of time, that stay within 0.4 % of the rule of all of them
/// (Ramer 1972; Douglas & Peucker 1973, by distance along the rule). What is not a number keeps every
/// point.
#[must_use]
pub fn thinned(param: &Param, points: &[Point]) -> Vec<Point> {
    if points.len() < 3 || !matches!(points[0].value, Value::Number(_)) {
        return points.to_vec();
    }
    let course = Course { param: param.id.to_string(), sections: Vec::new(), points: points.to_vec() };
    let ruler = ValueCurve::new(&param.domain, &points[0].value, &course, &[], 1.0);
    let places: Vec<(f64, f64)> = points.iter().map(|p| (p.at as f64, ruler.position_of(&p.value))).collect();
    let mut keep = vec![false; points.len()];
    let mut stretches = vec![(0, points.len() - 1)];
    keep[0] = true;
    keep[points.len() - 1] = true;
    while let Some((first, last)) = stretches.pop() {
        let (a, b) = (places[first], places[last]);
        let off = |at: usize| {
            let straight = a.1 + (b.1 - a.1) * (places[at].0 - a.0) / (b.0 - a.0).max(1.0);
            (places[at].1 - straight).abs()
        };
        let Some(worst) = (first + 1..last).max_by(|x, y| off(*x).total_cmp(&off(*y))) else { continue };
        if off(worst) > THIN {
            keep[worst] = true;
            stretches.extend([(first, worst), (worst, last)]);
        }
    }
    points.iter().zip(keep).filter(|(_, keep)| *keep).map(|(point, _)| point.clone()).collect()
}

/// A lane with a run of points written into it: between the first and the last of them they stand
/// alone, and after the last the lane goes on as it was.
#[must_use]
pub fn written(lane: &[Point], run: &[Point]) -> Vec<Point> {
    let (Some(first), Some(last)) = (run.first(), run.last()) else { return lane.to_vec() };
    let before = lane.iter().filter(|point| point.at < first.at);
    let after = lane.iter().filter(|point| point.at > last.at);
    let mut points: Vec<Point> = before.chain(run).chain(after).cloned().collect();
    // Where nothing ruled before the run, nothing does after it.
    let ruled = lane.iter().rev().find(|point| point.at <= last.at).is_some_and(|point| point.then != Then::Free);
    if !ruled && let Some(end) = points.iter_mut().find(|point| point.at == last.at) {
        end.then = Then::Free;
    }
    points
}

/// A value ridden by so much over a stretch of the song: two points up and two down, each move as long
/// as an approach, on top of what the value is there.
///
/// # Errors
/// A stretch too short for the moves, or a value that is no number.
pub fn ridden(
    (param, everywhere): (&Param, &Value),
    course: &Course,
    spans: &[Span],
    (from, to): (u64, u64),
    by: f64,
    rate: f64,
) -> Result<Vec<Point>, &'static str> {
    let approach = (APPROACH_S * rate).round() as u64;
    if to < from + 2 * approach {
        return Err("a stretch to write lasts 40 ms or longer");
    }
    let crate::unit::param::Domain::Number { min, max, .. } = param.domain else {
        return Err("only a number can be written over time");
    };
    let curve = ValueCurve::new(&param.domain, everywhere, course, spans, rate);
    let at = |frame: u64, by: f64| Value::Number((curve.value_at(frame as i64) + by).clamp(min, max));
    let inside = course.points.iter().filter(|point| point.at > from + approach && point.at < to - approach);
    let lifted = inside.map(|point| match point.value {
        Value::Number(value) => Point { value: Value::Number((value + by).clamp(min, max)), ..point.clone() },
        _ => point.clone(),
    });
    let point = |frame: u64, by: f64| Point { at: frame, value: at(frame, by), then: Then::Straight };
    let mut run = vec![point(from, 0.0), point(from + approach, by)];
    run.extend(lifted);
    run.extend([point(to - approach, by), point(to, 0.0)]);
    Ok(written(&course.points, &run))
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::unit::param::decibels;

    const LEVEL: Param = Param::new("level_db", "level", "", decibels(-90.0, 12.0, 0.0));
    const RATE: f64 = 48_000.0;

    fn points(given: &[(u64, f64)]) -> Vec<Point> {
        given.iter().map(|(at, v)| Point { at: *at, value: Value::Number(*v), then: Then::Straight }).collect()
    }

    fn level_at(points: Vec<Point>, frame: i64) -> f64 {
        let course = Course { points, ..Course::new("level_db") };
        ValueCurve::new(&LEVEL.domain, &Value::Number(-6.0), &course, &[], RATE).value_at(frame)
    }

    #[test]
    fn a_ride_is_two_points_up_and_two_down_and_nothing_moves_beside_it() {
        let ridden =
            ridden((&LEVEL, &Value::Number(-6.0)), &Course::new("level_db"), &[], (48_000, 96_000), -4.0, RATE);
        let ridden = ridden.unwrap();
        assert_eq!(ridden.iter().map(|p| p.at).collect::<Vec<_>>(), [48_000, 48_960, 95_040, 96_000]);
        for (frame, want) in [(47_999, -6.0), (48_480, -8.0), (60_000, -10.0), (96_000, -6.0), (500_000, -6.0)] {
            assert!((level_at(ridden.clone(), frame) - want).abs() < 1e-9, "at {frame}");
        }
        assert_eq!(ridden[3].then, Then::Free, "the fader rules again after it");
    }

    #[test]
    fn a_ride_over_a_lane_moves_what_is_drawn_there() {
        let course = Course { points: points(&[(0, 0.0), (48_000, -12.0), (96_000, 0.0)]), ..Course::new("level_db") };
        let up = ridden((&LEVEL, &Value::Number(-6.0)), &course, &[], (24_000, 72_000), 3.0, RATE).unwrap();
        for (frame, want) in [(24_000, -6.0), (48_000, -9.0), (36_000, -6.0), (72_000, -6.0), (84_000, -3.0)] {
            assert!((level_at(up.clone(), frame) - want).abs() < 0.05, "{} at {frame}", level_at(up.clone(), frame));
        }
        assert!(ridden((&LEVEL, &Value::Number(0.0)), &course, &[], (0, 100), 3.0, RATE).is_err());
    }

    #[test]
    fn a_written_move_is_thinned_to_its_corners() {
        let mut run = Vec::new();
        for n in 0..400u64 {
            let value = if n < 200 { -0.1 * n as f64 } else { -20.0 + 0.05 * (n - 200) as f64 };
            run.push((n * 800, value));
        }
        let thin = thinned(&LEVEL, &points(&run));
        assert!(thin.len() <= 4, "{} points", thin.len());
        for (at, value) in run {
            assert!((level_at(thin.clone(), at as i64) - value).abs() <= 0.004 * 102.0 + 1e-9, "at {at}");
        }
    }

    #[test]
    fn what_is_written_takes_the_place_of_what_was_drawn_there_alone() {
        let lane = points(&[(0, 0.0), (10_000, 1.0), (20_000, 2.0), (30_000, 3.0)]);
        let run = points(&[(9000, -1.0), (21_000, -2.0)]);
        let at: Vec<u64> = written(&lane, &run).iter().map(|p| p.at).collect();
        assert_eq!(at, [0, 9000, 21_000, 30_000]);
    }

    #[test]
    fn places_snap_to_the_beat() {
        let beats = Beats { tempo_bpm: 90.0, per_bar: 4, rate: RATE };
        assert_eq!((beats.snapped(31_000, 1), beats.snapped(31_000, 4)), (32_000, 32_000));
        assert_eq!((beats.snapped(9000, 1), beats.snapped(9000, 4)), (0, 8000));
    }
}
