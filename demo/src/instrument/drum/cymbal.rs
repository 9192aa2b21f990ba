//! Cymbals, hats and shakers.

use zinc_core::signal::math::pow;

use crate::player::Chance;
use crate::tools::{FS, Fall, Mode, frame};

/// Modes of a plate.
const MODES: u32 = 20;

/// A struck plate: many modes that are no harmonics, the high ones sooner gone, and a wash
/// between them that opens after the stroke (Fletcher & Rossing, 20.3). `t60_s` short is a
/// closed hat, long a cymbal.
pub fn plate(out: &mut [f32], start_s: f64, velocity: f64, t60_s: f64, lowest_hz: f64, chance: &mut Chance) {
    let first = frame(start_s);
    let mut modes: Vec<Mode> = (0..MODES)
        .map(|k| {
            let hz = lowest_hz * pow(1.0 + f64::from(k), 0.75) * (1.0 + 0.07 * chance.around());
            let level = 0.07 * (0.4 + 0.6 * chance.unit()) * pow(lowest_hz / hz, 0.6);
            Mode::new(hz.min(15_000.0), level, t60_s * (0.5 + chance.unit()) * pow(lowest_hz / hz, 0.35))
        })
        .collect();
    let bright = 0.55 + 0.35 * velocity;
    let (mut opens, mut fades) = (Fall::new(0.6, 0.012), Fall::new(0.3, t60_s / 5.0));
    let mut smooth = [0.0; 2];
    for sample in out.iter_mut().skip(first).take(frame(t60_s * 1.2)) {
        let hiss = chance.noise();
        smooth[0] += 0.4 * (hiss - smooth[0]);
        smooth[1] += bright * ((hiss - smooth[0]) - smooth[1]);
        let wash = smooth[1] * fades.next_level() * (1.0 - opens.next_level());
        let ring: f64 = modes.iter_mut().map(Mode::next_sample).sum();
        *sample += (velocity * (ring + wash)) as f32;
    }
}

/// A shaker: a short swell of high noise.
pub fn shaker(out: &mut [f32], start_s: f64, velocity: f64, chance: &mut Chance) {
    let (mut smooth, mut fades) = ([0.0; 2], Fall::new(1.0, 1.0 / 45.0));
    for (i, sample) in out.iter_mut().skip(frame(start_s)).take(frame(0.09)).enumerate() {
        let t = i as f64 / FS;
        let hiss = chance.noise();
        smooth[0] += 0.5 * (hiss - smooth[0]);
        smooth[1] += 0.5 * ((hiss - smooth[0]) - smooth[1]);
        let swell = (t * 60.0).min(1.0) * fades.next_level();
        *sample += (velocity * smooth[1] * swell) as f32;
    }
}
