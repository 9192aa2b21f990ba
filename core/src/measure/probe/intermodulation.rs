//! Two tones at once: what the low one does to the high one.
//!
//! SMPTE RP 120: 60 Hz and 7 kHz, the low one four times as large; the side lines at multiples of
//! 60 Hz about the high one, together, against it.

use crate::rack::{Rack, RackSpec};
use crate::signal::decibel::{db_to_gain, gain_to_db};
use crate::signal::math::{TAU, cos, sin};
use crate::signal::{BLOCK, StereoBlock};

const LOW_HZ: f64 = 60.0;
const HIGH_HZ: f64 = 7000.0;
/// Shares of the whole peak.
const LOW: f64 = 0.8;
const HIGH: f64 = 0.2;
/// Side lines on each side.
const SIDES: i32 = 4;
/// Seconds before and while it is measured: whole periods of 10 Hz.
const SETTLE_S: f64 = 1.0;
const MEASURE_S: f64 = 0.2;

/// Intermodulation in dB against the high tone; both together peak at `level_db` dBFS.
pub(super) fn imd_db(spec: &RackSpec, rate: f64, level_db: f64) -> f64 {
    let mut rack = Rack::new(spec, rate);
    let peak = db_to_gain(level_db);
    let at = |frame: usize, hz: f64| sin(TAU * hz * frame as f64 / rate);
    let settle = (SETTLE_S * rate) as usize / BLOCK * BLOCK;
    let frames = (MEASURE_S * rate).round() as usize;
    let mut out = Vec::with_capacity(frames + BLOCK);
    for first in (0..settle + frames).step_by(BLOCK) {
        let mut block = StereoBlock::SILENT;
        for i in 0..BLOCK {
            let x = peak * (LOW * at(first + i, LOW_HZ) + HIGH * at(first + i, HIGH_HZ));
            block.set_frame(i, [x; 2]);
        }
        rack.process(&mut block);
        if first >= settle {
            out.extend_from_slice(&block.left);
        }
    }
    out.truncate(frames);
    let line = |hz: f64| {
        let (c, s) = out.iter().enumerate().fold((0.0, 0.0), |(c, s), (n, x)| {
            let angle = TAU * hz * n as f64 / rate;
            (c + f64::from(*x) * cos(angle), s + f64::from(*x) * sin(angle))
        });
        c * c + s * s
    };
    let sides: f64 = (1..=SIDES).flat_map(|n| [-n, n]).map(|n| line(HIGH_HZ + f64::from(n) * LOW_HZ)).sum();
    gain_to_db((sides / line(HIGH_HZ).max(1e-30)).sqrt())
}
