//! What a player tells the page: levels and loudness of what is heard, the sound
//! around one station, and the reduction there.

use crate::measure::level::LevelMeter;
use crate::measure::loudness::{LoudnessMeter, lufs};
use crate::measure::true_peak::TruePeakMeter;
use crate::measure::width::WidthMeter;
use crate::rack::Rack;
use crate::signal::decibel::FLOOR_DB;
use crate::signal::{BLOCK, StereoBlock};

/// Frames of the sound before and after the watched station that a report holds.
pub const SCOPE: usize = 4096;
/// Blocks of reduction kept between two reports: 0.34 s at 48 kHz.
const TRACE_BLOCKS: usize = 128;
/// Tenths of a second in momentary loudness.
const MOMENTARY: usize = 4;
/// Share of the width's sums that a block leaves: about a second's memory.
const WIDTH_KEEP: f64 = 1.0 - 1.0 / 375.0;

/// The last frames before and after the watched station, channels averaged.
pub(super) struct Scope {
    before: Vec<f32>,
    after: Vec<f32>,
    write: usize,
}

impl Default for Scope {
    fn default() -> Self {
        Self { before: vec![0.0; SCOPE], after: vec![0.0; SCOPE], write: 0 }
    }
}

impl Scope {
    pub(super) fn see(&mut self, watched: usize, point: usize, block: &StereoBlock) {
        let ring = if point == watched {
            &mut self.before
        } else if point == watched + 1 {
            &mut self.after
        } else {
            return;
        };
        let stretch = &mut ring[self.write..self.write + BLOCK];
        for ((out, l), r) in stretch.iter_mut().zip(&block.left).zip(&block.right) {
            *out = 0.5 * (l + r);
        }
    }

    pub(super) fn advance(&mut self) {
        self.write = (self.write + BLOCK) % SCOPE;
    }

    /// Writes both, oldest first.
    pub(super) fn copy_to(&self, before: &mut Vec<f32>, after: &mut Vec<f32>) {
        for (ring, out) in [(&self.before, before), (&self.after, after)] {
            out.clear();
            out.extend_from_slice(&ring[self.write..]);
            out.extend_from_slice(&ring[..self.write]);
        }
    }
}

/// Most reduction of the watched station in each block since the last report.
pub(super) struct Trace {
    blocks: [f32; TRACE_BLOCKS],
    len: usize,
    now: f32,
}

impl Default for Trace {
    fn default() -> Self {
        Self { blocks: [0.0; TRACE_BLOCKS], len: 0, now: 0.0 }
    }
}

impl Trace {
    pub(super) fn take(&mut self, rack: Option<&Rack>, watched: usize) {
        let reduction = rack.and_then(|r| r.stations().get(watched)).and_then(|s| s.reduction());
        self.now = reduction.map_or(0.0, |r| r.iter().fold(0.0, |m, x| m.max(*x)));
        if self.len < TRACE_BLOCKS {
            self.blocks[self.len] = self.now;
            self.len += 1;
        }
    }

    /// Reduction of the last block in dB.
    pub(super) fn now(&self) -> f32 {
        self.now
    }

    /// Writes the values, and starts anew.
    pub(super) fn drain_into(&mut self, out: &mut Vec<f32>) {
        out.clear();
        out.extend_from_slice(&self.blocks[..self.len]);
        self.len = 0;
    }
}

/// Momentary loudness: of the last four tenths of a second (ITU-R BS.1770).
pub(super) struct Momentary {
    loudness: LoudnessMeter,
    tenths: [f64; MOMENTARY],
    next: usize,
}

impl Momentary {
    pub(super) fn new(rate: f64) -> Self {
        Self { loudness: LoudnessMeter::new(rate, 2), tenths: [0.0; MOMENTARY], next: 0 }
    }

    pub(super) fn push(&mut self, block: &StereoBlock) {
        let (tenths, next) = (&mut self.tenths, &mut self.next);
        self.loudness.push(block, BLOCK, |tenth| {
            tenths[*next] = tenth;
            *next = (*next + 1) % MOMENTARY;
        });
    }

    /// In LUFS.
    pub(super) fn lufs(&self) -> f32 {
        let mean = self.tenths.iter().sum::<f64>() / MOMENTARY as f64;
        (if mean <= 0.0 { FLOOR_DB } else { lufs(mean) }) as f32
    }

    pub(super) fn reset(&mut self) {
        self.loudness.reset();
        self.tenths = [0.0; MOMENTARY];
    }
}

/// Meters of what is heard, before any monitor check.
pub(super) struct OutputMeters {
    momentary: Momentary,
    true_peak: TruePeakMeter,
    level: LevelMeter,
    width: WidthMeter,
}

impl OutputMeters {
    pub(super) fn new(rate: f64) -> Self {
        Self {
            momentary: Momentary::new(rate),
            true_peak: TruePeakMeter::default(),
            level: LevelMeter::default(),
            width: WidthMeter::default(),
        }
    }

    pub(super) fn push(&mut self, block: &StereoBlock) {
        self.momentary.push(block);
        self.true_peak.push(block);
        self.level.push(block, BLOCK);
        self.width.forget(WIDTH_KEEP);
        self.width.push(block, BLOCK);
    }

    /// Momentary loudness in LUFS, true peak since play in dBTP, sample peak since the
    /// last call in dBFS.
    pub(super) fn take(&mut self) -> [f32; 3] {
        let peak = std::mem::take(&mut self.level).peak_db();
        [self.momentary.lufs(), self.true_peak.dbtp() as f32, peak as f32]
    }

    /// Side against mid in dB, over the last second or so.
    pub(super) fn width_db(&self) -> f32 {
        self.width.width_db() as f32
    }

    pub(super) fn reset(&mut self) {
        self.momentary.reset();
        self.true_peak = TruePeakMeter::default();
        self.width = WidthMeter::default();
    }
}
