//! What a rack did to a whole part: figures at every point of its wire.
//!
//! Runs the rack once and measures at the input and after each station, so that
//! the page can show level and crest along the wire, what changed by third
//! octave, where the reduction happened, and how loud each tenth of a second was
//! before and after (from which any stretch can be level-matched).

use serde::{Deserialize, Serialize};

use super::level::LevelMeter;
use super::loudness::{LoudnessMeter, integrated_lufs};
use super::overview::{FRAMES_PER_PAIR, Overview};
use super::third_octave::{BANDS, TWELFTHS, ThirdOctaves};
use super::width::{Correlation, WidthMeter};
use crate::rack::Rack;
use crate::rack::station::Station;
use crate::render::{Mixer, Plan, Source};
use crate::session::{Session, Strip};
use crate::signal::decibel::gain_to_db;
use crate::signal::{BLOCK, Frame, StereoBlock};

/// Lowest level of the histogram in dBFS; its bins are 1 dB wide, up to 0.
pub const HISTOGRAM_FLOOR_DB: i32 = -72;
/// Its bins, of one dB each.
const HISTOGRAM_BINS: usize = HISTOGRAM_FLOOR_DB.unsigned_abs() as usize + 1;

/// Figures at one point of the wire.
#[derive(Clone, Debug, Serialize, Deserialize)]
#[cfg_attr(feature = "types", derive(ts_rs::TS))]
pub struct PointFigures {
    /// Gated loudness in LUFS; absent for silence.
    pub lufs: Option<f64>,
    /// Sample peak in dBFS.
    pub peak_db: f64,
    /// RMS in dBFS.
    pub rms_db: f64,
    /// Peak minus RMS in dB.
    pub crest_db: f64,
    /// Side against mid in dB; see [`WidthMeter::width_db`].
    pub width_db: f64,
    /// Third-octave levels in dBFS.
    #[cfg_attr(feature = "types", ts(type = "number[]"))]
    pub third_octave: [f64; BANDS],
    /// Side against middle in dB by third octaves; see [`ThirdOctaves::side_to_mid_db`].
    #[cfg_attr(feature = "types", ts(type = "number[]"))]
    pub side_to_mid_db: [f64; BANDS],
    /// How alike both sides are, each tenth of a second, in hundredths; see [`Correlation`].
    pub correlation: Vec<Option<i8>>,
    /// The same in twelfths of an octave ([`super::third_octave::TWELFTHS`]).
    pub twelfths: Vec<f64>,
    /// Share of peak levels (per 128 frames) in each dB from
    /// [`HISTOGRAM_FLOOR_DB`] to 0, in thousandths.
    pub histogram: Vec<u16>,
    /// Waveform: extremes of each 512 frames, full scale 1000; the delay up to this point taken
    /// off, so that all points show the same moments.
    pub overview: Vec<[i16; 2]>,
}

/// What a station took away over time.
#[derive(Clone, Debug, Serialize, Deserialize)]
#[cfg_attr(feature = "types", derive(ts_rs::TS))]
pub struct ReductionFigures {
    /// The unit.
    pub unit: u32,
    /// Most reduction in dB in each stretch of 512 frames, in tenths of a dB.
    pub trace: Vec<u16>,
    /// Largest reduction in dB.
    pub max_db: f64,
    /// Mean reduction in dB while anything was taken away.
    pub mean_db: f64,
    /// Share of time in which more than 0.5 dB was taken away.
    pub share: f64,
    /// Levels of what drives it, as [`PointFigures::histogram`].
    pub histogram: Vec<u16>,
}

/// How often and how far one row of a unit moved its gain.
#[derive(Clone, Debug, Serialize, Deserialize)]
#[cfg_attr(feature = "types", derive(ts_rs::TS))]
pub struct MoveFigures {
    /// The unit.
    pub unit: u32,
    /// The row, 0 first.
    pub row: usize,
    /// Largest movement in dB, whichever way.
    pub max_db: f64,
    /// Share of time in which it moved by more than 0.5 dB.
    pub share: f64,
}

