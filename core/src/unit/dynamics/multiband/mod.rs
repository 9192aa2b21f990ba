//! `multiband`: a compressor for each region.
//!
//! The regions are split by [`crate::filter::Crossover`], whose sum is flat; what lies under the
//! lowest band passes. Turned in phase by the edges alone, no latency. [`table`] holds the
//! parameters, [`band`] what is done to one region.

mod band;
mod table;

use band::Band;
use table::MAX_BANDS;

use crate::filter::Crossover;
use crate::signal::decibel::db_to_gain;
use crate::signal::math::{Complex, TAU};
use crate::signal::place::Place;
use crate::signal::{BLOCK, Frame, Ramp, StereoBlock};
use crate::unit::kind::{TAIL_DB, Tail, UnitKind};
use crate::unit::param::Tables;
use crate::unit::processor::Processor;
use crate::unit::settings::{Record, Settings};

/// Most that a band's own level and the output lift together, in dB.
const MOST_LIFTED_DB: f64 = 48.0;

/// The catalogue entry.
pub const KIND: UnitKind = UnitKind {
    id: "multiband",
    name: "Multiband",
    about: "Holds what jumps out of a region, and only there and then: plucks, boom, harshness.",
    picture: "bands",
    tables: Tables { params: table::PARAMS, lists: table::LISTS },
    build: |settings, rate| Box::new(Multiband::new(settings, rate)),
    latency: |_, _| 0,
    tail: |settings, rate| {
        let (edges, count) = edges_hz(settings);
        Tail::Frames(Crossover::decay(&edges[..count], rate, MOST_LIFTED_DB - TAIL_DB) + BLOCK)
    },
    response,
    linear: |_| false,
    reduces: true,
    transfer: None,
    takes_key: false,
    listen: Some(|settings, row| {
        let mut alone = settings.clone();
        alone.fixed.switch("below", false);
        (row < alone.rows().len()).then(|| {
            for other in 0..alone.rows().len() {
                if let Some(record) = alone.row_mut(other) {
                    record.switch("heard", other == row);
                }
            }
            alone
        })
    }),
};

/// Places of the rows in their list, lowest band first.
fn order(rows: &[Record]) -> ([usize; MAX_BANDS], usize) {
    let count = rows.len().min(MAX_BANDS);
    let mut order: [usize; MAX_BANDS] = core::array::from_fn(|i| i);
    order[..count].sort_by(|a, b| rows[*a].number("from_hz").total_cmp(&rows[*b].number("from_hz")));
    (order, count)
}

/// Edges in use: the beginning of each band, lowest first, and how many.
fn edges_hz(settings: &Settings) -> ([f64; MAX_BANDS], usize) {
    let rows = settings.rows();
    let (order, count) = order(rows);
    let mut edges = [0.0; MAX_BANDS];
    edges.iter_mut().zip(&order[..count]).for_each(|(edge, row)| *edge = rows[*row].number("from_hz"));
    (edges, count)
}

/// Of a sound in the middle, at rest.
fn response(settings: &Settings, rate: f64, freqs: &[f64]) -> Vec<Complex> {
    let (edges, count) = edges_hz(settings);
    let rows = settings.rows();
    let (order, _) = order(rows);
    let output = db_to_gain(settings.fixed.number("output_db"));
    let gains: Vec<f64> =
        [below(settings)].into_iter().chain(order[..count].iter().map(|row| resting(&rows[*row]))).collect();
    let at = |hz: &f64| {
        let parts = Crossover::band_responses(&edges[..count], rate, TAU * hz / rate);
        let sum =
            parts.into_iter().zip(&gains).fold(Complex::new(0.0, 0.0), |sum, (part, gain)| sum.plus(part.scale(*gain)));
        sum.scale(output)
    };
    freqs.iter().map(at).collect()
}

/// Share of what lies under the lowest band; all of it where there is no band.
fn below(settings: &Settings) -> f64 {
    f64::from(u8::from(settings.fixed.is_on("below") || settings.rows().is_empty()))
}

/// What a band at rest leaves of a sound in the middle.
fn resting(row: &Record) -> f64 {
    let makeup = if row.is_on("on") { db_to_gain(row.number("makeup_db")) } else { 1.0 };
    let heard = f64::from(u8::from(row.is_on("heard")));
    heard
        * match Place::from_id(row.choice("place")) {
            Place::Stereo | Place::Mid => makeup,
            Place::Side => 1.0,
            Place::Left | Place::Right => 0.5 * (1.0 + makeup),
        }
}

