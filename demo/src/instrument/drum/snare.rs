//! A snare drum.

use crate::player::Chance;
use crate::tools::{Fall, Mode, frame};

/// Frequency in Hz of the snare's planted ring.
pub const RING_HZ: f64 = SHELL_HZ[2];

/// What the snare's heads and shell ring at, in Hz.
pub const SHELL_HZ: [f64; 3] = [187.0, 331.0, 618.0];

/// A snare: two modes of the heads, a ring of the shell that takes `ring_s` to die, the
/// stick, and the wires, which rattle as long as the lower head pushes them (Fletcher &
/// Rossing, 18.8).
pub fn snare(out: &mut [f32], start_s: f64, velocity: f64, ring_s: f64, chance: &mut Chance) {
    let first = frame(start_s);
    let mut modes =
        [Mode::new(SHELL_HZ[0], 0.85, 0.26), Mode::new(SHELL_HZ[1], 0.34, 0.17), Mode::new(RING_HZ, 0.09, ring_s)];
    let bright = 0.35 + 0.4 * velocity;
    let mut rattle = [Fall::new(0.75, 0.05), Fall::new(0.26, 0.14)];
    let (mut rise, mut blow) = (Fall::new(1.0, 0.0012), Fall::new(0.3 * velocity, 0.0012));
    let (mut low, mut wire, mut stick) = (0.0, 0.0, 0.0);
    for sample in out.iter_mut().skip(first).take(frame(ring_s + 0.2)) {
        let tone: f64 = modes.iter_mut().map(Mode::next_sample).sum();
        let hiss = chance.noise();
        low += 0.07 * (hiss - low);
        wire += bright * ((hiss - low) - wire);
        stick += 0.5 * (hiss - stick);
        // The wires follow the head and stay a moment longer.
        let rattles: f64 = rattle.iter_mut().map(Fall::next_level).sum();
        let wires = wire * rattles * (1.0 - rise.next_level()) * (0.5 + 0.5 * velocity);
        let tip = stick * blow.next_level();
        *sample += (velocity * (tone + wires + tip)) as f32;
    }
}
