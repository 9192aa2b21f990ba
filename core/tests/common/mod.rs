//! What several tests of whole racks need.
#![allow(missing_docs, dead_code, clippy::expect_used)] // a test may say what must hold by failing

pub mod harmonics;
pub mod nonlinear;
pub mod page;
pub mod units;

use serde_json::{Value, json};
use zinc_core::rack::{Rack, RackSpec};
use zinc_core::signal::{BLOCK, StereoBlock};

/// A rack of one unit.
pub fn rack(kind: &str, params: Value) -> RackSpec {
    RackSpec::from_json(&json!({"zinc_rack": 1, "units": [{"kind": kind, "params": params}]})).expect("a rack")
}

/// What leaves a rack, from rest, for frames given by `signal`.
pub fn run(spec: &RackSpec, rate: f64, frames: usize, signal: impl Fn(usize) -> [f64; 2]) -> [Vec<f32>; 2] {
    let mut rack = Rack::new(spec, rate);
    let mut out = [Vec::new(), Vec::new()];
    for first in (0..frames).step_by(BLOCK) {
        let mut block = StereoBlock::default();
        for i in 0..BLOCK {
            block.set_frame(i, signal(first + i));
        }
        rack.process(&mut block);
        out[0].extend_from_slice(&block.left);
        out[1].extend_from_slice(&block.right);
    }
    out
}

/// Both sides of the response to one impulse, 65536 frames long.
pub fn impulse_responses(spec: &RackSpec, rate: f64, impulse: [f64; 2]) -> [Vec<f64>; 2] {
    let out = run(spec, rate, 65_536, |n| if n == 0 { impulse } else { [0.0; 2] });
    out.map(|side| side.into_iter().map(f64::from).collect())
}

/// Magnitude in dB of a response at one frequency, by summing its terms.
pub fn magnitude_db(response: &[f64], rate: f64, hz: f64) -> f64 {
    let angle = std::f64::consts::TAU * hz / rate;
    let (re, im) = response.iter().enumerate().fold((0.0, 0.0), |(re, im), (n, x)| {
        let (sin, cos) = (angle * n as f64).sin_cos();
        (re + x * cos, im - x * sin)
    });
    10.0 * (re * re + im * im).log10()
}

/// The left side of what a rack makes of a tone.
pub fn tone_through(spec: &RackSpec, rate: f64, hz: f64, amplitude: f64, frames: usize) -> Vec<f32> {
    let angle = std::f64::consts::TAU * hz / rate;
    let [left, _] = run(spec, rate, frames, |n| [amplitude * (angle * n as f64).sin(); 2]);
    left
}

/// Levels in dBFS of the lines of a second of sound, one for each Hz, under a Hann window.
pub fn spectrum_of_a_second(second: &[f64]) -> Vec<f64> {
    let fft = zinc_fourier::forward_f64(second.len());
    let hann = |n: usize| 1.0 - (std::f64::consts::TAU * n as f64 / second.len() as f64).cos();
    let mut windowed: Vec<f64> = second.iter().enumerate().map(|(n, x)| x * hann(n)).collect();
    let mut bins = fft.make_output_vec();
    fft.process(&mut windowed, &mut bins).expect("as long as planned");
    bins.iter().map(|bin| 20.0 * (2.0 / second.len() as f64 * bin.norm()).max(1e-12).log10()).collect()
}
