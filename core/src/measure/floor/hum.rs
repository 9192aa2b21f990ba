//! Hum of the mains: lines at 50 or 60 Hz and their multiples that are there whether the part plays or rests.

use serde::{Deserialize, Serialize};

/// The mains, in Hz.
const MAINS_HZ: [f64; 2] = [50.0, 60.0];
/// Multiples that are looked at, and how many of them have to stand out.
const MULTIPLES: usize = 8;
const FEWEST: usize = 2;
/// dB by which a line stands over the highest of the ground about it.
const OVER_DB: f64 = 12.0;
/// A line of the mains themselves that stands over it by so much is hum whatever its multiples do, which notes close by
/// may hide; those then only have to stand over the middle of the ground about them, by so much.
const CERTAIN_DB: f64 = 24.0;
const OVER_MIDDLE_DB: f64 = 8.0;
/// Level in dBFS from which anybody minds.
const AUDIBLE_DBFS: f64 = -72.0;

/// Hum: where its series begins, and its lines as Hz and dBFS, lowest first.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "types", derive(ts_rs::TS))]
pub struct Hum {
    /// 50 or 60.
    pub mains_hz: f64,
    /// Frequency in Hz and level in dBFS of each line.
    pub lines: Vec<(f64, f64)>,
}

/// A line that may be hum.
struct Line {
    hz: f64,
    dbfs: f64,
    over_db: f64,
    over_middle_db: f64,
}

impl Line {
    /// The line at a frequency, of the level in dB of bins so many Hz apart.
    fn at(hz: f64, ground_db: &impl Fn(usize) -> f64, bin_hz: f64) -> Self {
        let at = (hz / bin_hz).round() as usize;
        let dbfs = (at - 1..=at + 1).map(ground_db).fold(f64::MIN, f64::max);
        let mut about = [at - 7, at - 5, at + 5, at + 7].map(ground_db);
        about.sort_by(f64::total_cmp);
        Self { hz, dbfs, over_db: dbfs - about[3], over_middle_db: dbfs - 0.5 * (about[1] + about[2]) }
    }
}

/// The hum of such mains, in the ground of a sound.
fn hum_of(mains_hz: f64, ground_db: &impl Fn(usize) -> f64, bin_hz: f64) -> Option<Hum> {
    let all: Vec<Line> =
        (1..=MULTIPLES).map(|multiple| Line::at(mains_hz * multiple as f64, ground_db, bin_hz)).collect();
    let certain = all[0].over_db >= CERTAIN_DB && all[0].dbfs >= AUDIBLE_DBFS;
    let stands = |line: &&Line| line.over_db >= OVER_DB || certain && line.over_middle_db >= OVER_MIDDLE_DB;
    let lines: Vec<(f64, f64)> =
        all.iter().filter(stands).filter(|line| line.dbfs >= AUDIBLE_DBFS).map(|line| (line.hz, line.dbfs)).collect();
    // All hum has the mains themselves or their double, which every rectifier makes; a chord may have the others.
    let rooted = lines.first().is_some_and(|(hz, _)| *hz <= 2.0 * mains_hz);
    (rooted && (certain || lines.len() >= FEWEST)).then_some(Hum { mains_hz, lines })
}

/// The hum in the ground of a sound: its level in dB at a bin, of bins so many Hz apart.
pub fn hum(ground_db: impl Fn(usize) -> f64, bin_hz: f64) -> Option<Hum> {
    MAINS_HZ.into_iter().filter_map(|mains| hum_of(mains, &ground_db, bin_hz)).max_by_key(|hum| hum.lines.len())
}
