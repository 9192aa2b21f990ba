//! How fast a reduction really comes and goes, whatever the figures on its controls say.
//!
//! A tone of 1 kHz stands at the threshold, steps up by so many decibels, and after a second and a
//! half falls to silence. Attack is the time until so much of the way to where the reduction
//! settles is covered, release the time until so much of it is gone.

use serde::Serialize;

use crate::rack::{Rack, RackSpec, UnitSpec};
use crate::signal::decibel::db_to_gain;
use crate::signal::math::{TAU, sin};
use crate::signal::{BLOCK, StereoBlock};
use crate::unit::dynamics::compressor::threshold_db as threshold_db_of;

/// The tone.
const TONE_HZ: f64 = 1000.0;
/// Level in dBFS where no unit has a threshold.
const REST_DB: f64 = -20.0;
/// Seconds at rest before, and loud.
const REST_S: f64 = 0.25;
const LOUD_S: f64 = 1.5;
/// Longest release that is waited for, in seconds.
const LONGEST_S: f64 = 5.0;
/// Steps in dB; figures are of the middle one.
const STEPS_DB: [f64; 3] = [5.0, 10.0, 20.0];
/// Reduction in dB under which there is nothing to time.
const NOTHING_DB: f64 = 0.05;
/// Milliseconds between two points of a trace.
const POINT_MS: f64 = 1.0;

/// Effective times in ms of a step of 10 dB; none where nothing is reduced.
#[derive(Clone, Copy, Debug, Default, PartialEq, Serialize)]
pub struct Timing {
    /// Until 63.2 % of the reduction has come.
    pub attack_ms: Option<f64>,
    /// Until 90 % has.
    pub attack_90_ms: Option<f64>,
    /// Until 63.2 % of it has gone.
    pub release_ms: Option<f64>,
    /// Until 90 % has.
    pub release_90_ms: Option<f64>,
}

/// The reduction over time about one step.
#[derive(Clone, Debug, Serialize)]
pub struct StepResponse {
    /// By how much it stepped, in dB.
    pub step_db: f64,
    /// Reduction in dB every millisecond from the step on: a second and a half loud, then silence
    /// until it is gone.
    pub reduction_db: Vec<f64>,
}

/// Reductions of all units of a rack together, frame by frame from the step on.
fn trace(spec: &RackSpec, rate: f64, step_db: f64) -> Vec<f64> {
    // What does not reduce only takes time: the tone stands at the threshold of what does.
    let reduces = |unit: &&UnitSpec| unit.is_on() && unit.kind.reduces;
    let spec = &RackSpec { units: spec.units.iter().filter(reduces).cloned().collect() };
    let rest_db = threshold_db(spec);
    let mut rack = Rack::new(spec, rate);
    let (up, down) = ((REST_S * rate) as usize, ((REST_S + LOUD_S) * rate) as usize);
    let end = down + (LONGEST_S * rate) as usize;
    let (quiet, loud) = (db_to_gain(rest_db), db_to_gain(rest_db + step_db));
    let mut all = Vec::with_capacity(end + BLOCK);
    while all.len() < end {
        let mut block = StereoBlock::SILENT;
        for i in 0..BLOCK {
            let frame = all.len() + i;
            let level = if frame < up {
                quiet
            } else if frame < down {
                loud
            } else {
                0.0
            };
            block.set_frame(i, [level * sin(TAU * TONE_HZ * frame as f64 / rate); 2]);
        }
        rack.process(&mut block);
        let reduced =
            |i: usize| rack.stations().iter().filter_map(|s| s.reduction()).map(|r| f64::from(r[i])).sum::<f64>();
        all.extend((0..BLOCK).map(reduced));
        // Silent, and all of it gone: nothing more will happen.
        if all.len() > down && all.last().is_some_and(|r: &f64| *r < 1e-3) {
            break;
        }
    }
    all.split_off(up.saturating_sub(1))
}

