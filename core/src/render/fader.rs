//! Level and pan of a strip, and gains that glide over a block.

use crate::course::ValueCurve;
use crate::session::Strip;
use crate::session::controls::{OFF_DB, send_path};
use crate::signal::decibel::db_to_gain;
use crate::signal::math::{PI, SQRT_2, cos, sin};
use crate::signal::{BLOCK, Ramp, StereoBlock};
use crate::unit::value::Value;

/// Values of a strip that change with the song.
#[derive(Default)]
struct Moves {
    level_db: Option<ValueCurve>,
    pan: Option<ValueCurve>,
    muted: Option<ValueCurve>,
}

/// The curve of a value of a strip; none for one that does not change.
fn curve(strip: &Strip, path: &str, everywhere: &Value, rate: f64) -> Option<ValueCurve> {
    strip.courses.curve(path, &strip.changing(path)?.domain, everywhere, rate)
}

impl Moves {
    fn of(strip: &Strip, rate: f64) -> Self {
        let of = |id: &str| curve(strip, id, strip.controls.value(id)?, rate);
        Self { level_db: of("level_db"), pan: of("pan"), muted: of("muted") }
    }

    fn is_none(&self) -> bool {
        self.level_db.is_none() && self.pan.is_none() && self.muted.is_none()
    }
}

/// Share of a strip that a mute lets through, at a frame of the song.
fn unmuted(muted: Option<&ValueCurve>, strip_is_muted: bool, frame: i64) -> f64 {
    1.0 - muted.map_or(f64::from(u8::from(strip_is_muted)), |curve| curve.value_at(frame))
}

/// How a block stands to the one before it.
#[derive(PartialEq)]
enum Step {
    First,
    Next,
    Jump,
}

/// Where in the song the blocks stand.
#[derive(Default)]
struct Blocks {
    /// Frame that comes next if the song goes on; none before the first.
    expected: Option<i64>,
}

impl Blocks {
    /// Takes the block at a frame in, whether anything changes in it or not: what begins to change
    /// later goes there from where it was.
    fn step(&mut self, frame: i64) -> Step {
        match self.expected.replace(frame + BLOCK as i64) {
            None => Step::First,
            Some(expected) if expected == frame => Step::Next,
            Some(_) => Step::Jump,
        }
    }
}

/// A level and pan that glide, and may change with the song.
pub(super) struct Fader {
    left: Ramp,
    right: Ramp,
    rate: f64,
    level_db: f64,
    pan: f64,
    muted: bool,
    moves: Moves,
    blocks: Blocks,
}

impl Fader {
    /// At rest on a strip's controls; unity without one.
    pub(super) fn new(strip: Option<&Strip>, rate: f64) -> Self {
        let unity = Ramp::of_gain(1.0, rate);
        let mut fader = Self {
            left: unity,
            right: unity,
            rate,
            level_db: 0.0,
            pan: 0.0,
            muted: false,
            moves: Moves::default(),
            blocks: Blocks::default(),
        };
        if let Some(strip) = strip {
            fader.glide_to(strip);
            fader.snap();
        }
        fader
    }

    pub(super) fn glide_to(&mut self, strip: &Strip) {
        let c = &strip.controls;
        (self.level_db, self.pan, self.muted) =
            (c.number("level_db") + strip.lift_db, c.number("pan"), c.is_on("muted"));
        self.moves = Moves::of(strip, self.rate);
        if let Some(curve) = &mut self.moves.level_db {
            curve.lift(strip.lift_db);
        }
        if self.moves.is_none() {
            let gains = gains(self.level_db, self.pan, if self.muted { 0.0 } else { 1.0 });
            self.go(gains);
        }
    }

    fn go(&mut self, [left, right]: [f64; 2]) {
        self.left.glide_to(left);
        self.right.glide_to(right);
    }

    /// Factors at a frame of the song.
    fn at(&self, frame: i64) -> [f64; 2] {
        let value =
            |curve: &Option<ValueCurve>, fixed: f64| curve.as_ref().map_or(fixed, |curve| curve.value_at(frame));
        let heard = unmuted(self.moves.muted.as_ref(), self.muted, frame);
        gains(value(&self.moves.level_db, self.level_db), value(&self.moves.pan, self.pan), heard)
    }

    /// Brings what changes with the song to where it is to be at the end of the block at a frame.
    pub(super) fn follow(&mut self, frame: i64) {
        let step = self.blocks.step(frame);
        if self.moves.is_none() {
            return;
        }
        if step == Step::First {
            self.go(self.at(frame));
            self.snap();
        }
        self.go(self.at(frame + BLOCK as i64));
        if step != Step::Jump {
            let within_s = BLOCK as f64 / self.rate;
            self.left.arrive(within_s);
            self.right.arrive(within_s);
        }
    }

