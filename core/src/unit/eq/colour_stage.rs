//! A stage that colours: characters blended at twice the rate, as loud as it came in, and passed by exactly where
//! nothing of it is wanted.
//!
//! In linear phase, so that it is late by whole frames, which it states: mixed with the untouched sound, on a send or
//! beside a copy, nothing cancels. In minimum delay the top came later than the lows, by up to half a period at 6 kHz:
//! a mix of one half lost 19 dB there.

use crate::colour::Character;
use crate::colour::bend::{Straighten, mean};
use crate::colour::character::CONSTANT_HZ;
use crate::dynamics::AutoLevel;
use crate::filter::{FirstOrder, first_order};
use crate::signal::decibel::db_to_gain;
use crate::signal::math::{Complex, TAU};
use crate::signal::oversample::{self, Oversampler};
use crate::signal::{BLOCK, Frame, FrameDelay, Ramp};
use crate::unit::kind::TAIL_DB;

/// Times the rate at which waves are bent.
const FACTOR: usize = 2;

/// How much of each character, how hard it is driven, and how much of the whole is coloured.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Colour<const N: usize> {
    /// Shares of the characters, which add up to 1.
    pub shares: [f64; N],
    /// Drive of all of them in dB; what bends it gets back in level.
    pub drive_db: f64,
    /// Share of the coloured sound, 0 or 1 at rest.
    pub on: f64,
}

/// The running stage of `N` characters.
#[derive(Clone)]
pub struct ColourStage<const N: usize> {
    held: bool,
    over: Oversampler,
    characters: [Character; N],
    shares: [Ramp; N],
    drive: Ramp,
    on: Ramp,
    /// What passes by, as late as what is coloured.
    beside: FrameDelay,
    /// Blocks until what is coloured has come through, since it was last at rest.
    coming: usize,
    last: Frame,
    straight: Straighten,
    constant: FirstOrder,
    level: AutoLevel,
}

impl<const N: usize> ColourStage<N> {
    /// At rest, of the characters by their names; `held` says whether its level is given back, which a
    /// stage that adds next to nothing does without.
    pub fn new(names: [&'static str; N], colour: &Colour<N>, held: bool, rate: f64) -> Self {
        let high = FACTOR as f64 * rate;
        let mut stage = Self {
            held,
            over: Oversampler::new(FACTOR, rate),
            characters: names.map(|name| Character::new(name, high)),
            shares: colour.shares.map(|share| Ramp::new(share, high)),
            drive: Ramp::new(db_to_gain(colour.drive_db), high),
            on: Ramp::new(colour.on, rate),
            beside: FrameDelay::new(latency(rate)),
            coming: 0,
            last: [0.0; 2],
            straight: Straighten::default(),
            constant: FirstOrder::high_pass(CONSTANT_HZ, rate),
            level: AutoLevel::of_flattened(rate, latency(rate)),
        };
        stage.reset();
        stage
    }

    /// Glides to another colour.
    pub fn glide_to(&mut self, colour: &Colour<N>) {
        if self.is_off() && colour.on > 0.0 {
            self.reset_colour();
            self.coming = (2 * self.beside.frames()).div_ceil(BLOCK);
        }
        for ((ramp, character), share) in self.shares.iter_mut().zip(&mut self.characters).zip(colour.shares) {
            // What had no share was not worked out.
            if is_nothing(ramp) {
                character.reset();
            }
            ramp.glide_to(share);
        }
        self.drive.glide_to(db_to_gain(colour.drive_db));
        self.on.glide_to(colour.on);
    }

    fn is_off(&self) -> bool {
        is_nothing(&self.on)
    }

    /// Its moves end within so many seconds; 0 is at once.
    pub fn arrive(&mut self, within_s: f64) {
        self.shares.iter_mut().for_each(|x| x.arrive(within_s));
        self.drive.arrive(within_s);
        self.on.arrive(within_s);
        self.level.arrive(within_s);
        if within_s <= 0.0 {
            self.coming = 0;
        }
    }

    /// Forgets the past.
    pub fn reset(&mut self) {
        self.beside.reset();
        self.reset_colour();
    }

    fn reset_colour(&mut self) {
        self.over.reset();
        self.characters.iter_mut().for_each(|character| character.reset());
        self.last = [0.0; 2];
        self.straight = Straighten::default();
        self.constant.reset();
        self.level.set(self.held, |_| 1.0);
        self.level.reset();
    }

    /// Works on a block in place.
    pub fn process(&mut self, frames: &mut [Frame; BLOCK]) {
        let came = *frames;
        self.beside.process(frames);
        if self.is_off() {
            return;
        }
        let before = *frames;
        *frames = came;
        let Self { over, characters, shares, drive, last, straight, .. } = self;
        over.process(frames, |high| {
            let mut drives = [0.0; FACTOR * BLOCK];
            drives.iter_mut().for_each(|value| *value = drive.next_value());
            let mut dry = [[0.0; 2]; FACTOR * BLOCK];
            for (dry, frame) in dry.iter_mut().zip(high.iter()) {
                *dry = mean(*last, *frame);
                *last = *frame;
            }
            let mut came = [[0.0; 2]; FACTOR * BLOCK];
            came.copy_from_slice(high);
            high.copy_from_slice(&dry);
            for (character, share) in
                characters.iter_mut().zip(shares.iter_mut()).filter(|(_, share)| !is_nothing(share))
            {
                let mut bent = came;
                character.process(&mut bent, |at| [drives[at], 0.0]);
                character.flush();
                for ((out, bent), dry) in high.iter_mut().zip(&bent).zip(&dry) {
                    let share = share.next_value();
                    *out = [0, 1].map(|k| out[k] + share * (bent[k] - dry[k]));
                }
            }
            straight.process(high);
        });
        for frame in frames.iter_mut() {
            *frame = self.constant.next(*frame);
        }
        self.constant.flush();
        self.level.process(&came, frames);
        if self.coming > 0 {
            self.coming -= 1;
            *frames = before;
            return;
        }
        for (frame, dry) in frames.iter_mut().zip(&before) {
            let on = self.on.next_value();
            *frame = [0, 1].map(|k| dry[k] + on * (frame[k] - dry[k]));
        }
    }
}

/// Whether a share is 0 and stays so.
fn is_nothing(share: &Ramp) -> bool {
    share.at_rest() && share.value() == 0.0
}

/// Frames by which it is late, at work or not.
pub fn latency(rate: f64) -> usize {
    oversample::latency(FACTOR, rate)
}

/// Frames it goes on sounding: until its capacitor is empty, and what rings on the way up and down.
pub fn tail(rate: f64) -> usize {
    first_order::decay(CONSTANT_HZ, -TAIL_DB, rate) + 2 * latency(rate) + BLOCK
}

/// What it does to a soft sound at each of the frequencies in Hz.
pub fn response(rate: f64, freqs: &[f64]) -> impl Iterator<Item = Complex> {
    let constant = FirstOrder::high_pass(CONSTANT_HZ, rate);
    freqs.iter().map(move |hz| constant.response(TAU * hz / rate))
}
