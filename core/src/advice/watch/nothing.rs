//! Nothing there to compress: a part that is already even, or a threshold it never reaches.

use super::evidence::{Evidence, quantile, smoothed};
use super::found::Found;
use crate::rack::UnitSpec;

/// dB between the loud and the soft steps of a part that is even already.
const EVEN_DB: f64 = 4.0;
/// Steps of a moment: longer than two tones beat.
const MOMENT_STEPS: usize = 12;
/// Peaks over the mean in dB of a part without strokes.
const DENSE_DB: f64 = 11.0;
/// Reduction in dB from which it does something.
const WORKS_DB: f64 = 0.3;

pub(super) fn judge(evidence: &Evidence, unit: &UnitSpec) -> Option<Found> {
    let active: Vec<usize> = evidence.active().collect();
    if active.is_empty() || unit.settings.fixed.number("ratio") == 1.0 {
        return None;
    }
    if !evidence.works(WORKS_DB) {
        let most = evidence.reduction.iter().copied().fold(0.0, f64::max);
        return Some(found(
            format!("It never works: at most it takes {most:.1} dB."),
            most,
            Evidence::most(active.into_iter(), |step| evidence.peak_in[step]),
        ));
    }
    let of = |values: &[f64]| active.iter().map(|step| values[*step]).collect::<Vec<f64>>();
    let mut level = of(&smoothed(&evidence.level_in, MOMENT_STEPS));
    let spread = quantile(&mut level.clone(), 0.9) - quantile(&mut level, 0.15);
    let crest = quantile(&mut of(&evidence.peak_in), 0.98) - evidence.body_db[0];
    (spread < EVEN_DB && crest < DENSE_DB).then(|| {
        found(
            format!("There is nothing to compress: its loud and soft moments are {spread:.1} dB apart already."),
            spread,
            Evidence::most(active.iter().copied(), |step| evidence.reduction[step]),
        )
    })
}

fn found(says: String, figure: f64, at: usize) -> Found {
    Found {
        code: "nothing-to-do",
        says,
        figure,
        measured_in: "dB",
        at_s: Evidence::seconds(at),
        mend: "take it out and listen whether anything is missed".into(),
        set: Vec::new(),
        worse: Vec::new(),
    }
}
