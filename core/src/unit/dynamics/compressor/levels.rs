//! How loud each side is: detector, what is seen ahead, hold, and the link of both.

use crate::dynamics::RmsDetector;
use crate::dynamics::peak_hold::{PeakHold, SlidingMax};
use crate::signal::{BLOCK, Frame, Ramp};
use crate::unit::settings::Settings;

/// The running detectors.
#[derive(Clone)]
pub struct Levels {
    rate: f64,
    rms: Option<[RmsDetector; 2]>,
    /// What a peak asks for is held until the delayed sound of it has left.
    ahead: [SlidingMax; 2],
    hold: [PeakHold; 2],
    link: Ramp,
}

impl Levels {
    /// At rest, looking so many frames ahead.
    pub fn new(ahead: usize, rate: f64) -> Self {
        Self {
            rate,
            rms: None,
            ahead: [SlidingMax::new(ahead), SlidingMax::new(ahead)],
            hold: [PeakHold::new(1); 2],
            link: Ramp::new(1.0, rate),
        }
    }

    /// Takes the settings; `by_rms` says which detector it is.
    pub fn take(&mut self, settings: &Settings, by_rms: bool) {
        let (p, rate) = (&settings.fixed, self.rate);
        let window = p.number("rms_ms");
        match (&mut self.rms, by_rms) {
            (Some(pair), true) => pair.iter_mut().for_each(|d| d.set_window(window, rate)),
            (rms, true) => *rms = Some([RmsDetector::new(window, rate); 2]),
            (rms, false) => *rms = None,
        }
        let held = (p.number("hold_ms") / 1000.0 * rate).round() as u32;
        self.hold.iter_mut().for_each(|hold| hold.set_frames(held + 1));
        self.link.glide_to(p.number("link"));
    }

    /// Whether both sides are one.
    pub fn is_linked(&self) -> bool {
        self.link.at_rest() && self.link.value() == 1.0
    }

    /// Its moves end within so many seconds; 0 is at once.
    pub fn arrive(&mut self, within_s: f64) {
        self.link.arrive(within_s);
    }

    /// Forgets the past.
    pub fn reset(&mut self) {
        self.rms.iter_mut().flatten().for_each(RmsDetector::reset);
        self.ahead.iter_mut().for_each(SlidingMax::reset);
        self.hold.iter_mut().for_each(PeakHold::reset);
    }

    /// Powers of both sides at each frame of a key, as linked: of the louder side's power the
    /// link's share counts on the other.
    pub fn powers(&mut self, key: &[Frame; BLOCK]) -> [[f64; BLOCK]; 2] {
        let linked = self.is_linked();
        let mut powers = [[0.0; BLOCK]; 2];
        for (frame, key) in key.iter().enumerate() {
            let own = [0, 1].map(|side| {
                let power = key[side] * key[side];
                let power = self.rms.as_mut().map_or(power, |rms| rms[side].next_power(power));
                self.hold[side].next(self.ahead[side].next(power))
            });
            let louder = own[0].max(own[1]);
            let link = if linked { 1.0 } else { self.link.next_value() };
            for side in 0..2 {
                powers[side][frame] = if linked { louder } else { own[side] + link * (louder - own[side]) };
            }
        }
        self.rms.iter_mut().flatten().for_each(RmsDetector::settle);
        powers
    }
}
