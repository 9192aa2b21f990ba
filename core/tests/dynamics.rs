//! Limiter, gate, transient and multiband as they ship.
#![allow(missing_docs, clippy::expect_used, clippy::unwrap_used)] // a test may say what must hold by failing

use serde_json::{Value, json};
use zinc_core::measure::true_peak::TruePeakMeter;
use zinc_core::rack::{Rack, RackSpec};
use zinc_core::signal::noise::white;
use zinc_core::signal::{BLOCK, StereoBlock};

fn rack(kind: &str, params: &Value) -> RackSpec {
    let file = json!({"zinc_rack": 1, "units": [{"kind": kind, "params": params}]});
    RackSpec::from_json(&file).expect("a valid rack")
}

fn tau(x: f64) -> f64 {
    (std::f64::consts::TAU * x).sin()
}

/// What leaves a unit for a signal of both sides.
fn run(kind: &str, params: &Value, rate: f64, frames: usize, signal: impl Fn(usize) -> [f64; 2]) -> Vec<[f64; 2]> {
    let mut running = Rack::new(&rack(kind, params), rate);
    let mut out = Vec::with_capacity(frames + BLOCK);
    while out.len() < frames {
        let mut block = StereoBlock::default();
        (0..BLOCK).for_each(|i| block.set_frame(i, signal(out.len() + i)));
        running.process(&mut block);
        out.extend(block.frames());
    }
    out
}

/// The same for one side, both alike.
fn mono(kind: &str, params: &Value, frames: usize, signal: impl Fn(usize) -> f64) -> Vec<f64> {
    run(kind, params, 48_000.0, frames, |n| [signal(n); 2]).into_iter().map(|[left, _]| left).collect()
}

fn noise(n: usize) -> f64 {
    white(n)
}

/// True peak in dB at sixteen times the rate, by an interpolator of the test's own: 512 taps under a
/// Kaiser window, true up to 23.8 kHz at 48 kHz, longer than any that the limiter reads with.
fn true_peak_db(out: &[f64]) -> f64 {
    const HALF: isize = 256;
    let bessel = |x: f64| {
        let mut term = 1.0;
        (1..60).fold(1.0, |sum, k| {
            term *= (x / (2.0 * f64::from(k))).powi(2);
            sum + term
        })
    };
    let taps: Vec<Vec<f64>> = (0..16)
        .map(|phase| {
            let tap = |k: isize| {
                let t = k as f64 - f64::from(phase) / 16.0;
                let share = t / (HALF as f64 + 1.0);
                let window = bessel(8.0 * (1.0 - share * share).max(0.0).sqrt()) / bessel(8.0);
                let x = std::f64::consts::PI * t;
                if t.abs() < 1e-9 { 1.0 } else { x.sin() / x * window }
            };
            (-HALF..=HALF).map(tap).collect()
        })
        .collect();
    let mut peak = 0.0f64;
    for n in HALF as usize..out.len() - HALF as usize {
        for phase in &taps {
            let window = &out[n - HALF as usize..=n + HALF as usize];
            peak = peak.max(phase.iter().zip(window).map(|(h, x)| h * x).sum::<f64>().abs());
        }
    }
    20.0 * peak.log10()
}

type Sound = Box<dyn Fn(usize) -> f64>;

