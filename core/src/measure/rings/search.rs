//! From the moments of a sound to the places that may ring.

use super::bells::{Bells, Laid, REACH};
use super::evidence::Evidence;
use super::notes::{Lines, one_note, unexplained_db};
use super::peers::Peers;
use super::resolution::{Moment, Resolution, curve};
use super::scale::{STEPS, hz_at, quantile};
use super::surplus::Surplus;
use crate::signal::math::log;

/// Shares of the moments whose levels are taken: the first four are those of quiet and
/// middling moments, in which notes come and go and resonances stay.
const SHARES: [f64; 5] = [0.1, 0.2, 0.35, 0.5, 0.8];
const QUIET: usize = 4;
/// dB by which a top stands out to be looked at.
const TOP_DB: f64 = 4.0;
/// Steps to each side of which a top is the highest.
const APART: usize = 2;
/// Tops of several curves within so many steps are one.
const SAME: f64 = 1.0;
/// A ring stands out by this much in dB.
const RING_DB: f64 = 6.0;
/// Log odds from which it is called one: a cut that is offered in vain is heard and left, a ring that is not named stays.
const LEAST_LOG_ODDS: f64 = -0.25;
/// Nothing is called a ring under this frequency in Hz: notes and rooms are too close there.
pub const LOWEST_HZ: f64 = 180.0;
/// Stands for what there are too few lines or moments to tell.
const UNKNOWN_DB: f64 = -40.0;

/// A place that may ring.
#[derive(Clone, Debug)]
pub struct Candidate {
    /// Frequency in Hz.
    pub hz: f64,
    /// dB by which it stands out: the gain of the bell that fits it in the middle of quiet and
    /// middling moments, or what no note accounts for, if that is more.
    pub prominence_db: f64,
    /// Q of that bell.
    pub q: f64,
    /// What speaks for and against it.
    pub evidence: Evidence,
    /// Nearest step of the scale.
    pub(super) step: usize,
}

impl Candidate {
    /// Whether the evidence is enough.
    #[must_use]
    pub fn is_ring(&self) -> bool {
        self.hz > LOWEST_HZ && self.prominence_db > RING_DB && self.evidence.log_odds() > LEAST_LOG_ODDS
    }
}

/// One step of the scale with the bells laid there.
struct ScaleStep {
    opened: Laid,
    lines: Laid,
}

impl ScaleStep {
    /// Gain in the middle of quiet and middling moments, of the opened spectrum and the whole.
    fn middle_db(&self) -> f64 {
        let gains = [&self.opened, &self.lines].into_iter().flat_map(|laid| &laid.gains_db[..QUIET]);
        let mut quiet: Vec<f64> = gains.copied().collect();
        quiet.sort_by(f64::total_cmp);
        0.5 * (quiet[QUIET - 1] + quiet[QUIET])
    }
}

/// The places that stand out, lowest first.
pub(super) fn candidates(resolutions: &[Resolution]) -> Vec<Candidate> {
    let opened = curves(resolutions, |m| &m.opened);
    let whole = curves(resolutions, |m| &m.over);
    let lines: Vec<&Lines> =
        resolutions.iter().flat_map(|r| &r.moments).filter_map(|moment| moment.lines.as_ref()).collect();
    let bells = Bells::new();
    let places: Vec<ScaleStep> = (REACH..STEPS - REACH)
        .map(|step| ScaleStep { opened: bells.lay(&opened, step), lines: bells.lay(&whole, step) })
        .collect();
    let peers = Peers::of(lines.iter().map(|moment| &moment.all[..]));
    tops(&places, &lines)
        .into_iter()
        .map(|top| {
            let (hz, place, step) =
                (hz_at(top + REACH as f64), &places[top.round() as usize], top.round() as usize + REACH);
            let evidence = weigh(place, &lines, &peers, hz, step);
            let prominence_db = place.middle_db().max(evidence.surplus_db);
            Candidate { hz, prominence_db, q: place.opened.q, evidence, step }
        })
        .collect()
}

