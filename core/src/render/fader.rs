//! Level and pan of a strip, and gains that glide over a block.

use crate::session::Strip;
use crate::session::document::OFF_DB;
use crate::signal::decibel::db_to_gain;
use crate::signal::math::{PI, SQRT_2, cos, sin};
use crate::signal::{BLOCK, Ramp, StereoBlock};

/// A level and pan that glide.
pub(super) struct Fader {
    left: Ramp,
    right: Ramp,
}

impl Fader {
    /// At rest on a strip's controls; unity without one.
    pub(super) fn new(strip: Option<&Strip>, rate: f64) -> Self {
        let [l, r] = strip.map_or([1.0; 2], fader_gains);
        Self { left: Ramp::new(l, rate), right: Ramp::new(r, rate) }
    }

    pub(super) fn glide_to(&mut self, strip: &Strip) {
        let [l, r] = fader_gains(strip);
        self.left.glide_to(l);
        self.right.glide_to(r);
    }

    pub(super) fn snap(&mut self) {
        self.left.snap();
        self.right.snap();
    }

    pub(super) fn process(&mut self, block: &mut StereoBlock) {
        if self.left.at_rest() && self.right.at_rest() && self.left.value() == 1.0 && self.right.value() == 1.0 {
            return;
        }
        for i in 0..BLOCK {
            block.left[i] *= self.left.next_value() as f32;
            block.right[i] *= self.right.next_value() as f32;
        }
    }
}

/// Factor of a strip's fader, both sides taken together: 0 for one that is muted or off.
#[must_use]
pub fn fader_gain(strip: &Strip) -> f64 {
    let [left, right] = fader_gains(strip);
    ((left * left + right * right) / 2.0).sqrt()
}

/// Factors for left and right. Equal power, 0 dB in the centre and +3.01 dB hard to
/// one side, so that an untouched fader changes nothing.
fn fader_gains(strip: &Strip) -> [f64; 2] {
    let c = &strip.controls;
    let level_db = c.number("level_db");
    if c.is_on("muted") || level_db <= OFF_DB {
        return [0.0; 2];
    }
    let (level, pan) = (db_to_gain(level_db), c.number("pan"));
    if pan == 0.0 {
        return [level; 2];
    }
    let angle = PI / 4.0 * (1.0 + pan);
    [level * SQRT_2 * cos(angle), level * SQRT_2 * sin(angle)]
}

/// Multiplies both channels by a gain that may be on its way elsewhere.
pub(super) fn apply_gain(block: &mut StereoBlock, gain: &mut Ramp) {
    if gain.at_rest() && gain.value() == 1.0 {
        return;
    }
    for i in 0..BLOCK {
        let g = gain.next_value() as f32;
        block.left[i] *= g;
        block.right[i] *= g;
    }
}
