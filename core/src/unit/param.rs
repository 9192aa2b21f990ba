//! What a parameter is: its range, its taper, its quantity, its words, and how a running
//! unit takes a new value of it.

use serde::Serialize;

use crate::dynamics::release::TYPED_MS;
use crate::signal::math::{exp, log, pow};

/// One row of a unit's parameter table.
#[derive(Clone, Copy, Debug, Serialize)]
#[cfg_attr(feature = "types", derive(ts_rs::TS))]
pub struct Param {
    /// Name in rack files and in the store, with its unit where it has one.
    pub id: &'static str,
    /// Word on the page.
    pub label: &'static str,
    /// One line: what to listen for.
    pub hint: &'static str,
    /// The values it can take.
    pub domain: Domain,
    /// How a running unit goes from one value to another.
    pub change: Change,
    /// Word for the values it belongs together with (attack and release are "timing"); empty
    /// for one that stands alone.
    pub group: &'static str,
    /// Words for the left and the right end of its rule, where figures alone say too little.
    pub ends: Option<[&'static str; 2]>,
    /// Whether it is for finishing rather than for beginning: the page unfolds it.
    pub further: bool,
    /// Whether it holds a level by listening: what comes out then depends on where playing began.
    #[serde(skip)]
    pub listens: bool,
    /// Other values of the same table with which it does nothing; any of them is enough.
    #[serde(skip)]
    pub rests: &'static [Rests],
    /// Choices with which only part of its range does anything.
    #[serde(skip)]
    pub reaches: &'static [Reach],
}

/// The part of a parameter's range that does something with one option of a choice of the same table:
/// beyond it all is as at its end.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Reach {
    /// The choice and its option.
    pub with: (&'static str, &'static str),
    /// From where to where.
    pub range: [f64; 2],
}

