//! Electric piano: a struck tine before a pickup.
//!
//! The tine is a clamped bar: its fundamental and overtones at 6.27 and 17.55 times that
//! (Fletcher & Rossing, 2.15). A soft hammer stays long and wakes only the first. The pickup
//! sees a magnet's field that falls off to both sides, with the tine resting off its centre:
//! its voltage is the change of `field(y)`, so a soft note is nearly a sine and a hard one
//! barks (Gabrielli, Cantarini, Castellini & Squartini, J. Acoust. Soc. Am. 148, 2020).

use zinc_core::signal::math::pow;

use crate::player::{Chance, Note};
use crate::song::hz;
use crate::tools::{FS, Fall, Mode, frame};

/// Where the tine rests, in widths of the field.
const OFFSET: f64 = 0.42;
/// How far the hardest blow swings it, in widths of the field.
const SWING: f64 = 0.95;
/// Time the damper takes, in seconds.
const DAMPER_S: f64 = 0.14;

/// Adds one note.
pub fn strike(out: &mut [f32], note: Note, chance: &mut Chance) {
    let f0 = hz(note.midi);
    let first = frame(note.start_s);
    let release = frame(note.start_s + note.length_s);
    let last = (release + frame(DAMPER_S)).min(out.len());
    if first >= last {
        return;
    }
    let hard = note.velocity;
    // Long tines swing wider; the hammer's felt is harder the deeper it is pressed.
    let swing = SWING * pow(hard, 1.25) * pow(165.0 / f0, 0.4);
    let overtone = 0.055 * hard * hard * (1.0 + 0.25 * chance.around());
    let mut tine = Mode::new(f0, swing, 9.0 * pow(82.0 / f0, 0.5));
    let mut bell = Mode::new(f0 * 6.27, swing * overtone, 0.9);
    let mut chime = Mode::new((f0 * 17.55).min(12_000.0), swing * overtone * 0.16, 0.28);
    // The bar under the tine and the wood of the action.
    let mut thump = Mode::new(30.0 + 0.04 * f0, 0.06 * hard, 0.14);
    let mut before = field(0.0);
    let speed = FS / (core::f64::consts::TAU * 165.0);
    // The hammer leaves after a moment, later when it is soft.
    let mut hammer = Fall::new(1.0, 0.0011 + 0.0016 * (1.0 - hard));
    for (i, x) in out[first..last].iter_mut().enumerate() {
        let y = tine.next_sample() + bell.next_sample() + chime.next_sample();
        let y = y * (1.0 - hammer.next_level());
        let now = field(y);
        let late = (first + i).saturating_sub(release) as f64 / (DAMPER_S * FS);
        let damped = (1.0 - late).max(0.0).powi(2);
        *x += (((now - before) * speed + thump.next_sample()) * damped) as f32;
        before = now;
    }
}

/// What passes through the pickup when the tine is `y` from where it rests.
#[inline]
fn field(y: f64) -> f64 {
    let off = y + OFFSET;
    1.0 / (1.0 + off * off)
}
