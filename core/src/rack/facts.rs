//! What is known of a unit in its place, and of a whole rack, without running it: its kind's
//! facts with its switch, mix, trim and place taken in.

use super::over_time::Shapes;
use super::spec::{COMMON, RackSpec, UnitSpec};
use crate::signal::decibel::{db_to_gain, gain_to_db};
use crate::signal::math::Complex;
use crate::signal::place::Place;
use crate::unit::value::Value;
use crate::unit::{Settings, SoundId, Sounds, Tail};

impl UnitSpec {
    /// Whether it is switched on; never for a kind that this version does not know.
    #[must_use]
    pub fn is_on(&self) -> bool {
        self.kept.kind.is_none() && self.common.is_on("on")
    }

    /// The sounds it names that are missing, or not supplied yet.
    pub fn missing_sounds(&self) -> impl Iterator<Item = SoundId> {
        self.settings.fixed.sounds().filter(|named| named.sound.is_none()).map(|named| named.id)
    }

    /// Label of the value a path names, with its row; the path itself where it names none.
    #[must_use]
    pub fn label(&self, path: &str) -> String {
        let common = COMMON.iter().find(|p| p.id == path);
        let own = self.kind.tables.find(path).and_then(|at| Some((self.kind.tables.param(at)?, at.row)));
        match (common, own) {
            (Some(param), _) | (None, Some((param, None))) => param.label.to_string(),
            (None, Some((param, Some((list, row))))) => {
                format!("{} of {} {}", param.label, self.kind.tables.lists[list].label, row + 1)
            }
            (None, None) => path.to_string(),
        }
    }

    /// The unit as it is in a section: what it has of its own there holds everywhere.
    #[must_use]
    pub fn in_section(&self, section: u32) -> Self {
        let mut unit = self.clone();
        for course in &self.courses.list {
            if let Some(value) = course.here(section) {
                unit.put(&course.param, value);
            }
        }
        unit
    }

    /// Whether it does anything: it is switched on, and every sound it names is there. Else its
    /// input passes through.
    #[must_use]
    pub fn works(&self) -> bool {
        self.is_on() && self.missing_sounds().next().is_none()
    }

    /// Whether it does anything anywhere in the song.
    #[must_use]
    pub fn works_at_all(&self) -> bool {
        let on_somewhere = || self.courses.of("on").is_some_and(|c| c.values().any(|v| *v == Value::On(true)));
        (self.is_on() || on_somewhere()) && self.missing_sounds().next().is_none()
    }

    /// In how many shapes it works over the song: one where nothing of it steps.
    #[must_use]
    pub fn shape_count(&self) -> usize {
        Shapes::of(self).all.len()
    }

    /// Its settings everywhere, and with each of the values it takes in the course of the song; of a
    /// number's with the ends of its way, between which no fact goes beyond both.
    fn settings_over_time(&self) -> Vec<Settings> {
        let mut all: Vec<Settings> = Shapes::of(self).all.into_iter().map(|shape| shape.settings).collect();
        for course in &self.courses.list {
            let Some(at) = self.kind.tables.find(&course.param) else { continue };
            for value in course.ends() {
                let mut settings = self.settings.clone();
                settings.put_value_at(at, value);
                all.push(settings);
            }
        }
        all
    }

    /// The part of the stereo image it works on.
    #[must_use]
    pub fn place(&self) -> Place {
        Place::from_id(self.common.choice("place"))
    }

    /// Frames by which it delays, switched on or off.
    #[must_use]
    pub fn latency(&self, rate: f64) -> usize {
        if self.courses.is_empty() {
            return (self.kind.latency)(&self.settings, rate);
        }
        let shapes = Shapes::of(self).all;
        shapes.iter().map(|shape| (self.kind.latency)(&shape.settings, rate)).max().unwrap_or(0)
    }

    /// How long it goes on sounding after its input has stopped.
    #[must_use]
    pub fn tail(&self, rate: f64) -> Tail {
        if self.courses.is_empty() {
            return if self.works() { (self.kind.tail)(&self.settings, rate) } else { Tail::NONE };
        }
        let tail = |settings: &Settings| (self.kind.tail)(settings, rate);
        let all = self.settings_over_time();
        if self.works_at_all() { all.iter().map(tail).fold(Tail::NONE, Tail::longer) } else { Tail::NONE }
    }

    /// Whether loud and soft, before and after, are treated alike, everywhere in the song.
    #[must_use]
    pub fn is_linear(&self) -> bool {
        !self.works_at_all() || (self.courses.is_empty() && (self.kind.linear)(&self.settings))
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
