//! What passes along the rack of the strip in hand: level at each point, reduction of each station, loudness at both ends.

use super::meters::Momentary;
use crate::rack::Rack;
use crate::rack::spec::MAX_UNITS;
use crate::signal::StereoBlock;
use crate::signal::decibel::gain_to_db;

/// Since the last report; loudness over its own time.
pub(super) struct Wire {
    /// Largest magnitude at each point: what comes in, then behind each station.
    peaks: [f32; MAX_UNITS + 1],
    /// Most reduction of each station in dB.
    reductions: [f32; MAX_UNITS],
    stations: usize,
    ends: [Momentary; 2],
}

impl Wire {
    pub(super) fn new(rate: f64) -> Self {
        let ends = [Momentary::new(rate), Momentary::new(rate)];
        Self { peaks: [0.0; MAX_UNITS + 1], reductions: [0.0; MAX_UNITS], stations: 0, ends }
    }

    /// How many stations there are; others than before are measured from here on.
    pub(super) fn follow(&mut self, rack: Option<&Rack>) {
        let stations = rack.map_or(0, |rack| rack.stations().len().min(MAX_UNITS));
        if stations != self.stations {
            self.stations = stations;
            self.peaks.fill(0.0);
            self.reductions.fill(0.0);
        }
    }

    /// The sound at a point.
    pub(super) fn see(&mut self, point: usize, block: &StereoBlock) {
        let Some(peak) = self.peaks.get_mut(point) else { return };
        *peak = block.left.iter().chain(&block.right).fold(*peak, |most, x| most.max(x.abs()));
        if point == 0 {
            self.ends[0].push(block);
        }
        if point == self.stations {
            self.ends[1].push(block);
        }
    }

    /// What its stations took in the last block.
    pub(super) fn take(&mut self, rack: Option<&Rack>) {
        for (most, station) in self.reductions.iter_mut().zip(rack.map_or(&[][..], |rack| rack.stations())) {
            *most = station.reduction().map_or(0.0, |taken| taken.iter().fold(*most, |m, x| m.max(*x)));
        }
    }

    /// Momentary loudness at both ends, in LUFS.
    pub(super) fn loudness(&self) -> [f32; 2] {
        [self.ends[0].lufs(), self.ends[1].lufs()]
    }

    /// Writes level in dBFS at each point and reduction in dB of each station, and starts anew.
    pub(super) fn drain_into(&mut self, levels: &mut Vec<f32>, reductions: &mut Vec<f32>) {
        levels.clear();
        reductions.clear();
        if self.stations > 0 {
            let heard = &mut self.peaks[..=self.stations];
            levels.extend(heard.iter().map(|peak| gain_to_db(f64::from(*peak)) as f32));
            heard.fill(0.0);
            reductions.extend_from_slice(&self.reductions[..self.stations]);
            self.reductions[..self.stations].fill(0.0);
        }
    }
}
