//! One unit at work: its switch, mix, trim and place around its processor.

use super::spec::{Heard, UnitSpec};
use crate::signal::decibel::db_to_gain;
use crate::signal::place::Place;
use crate::signal::{BLOCK, Frame, Ramp, StereoBlock, StereoDelay};
use crate::unit::Processor;

/// Leaves a unit its part of a block, on both channels.
fn take_part(place: Place, block: &mut StereoBlock) {
    if place != Place::Stereo {
        for i in 0..BLOCK {
            block.set_frame(i, place.take(block.frame(i)));
        }
    }
}

/// Puts the worked part back beside what passed unchanged.
fn put_part_back(place: Place, worked: &mut StereoBlock, dry: &StereoBlock) {
    if place != Place::Stereo {
        for i in 0..BLOCK {
            worked.set_frame(i, place.put_back(worked.frame(i), dry.frame(i)));
        }
    }
}

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
    processor: Box<dyn Processor>,
    leaving: Option<Box<Leaving>>,
    /// The sound before the unit, as late as the unit's own.
    dry: StereoDelay,
    dry_block: StereoBlock,
    place: Place,
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
        let mut station = Self {
            spec: spec.clone(),
            rate,
            latency,
            processor: (spec.kind.build)(&spec.settings, rate),
            leaving: None,
            dry: StereoDelay::new(latency, latency, rate),
            dry_block: StereoBlock::SILENT,
            place: spec.place(),
            wet: Ramp::new(0.0, rate),
            trim: Ramp::new(1.0, rate),
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
        let mut twin = Self {
            spec: self.spec.clone(),
            rate: self.rate,
            latency: self.latency,
            processor: self.processor.fork(),
            leaving: None,
            dry: self.dry.clone(),
            dry_block: StereoBlock::SILENT,
            place: spec.place(),
            wet: self.wet,
            trim: self.trim,
            song_frame: self.song_frame,
        };
        // A step that waits here is taken at once there: the twin is not heard yet.
        twin.processor.set(&spec.settings);
        twin.spec = spec.clone();
        twin.glide_common();
        Some(twin)
    }

    /// Whether this is one unit at other settings, so that what it holds still means something.
    #[must_use]
    pub fn is_same_unit(&self, spec: &UnitSpec) -> bool {
        self.spec.id == spec.id
            && self.spec.kind.id == spec.kind.id
            && spec.kind.carries_on(&self.spec.settings, &spec.settings, self.rate)
    }

    /// Whether it can go to `spec` while it is heard.
    #[must_use]
    pub fn fits(&self, spec: &UnitSpec) -> bool {
        self.is_same_unit(spec) && self.place == spec.place() && self.spec.heard == spec.heard
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
                processor: self.processor.fork(),
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
        if self.spec.settings != spec.settings {
            self.processor.set(&spec.settings);
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
        let on = self.spec.works();
        if on && self.wet.value() == 0.0 && self.wet.at_rest() && self.latency == 0 {
            // It has not been running: no stale sound from before.
            self.processor.reset();
            self.processor.snap();
        }
        self.wet.glide_to(if on { self.spec.common.number("mix") } else { 0.0 });
        self.trim.glide_to(if on { db_to_gain(self.spec.common.number("trim_db")) } else { 1.0 });
    }

    /// Ends every glide at once.
    pub fn snap(&mut self) {
        self.processor.snap();
        self.leaving = None;
        self.wet.snap();
        self.trim.snap();
    }

    /// Forgets the past.
    pub fn reset(&mut self) {
        self.processor.reset();
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
        if self.wet.value() == 0.0 { None } else { self.processor.reduction() }
    }

    /// What drove it in the last block, while the unit works.
    #[must_use]
    pub fn detected(&self) -> Option<&[Frame; BLOCK]> {
        if self.wet.value() == 0.0 { None } else { self.processor.detected() }
    }

    /// dB by which the gains of its rows move now, while the unit works.
    #[must_use]
    pub fn moves(&self) -> &[f32] {
        if self.wet.value() == 0.0 { &[] } else { self.processor.moves() }
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
        let off = self.wet.at_rest() && self.wet.value() == 0.0;
        let plain = self.wet.at_rest() && self.wet.value() == 1.0;
        self.dry_block.clone_from(block);
        self.dry.process(&mut self.dry_block);
        // A late unit goes on working unheard: its next sound is made of what comes in now.
        if !off || self.latency > 0 {
            take_part(self.place, block);
            self.run(block, key);
            put_part_back(self.place, block, &self.dry_block);
        }
        if off {
            block.clone_from(&self.dry_block);
        } else if !plain {
            self.blend(block);
        }
        if self.spec.heard == Heard::Key
            && let Some(frames) = self.processor.detected()
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

    /// The unit itself, with what it was before a step faded out.
    fn run(&mut self, block: &mut StereoBlock, key: Option<&StereoBlock>) {
        match &mut self.leaving {
            Some(leaving) if !leaving.share.at_rest() => {
                leaving.block.clone_from(block);
                leaving.processor.process(&mut leaving.block, key);
                self.processor.process(block, key);
                for i in 0..BLOCK {
                    let share = leaving.share.next_value() as f32;
                    block.left[i] += (leaving.block.left[i] - block.left[i]) * share;
                    block.right[i] += (leaving.block.right[i] - block.right[i]) * share;
                }
            }
            _ => self.processor.process(block, key),
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
