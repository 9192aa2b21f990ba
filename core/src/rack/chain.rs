//! The running rack: stations in a row, and the change from one row to another.
//!
//! New settings of the same units glide inside the units. A new *row* (a unit
//! added, removed, moved, or a whole rack replaced) is built fresh, runs along
//! unheard until its filters have settled, and is then crossfaded in, so that
//! nothing clicks.

use super::key::Keys;
use super::spec::RackSpec;
use super::station::Station;
use crate::signal::{BLOCK, StereoBlock};

/// Time a new row runs unheard, in seconds; several periods of a 70 Hz cut.
const WARM_UP_S: f64 = 0.06;
/// Time of the crossfade, in seconds.
const CROSSFADE_S: f64 = 0.02;

/// The row on its way out.
struct Outgoing {
    stations: Vec<Station>,
    warm_blocks_left: u32,
    fade_frames_left: u32,
}

/// A running rack.
pub struct Rack {
    rate: f64,
    stations: Vec<Station>,
    outgoing: Option<Outgoing>,
    /// A row that arrived while another was fading in.
    pending: Option<RackSpec>,
    /// Rows done with, freed at the next change and not on the audio path.
    retired: Vec<Station>,
    scratch: StereoBlock,
}

impl Rack {
    /// A rack at rest on `spec` at `rate` Hz.
    #[must_use]
    pub fn new(spec: &RackSpec, rate: f64) -> Self {
        Self {
            rate,
            stations: row(spec, rate),
            outgoing: None,
            pending: None,
            retired: Vec::with_capacity(super::spec::MAX_UNITS),
            scratch: StereoBlock::SILENT,
        }
    }

    /// Changes to `spec` without a click.
    pub fn update(&mut self, spec: &RackSpec) {
        self.retired.clear();
        let same_row = self.stations.len() == spec.units.len()
            && self.stations.iter().zip(&spec.units).all(|(s, u)| s.is_same_unit(u));
        if same_row {
            self.pending = None;
            for (station, unit) in self.stations.iter_mut().zip(&spec.units) {
                station.set(unit);
            }
        } else if self.outgoing.is_some() {
            self.pending = Some(spec.clone());
        } else {
            self.start_change(spec);
        }
    }

    /// To be called now and then off the audio path: starts a change that had
    /// to wait for another to finish.
    pub fn catch_up(&mut self) {
        if self.outgoing.is_none()
            && let Some(spec) = self.pending.take()
        {
            self.update(&spec);
        }
    }

    fn start_change(&mut self, spec: &RackSpec) {
        let incoming = row(spec, self.rate);
        let latency: usize = incoming.iter().map(Station::latency).sum();
        let warm_blocks = ((WARM_UP_S * self.rate) as usize + latency).div_ceil(BLOCK) as u32;
        let stations = std::mem::replace(&mut self.stations, incoming);
        let fade_frames_left = (CROSSFADE_S * self.rate) as u32;
        self.outgoing = Some(Outgoing { stations, warm_blocks_left: warm_blocks, fade_frames_left });
    }

    /// Frames by which the rack delays.
    #[must_use]
    pub fn latency(&self) -> usize {
        self.stations.iter().map(Station::latency).sum()
    }

    /// Frames by which the sound at a unit's input lags the rack's input; 0 for a unit
    /// that is not there.
    #[must_use]
    pub fn latency_before(&self, unit: u32) -> usize {
        let before = self.stations.iter().take_while(|s| s.unit_id() != unit);
        if self.stations.iter().any(|s| s.unit_id() == unit) { before.map(Station::latency).sum() } else { 0 }
    }

    /// The stations, for their meters.
    #[must_use]
    pub fn stations(&self) -> &[Station] {
        &self.stations
    }

    /// Works on one block in place.
    pub fn process(&mut self, block: &mut StereoBlock) {
        self.process_tapped(block, &Keys::default(), |_, _| {});
    }

    /// Works on one block in place, its units driven by `keys`, showing it to `tap` at
    /// the input (0) and after each station (1...).
    pub fn process_tapped(&mut self, block: &mut StereoBlock, keys: &Keys, mut tap: impl FnMut(usize, &StereoBlock)) {
        block.make_sane();
        self.scratch.clone_from(block);
        tap(0, block);
        for (i, station) in self.stations.iter_mut().enumerate() {
            station.process(block, keys.of(station.unit_id()));
            tap(i + 1, block);
        }
        if self.outgoing.is_some() {
            self.crossfade(block, keys);
        }
    }

    fn crossfade(&mut self, block: &mut StereoBlock, keys: &Keys) {
        let Some(outgoing) = &mut self.outgoing else { return };
        for station in &mut outgoing.stations {
            station.process(&mut self.scratch, keys.of(station.unit_id()));
        }
        if outgoing.warm_blocks_left > 0 {
            outgoing.warm_blocks_left -= 1;
            block.clone_from(&self.scratch);
            return;
        }
        let total = (CROSSFADE_S * self.rate) as f32;
        for i in 0..BLOCK {
            let old = outgoing.fade_frames_left as f32 / total;
            block.left[i] += (self.scratch.left[i] - block.left[i]) * old;
            block.right[i] += (self.scratch.right[i] - block.right[i]) * old;
            outgoing.fade_frames_left = outgoing.fade_frames_left.saturating_sub(1);
        }
        if outgoing.fade_frames_left == 0
            && let Some(mut done) = self.outgoing.take()
        {
            self.retired.append(&mut done.stations);
        }
    }
}

fn row(spec: &RackSpec, rate: f64) -> Vec<Station> {
    spec.units.iter().map(|unit| Station::new(unit, rate)).collect()
}