/// One curve for each of [`SHARES`], over the whole scale.
fn curves(resolutions: &[Resolution], of: impl Fn(&Moment) -> &[f32]) -> Vec<Vec<f64>> {
    SHARES.map(|share| resolutions.iter().flat_map(|r| curve(&r.moments, &of, share)).collect()).to_vec()
}

/// Where a curve has a top, in steps from the first place: that of the gain in quiet and
/// middling moments, that of the gain always there, or that of what no note accounts for.
fn tops(places: &[ScaleStep], lines: &[&Lines]) -> Vec<f64> {
    let middle: Vec<f64> = places.iter().map(ScaleStep::middle_db).collect();
    let always: Vec<f64> = places.iter().map(|p| p.opened.gains_db[0]).collect();
    let strict = |step: usize| quantiles(surpluses(lines, step, |s| s.over_two), [0.75])[0];
    let surplus: Vec<f64> = (REACH..STEPS - REACH).map(strict).collect();
    // The first curve says best where a top is.
    let mut found: Vec<f64> = Vec::new();
    for curve in [middle, always, surplus] {
        let tops = (1..curve.len() - 1).filter(|k| is_top(&curve, *k)).map(|k| k as f64 + top_between(&curve, k));
        let others: Vec<f64> = tops.filter(|top| found.iter().all(|known| (known - top).abs() > SAME)).collect();
        found.extend(others);
    }
    found.sort_by(f64::total_cmp);
    found
}

fn is_top(curve: &[f64], k: usize) -> bool {
    let around = &curve[k.saturating_sub(APART)..(k + APART + 1).min(curve.len())];
    curve[k] > TOP_DB && around.iter().all(|x| *x <= curve[k])
}

/// Where the top of a peak lies beside a step, by the parabola through three.
fn top_between(curve: &[f64], step: usize) -> f64 {
    let (a, b, c) = (curve[step - 1], curve[step], curve[step + 1]);
    let bend = a - 2.0 * b + c;
    if bend < 0.0 { (0.5 * (a - c) / bend).clamp(-0.5, 0.5) } else { 0.0 }
}

/// Of each moment the largest surplus at a step and its neighbours, in one of its readings.
fn surpluses(lines: &[&Lines], step: usize, reading: impl Fn(&Surplus) -> f32) -> Vec<f32> {
    let largest = |moment: &&Lines| moment.surplus[step - 1..=step + 1].iter().map(&reading).fold(f32::MIN, f32::max);
    lines.iter().map(largest).collect()
}

fn quantiles<const N: usize>(mut values: Vec<f32>, shares: [f64; N]) -> [f64; N] {
    shares.map(|share| f64::from(quantile(&mut values, share)))
}

fn weigh(place: &ScaleStep, lines: &[&Lines], peers: &Peers, hz: f64, step: usize) -> Evidence {
    let [opened, whole] = [&place.opened, &place.lines].map(|laid| &laid.gains_db);
    let [contrast_low_db, contrast_db, contrast_high_db] =
        quantiles(lines.iter().map(|moment| moment.contrast[step]).collect(), [0.1, 0.5, 0.75]);
    let [surplus_db, surplus_high_db] = quantiles(surpluses(lines, step, |s| s.over_one), [0.75, 0.9]);
    let [strict_surplus_db, strict_surplus_high_db] = quantiles(surpluses(lines, step, |s| s.over_two), [0.75, 0.9]);
    Evidence {
        always_db: opened[0],
        loud_db: opened[QUIET],
        lines_always_db: whole[0],
        lines_loud_db: whole[QUIET],
        q: place.opened.q,
        height: log(hz) / core::f64::consts::LN_2,
        unexplained_db: unexplained_db(lines.iter().copied(), hz, step).unwrap_or(UNKNOWN_DB),
        contrast_low_db,
        contrast_db,
        contrast_high_db,
        surplus_db,
        surplus_high_db,
        strict_surplus_db,
        strict_surplus_high_db,
        peers_low_db: peers.over_db(step, 0.2).unwrap_or(UNKNOWN_DB),
        peers_db: peers.over_db(step, 0.5).unwrap_or(UNKNOWN_DB),
        crowd: peers.crowd(step),
        one_note: one_note(lines, step),
    }
}
