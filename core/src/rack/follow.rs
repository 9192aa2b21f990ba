//! Links: a unit that does what another does, or its mirror image.
//!
//! Two hard-panned doubles may share one equaliser, or be made to differ by it: where one is
//! lifted the other is lowered, and what both say together stays as it was.

use serde::{Deserialize, Serialize};

use crate::course::Courses;
use crate::unit::Settings;
use crate::unit::value::Value;

/// What a unit follows.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
#[cfg_attr(feature = "types", derive(ts_rs::TS))]
pub struct Follow {
    /// Identity of the unit followed.
    pub unit: u32,
    /// Rows of its first list whose gains are turned over, 0 first.
    #[serde(default)]
    pub mirrored: Vec<usize>,
}

impl Follow {
    /// The follower's settings.
    #[must_use]
    pub fn of(&self, source: &Settings) -> Settings {
        mirror(source, &self.mirrored)
    }

    /// What changes with the song of the follower: of its own parameters what does of the one it
    /// follows, of the fields that every unit has (`is_common`) its own.
    #[must_use]
    pub fn courses(&self, source: &Courses, own: &Courses, is_common: impl Fn(&str) -> bool) -> Courses {
        let kept = own.list.iter().filter(|course| is_common(&course.param)).cloned();
        let taken = source.list.iter().filter(|course| !is_common(&course.param)).cloned().map(|mut course| {
            if self.mirrored.iter().any(|row| is_gain_of(&course.param, *row)) {
                course.values_mut().for_each(turn_over);
            }
            course
        });
        let mut courses = Courses { list: kept.chain(taken).collect(), ..source.clone() };
        courses.tidy();
        courses
    }

    /// The same link when what it follows follows another itself.
    #[must_use]
    pub fn through(&self, other: &Self) -> Self {
        let once = |row: &&usize| self.mirrored.contains(row) != other.mirrored.contains(row);
        let mut mirrored: Vec<usize> = self.mirrored.iter().chain(&other.mirrored).filter(once).copied().collect();
        mirrored.sort_unstable();
        mirrored.dedup();
        Self { unit: other.unit, mirrored }
    }
}

/// Whether a path names the gain of a row of a list.
fn is_gain_of(path: &str, row: usize) -> bool {
    path.ends_with(&format!("[{row}].gain_db"))
}

fn turn_over(value: &mut Value) {
    if let Value::Number(gain) = value {
        *gain = -*gain;
    }
}

/// Settings with the gains of some rows of the first list turned over.
#[must_use]
pub fn mirror(settings: &Settings, rows: &[usize]) -> Settings {
    let mut mirrored = settings.clone();
    for row in rows {
        if let Some(row) = mirrored.row_mut(*row)
            && row.has("gain_db")
        {
            let gain = row.number("gain_db");
            row.put_number("gain_db", -gain);
        }
    }
    mirrored
}