/// What is hard on a limiter: peaks between the samples, steps, dense lows, clicks, noise.
fn hostile() -> Vec<(&'static str, Sound)> {
    vec![
        ("a quarter of the rate, its peaks between the samples", Box::new(|n| tau(n as f64 / 4.0 + 0.125))),
        ("11 kHz and 13.1 kHz beating", Box::new(|n| 0.9 * tau(n as f64 * 0.2291) + 0.9 * tau(n as f64 * 0.2729))),
        ("steps", Box::new(|n| if n / 37 % 2 == 0 { 0.95 } else { -0.95 })),
        (
            "dense lows",
            Box::new(|n| {
                (3.0 * tau(n as f64 * 41.0 / 48_000.0)).clamp(-1.0, 1.0) + 0.4 * tau(n as f64 * 97.0 / 48_000.0)
            }),
        ),
        ("clicks on a tone", Box::new(|n| if n % 1021 < 2 { 1.4 } else { 0.2 * tau(n as f64 * 0.01) })),
        ("noise", Box::new(noise)),
        ("noise that is full scale or none", Box::new(|n| noise(n).signum())),
        ("bursts of 7.4 kHz", Box::new(|n| if n / 90 % 2 == 0 { tau(n as f64 * 0.154_167) } else { 0.0 })),
        ("bursts of 17 kHz", Box::new(|n| if n / 64 % 3 == 0 { 1.3 * tau(n as f64 * 0.354) } else { 0.02 })),
        ("22.9 kHz coming and going", Box::new(|n| (0.5 + 0.6 * tau(n as f64 / 700.0)) * tau(n as f64 * 0.477))),
        ("bursts of a high tone", Box::new(|n| if n / 200 % 3 == 0 { 1.2 * tau(n as f64 * 0.397) } else { 0.01 })),
    ]
}

#[test]
fn no_true_peak_passes_the_ceiling_by_a_tenth_of_a_decibel_whatever_comes() {
    for (name, signal) in hostile() {
        for (lookahead, release) in [(0.5, 1.0), (2.0, 80.0), (10.0, 400.0)] {
            let params = json!({"ceiling_db": -1, "input_db": 9, "lookahead_ms": lookahead, "release_ms": release});
            let out = mono("limiter", &params, 6000, |n| if n < 300 { 0.0 } else { signal(n) });
            let peak = true_peak_db(&out);
            println!("{name}, {lookahead} ms and {release} ms: {:+.3} dB over the ceiling", peak + 1.0);
            assert!(peak < -0.9, "{name}, {lookahead} ms: {peak} dBTP");
            assert!(peak > -4.0, "{name}, {lookahead} ms: {peak} dBTP is too careful");
        }
    }
}

#[test]
fn the_ceiling_holds_at_every_rate_and_reads_as_the_meter_does() {
    for rate in [44_100.0, 96_000.0] {
        let out = run("limiter", &json!({"ceiling_db": -3, "input_db": 12}), rate, 24_000, |n| {
            let x = tau(n as f64 * 3000.3 / rate) + 0.5 * noise(n);
            [x, 0.7 * x]
        });
        let mut meter = TruePeakMeter::default();
        for part in out.chunks_exact(BLOCK) {
            let mut block = StereoBlock::default();
            part.iter().enumerate().for_each(|(i, frame)| block.set_frame(i, *frame));
            meter.push(&block);
        }
        assert!(meter.dbtp() < -2.9 && meter.dbtp() > -3.6, "{} dBTP at {rate}", meter.dbtp());
    }
}

#[test]
fn below_its_ceiling_a_limiter_is_a_delay() {
    let spec = rack("limiter", &json!({"ceiling_db": -1}));
    let late = spec.latency(48_000.0);
    let out = mono("limiter", &json!({"ceiling_db": -1}), 4000, |n| 0.3 * noise(n));
    for (n, x) in out.iter().enumerate().skip(late) {
        assert!((x - f64::from((0.3 * noise(n - late)) as f32)).abs() < 1e-7, "frame {n}");
    }
}

