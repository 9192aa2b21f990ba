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

use design::{BandDesign, BandGains, BandSpec, MinimumPhase, is_linear_phase};
use dynamic::Motion;
use group::Group;
pub use table::MAX_BANDS;

use crate::dynamics::AutoLevel;
use crate::filter::LinearPhase;
use crate::filter::linear_phase;
use crate::signal::StereoBlock;
use crate::signal::math::TAU;
use crate::signal::place::Place;
use crate::unit::kind::{Regions, UnitKind};
use crate::unit::param::{Rows, Tables};
use crate::unit::processor::Processor;
use crate::unit::settings::{Record, Settings};

/// The catalogue entry.
pub const KIND: UnitKind = UnitKind {
    id: "surgical-eq",
    name: "Surgical EQ",
    about: "Cuts faults out and leaves the rest alone; as narrow or as broad as needed.",
    picture: "response",
    tables: Tables {
        params: table::PARAMS,
        lists: &[Rows { id: "bands", label: "band", params: table::BAND, max: MAX_BANDS, count_renews: false }],
    },
    build: |settings, rate| Box::new(SurgicalEq::new(settings, rate)),
    latency,
    tail: design::tail,
    response: design::response,
    linear: design::is_linear,
    reduces: false,
    holds_level: false,
    transfer: None,
    takes_key: true,
    regions: Some(Regions { listen: listen::to, edges: listen::edges, far_end_db: dynamic::far_end_db }),
};

fn latency(settings: &Settings, rate: f64) -> usize {
    if is_linear_phase(settings) { linear_phase::latency(rate) } else { 0 }
}

/// The running equaliser.
#[derive(Clone)]
struct SurgicalEq {
    rate: f64,
    settings: Settings,
    /// The rows and the amount the bands were designed for.
    designed: (Vec<Record>, f64),
    bands: Vec<BandDesign>,
    /// By place, made when first needed; stereo first.
    groups: [Option<Box<Group>>; Place::ALL.len()],
    /// In linear phase. Which phase it is stays for the life of the unit.
    kernel: Option<Box<LinearPhase<BandGains>>>,
    level: AutoLevel,
    moves: [f32; MAX_BANDS],
}

impl SurgicalEq {
    fn new(settings: &Settings, rate: f64) -> Self {
        let mut eq = Self {
            rate,
            settings: settings.clone(),
            designed: (Vec::with_capacity(MAX_BANDS), f64::NAN),
            bands: Vec::with_capacity(MAX_BANDS),
            groups: [const { None }; Place::ALL.len()],
            level: AutoLevel::new(rate, latency(settings, rate)),
            kernel: None,
            moves: [0.0; MAX_BANDS],
        };
        eq.design();
        if is_linear_phase(settings) {
            let gains = BandGains::of(eq.bands.iter().filter(|b| !b.spec.moves));
            eq.kernel = Some(Box::new(LinearPhase::new(rate, &gains)));
        }
        eq.make_groups();
        eq.move_on(false);
        eq
    }

    /// Designs the bands that changed: a drag moves one. Whether any did.
    fn design(&mut self) -> bool {
        let (rows, amount) = (self.settings.rows(), self.settings.fixed.number("amount"));
        let (designed, designed_amount) = &mut self.designed;
        let mut changed = self.bands.len() != rows.len();
        self.bands.truncate(rows.len());
        for (i, row) in rows.iter().take(MAX_BANDS).enumerate() {
            if *designed_amount == amount && designed.get(i) == Some(row) {
                continue;
            }
            changed = true;
            let band = BandDesign::new(BandSpec::new(row, amount), self.rate);
            match self.bands.get_mut(i) {
                Some(old) => *old = band,
                None => self.bands.push(band),
            }
            match designed.get_mut(i) {
                Some(old) => old.clone_from(row),
                None => designed.push(row.clone()),
            }
        }
        designed.truncate(rows.len());
        *designed_amount = amount;
        changed
    }

    /// Groups for the places that bands work on; a group once made stays.
    fn make_groups(&mut self) {
        for (place, group) in Place::ALL.into_iter().zip(&mut self.groups) {
            let needed = place == Place::Stereo || self.bands.iter().any(|b| b.spec.place == place);
            if group.is_none() && needed {
                *group = Some(Box::new(Group::new(place, self.rate)));
            }
        }
    }

    /// Glides to what was designed. Nothing is allocated but the first time a band moves.
    fn move_on(&mut self, changed: bool) {
        let (rows, amount) = (self.settings.rows(), self.settings.fixed.number("amount"));
        let mut motions = [None; MAX_BANDS];
        for ((motion, row), band) in motions.iter_mut().zip(rows).zip(&self.bands) {
            *motion = Motion::new(row, &band.spec);
        }
        for group in self.groups.iter_mut().flatten() {
            group.set(&self.bands, &motions, amount, self.kernel.is_some());
        }
        if let Some(kernel) = &mut self.kernel
            && changed
        {
            kernel.set(|gains| gains.fill(self.bands.iter().filter(|b| !b.spec.moves)));
        }
        // A kernel and its sections have the same magnitude; the sections are quicker.
        let design = MinimumPhase::of(self.bands.iter());
        let rate = self.rate;
        self.level.set(self.settings.fixed.is_on("auto_level"), |hz| design.response(TAU * hz / rate).norm_sqr());
    }
}

impl Processor for SurgicalEq {
    fn settings_mut(&mut self) -> &mut Settings {
        &mut self.settings
    }

    fn take_settings(&mut self) {
        let changed = self.design();
        self.move_on(changed);
    }

    fn set(&mut self, settings: &Settings) {
        self.settings.clone_from(settings);
        let changed = self.design();
        // Not while sound runs: a place that is worked on for the first time takes room, and
        // bands that have glided out give theirs back.
        self.make_groups();
        self.groups.iter_mut().flatten().for_each(|group| group.free());
        self.move_on(changed);
    }

    fn fork(&self) -> Box<dyn Processor> {
        Box::new(self.clone())
    }

    fn arrive(&mut self, within_s: f64) {
        self.groups.iter_mut().flatten().for_each(|group| group.arrive(within_s));
        if let Some(kernel) = self.kernel.as_mut().filter(|_| within_s <= 0.0) {
            kernel.snap();
        }
        self.level.arrive(within_s);
    }

    fn reset(&mut self) {
        self.groups.iter_mut().flatten().for_each(|group| group.reset());
        if let Some(kernel) = &mut self.kernel {
            kernel.reset();
        }
        self.level.reset();
    }

    fn process(&mut self, block: &mut StereoBlock, key: Option<&StereoBlock>) {
        let mut frames = block.frames();
        let heard = frames;
        let key = key.map_or(heard, StereoBlock::frames);
        self.moves = [0.0; MAX_BANDS];
        for group in self.groups.iter_mut().flatten() {
            group.process(&mut frames, &heard, &key);
            group.add_moves(&mut self.moves);
        }
        if let Some(kernel) = &mut self.kernel {
            kernel.process(&mut frames);
        }
        self.level.process(&heard, &mut frames);
        block.set_frames(&frames);
    }

    fn moves(&self) -> &[f32] {
        &self.moves[..self.bands.len()]
    }
}
