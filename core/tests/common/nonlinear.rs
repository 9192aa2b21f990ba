//! What holds for anything that bends waves: how much folds back, and that it comes to rest.
#![allow(missing_docs)]

use std::f64::consts::TAU;

pub const RATE: f64 = 48_000.0;
const LEN: usize = 8192;

/// Level in dBFS of the strongest line that is no harmonic of a 5 kHz tone (a whole number of
/// periods in 8192 frames) of this amplitude; and the third harmonic's own, which says how hard
/// the tone was bent.
pub fn alias_of_a_tone_db(amplitude: f64, mut bend: impl FnMut(f64) -> f64) -> (f64, f64) {
    let periods = 853;
    let tone = |n: usize| amplitude * (TAU * ((periods * n) % LEN) as f64 / LEN as f64).sin();
    for n in 0..LEN {
        bend(tone(n));
    }
    let out: Vec<f64> = (0..LEN).map(|n| bend(tone(n))).collect();
    let strongest = (1..LEN / 2).filter(|k| k % periods != 0).map(|k| line(&out, k)).fold(0.0, f64::max);
    (20.0 * strongest.log10(), 20.0 * line(&out, 3 * periods).log10())
}

/// Level in dBFS of the strongest line under 3 kHz while a tone sweeps from 5 to 15 kHz: all of
/// it has folded back.
pub fn alias_of_a_sweep_db(amplitude: f64, mut bend: impl FnMut(f64) -> f64) -> f64 {
    let (len, mut phase) = (4 * LEN, 0.0f64);
    let mut out = Vec::with_capacity(len);
    for n in 0..len {
        phase += TAU * (5000.0 + 10_000.0 * n as f64 / len as f64) / RATE;
        out.push(bend(amplitude * phase.sin()));
    }
    let mut strongest = 0.0f64;
    for part in out.chunks_exact(LEN).skip(1) {
        // A Hann window: a sweep has no whole number of periods.
        let windowed: Vec<f64> =
            part.iter().enumerate().map(|(n, x)| x * (1.0 - (TAU * n as f64 / LEN as f64).cos())).collect();
        strongest = (2..LEN * 3 / 48).map(|k| line(&windowed, k)).fold(strongest, f64::max);
    }
    20.0 * strongest.log10()
}

/// Whether it comes to exact rest within so many frames after a loud sound, with a constant in it.
pub fn comes_to_rest(mut bend: impl FnMut(f64) -> f64, within: usize) -> bool {
    for n in 0..4800 {
        bend(0.3 + 0.9 * (0.2 * n as f64).sin());
    }
    let rest: Vec<f64> = (0..within + 480).map(|_| bend(0.0)).collect();
    rest[within..].iter().all(|x| *x == 0.0)
}

fn line(sound: &[f64], k: usize) -> f64 {
    let len = sound.len();
    let (mut re, mut im) = (0.0, 0.0);
    for (n, x) in sound.iter().enumerate() {
        let angle = TAU * ((k * n) % len) as f64 / len as f64;
        re += x * angle.cos();
        im += x * angle.sin();
    }
    2.0 / len as f64 * (re * re + im * im).sqrt()
}
