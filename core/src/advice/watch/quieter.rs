//! Compressed, but quieter: the peaks stay and the body falls.

use crate::unit::value::Written;

use super::evidence::{Evidence, quantile};
use super::found::Found;
use crate::rack::UnitSpec;
use crate::unit::dynamics::compressor::KIND as COMPRESSOR;
use crate::unit::proposed::id;

/// dB that the body loses.
const LOST_DB: f64 = 1.5;
/// dB that the peaks keep of it: so much less than the body they lose.
const PEAKS_KEEP_DB: f64 = 1.0;

pub(super) fn judge(evidence: &Evidence, unit: &UnitSpec) -> Option<Found> {
    if !evidence.works(2.0) {
        return None;
    }
    let lost = evidence.body_db[0] - evidence.body_db[1];
    let highest = |peaks: &[f64]| quantile(&mut peaks.to_vec(), 0.998);
    let peaks_lost = highest(&evidence.peak_in) - highest(&evidence.peak_out);
    if lost < LOST_DB || lost - peaks_lost < PEAKS_KEEP_DB {
        return None;
    }
    let makeup_db = (2.0 * (unit.settings.fixed.number("makeup_db") + lost)).round() / 2.0;
    Some(Found {
        code: "quieter",
        says: format!(
            "The body falls by {lost:.1} dB and the peaks by {peaks_lost:.1}: compressed, and quieter for it."
        ),
        figure: lost,
        measured_in: "dB",
        at_s: Evidence::seconds(Evidence::most(evidence.active(), |step| evidence.reduction[step])),
        mend: format!("a faster attack takes the peaks; a make-up of {makeup_db:+.1} dB gives the body back"),
        set: vec![
            (
                id!(COMPRESSOR.tables.params, "attack_ms"),
                Written::from(unit.settings.fixed.number("attack_ms").min(3.0)),
            ),
            (id!(COMPRESSOR.tables.params, "makeup_db"), Written::from(makeup_db.clamp(-30.0, 30.0))),
        ],
        worse: vec![
            (id!(COMPRESSOR.tables.params, "ratio"), Written::from(20.0)),
            (
                id!(COMPRESSOR.tables.params, "attack_ms"),
                Written::from((1.5 * unit.settings.fixed.number("attack_ms")).clamp(40.0, 300.0)),
            ),
        ],
    })
}
