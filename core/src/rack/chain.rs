//! The running rack: stations in a row.
//!
//! New settings of the same units glide inside the units. What does not fit ([`Rack::fits`]: a
//! unit added, removed or moved, another lateness) takes another rack, which goes on from this
//! one ([`Rack::carried`]): units that are in both keep their state. Whoever plays runs the
//! other one unheard until it has settled, and fades it in.

use super::key::Keys;
use super::spec::{RackSpec, UnitSpec};
use super::station::Station;
use crate::signal::{BLOCK, StereoBlock};

/// A running rack.
pub struct Rack {
    stations: Vec<Station>,
    /// Frame at which a rack away from any song is.
    away: i64,
}

/// So long before a song that nothing of it has begun to change: every value is as it is everywhere.
const AWAY: i64 = -(1 << 50);

impl Rack {
    /// A rack at rest on `spec` at `rate` Hz.
    #[must_use]
    pub fn new(spec: &RackSpec, rate: f64) -> Self {
        let mut rack = Self { stations: spec.units.iter().map(|unit| Station::new(unit, rate)).collect(), away: AWAY };
        rack.snap();
        rack
    }

    /// A rack on its way to `spec` that goes on from `before`: units known there keep their
    /// state, others begin and settle by themselves.
    #[must_use]
    pub fn carried(spec: &RackSpec, rate: f64, before: &Self) -> Self {
        let station = |(at, unit): (usize, &UnitSpec)| {
            // Units of a file have no identity; there the place in the row stands for it.
            let known = before.stations.iter().enumerate().filter(|(was, s)| s.unit_id() != 0 || *was == at);
            known.into_iter().find_map(|(_, s)| s.fork(unit)).unwrap_or_else(|| Station::new(unit, rate))
        };
        Self { stations: spec.units.iter().enumerate().map(station).collect(), away: AWAY }
    }

    /// Whether it can go to `spec` while it is heard.
    #[must_use]
    pub fn fits(&self, spec: &RackSpec) -> bool {
        self.stations.len() == spec.units.len()
            && self.stations.iter().zip(&spec.units).all(|(station, unit)| station.fits(unit))
    }

    /// Goes to `spec` without a click. Units that do not fit stay as they are, until another
    /// rack takes over.
    pub fn update(&mut self, spec: &RackSpec) {
        for station in &mut self.stations {
            if let Some(unit) = spec.units.iter().find(|unit| station.fits(unit)) {
                station.set(unit);
            }
        }
    }

    /// To be called now and then off the audio path: frees what has faded out and takes steps
    /// that had to wait.
    pub fn catch_up(&mut self) {
        self.stations.iter_mut().for_each(Station::catch_up);
    }

    /// Ends every glide at once.
    pub fn snap(&mut self) {
        self.stations.iter_mut().for_each(Station::snap);
    }

    /// Forgets the past: afterwards it sounds as if newly built.
    pub fn reset(&mut self) {
        self.stations.iter_mut().for_each(Station::reset);
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

    /// Works on one block in place, away from any song: what changes with one is as it is everywhere.
    pub fn process(&mut self, block: &mut StereoBlock) {
        let at = self.away;
        self.away += BLOCK as i64;
        self.process_tapped(block, &Keys::default(), at, |_, _| {});
    }

    /// Works on one block in place, its units driven by `keys`, showing it to `tap` at
    /// the input (0) and after each station (1...). `song_frame` is where in the song the
    /// block's first frame stands; each station is told what stands at its own input.
    pub fn process_tapped(
        &mut self,
        block: &mut StereoBlock,
        keys: &Keys,
        song_frame: i64,
        mut tap: impl FnMut(usize, &StereoBlock),
    ) {
        block.make_sane();
        tap(0, block);
        let mut at = song_frame;
        for (i, station) in self.stations.iter_mut().enumerate() {
            station.process(block, keys.of(station.unit_id()), at);
            at -= station.latency() as i64;
            tap(i + 1, block);
        }
    }
}
