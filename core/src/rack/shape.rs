//! The shapes of a unit at work: the unit itself, at one setting of all that steps with the song; and how one sound
//! gives way to another.

use super::over_time::OverTime;
use super::spec::UnitSpec;
use crate::signal::place::Place;
use crate::signal::{BLOCK, StereoBlock, StereoDelay};
use crate::unit::{Processor, Settings};

/// One shape of a unit.
pub(super) struct Shape {
    pub(super) processor: Box<dyn Processor>,
    pub(super) place: Place,
    /// What it lacks to the lateness of the latest shape.
    pub(super) pad: StereoDelay,
    /// Whether it ran in the last block.
    pub(super) awake: bool,
}

impl Shape {
    /// Works on a block in place; what it does not work on passes as late as it is itself.
    pub(super) fn process(&mut self, block: &mut StereoBlock, key: Option<&StereoBlock>) {
        self.processor.process(block, key);
        self.pad.process(block);
    }

    /// The same on its part of the stereo image, beside the sound before the unit.
    pub(super) fn process_part(&mut self, block: &mut StereoBlock, key: Option<&StereoBlock>, dry: &StereoBlock) {
        take_part(self.place, block);
        self.process(block, key);
        put_part_back(self.place, block, dry);
    }
}

/// Crosses over to another sound, of which each frame has a share.
pub(super) fn cross(block: &mut StereoBlock, other: &StereoBlock, share: impl Fn(usize) -> f32) {
    for i in 0..BLOCK {
        let share = share(i);
        block.left[i] += (other.left[i] - block.left[i]) * share;
        block.right[i] += (other.right[i] - block.right[i]) * share;
    }
}

/// The shapes of a unit, the first awake.
pub(super) fn shapes_of(spec: &UnitSpec, over_time: Option<&OverTime>, latency: usize, rate: f64) -> Vec<Shape> {
    let shape = |settings: &Settings, place: Place, awake: bool| {
        let lacks = latency - (spec.kind.latency)(settings, rate).min(latency);
        let processor = (spec.kind.build)(settings, rate);
        Shape { processor, place, pad: StereoDelay::new(lacks, lacks, rate), awake }
    };
    match over_time {
        None => vec![shape(&spec.settings, spec.place(), true)],
        Some(over) => over.shapes().all.iter().enumerate().map(|(n, s)| shape(&s.settings, s.place, n == 0)).collect(),
    }
}

/// Leaves a unit its part of a block, on both channels.
pub(super) fn take_part(place: Place, block: &mut StereoBlock) {
    if place != Place::Stereo {
        for i in 0..BLOCK {
            block.set_frame(i, place.take(block.frame(i)));
        }
    }
}

/// Puts the worked part back beside what passed unchanged.
pub(super) fn put_part_back(place: Place, worked: &mut StereoBlock, dry: &StereoBlock) {
    if place != Place::Stereo {
        for i in 0..BLOCK {
            worked.set_frame(i, place.put_back(worked.frame(i), dry.frame(i)));
        }
    }
}

/// Lets a shape run, from rest at what the song says at a frame, unless it does already.
pub(super) fn wake(shape: &mut Shape, over: &OverTime, frame: i64) {
    if !shape.awake {
        over.put(frame, shape.processor.settings_mut());
        shape.processor.take_settings();
        shape.processor.reset();
        shape.processor.snap();
        shape.pad.reset();
        shape.awake = true;
    }
}
