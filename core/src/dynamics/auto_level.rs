//! A gain that gives back the loudness something has taken or added.
//!
//! The K-weighted energy (ITU-R BS.1770-4) before and after is averaged over the last
//! seconds of sound; the gain is the root of their ratio. After a change the average starts
//! anew from what the new curve would do to pink noise, and is short at first, so that the
//! loudness is about right at once and right within a second. A part that goes to and fro
//! between unlike sounds (palm mutes, open chords) would be followed late every time, so what
//! was given too much or too little is kept as a debt and paid back within the next second,
//! by no more than a decibel and a half. It moves slowly enough never to be heard as movement,
//! and not at all in silence.

use crate::filter::KWeighting;
use crate::signal::math::pow;
use crate::signal::ramp::Ramp;
use crate::signal::{BLOCK, Frame};

/// Seconds of sound averaged in the long run.
const MEMORY_S: f64 = 3.0;
/// Seconds in which a debt of energy is paid back.
const REPAY_S: f64 = 1.25;
/// Most power by which the gain leaves the ratio of the averages to pay: 1.5 dB.
const MOST_REPAID: f64 = 1.41;
/// Seconds after which a debt is forgotten.
const FORGIVE_S: f64 = 30.0;
/// Seconds that what was known before a change counts as.
const AFTER_CHANGE_S: f64 = 0.2;
/// Blocks as loud as the first that the guess from pink noise counts as.
const FIRST_BLOCKS: f64 = 8.0;
/// Mean square per frame under which a block is silence and teaches nothing: about -60 LUFS.
const SILENCE: f64 = 1e-6;
/// Most gain either way: 36 dB, as a power.
const MOST: f64 = 4000.0;
/// Frequencies at which pink noise is weighed: a dozen to a decade from 20 Hz.
const PINK_POINTS: usize = 36;

/// Seconds of sound averaged for what flattens: a part that is soft for a verse shall come out
/// soft, and not be brought up to where the flattening has it.
const LONG_MEMORY_S: f64 = 30.0;

/// The running gain.
#[derive(Clone)]
pub struct AutoLevel {
    rate: f64,
    memory_s: f64,
    most_repaid: f64,
    on: bool,
    before: KWeighting,
    after: KWeighting,
    /// Energies before, one a block, that wait for their sound to come out.
    waiting: Vec<f64>,
    next: usize,
    /// Averages of the energy before and after, and how many blocks they stand for.
    energy: [f64; 2],
    blocks: f64,
    /// Energy, in blocks of it, that came in and was not yet given out.
    debt: f64,
    /// Power over which the curve lifts pink noise.
    pink: f64,
    gain: Ramp,
}

impl AutoLevel {
    /// At rest for something that delays by `latency` frames.
    #[must_use]
    pub fn new(rate: f64, latency: usize) -> Self {
        Self::with_memory(rate, latency, MEMORY_S, MOST_REPAID)
    }

    /// At rest for something that also flattens: averaged over so long that what it does from
    /// note to note and from phrase to phrase stays.
    #[must_use]
    pub fn of_flattened(rate: f64, latency: usize) -> Self {
        Self::with_memory(rate, latency, LONG_MEMORY_S, 1.0)
    }

    fn with_memory(rate: f64, latency: usize, memory_s: f64, most_repaid: f64) -> Self {
        let mut level = Self {
            rate,
            memory_s,
            most_repaid,
            on: false,
            before: KWeighting::new(rate),
            after: KWeighting::new(rate),
            waiting: vec![0.0; latency.div_ceil(BLOCK)],
            next: 0,
            energy: [0.0; 2],
            blocks: 0.0,
            debt: 0.0,
            pink: 1.0,
            gain: Ramp::new(1.0, rate),
        };
        level.reset();
        level
    }

    /// Switches it; `response` gives the power gain of the curve at a frequency in Hz.
    pub fn set(&mut self, on: bool, response: impl Fn(f64) -> f64) {
        let lifted = if on { lifted_pink(self.rate, response) } else { self.pink };
        self.expect(on, lifted);
    }

    /// Switches it; `lifted` is the power by which the curve is known to lift pink noise.
    pub fn expect(&mut self, on: bool, lifted: f64) {
        self.on = on;
        if !on {
            self.gain.glide_to(1.0);
            return;
        }
        if lifted != self.pink {
            self.energy[1] *= lifted / self.pink;
            self.listen_anew();
            self.pink = lifted;
        }
        self.gain.glide_to(self.wanted());
    }

    /// What was heard until now counts little beside what comes: the curve is another one.
    pub fn listen_anew(&mut self) {
        self.blocks = self.blocks.min(self.blocks_in(AFTER_CHANGE_S));
        self.debt = 0.0;
    }

    /// Ends its glide where that is to be at once (0 s); else it goes on as what it hears says.
    pub fn arrive(&mut self, within_s: f64) {
        if within_s <= 0.0 {
            self.gain.snap();
        }
    }

    /// Forgets the past.
    pub fn reset(&mut self) {
        self.before.reset();
        self.after.reset();
        self.waiting.fill(0.0);
        self.energy = [1.0, self.pink];
        self.blocks = 0.0;
        self.debt = 0.0;
        self.gain.snap_to(if self.on { self.wanted() } else { 1.0 });
    }

    fn wanted(&self) -> f64 {
        let owed = 1.0 + self.debt / (self.energy[0].max(SILENCE) * self.blocks_in(REPAY_S));
        let repaying = owed.clamp(1.0 / self.most_repaid, self.most_repaid);
        (self.energy[0] / self.energy[1] * repaying).clamp(1.0 / MOST, MOST).sqrt()
    }

