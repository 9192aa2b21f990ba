//! Notes ducked after a loud one: the release is still going when the next, softer note comes.

use crate::unit::value::Written;

use super::evidence::Evidence;
use super::found::{Found, harder};
use crate::rack::UnitSpec;
use crate::unit::dynamics::compressor::KIND as COMPRESSOR;
use crate::unit::dynamics::compressor::law_of;
use crate::unit::proposed::id;

/// dB by which the note before was louder.
const SOFTER_DB: f64 = 6.0;
/// dB that the softer note loses though it asks for none of them.
const DUCKED_DB: f64 = 3.0;
/// Steps of a note that are looked at, and how long ago the louder one may be.
const NOTE_STEPS: usize = 12;
const FEWEST: usize = 2;

pub(super) fn judge(evidence: &Evidence, unit: &UnitSpec) -> Option<Found> {
    let p = &unit.settings.fixed;
    let law = law_of(&unit.settings);
    let loudest = |at: usize| {
        let end = (at + NOTE_STEPS).min(evidence.peak_in.len());
        evidence.peak_in[at..end].iter().copied().fold(f64::MIN, f64::max)
    };
    let ducked = |pair: &[usize]| {
        let (before, at) = (pair[0], pair[1]);
        let (loud, soft) = (loudest(before), loudest(at));
        let end = (at + NOTE_STEPS).min(evidence.reduction.len());
        let taken = evidence.reduction[at..end].iter().sum::<f64>() / (end - at) as f64;
        let asked = law.at_input(soft + p.number("input_db"));
        (loud - soft >= SOFTER_DB && taken - asked >= DUCKED_DB).then_some((at, taken - asked))
    };
    let found: Vec<(usize, f64)> = evidence.strokes.windows(2).filter_map(ducked).collect();
    if found.len() < FEWEST {
        return None;
    }
    let worst = found.iter().max_by(|a, b| a.1.total_cmp(&b.1))?;
    let release_ms = (p.number("release_ms") / 4.0).round().max(20.0);
    Some(Found {
        code: "ducked-after",
        says: format!("{} notes after louder ones lose up to {:.1} dB that they do not ask for.", found.len(), worst.1),
        figure: worst.1,
        measured_in: "dB",
        at_s: Evidence::seconds(worst.0),
        mend: format!("a release of {release_ms} ms is over before they come"),
        set: vec![
            (id!(COMPRESSOR.tables.params, "release_ms"), Written::from(release_ms)),
            (id!(COMPRESSOR.tables.params, "release_note"), Written::from("ms")),
        ],
        worse: [
            harder(unit, 4.0).as_slice(),
            &[
                (
                    id!(COMPRESSOR.tables.params, "release_ms"),
                    Written::from((3.0 * p.number("release_ms")).min(4000.0)),
                ),
                (id!(COMPRESSOR.tables.params, "release_note"), Written::from("ms")),
            ],
        ]
        .concat(),
    })
}
