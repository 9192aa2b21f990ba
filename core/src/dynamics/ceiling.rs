//! A gain that keeps what is between the samples below a ceiling.
//!
//! The true peak about each frame is read at four times the rate (ITU-R BS.1770-4, annex 2) with a
//! parabola through each local peak, so that nothing up to 20 kHz is read more than a few
//! hundredths of a decibel low; a last stage reads again, more closely, where that comes near the ceiling. What it is over is asked for from when it is seen until it leaves,
//! let go by a release, and averaged over just that time: a mean of gains each of which is low
//! enough is low enough, and moves without a corner.

use super::peak_hold::SlidingMax;
use super::release::AutoRelease;
use super::time_constant::keep;
use crate::signal::between::{BESIDE, CloseReader, Interpolator, Values};
use crate::signal::decibel::{db_to_gain, gain_to_db};
use crate::signal::math::flush;
use crate::signal::{BLOCK, Frame};

/// A gain of 1 as a whole number: sums of whole numbers are exact however long they run.
const UNITY: f64 = (1u64 << 40) as f64;

/// True peak of both sides about the frame [`Interpolator::LATENCY`] before the newest.
#[derive(Clone, Debug)]
struct PeakReader {
    between: Interpolator,
    /// The last two frames of values at four times the rate, as magnitudes; known while they are followed.
    last: [Frame; 2],
    followed: bool,
}

impl PeakReader {
    fn new() -> Self {
        Self { between: Interpolator::new(), last: [[0.0; 2]; 2], followed: false }
    }

    fn reset(&mut self) {
        *self = Self::new();
    }

    /// Peaks about each frame; 0 where it is certain that they do not reach `least`.
    fn process(&mut self, frames: &[Frame; BLOCK], least: f64) -> [[f64; 2]; BLOCK] {
        self.between.take(frames);
        let mut peaks = [[0.0; 2]; BLOCK];
        for (group, peaks) in peaks.chunks_exact_mut(BESIDE).enumerate() {
            let matters = self.between.bound(group) >= least;
            if matters {
                if !self.followed {
                    self.last = self.between.before(group).map(|frame| frame.map(f64::abs));
                }
                for (peaks, values) in peaks.iter_mut().zip(self.between.group(group)) {
                    *peaks = self.peaks(values);
                }
            }
            self.followed = matters;
        }
        peaks
    }

    #[inline]
    fn peaks(&mut self, values: Values) -> [f64; 2] {
        let mut peaks = [0.0f64; 2];
        for values in values {
            let [before, middle] = self.last;
            let values = values.map(f64::abs);
            for (side, peak) in peaks.iter_mut().enumerate() {
                let (before, middle, y) = (before[side], middle[side], values[side]);
                // The parabola through three neighbours, where the middle one is the highest.
                if middle >= before && middle >= y {
                    let bend = before - 2.0 * middle + y;
                    let rise = before - y;
                    let top = if bend < -1e-12 { middle - rise * rise / (8.0 * bend) } else { middle };
                    *peak = peak.max(top);
                }
                *peak = peak.max(y);
            }
            self.last = [middle, values];
        }
        peaks
    }
}

/// A peak that comes so near to the ceiling is read again, and one that is then still so near once more, in dB.
const NEAR_DB: [f64; 2] = [2.5, 0.6];
/// Frames by which reading closely is later.
const LATER: usize = CloseReader::LATENCY - Interpolator::LATENCY;

/// Peaks read again closely.
#[derive(Clone, Debug)]
struct Again {
    reader: CloseReader,
    /// Peaks as they were read at first, that wait for it; a ring.
    waiting: Vec<[f64; 2]>,
    at: usize,
}

impl Again {
    fn new() -> Self {
        Self { reader: CloseReader::new(), waiting: vec![[0.0; 2]; LATER], at: 0 }
    }

    fn reset(&mut self) {
        self.reader.reset();
        self.waiting.fill([0.0; 2]);
    }

