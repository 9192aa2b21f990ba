//! What is known of a unit in its place, and of a whole rack, without running it: its kind's
//! facts with its switch, mix, trim and place taken in.

use super::spec::{RackSpec, UnitSpec};
use crate::signal::decibel::{db_to_gain, gain_to_db};
use crate::signal::math::Complex;
use crate::signal::place::Place;
use crate::unit::{SoundId, Sounds, Tail};

impl UnitSpec {
    /// Whether it is switched on.
    #[must_use]
    pub fn is_on(&self) -> bool {
        self.common.is_on("on")
    }

    /// The sounds it names that are missing, or not supplied yet.
    pub fn missing_sounds(&self) -> impl Iterator<Item = SoundId> {
        self.settings.fixed.sounds().filter(|named| named.sound.is_none()).map(|named| named.id)
    }

    /// Whether it does anything: it is switched on, and every sound it names is there. Else its
    /// input passes through.
    #[must_use]
    pub fn works(&self) -> bool {
        self.is_on() && self.missing_sounds().next().is_none()
    }

    /// The part of the stereo image it works on.
    #[must_use]
    pub fn place(&self) -> Place {
        Place::from_id(self.common.choice("place"))
    }

    /// Frames by which it delays, switched on or off.
    #[must_use]
    pub fn latency(&self, rate: f64) -> usize {
        (self.kind.latency)(&self.settings, rate)
    }

    /// How long it goes on sounding after its input has stopped.
    #[must_use]
    pub fn tail(&self, rate: f64) -> Tail {
        if self.works() { (self.kind.tail)(&self.settings, rate) } else { Tail::NONE }
    }

    /// Whether loud and soft, before and after, are treated alike.
    #[must_use]
    pub fn is_linear(&self) -> bool {
        !self.works() || (self.kind.linear)(&self.settings)
    }

    /// Complex response of the part it works on, at frequencies in Hz, its latency taken out:
    /// the aligned dry share and the trim counted in.
    #[must_use]
    pub fn response(&self, rate: f64, freqs: &[f64]) -> Vec<Complex> {
        if !self.works() {
            return vec![Complex::ONE; freqs.len()];
        }
        let (mix, trim) = (self.common.number("mix"), db_to_gain(self.common.number("trim_db")));
        let dry = Complex::ONE.scale(1.0 - mix);
        let own = (self.kind.response)(&self.settings, rate, freqs);
        own.into_iter().map(|h| h.scale(mix).plus(dry).scale(trim)).collect()
    }

    /// The same of what a sound in the middle keeps in the middle: nothing of it is worked on
    /// by a unit on the side, half of it by one on the left or the right.
    #[must_use]
    pub fn response_in_the_middle(&self, rate: f64, freqs: &[f64]) -> Vec<Complex> {
        let share = match self.place() {
            Place::Stereo | Place::Mid => 1.0,
            Place::Left | Place::Right => 0.5,
            Place::Side => 0.0,
        };
        let trim = if self.works() { db_to_gain(self.common.number("trim_db")) } else { 1.0 };
        let past = Complex::ONE.scale(trim * (1.0 - share));
        self.response(rate, freqs).into_iter().map(|h| h.scale(share).plus(past)).collect()
    }

    /// Steady output level in dB of the part it works on for a steady input level in dB, dry
    /// share and trim counted in; none for a kind without a static curve.
    #[must_use]
    pub fn transfer(&self, in_db: f64) -> Option<f64> {
        let own = (self.kind.transfer?)(&self.settings, in_db);
        if !self.works() {
            return Some(in_db);
        }
        let mix = self.common.number("mix");
        let blended = db_to_gain(own) * mix + db_to_gain(in_db) * (1.0 - mix);
        Some(gain_to_db(blended) + self.common.number("trim_db"))
    }
}

impl RackSpec {
    /// Gives its units what they name of these sounds.
    pub fn supply(&mut self, sounds: &Sounds) {
        self.units.iter_mut().for_each(|unit| unit.settings.fixed.supply(sounds));
    }

    /// The sounds its units name, supplied or not.
    pub fn sounds(&self) -> impl Iterator<Item = SoundId> {
        self.units.iter().flat_map(|unit| unit.settings.fixed.sounds()).map(|named| named.id)
    }

    /// Frames by which the whole row delays.
    #[must_use]
    pub fn latency(&self, rate: f64) -> usize {
        self.units.iter().map(|unit| unit.latency(rate)).sum()
    }

    /// How long the whole row goes on sounding after its input has stopped.
    #[must_use]
    pub fn tail(&self, rate: f64) -> Tail {
        self.units.iter().fold(Tail::NONE, |tail, unit| tail.then(unit.tail(rate)))
    }

    /// Complex response of the row at rest at frequencies in Hz, its latency taken out: what a
    /// sound in the middle keeps in the middle.
    #[must_use]
    pub fn response(&self, rate: f64, freqs: &[f64]) -> Vec<Complex> {
        let mut total = vec![Complex::ONE; freqs.len()];
        for unit in &self.units {
            let own = unit.response_in_the_middle(rate, freqs);
            total.iter_mut().zip(own).for_each(|(t, h)| *t = t.times(h));
        }
        total
    }
}