/// When a parameter does nothing. A switch is `on` or `off`.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Rests {
    /// While a choice or switch is at one of these.
    At(&'static str, &'static [&'static str]),
    /// While it is not.
    Unless(&'static str, &'static [&'static str]),
    /// While both hold.
    Both(&'static Rests, &'static Rests),
}

impl Rests {
    /// Whether it holds, where `state` says what a choice or a switch is at.
    pub(super) fn holds<'a>(&self, state: &impl Fn(&str) -> Option<&'a str>) -> bool {
        let is_at = |id: &str, options: &[&str]| state(id).is_some_and(|state| options.contains(&state));
        match self {
            Self::At(id, options) => is_at(id, options),
            Self::Unless(id, options) => !is_at(id, options),
            Self::Both(one, other) => one.holds(state) && other.holds(state),
        }
    }
}

/// How a running unit goes from one value of a parameter to another.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize)]
#[serde(rename_all = "kebab-case")]
#[cfg_attr(feature = "types", derive(ts_rs::TS), ts(rename = "ParamChange"))]
pub enum Change {
    /// The unit moves there by itself, without a step.
    Glides,
    /// The same under a hand; in the course of the song it is crossed over to, so that it is there by its point: what
    /// lies between is neither the one nor the other.
    GlidesByHand,
    /// The unit jumps; whoever runs it crossfades from the old value to the new.
    Steps,
    /// It takes a fresh unit, prepared unheard and faded in: what was inside has no meaning
    /// under the new value, or its lateness is another.
    Renews,
}

/// A list of rows with a table of their own.
#[derive(Clone, Copy, Debug, Serialize)]
#[cfg_attr(feature = "types", derive(ts_rs::TS))]
pub struct Rows {
    /// Name in rack files.
    pub id: &'static str,
    /// Word for one row.
    pub label: &'static str,
    /// Table of one row.
    pub params: &'static [Param],
    /// Most rows.
    pub max: usize,
    /// Whether another number of rows takes a fresh unit: what is inside is arranged by them.
    #[serde(skip)]
    pub count_renews: bool,
}

/// All parameters of a kind of unit.
#[derive(Clone, Copy, Debug)]
pub struct Tables {
    /// Those that exist once.
    pub params: &'static [Param],
    /// The lists of equal rows; the first holds what may be switched and heard alone.
    pub lists: &'static [Rows],
}

impl Param {
    /// A parameter. A number glides, a choice or a switch steps, a sound takes a fresh unit,
    /// unless its table says otherwise.
    #[must_use]
    pub const fn new(id: &'static str, label: &'static str, hint: &'static str, domain: Domain) -> Self {
        let change = match domain {
            Domain::Number { .. } => Change::Glides,
            Domain::Choice { .. } | Domain::Switch { .. } => Change::Steps,
            Domain::Sound { .. } => Change::Renews,
        };
        Self {
            id,
            label,
            hint,
            domain,
            change,
            group: "",
            ends: None,
            further: false,
            listens: false,
            rests: &[],
            reaches: &[],
        }
    }

    /// The same, moved to by the unit itself.
    #[must_use]
    pub const fn glides(self) -> Self {
        Self { change: Change::Glides, ..self }
    }

    /// The same, moved to by the unit itself under a hand and crossed over to in the course of the song.
    #[must_use]
    pub const fn glides_by_hand(self) -> Self {
        Self { change: Change::GlidesByHand, ..self }
    }

    /// The same, jumped to, while whoever runs the unit crossfades.
    #[must_use]
    pub const fn steps(self) -> Self {
        Self { change: Change::Steps, ..self }
    }

    /// The same, taking a fresh unit.
    #[must_use]
    pub const fn renews(self) -> Self {
        Self { change: Change::Renews, ..self }
    }

    /// The same, unfolded on the page.
    #[must_use]
    pub const fn further(self) -> Self {
        Self { further: true, ..self }
    }

    /// The same, holding a level by listening.
    #[must_use]
    pub const fn listens(self) -> Self {
        Self { listens: true, ..self }
    }

    /// The same, doing nothing with some other values.
    #[must_use]
    pub const fn rests(self, rests: &'static [Rests]) -> Self {
        Self { rests, ..self }
    }

    /// The same, doing something only over part of its range with some choices.
    #[must_use]
    pub const fn reaches(self, reaches: &'static [Reach]) -> Self {
        Self { reaches, ..self }
    }

    /// The same, with words for both ends of its rule.
    #[must_use]
    pub const fn between(self, left: &'static str, right: &'static str) -> Self {
        Self { ends: Some([left, right]), ..self }
    }

    /// The same, shown together with others of its group.
    #[must_use]
    pub const fn within(self, group: &'static str) -> Self {
        Self { group, ..self }
    }
}

/// The values a parameter can take.
#[derive(Clone, Copy, Debug, Serialize)]
#[serde(rename_all = "kebab-case", tag = "type")]
#[cfg_attr(feature = "types", derive(ts_rs::TS))]
pub enum Domain {
    /// A number from `min` to `max`, both included.
    Number {
        /// Smallest value.
        min: f64,
        /// Largest value; may be infinite for a ratio (sent as null).
        #[cfg_attr(feature = "types", ts(type = "number | null"))]
        max: f64,
        /// Value of a fresh unit, and of a double-click.
        default: f64,
        /// One press of an arrow key, as a share of the rule's length for
        /// curved tapers and in the parameter's own unit for linear ones.
        step: f64,
        /// How the value runs along its rule.
        taper: Taper,
        /// What the number measures.
        quantity: Quantity,
    },
    /// One of a few named options.
    Choice {
        /// The options in order.
        options: &'static [Choice],
        /// Index of the default.
        default: usize,
    },
    /// On or off.
    Switch {
        /// State of a fresh unit.
        default: bool,
    },
    /// A sound of the shelf, or none as in a fresh unit; only in the table of what exists once.
    Sound {
        /// Longest sound in seconds.
        max_seconds: f64,
    },
}

/// One option of a choice. An `id` that reads as a number is a number in JSON.
#[derive(Clone, Copy, Debug, Serialize)]
#[cfg_attr(feature = "types", derive(ts_rs::TS))]
pub struct Choice {
    /// Name in rack files.
    pub id: &'static str,
    /// Word on the page.
    pub label: &'static str,
}

/// How a value runs along its rule from 0 (left) to 1 (right).
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize)]
#[serde(rename_all = "kebab-case")]
#[cfg_attr(feature = "types", derive(ts_rs::TS))]
pub enum Taper {
    /// Evenly.
    Linear,
    /// In equal ratios; `min` must be above zero.
    Log,
    /// By the cube of the position: a true zero at the left, fine at small values.
    Cubic,
    /// By the share of excess taken away, `1 - 1/ratio`, infinity at the right.
    Ratio,
}

/// What a number measures; decides how it is typed and written.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize)]
#[serde(rename_all = "kebab-case")]
#[cfg_attr(feature = "types", derive(ts_rs::TS))]
pub enum Quantity {
    /// Frequency in Hz, also typed as kHz or a note.
    Hertz,
    /// Decibels.
    Decibels,
    /// Milliseconds, also typed as seconds or a note value.
    Milliseconds,
    /// A compression ratio, n:1.
    Ratio,
    /// Quality factor.
    Q,
    /// A share, 1 = 100 %.
    Percent,
    /// A distance.
    Centimetres,
    /// An angle.
    Degrees,
    /// Place between left (-1) and right (+1).
    Pan,
}

