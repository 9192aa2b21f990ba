//! The equaliser that ships: its response is its impulse response, and the analog curve.
#![allow(missing_docs, clippy::expect_used, clippy::unwrap_used)] // a test may say what must hold by failing

use realfft::RealFftPlanner;
use serde_json::{Value, json};
use zinc_core::filter::analog::{self, Side};
use zinc_core::measure::probe::{probe, rack_response};
use zinc_core::rack::{Rack, RackSpec};
use zinc_core::signal::{BLOCK, StereoBlock};

const RATES: [f64; 4] = [44_100.0, 48_000.0, 88_200.0, 96_000.0];

fn rack(bands: Value) -> RackSpec {
    let file = json!({"zinc_rack": 1, "units": [{"kind": "surgical-eq", "params": {"bands": bands}}]});
    RackSpec::from_json(&file).expect("a valid rack")
}

/// Gain in dB at each FFT bin, from the impulse response of the running rack.
fn measured_db(spec: &RackSpec, rate: f64, size: usize) -> Vec<(f64, f64)> {
    let mut running = Rack::new(spec, rate);
    let mut impulse = Vec::with_capacity(size);
    while impulse.len() < size {
        let mut block = StereoBlock::default();
        if impulse.is_empty() {
            block.left[0] = 1.0;
            block.right[0] = 1.0;
        }
        running.process(&mut block);
        impulse.extend(block.left.map(f64::from));
    }
    let fft = RealFftPlanner::<f64>::new().plan_fft_forward(size);
    let mut spectrum = fft.make_output_vec();
    fft.process(&mut impulse, &mut spectrum).expect("sizes agree");
    let bin = rate / size as f64;
    spectrum.iter().enumerate().map(|(i, h)| (i as f64 * bin, 20.0 * h.norm().log10())).collect()
}

fn every_shape() -> Vec<Value> {
    let mut all = vec![
        json!([{"shape": "bell", "freq_hz": 1000, "gain_db": 12, "q": 2}]),
        json!([{"shape": "bell", "freq_hz": 12000, "gain_db": -18, "q": 0.4}]),
        json!([{"shape": "notch", "freq_hz": 3000, "q": 3}]),
        json!([{"shape": "low-shelf", "freq_hz": 200, "gain_db": -9, "q": 0.7}]),
        json!([{"shape": "high-shelf", "freq_hz": 6000, "gain_db": 9, "q": 1.2}]),
        json!([{"shape": "high-shelf", "freq_hz": 3000, "gain_db": -6, "slope_db_oct": 48}]),
    ];
    for slope in [6, 12, 18, 24, 36, 48, 72, 96] {
        all.push(json!([{"shape": "high-pass", "freq_hz": 300, "slope_db_oct": slope}]));
        all.push(json!([{"shape": "low-pass", "freq_hz": 5000, "slope_db_oct": slope}]));
    }
    all.push(json!([
        {"shape": "high-pass", "freq_hz": 80, "slope_db_oct": 24}, {"shape": "bell", "freq_hz": 9000, "gain_db": 8, "q": 0.7},
        {"shape": "bell", "freq_hz": 2000, "gain_db": -6, "q": 5}, {"shape": "high-shelf", "freq_hz": 12000, "gain_db": 6, "q": 0.7}
    ]));
    all
}

#[test]
fn the_drawn_response_is_the_fft_of_the_impulse_response() {
    for rate in RATES {
        for bands in every_shape() {
            let spec = rack(bands.clone());
            let mut compared = 0;
            let bins = measured_db(&spec, rate, 32_768);
            let freqs: Vec<f64> = bins.iter().map(|b| b.0).collect();
            let drawn = rack_response(&spec, rate, &freqs);
            for ((hz, got), h) in bins.iter().zip(drawn) {
                let want = 10.0 * h.norm_sqr().log10();
                if *hz > 20.0 && *hz < 0.49 * rate && want > -60.0 {
                    assert!((want - got).abs() < 0.02, "{bands} at {hz} Hz, rate {rate}: {want} and {got}");
                    compared += 1;
                }
            }
            assert!(compared > 1000, "{bands} compared at {compared} frequencies only");
        }
    }
}

#[test]
fn several_bands_together_follow_the_analog_curve_to_18_khz() {
    for rate in RATES {
        let spec = rack(json!([
            {"shape": "bell", "freq_hz": 16000, "gain_db": 18, "q": 0.3}, {"shape": "bell", "freq_hz": 12000, "gain_db": -12, "q": 1},
            {"shape": "high-shelf", "freq_hz": 8000, "gain_db": 6, "q": 0.7}, {"shape": "low-pass", "freq_hz": 17000, "slope_db_oct": 12}
        ]));
        let mut prototype = analog::bell(16_000.0, 18.0, 0.3);
        prototype.extend(analog::bell(12_000.0, -12.0, 1.0));
        prototype.extend(analog::shelf(Side::High, 8000.0, 6.0, 0.7, 2));
        prototype.extend(analog::cut(Side::High, 17_000.0, 2));
        let freqs: Vec<f64> = (0..200).map(|i| 20.0 * 900f64.powf(f64::from(i) / 199.0)).collect();
        for (hz, h) in freqs.iter().zip(rack_response(&spec, rate, &freqs)) {
            let want: f64 = prototype.iter().map(|s| s.response(*hz).norm_sqr()).product();
            let error = 10.0 * (h.norm_sqr() / want).log10();
            assert!(error.abs() < 0.1, "{error} dB at {hz} Hz, rate {rate}");
        }
    }
}

#[test]
fn a_cut_takes_3_01_db_at_its_corner() {
    for shape in ["high-pass", "low-pass"] {
        for slope in [6, 12, 18, 24, 36, 48, 72, 96] {
            let spec = rack(json!([{"shape": shape, "freq_hz": 700, "slope_db_oct": slope}]));
            let h = rack_response(&spec, 48_000.0, &[700.0])[0];
            assert!((10.0 * h.norm_sqr().log10() + 3.0103).abs() < 0.01, "{shape} {slope}");
        }
    }
}

#[test]
fn an_equaliser_with_nothing_to_do_is_bit_exact() {
    for bands in [json!([]), json!([{"gain_db": 0}]), json!([{"on": false, "gain_db": 9}])] {
        let mut running = Rack::new(&rack(bands), 48_000.0);
        for n in 0..40u32 {
            let mut block = StereoBlock::default();
            for i in 0..BLOCK {
                block.left[i] = ((n * 128 + i as u32).wrapping_mul(2_654_435_761) as f32 / u32::MAX as f32) - 0.5;
            }
            let before = block.clone();
            running.process(&mut block);
            assert_eq!(block.left, before.left);
        }
    }
}

#[test]
fn probe_reports_the_documented_grid() {
    let found = probe(&rack(json!([{"shape": "bell", "freq_hz": 1000, "gain_db": 6, "q": 1}])), 48_000.0);
    assert!((found.response[0].hz - 10.0).abs() < 1e-9);
    assert!((found.response[24].hz - 20.0).abs() < 1e-9);
    assert!(found.response.last().is_some_and(|p| p.hz <= 0.49 * 48_000.0 && p.hz > 0.47 * 48_000.0));
    assert!(found.static_curve.iter().all(|p| (p.out_db - p.in_db - 6.0).abs() < 0.01));
    assert!(found.harmonics.len() == 9 && found.harmonics.iter().all(|h| h.db < -120.0));
    assert_eq!(found.latency_samples, 0);
}
