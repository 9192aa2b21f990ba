//! One unit at work: its switch, mix, trim and place around its processor.
//!
//! What is heard of it gives way to another sound in three cases, all of them a crossfade ([`cross`]) from what was to what
//! is: a value has **stepped** (the unit as it was is *leaving*), the song **comes** to where another shape holds (that one
//! is faded in before), or the song has **jumped** there (the shape that was heard is *left behind*).

use super::over_time::{Common, Moved, OverTime, ShapeSpec, Shapes};
use super::shape::{Shape, cross, put_part_back, shapes_of, take_part, wake};
use super::spec::{UnitSpec, UnitTap};
use crate::course::APPROACH_S;
use crate::signal::decibel::db_to_gain;
use crate::signal::place::Place;
use crate::signal::{BLOCK, Frame, Ramp, StereoBlock, StereoDelay};
use crate::unit::Processor;

/// Blocks in which a shape fades out that a jump in the song left behind.
const FADE_BLOCKS: u32 = 8;

/// The unit as it was before a value stepped, faded out.
struct Leaving {
    processor: Box<dyn Processor>,
    /// Share still heard.
    share: Ramp,
    block: StereoBlock,
    /// What arrived meanwhile and steps again.
    pending: Option<UnitSpec>,
}

/// A running unit in its rack.
pub struct Station {
    spec: UnitSpec,
    rate: f64,
    /// Frames by which it delays, for life: other lateness takes another station.
    latency: usize,
    /// The unit, in as many shapes as it takes in the course of the song.
    shapes: Vec<Shape>,
    /// Which of them is heard.
    now: usize,
    over_time: Option<Box<OverTime>>,
    /// A shape that a jump in the song left behind, and blocks in which it fades out.
    left_behind: Option<(usize, u32)>,
    leaving: Option<Box<Leaving>>,
    /// The sound before the unit, as late as the unit's own.
    dry: StereoDelay,
    dry_block: StereoBlock,
    /// What a shape to come is given, and makes of it.
    coming_block: StereoBlock,
    /// Share of the unit's own sound: mix while on, 0 while off.
    wet: Ramp,
    /// Trim as a factor while on, 1 while off.
    trim: Ramp,
    /// Frame of the song at its input at the start of the last block.
    song_frame: i64,
}

impl Station {
    /// A unit on its way to `spec`; [`Self::snap`] puts it at rest there.
    #[must_use]
    pub fn new(spec: &UnitSpec, rate: f64) -> Self {
        let latency = spec.latency(rate);
        let over_time = OverTime::new(spec, latency, rate);
        let mut station = Self {
            shapes: shapes_of(spec, over_time.as_deref(), latency, rate),
            now: 0,
            over_time,
            left_behind: None,
            spec: spec.clone(),
            rate,
            latency,
            leaving: None,
            dry: StereoDelay::new(latency, latency, rate),
            dry_block: StereoBlock::SILENT,
            coming_block: StereoBlock::SILENT,
            wet: Ramp::new(0.0, rate),
            trim: Ramp::of_gain(1.0, rate),
            song_frame: 0,
        };
        station.glide_common();
        station.wet.snap();
        station.trim.snap();
        station
    }

    /// The same unit once more in its present state, on its way to `spec`; none where
    /// [`Self::is_same_unit`] does not hold.
    #[must_use]
    pub fn fork(&self, spec: &UnitSpec) -> Option<Self> {
        if !self.is_same_unit(spec) {
            return None;
        }
        let fork = |shape: &Shape| Shape {
            processor: shape.processor.fork(),
            place: shape.place,
            pad: shape.pad.clone(),
            awake: shape.awake,
        };
        let mut twin = Self {
            spec: self.spec.clone(),
            rate: self.rate,
            latency: self.latency,
            shapes: self.shapes.iter().map(fork).collect(),
            now: self.now,
            over_time: None,
            left_behind: None,
            leaving: None,
            dry: self.dry.clone(),
            dry_block: StereoBlock::SILENT,
            coming_block: StereoBlock::SILENT,
            wet: self.wet,
            trim: self.trim,
            song_frame: self.song_frame,
        };
        // A step that waits here is taken at once there: the twin is not heard yet.
        twin.over_time = twin.renewed(spec, self.over_time.as_deref());
        twin.put_settings(spec);
        twin.shapes[twin.now].place = twin.place_of(spec, twin.now);
        twin.spec = spec.clone();
        twin.glide_common();
        Some(twin)
    }