/// Everything measured in one run.
#[derive(Clone, Debug, Serialize, Deserialize)]
#[cfg_attr(feature = "types", derive(ts_rs::TS))]
pub struct Treatment {
    /// At the input and after each station.
    pub points: Vec<PointFigures>,
    /// Reduction of the stations that reduce.
    pub reductions: Vec<ReductionFigures>,
    /// Movement of the rows whose gain moved.
    pub moves: Vec<MoveFigures>,
    /// Loudness energy of each tenth of a second before and after the rack.
    pub tenths_in: Vec<f64>,
    /// See `tenths_in`.
    pub tenths_out: Vec<f64>,
    /// Delay of the rack in frames; what comes out is that much later.
    pub latency: usize,
}

/// dB from which a unit counts as working.
const WORKING_DB: f32 = 0.5;

/// Shares of time by peak level.
struct Histogram {
    counts: Vec<u32>,
    blocks: u32,
}

impl Default for Histogram {
    fn default() -> Self {
        Self { counts: vec![0; HISTOGRAM_BINS], blocks: 0 }
    }
}

impl Histogram {
    /// Takes in the largest magnitude of a block.
    fn push(&mut self, peak: f64) {
        let bin = gain_to_db(peak).floor() as i32 - HISTOGRAM_FLOOR_DB;
        if bin >= 0 {
            self.counts[(bin as usize).min(HISTOGRAM_BINS - 1)] += 1;
        }
        self.blocks += 1;
    }

    /// In thousandths.
    fn finish(&self) -> Vec<u16> {
        let share = |n: &u32| (f64::from(*n) * 1000.0 / f64::from(self.blocks.max(1))).round() as u16;
        self.counts.iter().map(share).collect()
    }
}

/// Collects the figures of one point, block by block.
pub(super) struct Point {
    level: LevelMeter,
    loudness: LoudnessMeter,
    /// Loudness energy of each tenth of a second.
    pub(super) tenths: Vec<f64>,
    third_octaves: ThirdOctaves,
    width: WidthMeter,
    correlation: Correlation,
    levels: Histogram,
    overview: Overview,
}

impl Point {
    /// Where the sound is `late` frames late.
    pub(super) fn new(rate: f64, late: usize) -> Self {
        Self {
            level: LevelMeter::default(),
            loudness: LoudnessMeter::new(rate, 2),
            tenths: Vec::new(),
            third_octaves: ThirdOctaves::new(rate, ThirdOctaves::LONG),
            levels: Histogram::default(),
            width: WidthMeter::default(),
            correlation: Correlation::new((rate / 10.0).round() as usize),
            overview: Overview::late(late),
        }
    }

    pub(super) fn push(&mut self, block: &StereoBlock) {
        self.level.push(block, BLOCK);
        self.loudness.push(block, BLOCK, |tenth| self.tenths.push(tenth));
        self.third_octaves.push(block, BLOCK);
        self.overview.push(block, BLOCK);
        self.width.push(block, BLOCK);
        self.correlation.push(block, BLOCK);
        self.levels.push(f64::from(block.peak()));
    }

    pub(super) fn finish(&mut self) -> PointFigures {
        PointFigures {
            lufs: integrated_lufs(&self.tenths),
            peak_db: self.level.peak_db(),
            rms_db: self.level.rms_db(),
            crest_db: self.level.crest_db(),
            width_db: self.width.width_db(),
            third_octave: self.third_octaves.levels_db(),
            side_to_mid_db: self.third_octaves.side_to_mid_db(),
            correlation: std::mem::replace(&mut self.correlation, Correlation::new(1)).finish(),
            twelfths: self.third_octaves.fine_levels_db(TWELFTHS),
            histogram: self.levels.finish(),
            overview: std::mem::take(&mut self.overview).finish(),
        }
    }
}

