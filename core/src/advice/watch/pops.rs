//! Pops: a slow attack on dense, distorted material lets the first moment through, and then it is
//! gone: a click at each beginning that was not there.

use crate::unit::value::Written;

use super::evidence::{Evidence, quantile};
use super::found::{Found, harder};
use crate::rack::UnitSpec;
use crate::unit::dynamics::compressor::KIND as COMPRESSOR;
use crate::unit::proposed::id;

/// Steps of the beginning, and of what follows it.
const FIRST_STEPS: std::ops::Range<usize> = 0..3;
const THEN_STEPS: std::ops::Range<usize> = 20..40;
/// dB by which the beginning stands over what follows, more than it did.
const ADDED_DB: f64 = 3.5;
/// Most that it stood over it before, on material that has no strokes of its own, in dB.
const FLAT_DB: f64 = 5.0;
const FEWEST: usize = 2;

pub(super) fn judge(evidence: &Evidence, unit: &UnitSpec) -> Option<Found> {
    let attack_ms = unit.settings.fixed.number("attack_ms");
    if !evidence.works(4.0) || attack_ms < 3.0 {
        return None;
    }
    let mean = |level: &[f64], at: usize, steps: &std::ops::Range<usize>| {
        level[at + steps.start..at + steps.end].iter().sum::<f64>() / steps.len() as f64
    };
    let most = |level: &[f64], at: usize| level[at..at + FIRST_STEPS.end].iter().copied().fold(f64::MIN, f64::max);
    let whole = evidence.strokes.iter().copied().filter(|at| at + THEN_STEPS.end < evidence.level_in.len());
    let judged: Vec<(usize, f64)> = whole
        .filter_map(|at| {
            let was = most(&evidence.level_in, at) - mean(&evidence.level_in, at, &THEN_STEPS);
            let is = most(&evidence.level_out, at) - mean(&evidence.level_out, at, &THEN_STEPS);
            (was <= FLAT_DB).then_some((at, is - was))
        })
        .collect();
    // Of material with strokes of its own a few dull ones prove nothing.
    if judged.len() < FEWEST || 2 * judged.len() < evidence.strokes.len() {
        return None;
    }
    let added = quantile(&mut judged.iter().map(|(_, added)| *added).collect::<Vec<_>>(), 0.5);
    let worst = judged.iter().max_by(|a, b| a.1.total_cmp(&b.1))?;
    (added >= ADDED_DB).then(|| Found {
        code: "pops",
        says: format!("Each beginning stands {added:.1} dB higher over what follows than it did: it pops."),
        figure: added,
        measured_in: "dB",
        at_s: Evidence::seconds(worst.0),
        mend: "an attack of 1 ms takes the pop away".into(),
        set: vec![(id!(COMPRESSOR.tables.params, "attack_ms"), Written::from(1.0))],
        worse: [
            harder(unit, 8.0).as_slice(),
            &[(id!(COMPRESSOR.tables.params, "attack_ms"), Written::from(attack_ms.max(25.0)))],
        ]
        .concat(),
    })
}
