//! What lanes cost: a mix of 48 tracks with ten lanes each, against the same without; starting it, and a
//! second of it at 48 kHz.
#![allow(missing_docs, clippy::expect_used, clippy::unwrap_used)] // a test may say what must hold by failing

use std::hint::black_box;

use criterion::{BatchSize, Criterion, criterion_group, criterion_main};
use serde_json::{Value, json};
use zinc_core::rack::UnitSpec;
use zinc_core::render::{Mixer, Plan};
use zinc_core::session::{AudioRef, Family, Role, Session};
use zinc_core::signal::{BLOCK, StereoBlock};

const RATE: u32 = 48_000;
const TRACKS: usize = 48;

/// Ten lanes of twenty points each, that move all the time or not at all.
fn lanes(moving: bool) -> Value {
    let points = |from: f64, to: f64| -> Vec<Value> {
        let value = |n: u32| if moving && n % 2 == 1 { to } else { from };
        (0..20).map(|n| json!({"at": 24_000 * n, "value": value(n)})).collect()
    };
    let band = |n: usize| {
        let hz = 100.0 * 4f64.powi(n as i32);
        [
            json!({"param": format!("bands[{n}].freq_hz"), "points": points(hz, 1.5 * hz)}),
            json!({"param": format!("bands[{n}].gain_db"), "points": points(-3.0, 3.0)}),
        ]
    };
    let mut list: Vec<Value> = (0..4).flat_map(band).collect();
    list.extend([
        json!({"param": "mix", "points": points(1.0, 0.6)}),
        json!({"param": "trim_db", "points": points(0.0, -6.0)}),
    ]);
    json!(list)
}

fn session(over_time: &Value) -> Session {
    let mut session = Session::new("lanes", RATE);
    let audio = AudioRef { hash: "x".into(), channels: 1, frames: u64::from(10 * RATE), start: 0, stamp: None };
    for n in 0..TRACKS {
        let track = session.add_strip(&format!("{n}"), Family::Gt, Role::Track(audio.clone()), 1);
        let bands: Vec<Value> = (0..4).map(|n| json!({"freq_hz": 100.0 * 4f64.powi(n), "gain_db": 3})).collect();
        let eq = json!({"kind": "surgical-eq", "params": {"bands": bands}, "over_time": over_time});
        session.add_unit(track, UnitSpec::from_json(&eq, 1).unwrap());
        session.add_unit(track, UnitSpec::from_json(&json!({"kind": "compressor"}), 1).unwrap());
    }
    session.supply();
    session
}

/// The racks of all tracks live, as no page has them: the worst there is.
fn bench(c: &mut Criterion) {
    for (name, over_time) in [("none", json!([])), ("ten, at rest", lanes(false)), ("ten, moving", lanes(true))] {
        let session = session(&over_time);
        let plans: Vec<Plan> = session
            .tracks()
            .filter_map(|t| Plan::of_source(&session, &zinc_core::render::Source::Racked { strip: t.id }))
            .collect();
        let mixers = || plans.iter().map(|plan| Mixer::new(plan, &session)).collect::<Vec<_>>();
        c.bench_function(&format!("start of {TRACKS} tracks, lanes: {name}"), |b| b.iter(|| black_box(mixers().len())));
        let input = [StereoBlock { left: [0.1; BLOCK], right: [0.1; BLOCK] }];
        c.bench_function(&format!("1 s of {TRACKS} tracks, lanes: {name}"), |b| {
            b.iter_batched(
                mixers,
                |mut mixers| {
                    let mut out = StereoBlock::SILENT;
                    for n in 0..375 {
                        mixers.iter_mut().for_each(|m| m.process(&input, n * BLOCK as i64, &mut out, |_, _| {}));
                    }
                    black_box(out.left[0])
                },
                BatchSize::PerIteration,
            );
        });
    }
}

criterion_group!(benches, bench);
criterion_main!(benches);
