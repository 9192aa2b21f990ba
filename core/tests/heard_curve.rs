//! The curve that is drawn and that `probe` gives is that of what is heard, whatever the mix, the
//! trim, the place and the lateness of a unit.
#![allow(missing_docs, clippy::expect_used, clippy::unwrap_used)] // a test may say what must hold by failing

mod common;

use common::units::{any_unit, unit};
use common::{impulse_responses, magnitude_db};
use proptest::prelude::*;
use serde_json::json;
use zinc_core::measure::probe::{With, probe};
use zinc_core::rack::RackSpec;
use zinc_core::unit::Tail;

const RATE: f64 = 48_000.0;

proptest! {
    #![proptest_config(ProptestConfig { cases: 40, ..ProptestConfig::default() })]

    #[test]
    fn the_response_stated_is_the_spectrum_of_what_a_sound_in_the_middle_keeps_there(unit in any_unit()) {
        prop_assume!(unit.is_linear());
        let spec = RackSpec { units: vec![unit] };
        let Tail::Frames(tail) = spec.tail(RATE) else { return Ok(()) };
        prop_assume!(tail + spec.latency(RATE) < 60_000);
        let [left, right] = impulse_responses(&spec, RATE, [1.0, 1.0]);
        let middle: Vec<f64> = left.iter().zip(&right).map(|(l, r)| 0.5 * (l + r)).collect();
        let freqs = [60.0, 440.0, 2000.0, 7000.0, 15_000.0];
        for (hz, h) in freqs.iter().zip(spec.response(RATE, &freqs)) {
            let (stated, heard) = (10.0 * h.norm_sqr().log10(), magnitude_db(&middle, RATE, *hz));
            prop_assert!((stated - heard).abs() < 0.02 || stated.max(heard) < -60.0, "{hz} Hz: {stated:.3} stated, {heard:.3} heard: {}", spec.to_json());
        }
    }
}

#[test]
fn a_late_unit_at_half_mix_makes_no_comb_and_none_is_drawn() {
    for (kind, params) in [
        ("compressor", json!({"ratio": 1, "lookahead_ms": 7})),
        ("drawn-eq", json!({})),
        ("surgical-eq", json!({"phase": "linear"})),
    ] {
        let mut late = unit(kind, &params);
        late.common.put_number("mix", 0.5);
        let probed = probe(&RackSpec { units: vec![late] }, RATE, With::default());
        assert!(probed.latency_samples > 300, "{kind}");
        let worst = probed.response.iter().map(|p| p.db.abs()).fold(0.0, f64::max);
        assert!(worst < 0.01, "{kind}: {worst} dB");
    }
}

#[test]
fn the_static_curve_stated_is_the_one_measured_at_any_mix_and_trim() {
    for mix in [1.0, 0.5, 0.2] {
        let mut unit = unit("compressor", &json!({"threshold_db": -30, "ratio": 4, "attack_ms": 0, "makeup_db": 3}));
        unit.common.put_number("mix", mix);
        unit.common.put_number("trim_db", -2.0);
        for point in probe(&RackSpec { units: vec![unit.clone()] }, RATE, With::default()).static_curve {
            let stated = unit.transfer(point.in_db).expect("a compressor has one");
            assert!(
                (stated - point.out_db).abs() < 0.1,
                "mix {mix}, {} dB in: {stated} stated, {} measured",
                point.in_db,
                point.out_db
            );
        }
    }
}