    pub(super) fn snap(&mut self) {
        self.left.snap();
        self.right.snap();
    }

    pub(super) fn process(&mut self, block: &mut StereoBlock) {
        if self.left.at_rest() && self.right.at_rest() && self.left.value() == 1.0 && self.right.value() == 1.0 {
            return;
        }
        for i in 0..BLOCK {
            block.left[i] *= self.left.next_value() as f32;
            block.right[i] *= self.right.next_value() as f32;
        }
    }
}

/// The level of a send, which may change with the song and is silenced with its strip.
pub(super) struct SendLevel {
    gain: Ramp,
    rate: f64,
    level_db: Option<ValueCurve>,
    muted: Option<ValueCurve>,
    /// The level where it does not change.
    fixed_db: f64,
    strip_is_muted: bool,
    blocks: Blocks,
}

impl SendLevel {
    /// At rest on the send at this place of a strip; unity without one.
    pub(super) fn new(send: Option<(&Strip, usize)>, rate: f64) -> Self {
        let mut level = Self {
            gain: Ramp::of_gain(1.0, rate),
            rate,
            level_db: None,
            muted: None,
            fixed_db: 0.0,
            strip_is_muted: false,
            blocks: Blocks::default(),
        };
        if let Some((strip, at)) = send {
            level.glide_to(strip, at);
            level.gain.snap();
        }
        level
    }

    pub(super) fn glide_to(&mut self, strip: &Strip, at: usize) {
        let Some(send) = strip.sends.get(at) else {
            self.gain.glide_to(0.0);
            return;
        };
        self.fixed_db = send.level_db;
        self.strip_is_muted = strip.controls.is_on("muted");
        self.level_db = curve(strip, &send_path(send.to), &Value::Number(send.level_db), self.rate);
        self.muted = strip.controls.value("muted").and_then(|muted| curve(strip, "muted", muted, self.rate));
        if self.level_db.is_none() && self.muted.is_none() {
            self.gain.glide_to(self.at(0));
        }
    }

    /// Factor at a frame of the song.
    fn at(&self, frame: i64) -> f64 {
        let level_db = self.level_db.as_ref().map_or(self.fixed_db, |curve| curve.value_at(frame));
        let level = if level_db > OFF_DB { db_to_gain(level_db) } else { 0.0 };
        level * unmuted(self.muted.as_ref(), self.strip_is_muted, frame)
    }

    /// As [`Fader::follow`].
    pub(super) fn follow(&mut self, frame: i64) {
        let step = self.blocks.step(frame);
        if self.level_db.is_none() && self.muted.is_none() {
            return;
        }
        if step == Step::First {
            self.gain.snap_to(self.at(frame));
        }
        self.gain.glide_to(self.at(frame + BLOCK as i64));
        if step != Step::Jump {
            self.gain.arrive(BLOCK as f64 / self.rate);
        }
    }

    pub(super) fn snap(&mut self) {
        self.gain.snap();
    }

    pub(super) fn apply(&mut self, block: &mut StereoBlock) {
        apply_gain(block, &mut self.gain);
    }
}

/// Factor of a strip's fader, both sides taken together, where it does not change with the song: 0 for
/// one that is muted or off.
#[must_use]
pub fn fader_gain(strip: &Strip) -> f64 {
    let c = &strip.controls;
    let heard = if c.is_on("muted") { 0.0 } else { 1.0 };
    let [left, right] = gains(c.number("level_db") + strip.lift_db, c.number("pan"), heard);
    ((left * left + right * right) / 2.0).sqrt()
}

/// Factors for left and right, of which a mute lets a share through. Equal power, 0 dB in the centre and
/// +3.01 dB hard to one side, so that an untouched fader changes nothing.
fn gains(level_db: f64, pan: f64, heard: f64) -> [f64; 2] {
    if heard == 0.0 || level_db <= OFF_DB {
        return [0.0; 2];
    }
    let level = db_to_gain(level_db) * heard;
    if pan == 0.0 {
        return [level; 2];
    }
    let angle = PI / 4.0 * (1.0 + pan);
    [level * SQRT_2 * cos(angle), level * SQRT_2 * sin(angle)]
}

/// Multiplies both channels by a gain that may be on its way elsewhere.
pub(super) fn apply_gain(block: &mut StereoBlock, gain: &mut Ramp) {
    if gain.at_rest() && gain.value() == 1.0 {
        return;
    }
    for i in 0..BLOCK {
        let g = gain.next_value() as f32;
        block.left[i] *= g;
        block.right[i] *= g;
    }
}
