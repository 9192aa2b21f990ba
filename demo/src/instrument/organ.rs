//! Drawbar organ: nine sines a key, the click of nine contacts, a loudspeaker that turns.

use zinc_core::signal::math::{TAU, exp, sin};

use crate::player::{Chance, Note};
use crate::song::hz;
use crate::tools::{FS, Mode, between, frame};

/// Pitches of the drawbars as multiples of the key's own.
const FEET: [f64; 9] = [0.5, 1.5, 1.0, 2.0, 3.0, 4.0, 5.0, 6.0, 8.0];
/// How far each is drawn.
const DRAWN: [f64; 9] = [0.75, 0.5, 1.0, 0.42, 0.16, 0.16, 0.05, 0.05, 0.06];

/// Adds one key.
pub fn key(out: &mut [f32], note: Note, chance: &mut Chance) {
    let f0 = hz(note.midi);
    let (first, last) = (frame(note.start_s), frame(note.start_s + note.length_s).min(out.len()));
    // Undamped modes are plain oscillators; the contacts close and open one by one.
    let mut bars: Vec<Bar> = FEET
        .iter()
        .zip(DRAWN)
        .map(|(foot, drawn)| Bar {
            // The wheels turn all the time: a contact closes wherever they are.
            wheel: Mode::turning(f0 * foot, drawn * (1.0 + 0.08 * chance.around()), TAU * chance.unit()),
            closes: first + frame(0.005 * chance.unit()),
            opens: last - frame(0.006 * chance.unit()).min(last - first),
        })
        .collect();
    for (i, x) in out.iter_mut().enumerate().take(last).skip(first) {
        let tone: f64 = bars.iter_mut().map(|bar| bar.next_sample(i)).sum();
        *x += (0.16 * note.velocity * tone) as f32;
    }
}

/// One drawbar of one key.
struct Bar {
    wheel: Mode,
    closes: usize,
    opens: usize,
}

impl Bar {
    /// What it adds at frame `i`: the contact bounces for half a millisecond, which clicks.
    #[inline]
    fn next_sample(&mut self, i: usize) -> f64 {
        let tone = self.wheel.next_sample();
        let since = i.saturating_sub(self.closes) as f64;
        let left = self.opens.saturating_sub(i) as f64;
        tone * (since / 24.0).min(1.0) * (left / 48.0).min(1.0)
    }
}

/// Radius of the horn in seconds of sound, its crossover in Hz, and how deep it and the drum
/// below it are heard to swell.
const RADIUS_S: f64 = 0.18 / 343.0;
const CROSSOVER_HZ: f64 = 800.0;
const HORN_SWELL: f64 = 0.35;
const DRUM_SWELL: f64 = 0.16;
/// Turns a second, slow and fast, of the horn; the drum turns a little slower.
const TURNS_HZ: [f64; 2] = [0.8, 6.6];
const DRUM_TURNS: f64 = 0.88;
/// Time the horn takes to follow the motor, and the drum, in seconds.
const INERTIA_S: [f64; 2] = [0.45, 1.6];

/// Turns a sound: a horn above the crossover, whose mouth comes and goes (Doppler's shift and
/// a swell), a drum below it that only swells (Smith, Serafin, Abel & Berners, DAFx 2002).
/// `fast` says whether the motor runs fast at a time in seconds.
pub fn rotor(sound: &[f32], fast: impl Fn(f64) -> bool) -> Vec<f32> {
    let split = 1.0 - exp(-TAU * CROSSOVER_HZ / FS);
    let mut horn_line = vec![0.0f64; 256];
    let (mut lows, mut low) = ([0.0; 2], 0.0);
    let (mut angle, mut turns) = ([0.0f64; 2], [TURNS_HZ[0]; 2]);
    let mut aim = TURNS_HZ[0];
    sound
        .iter()
        .enumerate()
        .map(|(i, x)| {
            if i % 64 == 0 {
                aim = if fast(i as f64 / FS) { TURNS_HZ[1] } else { TURNS_HZ[0] };
            }
            for k in 0..2 {
                turns[k] += (aim - turns[k]) / (INERTIA_S[k] * FS);
            }
            angle[0] = (angle[0] + turns[0] / FS).fract();
            angle[1] = (angle[1] + DRUM_TURNS * turns[1] / FS).fract();
            lows[0] += split * (f64::from(*x) - lows[0]);
            lows[1] += split * (lows[0] - lows[1]);
            low = lows[1];
            horn_line[i % 256] = f64::from(*x) - low;
            let near = sin(TAU * angle[0]);
            let delay = (1.0 - near) * RADIUS_S * FS + 2.0;
            let at = |late: usize| horn_line[(i + 256 + 1 - late - delay as usize) % 256];
            let horn: f64 = between(delay.fract()).iter().enumerate().map(|(late, w)| w * at(late)).sum();
            let horn = horn * (1.0 + HORN_SWELL * near) / (1.0 + HORN_SWELL);
            let drum = low * (1.0 + DRUM_SWELL * sin(TAU * angle[1]));
            (horn + drum) as f32
        })
        .collect()
}
