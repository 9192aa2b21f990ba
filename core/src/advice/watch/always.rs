//! Always working on a part that lives from its dynamics.

use crate::unit::value::Written;

use super::evidence::{Evidence, quantile};
use super::found::{Found, harder};
use crate::rack::UnitSpec;
use crate::unit::dynamics::compressor::KIND as COMPRESSOR;
use crate::unit::proposed::id;

/// Share of the time, and dB of reduction from which it counts as working.
const SHARE: f64 = 0.9;
const WORKS_DB: f64 = 1.0;
/// dB between the part's loud and soft moments.
const DYNAMIC_DB: f64 = 10.0;
/// Steps of a moment: a second, so that strokes do not count as dynamics.
const MOMENT: usize = 200;
/// Fewest moments.
const FEWEST: usize = 6;

pub(super) fn judge(evidence: &Evidence, unit: &UnitSpec) -> Option<Found> {
    let active: Vec<usize> = evidence.active().collect();
    let working = active.iter().filter(|step| evidence.reduction[**step] >= WORKS_DB).count();
    let share = working as f64 / active.len().max(1) as f64;
    let mut moments: Vec<f64> =
        evidence.level_in.chunks(MOMENT).map(|m| m.iter().copied().fold(f64::MIN, f64::max)).collect();
    moments.retain(|level| *level > evidence.rest_db + 10.0);
    if share < SHARE || moments.len() < FEWEST {
        return None;
    }
    let (loud, soft) = (quantile(&mut moments.clone(), 0.9), quantile(&mut moments, 0.15));
    if loud - soft < DYNAMIC_DB {
        return None;
    }
    let threshold_db = (0.5 * (loud + soft)).round().clamp(-60.0, 0.0);
    (threshold_db > unit.settings.fixed.number("threshold_db")).then(|| Found {
        code: "always-working",
        says: format!(
            "It works {:.0} % of the time on a part whose loud and soft moments are {:.0} dB apart.",
            100.0 * share,
            loud - soft
        ),
        figure: 100.0 * share,
        measured_in: "% of the time",
        at_s: Evidence::seconds(Evidence::most(active.iter().copied(), |step| -evidence.level_in[step])),
        mend: format!("a threshold of {threshold_db} dB leaves the soft moments alone"),
        set: vec![(id!(COMPRESSOR.tables.params, "threshold_db"), Written::from(threshold_db))],
        worse: harder(unit, 12.0).to_vec(),
    })
}
