//! How a strip's sound enters its rack: level, and which sides.

use crate::session::Strip;
use crate::signal::decibel::db_to_gain;
use crate::signal::{BLOCK, Ramp, StereoBlock};

/// A 2 by 2 matrix of gains that glide: rows are the outputs, columns the inputs.
pub(super) struct InputStage {
    gains: [Ramp; 4],
}

impl InputStage {
    /// At rest on a strip's controls.
    pub(super) fn new(strip: Option<&Strip>, rate: f64) -> Self {
        let gains = strip.map_or([1.0, 0.0, 0.0, 1.0], matrix);
        Self { gains: gains.map(|g| Ramp::new(g, rate)) }
    }

    pub(super) fn glide_to(&mut self, strip: &Strip) {
        for (ramp, gain) in self.gains.iter_mut().zip(matrix(strip)) {
            ramp.glide_to(gain);
        }
    }

    pub(super) fn snap(&mut self) {
        self.gains.iter_mut().for_each(Ramp::snap);
    }

    fn passes_unchanged(&self) -> bool {
        let unity = [1.0, 0.0, 0.0, 1.0];
        self.gains.iter().zip(unity).all(|(ramp, gain)| ramp.at_rest() && ramp.value() == gain)
    }

    pub(super) fn process(&mut self, block: &mut StereoBlock) {
        if self.passes_unchanged() {
            return;
        }
        for i in 0..BLOCK {
            let [ll, lr, rl, rr] = self.gains.each_mut().map(|r| r.next_value() as f32);
            let (l, r) = (block.left[i], block.right[i]);
            block.left[i] = ll * l + lr * r;
            block.right[i] = rl * l + rr * r;
        }
    }
}

fn matrix(strip: &Strip) -> [f64; 4] {
    let sides = match strip.controls.choice("image") {
        "mono" => [0.5, 0.5, 0.5, 0.5],
        "left" => [1.0, 0.0, 1.0, 0.0],
        "right" => [0.0, 1.0, 0.0, 1.0],
        "swapped" => [0.0, 1.0, 1.0, 0.0],
        _ => [1.0, 0.0, 0.0, 1.0],
    };
    let level = db_to_gain(strip.controls.number("input_db"));
    sides.map(|gain| gain * level)
}