#[derive(Default)]
struct ReductionMeter {
    levels: Histogram,
    trace: Vec<u16>,
    now: f32,
    blocks_in_step: usize,
    sum: f64,
    working: u64,
    total: u64,
    max: f32,
}

impl ReductionMeter {
    fn push(&mut self, reduction: Option<&[f32; BLOCK]>, detected: Option<&[Frame; BLOCK]>) {
        let peak = detected.into_iter().flatten().flatten().fold(0.0, |peak: f64, x| peak.max(x.abs()));
        self.levels.push(peak);
        if let Some(reduction) = reduction {
            for r in reduction {
                self.now = self.now.max(*r);
                if *r > WORKING_DB {
                    self.sum += f64::from(*r);
                    self.working += 1;
                }
            }
        }
        self.max = self.max.max(self.now);
        self.total += BLOCK as u64;
        self.blocks_in_step += 1;
        if self.blocks_in_step * BLOCK == FRAMES_PER_PAIR {
            self.trace.push((self.now * 10.0).round() as u16);
            (self.now, self.blocks_in_step) = (0.0, 0);
        }
    }

    fn finish(self, unit: u32) -> ReductionFigures {
        ReductionFigures {
            unit,
            trace: self.trace,
            max_db: f64::from(self.max),
            mean_db: self.sum / (self.working.max(1)) as f64,
            share: self.working as f64 / self.total.max(1) as f64,
            histogram: self.levels.finish(),
        }
    }
}

/// Movement of one row over time.
struct MoveMeter {
    unit: u32,
    row: usize,
    max: f32,
    working: u64,
    total: u64,
}

impl MoveMeter {
    fn push(&mut self, moved_db: f32) {
        self.max = self.max.max(moved_db.abs());
        self.working += u64::from(moved_db.abs() > WORKING_DB);
        self.total += 1;
    }

    fn finish(&self) -> Option<MoveFigures> {
        let share = self.working as f64 / self.total.max(1) as f64;
        let Self { unit, row, max, .. } = *self;
        (max > 0.0).then(|| MoveFigures { unit, row, max_db: f64::from(max), share })
    }
}

/// Runs a strip's rack, with its keys, and measures after each unit.
pub struct TreatmentRun {
    mixer: Mixer,
    /// Where in the song the sources stand.
    song_frame: i64,
    /// Blocks that are only heard: what comes before the stretch that is measured.
    led_in: u64,
    sources: Vec<Source>,
    points: Vec<Point>,
    reductions: Vec<(u32, ReductionMeter)>,
    moves: Vec<MoveMeter>,
}

/// A meter for each row of a unit.
fn meters_of(unit: &crate::rack::UnitSpec) -> impl Iterator<Item = MoveMeter> {
    let id = unit.id;
    (0..unit.settings.rows().len()).map(move |row| MoveMeter { unit: id, row, max: 0.0, working: 0, total: 0 })
}

/// Frames by which the sound is late before the first unit and after each of `units`.
fn lateness(mixer: &Mixer, units: usize) -> Vec<usize> {
    let rack = mixer.focus_rack();
    let mut late = vec![mixer.latency() - rack.map_or(0, Rack::latency)];
    for i in 0..units {
        let own = rack.and_then(|rack| rack.stations().get(i)).map_or(0, Station::latency);
        late.push(late[i] + own);
    }
    late
}

impl TreatmentRun {
    /// A run of a strip's rack from rest.
    #[must_use]
    pub fn new(session: &Session, strip: &Strip) -> Self {
        let rate = f64::from(session.rate);
        let plan = Plan::treatment(session, strip);
        let reduces = |u: &&crate::rack::UnitSpec| u.kind.reduces;
        let units = &strip.rack.units;
        let mixer = Mixer::new(&plan, session);
        Self {
            points: lateness(&mixer, units.len()).into_iter().map(|late| Point::new(rate, late)).collect(),
            mixer,
            song_frame: 0,
            led_in: 0,
            sources: plan.lanes().map(|(_, source)| source.clone()).collect(),
            moves: units.iter().flat_map(meters_of).collect(),
            reductions: units.iter().filter(reduces).map(|u| (u.id, ReductionMeter::default())).collect(),
        }
    }

