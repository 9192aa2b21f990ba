//! The bands of a multiband that work on an event, and only there and then.

use super::split::Split;
use crate::measure::events::Event;
use crate::signal::decibel::gain_to_db;
use crate::trial::Passage;
use crate::unit::dynamics::multiband::KIND as MULTIBAND;
use crate::unit::param::Param;
use crate::unit::proposed::values;
use crate::unit::value::WrittenRow;

/// The parameters of a band.
const BAND: &[Param] = MULTIBAND.tables.lists[0].params;

/// Edges that are tried against those of the event, as ratios of frequencies: the band in which the
/// event stands furthest over everything else is taken.
const LOWER: [f64; 4] = [0.7, 0.8, 0.9, 1.0];
const HIGHER: [f64; 4] = [1.0, 1.12, 1.25, 1.4];
/// Seconds of a look at a band's peaks, and the share of looks outside events that the threshold is
/// over: what passes it for a hundredth of a second now and then is not heard to change.
const LOOK_S: f64 = 0.01;
const USUAL: f64 = 0.995;
/// Seconds about an event that belong to it.
pub(super) const ABOUT_S: f64 = 0.12;
/// Ratio of the band, attack and release in ms of whatever holds an event.
pub(super) const RATIO: f64 = 50.0;
pub(super) const ATTACK_MS: f64 = 0.5;
pub(super) const RELEASE_MS: f64 = 120.0;
/// Lowest and highest edge in Hz, and the lower as a share of the upper at most: a twelfth of an octave.
const EDGES_HZ: [f64; 2] = [25.0, 16_000.0];
const NARROWEST: f64 = 0.944;

/// The bands of a `multiband` that holds events like this one and leaves all else alone.
#[must_use]
pub fn bands(passage: &Passage, event: &Event, all: &[Event]) -> Vec<WrittenRow> {
    let tried = LOWER.iter().flat_map(|lower| HIGHER.iter().map(move |higher| (lower, higher)));
    let bands = tried.map(|(lower, higher)| {
        let [lowest, highest] = EDGES_HZ;
        let from = (event.from_hz * lower).clamp(lowest, NARROWEST * highest).round();
        let edges = [from, (event.to_hz * higher).max(from / NARROWEST).min(highest).round()];
        (edges, stands(passage, edges, event, all))
    });
    let best = bands.max_by(|a, b| a.1.over_db.total_cmp(&b.1.over_db));
    let Some(([from, to], found)) = best else { return Vec::new() };
    let held = values!(BAND, {
        "from_hz": from, "threshold_db": found.usual_db.clamp(-80.0, 0.0), "ratio": RATIO, "knee_db": 0,
        "attack_ms": ATTACK_MS, "release_ms": RELEASE_MS,
    });
    vec![held, values!(BAND, {"from_hz": to})]
}

/// How far an event stands over everything else in a band.
struct Stands {
    /// Level in dBFS under which everything else stays but for moments, to a tenth.
    usual_db: f64,
    over_db: f64,
}

fn stands(passage: &Passage, edges: [f64; 2], event: &Event, all: &[Event]) -> Stands {
    let look = (LOOK_S * passage.rate) as usize;
    let peaks = Split::of(passage, edges).peaks();
    let looks: Vec<f64> = peaks.chunks(look).map(|part| part.iter().copied().fold(0.0, f64::max)).collect();
    let within = |at: f64, e: &Event| at > e.from_s - ABOUT_S && at < e.to_s + ABOUT_S;
    let at = |look: usize| look as f64 * LOOK_S;
    let mut others: Vec<f64> =
        (0..looks.len()).filter(|n| !all.iter().any(|e| within(at(*n), e))).map(|n| looks[n]).collect();
    others.sort_by(f64::total_cmp);
    let usual = others.get(((others.len() as f64 - 1.0).max(0.0) * USUAL) as usize).copied().unwrap_or(0.0);
    let most = (0..looks.len()).filter(|n| within(at(*n), event)).fold(0.0, |m: f64, n| m.max(looks[n]));
    let usual_db = (10.0 * gain_to_db(usual)).round() / 10.0;
    Stands { usual_db, over_db: gain_to_db(most) - usual_db }
}
