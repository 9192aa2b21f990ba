//! Speed of the units, as time per second of stereo sound at 48 kHz.
//! Multiples of real time are 1 s divided by the time printed.
#![allow(missing_docs, clippy::expect_used, clippy::unwrap_used)] // a test may say what must hold by failing

use criterion::{Criterion, criterion_group, criterion_main};
use serde_json::{Value, json};
use std::hint::black_box;
use zinc_core::rack::{Rack, RackSpec};
use zinc_core::signal::noise::white;
use zinc_core::signal::{BLOCK, StereoBlock};

fn one_second(rack: &mut Rack, sound: &[StereoBlock]) -> f32 {
    let mut last = 0.0;
    for block in sound {
        let mut block = block.clone();
        rack.process(&mut block);
        last = block.left[BLOCK - 1];
    }
    last
}

fn material(alike: bool) -> Vec<StereoBlock> {
    (0..375)
        .map(|n| {
            let mut block = StereoBlock::default();
            for i in 0..BLOCK {
                let noise = 0.5 * white(n * BLOCK + i);
                let x = noise * (-((n % 60) as f64) / 12.0).exp();
                block.set_frame(i, [x, if alike { x } else { 0.7 * x }]);
            }
            block
        })
        .collect()
}

fn bench(c: &mut Criterion) {
    let bands: Vec<Value> = (0..8)
        .map(|i| json!({"shape": "bell", "freq_hz": 60.0 * 2f64.powi(i), "gain_db": if i % 2 == 0 { 4 } else { -4 }, "q": 1.2}))
        .collect();
    let eq = json!({"kind": "surgical-eq", "params": {"bands": bands}});
    let linear = json!({"kind": "surgical-eq", "params": {"bands": bands, "phase": "linear"}});
    let moving: Vec<Value> = (0..8)
        .map(|i| json!({"freq_hz": 60.0 * 2f64.powi(i), "gain_db": 0, "q": 1.2, "dynamic": {"threshold_db": -40}}))
        .collect();
    let moving = json!({"kind": "surgical-eq", "params": {"bands": moving}});
    let points: Vec<Value> = (0..20)
        .map(|i| json!({"freq_hz": 30.0 * 1.4f64.powi(i), "gain_db": if i % 2 == 0 { 3 } else { -3 }}))
        .collect();
    let drawn = json!({"kind": "drawn-eq", "params": {"points": points}});
    let auto = json!({"kind": "surgical-eq", "params": {"bands": bands, "auto_level": true}});
    let comp = json!({"kind": "compressor", "params": {"threshold_db": -30, "ratio": 4}});
    let rms = json!({"kind": "compressor", "params": {"threshold_db": -30, "ratio": 4, "detect": "rms"}});
    let by =
        |action: &str| json!({"kind": "compressor", "params": {"threshold_db": -30, "ratio": 4, "action": action}});
    let bands: Vec<Value> = [60.0, 300.0, 2000.0, 7000.0]
        .iter()
        .map(|hz| json!({"from_hz": hz, "ratio": 4, "threshold_db": -40}))
        .collect();
    let multiband = json!({"kind": "multiband", "params": {"bands": bands}});
    let limiter = json!({"kind": "limiter", "params": {"input_db": 12}});
    let four: Vec<Value> = [200.0, 1500.0, 6000.0].iter().map(|hz| json!({"from_hz": hz})).collect();
    let saturator = json!({"kind": "saturator", "params": {"drive_db": 12, "bands": four}});
    let console = json!({"kind": "console-eq", "params": {"low_db": 4, "low_mid_db": -3, "high_mid_db": 2, "high_db": 3,
        "high_pass": "48", "input_db": 9}});
    let amp = |voice: &str| json!({"kind": "amp", "params": {"voice": voice, "drive_db": 30}});
    let twelve: Vec<&Value> = (0..6).flat_map(|_| [&eq, &comp]).collect();
    let (sound, mono) = (material(false), material(true));
    for (name, units) in [
        ("surgical EQ, 8 bands, stereo, 1 s", json!([eq])),
        ("surgical EQ, 8 bands that move, stereo, 1 s", json!([moving])),
        ("surgical EQ, 8 bands, auto level, stereo, 1 s", json!([auto])),
        ("surgical EQ, 8 bands, linear phase, stereo, 1 s", json!([linear])),
        ("drawn EQ, stereo, 1 s", json!([drawn])),
        ("compressor, peak, stereo, 1 s", json!([comp])),
        ("compressor, RMS, stereo, 1 s", json!([rms])),
        ("compressor, vca, stereo, 1 s", json!([by("vca")])),
        ("compressor, fet, stereo, 1 s", json!([by("fet")])),
        ("compressor, opto, stereo, 1 s", json!([by("opto")])),
        ("compressor, vari-mu, stereo, 1 s", json!([by("vari-mu")])),
        ("multiband, 4 bands, stereo, 1 s", json!([multiband])),
        ("limiter, stereo, 1 s", json!([limiter])),
        ("transient, stereo, 1 s", json!([{"kind": "transient", "params": {"attack_db": 6}}])),
        ("gate, stereo, 1 s", json!([{"kind": "gate"}])),
        ("saturator, 4 bands, stereo, 1 s", json!([saturator])),
        ("amp, clean, stereo, 1 s", json!([amp("clean")])),
        ("amp, lead, stereo, 1 s", json!([amp("lead")])),
        ("amp, crunch, mono, 1 s", json!([amp("crunch")])),
        ("amp, lead, mono, 1 s", json!([amp("lead")])),
        ("amp, lead and cabinet, mono, 1 s", json!([amp("lead"), {"kind": "cabinet"}])),
        ("cabinet, stereo, 1 s", json!([{"kind": "cabinet", "params": {"room": 0}}])),
        ("cabinet with room, stereo, 1 s", json!([{"kind": "cabinet"}])),
        ("tape, stereo, 1 s", json!([{"kind": "tape", "params": {"input_db": 12}}])),
        ("console, stereo, 1 s", json!([console])),
        ("12 units, stereo, 1 s", json!(twelve)),
    ] {
        let spec = RackSpec::from_json(&json!({"zinc_rack": 1, "units": units})).expect("a valid rack");
        let mut rack = Rack::new(&spec, 48_000.0);
        let sound = if name.contains("mono") { &mono } else { &sound };
        c.bench_function(name, |b| b.iter(|| black_box(one_second(&mut rack, black_box(sound)))));
    }
}

criterion_group!(benches, bench);
criterion_main!(benches);
