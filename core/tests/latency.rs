//! The lateness a unit states is that of its sound: of what it makes at work, not of what passes while it is off.
#![allow(missing_docs, clippy::expect_used, clippy::unwrap_used)] // a test may say what must hold by failing

mod common;

use common::run;
use common::units::{any_unit, unit};
use proptest::prelude::*;
use serde_json::json;
use zinc_core::rack::{RackSpec, UnitSpec};
use zinc_core::signal::noise::white;
use zinc_core::unit::Record;
use zinc_core::unit::catalogue::KINDS;
use zinc_fourier::Complex64;

const RATE: f64 = 48_000.0;
/// Frames looked at: noise, then as long a silence, so that nothing comes round from the end.
const FRAMES: usize = 1 << 15;

fn spectrum(mut sound: Vec<f64>) -> Vec<Complex64> {
    let fft = zinc_fourier::forward_f64(FRAMES);
    let mut bins = fft.make_output_vec();
    fft.process(&mut sound, &mut bins).unwrap();
    bins
}

/// Level of the noise, soft enough that what bends does not.
const LEVEL: f64 = 1e-4;

/// Frames by which a unit's sound is later than its stated response makes it, and how surely: the share of all
/// frequencies that agree. (Generalised cross-correlation with every frequency given the same weight: Knapp & Carter,
/// IEEE Trans. ASSP 24, 1976.)
fn lateness(unit: &UnitSpec) -> (i64, f64) {
    let spec = RackSpec { units: vec![unit.clone()] };
    let noise = |n: usize| if n < FRAMES / 2 { LEVEL * white(n) } else { 0.0 };
    // Of the middle, as a response is stated.
    let [left, right] = run(&spec, RATE, FRAMES, |n| [noise(n); 2]);
    let out: Vec<f64> = left.iter().zip(&right).map(|(l, r)| 0.5 * (f64::from(*l) + f64::from(*r))).collect();
    let (input, out) = (spectrum((0..FRAMES).map(|n| f64::from(noise(n) as f32)).collect()), spectrum(out));
    let hz: Vec<f64> = (0..input.len()).map(|k| k as f64 * RATE / FRAMES as f64).collect();
    let stated = spec.response(RATE, &hz);
    let mut cross: Vec<Complex64> = input
        .iter()
        .zip(&out)
        .zip(&stated)
        .zip(&hz)
        .map(|(((a, b), h), hz)| {
            let c = b * (a * Complex64::new(h.re, h.im)).conj();
            if *hz > 20.0 && *hz < 20_000.0 { c / c.norm().max(1e-30) } else { Complex64::default() }
        })
        .collect();
    let back = zinc_fourier::inverse_f64(FRAMES);
    let mut lags = back.make_output_vec();
    back.process(&mut cross, &mut lags).unwrap();
    let best = (0..FRAMES).max_by(|x, y| lags[*x].total_cmp(&lags[*y])).unwrap();
    let lag = if best > FRAMES / 2 { best as i64 - FRAMES as i64 } else { best as i64 };
    (lag, lags[best] / FRAMES as f64)
}

/// Takes out what a response cannot state: a level that is held by listening, what is driven so far that nothing is soft
/// any more, and a delay of one's own on a dry sound beside, which is no lateness.
fn leave_to_itself(unit: &mut UnitSpec) {
    for held in ["hold_level", "auto_level"] {
        if unit.kind.tables.find(held).is_some() {
            unit.set(held, &false.into()).expect("a switch");
        }
    }
    for driven in ["input_db", "drive_db", "power_db"] {
        if let Some(param) = unit.kind.tables.params.iter().find(|param| param.id == driven) {
            let rests = Record::defaults(unit.kind.tables.params).number(param.id);
            unit.set(driven, &rests.into()).expect("its default");
        }
    }
    if unit.kind.tables.find("dry_delay_ms").is_some() {
        unit.set("blend", &0.into()).expect("in range");
    }
}

/// Below this too little of the stated response is found to be laid on it: what is left of such a unit is next to nothing.
const SURE: f64 = 0.3;

/// Ten settings of each kind, on the average.
const CASES: u32 = 10 * KINDS.len() as u32;

proptest! {
    #![proptest_config(ProptestConfig { cases: CASES, ..ProptestConfig::default() })]

    #[test]
    fn a_sound_at_work_is_as_late_as_its_unit_states_whatever_the_mix(mut unit in any_unit()) {
        unit.common.switch("on", true);
        leave_to_itself(&mut unit);
        let (late, sure) = lateness(&unit);
        prop_assume!(sure > SURE);
        prop_assert_eq!(late, unit.latency(RATE) as i64, "{}", unit.to_json());
    }
}

#[test]
fn every_kind_is_as_late_as_it_states_as_it_comes_and_half_mixed() {
    for kind in KINDS {
        for mix in [1.0, 0.5] {
            let mut unit = unit(kind.id, &json!({}));
            unit.common.put_number("mix", mix);
            leave_to_itself(&mut unit);
            let (late, sure) = lateness(&unit);
            assert_eq!(late, unit.latency(RATE) as i64, "{} at a mix of {mix}", kind.id);
            // All of 20 to 20000 Hz of the 24000 there are.
            assert!(sure > 0.98 * (20_000.0 - 20.0) / 24_000.0, "{} at a mix of {mix}: {sure}", kind.id);
        }
    }
}
