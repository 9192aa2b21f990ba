//! Hum of the mains: lines at 50 or 60 Hz and their multiples that are there whether the part plays or rests.

use serde::{Deserialize, Serialize};

/// The mains, in Hz.
const MAINS_HZ: [f64; 2] = [50.0, 60.0];
/// Multiples that are looked at, and how many of them have to stand out.
const MULTIPLES: usize = 8;
const FEWEST: usize = 2;
/// dB by which a line stands over the ground about it.
const OVER_DB: f64 = 12.0;
/// Level in dBFS from which anybody minds.
const AUDIBLE_DBFS: f64 = -72.0;

/// Hum: where its series begins, and its lines as Hz and dBFS, lowest first.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct Hum {
    /// 50 or 60.
    pub mains_hz: f64,
    /// Frequency in Hz and level in dBFS of each line.
    pub lines: Vec<(f64, f64)>,
}

/// The hum in the ground of a sound: its level in dB at a bin, of bins so many Hz apart.
pub fn hum(ground_db: impl Fn(usize) -> f64, bin_hz: f64) -> Option<Hum> {
    let lines = |mains: f64| {
        let line = |multiple: usize| {
            let hz = mains * multiple as f64;
            let at = (hz / bin_hz).round() as usize;
            let here = (at - 1..=at + 1).map(&ground_db).fold(f64::MIN, f64::max);
            let about = [at - 7, at - 5, at + 5, at + 7].map(&ground_db).into_iter().fold(f64::MIN, f64::max);
            (here - about >= OVER_DB && here >= AUDIBLE_DBFS).then_some((hz, here))
        };
        (1..=MULTIPLES).filter_map(line).collect::<Vec<_>>()
    };
    let found = MAINS_HZ.map(|mains_hz| Hum { mains_hz, lines: lines(mains_hz) });
    found.into_iter().filter(|hum| hum.lines.len() >= FEWEST).max_by_key(|hum| hum.lines.len())
}
