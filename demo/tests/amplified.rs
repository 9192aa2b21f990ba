//! Amplifiers and cabinets on parts that nobody here has made: one polarity, an open top, levels held.
#![allow(missing_docs, clippy::expect_used, clippy::unwrap_used)] // a test may say what must hold by failing

mod strangers;

use serde_json::{Value, json};
use strangers::{BASS_DIS, GUITAR_DIS, Played, collection};
use zinc_core::measure::integrated_lufs;
use zinc_core::measure::LoudnessMeter;
use zinc_core::rack::RackSpec;
use zinc_core::signal::BLOCK;
use zinc_demo::recorded::{OCTAVES_HZ, crest_db, octave_levels_db};
use zinc_demo::song::RATE;
use zinc_demo::tools::{mono_blocks, through_rack};

pub const VOICES: [&str; 11] =
    ["clean", "edge", "early", "crunch", "lead", "tight", "round", "gritty", "driven", "acoustic", "keys"];

fn rack(units: &[Value]) -> RackSpec {
    RackSpec::from_json(&json!({"zinc_rack": 1, "units": units})).unwrap()
}

fn excerpt(played: &Played, collection: &strangers::Collection, seconds: usize) -> Vec<f32> {
    let sound = played.by(collection);
    sound[..seconds * RATE as usize / BLOCK * BLOCK].to_vec()
}

fn lufs(sound: &[f32]) -> f64 {
    let mut meter = LoudnessMeter::new(f64::from(RATE), 2);
    let mut tenths = Vec::new();
    mono_blocks(sound).for_each(|(block, frames)| meter.push(&block, frames, |tenth| tenths.push(tenth)));
    integrated_lufs(&tenths).unwrap()
}

/// Power of each octave in dB, as they are.
fn octaves(sound: &[f32]) -> [f64; 10] {
    let power: f64 = sound.iter().map(|x| f64::from(*x) * f64::from(*x)).sum();
    let against = octave_levels_db(sound);
    let all: f64 = against.iter().map(|db| 10f64.powf(db / 10.0)).sum();
    against.map(|db| db + 10.0 * (power / all).log10())
}

#[test]
fn explore() {
    { let c = collection();
        for part in GUITAR_DIS.iter().chain(&BASS_DIS) {
            let dry = excerpt(part, &c, 4);
            for voice in VOICES {
                let amp = |blend: f64| json!({"kind": "amp", "params": {"voice": voice, "blend": blend, "drive_db": 20}});
                let wet = through_rack(&rack(&[amp(0.0)]), &dry);
                let both = through_rack(&rack(&[amp(0.5)]), &dry);
                let (d, w, b) = (octaves(&dry), octaves(&wet), octaves(&both));
                let top = d.iter().chain(&w).fold(-300.0f64, |m, x| m.max(*x));
                let loss: Vec<String> = (0..10)
                    .map(|k| if d[k].min(w[k]) < top - 45.0 { "  .  ".into() } else { format!("{:5.1}", b[k] + 6.02 - d[k].min(w[k])) })
                    .collect();
                println!("{:22} {voice:9} {} LU {:+.2} crest {:.1} -> {:.1}", part.name, loss.join(" "), lufs(&wet) - lufs(&dry), crest_db(&dry), crest_db(&wet[4800..]));
            }
        }
    }
}

#[test]
fn explore_cabinet() {
    let hz = [100.0, 250.0, 500.0, 1000.0, 2000.0, 2500.0, 3150.0, 4000.0, 5000.0, 6300.0, 8000.0, 10_000.0];
    for mic in ["dynamic", "ribbon", "condenser"] {
        for offset in [0.0, 0.2, 0.5, 1.0] {
            let spec = rack(&[json!({"kind": "cabinet", "params": {"a_type": mic, "a_offset": offset, "room": 0, "hold_level": false}})]);
            let third = |hz: f64| {
                let freqs: Vec<f64> = (-4..=4).map(|n| hz * 2f64.powf(f64::from(n) / 24.0)).collect();
                10.0 * (spec.response(48_000.0, &freqs).iter().map(|h| h.norm_sqr()).sum::<f64>() / 9.0).log10()
            };
            let at500 = third(500.0);
            println!("{mic:9} {offset:.1} {}", hz.map(|hz| format!("{:6.1}", third(hz) - at500)).join(" "));
        }
    }
    { let c = collection();
        for part in GUITAR_DIS.iter().chain(&BASS_DIS) {
            let dry = excerpt(part, &c, 4);
            for voice in ["crunch", "lead", "tight", "round"] {
                let amp = json!({"kind": "amp", "params": {"voice": voice, "drive_db": 20, "hold_level": false}, "trim_db": -12});
                let cab = json!({"kind": "cabinet", "params": {}});
                let before = through_rack(&rack(&[amp.clone()]), &dry);
                let out = through_rack(&rack(&[amp, cab]), &dry);
                let o = octave_levels_db(&out);
                println!("{:22} {voice:9} 4k {:5.1} 8k {:5.1} under 1k; LU {:+.2} crest {:.1}", part.name, o[5] - o[7], o[5] - o[8], lufs(&out) - lufs(&before), crest_db(&out[4800..]));
            }
        }
    }
    let _ = OCTAVES_HZ;
}
