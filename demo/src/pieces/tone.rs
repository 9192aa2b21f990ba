//! Plain tones: partials whose levels, attack, decay and vibrato are drawn by chance.

use zinc_core::signal::math::{TAU, exp, pow, sin};

use crate::player::{Chance, Note};
use crate::song::hz;
use crate::tools::{FS, sum_of_partials};

/// No partial is higher, in Hz.
const HIGHEST_HZ: f64 = 18_000.0;

/// An instrument of plain partials.
pub(super) struct Tone {
    /// Level of each partial.
    levels: Vec<f64>,
    attack_s: f64,
    /// Time to fall by 60 dB; none for a held tone.
    decay_s: Option<f64>,
    /// Depth of the vibrato as a share of the frequency, and its rate in Hz.
    vibrato: f64,
    vibrato_hz: f64,
    /// How far off a note may be tuned, as a share of its frequency.
    detune: f64,
}

impl Tone {
    /// Twelve partials falling by 6 dB an octave.
    pub fn plain(decay_s: Option<f64>) -> Self {
        let levels = (1..=12).map(|n| 1.0 / f64::from(n)).collect();
        Self { levels, attack_s: 0.01, decay_s, vibrato: 0.0, vibrato_hz: 0.0, detune: 0.0 }
    }

    /// Five to forty partials, even or rippled, all of them or mostly the odd ones; struck
    /// and dying away, or held, some with vibrato.
    pub fn by_chance(chance: &mut Chance, struck: bool) -> Self {
        let mut unit = || chance.unit();
        let partials = 5 + (35.0 * unit() * unit()) as u32;
        let (fall, ripple_db) = (0.6 + 1.2 * unit(), 6.0 * unit());
        let even = if unit() < 0.2 { 0.1 } else { 1.0 };
        let mut level = |n: u32| {
            let ripple = pow(10.0, ripple_db * (2.0 * unit() - 1.0) / 20.0);
            ripple * pow(f64::from(n), -fall) * if n.is_multiple_of(2) { even } else { 1.0 }
        };
        let levels = (1..=partials).map(&mut level).collect();
        let vibrato = if unit() < 0.4 && !struck { 0.008 * unit() } else { 0.0 };
        Self {
            levels,
            attack_s: if struck { 0.002 + 0.01 * unit() } else { 0.005 + 0.15 * unit() * unit() },
            decay_s: struck.then(|| 0.3 + 3.0 * unit()),
            vibrato,
            vibrato_hz: 4.5 + 2.0 * unit(),
            detune: 0.002 * unit() * unit(),
        }
    }

    /// Adds one note.
    pub fn play(&self, out: &mut [f32], note: Note, chance: &mut Chance) {
        let first = (note.start_s * FS) as usize;
        let frames = (note.length_s * FS) as usize;
        let fundamental = hz(note.midi) * (1.0 + self.detune * (2.0 * chance.unit() - 1.0));
        let swing = TAU * chance.unit();
        let levels = &self.levels[..self.levels.len().min((HIGHEST_HZ / fundamental) as usize)];
        let mut angle = 0.0;
        for (i, x) in out.iter_mut().skip(first).take(frames).enumerate() {
            let t = i as f64 / FS;
            let edge = (t / self.attack_s).min(1.0) * ((note.length_s - t) / 0.03).clamp(0.0, 1.0);
            let fall = self.decay_s.map_or(1.0, |decay_s| exp(-6.9 * t / decay_s));
            let swung = self.vibrato * (t / 0.3).min(1.0) * sin(TAU * self.vibrato_hz * t + swing);
            angle += TAU * fundamental * (1.0 + swung) / FS;
            *x += (0.3 * note.velocity * edge * fall * sum_of_partials(levels, angle)) as f32;
        }
    }
}
