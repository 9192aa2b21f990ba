//! Monitor checks: the mix as it would sound elsewhere. For the ear alone: they work
//! behind the meters and never reach a print.
//!
//! The small systems are described by where they stop playing (published frequency
//! ranges of the kinds of device, rounded), not by any one product's response.

use crate::filter::SvfChain;
use crate::filter::analog::{self, AnalogSection, Side};
use crate::filter::matched::matched;
use crate::signal::{BLOCK, Frame, StereoBlock};

/// Time of the crossfade from one check to another, in blocks: 21 ms at 48 kHz.
const FADE_BLOCKS: u32 = 8;

/// What the mix is checked on.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub enum Check {
    /// As it is.
    #[default]
    Studio,
    /// One small speaker: nothing under 180 Hz, little above 12 kHz.
    SmallSpeaker,
    /// A telephone: 300 Hz to 3.4 kHz (ITU-T G.712).
    Phone,
    /// A car: lows raised by the cabin, lower mids masked by the road.
    Car,
    /// Both sides as one.
    Mono,
    /// Only what differs between the sides.
    Side,
    /// The left side on both.
    Left,
    /// The right side on both.
    Right,
}

impl Check {
    /// All checks with their name in messages and on the page.
    pub const ALL: [(Self, &'static str, &'static str); 8] = [
        (Self::Studio, "studio", "full range"),
        (Self::SmallSpeaker, "small-speaker", "small speaker"),
        (Self::Phone, "phone", "phone"),
        (Self::Car, "car", "car"),
        (Self::Mono, "mono", "mono"),
        (Self::Side, "side", "side only"),
        (Self::Left, "left", "left"),
        (Self::Right, "right", "right"),
    ];

    /// Gains from left and right to the left output, and to the right one.
    fn matrix(self) -> [[f32; 2]; 2] {
        match self {
            Self::Studio | Self::Car => [[1.0, 0.0], [0.0, 1.0]],
            Self::SmallSpeaker | Self::Phone | Self::Mono => [[0.5, 0.5]; 2],
            Self::Side => [[0.5, -0.5]; 2],
            Self::Left => [[1.0, 0.0]; 2],
            Self::Right => [[0.0, 1.0]; 2],
        }
    }

    fn sections(self) -> Vec<AnalogSection> {
        let cut = |side, hz, order| analog::cut(side, hz, order).collect::<Vec<_>>();
        match self {
            Self::SmallSpeaker => [cut(Side::Low, 180.0, 4), cut(Side::High, 12_000.0, 2)].concat(),
            Self::Phone => [cut(Side::Low, 300.0, 6), cut(Side::High, 3400.0, 6)].concat(),
            Self::Car => {
                [vec![analog::bell(75.0, 7.0, 0.9), analog::bell(350.0, -4.0, 0.7)], cut(Side::High, 14_000.0, 2)]
                    .concat()
            }
            _ => Vec::new(),
        }
    }
}

/// One check at work.
struct Running {
    check: Check,
    sections: SvfChain,
}

impl Running {
    fn new(check: Check, rate: f64) -> Self {
        let designs: Vec<_> = check.sections().iter().map(|a| matched(a, rate)).collect();
        Self { check, sections: SvfChain::at_rest(&designs, rate, 0.01) }
    }

    fn process(&mut self, block: &mut StereoBlock) {
        if self.check == Check::Studio {
            return;
        }
        let [to_left, to_right] = self.check.matrix();
        let mut frames = [[0.0; 2]; BLOCK];
        for (i, frame) in frames.iter_mut().enumerate() {
            let (l, r) = (block.left[i], block.right[i]);
            let mixed: Frame =
                [f64::from(to_left[0] * l + to_left[1] * r), f64::from(to_right[0] * l + to_right[1] * r)];
            *frame = mixed;
        }
        self.sections.process(&mut frames);
        block.set_frames(&frames);
    }
}

/// The monitor path: a check, and the crossfade from the one before.
pub struct Monitor {
    rate: f64,
    now: Running,
    before: Option<(Running, u32)>,
}

impl Monitor {
    /// On the studio monitors.
    #[must_use]
    pub fn new(rate: f64) -> Self {
        Self { rate, now: Running::new(Check::Studio, rate), before: None }
    }

