//! What an amplifier makes of the pauses: the level between notes against that of the notes, and a gate before it
//! that closes there.

use crate::rack::UnitSpec;
use serde::Serialize;

use crate::rack::proposed::unit_because;
use crate::signal::decibel::power_to_db;
use crate::trial::Passage;
use crate::unit::dynamics::gate::KIND as GATE;
use crate::unit::proposed::values;

/// Seconds of a look.
const LOOK_S: f64 = 0.05;
/// A pause is so far under the loud moments of what goes in, in dB.
const PAUSE_DB: f64 = 32.0;
/// Fewest looks of pauses that can be judged.
const FEWEST: usize = 6;
/// So near under the notes that it is heard between them, in dB.
const HEARD_DB: f64 = 48.0;
/// What a gate takes, in dB, and how long it stays open, and closes, in ms.
const RANGE_DB: f64 = 40.0;
const HOLD_MS: f64 = 60.0;
const RELEASE_MS: f64 = 90.0;

/// The pauses behind an amplifier.
#[derive(Clone, Debug, PartialEq, Serialize)]
pub struct Noise {
    /// Level between the notes in dBFS, and by how much it lies under the loud ones in dB, behind it.
    pub between_dbfs: f64,
    /// See `between_dbfs`.
    pub under_db: f64,
    /// The same before it.
    pub was_under_db: f64,
    /// A gate to put before it; none where nobody hears the pauses.
    pub gate: Option<UnitSpec>,
}

/// The pauses of a part before and behind an amplifier; none where it hardly pauses.
#[must_use]
pub fn noise(before: &Passage, behind: &Passage) -> Option<Noise> {
    let looks = |passage: &Passage| -> Vec<f64> {
        let size = (LOOK_S * passage.rate) as usize;
        let power = |part: &[f64]| part.iter().map(|x| x * x).sum::<f64>() / part.len().max(1) as f64;
        passage.middle().chunks_exact(size).map(|part| power_to_db(power(part).max(1e-20))).collect()
    };
    let (came, left) = (looks(before), looks(behind));
    let quantile = |levels: &[f64], share: f64| {
        let mut sorted = levels.to_vec();
        sorted.sort_by(f64::total_cmp);
        sorted.get(((sorted.len().max(1) - 1) as f64 * share) as usize).copied()
    };
    let loud = quantile(&came, 0.9)?;
    let (pauses, notes): (Vec<usize>, Vec<usize>) =
        (0..came.len().min(left.len())).partition(|n| came[*n] < loud - PAUSE_DB);
    if pauses.len() < FEWEST || notes.len() < FEWEST {
        return None;
    }
    let of = |levels: &[f64], which: &[usize]| which.iter().map(|n| levels[*n]).collect::<Vec<f64>>();
    let between_dbfs = quantile(&of(&left, &pauses), 0.5)?;
    let under_db = quantile(&of(&left, &notes), 0.9)? - between_dbfs;
    let (rest_db, softest_db) = (quantile(&of(&came, &pauses), 0.8)?, quantile(&of(&came, &notes), 0.05)?);
    // Over what is there in the pauses, under what is played; peaks stand a little over a mean.
    let threshold_db = (rest_db + 9.0).max(0.5 * (rest_db + softest_db)).min(softest_db).clamp(-80.0, 0.0).round();
    let gate = (under_db < HEARD_DB).then(|| {
        let why = format!("closes between the notes, which the amplifier leaves {under_db:.0} dB under them");
        let params = values!(GATE.tables.params, {"threshold_db": threshold_db, "range_db": RANGE_DB, "attack_ms": 0.5,
            "hold_ms": HOLD_MS, "release_ms": RELEASE_MS, "lookahead_ms": 1.0});
        unit_because(&GATE, why, &params)
    });
    Some(Noise { between_dbfs, under_db, was_under_db: loud - quantile(&of(&came, &pauses), 0.5)?, gate })
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::rack::RackSpec;
    use crate::signal::math::{TAU, sin};
    use crate::signal::noise::white;
    use crate::trial::Take;
    use serde_json::Value as Json;
    use serde_json::json;

    /// Notes of half a second and pauses as long over hiss.
    fn part() -> Passage {
        let mut passage = Passage::new(48_000.0, 1);
        for n in 0..8 * 48_000 {
            let hiss = 0.0003 * white(n);
            let t = n as f64 / 48_000.0;
            let note = if t.fract() < 0.5 { 0.2 * sin(TAU * 196.0 * t) } else { 0.0 };
            let x = (note + hiss) as f32;
            passage.left.push(x);
            passage.right.push(x);
        }
        passage
    }

    #[test]
    fn a_lead_voice_brings_the_pauses_up_and_the_gate_that_is_offered_takes_them_down_and_leaves_the_notes() {
        let amp = json!({"kind": "amp", "params": {"voice": "lead", "drive_db": 30, "hold_level": false}});
        let rack = |units: Json| RackSpec::from_json(&json!({"zinc_rack": 1, "units": units})).unwrap();
        let behind = |units: Json| Take::of(&part(), &rack(units), None).sound;
        let found = noise(&part(), &behind(json!([amp]))).unwrap();
        assert!(found.under_db < found.was_under_db - 15.0, "{found:?}");
        let gate = found.gate.unwrap();
        let gated = noise(&part(), &behind(json!([gate, amp]))).unwrap();
        assert!(gated.under_db > found.under_db + 15.0 && gated.gate.is_none(), "{gated:?}");
    }

    #[test]
    fn what_never_pauses_says_nothing_and_a_quiet_pause_asks_for_nothing() {
        let mut held = part();
        for n in 0..held.left.len() {
            held.left[n] = (0.2 * (n as f32 * 0.02).sin()).to_owned();
            held.right[n] = held.left[n];
        }
        assert_eq!(noise(&held, &held), None);
        assert_eq!(noise(&part(), &part()).unwrap().gate, None);
    }
}
