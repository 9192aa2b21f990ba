//! A bass drum.

use zinc_core::signal::math::{TAU, sin};

use crate::player::Chance;
use crate::tools::{FS, Fall, Mode, frame};

/// Modes of a damped head above its lowest, as multiples of it (zeros of Bessel's functions;
/// Fletcher & Rossing, 3.3), with their levels.
const HEAD: [(f64, f64); 6] = [(1.593, 0.16), (2.136, 0.14), (2.653, 0.1), (3.6, 0.07), (5.4, 0.2), (8.4, 0.15)];
/// The air between both heads moves them together, below the struck one's own pitch: share of
/// that pitch, and level.
const TOGETHER: (f64, f64) = (0.66, 0.5);

/// A bass drum: a head whose pitch falls to `hz` as its swing dies, its higher modes, and the
/// beater: a push of some milliseconds that is shorter the harder it comes, with a click.
pub fn kick(out: &mut [f32], start_s: f64, velocity: f64, hz: f64, chance: &mut Chance) {
    let first = frame(start_s);
    let mut modes: Vec<Mode> =
        HEAD.iter().map(|(ratio, level)| Mode::new(hz * 1.25 * ratio, *level, 0.12 / ratio)).collect();
    let mut together = Mode::new(hz * TOGETHER.0, TOGETHER.1, 0.55);
    let open = 0.12 + 0.25 * velocity;
    let (mut bend, mut swing) = (Fall::new(0.9 * velocity, 0.018), Fall::new(1.0, 0.085));
    let (mut rise, mut push) = (Fall::new(1.0, 0.0015), Fall::new(0.55 * velocity, 0.004));
    let (mut phase, mut click) = (0.0, [0.0; 2]);
    for sample in out.iter_mut().skip(first).take(frame(0.6)) {
        phase += TAU * hz * (1.0 + bend.next_level()) / FS;
        let head = sin(phase) * swing.next_level() * (1.0 - rise.next_level());
        let higher: f64 = modes.iter_mut().map(Mode::next_sample).sum::<f64>() + together.next_sample();
        click[0] += open * (chance.noise() - click[0]);
        click[1] += open * (click[0] - click[1]);
        let beater = click[1] * push.next_level();
        *sample += (velocity * (head + higher + beater)) as f32;
    }
}
