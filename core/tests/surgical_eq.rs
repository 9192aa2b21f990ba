//! The equaliser that ships: its response is its impulse response, and the analog curve.
#![allow(missing_docs, clippy::expect_used, clippy::unwrap_used)] // a test may say what must hold by failing

use serde_json::{Value, json};
use zinc_core::filter::analog::{self, Side};
use zinc_core::measure::probe::{With, probe};
use zinc_core::rack::{Keys, Rack, RackSpec};
use zinc_core::signal::noise::white;
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
    let fft = zinc_fourier::forward_f64(size);
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
    for hz in [60, 400, 6000, 15_000] {
        all.push(json!([{"shape": "high-pass", "freq_hz": hz, "slope_db_oct": "steepest"}]));
        all.push(json!([{"shape": "low-pass", "freq_hz": hz, "slope_db_oct": "steepest"}]));
        all.push(json!([{"shape": "band-pass", "freq_hz": hz, "q": 3}]));
        all.push(json!([{"shape": "tilt", "freq_hz": hz, "gain_db": 5}]));
    }
    all.push(json!([{"shape": "low-shelf", "freq_hz": 900, "gain_db": 9, "slope_db_oct": "steepest"}]));
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
            let bins = measured_db(&spec, rate, 131_072);
            let freqs: Vec<f64> = bins.iter().map(|b| b.0).collect();
            let drawn = spec.response(rate, &freqs);
            for ((hz, got), h) in bins.iter().zip(drawn) {
                let want = 10.0 * h.norm_sqr().log10();
                if *hz > 20.0 && *hz < 0.49 * rate && want > -60.0 {
                    assert!((want - got).abs() < 0.02, "{bands} at {hz} Hz, rate {rate}: {want} and {got}");
                    compared += 1;
                }
            }
            assert!(compared > 50, "{bands} compared at {compared} frequencies only");
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
        let mut prototype = vec![analog::bell(16_000.0, 18.0, 0.3), analog::bell(12_000.0, -12.0, 1.0)];
        prototype.extend(analog::shelf(Side::High, 8000.0, 6.0, 0.7, 2));
        prototype.extend(analog::cut(Side::High, 17_000.0, 2));
        let freqs: Vec<f64> = (0..200).map(|i| 20.0 * 900f64.powf(f64::from(i) / 199.0)).collect();
        for (hz, h) in freqs.iter().zip(spec.response(rate, &freqs)) {
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
            for rate in RATES {
                let h = spec.response(rate, &[700.0])[0];
                assert!((10.0 * h.norm_sqr().log10() + 3.0103).abs() < 0.01, "{shape} {slope} at {rate}");
            }
        }
    }
}

#[test]
fn an_equaliser_with_nothing_to_do_is_bit_exact() {
    for bands in [json!([]), json!([{"gain_db": 0}]), json!([{"on": false, "gain_db": 9}])] {
        let mut running = Rack::new(&rack(bands), 48_000.0);
        for n in 0..40 {
            let mut block = StereoBlock::default();
            for i in 0..BLOCK {
                block.left[i] = 0.5 * white(n * BLOCK + i) as f32;
            }
            let before = block.clone();
            running.process(&mut block);
            assert_eq!(block.left, before.left);
        }
    }
}

#[test]
fn probe_reports_the_documented_grid() {
    let found =
        probe(&rack(json!([{"shape": "bell", "freq_hz": 1000, "gain_db": 6, "q": 1}])), 48_000.0, With::default());
    assert!((found.response[0].hz - 10.0).abs() < 1e-9);
    assert!((found.response[24].hz - 20.0).abs() < 1e-9);
    assert!(found.response.last().is_some_and(|p| p.hz <= 0.49 * 48_000.0 && p.hz > 0.47 * 48_000.0));
    assert!(found.static_curve.iter().all(|p| (p.out_db - p.in_db - 6.0).abs() < 0.01));
    assert!(found.harmonics.len() == 9 && found.harmonics.iter().all(|h| h.db < -120.0));
    assert_eq!(found.latency_samples, 0);
}

