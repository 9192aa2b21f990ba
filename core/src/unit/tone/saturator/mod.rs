//! `saturator`: bends a sound, or some regions of it, each in its own way.
//!
//! Four times the rate in linear phase with antiderivative antialiasing of first order
//! ([`crate::colour::bend`]): a 5 kHz tone bent to 10 % folds nothing back above -80 dBFS.
//! Bands are split and bent within one pair of up and down; where nothing is bent, they sum to
//! the input (turned in phase by their edges). What a leant wave leaves of a constant is taken
//! out below 4 Hz.
//!
//! [`table`] holds the parameters, [`character`] what bends.

mod table;

use crate::colour::Character;
use crate::colour::character::{CONSTANT_HZ, INTO};
use table::MAX_UPPER;

use crate::colour::bend::{Straighten, mean};
use crate::dynamics::AutoLevel;
use crate::filter::{Crossover, Edges, FirstOrder, first_order};
use crate::signal::decibel::db_to_gain;
use crate::signal::math::{Complex, TAU};
use crate::signal::oversample::{self, Oversampler};
use crate::signal::{BLOCK, Frame, Ramp, StereoBlock};
use crate::unit::kind::{TAIL_DB, Tail, UnitKind};
use crate::unit::param::Tables;
use crate::unit::processor::Processor;
use crate::unit::settings::{Record, Settings};
use crate::unit::tone::hold::kept;

/// Times the rate at which waves are bent.
const FACTOR: usize = 4;

/// The catalogue entry.
pub const KIND: UnitKind = UnitKind {
    id: "saturator",
    name: "Saturator",
    about: "Adds overtones and rounds peaks, of the whole or of single regions.",
    picture: "harmonics",
    tables: Tables { params: table::PARAMS, lists: table::LISTS },
    build: |settings, rate| Box::new(Saturator::new(settings, rate)),
    latency: |_, rate| oversample::latency(FACTOR, rate),
    tail,
    response,
    linear: |_| false,
    reduces: false,
    holds_level: false,
    transfer: None,
    takes_key: false,
    regions: None,
};

fn tail(settings: &Settings, rate: f64) -> Tail {
    let edges = Crossover::decay(Edges::Fourth, &edges_hz(settings), FACTOR as f64 * rate, -TAIL_DB) / FACTOR;
    // A transformer's flux falls sooner; the ways up and down ring for less than they are late, twice.
    let constant = first_order::decay(CONSTANT_HZ, -TAIL_DB, rate);
    Tail::Frames(edges + constant + 2 * oversample::latency(FACTOR, rate) + BLOCK)
}

fn response(settings: &Settings, rate: f64, freqs: &[f64]) -> Vec<Complex> {
    let edges = edges_hz(settings);
    let constant = FirstOrder::high_pass(CONSTANT_HZ, rate);
    let at = |hz: &f64| {
        let turned = Crossover::response(&edges, FACTOR as f64 * rate, TAU * hz / (FACTOR as f64 * rate));
        turned.times(constant.response(TAU * hz / rate))
    };
    freqs.iter().map(at).collect()
}

/// The rows, lowest first.
fn upper(settings: &Settings) -> Vec<&Record> {
    let mut rows: Vec<&Record> = settings.rows().iter().take(MAX_UPPER).collect();
    rows.sort_by(|a, b| a.number("from_hz").total_cmp(&b.number("from_hz")));
    rows
}

fn edges_hz(settings: &Settings) -> Vec<f64> {
    upper(settings).iter().map(|row| row.number("from_hz")).collect()
}

/// One band.
#[derive(Clone)]
struct SaturatedBand {
    character: Character,
    drive: Ramp,
    bias: Ramp,
    blend: Ramp,
    last: Frame,
}

impl SaturatedBand {
    fn new(record: &Record, rate: f64) -> Self {
        let ramp = |value| Ramp::new(value, rate);
        let character = Character::new(record.choice("character"), rate);
        let mut band = Self { character, drive: ramp(1.0), bias: ramp(0.0), blend: ramp(1.0), last: [0.0; 2] };
        band.take(record, rate);
        band.arrive(0.0);
        band.reset();
        band
    }

    fn take(&mut self, record: &Record, rate: f64) {
        self.drive.glide_to(db_to_gain(record.number("drive_db")));
        self.bias.glide_to(record.number("bias"));
        self.blend.glide_to(record.number("blend"));
        if self.character.name() != record.choice("character") {
            // Whoever runs the unit crossfades from the one before.
            self.character = Character::new(record.choice("character"), rate);
            self.character.reset();
        }
    }

    /// Power that an ordinary part keeps.
    fn kept(&self) -> f64 {
        let bent = kept(INTO * self.drive.target());
        1.0 + self.blend.target() * (bent - 1.0)
    }

    fn arrive(&mut self, within_s: f64) {
        self.drive.arrive(within_s);
        self.bias.arrive(within_s);
        self.blend.arrive(within_s);
    }

