//! A band whose gain moves with the level in its own region.
//!
//! The region is picked out of what drives the band (its unit's input, or the unit's key)
//! by two band-passes in a row, together of about its own width and 40 dB down two octaves away
//! at a Q of 4, or by a second-order cut for a shelf. Above the
//! threshold the gain moves by `over (1 - 1/ratio)` dB toward less, or toward more for a
//! ratio below 1, and never past the range; attack and release are those of
//! [`crate::dynamics::Ballistics`]. Every 16 frames the band is designed anew for the gain
//! it then has, if that has moved; in between its coefficients move in a straight line. Only the gain at rest
//! has a share in the correction near half the rate.

use super::design::{BandSpec, Shape};
use crate::dynamics::Ballistics;
use crate::filter::analog::{self, MAX_SECTIONS, Side};
use crate::filter::matched::matched;
use crate::filter::{Svf, SvfDesign};
use crate::signal::decibel::power_to_db;
use crate::signal::ramp::GLIDE_S;
use crate::signal::{BLOCK, Frame};
use crate::unit::settings::{Record, Settings};

/// Frames between two designs; the knot of a moving section.
const KNOT: usize = Svf::KNOT;

/// Movement in dB under which a band is not designed anew; a twentieth of what can be heard
/// side by side.
const STILL_DB: f64 = 0.005;

/// Q of each of two band-passes in a row against that of the band: 0.644 would keep the width at
/// 3 dB down; a little more, and it is 40 dB down two octaves away.
const EACH_Q: f64 = 0.68;

/// Gain in dB at the far end of a band's way, the unit's amount counted; none for one that stands still.
pub fn far_end_db(settings: &Settings, row: usize) -> Option<f64> {
    let (band, amount) = (settings.rows().get(row)?, settings.fixed.number("amount"));
    let spec = BandSpec::new(band, amount);
    let motion = Motion::new(band, &spec)?;
    Some(spec.gain_db - motion.range_db * motion.slope.signum() * amount.signum())
}

/// How a band moves.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Motion {
    threshold_db: f64,
    /// dB of movement for each dB over the threshold; negative is toward more.
    slope: f64,
    range_db: f64,
    attack_ms: f64,
    release_ms: f64,
    /// Whether the unit's key drives it.
    keyed: bool,
}

impl Motion {
    /// Of a row; none for a band that stands still.
    pub fn new(band: &Record, spec: &BandSpec) -> Option<Self> {
        spec.moves.then(|| Self {
            threshold_db: band.number("dynamic.threshold_db"),
            slope: 1.0 - 1.0 / band.number("dynamic.ratio"),
            range_db: band.number("dynamic.range_db"),
            attack_ms: band.number("dynamic.attack_ms"),
            release_ms: band.number("dynamic.release_ms"),
            keyed: band.choice("dynamic.key") == "key",
        })
    }

    /// Size of the movement wanted at a level, dB >= 0.
    fn wanted(&self, level_db: f64) -> f64 {
        ((level_db - self.threshold_db).max(0.0) * self.slope.abs()).min(self.range_db)
    }
}

/// A running dynamic band.
#[derive(Clone)]
pub struct DynamicBand {
    rate: f64,
    spec: BandSpec,
    motion: Motion,
    /// Scales the movement like the gain.
    amount: f64,
    detector: [Svf; 2],
    ballistics: Ballistics,
    sections: Vec<Svf>,
    /// Sections in use by the present shape.
    used: usize,
    /// Knots over which the sections still glide to where the settings put them.
    gliding: u32,
    leaving: bool,
    /// Movement of the gain now, in dB with its sign.
    pub moved_db: f64,
    /// The movement it was last designed for.
    designed_db: f64,
}

impl DynamicBand {
    /// A band that glides in from doing nothing.
    pub fn new(spec: BandSpec, motion: Motion, amount: f64, rate: f64) -> Self {
        let mut band = Self {
            rate,
            spec,
            motion,
            amount,
            detector: region(&spec, rate).map(|design| Svf::new(design, rate, GLIDE_S)),
            ballistics: Ballistics::new(motion.attack_ms, motion.release_ms, rate),
            sections: vec![Svf::new(SvfDesign::IDENTITY, rate, GLIDE_S); MAX_SECTIONS],
            used: 0,
            gliding: 0,
            leaving: false,
            moved_db: 0.0,
            designed_db: 0.0,
        };
        band.set(spec, motion, amount);
        band
    }

