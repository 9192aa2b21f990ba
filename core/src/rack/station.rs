//! One unit at work: its switch, mix, trim and place around its processor.

use super::spec::UnitSpec;
use crate::signal::decibel::db_to_gain;
use crate::signal::place::Place;
use crate::signal::{BLOCK, Frame, Ramp, StereoBlock, StereoDelay};
use crate::unit::Processor;
use crate::unit::catalogue::Heard;

/// Dry delay made room for from the start, in seconds; grown when a unit asks for more.
const DRY_DELAY_S: f64 = 0.02;

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

/// The part of the stereo image a unit works on.
fn place_of(spec: &UnitSpec) -> Place {
    Place::from_id(spec.common.choice("place"))
}

/// A running unit in its rack.
pub struct Station {
    spec: UnitSpec,
    rate: f64,
    processor: Box<dyn Processor>,
    /// The sound before the unit, as late as the unit's own.
    dry: StereoDelay,
    dry_block: StereoBlock,
    place: Place,
    /// Share of the unit's own sound: mix while on, 0 while off.
    wet: Ramp,
    /// Trim as a factor while on, 1 while off.
    trim: Ramp,
}

impl Station {
    /// A unit at rest on `spec`.
    #[must_use]
    pub fn new(spec: &UnitSpec, rate: f64) -> Self {
        let processor = (spec.kind.build)(&spec.settings, rate);
        let latency = processor.latency();
        let room = latency.max((DRY_DELAY_S * rate) as usize);
        let mut station = Self {
            spec: spec.clone(),
            rate,
            processor,
            dry: StereoDelay::new(room, latency, rate),
            dry_block: StereoBlock::SILENT,
            place: place_of(spec),
            wet: Ramp::new(0.0, rate),
            trim: Ramp::new(1.0, rate),
        };
        station.glide_common();
        station.wet.snap();
        station.trim.snap();
        station
    }

    /// Whether this is one unit at other settings: same identity, kind and place, and none of
    /// what takes a fresh unit of its kind has changed.
    #[must_use]
    pub fn is_same_unit(&self, spec: &UnitSpec) -> bool {
        let (now, new) = (&self.spec.settings.fixed, &spec.settings.fixed);
        self.spec.id == spec.id
            && self.spec.kind.id == spec.kind.id
            && self.place == place_of(spec)
            && spec.kind.renewed_by.iter().all(|id| now.agrees(new, id))
    }

    /// Glides to new settings of the same unit.
    pub fn set(&mut self, spec: &UnitSpec) {
        if self.spec.settings != spec.settings {
            self.processor.set(&spec.settings);
            let latency = self.processor.latency();
            if latency != self.dry.delay() {
                self.dry.set_delay(latency);
                if self.dry.delay() != latency {
                    self.dry = StereoDelay::new(latency, latency, self.rate);
                }
            }
        }
        self.spec = spec.clone();
        self.glide_common();
    }

    fn glide_common(&mut self) {
        let on = self.spec.common.is_on("on");
        if on && self.wet.value() == 0.0 && self.wet.at_rest() && self.processor.latency() == 0 {
            // It has not been running: no stale sound from before.
            self.processor.reset();
            self.processor.snap();
        }
        self.wet.glide_to(if on { self.spec.common.number("mix") } else { 0.0 });
        self.trim.glide_to(if on { db_to_gain(self.spec.common.number("trim_db")) } else { 1.0 });
    }

    /// Frames by which this station delays, switched on or off.
    #[must_use]
    pub fn latency(&self) -> usize {
        self.processor.latency()
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

    /// Works on one block in place, driven by `key` where there is one.
    pub fn process(&mut self, block: &mut StereoBlock, key: Option<&StereoBlock>) {
        let plain = self.wet.at_rest() && self.wet.value() == 1.0 && self.place == Place::Stereo;
        self.dry_block.clone_from(block);
        self.dry.process(&mut self.dry_block);
        if self.wet.at_rest() && self.wet.value() == 0.0 {
            if self.processor.latency() > 0 {
                // Its next sound is made of what comes in now.
                take_part(self.place, block);
                self.processor.process(block, key);
            }
            block.clone_from(&self.dry_block);
        } else {
            take_part(self.place, block);
            self.processor.process(block, key);
            put_part_back(self.place, block, &self.dry_block);
            if !plain {
                self.blend(block);
            }
        }
        if self.spec.heard == Heard::Key
            && let Some(frames) = self.processor.detected()
        {
            for (i, frame) in frames.iter().enumerate() {
                block.set_frame(i, *frame);
            }
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

    fn blend(&mut self, block: &mut StereoBlock) {
        for i in 0..BLOCK {
            let wet = self.wet.next_value() as f32;
            let (l, r) = (self.dry_block.left[i], self.dry_block.right[i]);
            block.left[i] = l + (block.left[i] - l) * wet;
            block.right[i] = r + (block.right[i] - r) * wet;
        }
    }
}