    fn blocks_in(&self, seconds: f64) -> f64 {
        seconds * self.rate / BLOCK as f64
    }

    /// Levels `after` in place.
    pub fn process(&mut self, before: &[Frame; BLOCK], after: &mut [Frame; BLOCK]) {
        if !self.on && self.gain.at_rest() {
            return;
        }
        if self.on {
            self.learn(before, after);
            self.gain.glide_to(self.wanted());
        }
        for frame in after {
            let gain = self.gain.next_value();
            *frame = [frame[0] * gain, frame[1] * gain];
        }
    }

    fn learn(&mut self, before: &[Frame; BLOCK], after: &[Frame; BLOCK]) {
        let mut came_in = energy(&mut self.before, before);
        let came_out = energy(&mut self.after, after);
        if !self.waiting.is_empty() {
            came_in = std::mem::replace(&mut self.waiting[self.next], came_in);
            self.next = (self.next + 1) % self.waiting.len();
        }
        if came_in.max(came_out) < SILENCE * BLOCK as f64 {
            return;
        }
        if self.blocks == 0.0 {
            self.energy = [came_in, came_in * self.pink];
            self.blocks = FIRST_BLOCKS;
        }
        self.blocks = (self.blocks + 1.0).min(self.blocks_in(self.memory_s));
        let given = came_out * self.gain.value() * self.gain.value();
        self.debt = (self.debt + came_in - given) * (1.0 - 1.0 / self.blocks_in(FORGIVE_S));
        for (average, new) in self.energy.iter_mut().zip([came_in, came_out]) {
            *average += (new - *average) / self.blocks;
        }
    }
}

/// K-weighted power by which a curve lifts pink noise.
fn lifted_pink(rate: f64, response: impl Fn(f64) -> f64) -> f64 {
    let heard = (0..PINK_POINTS).map(|i| 20.0 * pow(10.0, i as f64 / 12.0)).map(|hz| {
        let weight = KWeighting::power_at(hz, rate);
        (weight, weight * response(hz))
    });
    let (whole, lifted) = heard.fold((0.0, 0.0), |(w, l), (k, h)| (w + k, l + h));
    lifted / whole
}

fn energy(weighting: &mut KWeighting, frames: &[Frame; BLOCK]) -> f64 {
    let mut weighted = *frames;
    weighting.process(&mut weighted);
    weighted.iter().map(|[l, r]| l * l + r * r).sum()
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::signal::noise::white;

    /// Gain in dB that it has arrived at, each second, behind something that changes the level so.
    fn arrives(level: &mut AutoLevel, seconds: usize, by: impl Fn(usize) -> f64) -> Vec<f64> {
        let mut gains = Vec::new();
        for block in 0..seconds * 375 {
            let before: [Frame; BLOCK] = std::array::from_fn(|i| [0.1 * white(block * BLOCK + i); 2]);
            let mut after = before.map(|frame| frame.map(|x| x * by(block * BLOCK)));
            level.process(&before, &mut after);
            if block % 375 == 374 {
                gains.push(20.0 * level.gain.value().log10());
            }
        }
        gains
    }

    #[test]
    fn what_is_taken_of_the_level_is_given_back_and_what_is_added_taken() {
        for by in [0.25f64, 0.5, 2.0, 4.0] {
            let mut level = AutoLevel::new(48_000.0, 0);
            level.set(true, |_| 1.0);
            let wanted = -20.0 * by.log10();
            let found = *arrives(&mut level, 12, |_| by).last().unwrap();
            assert!((found - wanted).abs() < 0.05, "{found:.2} dB, wanted {wanted:.2}");
        }
    }

    #[test]
    fn it_gives_no_more_than_36_decibels_and_nothing_while_it_is_off() {
        let mut level = AutoLevel::new(48_000.0, 0);
        level.set(true, |_| 1.0);
        let found = *arrives(&mut level, 30, |_| 0.002).last().unwrap();
        assert!((found - 36.02).abs() < 0.02, "{found:.2} dB");
        let mut off = AutoLevel::new(48_000.0, 0);
        assert_eq!(arrives(&mut off, 2, |_| 0.5), [0.0; 2]);
    }

    #[test]
    fn behind_what_flattens_it_remembers_ten_times_as_long() {
        // The level steps down by 6 dB after it has known another for a minute: by the exponential mean over 3 s or
        // 30 s the power that came out is half known after 0.69 of either.
        let after = |mut level: AutoLevel, seconds: usize| {
            level.set(true, |_| 1.0);
            let step = 60 * 48_000;
            let gains = arrives(&mut level, 60 + seconds, |n| if n < step { 1.0 } else { 0.5 });
            gains[59 + seconds]
        };
        // 10 log10(1 / (1 - (1 - 0.25) (1 - exp(-t / T)))).
        let wanted = |t: f64, memory: f64| -10.0 * (1.0 - 0.75 * (1.0 - (-t / memory).exp())).log10();
        let long = after(AutoLevel::of_flattened(48_000.0, 0), 15);
        assert!((long - wanted(15.0, 30.0)).abs() < 0.05, "{long:.2} dB");
        let short = after(AutoLevel::new(48_000.0, 0), 2);
        // Beside the mean it pays back what it owes, by up to 1.5 dB.
        assert!(short > wanted(2.0, 3.0) - 0.05 && short < wanted(2.0, 3.0) + 1.55, "{short:.2} dB");
    }
}