    /// The peaks of a block, later, with those that are `near` read closely.
    fn process(
        &mut self,
        frames: &[Frame; BLOCK],
        peaks: &mut [[f64; 2]; BLOCK],
        [near, very_near]: [f64; NEAR_DB.len()],
    ) {
        self.reader.take(frames);
        for (at, peaks) in peaks.iter_mut().enumerate() {
            std::mem::swap(peaks, &mut self.waiting[self.at]);
            self.at = if self.at + 1 == LATER { 0 } else { self.at + 1 };
            for (side, peak) in peaks.iter_mut().enumerate() {
                if *peak > near {
                    *peak = peak.max(self.reader.peak(at, side, very_near));
                }
            }
        }
    }
}

/// The running gain of two channels.
#[derive(Clone, Debug)]
pub struct Ceiling {
    reader: PeakReader,
    again: Option<Again>,
    /// dB asked for, until they have left.
    ahead: [SlidingMax; 2],
    release_keep: f64,
    auto: [AutoRelease; 2],
    released: [f64; 2],
    /// Gains over the window, as whole numbers, and their sum; a ring.
    ring: [Vec<u64>; 2],
    at: usize,
    sum: [u64; 2],
    /// The ceiling as it was last, in dBFS and as a factor.
    ceiling_db: f64,
    ceiling: f64,
}

/// Frames that a window of `window` frames makes late; `closely` says whether peaks are read again.
#[must_use]
pub fn latency(window: usize, closely: bool) -> usize {
    1 + window + if closely { CloseReader::LATENCY } else { Interpolator::LATENCY }
}

impl Ceiling {
    /// At rest, looking ahead over `window` frames (at least 1), and reading `closely` or once.
    #[must_use]
    pub fn new(window: usize, closely: bool) -> Self {
        let window = window.max(1);
        // A frame on either side: the peak read may lie before or after its frame.
        Self {
            reader: PeakReader::new(),
            again: closely.then(Again::new),
            ahead: [SlidingMax::new(window + 1), SlidingMax::new(window + 1)],
            release_keep: 0.0,
            auto: [AutoRelease::default(); 2],
            released: [0.0; 2],
            ring: [vec![UNITY as u64; window], vec![UNITY as u64; window]],
            at: 0,
            sum: [UNITY as u64 * window as u64; 2],
            ceiling_db: 0.0,
            ceiling: 1.0,
        }
    }

    /// Changes the release.
    pub fn set(&mut self, release_ms: f64, auto_release: bool, rate: f64) {
        self.release_keep = keep(AutoRelease::release_ms(auto_release, release_ms), rate);
        self.auto.iter_mut().for_each(|auto| auto.set(auto_release, release_ms, rate));
    }

    /// Forgets the past.
    pub fn reset(&mut self) {
        self.reader.reset();
        self.again.iter_mut().for_each(Again::reset);
        self.ahead.iter_mut().for_each(SlidingMax::reset);
        self.auto.iter_mut().for_each(AutoRelease::reset);
        self.released = [0.0; 2];
        for ring in &mut self.ring {
            ring.fill(UNITY as u64);
        }
        self.sum = [UNITY as u64 * self.ring[0].len() as u64; 2];
        self.at = 0;
    }

    /// Gains of both sides, for the frames that came [`latency`] frames before these; of `links` so
    /// much of what the louder side asks for counts on the other.
    pub fn process(
        &mut self,
        frames: &[Frame; BLOCK],
        ceilings_db: &[f64; BLOCK],
        links: &[f64; BLOCK],
    ) -> [[f64; 2]; BLOCK] {
        let lowest = db_to_gain(ceilings_db.iter().copied().fold(f64::MAX, f64::min));
        let near = NEAR_DB.map(|under| lowest * db_to_gain(-under));
        let mut gains = self.reader.process(frames, if self.again.is_some() { near[0] } else { lowest });
        if let Some(again) = &mut self.again {
            again.process(frames, &mut gains, near);
        }
        if self.is_at_rest() && gains.as_flattened().iter().all(|peak| *peak <= lowest) {
            return self.rest_on();
        }
        for (i, gains) in gains.iter_mut().enumerate() {
            *gains = self.next(*gains, ceilings_db[i], links[i]);
        }
        self.settle();
        gains
    }

