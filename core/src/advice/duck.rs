//! Keyed ducking by aim: a part gives way by so many decibels at each hit of another, and is back
//! before the next.
//!
//! The reduction is the same at each hit, however loud it is: a [`gate`](crate::unit::dynamics::gate)
//! turned about, which takes its range away while the key is over the threshold and no more. The
//! threshold lies under the softest hit, above what rings between; hold and release are what the
//! shortest time between two hits leaves. Checked by running it.

use crate::rack::Key;
use crate::rack::UnitSpec;

use crate::rack::RackSpec;
use crate::rack::proposed::unit;
use crate::signal::decibel::gain_to_db;
use crate::trial::{Passage, Take};
use crate::unit::dynamics::gate::KIND as GATE;
use crate::unit::proposed::values;

/// Seconds of a look at the level.
const STEP_S: f64 = 0.002;
/// A hit rises by so much, in dB, and follows the last by so many seconds at least.
const RISE_DB: f64 = 6.0;
const APART_S: f64 = 0.09;
/// Looks before a hit that it rises over: whole cycles of the lowest drum.
const BEFORE: usize = 14;
/// Looks before the end in which no hit counts.
const LAST: usize = 30;
/// Under the loudest hit by more than this is no hit, in dB.
const SOFTEST_DB: f64 = 15.0;
/// Under the softest hit lies the threshold, in dB.
const UNDER_DB: f64 = 4.0;
/// Attack in ms: fast, and no click; and how long the cycles of a low hit are bridged.
const ATTACK_MS: f64 = 1.0;
const HOLD_MS: f64 = 25.0;
/// What is left of the time to the next hit after the loud part of this one; of that the release may
/// take this share to 63.2 %.
const LOUD_MS: f64 = 90.0;
const BACK_SHARE: f64 = 0.3;
/// Longest and shortest release in ms.
const RELEASE_MS: [f64; 2] = [15.0, 140.0];

/// A ducking that keeps its aim.
#[derive(Clone, Debug)]
pub struct Duck {
    /// The unit, its key to be set by whoever puts it in.
    pub unit: UnitSpec,
    /// Frames at which the key hits.
    pub hits: Vec<usize>,
    /// Reduction in dB at each hit.
    pub depths_db: Vec<f64>,
}

/// The unit that takes `depth_db` at each hit of a key; none where nothing hits.
#[must_use]
pub fn solve(key: &Passage, depth_db: f64) -> Option<Duck> {
    let hits = hits(key);
    let gaps = hits.windows(2).map(|pair| (pair[1] - pair[0]) as f64 / key.rate);
    let shortest = gaps.fold(f64::MAX, f64::min).min(2.0);
    if hits.is_empty() {
        return None;
    }
    let softest = hits.iter().map(|hit| peak_db(key, *hit)).fold(f64::MAX, f64::min);
    let release_ms = (BACK_SHARE * (1000.0 * shortest - LOUD_MS)).clamp(RELEASE_MS[0], RELEASE_MS[1]).round();
    let params = values!(GATE.tables.params, {
        "does": "duck", "threshold_db": (softest - UNDER_DB).clamp(-80.0, 0.0), "hysteresis_db": 0,
        "range_db": depth_db, "attack_ms": ATTACK_MS, "hold_ms": HOLD_MS, "release_ms": release_ms,
    });
    let unit = UnitSpec { key: Some(Key::Outside), ..unit(&GATE, &params) };
    let depths_db = depths(key, &unit, &hits)?;
    Some(Duck { unit, hits, depths_db })
}

/// Reductions at the hits.
fn depths(key: &Passage, unit: &UnitSpec, hits: &[usize]) -> Option<Vec<f64>> {
    let rack = RackSpec { units: vec![UnitSpec { id: 1, ..unit.clone() }] };
    let trace = Take::of(key, &rack, Some(key)).reduction();
    let within = (0.1 * key.rate) as usize;
    let most = |(at, hit): (usize, &usize)| {
        let end = hits.get(at + 1).copied().unwrap_or(trace.len()).min(hit + within).min(trace.len());
        trace[*hit..end].iter().fold(0.0, |m: f64, r| m.max(f64::from(*r)))
    };
    Some(hits.iter().enumerate().map(most).collect())
}

fn peak_db(key: &Passage, hit: usize) -> f64 {
    let end = (hit + (0.05 * key.rate) as usize).min(key.frames());
    let peak =
        key.left[hit..end].iter().zip(&key.right[hit..end]).fold(0.0f32, |m, (l, r)| m.max(l.abs()).max(r.abs()));
    gain_to_db(f64::from(peak))
}

/// Frames at which a part hits.
#[must_use]
pub fn hits(key: &Passage) -> Vec<usize> {
    let step = (STEP_S * key.rate) as usize;
    let magnitude = key.magnitude();
    let levels: Vec<f64> = magnitude.chunks(step).map(|p| gain_to_db(p.iter().copied().fold(0.0, f64::max))).collect();
    let loudest = levels.iter().copied().fold(f64::MIN, f64::max);
    let apart = (APART_S / STEP_S) as usize;
    let mut hits: Vec<usize> = Vec::new();
    // What begins right before the end cannot be answered any more.
    for at in BEFORE..levels.len().saturating_sub(LAST) {
        // The highest of whole cycles: within a low one the level falls to nothing and comes again.
        let before = levels[at - BEFORE..at].iter().copied().fold(loudest - 50.0, f64::max);
        let after = levels[at..(at + 6).min(levels.len())].iter().copied().fold(f64::MIN, f64::max);
        let long_since = hits.last().is_none_or(|last| at - last / step >= apart);
        if levels[at] - before >= RISE_DB && after > loudest - SOFTEST_DB && long_since {
            hits.push(at * step);
        }
    }
    hits
}