/// Where the first unit that has a threshold or a ceiling begins to work, as a level at its own
/// input control.
fn threshold_db(spec: &RackSpec) -> f64 {
    let begins = |unit: &UnitSpec| {
        let p = &unit.settings.fixed;
        let named = ["threshold_db", "ceiling_db"].into_iter().find(|id| p.has(id))?;
        let at = if unit.kind.id == "compressor" { threshold_db_of(&unit.settings) } else { p.number(named) };
        Some(at - if p.has("input_db") { p.number("input_db") } else { 0.0 })
    };
    spec.units.iter().find_map(begins).unwrap_or(REST_DB)
}

/// Frames until `share` of the way from the first value to that at `settled` is covered.
fn covered(trace: &[f64], settled: usize, share: f64) -> Option<usize> {
    let (from, to) = (trace[0], trace[settled]);
    let goal = from + share * (to - from);
    trace.iter().position(|r| if to > from { *r >= goal } else { *r <= goal })
}

fn timing_of(trace: &[f64], rate: f64) -> Timing {
    let down = (LOUD_S * rate) as usize;
    let Some(full) = trace.get(down).filter(|full| **full - trace[0] > NOTHING_DB) else { return Timing::default() };
    let ms = |frames: usize| frames as f64 * 1000.0 / rate;
    let fallen = |share: f64| trace[down..].iter().position(|r| *r <= (1.0 - share) * full).map(ms);
    Timing {
        attack_ms: covered(trace, down, 0.632).map(ms),
        attack_90_ms: covered(trace, down, 0.9).map(ms),
        release_ms: fallen(0.632),
        release_90_ms: fallen(0.9),
    }
}

/// Effective times of a rack at `rate` Hz, for a step of 10 dB above its threshold.
#[must_use]
pub fn timing(spec: &RackSpec, rate: f64) -> Timing {
    timing_of(&trace(spec, rate, STEPS_DB[1]), rate)
}

/// The same with the reduction over time for steps of 5, 10 and 20 dB.
pub(super) fn step_responses(spec: &RackSpec, rate: f64) -> (Vec<StepResponse>, Timing) {
    let traces = STEPS_DB.map(|step_db| trace(spec, rate, step_db));
    let timing = timing_of(&traces[1], rate);
    let every = POINT_MS * 0.001 * rate;
    let points = |trace: &Vec<f64>| {
        let count = (trace.len() as f64 / every) as usize;
        (0..count).map(|n| trace[(n as f64 * every) as usize]).collect()
    };
    let response =
        |(step_db, trace): (&f64, &Vec<f64>)| StepResponse { step_db: *step_db, reduction_db: points(trace) };
    (STEPS_DB.iter().zip(&traces).map(response).collect(), timing)
}

#[cfg(test)]
mod tests {
    use super::*;
    use serde_json::{Value, json};

    fn of(params: Value) -> Timing {
        let file = json!({"zinc_rack": 1, "units": [{"kind": "compressor", "params": params}]});
        timing(&RackSpec::from_json(&file).unwrap(), 48_000.0)
    }

    #[test]
    fn clean_takes_the_times_typed_and_its_logarithm_for_90_percent() {
        let found = of(json!({"threshold_db": -30, "ratio": 4, "knee_db": 0, "attack_ms": 20, "release_ms": 150}));
        let near = |found: Option<f64>, want: f64| (found.unwrap() / want - 1.0).abs() < 0.06;
        // ln 10 time constants cover 90 %.
        assert!(near(found.attack_ms, 20.0) && near(found.attack_90_ms, 20.0 * 10f64.ln()), "{found:?}");
        assert!(near(found.release_ms, 150.0) && near(found.release_90_ms, 150.0 * 10f64.ln()), "{found:?}");
    }

    #[test]
    fn one_typed_time_is_another_in_each_action_and_nothing_reduced_has_none() {
        let attack = |action: &str| {
            of(json!({"action": action, "threshold_db": -30, "ratio": 4, "knee_db": 0, "attack_ms": 20}))
                .attack_ms
                .unwrap()
        };
        assert!((5.5..7.5).contains(&attack("fet")) && attack("vari-mu") < 15.0 && attack("clean") > 18.0);
        assert_eq!(of(json!({"ratio": 1})), Timing::default());
    }
}
