//! Pumping: what goes on sounding rises and falls with the beat.

use crate::unit::value::Written;

use super::evidence::{Evidence, STEP_S, correlation, quantile};
use super::found::{Found, harder};
use crate::rack::UnitSpec;
use crate::unit::dynamics::compressor::KIND as COMPRESSOR;
use crate::unit::proposed::id;

/// Slowest and fastest beat in seconds.
const BEAT_S: [f64; 2] = [0.2, 1.3];
/// How alike one beat is to the next.
const ALIKE: f64 = 0.5;
/// dB by which the reduction swings with it.
const SWING_DB: f64 = 4.0;
/// Between the strokes the part may fall by at most so many dB: there is something left to pump.
const SUSTAINS_DB: f64 = 18.0;
/// Share of the time that it must sound.
const SOUNDS: f64 = 0.8;
/// The level that comes out must swing the other way or not at all: how closely it still follows
/// what went in.
const STILL_NATURAL: f64 = 0.75;

pub(super) fn judge(evidence: &Evidence, unit: &UnitSpec) -> Option<Found> {
    let active: Vec<usize> = evidence.active().collect();
    if (active.len() as f64) < SOUNDS * evidence.level_in.len() as f64 {
        return None;
    }
    let mut reduction: Vec<f64> = active.iter().map(|step| evidence.reduction[*step]).collect();
    let mut level: Vec<f64> = active.iter().map(|step| evidence.level_in[*step]).collect();
    let swing = quantile(&mut reduction.clone(), 0.95) - quantile(&mut reduction.clone(), 0.1);
    let falls = quantile(&mut level.clone(), 0.9) - quantile(&mut level, 0.1);
    if swing < SWING_DB || falls > SUSTAINS_DB {
        return None;
    }
    let beat = beat_of(&reduction)?;
    let rest = |values: &[f64]| active.iter().map(|step| values[*step]).collect::<Vec<f64>>();
    // What lies over the lows, where the beat mostly is, follows the reduction instead of itself.
    let (highs_in, out) = (rest(&evidence.highs), rest(&evidence.level_out));
    reduction.iter_mut().for_each(|r| *r = -*r);
    if correlation(&out, &rest(&evidence.level_in)) > STILL_NATURAL
        && correlation(&highs_in, &rest(&evidence.level_in)) > STILL_NATURAL
    {
        return None;
    }
    let worst = Evidence::most(active.iter().copied(), |step| evidence.reduction[step]);
    let release_ms = (2.0 * beat * 1000.0).round();
    Some(Found {
        code: "pumping",
        says: format!(
            "What goes on sounding moves by {swing:.1} dB with the beat, every {:.0} ms: it pumps.",
            beat * 1000.0
        ),
        figure: swing,
        measured_in: "dB",
        at_s: Evidence::seconds(worst),
        mend: format!("a release of {release_ms} ms, longer than the beat, holds it still; or a lower ratio"),
        set: vec![
            (id!(COMPRESSOR.tables.params, "release_ms"), Written::from(release_ms.min(4000.0))),
            (id!(COMPRESSOR.tables.params, "release_note"), Written::from("ms")),
        ],
        worse: [harder(unit, 8.0).as_slice(), &[(id!(COMPRESSOR.tables.params, "attack_ms"), Written::from(1.0))]]
            .concat(),
    })
}

/// Seconds after which a trace comes again; none where it does not.
fn beat_of(trace: &[f64]) -> Option<f64> {
    let lag = |seconds: f64| (seconds / STEP_S) as usize;
    let lags = lag(BEAT_S[0])..lag(BEAT_S[1]).min(trace.len() / 3);
    let alike = |lag: usize| correlation(&trace[lag..], &trace[..trace.len() - lag]);
    let best = lags.clone().max_by(|a, b| alike(*a).total_cmp(&alike(*b)))?;
    // At the shortest it is only still like itself.
    (alike(best) >= ALIKE && best > lags.start).then_some(best as f64 * STEP_S)
}
