//! Order check: a lift or a cut beside a unit that reduces, both ways round.
//!
//! Before the unit a lift drives the reduction and is partly taken back; after it, it stays whole.
//! Both orders are rendered; what survives is the difference by third octave between the rack with
//! the equaliser and the rack with the equaliser flat, in the same place.

use serde::Serialize;

use crate::rack::{RackSpec, UnitSpec};
use crate::trial::take::change_by_third;
use crate::trial::{Passage, Take};
use crate::unit::eq;

/// Both orders of one pair.
#[derive(Clone, Debug, PartialEq, Serialize)]
pub struct Order {
    /// Places of the equaliser and of the unit that reduces, 1 first.
    pub eq: usize,
    /// See `eq`.
    pub reducer: usize,
    /// Mean reduction in dB with the equaliser before it, and after it.
    pub reduction_before_db: f64,
    /// See `reduction_before_db`.
    pub reduction_after_db: f64,
    /// Gain in dB that survives where the equaliser does most, with it before and after.
    pub survives_before_db: f64,
    /// See `survives_before_db`.
    pub survives_after_db: f64,
    /// Where that is, in Hz.
    pub at_hz: f64,
    /// What to say about it.
    pub says: String,
    /// Whether the order makes a difference worth saying.
    pub matters: bool,
    /// Whether changing places is worth it.
    pub swap: bool,
}

/// Less than this in dB is not worth a sentence.
const MATTERS_DB: f64 = 1.0;

/// Pairs of neighbours whose order can be checked: an equaliser and a unit that reduces.
#[must_use]
pub fn pairs(rack: &RackSpec) -> Vec<(usize, usize)> {
    let is_eq = |unit: &UnitSpec| unit.is_on() && eq::KINDS.iter().any(|kind| kind.id == unit.kind.id);
    let is_reducer = |unit: &UnitSpec| unit.is_on() && unit.kind.reduces;
    let neighbours = (1..rack.units.len()).flat_map(|at| [(at - 1, at), (at, at - 1)]);
    neighbours.filter(|(eq, reducer)| is_eq(&rack.units[*eq]) && is_reducer(&rack.units[*reducer])).collect()
}

/// Renders both orders of an equaliser and its neighbour, places 0 first.
#[must_use]
pub fn check(passage: &Passage, rack: &RackSpec, eq: usize, reducer: usize) -> Option<Order> {
    let before = Take::of(passage, &part(&rack.units[..eq.min(reducer)]), None).sound;
    let (eq_unit, reducing) = (&rack.units[eq], &rack.units[reducer]);
    let way = |eq_first: bool, eq: &UnitSpec| {
        let units = if eq_first { [eq.clone(), reducing.clone()] } else { [reducing.clone(), eq.clone()] };
        Take::of(&before, &part(&units), None)
    };
    let reduced = Take::of(&before, &part(std::slice::from_ref(reducing)), None);
    let (first, last) = (way(true, eq_unit), way(false, eq_unit));
    let direct = Take::of(&before, &part(std::slice::from_ref(eq_unit)), None);
    let (at_hz, _) = most(&change_by_third(&before, &direct.sound))?;
    let survives = |take: &Take| {
        let changed = change_by_third(&reduced.sound, &take.sound);
        changed.iter().find(|(hz, _)| *hz == at_hz).map_or(0.0, |(_, db)| *db)
    };
    let (survives_before_db, survives_after_db) = (survives(&first), survives(&last));
    let [reduction_before_db, reduction_after_db] = [&first, &last].map(mean_reduction);
    let eq_is_first = eq < reducer;
    let lost = survives_after_db.abs() - survives_before_db.abs();
    let lift = survives_after_db > 0.0;
    let matters = lost.abs().max((reduction_before_db - reduction_after_db).abs()) >= MATTERS_DB;
    // A cut before it keeps what is cut from driving the reduction: it is where it should be.
    let swap = lift && eq_is_first && lost >= MATTERS_DB;
    let says = said(
        lift,
        eq_is_first,
        [survives_before_db, survives_after_db],
        [reduction_before_db, reduction_after_db],
        at_hz,
    );
    Some(Order {
        eq: eq + 1,
        reducer: reducer + 1,
        reduction_before_db,
        reduction_after_db,
        survives_before_db,
        survives_after_db,
        at_hz,
        says,
        matters,
        swap,
    })
}

fn said(lift: bool, first: bool, survives: [f64; 2], reduction: [f64; 2], hz: f64) -> String {
    let (here, there) = if first { (0, 1) } else { (1, 0) };
    let place = ["before", "after"];
    format!(
        "{} at {hz:.0} Hz: {:+.1} dB of it survive {} the reduction ({:.1} dB taken on the mean), {:+.1} dB would {} it ({:.1} dB).",
        if lift { "The lift" } else { "The cut" },
        survives[here],
        place[here],
        reduction[here],
        survives[there],
        place[there],
        reduction[there],
    )
}

fn part(units: &[UnitSpec]) -> RackSpec {
    let mut units = units.to_vec();
    (1..).zip(&mut units).for_each(|(id, unit)| unit.id = id);
    RackSpec { units }
}

fn most(changed: &[(f64, f64)]) -> Option<(f64, f64)> {
    changed.iter().copied().max_by(|a, b| a.1.abs().total_cmp(&b.1.abs()))
}

fn mean_reduction(take: &Take) -> f64 {
    let all = take.reduction();
    all.iter().map(|r| f64::from(*r)).sum::<f64>() / all.len().max(1) as f64
}