    /// Changes over to a check.
    pub fn set(&mut self, check: Check) {
        if check != self.now.check {
            let old = std::mem::replace(&mut self.now, Running::new(check, self.rate));
            self.before = Some((old, FADE_BLOCKS));
        }
    }

    /// Works on one block in place.
    pub fn process(&mut self, block: &mut StereoBlock) {
        let Some((before, left)) = &mut self.before else {
            self.now.process(block);
            return;
        };
        let mut old = block.clone();
        before.process(&mut old);
        self.now.process(block);
        for i in 0..BLOCK {
            let share = (*left as f32 - (i + 1) as f32 / BLOCK as f32) / FADE_BLOCKS as f32;
            block.left[i] += (old.left[i] - block.left[i]) * share;
            block.right[i] += (old.right[i] - block.right[i]) * share;
        }
        *left -= 1;
        if *left == 0 {
            self.before = None;
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::signal::math::{TAU, sin};

    /// Amplitude of a steady tone of amplitude 1 after a check, tones out of phase by
    /// a quarter turn between the sides.
    fn gain_db(check: Check, hz: f64, sides: [f64; 2]) -> f64 {
        let mut monitor = Monitor::new(48_000.0);
        monitor.set(check);
        let mut power = 0.0;
        // The last 75 blocks are 0.2 s: whole periods of every tone used here.
        for n in 0..175 {
            let mut block = StereoBlock::SILENT;
            for i in 0..BLOCK {
                let x = sin(TAU * hz * (n * BLOCK + i) as f64 / 48_000.0);
                block.set_frame(i, [sides[0] * x, sides[1] * x]);
            }
            monitor.process(&mut block);
            if n >= 100 {
                power += block.left.iter().map(|x| f64::from(*x).powi(2)).sum::<f64>();
            }
        }
        10.0 * (2.0 * power / (75 * BLOCK) as f64 + 1e-20).log10()
    }

    #[test]
    fn small_systems_play_what_they_can_and_no_more() {
        let both = [1.0, 1.0];
        assert!(gain_db(Check::Studio, 50.0, both).abs() < 0.01);
        assert!(gain_db(Check::SmallSpeaker, 1000.0, both).abs() < 0.2);
        assert!(gain_db(Check::SmallSpeaker, 60.0, both) < -35.0);
        assert!(gain_db(Check::Phone, 1000.0, both).abs() < 0.2);
        assert!(gain_db(Check::Phone, 100.0, both) < -50.0 && gain_db(Check::Phone, 9000.0, both) < -45.0);
        assert!(gain_db(Check::Car, 75.0, both) > 5.0);
    }

    #[test]
    fn sides_are_summed_subtracted_or_chosen() {
        assert!(gain_db(Check::Mono, 1000.0, [1.0, -1.0]) < -120.0);
        assert!(gain_db(Check::Side, 1000.0, [1.0, 1.0]) < -120.0);
        assert!(gain_db(Check::Side, 1000.0, [1.0, -1.0]).abs() < 0.01);
        assert!((gain_db(Check::Left, 1000.0, [0.5, 1.0]) + 6.02).abs() < 0.01);
        assert!(gain_db(Check::Right, 1000.0, [0.5, 1.0]).abs() < 0.01);
    }

    #[test]
    fn a_change_of_check_makes_no_step() {
        let mut monitor = Monitor::new(48_000.0);
        let (mut last, mut worst) = (0.0f32, 0.0f32);
        for n in 0..300 {
            if n % 20 == 10 {
                monitor.set(Check::ALL[(n / 20) % Check::ALL.len()].0);
            }
            let mut block = StereoBlock::SILENT;
            for i in 0..BLOCK {
                let x = sin(TAU * 500.0 * (n * BLOCK + i) as f64 / 48_000.0);
                block.set_frame(i, [x, x]);
            }
            monitor.process(&mut block);
            for x in block.left {
                worst = worst.max((x - last).abs());
                last = x;
            }
        }
        // The tone itself steps by 0.0654.
        assert!(worst < 0.085, "largest step {worst}");
    }
}