/// What leaves a rack for a run of frames, from rest.
fn run(spec: &RackSpec, rate: f64, frames: usize, signal: impl Fn(usize) -> [f64; 2]) -> Vec<[f64; 2]> {
    let mut running = Rack::new(spec, rate);
    let mut out = Vec::with_capacity(frames);
    while out.len() < frames {
        let mut block = StereoBlock::default();
        for i in 0..BLOCK {
            block.set_frame(i, signal(out.len() + i));
        }
        running.process(&mut block);
        out.extend((0..BLOCK).map(|i| block.frame(i)));
    }
    out
}

/// Amplitude in dB of a tone in a run of samples that holds whole cycles of it.
fn tone_db(samples: impl Iterator<Item = f64>, hz: f64, rate: f64) -> f64 {
    let (mut re, mut im, mut n) = (0.0, 0.0, 0.0);
    for (i, x) in samples.enumerate() {
        let angle = std::f64::consts::TAU * hz * i as f64 / rate;
        (re, im, n) = (re + x * angle.cos(), im + x * angle.sin(), n + 1.0);
    }
    20.0 * (2.0 * f64::hypot(re, im) / n).log10()
}

fn sine(hz: f64, rate: f64, gain: f64) -> impl Fn(usize) -> f64 {
    move |i| gain * (std::f64::consts::TAU * hz * i as f64 / rate).sin()
}

#[test]
fn the_steepest_cuts_keep_their_promise_at_every_rate() {
    for rate in RATES {
        for hz in [30.0, 120.0, 1000.0, 5000.0] {
            for (shape, way) in [("high-pass", -1.0), ("low-pass", 1.0)] {
                let spec = rack(json!([{"shape": shape, "freq_hz": hz, "slope_db_oct": "steepest"}]));
                let down = hz * 2.0f64.powf(way / 3.0);
                let inside: Vec<f64> = (0..300).map(|i| hz * 2.0f64.powf(-way * f64::from(i) / 60.0)).collect();
                let inside: Vec<f64> = inside.into_iter().filter(|f| (20.0..18_000.0).contains(f)).collect();
                let db = |freqs: &[f64]| -> Vec<f64> {
                    spec.response(rate, freqs).iter().map(|h| 10.0 * h.norm_sqr().log10()).collect()
                };
                for (f, got) in inside.iter().zip(db(&inside)) {
                    assert!((-0.11..0.02).contains(&got), "{shape} {hz}, rate {rate}: {got} dB at {f}");
                }
                let beyond: Vec<f64> = (0..60).map(|i| down * 2.0f64.powf(way * f64::from(i) / 40.0)).collect();
                for (f, got) in beyond.iter().zip(db(&beyond)) {
                    assert!(got < -80.0, "{shape} {hz}, rate {rate}: {got} dB at {f}");
                }
            }
        }
    }
}

#[test]
fn a_band_works_on_its_part_of_the_image_only() {
    let rate = 48_000.0;
    // Left 1000 Hz, right 1000 Hz a quarter later, so that mid and side both carry it.
    let signal = |i: usize| {
        let phase = std::f64::consts::TAU * 1000.0 * i as f64 / rate;
        [0.25 * phase.sin(), 0.25 * phase.cos()]
    };
    let parts: [fn([f64; 2]) -> f64; 4] = [|[l, r]| 0.5 * (l + r), |[l, r]| 0.5 * (l - r), |[l, _]| l, |[_, r]| r];
    for (i, place) in ["mid", "side", "left", "right"].iter().enumerate() {
        let spec = rack(json!([{"freq_hz": 1000, "gain_db": 9, "q": 1, "place": place}]));
        let out = run(&spec, rate, 9600, signal);
        // Mid against side, left against right: the other of the pair is left alone.
        let partner = i ^ 1;
        for (j, want) in [(i, 9.0), (partner, 0.0)] {
            let level =
                |from: &dyn Fn(usize) -> [f64; 2]| tone_db((4800..9600).map(|n| parts[j](from(n))), 1000.0, rate);
            let change = level(&|n| out[n]) - level(&signal);
            assert!((change - want).abs() < 0.01, "{place}: part {j} changed by {change}");
        }
    }
}

