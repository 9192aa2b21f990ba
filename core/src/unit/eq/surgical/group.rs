//! The bands that work on one part of the stereo image.

use super::design::{BandDesign, taps_of};
use super::dynamic::{DynamicBand, Motion};
use super::table::MAX_BANDS;
use crate::filter::SvfChain;
use crate::filter::analog::MAX_SECTIONS;
use crate::filter::correction;
use crate::filter::fir::ShortFir;
use crate::signal::place::Place;
use crate::signal::ramp::GLIDE_S;
use crate::signal::{BLOCK, Frame};

/// A place's bands, running. Each band keeps its number as its slot in every group, so
/// that one which changes its place glides out here while it glides in there.
#[derive(Clone)]
pub struct Group {
    place: Place,
    rate: f64,
    /// [`MAX_SECTIONS`] for each of [`MAX_BANDS`]; unused ones are idle.
    sections: SvfChain,
    fir: ShortFir,
    moving: Vec<Option<DynamicBand>>,
}

impl Group {
    /// A group that does nothing yet.
    pub fn new(place: Place, rate: f64) -> Self {
        Self {
            place,
            rate,
            sections: SvfChain::new(MAX_BANDS * MAX_SECTIONS, rate, GLIDE_S),
            fir: ShortFir::new(correction::identity(), rate, GLIDE_S),
            moving: (0..MAX_BANDS).map(|_| None).collect(),
        }
    }

    /// Gives back the room of bands that have glided out; not while sound runs.
    pub fn free(&mut self) {
        for slot in &mut self.moving {
            if slot.as_ref().is_some_and(DynamicBand::is_gone) {
                *slot = None;
            }
        }
    }

    /// Glides to these bands, of which it takes its own; in linear phase only those that
    /// move.
    pub fn set(&mut self, bands: &[BandDesign], motions: &[Option<Motion>], amount: f64, linear: bool) {
        for slot in 0..MAX_BANDS {
            let own = bands.get(slot).filter(|b| b.spec.place == self.place && (b.spec.moves || !linear));
            let motion = own.and(motions.get(slot).copied().flatten());
            let still = own.filter(|_| motion.is_none()).map_or(&[][..], |b| &b.sections);
            for j in 0..MAX_SECTIONS {
                self.sections.glide_to(slot * MAX_SECTIONS + j, still.get(j).copied());
            }
            match (&mut self.moving[slot], own.zip(motion)) {
                (Some(band), Some((design, motion))) => band.set(design.spec, motion, amount),
                (free @ None, Some((design, motion))) => {
                    *free = Some(DynamicBand::new(design.spec, motion, amount, self.rate));
                }
                (Some(band), None) => band.leave(),
                (None, None) => {}
            }
        }
        self.sections.find_active();
        self.fir.glide_to(taps_of(bands.iter().filter(|b| b.spec.moves || !linear), self.place));
    }

    /// Its moves end within so many seconds; 0 is at once.
    pub fn arrive(&mut self, within_s: f64) {
        self.sections.arrive(within_s);
        self.fir.arrive(within_s);
        self.moving.iter_mut().flatten().for_each(|x| x.arrive(within_s));
    }

    /// Forgets the past.
    pub fn reset(&mut self) {
        self.sections.reset();
        self.fir.reset();
        self.moving.iter_mut().flatten().for_each(DynamicBand::reset);
    }

    /// Works on a block in place. `heard` is the unit's input, `key` its key or the same.
    pub fn process(&mut self, frames: &mut [Frame; BLOCK], heard: &[Frame; BLOCK], key: &[Frame; BLOCK]) {
        if self.place == Place::Stereo {
            self.run(frames, heard, key);
            return;
        }
        let place = self.place;
        let take = |from: &[Frame; BLOCK]| from.map(|frame| place.take(frame));
        let mut part = take(frames);
        self.run(&mut part, &take(heard), &take(key));
        for (frame, worked) in frames.iter_mut().zip(part) {
            *frame = place.put_back(worked, *frame);
        }
    }

    fn run(&mut self, frames: &mut [Frame; BLOCK], heard: &[Frame; BLOCK], key: &[Frame; BLOCK]) {
        self.sections.process(frames);
        for band in self.moving.iter_mut().flatten().filter(|band| !band.is_gone()) {
            band.process(frames, if band.is_keyed() { key } else { heard });
        }
        self.fir.process(frames);
    }

    /// Movement of each band's gain now, added to `moves` in dB.
    pub fn add_moves(&self, moves: &mut [f32]) {
        for (moved, band) in moves.iter_mut().zip(&self.moving) {
            if let Some(band) = band {
                *moved += band.moved_db as f32;
            }
        }
    }
}