    /// Glides to other settings.
    pub fn set(&mut self, spec: BandSpec, motion: Motion, amount: f64) {
        if !self.leaving && self.used > 0 && (self.spec, self.motion, self.amount) == (spec, motion, amount) {
            return;
        }
        let designs = region(&spec, self.rate);
        self.detector.iter_mut().zip(designs).for_each(|(section, design)| section.glide_to(design));
        self.ballistics.set_times(motion.attack_ms, motion.release_ms, self.rate);
        (self.spec, self.motion, self.amount, self.leaving) = (spec, motion, amount, false);
        let mut used = 0;
        spec.sections(spec.gain_db, |_| used += 1);
        self.used = used;
        self.gliding = (GLIDE_S * self.rate) as u32 / KNOT as u32 + 1;
    }

    /// Glides out.
    pub fn leave(&mut self) {
        if !self.leaving {
            self.leaving = true;
            self.gliding = (GLIDE_S * self.rate) as u32 / KNOT as u32 + 1;
        }
    }

    /// Whether the unit's key drives it.
    pub fn is_keyed(&self) -> bool {
        self.motion.keyed
    }

    /// Whether it has glided out.
    pub fn is_gone(&self) -> bool {
        self.leaving && self.gliding == 0
    }

    /// Its glides end within so many seconds; 0 is at once.
    pub fn arrive(&mut self, within_s: f64) {
        if within_s > 0.0 {
            self.detector.iter_mut().for_each(|x| x.arrive(within_s));
            self.gliding = self.gliding.min((within_s * self.rate) as u32 / KNOT as u32);
            return;
        }
        self.ballistics.snap();
        self.detector.iter_mut().for_each(|x| x.arrive(within_s));
        self.design(1);
        self.sections.iter_mut().for_each(|x| x.arrive(within_s));
        self.gliding = 0;
    }

    /// Forgets the past.
    pub fn reset(&mut self) {
        self.ballistics.reset();
        self.detector.iter_mut().for_each(Svf::reset);
        self.moved_db = 0.0;
        self.sections.iter_mut().for_each(Svf::reset);
    }

    /// Filters a block in place; `drive` is what drives the band, at the same frames.
    pub fn process(&mut self, frames: &mut [Frame; BLOCK], drive: &[Frame; BLOCK]) {
        let mut region = *drive;
        self.detector.iter_mut().filter(|s| !s.is_idle()).for_each(|section| section.process(&mut region));
        for (part, heard) in frames.chunks_mut(KNOT).zip(region.chunks(KNOT)) {
            self.move_with(heard);
            if self.gliding > 0 || self.has_moved() {
                self.design(self.gliding.max(1));
            }
            self.gliding = self.gliding.saturating_sub(1);
            for section in self.sections.iter_mut().filter(|s| !s.is_idle()) {
                section.process(part);
            }
        }
        self.ballistics.settle();
    }

    /// Whether the gain is elsewhere than the sections. Rest is always reached exactly.
    fn has_moved(&self) -> bool {
        let by = (self.moved_db - self.designed_db).abs();
        by > STILL_DB || (by > 0.0 && self.moved_db == 0.0)
    }

    fn move_with(&mut self, heard: &[Frame]) {
        let mut size = 0.0;
        for [l, r] in heard {
            let wanted = self.motion.wanted(power_to_db((l * l).max(r * r)));
            size = self.ballistics.next_reduction(wanted);
        }
        // However much of it is wanted: the range is the range.
        let size = (size * self.amount.abs()).min(self.motion.range_db);
        self.moved_db = -size * self.motion.slope.signum() * self.amount.signum();
    }

    /// Lets the sections move over `knots` to where the gain is now.
    fn design(&mut self, knots: u32) {
        self.designed_db = self.moved_db;
        let (sections, rate, leaving) = (&mut self.sections, self.rate, self.leaving);
        let mut at = 0;
        self.spec.sections(self.spec.gain_db + self.moved_db, |analog| {
            let design = matched(&analog, rate);
            sections[at].glide_over(if leaving { design.passing() } else { design }, knots);
            at += 1;
        });
        for section in &mut sections[at..] {
            if !section.is_idle() {
                section.glide_over(section.design().passing(), knots);
            }
        }
    }
}

/// The filters that pick a band's region out of what drives it.
fn region(spec: &BandSpec, rate: f64) -> [SvfDesign; 2] {
    let one = match spec.shape {
        Shape::LowShelf => analog::cut(Side::High, spec.hz, 2).next(),
        Shape::HighShelf | Shape::Tilt => analog::cut(Side::Low, spec.hz, 2).next(),
        _ => None,
    };
    match one {
        Some(section) => [matched(&section, rate), SvfDesign::IDENTITY],
        None => [matched(&analog::band_pass(spec.hz, EACH_Q * spec.q), rate); 2],
    }
}