/// The running unit.
#[derive(Clone)]
struct Multiband {
    rate: f64,
    settings: Settings,
    crossover: Crossover,
    /// Lowest first.
    bands: Vec<Band>,
    below: Ramp,
    output_db: Ramp,
    /// What is under the lowest, then each band.
    split: Vec<Vec<Frame>>,
    reduction: [f32; BLOCK],
    /// By rows of the list.
    moves: Vec<f32>,
    detected: [Frame; BLOCK],
}

impl Multiband {
    fn new(settings: &Settings, rate: f64) -> Self {
        let (edges, count) = edges_hz(settings);
        let rows = settings.rows();
        let mut unit = Self {
            rate,
            settings: settings.clone(),
            crossover: Crossover::new(&edges[..count], rate),
            bands: order(rows).0[..count].iter().map(|row| Band::new(&rows[*row], rate)).collect(),
            below: Ramp::new(1.0, rate),
            output_db: Ramp::new(0.0, rate),
            split: vec![vec![[0.0; 2]; BLOCK]; count + 1],
            reduction: [0.0; BLOCK],
            moves: vec![0.0; count],
            detected: [[0.0; 2]; BLOCK],
        };
        unit.take_settings();
        unit
    }

    /// The bands put together again.
    fn sum(&mut self) -> [Frame; BLOCK] {
        let mut sum = [[0.0; 2]; BLOCK];
        for (i, out) in sum.iter_mut().enumerate() {
            let gain = db_to_gain(self.output_db.next_value());
            let all = self.split.iter().fold([0.0; 2], |all: Frame, band| [all[0] + band[i][0], all[1] + band[i][1]]);
            *out = all.map(|x| x * gain);
        }
        sum
    }
}

impl Processor for Multiband {
    fn settings_mut(&mut self) -> &mut Settings {
        &mut self.settings
    }

    fn take_settings(&mut self) {
        let (edges, count) = edges_hz(&self.settings);
        let rows = self.settings.rows();
        let (order, _) = order(rows);
        self.crossover.move_to(&edges[..count]);
        for (band, row) in self.bands.iter_mut().zip(&order[..count]) {
            band.take(&rows[*row], self.rate);
        }
        self.below.glide_to(below(&self.settings));
        self.output_db.glide_to(self.settings.fixed.number("output_db"));
    }

    fn fork(&self) -> Box<dyn Processor> {
        Box::new(self.clone())
    }

    fn arrive(&mut self, within_s: f64) {
        self.crossover.arrive(within_s);
        self.bands.iter_mut().for_each(|x| x.arrive(within_s));
        self.below.arrive(within_s);
        self.output_db.arrive(within_s);
    }

    fn reset(&mut self) {
        self.crossover.reset();
        self.bands.iter_mut().for_each(Band::reset);
        self.reduction = [0.0; BLOCK];
        self.moves.fill(0.0);
    }

    fn process(&mut self, block: &mut StereoBlock, _key: Option<&StereoBlock>) {
        self.detected = block.frames();
        let top = self.split.len() - 1;
        self.split[top].copy_from_slice(&self.detected);
        self.crossover.split(&mut self.split);
        self.reduction = [0.0; BLOCK];
        for (band, frames) in self.bands.iter_mut().zip(&mut self.split[1..]) {
            band.process(frames, &mut self.reduction);
        }
        for frame in &mut self.split[0] {
            let below = self.below.next_value();
            *frame = frame.map(|x| x * below);
        }
        let (order, _) = order(self.settings.rows());
        for (band, row) in self.bands.iter().zip(order) {
            if let Some(moved) = self.moves.get_mut(row) {
                *moved = -band.reduction_db as f32;
            }
        }
        block.set_frames(&self.sum());
    }

    fn reduction(&self) -> Option<&[f32; BLOCK]> {
        Some(&self.reduction)
    }

    fn moves(&self) -> &[f32] {
        &self.moves
    }

    fn detected(&self) -> Option<&[Frame; BLOCK]> {
        Some(&self.detected)
    }
}
