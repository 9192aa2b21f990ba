//! One lane drawn in two windows at once: each window's points stay, since each says over what it was drawn.

use std::collections::{BTreeMap, BTreeSet};

use super::written::Point;

/// Frames by which a point may lie elsewhere after it has followed one tempo to another, rounded each time.
const ROUNDED: u64 = 2;

/// What a lane becomes that is `now` there, when somebody who knew it as it `was` has `drawn` it: what they set, moved or
/// removed is so; the rest is as it is now. All are in order of time.
#[must_use]
pub fn merged(now: &[Point], was: &[Point], drawn: &[Point]) -> Vec<Point> {
    let mut all: BTreeMap<u64, &Point> = now.iter().map(|point| (point.at, point)).collect();
    let place = |point: &Point| place_in(now, point.at);
    let kept: BTreeSet<u64> = drawn.iter().map(place).collect();
    for gone in was.iter().map(place).filter(|at| !kept.contains(at)) {
        all.remove(&gone);
    }
    let was: BTreeMap<u64, &Point> = was.iter().map(|point| (point.at, point)).collect();
    for point in drawn.iter().filter(|point| was.get(&point.at) != Some(point)) {
        all.insert(place(point), point);
    }
    all.into_iter().map(|(at, point)| Point { at, ..point.clone() }).collect()
}

/// Where a frame stands in a lane: at the point that it was before it followed a tempo, or where it is.
fn place_in(lane: &[Point], at: u64) -> u64 {
    let next = lane.partition_point(|point| point.at < at);
    let near = lane[next.saturating_sub(1)..].iter().take(2).map(|point| point.at);
    near.filter(|near| near.abs_diff(at) <= ROUNDED).min_by_key(|near| near.abs_diff(at)).unwrap_or(at)
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::course::Then;
    use crate::unit::value::Value;
    use proptest::prelude::*;

    fn point((at, value): (u64, i32)) -> Point {
        Point { at, value: Value::Number(f64::from(value)), then: Then::Straight }
    }

    fn lane(points: &[(u64, i32)]) -> Vec<Point> {
        points.iter().copied().map(point).collect()
    }

    #[test]
    fn what_each_sets_moves_or_removes_is_so() {
        let was = lane(&[(100, 1), (200, 2), (300, 3)]);
        for (now, drawn, want) in [
            // Another point each.
            (
                lane(&[(100, 1), (150, 9), (200, 2), (300, 3)]),
                lane(&[(100, 1), (200, 2), (250, 8), (300, 3)]),
                lane(&[(100, 1), (150, 9), (200, 2), (250, 8), (300, 3)]),
            ),
            // One removes a point, the other moves another.
            (lane(&[(200, 2), (300, 3)]), lane(&[(100, 1), (220, 2), (300, 3)]), lane(&[(220, 2), (300, 3)])),
            // Both set one: the later stands.
            (
                lane(&[(100, 7), (200, 2), (300, 3)]),
                lane(&[(100, 8), (200, 2), (300, 3)]),
                lane(&[(100, 8), (200, 2), (300, 3)]),
            ),
            // A lane that is deleted takes no new point of the other along.
            (lane(&[(100, 1), (150, 9), (200, 2), (300, 3)]), lane(&[]), lane(&[(150, 9)])),
            // It has followed a tempo and been rounded meanwhile.
            (
                lane(&[(101, 1), (199, 2), (300, 3)]),
                lane(&[(100, 1), (200, 5), (300, 3)]),
                lane(&[(101, 1), (199, 5), (300, 3)]),
            ),
        ] {
            assert_eq!(merged(&now, &was, &drawn), want);
        }
    }

    proptest! {
        #[test]
        fn drawn_over_what_is_there_it_is_as_drawn_and_whoever_draws_nothing_changes_nothing(
            was in prop::collection::btree_map(0u64..400, 0i32..4, 0..9),
            drawn in prop::collection::btree_map(0u64..400, 0i32..4, 0..9),
        ) {
            // Points that are told apart: those of a song lie further apart than what is rounded.
            let apart = |all: std::collections::BTreeMap<u64, i32>| all.into_iter().map(|(at, v)| point((at * 10, v))).collect::<Vec<_>>();
            let (was, drawn) = (apart(was), apart(drawn));
            prop_assert_eq!(merged(&was, &was, &drawn), drawn.clone());
            prop_assert_eq!(merged(&drawn, &was, &was), drawn);
        }
    }
}
