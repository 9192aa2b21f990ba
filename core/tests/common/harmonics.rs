//! Overtones of a rack, measured by running it.
#![allow(missing_docs, dead_code)] // not every test binary needs all of it

use std::f64::consts::TAU;

use zinc_core::rack::Rack;
use zinc_core::signal::{BLOCK, StereoBlock};

/// Seconds a sound runs before it is measured, and is measured for.
const SETTLE_S: f64 = 1.0;
const MEASURE_S: f64 = 0.5;

/// Levels in dBFS (of sines) at frequencies of what a rack makes of a sound given by time in s.
pub fn lines_db(rack: &mut Rack, rate: f64, sound: impl Fn(f64) -> f64, hz: &[f64]) -> Vec<f64> {
    let skip = (SETTLE_S * rate) as usize / BLOCK * BLOCK;
    let frames = (MEASURE_S * rate) as usize / BLOCK * BLOCK;
    let mut out = Vec::with_capacity(frames);
    for first in (0..skip + frames).step_by(BLOCK) {
        let mut block = StereoBlock::SILENT;
        (0..BLOCK).for_each(|i| block.set_frame(i, [sound((first + i) as f64 / rate); 2]));
        rack.process(&mut block);
        if first >= skip {
            out.extend((0..BLOCK).map(|i| block.frame(i)[0]));
        }
    }
    // A Hann window, whose mean is a half.
    let windowed: Vec<f64> =
        out.iter().enumerate().map(|(n, x)| x * (1.0 - (TAU * n as f64 / frames as f64).cos())).collect();
    hz.iter()
        .map(|hz| {
            let (mut re, mut im) = (0.0, 0.0);
            for (n, x) in windowed.iter().enumerate() {
                let angle = TAU * hz * n as f64 / rate;
                re += x * angle.cos();
                im += x * angle.sin();
            }
            20.0 * (2.0 / frames as f64 * (re * re + im * im).sqrt()).max(1e-12).log10()
        })
        .collect()
}

/// Levels in dBFS of the first harmonics of a tone through a rack.
pub fn comb_db(rack: &mut Rack, rate: f64, hz: f64, amplitude: f64, orders: usize) -> Vec<f64> {
    let at: Vec<f64> = (1..=orders).map(|k| hz * k as f64).collect();
    lines_db(rack, rate, |t| amplitude * (TAU * hz * t).sin(), &at)
}