    fn reset(&mut self) {
        self.character.reset();
        self.last = [0.0; 2];
    }

    /// Bends a stretch in place; `bent` has room for as many frames.
    fn process(&mut self, frames: &mut [Frame], bent: &mut [Frame]) {
        bent.copy_from_slice(frames);
        let (drive, bias) = (&mut self.drive, &mut self.bias);
        self.character.process(bent, |_| [drive.next_value(), bias.next_value()]);
        self.character.flush();
        for (frame, bent) in frames.iter_mut().zip(bent) {
            let (dry, blend) = (mean(self.last, *frame), self.blend.next_value());
            self.last = *frame;
            *frame = [0, 1].map(|k| dry[k] + blend * (bent[k] - dry[k]));
        }
    }
}

/// The running saturator.
#[derive(Clone)]
struct Saturator {
    rate: f64,
    settings: Settings,
    over: Oversampler,
    crossover: Crossover,
    /// Lowest first.
    bands: Vec<SaturatedBand>,
    split: Vec<Vec<Frame>>,
    /// Room for what a band is bent to.
    bent: Vec<Frame>,
    straight: Straighten,
    constant: FirstOrder,
    level: AutoLevel,
}

impl Saturator {
    fn new(settings: &Settings, rate: f64) -> Self {
        let high = FACTOR as f64 * rate;
        let bands: Vec<SaturatedBand> = [&settings.fixed]
            .into_iter()
            .chain(upper(settings))
            .map(|record| SaturatedBand::new(record, high))
            .collect();
        let mut unit = Self {
            rate,
            settings: settings.clone(),
            over: Oversampler::new(FACTOR, rate),
            crossover: Crossover::new(&edges_hz(settings), high),
            split: vec![vec![[0.0; 2]; FACTOR * BLOCK]; bands.len()],
            bent: vec![[0.0; 2]; FACTOR * BLOCK],
            bands,
            straight: Straighten::default(),
            constant: FirstOrder::high_pass(CONSTANT_HZ, rate),
            level: AutoLevel::of_flattened(rate, oversample::latency(FACTOR, rate)),
        };
        unit.take_settings();
        unit
    }
}

impl Processor for Saturator {
    fn settings_mut(&mut self) -> &mut Settings {
        &mut self.settings
    }

    fn take_settings(&mut self) {
        let high = FACTOR as f64 * self.rate;
        let mut order = [0usize; MAX_UPPER];
        let rows = self.settings.rows();
        let count = rows.len().min(MAX_UPPER).min(self.bands.len() - 1);
        for (i, place) in order.iter_mut().enumerate() {
            *place = i;
        }
        let order = &mut order[..count];
        order.sort_by(|a, b| rows[*a].number("from_hz").total_cmp(&rows[*b].number("from_hz")));
        let mut edges = [0.0; MAX_UPPER];
        for (edge, row) in edges.iter_mut().zip(order.iter()) {
            *edge = rows[*row].number("from_hz");
        }
        self.crossover.move_to(&edges[..count]);
        self.bands[0].take(&self.settings.fixed, high);
        for (band, row) in self.bands[1..].iter_mut().zip(order.iter()) {
            band.take(&rows[*row], high);
        }
        let bands = &self.bands;
        let band_of = |hz: f64| edges[..count].iter().filter(|edge| hz >= **edge).count().min(bands.len() - 1);
        self.level.set(self.settings.fixed.is_on("hold_level"), |hz| bands[band_of(hz)].kept());
    }

    fn fork(&self) -> Box<dyn Processor> {
        Box::new(self.clone())
    }

    fn arrive(&mut self, within_s: f64) {
        self.crossover.arrive(within_s);
        self.bands.iter_mut().for_each(|x| x.arrive(within_s));
        self.level.arrive(within_s);
    }

    fn reset(&mut self) {
        self.over.reset();
        self.crossover.reset();
        self.bands.iter_mut().for_each(SaturatedBand::reset);
        self.straight = Straighten::default();
        self.constant.reset();
        self.level.reset();
    }

    fn process(&mut self, block: &mut StereoBlock, _key: Option<&StereoBlock>) {
        let mut frames = block.frames();
        let before = frames;
        let Self { over, crossover, bands, split, bent, straight, .. } = self;
        over.process(&mut frames, |high| {
            if let [whole] = &mut bands[..] {
                whole.process(high, bent);
            } else {
                let top = split.len() - 1;
                split[top].copy_from_slice(high);
                crossover.split(split);
                for (band, frames) in bands.iter_mut().zip(split.iter_mut()) {
                    band.process(frames, bent);
                }
                for (i, out) in high.iter_mut().enumerate() {
                    *out = split.iter().fold([0.0; 2], |sum: Frame, band| [sum[0] + band[i][0], sum[1] + band[i][1]]);
                }
            }
            straight.process(high);
        });
        for frame in &mut frames {
            *frame = self.constant.next(*frame);
        }
        self.constant.flush();
        self.level.process(&before, &mut frames);
        block.set_frames(&frames);
    }
}
