//! What changes with the song of a unit, at work: where its values stand in each block, and which
//! shapes of it are heard.
//!
//! A value that the unit can move to ([`Change::Glides`]) is put block by block, so that it arrives
//! at the block's end. Any other value has a **shape** of the unit for each
//! of its settings: the one to come begins a while before its time, unheard, and is faded in.

use super::spec::{COMMON, UnitSpec};
use crate::course::{Steps, ValueCurve};
use crate::signal::BLOCK;
use crate::signal::place::Place;
use crate::unit::Settings;
use crate::unit::param::Change;
use crate::unit::settings::Address;
use crate::unit::value::Value;

/// Most shapes of one unit.
pub const MAX_SHAPES: usize = 16;
/// Seconds a shape runs unheard before it is faded in: as long as most releases.
const WARM_S: f64 = 0.5;
/// Blocks in which values come to a place in the song that was jumped to.
const CATCH_BLOCKS: u32 = 8;

/// One setting of all that steps.
#[derive(Clone, Debug, PartialEq)]
pub struct ShapeSpec {
    /// The unit's values.
    pub settings: Settings,
    /// The part of the stereo image it works on.
    pub place: Place,
}

/// The shapes of a unit in the course of the song.
#[derive(Clone, Debug, PartialEq)]
pub struct Shapes {
    /// Each once; the first is that of the song's beginning.
    pub all: Vec<ShapeSpec>,
    /// From which frame on which of them.
    pub later: Vec<(i64, usize)>,
}

/// Whether a value of a unit has a shape for each of its settings.
fn is_stepped(unit: &UnitSpec, path: &str) -> bool {
    unit.param(path).is_some_and(|param| param.change != Change::Glides)
}

impl Shapes {
    /// Those of a unit; one where nothing of it steps.
    #[must_use]
    pub fn of(unit: &UnitSpec) -> Self {
        let stepped: Vec<(&str, Steps)> = unit
            .courses
            .list
            .iter()
            .filter(|course| is_stepped(unit, &course.param))
            .filter_map(|course| {
                let everywhere = unit.value(&course.param)?;
                Some((course.param.as_str(), Steps::new(&everywhere, course, &unit.courses.spans)))
            })
            .collect();
        let mut frames: Vec<i64> = stepped.iter().flat_map(|(_, steps)| steps.frames()).collect();
        frames.sort_unstable();
        frames.dedup();
        let mut shapes = Self { all: vec![shape(unit, &stepped, i64::MIN)], later: Vec::new() };
        for frame in frames {
            let wanted = shape(unit, &stepped, frame);
            let known = shapes.all.iter().position(|shape| *shape == wanted);
            let at = known.unwrap_or_else(|| {
                shapes.all.push(wanted);
                shapes.all.len() - 1
            });
            shapes.later.push((frame, at));
        }
        shapes
    }

    /// Which holds at a frame, and the next that is to hold within so many frames, with the frame
    /// from which it does.
    fn around(&self, frame: i64, within: i64) -> (usize, Option<(i64, usize)>) {
        let next = self.later.partition_point(|(start, _)| *start <= frame);
        let now = next.checked_sub(1).map_or(0, |at| self.later[at].1);
        (now, self.later.get(next).copied().filter(|(start, _)| *start - frame <= within))
    }
}

fn shape(unit: &UnitSpec, stepped: &[(&str, Steps)], frame: i64) -> ShapeSpec {
    if stepped.is_empty() {
        return ShapeSpec { settings: unit.settings.clone(), place: unit.place() };
    }
    let mut shaped = unit.clone();
    for (path, steps) in stepped {
        shaped.put(path, steps.value_at(frame));
    }
    ShapeSpec { place: shaped.place(), settings: shaped.settings }
}

/// What a moving value is.
#[derive(Clone, Copy, Debug, PartialEq)]
enum Target {
    Own(Address),
    Mix,
    Trim,
    On,
}

/// A value that moves along its rule.
#[derive(Clone, Debug)]
struct Moving {
    path: String,
    target: Target,
    curve: ValueCurve,
    /// Place on its rule at the end of the last block.
    position: f64,
    /// How far that was from where the song was gone on from.
    behind: f64,
}

