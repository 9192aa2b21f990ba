//! Choking: an attack near nothing with deep reduction takes the strokes away.

use crate::unit::value::Written;

use super::evidence::Evidence;
use super::found::{Found, harder};
use crate::rack::UnitSpec;
use crate::unit::dynamics::compressor::KIND as COMPRESSOR;
use crate::unit::proposed::id;

/// Steps of a stroke, and of the body after it.
const STROKE_STEPS: usize = 3;
const BODY_STEPS: std::ops::Range<usize> = 8..20;
/// dB that a stroke has to lose against its body, on the mean, and the least it stood over it.
const LOST_DB: f64 = 3.5;
const STOOD_DB: f64 = 5.0;
/// dB of crest that a part of strokes has at least, and that it has to lose.
const CREST_DB: f64 = 12.0;
const CREST_LOST_DB: f64 = 4.5;
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
    let lost = judged.iter().map(|(_, lost)| lost).sum::<f64>() / judged.len().max(1) as f64;
    if judged.len() < FEWEST || lost < LOST_DB {
        return crest_lost(evidence, unit);
    }
    let worst = judged.iter().max_by(|a, b| a.1.total_cmp(&b.1))?;
    let says = format!("Strokes lose {lost:.1} dB against what rings on after them: they are choked.");
    Some(found(unit, says, lost, worst.0))
}

/// Where strokes ring into each other no body stands alone behind them; the part's crest says it then.
fn crest_lost(evidence: &Evidence, unit: &UnitSpec) -> Option<Found> {
    let highest = |peaks: &[f64]| Evidence::most(0..peaks.len(), |step| peaks[step]);
    let crest = |peaks: &[f64], body_db: f64| peaks.get(highest(peaks)).map_or(0.0, |peak| peak - body_db);
    let was = crest(&evidence.peak_in, evidence.body_db[0]);
    let is = crest(&evidence.peak_out, evidence.body_db[1]);
    let says = format!("Its crest falls from {was:.1} to {is:.1} dB: what strikes is taken, what rings on stays.");
    (was >= CREST_DB && was - is >= CREST_LOST_DB).then(|| found(unit, says, was - is, highest(&evidence.peak_in)))
}

fn found(unit: &UnitSpec, says: String, lost: f64, at: usize) -> Found {
    Found {
        code: "choking",
        says,
        figure: lost,
        measured_in: "dB",
        at_s: Evidence::seconds(at),
        mend: format!("an attack of {MEND_MS} ms lets them through"),
        set: vec![(id!(COMPRESSOR.tables.params, "attack_ms"), Written::from(MEND_MS))],
        worse: [
            harder(unit, 6.0).as_slice(),
            // What rings on comes back at once, the stroke does not.
            &[
                (id!(COMPRESSOR.tables.params, "attack_ms"), Written::from(0.0)),
                (id!(COMPRESSOR.tables.params, "release_ms"), Written::from(40.0)),
                (id!(COMPRESSOR.tables.params, "release_note"), Written::from("ms")),
            ],
        ]
        .concat(),
    }
}