#[test]
fn a_negative_amount_turns_the_curve_over_and_cuts_stay() {
    let bands = json!([{"freq_hz": 300, "gain_db": 8, "q": 1}, {"shape": "high-shelf", "freq_hz": 4000, "gain_db": -5}, {"shape": "high-pass", "freq_hz": 40}]);
    let with = |amount: f64, rate: f64| {
        let file =
            json!({"zinc_rack": 1, "units": [{"kind": "surgical-eq", "params": {"bands": bands, "amount": amount}}]});
        let freqs: Vec<f64> = (0..100).map(|i| 20.0 * 900f64.powf(f64::from(i) / 99.0)).collect();
        let all = RackSpec::from_json(&file).unwrap().response(rate, &freqs);
        all.iter().map(|h| 10.0 * h.norm_sqr().log10()).collect::<Vec<_>>()
    };
    for rate in RATES {
        let [none, once, over, twice] = [0.0, 1.0, -1.0, 2.0].map(|amount| with(amount, rate));
        for ((none, once), over) in none.iter().zip(&once).zip(&over) {
            assert!((once + over - 2.0 * none).abs() < 0.02, "{once} and {over} about {none} at {rate}");
        }
        // Twice the amount of the bell alone is a bell of twice the gain.
        assert!((twice[40] - none[40]).abs() > 1.5 * (once[40] - none[40]).abs());
    }
}

fn dynamic(dynamic: Value) -> RackSpec {
    rack(json!([{"freq_hz": 1000, "gain_db": -2, "q": 1, "dynamic": dynamic}]))
}

#[test]
fn a_dynamic_band_rests_at_its_gain_moves_by_its_ratio_and_stops_at_its_range() {
    for rate in [44_100.0, 48_000.0, 96_000.0] {
        for (level_db, ratio, range, want) in [
            (-40.0, 4.0, 12.0, 0.0),
            // 12 dB over, 4:1: nine dB less.
            (-18.0, 4.0, 12.0, -9.0),
            (-6.0, 4.0, 12.0, -12.0),
            // Below one it moves toward more: 12 (1/0.5 - 1) = 12, at most 5.
            (-18.0, 0.5, 30.0, 12.0),
            (-18.0, 0.5, 5.0, 5.0),
        ] {
            let spec = dynamic(
                json!({"threshold_db": -30, "ratio": ratio, "range_db": range, "attack_ms": 1, "release_ms": 300}),
            );
            let tone = sine(1000.0, rate, 10f64.powf(level_db / 20.0));
            let frames = (rate as usize / 128) * 128;
            let out = run(&spec, rate, frames, |i| [tone(i); 2]);
            let last = rate as usize / 10;
            let got = tone_db(out[frames - last..].iter().map(|f| f[0]), 1000.0, rate);
            let moved = got - level_db + 2.0;
            assert!(
                (moved - want).abs() < 0.15,
                "{level_db} dB, {ratio}:1 at {rate} Hz moved by {moved}, wanted {want}"
            );
        }
    }
}

#[test]
fn quiet_material_leaves_a_dynamic_band_exactly_at_rest() {
    let rate = 48_000.0;
    let tone = sine(1000.0, rate, 0.003);
    let bands = |dynamic: Value| rack(json!([{"freq_hz": 1000, "gain_db": -6, "q": 2, "dynamic": dynamic}]));
    let still = run(&bands(Value::Null), rate, 24_064, |i| [tone(i); 2]);
    let resting = run(&bands(json!({"threshold_db": -20})), rate, 24_064, |i| [tone(i); 2]);
    for (a, b) in still.iter().zip(&resting) {
        assert!((a[0] - b[0]).abs() < 1e-7);
    }
}

