//! `multiband`: a compressor for each region.
//!
//! The regions are split by [`crate::filter::Crossover`], whose sum is flat; what lies under the
//! lowest band passes. Where a band is narrower than an octave all edges are twice as steep, and what a narrow
//! one does counts for what its edges leave of its middle. Turned in phase by the edges alone, no latency. [`table`] holds the
//! parameters, [`band`] what is done to one region.

mod band;
mod table;

use band::RunningBand;
use table::MAX_BANDS;

use crate::filter::{Crossover, Edges};
use crate::signal::decibel::db_to_gain;
use crate::signal::math::{Complex, TAU};
use crate::signal::place::Place;
use crate::signal::{BLOCK, Frame, Ramp, StereoBlock};
use crate::unit::kind::{Regions, TAIL_DB, Tail, UnitKind};
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
        Tail::Frames(
            Crossover::decay(Crossover::asked(&edges[..count]), &edges[..count], rate, MOST_LIFTED_DB - TAIL_DB)
                + BLOCK,
        )
    },
    response,
    linear: |_| false,
    reduces: true,
    holds_level: false,
    transfer: None,
    takes_key: false,
    regions: Some(Regions { listen, edges, far_end_db: |_, _| None }),
};

/// One band alone.
fn listen(settings: &Settings, row: usize) -> Option<Settings> {
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
}

/// From where a band begins to where the next does.
fn edges(settings: &Settings, row: usize) -> Option<[Option<f64>; 2]> {
    let from = settings.rows().get(row)?.number("from_hz");
    let (edges, count) = edges_hz(settings);
    Some([Some(from), edges[..count].iter().copied().find(|edge| *edge > from)])
}

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
    let steep = Crossover::asked(&edges[..count]);
    let counted = |(n, gain): (usize, f64)| match n.checked_sub(1) {
        None => gain,
        Some(band) => 1.0 + (gain - 1.0) * Crossover::lacks(steep, &edges[..count], band, rate),
    };
    let gains: Vec<f64> = gains.into_iter().enumerate().map(counted).collect();
    let at = |hz: &f64| {
        let parts = Crossover::band_responses(steep, &edges[..count], rate, TAU * hz / rate);
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

/// 1 where all edges are of eighth order, else 0.
fn is_steep(edges_hz: &[f64]) -> f64 {
    f64::from(u8::from(Crossover::asked(edges_hz) == Edges::Eighth))
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
    /// Of fourth order and of eighth, and the share of the latter that is heard; both run while that moves.
    crossovers: [Crossover; 2],
    steep: Ramp,
    /// Lowest first.
    bands: Vec<RunningBand>,
    below: Ramp,
    output_db: Ramp,
    /// What is under the lowest, then each band.
    split: Vec<Vec<Frame>>,
    other_split: Vec<Vec<Frame>>,
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
            crossovers: [Edges::Fourth, Edges::Eighth].map(|steep| Crossover::with(steep, &edges[..count], rate)),
            steep: Ramp::new(is_steep(&edges[..count]), rate),
            bands: order(rows).0[..count].iter().map(|row| RunningBand::new(&rows[*row], 1.0, rate)).collect(),
            below: Ramp::new(1.0, rate),
            output_db: Ramp::new(0.0, rate),
            split: vec![vec![[0.0; 2]; BLOCK]; count + 1],
            other_split: vec![vec![[0.0; 2]; BLOCK]; count + 1],
            reduction: [0.0; BLOCK],
            moves: vec![0.0; count],
            detected: [[0.0; 2]; BLOCK],
        };
        unit.take_settings();
        unit
    }

    /// Splits what came in.
    fn split(&mut self) {
        let top = self.split.len() - 1;
        let eighth = usize::from(self.steep.value() == 1.0);
        self.split[top].copy_from_slice(&self.detected);
        self.crossovers[eighth].split(&mut self.split);
        if self.steep.at_rest() {
            return;
        }
        self.other_split[top].copy_from_slice(&self.detected);
        self.crossovers[1 - eighth].split(&mut self.other_split);
        for i in 0..BLOCK {
            let share = (self.steep.next_value() - eighth as f64).abs();
            for (band, other) in self.split.iter_mut().zip(&self.other_split) {
                band[i] = [0, 1].map(|side| band[i][side] + share * (other[i][side] - band[i][side]));
            }
        }
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
        let steep = Crossover::asked(&edges[..count]);
        if self.steep.at_rest() && self.steep.value() != is_steep(&edges[..count]) {
            // The one that was not heard begins from rest, under the fade.
            self.crossovers[usize::from(steep == Edges::Eighth)].reset();
        }
        self.steep.glide_to(is_steep(&edges[..count]));
        self.crossovers.iter_mut().for_each(|crossover| crossover.move_to(&edges[..count]));
        for (n, (band, row)) in self.bands.iter_mut().zip(&order[..count]).enumerate() {
            band.take(&rows[*row], Crossover::lacks(steep, &edges[..count], n, self.rate), self.rate);
        }
        self.below.glide_to(below(&self.settings));
        self.output_db.glide_to(self.settings.fixed.number("output_db"));
    }

    fn fork(&self) -> Box<dyn Processor> {
        Box::new(self.clone())
    }

    fn arrive(&mut self, within_s: f64) {
        self.crossovers.iter_mut().for_each(|crossover| crossover.arrive(within_s));
        self.steep.arrive(within_s);
        self.bands.iter_mut().for_each(|x| x.arrive(within_s));
        self.below.arrive(within_s);
        self.output_db.arrive(within_s);
    }

    fn reset(&mut self) {
        self.crossovers.iter_mut().for_each(Crossover::reset);
        self.steep.snap();
        self.bands.iter_mut().for_each(RunningBand::reset);
        self.reduction = [0.0; BLOCK];
        self.moves.fill(0.0);
    }

    fn process(&mut self, block: &mut StereoBlock, _key: Option<&StereoBlock>) {
        self.detected = block.frames();
        self.split();
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
