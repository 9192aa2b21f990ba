//! What lows do to the rest: highs pulled down by them, and reduction driven by rumble.

use crate::unit::value::Written;
use serde_json::json;

use super::evidence::{Evidence, correlation, quantile, smoothed};
use super::found::{Found, harder};
use crate::rack::{RackSpec, UnitSpec};
use crate::trial::{Passage, Take};
use crate::unit::dynamics::compressor::KIND as COMPRESSOR;
use crate::unit::proposed::id;

/// Reduction must swing by so many dB: plain work takes 5 at most, and where a hand picks a chord string by string its
/// lows drive that by turns with its highs.
const SWING_DB: f64 = 4.5;
/// How closely the reduction has to follow the lows, and how little the highs.
const FOLLOWS: f64 = 0.55;
const APART: f64 = 0.35;
/// Highs further below the whole than this are not missed, in dB.
const AUDIBLE_DB: f64 = 32.0;
/// Share of the reduction's time in which the lows must lead.
const LEADS: f64 = 0.6;
/// Or dB of reduction that they add on the mean while it works.
const ADDS_DB: f64 = 2.0;
/// How closely what lies below may go with what lies above: a bass's lows come with its notes.
const WITH_NOTES: f64 = 0.4;
/// dB between loud and soft moments of a rumble, at most.
const STEADY_DB: f64 = 18.0;
/// Steps that hold whole waves of a rumble.
const WAVE_STEPS: usize = 12;
/// Key low cuts that mend it, in Hz.
const LOWS_MEND_HZ: f64 = 150.0;
const RUMBLE_MEND_HZ: f64 = 80.0;
/// Key high cut that makes both worse, in Hz.
const ONLY_LOWS_HZ: f64 = 200.0;

/// dB by which the reduction swings while the part sounds.
fn swing(evidence: &Evidence) -> f64 {
    let mut values: Vec<f64> = evidence.active().map(|step| evidence.reduction[step]).collect();
    quantile(&mut values.clone(), 0.95) - quantile(&mut values, 0.1)
}

fn cut_hz(unit: &UnitSpec) -> f64 {
    unit.settings.fixed.number("key_low_cut_hz")
}

/// Highs pulled down by lows.
pub(super) fn highs_pulled(evidence: &Evidence, unit: &UnitSpec) -> Option<Found> {
    if cut_hz(unit) >= 0.8 * LOWS_MEND_HZ || swing(evidence) < SWING_DB {
        return None;
    }
    // While there are highs to be pulled.
    let heard: Vec<usize> =
        evidence.active().filter(|step| evidence.highs[*step] > evidence.level_in[*step] - AUDIBLE_DB).collect();
    if 2 * heard.len() < evidence.active().count() {
        return None;
    }
    let of = |values: &[f64]| heard.iter().map(|step| values[*step]).collect::<Vec<f64>>();
    let reduction = of(&evidence.reduction);
    let (by_lows, by_highs) =
        (correlation(&reduction, &of(&evidence.lows)), correlation(&reduction, &of(&evidence.highs)));
    if by_lows < FOLLOWS || by_highs > APART {
        return None;
    }
    let pulled = swing(evidence);
    let worst = Evidence::most(heard.iter().copied(), |step| evidence.reduction[step]);
    Some(Found {
        code: "highs-pulled-down",
        says: format!("Lows pull the highs down with them by {pulled:.1} dB, again and again."),
        figure: pulled,
        measured_in: "dB",
        at_s: Evidence::seconds(worst),
        mend: format!("a key low cut at {LOWS_MEND_HZ} Hz keeps the lows from driving it"),
        set: vec![(id!(COMPRESSOR.tables.params, "key_low_cut_hz"), Written::from(LOWS_MEND_HZ))],
        worse: [
            harder(unit, 6.0).as_slice(),
            &[(id!(COMPRESSOR.tables.params, "key_high_cut_hz"), Written::from(ONLY_LOWS_HZ))],
        ]
        .concat(),
    })
}

/// What comes out where nothing below the notes drives a unit; none where that is so already, or where what comes out
/// now has too little taken from it to ask.
pub(super) fn without_rumble(before: &Passage, unit: &UnitSpec, now: &Take) -> Option<Take> {
    let works = now.reduction().iter().any(|db| f64::from(*db) >= ADDS_DB);
    if cut_hz(unit) >= 0.8 * RUMBLE_MEND_HZ || !works {
        return None;
    }
    let mut json = unit.to_json();
    json["params"][id!(COMPRESSOR.tables.params, "key_low_cut_hz")] = json!(RUMBLE_MEND_HZ);
    let unit = UnitSpec::from_json(&json, 0).ok()?;
    Some(Take::of(before, &RackSpec { units: vec![unit] }, None))
}

/// Reduction driven by what lies below any note.
pub(super) fn rumble(evidence: &Evidence, unit: &UnitSpec) -> Option<Found> {
    if cut_hz(unit) >= 0.8 * RUMBLE_MEND_HZ || !evidence.works(ADDS_DB) {
        return None;
    }
    let working: Vec<usize> = evidence.active().filter(|step| evidence.reduction[*step] >= 1.0).collect();
    let (rumble, level) = (smoothed(&evidence.rumble, WAVE_STEPS), smoothed(&evidence.level_in, WAVE_STEPS));
    let led = |step: &usize| rumble[*step] > level[*step] - 3.0;
    let share = working.iter().filter(|step| led(step)).count() as f64 / working.len().max(1) as f64;
    // What comes and goes with the strokes is a drum, no rumble.
    let mut spread: Vec<f64> = evidence.active().map(|step| rumble[step]).collect();
    let moves_db = quantile(&mut spread.clone(), 0.9) - quantile(&mut spread, 0.1);
    if moves_db > STEADY_DB {
        return None;
    }
    let (says, figure, measured_in) = if share >= LEADS {
        let percent = 100.0 * share;
        let says = format!("For {percent:.0} % of the time it works, what drives it lies below 60 Hz.");
        (says, percent, "% of the time")
    } else {
        let with_notes = correlation(&rumble, &smoothed(&evidence.notes, WAVE_STEPS));
        let adds_db = added_db(evidence, &working).filter(|db| *db >= ADDS_DB && with_notes < WITH_NOTES)?;
        (format!("What lies below 60 Hz adds {adds_db:.1} dB of reduction while it works."), adds_db, "dB")
    };
    let worst = Evidence::most(working.iter().copied(), |step| evidence.rumble[step]);
    Some(Found {
        code: "rumble",
        says,
        figure,
        measured_in,
        at_s: Evidence::seconds(worst),
        mend: format!("a key low cut at {RUMBLE_MEND_HZ} Hz, or a high-pass before it, keeps it to the notes"),
        set: vec![(id!(COMPRESSOR.tables.params, "key_low_cut_hz"), Written::from(RUMBLE_MEND_HZ))],
        worse: [
            harder(unit, 10.0).as_slice(),
            &[(id!(COMPRESSOR.tables.params, "key_high_cut_hz"), Written::from(ONLY_LOWS_HZ))],
        ]
        .concat(),
    })
}

/// dB of reduction on the mean, while it works, that would not be there without rumble.
fn added_db(evidence: &Evidence, working: &[usize]) -> Option<f64> {
    let without = evidence.without_rumble.as_ref()?;
    let more: f64 = working.iter().map(|step| evidence.reduction[*step] - without[*step]).sum();
    Some(more / working.len().max(1) as f64)
}
