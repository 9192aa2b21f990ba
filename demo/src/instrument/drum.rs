//! Drums and cymbals: decaying modes and shaped noise.

use zinc_core::signal::math::{TAU, exp, sin};

use crate::player::Chance;
use crate::tools::{FS, Mode, frame};

/// A bass drum: a head whose pitch falls to `hz`, and the beater's click.
pub fn kick(out: &mut [f32], start_s: f64, velocity: f64, hz: f64, chance: &mut Chance) {
    let first = frame(start_s);
    let mut phase = 0.0;
    let mut click = 0.0;
    for (i, sample) in out.iter_mut().skip(first).take((0.45 * FS) as usize).enumerate() {
        let t = i as f64 / FS;
        phase += TAU * hz * (1.0 + 1.9 * exp(-t * 42.0)) / FS;
        let head = sin(phase) * exp(-t * 9.0) * (1.0 - exp(-t * 900.0));
        click += 0.35 * (chance.noise() - click);
        let beater = click * exp(-t * 320.0) * 0.8;
        *sample += (velocity * (head + beater)) as f32;
    }
}

/// A snare: two modes of the head, the wires, and a ring of the shell that
/// takes `ring_s` to die.
pub fn snare(out: &mut [f32], start_s: f64, velocity: f64, ring_s: f64, chance: &mut Chance) {
    let first = frame(start_s);
    let mut modes =
        [Mode::new(SHELL_HZ[0], 0.8, 0.28), Mode::new(SHELL_HZ[1], 0.45, 0.2), Mode::new(RING_HZ, 0.2, ring_s)];
    let (mut low, mut band) = (0.0, 0.0);
    for (i, sample) in out.iter_mut().skip(first).take(((ring_s + 0.2) * FS) as usize).enumerate() {
        let t = i as f64 / FS;
        let tone: f64 = modes.iter_mut().map(Mode::next_sample).sum();
        let hiss = chance.noise();
        low += 0.12 * (hiss - low);
        band += 0.7 * ((hiss - low) - band);
        let wires = band * (0.9 * exp(-t * 22.0) + 0.5 * exp(-t * 160.0));
        *sample += (velocity * (tone + wires)) as f32;
    }
}

/// Frequency in Hz of the snare's planted ring.
pub const RING_HZ: f64 = SHELL_HZ[2];

/// What the snare's shell rings at, in Hz.
pub const SHELL_HZ: [f64; 3] = [187.0, 331.0, 618.0];

/// A struck plate: noise through many inharmonic modes. `t60_s` short is a
/// closed hat, long a cymbal.
pub fn plate(out: &mut [f32], start_s: f64, velocity: f64, t60_s: f64, lowest_hz: f64, chance: &mut Chance) {
    let first = frame(start_s);
    let mut modes: Vec<Mode> = (0..14)
        .map(|k| {
            let hz = lowest_hz * (1.0 + 0.37 * f64::from(k) + 0.21 * chance.unit());
            Mode::new(hz.min(16_000.0), 0.09 * (0.4 + 0.6 * chance.unit()), t60_s * (0.5 + chance.unit()))
        })
        .collect();
    let mut smooth = 0.0;
    for (i, sample) in out.iter_mut().skip(first).take((t60_s * 1.2 * FS) as usize).enumerate() {
        let t = i as f64 / FS;
        let hiss = chance.noise();
        smooth += 0.45 * (hiss - smooth);
        let wash = (hiss - smooth) * exp(-t * 5.0 / t60_s) * 0.35;
        let ring: f64 = modes.iter_mut().map(Mode::next_sample).sum();
        *sample += (velocity * (ring + wash)) as f32;
    }
}

/// A shaker: a short swell of high noise.
pub fn shaker(out: &mut [f32], start_s: f64, velocity: f64, chance: &mut Chance) {
    let mut smooth = 0.0;
    for (i, sample) in out.iter_mut().skip(frame(start_s)).take((0.09 * FS) as usize).enumerate() {
        let t = i as f64 / FS;
        let hiss = chance.noise();
        smooth += 0.6 * (hiss - smooth);
        let swell = (t * 60.0).min(1.0) * exp(-t * 45.0);
        *sample += (velocity * (hiss - smooth) * swell) as f32;
    }
}