    /// Whether this is one unit at other settings, so that what it holds still means something.
    #[must_use]
    pub fn is_same_unit(&self, spec: &UnitSpec) -> bool {
        if self.spec.id != spec.id || self.spec.kind.id != spec.kind.id {
            return false;
        }
        if self.over_time.is_none() && spec.courses.is_empty() {
            return spec.kind.carries_on(&self.spec.settings, &spec.settings, self.rate);
        }
        let (own, other) = (Shapes::of(&self.spec), Shapes::of(spec));
        let carries_on = |(a, b): (&ShapeSpec, &ShapeSpec)| spec.kind.carries_on(&a.settings, &b.settings, self.rate);
        own.all.len() == other.all.len() && own.all.iter().zip(&other.all).all(carries_on)
    }

    /// Whether it can go to `spec` while it is heard.
    #[must_use]
    pub fn fits(&self, spec: &UnitSpec) -> bool {
        let in_place = |n: usize| self.shapes[n].place == self.place_of(spec, n);
        self.is_same_unit(spec) && self.spec.heard == spec.heard && (0..self.shapes.len()).all(in_place)
    }

    /// The part of the stereo image that a shape works on as `spec` says.
    fn place_of(&self, spec: &UnitSpec, shape: usize) -> Place {
        if spec.courses.is_empty() {
            return spec.place();
        }
        Shapes::of(spec).all.get(shape).map_or_else(|| spec.place(), |shape| shape.place)
    }

    /// What changes with the song as `spec` says, going on from what did before.
    fn renewed(&self, spec: &UnitSpec, before: Option<&OverTime>) -> Option<Box<OverTime>> {
        let mut fresh = OverTime::new(spec, self.latency, self.rate)?;
        match before {
            Some(before) => fresh.carry_on(before),
            None => fresh.begin_at(self.song_frame + BLOCK as i64, &self.spec),
        }
        Some(fresh)
    }

    /// Lets every shape go to its settings, as they are where the song is.
    fn put_settings(&mut self, spec: &UnitSpec) {
        let Some(over) = &self.over_time else {
            self.shapes[0].processor.set(&spec.settings);
            return;
        };
        for (shape, wanted) in self.shapes.iter_mut().zip(&over.shapes().all) {
            let mut settings = wanted.settings.clone();
            over.put_now(&mut settings);
            shape.processor.set(&settings);
        }
    }

    /// Goes to new settings of the same unit ([`Self::fits`]).
    pub fn set(&mut self, spec: &UnitSpec) {
        let heard = self.wet.value() > 0.0;
        if heard && spec.kind.steps(&self.spec.settings, &spec.settings) {
            if let Some(leaving) = &mut self.leaving {
                leaving.pending = Some(spec.clone());
                return;
            }
            let mut share = Ramp::new(1.0, self.rate);
            share.glide_to(0.0);
            self.leaving = Some(Box::new(Leaving {
                processor: self.shapes[self.now].processor.fork(),
                share,
                block: StereoBlock::SILENT,
                pending: None,
            }));
        } else if let Some(leaving) = &mut self.leaving {
            // The newest settings hold all that waited.
            if leaving.pending.is_some() {
                leaving.pending = Some(spec.clone());
                return;
            }
        }
        let changes = self.over_time.is_some() || !spec.courses.is_empty();
        if changes {
            let before = self.over_time.take();
            self.over_time = self.renewed(spec, before.as_deref());
        }
        if changes || self.spec.settings != spec.settings {
            self.put_settings(spec);
        }
        self.spec = spec.clone();
        self.glide_common();
    }

    /// Frees what has faded out and takes a step that had to wait; to be called now and then
    /// off the audio path.
    pub fn catch_up(&mut self) {
        if self.leaving.as_ref().is_some_and(|l| l.share.at_rest())
            && let Some(Leaving { pending: Some(spec), .. }) = self.leaving.take().map(|l| *l)
        {
            self.set(&spec);
        }
    }