/// What a limiter leaves out because it cannot reach the ceiling falls otherwise with every shift against its
/// blocks of 128 and groups of eight frames; nothing of that may be heard.
#[test]
fn a_limiter_treats_the_same_strokes_alike_wherever_they_fall_in_its_blocks() {
    // Loud strokes with rests in which nothing is near the ceiling.
    let strokes = |n: usize| {
        let age = (n % 9000) as f64;
        3.0 * (-age / 900.0).exp() * (0.5 * tau(age * 0.11) + noise(n))
    };
    let rests = (0..36_000).filter(|n| strokes(*n).abs() < 0.05).count();
    assert!((9000..27_000).contains(&rests), "a part of it is soft: {rests}");
    for params in [json!({"release_ms": 30}), json!({"release_ms": 200, "auto_release": true, "input_db": 6})] {
        let at = |shift: usize| mono("limiter", &params, 40_000, |n| n.checked_sub(shift).map_or(0.0, strokes));
        let late = rack("limiter", &params).latency(48_000.0);
        let first = at(0);
        let held = (0..36_000).filter(|n| (first[n + late] - strokes(*n)).abs() > 0.05).count();
        assert!((1000..30_000).contains(&held), "a part of it is held down: {held}");
        for shift in [1, 7, 8, 61, 128, 1000] {
            let off = at(shift)[shift..].iter().zip(&first).fold(0.0f64, |most, (a, b)| most.max((a - b).abs()));
            assert!(off < 1e-6, "{shift} frames later: {off}");
        }
    }
}

#[test]
fn a_gate_takes_its_range_from_what_is_soft_and_nothing_from_what_is_loud() {
    let params = json!({"threshold_db": -30, "range_db": 40, "attack_ms": 0, "hold_ms": 20, "release_ms": 50});
    let level = |n: usize| if (24_000..48_000).contains(&n) { 0.5 } else { 0.005 };
    let out = mono("gate", &params, 96_000, |n| level(n) * tau(n as f64 * 0.02));
    let peak = |from: usize, to: usize| 20.0 * out[from..to].iter().fold(0.0f64, |m, x| m.max(x.abs())).log10();
    assert!((peak(12_000, 23_000) - (-46.02 - 40.0)).abs() < 0.2, "closed: {}", peak(12_000, 23_000));
    assert!((peak(30_000, 47_000) + 6.02).abs() < 0.03, "open: {}", peak(30_000, 47_000));
    // Held for 20 ms, then 63.2 % of 40 dB in 50 ms.
    assert!((peak(48_050, 48_900) + 46.02).abs() < 0.5, "held: {}", peak(48_050, 48_900));
    let after = 48_000 + 960 + 2400;
    assert!((peak(after - 25, after + 25) + 46.02 + 25.3).abs() < 1.5, "{}", peak(after - 25, after + 25));
}

#[test]
fn hysteresis_keeps_a_gate_open_between_its_two_thresholds() {
    let params = |hysteresis: f64| json!({"threshold_db": -20, "hysteresis_db": hysteresis, "range_db": 60, "attack_ms": 0, "hold_ms": 5, "release_ms": 5});
    // Loud once, then 4 dB under the threshold.
    let signal = |n: usize| if n < 4800 { 0.5 } else { 0.063 } * tau(n as f64 * 0.02);
    let end = |hysteresis: f64| {
        let out = mono("gate", &params(hysteresis), 24_000, signal);
        out[20_000..].iter().fold(0.0f64, |m, x| m.max(x.abs()))
    };
    assert!(end(6.0) > 0.06 && end(1.0) < 0.001, "{} {}", end(6.0), end(1.0));
}

/// A made-up drum: a stroke of 5 ms over a body that dies away in 200 ms.
fn hit(n: usize, level: f64) -> f64 {
    let t = (n % 24_000) as f64 / 48_000.0;
    level * ((-t / 0.005).exp() * tau(1800.0 * t) + 0.3 * (-t / 0.12).exp() * tau(180.0 * t))
}

fn rms_db(part: &[f64]) -> f64 {
    10.0 * (part.iter().map(|x| x * x).sum::<f64>() / part.len() as f64).log10()
}