    /// The same of a stretch of the song: its sources stand at frame `from`, a whole number of blocks, and it is measured
    /// from `lead_in` frames later on, counted in whole blocks.
    #[must_use]
    pub fn starting_at(mut self, from: u64, lead_in: u64) -> Self {
        (self.song_frame, self.led_in) = (from as i64, lead_in / BLOCK as u64);
        self
    }

    /// What it is to be fed with, in order.
    #[must_use]
    pub fn sources(&self) -> &[Source] {
        &self.sources
    }

    /// Delay of the rack in frames.
    #[must_use]
    pub fn latency(&self) -> usize {
        self.mixer.latency()
    }

    /// Works on one block of each source and measures on the way.
    pub fn process(&mut self, inputs: &[StereoBlock]) {
        let (points, is_measured) = (&mut self.points, self.led_in == 0);
        let mut out = StereoBlock::SILENT;
        self.mixer.process(inputs, self.song_frame, &mut out, |i, at| {
            if is_measured {
                points[i].push(at);
            }
        });
        self.song_frame += BLOCK as i64;
        if !is_measured {
            self.led_in -= 1;
            return;
        }
        let stations = self.mixer.focus_rack().map_or(&[][..], |rack| rack.stations());
        for (unit, meter) in &mut self.reductions {
            let station = stations.iter().find(|s| s.unit_id() == *unit);
            meter.push(station.and_then(|s| s.reduction()), station.and_then(|s| s.detected()));
        }
        for meter in &mut self.moves {
            let station = stations.iter().find(|s| s.unit_id() == meter.unit);
            meter.push(station.and_then(|s| s.moves().get(meter.row).copied()).unwrap_or(0.0));
        }
    }

    /// All figures of the run.
    #[must_use]
    pub fn finish(mut self) -> Treatment {
        let latency = self.latency();
        let points: Vec<_> = self.points.iter_mut().map(Point::finish).collect();
        let last = self.points.len() - 1;
        Treatment {
            points,
            moves: self.moves.iter().filter_map(MoveMeter::finish).collect(),
            reductions: self.reductions.into_iter().map(|(unit, m)| m.finish(unit)).collect(),
            tenths_in: std::mem::take(&mut self.points[0].tenths),
            tenths_out: if last == 0 { Vec::new() } else { std::mem::take(&mut self.points[last].tenths) },
            latency,
        }
    }
}

impl Treatment {
    /// Gain in dB that brings the untouched sound to the loudness of the worked
    /// one between two tenths of a second; 0 where one of them is silent.
    #[must_use]
    pub fn match_db(&self, from_tenth: usize, to_tenth: usize) -> f64 {
        if self.tenths_out.is_empty() {
            return 0.0;
        }
        let cut = |t: &[f64]| integrated_lufs(&t[from_tenth.min(t.len())..to_tenth.min(t.len())]);
        match (cut(&self.tenths_in), cut(&self.tenths_out)) {
            (Some(a), Some(b)) => b - a,
            _ => 0.0,
        }
    }
}

#[cfg(test)]
#[allow(clippy::unwrap_used)]
mod tests {
    use super::*;
    use crate::rack::RackSpec;
    use crate::session::{AudioRef, Family, Role};
    use serde_json::json;

