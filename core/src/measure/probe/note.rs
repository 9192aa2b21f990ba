//! What becomes of one note: a stroke that falls quickly, then a body that dies away slowly, at
//! several levels, so that it is seen whether the level matters.

use serde::Serialize;

use crate::rack::{Rack, RackSpec};
use crate::signal::decibel::{db_to_gain, gain_to_db};
use crate::signal::math::{TAU, exp, sin};
use crate::signal::{BLOCK, StereoBlock};

/// The tone.
const TONE_HZ: f64 = 500.0;
/// How fast it rises in ms, and how much of it is stroke and how fast that is gone.
const RISE_MS: f64 = 1.0;
const STROKE_DB: f64 = 12.0;
const STROKE_MS: f64 = 25.0;
/// How fast the body dies away in dB a second.
const BODY_DB_S: f64 = 24.0;
/// Peak levels in dBFS.
const LEVELS_DB: [f64; 3] = [-6.0, -18.0, -30.0];
/// Milliseconds before the note, shown after it begins, and between two points: whole cycles.
const BEFORE_MS: f64 = 60.0;
const SHOWN_MS: f64 = 600.0;
const POINT_MS: f64 = 4.0;
/// Level in dB under the peak that counts as silence.
const FLOOR_DB: f64 = -90.0;

/// Levels in dB against the peak of the note that went in.
#[derive(Clone, Debug, Serialize)]
pub struct Note {
    /// Milliseconds between two points.
    pub point_ms: f64,
    /// The note itself.
    pub before_db: Vec<f64>,
    /// What comes out, for each of some levels of it.
    pub after_db: Vec<Vec<f64>>,
}

/// Level of the note at a time after its beginning, 1 at its peak.
fn envelope(ms: f64) -> f64 {
    if ms < 0.0 {
        return 0.0;
    }
    let stroke_db = STROKE_DB * (1.0 - exp(-ms / STROKE_MS));
    (ms / RISE_MS).min(1.0) * db_to_gain(-stroke_db - BODY_DB_S * ms / 1000.0)
}

/// Peaks in dB against `full` of each stretch, from the note's beginning on.
fn levels(samples: &[f64], rate: f64, full: f64) -> Vec<f64> {
    let at = |ms: f64| (ms / 1000.0 * rate) as usize;
    let peak = |part: &[f64]| part.iter().fold(0.0f64, |m, x| m.max(x.abs()));
    let points = (0..(SHOWN_MS / POINT_MS) as usize).map(|n| BEFORE_MS + n as f64 * POINT_MS);
    points
        .map(|ms| gain_to_db(peak(&samples[at(ms)..at(ms + POINT_MS).min(samples.len())]) / full).max(FLOOR_DB))
        .collect()
}

/// What a rack makes of the note.
#[must_use]
pub fn note(spec: &RackSpec, rate: f64) -> Note {
    let frames = ((BEFORE_MS + SHOWN_MS + 2.0 * POINT_MS) / 1000.0 * rate) as usize;
    let plain: Vec<f64> = (0..frames)
        .map(|n| {
            let ms = 1000.0 * n as f64 / rate - BEFORE_MS;
            envelope(ms) * sin(TAU * TONE_HZ * ms / 1000.0)
        })
        .collect();
    let through = |level_db: &f64| {
        let full = db_to_gain(*level_db);
        let mut rack = Rack::new(spec, rate);
        let late = rack.latency();
        let mut out = Vec::with_capacity(frames + late + BLOCK);
        while out.len() < frames + late {
            let mut block = StereoBlock::SILENT;
            for i in 0..BLOCK {
                block.set_frame(i, [full * plain.get(out.len() + i).copied().unwrap_or(0.0); 2]);
            }
            rack.process(&mut block);
            out.extend(block.left.iter().map(|x| f64::from(*x)));
        }
        levels(&out[late..late + frames], rate, full)
    };
    Note { point_ms: POINT_MS, before_db: levels(&plain, rate, 1.0), after_db: LEVELS_DB.iter().map(through).collect() }
}

#[cfg(test)]
mod tests {
    use super::*;
    use serde_json::json;

    fn of(units: &serde_json::Value) -> Note {
        note(&RackSpec::from_json(&json!({"zinc_rack": 1, "units": units})).unwrap(), 48_000.0)
    }

    #[test]
    fn an_empty_rack_leaves_it_as_stated() {
        let found = of(&json!([]));
        for after in &found.after_db {
            let off = after.iter().zip(&found.before_db).map(|(a, b)| (a - b).abs()).fold(0.0, f64::max);
            assert!(off < 0.01, "{off}");
        }
        // 24 dB a second, and the stroke's 12 dB gone: 600 ms later it is 26 dB down.
        assert!((found.before_db[149] + 26.4).abs() < 0.4, "{}", found.before_db[149]);
    }

    #[test]
    fn a_transient_unit_moves_the_stroke_alike_at_every_level_and_a_compressor_does_not() {
        let spread = |note: &Note, at: usize| {
            let all: Vec<f64> = note.after_db.iter().map(|after| after[at]).collect();
            all.iter().copied().fold(f64::MIN, f64::max) - all.iter().copied().fold(f64::MAX, f64::min)
        };
        let shaped = of(&json!([{"kind": "transient", "params": {"attack_db": 9}}]));
        assert!(shaped.after_db[0][1] > shaped.before_db[1] + 5.0);
        assert!(spread(&shaped, 1) < 0.5, "{}", spread(&shaped, 1));
        let held = of(&json!([{"kind": "compressor", "params": {"threshold_db": -24, "ratio": 8, "attack_ms": 0}}]));
        assert!(spread(&held, 1) > 6.0);
    }

    #[test]
    fn a_late_unit_is_drawn_in_line() {
        let late = of(&json!([{"kind": "compressor", "params": {"ratio": 1, "lookahead_ms": 7}}]));
        assert!((late.after_db[0][0] - late.before_db[0]).abs() < 0.1);
    }
}