#[test]
fn stroke_and_body_move_apart_and_alike_however_loud() {
    let moved = |params: Value, level: f64| {
        let out = mono("transient", &params, 96_000, |n| hit(n, level));
        let stretch = |from: usize, to: usize| {
            let before: Vec<f64> = (48_000 + from..48_000 + to).map(|n| hit(n, level)).collect();
            rms_db(&out[48_000 + from..48_000 + to]) - rms_db(&before)
        };
        [stretch(0, 480), stretch(4800, 12_000)]
    };
    for level in [0.9, 0.05] {
        let [stroke, body] = moved(json!({"attack_db": 6}), level);
        assert!(stroke > 3.0 && body.abs() < 1.0, "stroke up at {level}: {stroke} {body}");
        let [stroke, body] = moved(json!({"attack_db": -6}), level);
        assert!(stroke < -3.0 && body.abs() < 1.0, "stroke down at {level}: {stroke} {body}");
        let [stroke, body] = moved(json!({"body_db": 6}), level);
        assert!(stroke.abs() < 2.0 && body > 2.5, "body up at {level}: {stroke} {body}");
        let [stroke, body] = moved(json!({"body_db": -9}), level);
        assert!(stroke.abs() < 2.0 && body < -3.5, "body down at {level}: {stroke} {body}");
    }
    let (loud, soft) =
        (moved(json!({"attack_db": 9, "body_db": -4}), 0.9), moved(json!({"attack_db": 9, "body_db": -4}), 0.09));
    assert!((loud[0] - soft[0]).abs() < 0.3 && (loud[1] - soft[1]).abs() < 0.5, "{loud:?} {soft:?}");
}

/// Level in dB of a tone in what leaves a unit.
fn tone_db(kind: &str, params: &Value, hz: f64, level: f64) -> f64 {
    let out = mono(kind, params, 72_000, |n| level * tau(n as f64 * hz / 48_000.0));
    rms_db(&out[48_000..]) + 3.01 - 20.0 * level.log10()
}

#[test]
fn idle_bands_sum_flat_however_narrow() {
    let edges = [
        vec![200.0, 2000.0],
        vec![60.0, 200.0, 800.0, 3000.0, 9000.0, 15_000.0],
        // A tenth of an octave.
        vec![1000.0, 1071.8],
        vec![40.0, 16_000.0],
    ];
    for edges in edges {
        let bands: Vec<Value> = edges.iter().map(|hz| json!({"from_hz": hz, "ratio": 8, "threshold_db": 0})).collect();
        for hz in [31.0, 60.0, 200.0, 500.0, 1035.0, 2000.0, 5000.0, 9000.0, 15_000.0, 18_000.0] {
            let db = tone_db("multiband", &json!({"bands": bands}), hz, 0.1);
            assert!(db.abs() < 0.05, "{db} dB at {hz} Hz with {edges:?}");
        }
    }
}

#[test]
fn a_band_takes_from_its_own_region_only_and_no_more_than_its_range() {
    let bands = |range: f64| {
        json!({"bands": [
            {"from_hz": 200, "ratio": "inf", "knee_db": 0, "threshold_db": -30, "attack_ms": 1, "release_ms": 800, "range_db": range},
            {"from_hz": 5000},
        ]})
    };
    // Half full scale is -6.02 dBFS: 23.98 dB over.
    assert!(
        (tone_db("multiband", &bands(60.0), 1000.0, 0.5) + 23.9).abs() < 0.4,
        "{}",
        tone_db("multiband", &bands(60.0), 1000.0, 0.5)
    );
    assert!(
        (tone_db("multiband", &bands(6.0), 1000.0, 0.5) + 6.0).abs() < 0.4,
        "{}",
        tone_db("multiband", &bands(6.0), 1000.0, 0.5)
    );
    for hz in [25.0, 18_000.0] {
        assert!(tone_db("multiband", &bands(60.0), hz, 0.5).abs() < 0.1, "at {hz} Hz");
    }
}