    #[test]
    fn every_point_of_the_wire_shows_a_hit_at_the_same_moment_however_late_its_units_are() {
        let mut session = Session::new("test", 48_000);
        let audio = AudioRef { hash: "ab".into(), channels: 1, frames: 96_000, start: 0, stamp: None };
        let id = session.add_strip("Lead", Family::Gt, Role::Track(audio), 1);
        let linear =
            json!({"kind": "surgical-eq", "params": {"phase": "linear", "bands": [{"freq_hz": 900, "gain_db": -3}]}});
        let late = json!({"kind": "compressor", "params": {"lookahead_ms": 9, "threshold_db": 0}});
        let spec = RackSpec::from_json(&json!({"zinc_rack": 1, "units": [linear, late]})).unwrap();
        session.strip_mut(id).unwrap().rack = spec;
        let mut run = TreatmentRun::new(&session, session.strip(id).unwrap());
        assert!(run.latency() > 2 * FRAMES_PER_PAIR);
        // In the middle of a pair, so that a kernel's ripple stays in its neighbours.
        let hit = 40 * FRAMES_PER_PAIR + FRAMES_PER_PAIR / 2;
        for first in (0..96_000).step_by(BLOCK) {
            let mut block = StereoBlock::SILENT;
            if (first..first + BLOCK).contains(&hit) {
                block.set_frame(hit - first, [0.5; 2]);
            }
            run.process(&[block]);
        }
        for point in run.finish().points {
            let highest = point.overview.iter().enumerate().max_by_key(|(_, pair)| pair[1]).unwrap();
            assert_eq!(highest.0, 40, "{:?}", highest.1);
        }
    }

    #[test]
    fn a_stretch_is_measured_as_it_sounds_after_what_came_before_it_and_nothing_of_that_is_counted() {
        let mut session = Session::new("test", 48_000);
        let audio = AudioRef { hash: "ab".into(), channels: 1, frames: 480_000, start: 0, stamp: None };
        let id = session.add_strip("Lead", Family::Gt, Role::Track(audio), 1);
        let slow = json!({"kind": "compressor", "params": {"threshold_db": -40, "ratio": 4, "release_ms": 800}});
        session.strip_mut(id).unwrap().rack = RackSpec::from_json(&json!({"zinc_rack": 1, "units": [slow]})).unwrap();
        // Five seconds of full scale, then a tone 20 dB softer that the release is still at work on.
        let sample = |n: usize| {
            let level = if n < 240_000 { 1.0 } else { 0.1 };
            level * (std::f64::consts::TAU * 1000.0 * n as f64 / 48_000.0).sin()
        };
        let block = |first: usize| {
            let mut block = StereoBlock::SILENT;
            (0..BLOCK).for_each(|i| block.set_frame(i, [sample(first + i); 2]));
            block
        };
        let of = |from: usize, lead: usize, to: usize| {
            let run = TreatmentRun::new(&session, session.strip(id).unwrap());
            let mut run = run.starting_at(from as u64, lead as u64);
            (from..to).step_by(BLOCK).for_each(|first| run.process(&[block(first)]));
            run.finish()
        };
        let (at, to) = (240_000, 336_000);
        let [told, cold] = [of(0, at, to), of(at, 0, to)];
        assert!(
            (told.points[0].peak_db + 20.0).abs() < 0.01,
            "the loud part is not counted: {}",
            told.points[0].peak_db
        );
        assert_eq!(told.points[0].overview.len(), (to - at).div_ceil(FRAMES_PER_PAIR));
        // 40 dB over 4:1 took 30 dB; that is what it begins with.
        let most = |t: &Treatment| t.reductions[0].max_db;
        assert!(most(&told) > 29.0 && most(&cold) < 16.0, "{} {}", most(&told), most(&cold));
        // Led in by less than all that came before it, it is the same.
        let near = of(at - 96_000, 96_000, to);
        let lufs = |t: &Treatment| t.points[1].lufs.unwrap();
        assert!((lufs(&near) - lufs(&told)).abs() < 0.01, "{} {}", lufs(&near), lufs(&told));
    }
}