    fn glide_common(&mut self) {
        let common = self.over_time.as_ref().map_or_else(Common::default, |over| over.common_now());
        self.glide_to(common);
    }

    /// Glides to what every unit has, as it is written down where it does not change with the song.
    fn glide_to(&mut self, common: Common) {
        let works = self.spec.works_at_all();
        let on = if works { common.on.unwrap_or_else(|| f64::from(u8::from(self.spec.is_on()))) } else { 0.0 };
        if on > 0.0 && self.wet.value() == 0.0 && self.wet.at_rest() && self.latency == 0 {
            // It has not been running: no stale sound from before.
            self.shapes[self.now].processor.reset();
            self.shapes[self.now].processor.snap();
        }
        let mix = common.mix.unwrap_or_else(|| self.spec.common.number("mix"));
        let trim_db = common.trim_db.unwrap_or_else(|| self.spec.common.number("trim_db"));
        self.wet.glide_to(on * mix);
        self.trim.glide_to(db_to_gain(on * trim_db));
    }

    /// Ends every glide at once.
    pub fn snap(&mut self) {
        self.shapes.iter_mut().for_each(|shape| shape.processor.snap());
        self.leaving = None;
        self.wet.snap();
        self.trim.snap();
    }

    /// Forgets the past.
    pub fn reset(&mut self) {
        for shape in &mut self.shapes {
            shape.processor.reset();
            shape.pad.reset();
        }
        if let Some(over) = &mut self.over_time {
            over.reset();
        }
        self.dry.reset();
        self.snap();
    }

    /// Frames by which this station delays, switched on or off.
    #[must_use]
    pub fn latency(&self) -> usize {
        self.latency
    }

    /// Frame of the song at its input at the start of the last block.
    #[must_use]
    pub fn song_frame(&self) -> i64 {
        self.song_frame
    }

    /// Reduction in dB of the last block, while the unit works.
    #[must_use]
    pub fn reduction(&self) -> Option<&[f32; BLOCK]> {
        if self.wet.value() == 0.0 { None } else { self.shapes[self.now].processor.reduction() }
    }

    /// What drove it in the last block, while the unit works.
    #[must_use]
    pub fn detected(&self) -> Option<&[Frame; BLOCK]> {
        if self.wet.value() == 0.0 { None } else { self.shapes[self.now].processor.detected() }
    }

    /// dB by which the gains of its rows move now, while the unit works.
    #[must_use]
    pub fn moves(&self) -> &[f32] {
        if self.wet.value() == 0.0 { &[] } else { self.shapes[self.now].processor.moves() }
    }

    /// Which unit this is.
    #[must_use]
    pub fn unit_id(&self) -> u32 {
        self.spec.id
    }

    /// Works on one block in place, driven by `key` where there is one. `song_frame` is where
    /// in the song the block's first frame stands.
    pub fn process(&mut self, block: &mut StereoBlock, key: Option<&StereoBlock>, song_frame: i64) {
        self.song_frame = song_frame;
        self.move_on();
        let off = self.wet.at_rest() && self.wet.value() == 0.0;
        let plain = self.wet.at_rest() && self.wet.value() == 1.0;
        self.dry_block.clone_from(block);
        self.dry.process(&mut self.dry_block);
        // A late unit goes on working unheard: its next sound is made of what comes in now.
        if !off || self.latency > 0 {
            self.run(block, key);
        }
        if off {
            block.clone_from(&self.dry_block);
        } else if !plain {
            self.blend(block);
        }
        if self.spec.heard == UnitTap::Key
            && let Some(frames) = self.shapes[self.now].processor.detected()
        {
            block.set_frames(frames);
            return;
        }
        if !self.trim.at_rest() || self.trim.value() != 1.0 {
            for i in 0..BLOCK {
                let gain = self.trim.next_value() as f32;
                block.left[i] *= gain;
                block.right[i] *= gain;
            }
        }
    }