#[test]
fn a_dynamic_band_takes_its_attack_and_release_within_5_percent() {
    for rate in [44_100.0, 48_000.0, 96_000.0] {
        // A tone of 16 frames a cycle: two cycles are measured at a time.
        let hz = rate / 16.0;
        for (attack, release) in [(30.0, 200.0), (80.0, 400.0)] {
            // A broad band, whose own filter answers at once against these times.
            let spec = rack(json!([{"freq_hz": hz, "gain_db": 0, "q": 0.5, "dynamic":
                {"threshold_db": -40, "ratio": 100, "range_db": 10, "attack_ms": attack, "release_ms": release}}]));
            // The level steps up by 30 dB at 0.5 s and back at 1.5 s.
            let frame = |s: f64| (s * rate) as usize;
            let loud = |i: usize| (frame(0.5)..frame(1.5)).contains(&i);
            let out = run(&spec, rate, frame(3.0), |i| [sine(hz, rate, if loud(i) { 0.1 } else { 0.003 })(i); 2]);
            let moved = |at_ms: f64| {
                let at = frame(at_ms / 1000.0);
                let level = if loud(at) { -20.0 } else { 20.0 * 0.003f64.log10() };
                tone_db(out[at - 16..at + 16].iter().map(|f| f[0]), hz, rate) - level
            };
            let time_to = |from_ms: f64, reached: &dyn Fn(f64) -> bool| {
                (0..14_000).map(|i| f64::from(i) * 0.1).find(|t| reached(moved(from_ms + t))).unwrap()
            };
            // 63.2 % of ten dB.
            let up = time_to(500.4, &|db| db <= -6.32) + 0.4;
            // The tail of the loud tone must have left the band first.
            let down = time_to(1503.0, &|db| db >= -3.68) + 3.0;
            assert!((up / attack - 1.0).abs() < 0.05, "attack of {attack} ms took {up} at {rate}");
            assert!((down / release - 1.0).abs() < 0.05, "release of {release} ms took {down} at {rate}");
        }
    }
}

#[test]
fn a_keyed_band_listens_to_the_key_and_not_to_itself() {
    let rate = 48_000.0;
    let spec = dynamic(json!({"threshold_db": -40, "ratio": 100, "range_db": 9, "attack_ms": 1, "key": "key"}));
    let tone = sine(1000.0, rate, 0.3);
    for (key_gain, want) in [(0.0, -2.0), (0.3, -11.0)] {
        let mut running = Rack::new(&spec, rate);
        let key_tone = sine(1000.0, rate, key_gain);
        let mut out = Vec::new();
        while out.len() < 48_000 {
            let (mut block, mut key) = (StereoBlock::default(), StereoBlock::default());
            for i in 0..BLOCK {
                block.set_frame(i, [tone(out.len() + i); 2]);
                key.set_frame(i, [key_tone(out.len() + i); 2]);
            }
            let mut keys = Keys::for_units(std::iter::once(0));
            keys.add(0, &key);
            running.process_tapped(&mut block, &keys, 0, |_, _| {});
            out.extend((0..BLOCK).map(|i| block.frame(i)[0]));
        }
        let got = tone_db(out[43_200..48_000].iter().copied(), 1000.0, rate) - 20.0 * 0.3f64.log10();
        assert!((got - want).abs() < 0.15, "key at {key_gain}: {got}, wanted {want}");
    }
}

#[test]
fn switching_dynamics_and_places_while_it_plays_makes_no_step() {
    let rate = 48_000.0;
    let tone = sine(200.0, rate, 0.25);
    let bands = [
        json!([{"freq_hz": 200, "gain_db": 6, "q": 1}]),
        json!([{"freq_hz": 200, "gain_db": 6, "q": 1, "dynamic": {"threshold_db": -30, "ratio": 4, "range_db": 12}}]),
        json!([{"freq_hz": 300, "gain_db": -6, "q": 3, "place": "left", "dynamic": {"threshold_db": -30}}]),
        json!([{"freq_hz": 300, "gain_db": -6, "q": 3, "place": "mid"}]),
        json!([{"shape": "high-pass", "freq_hz": 40, "slope_db_oct": "steepest"}]),
    ];
    let mut running = Rack::new(&rack(bands[0].clone()), rate);
    let (mut last, mut worst) = ([0.0; 2], 0.0f64);
    for n in 0..400usize {
        if n > 0 && n % 40 == 0 {
            running.update(&rack(bands[n / 40 % bands.len()].clone()));
        }
        let mut block = StereoBlock::default();
        for i in 0..BLOCK {
            block.set_frame(i, [tone(n * BLOCK + i); 2]);
        }
        running.process(&mut block);
        for i in 0..BLOCK {
            let now = block.frame(i);
            worst = worst.max((now[0] - last[0]).abs()).max((now[1] - last[1]).abs());
            last = now;
        }
    }
    // The lifted tone's own largest step: 0.25 x 2 x 2 pi 200 / 48000 = 0.0131.
    assert!(worst < 0.0135, "largest step {worst}");
}

