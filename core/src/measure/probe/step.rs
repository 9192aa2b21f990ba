//! A tone that grows louder by 20 dB and softer again: how fast something follows.

use serde::Serialize;

use crate::rack::{Rack, RackSpec};
use crate::signal::decibel::{db_to_gain, gain_to_db};
use crate::signal::math::{TAU, sin};
use crate::signal::{BLOCK, StereoBlock};

/// By how much it is softer before and after, in dB.
const STEP_DB: f64 = 20.0;
/// Seconds soft before, loud, and soft after that are shown; and soft for settling.
const SETTLE_S: f64 = 1.0;
const BEFORE_S: f64 = 0.1;
const LOUD_S: f64 = 0.4;
const AFTER_S: f64 = 0.6;
/// Milliseconds between two points.
const POINT_MS: f64 = 5.0;

/// Level of the tone about one moment.
#[derive(Clone, Copy, Debug, Serialize)]
pub struct StepPoint {
    /// Milliseconds from the step up.
    pub ms: f64,
    /// Peak in, dBFS.
    pub in_db: f64,
    /// Largest sample out over the next few milliseconds, dBFS.
    pub out_db: f64,
}

/// Follows a tone that steps up to `level_db` and back.
pub(super) fn step(spec: &RackSpec, rate: f64, tone_hz: f64, level_db: f64) -> Vec<StepPoint> {
    let mut rack = Rack::new(spec, rate);
    let latency = rack.latency();
    let shown = ((BEFORE_S + LOUD_S + AFTER_S) * rate) as usize;
    let (from, up) = ((SETTLE_S * rate) as usize, ((SETTLE_S + BEFORE_S) * rate) as usize);
    let down = up + (LOUD_S * rate) as usize;
    let level_at = |frame: usize| if (up..down).contains(&frame) { level_db } else { level_db - STEP_DB };
    let mut out = Vec::with_capacity(from + shown + latency + BLOCK);
    for first in (0..from + shown + latency).step_by(BLOCK) {
        let mut block = StereoBlock::SILENT;
        for i in 0..BLOCK {
            let x = db_to_gain(level_at(first + i)) * sin(TAU * tone_hz * (first + i) as f64 / rate);
            block.set_frame(i, [x; 2]);
        }
        rack.process(&mut block);
        out.extend_from_slice(&block.left);
    }
    let point_frames = (POINT_MS * 0.001 * rate) as usize;
    let points = (0..shown / point_frames).map(|n| from + n * point_frames);
    let peak = |frame: usize| out[frame + latency..].iter().take(point_frames).fold(0.0f32, |p, x| p.max(x.abs()));
    let point = |frame: usize| StepPoint {
        ms: (frame as f64 - up as f64) / rate * 1000.0,
        in_db: level_at(frame),
        out_db: gain_to_db(f64::from(peak(frame))),
    };
    points.map(point).collect()
}
