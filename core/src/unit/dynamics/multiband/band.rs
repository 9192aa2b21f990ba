//! One band: how loud it is on its part of the image, what is taken from it, its own level.

use crate::dynamics::{Ballistics, StaticCurve};
use crate::signal::decibel::{db_to_gain, power_to_db};
use crate::signal::place::Place;
use crate::signal::{BLOCK, Frame, Ramp};
use crate::unit::settings::Record;

/// A running band.
#[derive(Clone)]
pub struct RunningBand {
    place: Place,
    threshold_db: Ramp,
    slope: Ramp,
    knee_db: Ramp,
    range_db: Ramp,
    makeup_db: Ramp,
    /// 1 while heard.
    heard: Ramp,
    /// By what it counts for more than its edges leave of its middle.
    lacks: Ramp,
    ballistics: Ballistics,
    /// Reduction in dB now.
    pub reduction_db: f64,
}

impl RunningBand {
    /// On its way to a row.
    pub fn new(row: &Record, lacks: f64, rate: f64) -> Self {
        let ramp = |value| Ramp::new(value, rate);
        let mut band = Self {
            place: Place::Stereo,
            threshold_db: ramp(0.0),
            slope: ramp(0.0),
            knee_db: ramp(0.0),
            range_db: ramp(0.0),
            makeup_db: ramp(0.0),
            heard: ramp(1.0),
            lacks: ramp(lacks),
            ballistics: Ballistics::new(0.0, 100.0, rate),
            reduction_db: 0.0,
        };
        band.take(row, lacks, rate);
        band
    }

    /// Glides to a row. Whoever runs the unit crossfades from another place.
    pub fn take(&mut self, row: &Record, lacks: f64, rate: f64) {
        self.lacks.glide_to(lacks);
        let on = row.is_on("on");
        self.place = Place::from_id(row.choice("place"));
        self.threshold_db.glide_to(row.number("threshold_db"));
        self.slope.glide_to(if on { 1.0 - 1.0 / row.number("ratio") } else { 0.0 });
        self.knee_db.glide_to(row.number("knee_db"));
        self.range_db.glide_to(row.number("range_db"));
        self.makeup_db.glide_to(if on { row.number("makeup_db") } else { 0.0 });
        self.heard.glide_to(f64::from(u8::from(row.is_on("heard"))));
        self.ballistics.set_times(row.number("attack_ms"), row.number("release_ms"), rate);
    }

    fn ramps(&mut self) -> [&mut Ramp; 7] {
        let Self { threshold_db, slope, knee_db, range_db, makeup_db, heard, lacks, .. } = self;
        [threshold_db, slope, knee_db, range_db, makeup_db, heard, lacks]
    }

    /// Its moves end within so many seconds; 0 is at once.
    pub fn arrive(&mut self, within_s: f64) {
        self.ramps().into_iter().for_each(|x| x.arrive(within_s));
        if within_s <= 0.0 {
            self.ballistics.snap();
        }
    }

    /// Forgets the past.
    pub fn reset(&mut self) {
        self.ballistics.reset();
        self.reduction_db = 0.0;
    }

    /// Works on the band's frames in place; adds its reduction to the largest of all bands.
    pub fn process(&mut self, frames: &mut [Frame], most: &mut [f32; BLOCK]) {
        let place = self.place;
        let levels = self.levels(frames);
        for ((frame, level_db), most) in frames.iter_mut().zip(levels).zip(most) {
            let curve = StaticCurve {
                threshold_db: self.threshold_db.next_value(),
                slope: self.slope.next_value(),
                knee_db: self.knee_db.next_value(),
            };
            let want = curve.reduction_db(level_db).min(self.range_db.next_value());
            let reduction = self.ballistics.next_reduction(want);
            let heard = self.heard.next_value();
            let wanted = db_to_gain(self.makeup_db.next_value() - reduction);
            let gain = 1.0 + (wanted - 1.0) * self.lacks.next_value();
            let worked = place.take(*frame).map(|x| x * gain);
            *frame = place.put_back(worked, *frame).map(|x| x * heard);
            *most = most.max(reduction as f32);
            self.reduction_db = reduction;
        }
        self.ballistics.settle();
    }

    /// In a pass of their own, so that the logarithms run side by side.
    fn levels(&self, frames: &[Frame]) -> [f64; BLOCK] {
        let (mut levels, lacks) = ([0.0; BLOCK], self.lacks.value() * self.lacks.value());
        for (level, frame) in levels.iter_mut().zip(frames) {
            let [left, right] = self.place.take(*frame);
            *level = lacks * (left * left).max(right * right);
        }
        levels.map(power_to_db)
    }
}