    /// Whether all it would give for what is below the ceiling is a gain of 1.
    fn is_at_rest(&self) -> bool {
        let unity = UNITY as u64 * self.ring[0].len() as u64;
        self.released == [0.0; 2] && self.sum == [unity; 2] && self.auto.iter().all(|auto| auto.floor() == 0.0)
    }

    /// A block of gains of 1. Nothing it holds changes: zeros that are looked ahead at ask for nothing, gains of 1
    /// stand everywhere in the ring.
    fn rest_on(&mut self) -> [[f64; 2]; BLOCK] {
        self.ahead.iter_mut().for_each(SlidingMax::reset);
        [[1.0; 2]; BLOCK]
    }

    /// Gains after a frame of these peaks.
    #[inline]
    fn next(&mut self, peaks: [f64; 2], ceiling_db: f64, link: f64) -> [f64; 2] {
        if ceiling_db != self.ceiling_db {
            (self.ceiling_db, self.ceiling) = (ceiling_db, db_to_gain(ceiling_db));
        }
        let ceiling = self.ceiling;
        let over = peaks.map(|peak| if peak > ceiling { gain_to_db(peak) - ceiling_db } else { 0.0 });
        let more = over[0].max(over[1]);
        let size = self.ring[0].len();
        self.at = if self.at + 1 == size { 0 } else { self.at + 1 };
        let mut gains = [UNITY as u64; 2];
        for side in 0..2 {
            let asked = self.ahead[side].next(over[side] + link * (more - over[side]));
            let floor = self.auto[side].floor();
            let falling = floor * (1.0 - self.release_keep) + self.released[side] * self.release_keep;
            self.released[side] = asked.max(falling);
            self.auto[side].count(self.released[side]);
            // Linked sides are turned down alike: worked out once.
            gains[side] = if side == 1 && self.released[1] == self.released[0] {
                gains[0]
            } else if self.released[side] == 0.0 {
                UNITY as u64
            } else {
                (UNITY * db_to_gain(-self.released[side])) as u64
            };
            self.sum[side] = self.sum[side] + gains[side] - self.ring[side][self.at];
            self.ring[side][self.at] = gains[side];
        }
        self.sum.map(|sum| sum as f64 / (UNITY * size as f64))
    }

    /// Ends a block: what has become too small to matter is taken as zero.
    fn settle(&mut self) {
        self.released = self.released.map(|r| if r < 1e-9 { 0.0 } else { flush(r) });
        self.auto.iter_mut().for_each(AutoRelease::settle);
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::signal::math::{TAU, sin};

    #[test]
    fn a_peak_that_falls_between_the_values_of_four_times_the_rate_is_read_within_3_hundredths_of_a_decibel() {
        for hz in [3000.0, 9000.0, 14_000.0, 18_500.0] {
            // Sines whose peaks fall anywhere; read once, as a ceiling that does not read closely does.
            for phase in 0..16 {
                let mut reader = PeakReader::new();
                let mut highest = 0.0f64;
                for block in 0..8 {
                    let at = |i: usize| TAU * (hz * (block * BLOCK + i) as f64 / 48_000.0 + f64::from(phase) / 16.0);
                    let peaks = reader.process(&std::array::from_fn(|i| [sin(at(i)); 2]), 0.5);
                    if block > 1 {
                        highest = peaks.iter().fold(highest, |m, p| m.max(p[0]));
                    }
                }
                let db = gain_to_db(highest);
                assert!(db.abs() < 0.03, "{hz} Hz from phase {phase} of 16: {db:.3} dB");
            }
        }
    }

    #[test]
    fn the_parabola_through_three_values_has_the_top_that_its_formula_says() {
        // y = 2 - (x - 0.2)^2 at -1, 0 and 1: the top is 2.
        let mut reader = PeakReader::new();
        let y = |x: f64| 2.0 - (x - 0.2) * (x - 0.2);
        reader.last = [[y(-1.0); 2], [y(0.0); 2]];
        let peaks = reader.peaks([[y(1.0); 2], [0.0; 2], [0.0; 2], [0.0; 2]]);
        assert!((peaks[0] - 2.0).abs() < 1e-12, "{}", peaks[0]);
    }
}
