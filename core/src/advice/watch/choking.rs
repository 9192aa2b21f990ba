//! Choking: an attack near nothing with deep reduction takes the strokes away.

use serde_json::json;

use super::evidence::Evidence;
use super::found::{Found, harder};
use crate::rack::UnitSpec;

/// Steps of a stroke, and of the body after it.
const STROKE_STEPS: usize = 3;
const BODY_STEPS: std::ops::Range<usize> = 8..20;
/// dB that a stroke has to lose against its body, on the mean, and the least it stood over it.
const LOST_DB: f64 = 3.5;
const STOOD_DB: f64 = 5.0;
/// Strokes that must be judged.
const FEWEST: usize = 3;
/// Attack in ms that lets a stroke through.
const MEND_MS: f64 = 15.0;
/// An attack from here on does not choke, in ms.
const SLOW_MS: f64 = 5.0;

pub(super) fn judge(evidence: &Evidence, unit: &UnitSpec) -> Option<Found> {
    if unit.settings.fixed.number("attack_ms") >= SLOW_MS || !evidence.works(6.0) {
        return None;
    }
    let over = |level: &[f64], at: usize| {
        let stroke = level[at..at + STROKE_STEPS].iter().copied().fold(f64::MIN, f64::max);
        let body = level[at + BODY_STEPS.start..at + BODY_STEPS.end].iter().sum::<f64>() / BODY_STEPS.len() as f64;
        stroke - body
    };
    let whole = evidence.strokes.iter().copied().filter(|at| at + BODY_STEPS.end < evidence.level_in.len());
    let judged: Vec<(usize, f64)> = whole
        .filter_map(|at| {
            let was = over(&evidence.level_in, at);
            let is = over(&evidence.level_out, at);
            (was >= STOOD_DB).then_some((at, was - is))
        })
        .collect();
    if judged.len() < FEWEST {
        return None;
    }
    let lost = judged.iter().map(|(_, lost)| lost).sum::<f64>() / judged.len() as f64;
    let worst = judged.iter().max_by(|a, b| a.1.total_cmp(&b.1))?;
    (lost >= LOST_DB).then(|| Found {
        code: "choking",
        says: format!("Strokes lose {lost:.1} dB against what rings on after them: they are choked."),
        figure: lost,
        measured_in: "dB",
        at_s: Evidence::seconds(worst.0),
        mend: format!("an attack of {MEND_MS} ms lets them through"),
        set: vec![("attack_ms", json!(MEND_MS))],
        worse: [
            harder(unit, 6.0).as_slice(),
            // What rings on comes back at once, the stroke does not.
            &[("attack_ms", json!(0.0)), ("release_ms", json!(40.0)), ("release_note", json!("ms"))],
        ]
        .concat(),
    })
}