/// A switch or choice to which the unit moves by itself.
#[derive(Clone, Debug)]
struct Turning {
    at: Address,
    steps: Steps,
    /// Which of its stretches was put last.
    stretch: Option<usize>,
}

/// What of a unit's own values has changed in a block.
#[derive(Clone, Copy, Debug, Default)]
pub(super) struct Moved {
    /// Numbers along their rules, which are to arrive at the block's end.
    pub along: bool,
    /// Switches and choices, to which the unit takes its own time.
    pub turned: bool,
}

/// Where the values that every unit has are to be at a block's end.
#[derive(Clone, Copy, Debug, Default)]
pub(super) struct Common {
    pub mix: Option<f64>,
    pub trim_db: Option<f64>,
    /// Share to which the unit is switched on.
    pub on: Option<f64>,
}

/// Which shapes are heard in a block.
#[derive(Clone, Copy, Debug)]
pub(super) struct NowAndNext {
    pub now: usize,
    /// The one to come and the frame from which it holds.
    pub next: Option<(i64, usize)>,
}

/// The changing values of a running unit.
pub(super) struct OverTime {
    moving: Vec<Moving>,
    /// Switches and choices to which the unit moves by itself.
    turning: Vec<Turning>,
    shapes: Shapes,
    rate: f64,
    warm: i64,
    /// Frame that comes next if the song goes on; none before the first block.
    expected: Option<i64>,
    catch_left: u32,
}

impl OverTime {
    /// That of a unit which is `latency` frames late at a rate in Hz; none where nothing changes.
    pub(super) fn new(unit: &UnitSpec, latency: usize, rate: f64) -> Option<Box<Self>> {
        if unit.courses.is_empty() {
            return None;
        }
        let (mut moving, mut turning) = (Vec::new(), Vec::<Turning>::new());
        for course in &unit.courses.list {
            let (path, spans) = (course.param.as_str(), &unit.courses.spans);
            let (Some(param), Some(everywhere)) = (unit.param(path), unit.value(path)) else { continue };
            if param.change != Change::Glides {
                continue;
            }
            let own = if COMMON.iter().any(|p| p.id == path) { None } else { unit.kind.tables.find(path) };
            let target = match (own, path) {
                (Some(at), _) if !matches!(everywhere, Value::Number(_)) => {
                    turning.push(Turning { at, steps: Steps::new(&everywhere, course, spans), stretch: None });
                    continue;
                }
                (Some(at), _) => Target::Own(at),
                (None, "mix") => Target::Mix,
                (None, "trim_db") => Target::Trim,
                (None, _) => Target::On,
            };
            let curve = ValueCurve::new(&param.domain, &everywhere, course, spans, rate);
            moving.push(Moving { path: path.to_string(), target, position: f64::NAN, behind: 0.0, curve });
        }
        let warm = (WARM_S * rate) as i64 + latency as i64;
        Some(Box::new(Self { moving, turning, shapes: Shapes::of(unit), rate, warm, expected: None, catch_left: 0 }))
    }

    /// The shapes of it.
    pub(super) fn shapes(&self) -> &Shapes {
        &self.shapes
    }

    /// Which shapes are heard in the block at a frame.
    pub(super) fn heard(&self, frame: i64) -> NowAndNext {
        let (now, next) = self.shapes.around(frame, self.warm);
        NowAndNext { now, next }
    }

    /// Whether nothing has been heard since the start.
    pub(super) fn is_fresh(&self) -> bool {
        self.expected.is_none()
    }

    /// Begins anew.
    pub(super) fn reset(&mut self) {
        self.expected = None;
        self.catch_left = 0;
    }

    /// Goes on from what another was doing when its settings were replaced by these.
    pub(super) fn carry_on(&mut self, before: &Self) {
        self.expected = before.expected;
        self.catch_left = if before.expected.is_some() { CATCH_BLOCKS } else { 0 };
        for moving in &mut self.moving {
            let known = before.moving.iter().find(|was| was.path == moving.path);
            if let (Some(was), Some(frame)) = (known, before.expected) {
                moving.position = was.position;
                moving.behind = was.position - moving.curve.position_at(frame);
            }
        }
    }