impl Taper {
    /// Value at `position` 0..1 between `min` and `max`.
    #[must_use]
    pub fn value_at(self, position: f64, min: f64, max: f64) -> f64 {
        let t = position.clamp(0.0, 1.0);
        let value = match self {
            Self::Linear => min + (max - min) * t,
            Self::Log => min * exp(t * log(max / min)),
            Self::Cubic => min + (max - min) * t * t * t,
            Self::Ratio => 1.0 / (1.0 - t),
        };
        value.clamp(min, max)
    }

    /// Position 0..1 of `value` between `min` and `max`; inverse of [`Self::value_at`].
    #[must_use]
    pub fn position_of(self, value: f64, min: f64, max: f64) -> f64 {
        let t = match self {
            Self::Linear => (value - min) / (max - min),
            Self::Log => log(value / min) / log(max / min),
            Self::Cubic => pow(((value - min) / (max - min)).max(0.0), 1.0 / 3.0),
            Self::Ratio => 1.0 - 1.0 / value,
        };
        t.clamp(0.0, 1.0)
    }
}

impl Domain {
    /// Number of keyboard steps is kept sensible by `step`: the value one step
    /// (times `count`, which may be negative or a fraction) from `value`.
    #[must_use]
    pub fn stepped(&self, value: f64, count: f64) -> f64 {
        match *self {
            Self::Number { min, max, step, taper: Taper::Linear, .. } => (value + step * count).clamp(min, max),
            Self::Number { min, max, step, taper, .. } => {
                taper.value_at(taper.position_of(value, min, max) + step * count, min, max)
            }
            Self::Choice { options, .. } => (value + count).clamp(0.0, options.len() as f64 - 1.0),
            Self::Switch { .. } => f64::from(u8::from(count > 0.0)),
            Self::Sound { .. } => value,
        }
    }
}

/// Shorthand for tables: a number.
#[must_use]
pub const fn number(min: f64, max: f64, default: f64, step: f64, taper: Taper, quantity: Quantity) -> Domain {
    Domain::Number { min, max, default, step, taper, quantity }
}

/// Shorthand for tables: a frequency between `min` and `max` Hz, stepping by an
/// eighth of a semitone or so.
#[must_use]
pub const fn hertz(min: f64, max: f64, default: f64) -> Domain {
    number(min, max, default, 0.005, Taper::Log, Quantity::Hertz)
}

/// Shorthand for tables: decibels in steps of half a dB.
#[must_use]
pub const fn decibels(min: f64, max: f64, default: f64) -> Domain {
    number(min, max, default, 0.5, Taper::Linear, Quantity::Decibels)
}

/// Shorthand for tables: how long a reduction takes to come, in ms; 0 is at once.
pub const ATTACK_MS: Domain = number(0.0, 300.0, 10.0, 0.01, Taper::Cubic, Quantity::Milliseconds);

/// Shorthand for tables: how long a reduction takes to go, in ms.
pub const RELEASE_MS: Domain = number(TYPED_MS[0], TYPED_MS[1], 120.0, 0.01, Taper::Log, Quantity::Milliseconds);

/// The parts of the stereo image a unit or a band may work on; see
/// [`crate::signal::place::Place`].
pub const PLACES: &[Choice] = &[
    Choice { id: "stereo", label: "stereo" },
    Choice { id: "mid", label: "mid" },
    Choice { id: "side", label: "side" },
    Choice { id: "left", label: "left" },
    Choice { id: "right", label: "right" },
];

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    proptest! {
        #[test]
        fn a_taper_and_its_inverse_agree(t in 0.0f64..=1.0) {
            for (taper, min, max) in [
                (Taper::Linear, -30.0, 30.0), (Taper::Log, 10.0, 20_000.0),
                (Taper::Cubic, 0.0, 300.0), (Taper::Ratio, 1.0, f64::INFINITY),
            ] {
                let value = taper.value_at(t, min, max);
                prop_assert!(value >= min && value <= max);
                prop_assert!((taper.position_of(value, min, max) - t).abs() < 1e-9);
            }
        }
    }

    #[test]
    fn a_ratio_rule_ends_at_infinity() {
        assert_eq!(Taper::Ratio.value_at(1.0, 1.0, f64::INFINITY), f64::INFINITY);
        assert_eq!(Taper::Ratio.position_of(f64::INFINITY, 1.0, f64::INFINITY), 1.0);
        assert!((Taper::Ratio.value_at(0.75, 1.0, f64::INFINITY) - 4.0).abs() < 1e-12);
    }
}