#[test]
fn dragging_24_bands_at_once_makes_no_step() {
    // A 60 Hz tone under 24 bells that all move every block, minimum and linear phase.
    for phase in ["minimum", "linear"] {
        let at = |turn: usize| {
            let bands: Vec<_> = (0..24)
                .map(|i| {
                    let hz = 40.0 * 1.3f64.powi(i) * if turn.is_multiple_of(2) { 1.0 } else { 1.06 };
                    json!({"shape": "bell", "freq_hz": hz.min(19_000.0), "gain_db": if (turn + i as usize).is_multiple_of(3) { 3.0 } else { -3.0 }, "q": 4})
                })
                .collect();
            RackSpec::from_json(&json!({"zinc_rack": 1, "units": [
                {"kind": "surgical-eq", "params": {"bands": bands, "phase": phase}}]}))
            .expect("a rack")
        };
        let mut running = Rack::new(&at(0), 48_000.0);
        let angle = std::f64::consts::TAU * 60.0 / 48_000.0;
        let (mut out, mut peak) = (Vec::new(), 0.0f64);
        for n in 0..1200 {
            if n > 200 {
                running.update(&at(n));
            }
            let mut block = StereoBlock::default();
            for i in 0..BLOCK {
                block.set_frame(i, [0.25 * (angle * (n * BLOCK + i) as f64).sin(); 2]);
            }
            running.process(&mut block);
            out.extend((0..BLOCK).map(|i| block.frame(i)[0]));
        }
        for x in &out {
            peak = peak.max(x.abs());
        }
        // What a glide adds is slow: the second difference of the samples, which a step or a
        // kink shows in, stays near that of the loudest tone that passes.
        let bend = |w: &[f64]| (w[0] - 2.0 * w[1] + w[2]).abs();
        let sharpest = out[9600..].windows(3).map(bend).fold(0.0, f64::max);
        assert!(sharpest < 4.0 * peak * angle * angle + 2e-3, "{phase}: {sharpest}, peak {peak}");
    }
}

/// dB by which the first band of a rack has moved after a second of a tone.
fn moved_by(spec: &RackSpec, hz: f64, level: f64) -> f64 {
    let mut running = Rack::new(spec, 48_000.0);
    let tone = sine(hz, 48_000.0, level);
    for n in 0..375 {
        let mut block = StereoBlock::default();
        (0..BLOCK).for_each(|i| block.set_frame(i, [tone(n * BLOCK + i); 2]));
        running.process(&mut block);
    }
    f64::from(running.stations()[0].moves()[0])
}

#[test]
fn whatever_the_amount_a_moving_band_stops_at_its_range() {
    let with = |amount: f64| {
        let band = json!({"freq_hz": 1000, "gain_db": 0, "q": 1, "dynamic": {"threshold_db": -50, "ratio": 100, "range_db": 12, "attack_ms": 1}});
        let file =
            json!({"zinc_rack": 1, "units": [{"kind": "surgical-eq", "params": {"amount": amount, "bands": [band]}}]});
        moved_by(&RackSpec::from_json(&file).expect("a valid rack"), 1000.0, 0.5)
    };
    assert!((with(1.0) + 12.0).abs() < 0.01 && (with(2.0) + 12.0).abs() < 0.01, "{} {}", with(1.0), with(2.0));
    assert!((with(0.5) + 6.0).abs() < 0.01, "{}", with(0.5));
}

#[test]
fn what_lies_two_octaves_away_does_not_move_a_band_of_q_4() {
    let spec = rack(
        json!([{"freq_hz": 1000, "gain_db": 0, "q": 4, "dynamic": {"threshold_db": -40, "ratio": 100, "range_db": 30, "attack_ms": 1}}]),
    );
    for hz in [250.0, 4000.0] {
        // At -0.2 dBFS: 40 dB down it just does not reach the threshold.
        assert!(moved_by(&spec, hz, 0.977) > -0.3, "{hz} Hz moves it by {}", moved_by(&spec, hz, 0.977));
    }
    // Half a bandwidth to either side it still counts.
    for hz in [885.0, 1130.0] {
        assert!(moved_by(&spec, hz, 0.1) < -14.0, "{hz} Hz moves it by {}", moved_by(&spec, hz, 0.1));
    }
}