    /// Begins where a unit stood still, at a frame of the song.
    pub(super) fn begin_at(&mut self, frame: i64, before: &UnitSpec) {
        self.expected = Some(frame);
        self.catch_left = CATCH_BLOCKS;
        for moving in &mut self.moving {
            let path = moving.path.as_str();
            moving.position = before.value(path).map_or(0.0, |value| moving.curve.position_of(&value));
            moving.behind = moving.position - moving.curve.position_at(frame);
        }
    }

    /// Puts values as they are now.
    pub(super) fn put_now(&self, settings: &mut Settings) {
        for moving in self.moving.iter().filter(|moving| !moving.position.is_nan()) {
            if let Target::Own(at) = moving.target {
                settings.put_number_at(at, moving.curve.value_of(moving.position));
            }
        }
        for turning in &self.turning {
            settings.put_value_at(turning.at, turning.steps.value_at(self.expected.unwrap_or(0)));
        }
    }

    /// Where the values that every unit has are now; as written down before anything is heard.
    pub(super) fn common_now(&self) -> Common {
        match self.expected {
            Some(_) => self.common(),
            None => self.common_at(0),
        }
    }

    /// Whether values that every unit has change.
    pub(super) fn moves_common(&self) -> bool {
        self.moving.iter().any(|moving| !matches!(moving.target, Target::Own(_)))
    }

    /// Puts values as they are at a frame, without a way there.
    pub(super) fn put(&self, frame: i64, settings: &mut Settings) {
        for moving in &self.moving {
            if let Target::Own(at) = moving.target {
                settings.put_number_at(at, moving.curve.value_at(frame));
            }
        }
        for turning in &self.turning {
            settings.put_value_at(turning.at, turning.steps.value_at(frame));
        }
    }

    /// Moves on to the end of the block at `frame`.
    pub(super) fn advance(&mut self, frame: i64) -> Moved {
        match self.expected {
            // What is heard first is there already.
            None => self.moving.iter_mut().for_each(|m| m.position = m.curve.position_at(frame)),
            Some(expected) if expected != frame => {
                self.catch_left = CATCH_BLOCKS;
                self.moving.iter_mut().for_each(|m| m.behind = m.position - m.curve.position_at(frame));
            }
            Some(_) => {}
        }
        self.expected = Some(frame + BLOCK as i64);
        self.catch_left = self.catch_left.saturating_sub(1);
        let share = f64::from(self.catch_left) / f64::from(CATCH_BLOCKS);
        let mut moved = Moved::default();
        for moving in &mut self.moving {
            let position = moving.curve.position_at(frame + BLOCK as i64) + share * moving.behind;
            moved.along |= moving.position != position && matches!(moving.target, Target::Own(_));
            moving.position = position;
        }
        for turning in &mut self.turning {
            let stretch = turning.steps.stretch_at(frame);
            moved.turned |= turning.stretch.replace(stretch) != Some(stretch);
        }
        moved
    }

    /// Puts values where they are to be at the end of the block at `frame`.
    pub(super) fn put_end(&self, frame: i64, settings: &mut Settings) {
        for moving in &self.moving {
            if let Target::Own(at) = moving.target {
                settings.put_number_at(at, moving.curve.value_of(moving.position));
            }
        }
        for turning in &self.turning {
            settings.put_value_at(turning.at, turning.steps.value_at(frame));
        }
    }

    /// Where the values that every unit has are to be at the end of this block.
    pub(super) fn common(&self) -> Common {
        self.common_of(|moving| moving.curve.value_of(moving.position))
    }

    /// The same at a frame.
    pub(super) fn common_at(&self, frame: i64) -> Common {
        self.common_of(|moving| moving.curve.value_at(frame))
    }

    fn common_of(&self, value: impl Fn(&Moving) -> f64) -> Common {
        let mut common = Common::default();
        for moving in &self.moving {
            match moving.target {
                Target::Mix => common.mix = Some(value(moving)),
                Target::Trim => common.trim_db = Some(value(moving)),
                Target::On => common.on = Some(value(moving)),
                Target::Own(_) => {}
            }
        }
        common
    }

    /// Length of a block in seconds.
    pub(super) fn block_s(&self) -> f64 {
        BLOCK as f64 / self.rate
    }
}