#[test]
fn a_band_on_the_left_leaves_the_right_alone_and_one_heard_alone_is_its_region() {
    let params = json!({"bands": [
        {"from_hz": 20},
        {"from_hz": 1000, "ratio": 20, "threshold_db": -40, "attack_ms": 0, "place": "left"},
    ]});
    let out = run("multiband", &params, 48_000.0, 48_000, |n| [0.5 * tau(n as f64 * 0.1); 2]);
    let [left, right] = [0, 1].map(|side| rms_db(&out[24_000..].iter().map(|f| f[side]).collect::<Vec<f64>>()));
    assert!(left < right - 25.0 && (right + 9.03).abs() < 0.05, "{left} {right}");
    let spec = rack("multiband", &params);
    let regions = spec.units[0].kind.regions.expect("bands can be heard alone");
    assert_eq!((regions.edges)(&spec.units[0].settings, 0), Some([Some(20.0), Some(1000.0)]));
    assert_eq!((regions.edges)(&spec.units[0].settings, 1), Some([Some(1000.0), None]));
    let alone = (regions.listen)(&spec.units[0].settings, 1).expect("a band");
    let alone = alone.to_json(&spec.units[0].kind.tables);
    assert!(tone_db("multiband", &alone, 100.0, 0.001) < -60.0);
    assert!(tone_db("multiband", &alone, 8000.0, 0.001).abs() < 0.1);
}

#[test]
fn a_band_alone_falls_about_its_corner_as_linkwitz_and_riley_have_it() {
    for corner in [150.0, 1000.0, 4000.0] {
        let spec = rack("multiband", &json!({"bands": [{"from_hz": corner}]}));
        let regions = spec.units[0].kind.regions.expect("bands can be heard alone");
        let alone = (regions.listen)(&spec.units[0].settings, 0).expect("a band");
        let alone = alone.to_json(&spec.units[0].kind.tables);
        // Two Butterworths of second order in a row: w^4 / (1 + w^4), with w as the bilinear transform bends it.
        let bent = |hz: f64| (std::f64::consts::PI * hz / 48_000.0).tan();
        for octaves in [-1.0f64, -0.5, 0.0, 0.5, 1.0] {
            let hz = corner * 2f64.powf(octaves);
            let w = (bent(hz) / bent(corner)).powi(4);
            let (found, wanted) = (tone_db("multiband", &alone, hz, 0.001), 20.0 * (w / (1.0 + w)).log10());
            assert!((found - wanted).abs() < 0.1, "{hz} Hz from {corner} Hz: {found:.2} dB, wanted {wanted:.2}");
        }
    }
}

#[test]
fn a_band_as_narrow_as_a_sixth_of_an_octave_reaches_its_setting_and_leaves_what_is_an_octave_away() {
    for from in [80.0, 1000.0, 5000.0] {
        for octaves in [1.0 / 12.0, 1.0 / 6.0, 1.0 / 3.0, 0.8, 1.5] {
            let to = from * f64::powf(2.0, octaves);
            let middle = f64::sqrt(from * to);
            for makeup in [-24.0, -6.0, 9.0] {
                let params = json!({"bands": [{"from_hz": from, "makeup_db": makeup}, {"from_hz": to}]});
                let spec = rack("multiband", &params);
                let db = |hz: f64| 10.0 * spec.response(48_000.0, &[hz])[0].norm_sqr().log10();
                assert!((db(middle) - makeup).abs() < 1.0 || octaves > 1.0, "{from} {octaves}: {}", db(middle));
                for away in [0.5 * from, 2.0 * to] {
                    let most = if octaves > 0.5 { 1.0 } else { 0.5 };
                    assert!(db(away).abs() < most, "{from} {octaves} {makeup}: {} dB at {away} Hz", db(away));
                }
                let heard = tone_db("multiband", &params, middle, 0.1);
                assert!((heard - db(middle)).abs() < 0.1, "{from} {octaves} {makeup}: {heard} and {}", db(middle));
            }
        }
    }
    // Its detector hears its region at its own level: 12 dB over at 4:1 are 9 dB.
    let held = json!({"bands": [{"from_hz": 1000, "threshold_db": -24, "ratio": 4, "knee_db": 0, "attack_ms": 1, "release_ms": 400},
        {"from_hz": 1122}]});
    let taken = tone_db("multiband", &held, 1059.0, 0.251);
    assert!((taken + 9.0).abs() < 1.0, "{taken} dB");
}
