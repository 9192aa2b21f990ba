//! `surgical-eq`: up to 24 bands that follow the analog curve to the top.
//!
//! Each band is a chain of matched sections; what all of them together still
//! miss near half the sample rate is taken out by one short minimum-phase FIR
//! (see [`crate::filter::correction`]). Measured over bells, shelves and cuts at
//! 44.1 to 96 kHz: within 0.05 dB of the analog curve up to 18 kHz. No latency.
//!
//! [`table`] holds the parameters, [`design`] what they mean, [`group`] runs the bands of
//! one part of the stereo image, [`dynamic`] those whose gain moves, [`listen`] says how the
//! region of one is heard alone.

mod design;
mod dynamic;
mod group;
mod listen;
mod table;

use design::{BandDesign, BandSpec, Design, gains_of};
use dynamic::Motion;
use group::Group;
pub use table::MAX_BANDS;

use super::catalogue::{Picture, Rows, UnitKind};
use super::processor::Processor;
use super::settings::{Record, Settings};
use crate::dynamics::AutoLevel;
use crate::filter::LinearPhase;
use crate::filter::linear_phase;
use crate::signal::place::Place;
use crate::signal::{BLOCK, Frame, StereoBlock};

/// The catalogue entry.
pub const KIND: UnitKind = UnitKind {
    id: "surgical-eq",
    name: "Surgical EQ",
    about: "Cuts faults out and leaves the rest alone; as narrow or as broad as needed.",
    picture: Picture::Response,
    params: table::PARAMS,
    lists: &[Rows { id: "bands", label: "band", params: table::BAND, max: MAX_BANDS }],
    build: |settings, rate| Box::new(SurgicalEq::new(settings, rate)),
    response: design::response,
    bend: None,
    takes_key: true,
    renewed_by: &["phase"],
    listen: Some(listen::to),
};

/// The running equaliser.
struct SurgicalEq {
    rate: f64,
    rows: Vec<Record>,
    amount: f64,
    bands: Vec<BandDesign>,
    /// By place, made when first needed; stereo first.
    groups: [Option<Box<Group>>; Place::ALL.len()],
    /// In linear phase. Which phase it is stays for the life of the unit.
    kernel: Option<Box<LinearPhase>>,
    level: AutoLevel,
    moves: [f32; MAX_BANDS],
}

impl SurgicalEq {
    fn new(settings: &Settings, rate: f64) -> Self {
        let linear = settings.fixed.choice("phase") == "linear";
        let kernel = linear.then(|| Box::new(LinearPhase::new(rate)));
        let mut eq = Self {
            rate,
            rows: Vec::new(),
            amount: 1.0,
            bands: Vec::with_capacity(MAX_BANDS),
            groups: [const { None }; Place::ALL.len()],
            level: AutoLevel::new(rate, kernel.as_ref().map_or(0, |_| linear_phase::latency(rate))),
            kernel,
            moves: [0.0; MAX_BANDS],
        };
        eq.set(settings);
        eq.snap();
        eq
    }

    /// Designs the bands that changed: a drag moves one. Whether any did, or there are none yet.
    fn design(&mut self, settings: &Settings, amount: f64) -> bool {
        let (rate, rows) = (self.rate, settings.rows());
        let mut changed = self.bands.len() != rows.len() || rows.is_empty();
        self.bands.truncate(rows.len());
        for (i, row) in rows.iter().take(MAX_BANDS).enumerate() {
            if self.amount == amount && self.rows.get(i) == Some(row) {
                continue;
            }
            changed = true;
            let band = BandDesign::new(BandSpec::new(row, amount), rate);
            match self.bands.get_mut(i) {
                Some(old) => *old = band,
                None => self.bands.push(band),
            }
        }
        self.rows.clear();
        self.rows.extend_from_slice(rows);
        self.amount = amount;
        changed
    }

    fn set_groups(&mut self, settings: &Settings) {
        let motions: Vec<_> =
            settings.rows().iter().zip(&self.bands).map(|(row, band)| Motion::new(row, &band.spec)).collect();
        for (place, group) in Place::ALL.into_iter().zip(&mut self.groups) {
            let needed = place == Place::Stereo || self.bands.iter().any(|b| b.spec.place == place);
            if group.is_none() && needed {
                *group = Some(Box::new(Group::new(place, self.rate)));
            }
            if let Some(group) = group {
                group.set(&self.bands, &motions, self.amount, self.kernel.is_some());
            }
        }
    }

    fn set_level(&mut self, settings: &Settings) {
        let rate = self.rate;
        let response = |hz: &[f64]| -> Vec<f64> {
            // A kernel and its sections have the same magnitude; the sections are quicker.
            let design = Design::of(&self.bands, false);
            design.response(rate, hz).iter().map(|h| h.norm_sqr()).collect()
        };
        self.level.set(settings.fixed.is_on("auto_level"), response);
    }
}

impl Processor for SurgicalEq {
    fn set(&mut self, settings: &Settings) {
        let changed = self.design(settings, settings.fixed.number("amount"));
        self.set_groups(settings);
        if let Some(kernel) = &mut self.kernel
            && changed
        {
            kernel.set(gains_of(self.bands.iter().filter(|b| !b.spec.moves)));
        }
        self.set_level(settings);
    }

    fn snap(&mut self) {
        self.groups.iter_mut().flatten().for_each(|group| group.snap());
        if let Some(kernel) = &mut self.kernel {
            kernel.snap();
        }
        self.level.snap();
    }

    fn reset(&mut self) {
        self.groups.iter_mut().flatten().for_each(|group| group.reset());
        if let Some(kernel) = &mut self.kernel {
            kernel.reset();
        }
        self.level.reset();
    }

    fn latency(&self) -> usize {
        self.kernel.as_ref().map_or(0, |_| linear_phase::latency(self.rate))
    }

    fn process(&mut self, block: &mut StereoBlock, key: Option<&StereoBlock>) {
        let mut frames: [Frame; BLOCK] = std::array::from_fn(|i| block.frame(i));
        let heard = frames;
        let key = key.map_or(heard, |key| std::array::from_fn(|i| key.frame(i)));
        self.moves = [0.0; MAX_BANDS];
        for group in self.groups.iter_mut().flatten() {
            group.process(&mut frames, &heard, &key);
            group.add_moves(&mut self.moves);
        }
        if let Some(kernel) = &mut self.kernel {
            kernel.process(&mut frames);
        }
        self.level.process(&heard, &mut frames);
        for (i, frame) in frames.iter().enumerate() {
            block.set_frame(i, *frame);
        }
    }

    fn moves(&self) -> &[f32] {
        &self.moves[..self.bands.len()]
    }
}
