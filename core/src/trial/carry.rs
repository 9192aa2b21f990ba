//! Carrying over: the settings of another action with which a compressor behaves most alike on
//! one passage.
//!
//! By a pattern search (Hooke & Jeeves, *J. ACM* 8, 1961) over the positions of threshold, ratio,
//! attack and release on their rules, as far as they do anything with that action; how alike is the root mean
//! square of the difference of both reductions in dB, in which the beginnings of notes weigh as much as all the
//! rest: they are short, and what is heard first. It asks for both ways of one control at once, so that whoever measures can do
//! it side by side.

use super::passage::Passage;
use super::take::Take;
use crate::rack::{RackSpec, UnitSpec};
use crate::signal::decibel::gain_to_db;
use crate::unit::param::{Domain, Param};
use crate::unit::value::Written;

/// What may move.
const MOVED: [&str; 4] = ["threshold_db", "ratio", "attack_ms", "release_ms"];
/// First and last step as a share of a rule's length.
const STEPS: [f64; 2] = [0.12, 0.007];
/// Longest stretch in seconds that is compared.
pub const LONGEST_S: f64 = 12.0;

/// Settings that were found.
#[derive(Clone, Debug, PartialEq)]
pub struct Carried {
    /// Values of the unit.
    pub set: Vec<(&'static str, Written)>,
    /// Root mean square in dB by which both reductions differ.
    pub unlike_db: f64,
    /// The same with the figures left as they were and only the action changed.
    pub before_db: f64,
}

/// Seconds from where a note begins that count as its beginning.
const BEGINS_S: f64 = 0.04;
/// A note begins where the level of a look rises by so much over the lowest of some looks before, in dB; seconds of a look.
const RISES_DB: f64 = 8.0;
const LOOK_S: f64 = 0.005;
const BEFORE: usize = 6;

/// How a unit's reduction on a passage differs from that of another, in dB.
#[must_use]
pub fn unlike(passage: &Passage, unit: &UnitSpec, wanted: &[f32]) -> f64 {
    differ_db(&reduction(passage, unit), wanted, &beginnings(passage))
}

/// Which frames belong to the beginnings of notes.
fn beginnings(passage: &Passage) -> Vec<bool> {
    let look = ((LOOK_S * passage.rate) as usize).max(1);
    let magnitude = passage.magnitude();
    let levels: Vec<f64> =
        magnitude.chunks(look).map(|part| gain_to_db(part.iter().copied().fold(1e-6, f64::max))).collect();
    let mut begins = vec![false; magnitude.len()];
    for at in BEFORE..levels.len() {
        let lowest = levels[at - BEFORE..at].iter().copied().fold(f64::MAX, f64::min);
        if levels[at] - lowest >= RISES_DB {
            let from = at * look;
            let to = (from + (BEGINS_S * passage.rate) as usize).min(begins.len());
            begins[from..to].fill(true);
        }
    }
    begins
}

/// Root mean square of the difference of two reductions; beginnings and all the rest weigh the same.
fn differ_db(one: &[f32], other: &[f32], begins: &[bool]) -> f64 {
    let mut sums = [[0.0f64; 2]; 2];
    for ((a, b), begins) in one.iter().zip(other).zip(begins) {
        let by = f64::from(a - b);
        let [squares, count] = &mut sums[usize::from(*begins)];
        *squares += by * by;
        *count += 1.0;
    }
    let means: Vec<f64> =
        sums.iter().filter(|[_, count]| *count > 0.0).map(|[squares, count]| squares / count).collect();
    (means.iter().sum::<f64>() / means.len().max(1) as f64).sqrt()
}

/// By how much the peak of a passage is higher behind one unit than behind another, in dB, both as loud.
#[must_use]
pub fn peak_apart_db(passage: &Passage, one: &UnitSpec, other: &UnitSpec) -> f64 {
    let [a, b] = [one, other]
        .map(|unit| Take::of(passage, &RackSpec { units: vec![unit.clone()] }, None).figures(passage).crest_db);
    a - b
}

/// A unit's reduction on a passage.
#[must_use]
pub fn reduction(passage: &Passage, unit: &UnitSpec) -> Vec<f32> {
    Take::of(passage, &RackSpec { units: vec![unit.clone()] }, None).reduction()
}

/// Finds the settings of `action`. `measure` gives what [`unlike`] says of each of a few units.
///
/// # Errors
/// Those of `measure`; it ends the search.
pub fn search<E>(
    unit: &UnitSpec,
    action: &str,
    mut measure: impl FnMut(&[UnitSpec]) -> Result<Vec<f64>, E>,
) -> Result<Carried, E> {
    let mut carried = unit.clone();
    // A choice of the table, checked by whoever asks.
    let _ = carried.set("action", &action.into());
    let _ = carried.set("release_note", &"ms".into());
    let moved: Vec<&Param> =
        MOVED.iter().filter_map(|id| unit.kind.tables.params.iter().find(|p| p.id == *id)).collect();
    let moved: Vec<&Param> = moved.into_iter().filter(|p| !carried.settings.fixed.rests(p)).collect();
    // Beyond its reach a value does nothing: none is proposed there.
    let reaches: Vec<Option<[f64; 2]>> = moved.iter().map(|param| carried.settings.fixed.reach(param)).collect();
    let live = |param: &Param, reach: &Option<[f64; 2]>, at: f64| {
        let value = value_at(param, at);
        reach.map_or(value, |[from, to]| value.clamp(from, to))
    };
    let with = |positions: &[f64]| {
        let mut unit = carried.clone();
        for ((param, reach), at) in moved.iter().zip(&reaches).zip(positions) {
            let _ = unit.set(param.id, &written(live(param, reach, *at)));
        }
        unit
    };
    let mut best: Vec<f64> = moved.iter().map(|p| position_of(p, unit.settings.fixed.number(p.id))).collect();
    let before_db = measure(&[with(&best)])?[0];
    let mut best_db = before_db;
    let mut step = STEPS[0];
    while step >= STEPS[1] {
        let mut better = false;
        for axis in 0..moved.len() {
            let ways = [step, -step].map(|by| {
                let mut at = best.clone();
                at[axis] = (at[axis] + by).clamp(0.0, 1.0);
                at
            });
            let found = measure(&ways.each_ref().map(|at| with(at)))?;
            let way = usize::from(found[1] < found[0]);
            if found[way] < best_db - 1e-4 {
                (best, best_db, better) = (ways[way].clone(), found[way], true);
            }
        }
        if !better {
            step *= 0.5;
        }
    }
    let set = moved.iter().zip(&reaches).zip(&best);
    let set = set.map(|((param, reach), at)| (param.id, written(live(param, reach, *at))));
    Ok(Carried { set: set.collect(), unlike_db: best_db, before_db })
}

/// Value at a position of a rule, to three figures, so that what is shown is what was measured.
fn value_at(param: &Param, position: f64) -> f64 {
    let Domain::Number { min, max, taper, .. } = param.domain else { return position };
    let value = taper.value_at(position, min, max);
    if value == 0.0 || !value.is_finite() {
        return value;
    }
    let unit = 10f64.powi(value.abs().log10().floor() as i32 - 2);
    ((value / unit).round() * unit).clamp(min, max)
}

fn position_of(param: &Param, value: f64) -> f64 {
    let Domain::Number { min, max, taper, .. } = param.domain else { return value };
    taper.position_of(value, min, max)
}

fn written(value: f64) -> Written {
    if value.is_finite() { value.into() } else { "inf".into() }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::signal::math::{TAU, sin};
    use serde_json::Value as Json;
    use serde_json::json;

    fn unit(params: &Json) -> UnitSpec {
        let file = json!({"zinc_rack": 1, "units": [{"kind": "compressor", "params": params}]});
        RackSpec::from_json(&file).unwrap().units.remove(0)
    }

    fn strokes() -> Passage {
        let mut passage = Passage::new(48_000.0, 1);
        for n in 0..144_000 {
            let (stroke, t) = (n / 14_400, f64::from(n % 14_400) / 48_000.0);
            let x = ((0.2 + 0.06 * f64::from(stroke)) * (-t * 7.0).exp() * sin(TAU * 220.0 * t)) as f32;
            passage.left.push(x);
            passage.right.push(x);
        }
        passage
    }

    fn carried(passage: &Passage, from: &UnitSpec, action: &str) -> Carried {
        let wanted = reduction(passage, from);
        let all = |units: &[UnitSpec]| -> Result<Vec<f64>, ()> {
            Ok(units.iter().map(|u| unlike(passage, u, &wanted)).collect())
        };
        search(from, action, all).unwrap()
    }

    #[test]
    fn an_action_carried_over_to_itself_stays_as_it_is() {
        let from = unit(&json!({"action": "vca", "threshold_db": -24, "ratio": 4, "attack_ms": 12, "release_ms": 150}));
        let found = carried(&strokes(), &from, "vca");
        assert!(found.unlike_db < 0.2 && found.unlike_db <= found.before_db + 1e-9, "{found:?}");
    }

    #[test]
    fn other_actions_come_much_nearer_than_with_the_same_figures_and_what_is_said_is_so() {
        let passage = strokes();
        let from =
            unit(&json!({"action": "clean", "threshold_db": -26, "ratio": 4, "attack_ms": 6, "release_ms": 120}));
        for action in ["vca", "fet", "vari-mu"] {
            let found = carried(&passage, &from, action);
            assert!(found.unlike_db < 0.6 * found.before_db, "{action}: {found:?}");
            let mut to = from.clone();
            to.set("action", &action.into()).unwrap();
            for (param, value) in &found.set {
                to.set(param, value).unwrap();
            }
            let measured = unlike(&passage, &to, &reduction(&passage, &from));
            assert!((measured - found.unlike_db).abs() < 1e-9, "{action}: {measured} and {found:?}");
        }
    }

    #[test]
    fn what_an_action_has_no_use_for_is_not_moved() {
        let found = carried(&strokes(), &unit(&json!({"threshold_db": -26, "ratio": 4})), "opto");
        let moved: Vec<&str> = found.set.iter().map(|(param, _)| *param).collect();
        assert_eq!(moved, ["threshold_db", "ratio"]);
    }

    #[test]
    fn a_search_that_is_stopped_ends_with_the_reason() {
        let mut asked = 0;
        let stop = |units: &[UnitSpec]| {
            asked += 1;
            if asked > 3 { Err("stopped") } else { Ok(vec![1.0; units.len()]) }
        };
        assert_eq!(search(&unit(&json!({})), "fet", stop), Err("stopped"));
    }
}