    /// Brings what changes with the song to where it is to be at the end of this block.
    fn move_on(&mut self) {
        let Some(mut over) = self.over_time.take() else { return };
        let frame = self.song_frame;
        let heard = over.heard(frame);
        let (fresh, jumped) = (over.is_fresh(), heard.now != self.now);
        if fresh || jumped {
            // Where playing begins, where the shape to come has come, or where the song has jumped.
            let has_come = self.shapes[heard.now].awake;
            self.left_behind = (!fresh && !has_come).then_some((self.now, FADE_BLOCKS));
            self.now = heard.now;
            wake(&mut self.shapes[self.now], &over, frame);
        }
        if let Some((_, next)) = heard.next {
            wake(&mut self.shapes[next], &over, frame);
        }
        for (n, shape) in self.shapes.iter_mut().enumerate() {
            shape.awake &= n == self.now
                || heard.next.is_some_and(|(_, next)| n == next)
                || self.left_behind.is_some_and(|(left, _)| n == left);
        }
        if fresh {
            self.glide_to(over.common_at(frame));
            self.wet.snap();
            self.trim.snap();
            let processor = &mut self.shapes[self.now].processor;
            over.put(frame, processor.settings_mut());
            processor.take_settings();
            processor.snap();
        }
        let Moved { along, turned } = over.advance(frame);
        if along || turned {
            for shape in self.shapes.iter_mut().filter(|shape| shape.awake) {
                over.put_end(frame, shape.processor.settings_mut());
                shape.processor.take_settings();
                if along {
                    shape.processor.arrive(over.block_s());
                }
            }
        }
        self.glide_to(over.common());
        if over.moves_common() {
            self.wet.arrive(over.block_s());
            self.trim.arrive(over.block_s());
        }
        self.over_time = Some(over);
    }

    /// The unit itself in its present shape, with the one to come faded in, and what it was before a
    /// step faded out.
    fn run(&mut self, block: &mut StereoBlock, key: Option<&StereoBlock>) {
        let next = self.over_time.as_ref().and_then(|over| over.heard(self.song_frame).next);
        if next.is_some() {
            self.coming_block.clone_from(block);
        }
        let mut behind = self.left_behind.map(|_| block.clone());
        let place = self.shapes[self.now].place;
        take_part(place, block);
        self.run_present(block, key);
        put_part_back(place, block, &self.dry_block);
        if let (Some((left, blocks)), Some(behind)) = (self.left_behind, &mut behind) {
            self.shapes[left].process_part(behind, key, &self.dry_block);
            let share = |i: usize| (blocks as f32 - (i + 1) as f32 / BLOCK as f32) / FADE_BLOCKS as f32;
            cross(block, behind, share);
            self.left_behind = (blocks > 1).then_some((left, blocks - 1));
        }
        if let Some((from, next)) = next {
            self.shapes[next].process_part(&mut self.coming_block, key, &self.dry_block);
            // It is heard alone from its frame on.
            let fade = (APPROACH_S * self.rate).round();
            let begun = from - self.song_frame;
            cross(block, &self.coming_block, |i| (1.0 - (begun - i as i64) as f64 / fade).clamp(0.0, 1.0) as f32);
        }
    }

    fn run_present(&mut self, block: &mut StereoBlock, key: Option<&StereoBlock>) {
        let shape = &mut self.shapes[self.now];
        match &mut self.leaving {
            Some(leaving) if !leaving.share.at_rest() => {
                leaving.block.clone_from(block);
                leaving.processor.process(&mut leaving.block, key);
                shape.processor.process(block, key);
                let mut shares = [0.0; BLOCK];
                shares.iter_mut().for_each(|share| *share = leaving.share.next_value() as f32);
                cross(block, &leaving.block, |i| shares[i]);
                shape.pad.process(block);
            }
            _ => shape.process(block, key),
        }
    }

    fn blend(&mut self, block: &mut StereoBlock) {
        for i in 0..BLOCK {
            let wet = self.wet.next_value() as f32;
            let (l, r) = (self.dry_block.left[i], self.dry_block.right[i]);
            block.left[i] = l + (block.left[i] - l) * wet;
            block.right[i] = r + (block.right[i] - r) * wet;
        }
    }
}
