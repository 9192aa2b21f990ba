//! From the moments of a sound to the places that may ring.

use super::bells::{Bells, Laid, REACH};
use super::evidence::Evidence;
use super::notes::{Lines, unexplained_db};
use super::resolution::{Moment, Resolution, curve};
use super::scale::{STEPS, hz_at};
use crate::signal::math::log;

/// Shares of the moments whose levels are taken: the first four are those of quiet and
/// middling moments, in which notes come and go and resonances stay.
const SHARES: [f64; 6] = [0.1, 0.2, 0.35, 0.5, 0.65, 0.8];
const QUIET: usize = 4;
/// dB by which a bump stands out to be looked at.
const BUMP_DB: f64 = 5.0;
/// From this frequency in Hz on kin are chance: there are partials everywhere.
const KIN_HZ: f64 = 2048.0;
/// A ring stands out by this much in dB.
const RING_DB: f64 = 6.0;
/// Nothing is called a ring under this frequency in Hz: notes and rooms are too close there.
const LOWEST_HZ: f64 = 180.0;
/// Steps within which two bumps are one.
const APART: usize = 3;

/// A place that may ring.
#[derive(Clone, Debug)]
pub struct Candidate {
    /// Frequency in Hz.
    pub hz: f64,
    /// Gain in dB of the bell that fits it, in the middle of quiet and middling moments.
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
        self.hz > LOWEST_HZ && self.prominence_db > RING_DB && self.evidence.log_odds() > 0.0
    }
}

/// One step of the scale with the bells laid there.
struct Place {
    opened: Laid,
    lines: Laid,
}

impl Place {
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
    let bells = Bells::new();
    let steps = REACH..STEPS - REACH;
    let places: Vec<Place> =
        steps.map(|step| Place { opened: bells.lay(&opened, step), lines: bells.lay(&whole, step) }).collect();
    let middle: Vec<f64> = places.iter().map(Place::middle_db).collect();
    let always: Vec<f64> = places.iter().map(|p| p.opened.gains_db[0]).collect();
    let bumps: Vec<usize> = (1..places.len() - 1)
        .filter(|k| is_top(&middle, *k) || (is_top(&always, *k) && !near_top(&middle, *k)))
        .collect();
    let lines: Vec<&Lines> =
        resolutions.iter().flat_map(|r| &r.moments).filter_map(|moment| moment.lines.as_ref()).collect();
    let all_hz: Vec<f64> = bumps.iter().map(|k| hz_at((k + REACH) as f64)).collect();
    bumps
        .iter()
        .map(|k| {
            let (place, step) = (&places[*k], k + REACH);
            let hz = hz_at(step as f64 + top_between(&middle, *k));
            let unexplained = unexplained_db(lines.iter().copied(), hz, step);
            let kin = all_hz.iter().filter(|other| are_kin(**other, hz)).count();
            let evidence = weigh(place, hz, unexplained, kin as f64);
            Candidate { hz, prominence_db: middle[*k], q: place.opened.q, evidence, step }
        })
        .collect()
}

/// One curve for each of [`SHARES`], over the whole scale.
fn curves(resolutions: &[Resolution], of: impl Fn(&Moment) -> &[f32]) -> Vec<Vec<f64>> {
    SHARES.map(|share| resolutions.iter().flat_map(|r| curve(&r.moments, &of, share)).collect()).to_vec()
}

fn is_top(gains: &[f64], k: usize) -> bool {
    let around = &gains[k.saturating_sub(APART)..(k + APART + 1).min(gains.len())];
    gains[k] > BUMP_DB && around.iter().all(|x| *x <= gains[k])
}

fn near_top(gains: &[f64], k: usize) -> bool {
    (k.saturating_sub(APART)..=(k + APART).min(gains.len() - 1)).any(|j| is_top(gains, j))
}

/// Where the top of a peak lies beside a step, by the parabola through three.
fn top_between(curve: &[f64], step: usize) -> f64 {
    let (a, b, c) = (curve[step - 1], curve[step], curve[step + 1]);
    let bend = a - 2.0 * b + c;
    if bend < 0.0 { (0.5 * (a - c) / bend).clamp(-1.0, 1.0) } else { 0.0 }
}

/// Whether two frequencies are low partials of one note.
fn are_kin(a: f64, b: f64) -> bool {
    const RATIOS: [[f64; 2]; 6] = [[2.0, 1.0], [3.0, 1.0], [3.0, 2.0], [4.0, 1.0], [5.0, 1.0], [4.0, 3.0]];
    let (high, low) = (a.max(b), a.min(b));
    RATIOS.iter().any(|[m, n]| log(high * n / (low * m)).abs() < 0.006)
}

fn weigh(place: &Place, hz: f64, unexplained: Option<f64>, kin: f64) -> Evidence {
    let octaves = |ratio: f64| log(ratio) / core::f64::consts::LN_2;
    let opened = &place.opened.gains_db;
    let grows = |laid: &Laid| laid.gains_db[QUIET - 1] - laid.gains_db[0];
    let kin = kin.min(5.0) * octaves(KIN_HZ / hz).clamp(0.0, 1.0);
    Evidence {
        always_db: opened[0].clamp(0.0, 12.0),
        rises_db: (opened[QUIET].max(opened[QUIET - 1]) - opened[0]).clamp(0.0, 14.0),
        fades_db: grows(&place.opened).min(grows(&place.lines)).clamp(-10.0, 2.0),
        unexplained_db: unexplained.unwrap_or(-6.0).clamp(-6.0, 12.0),
        broad: if hz > 600.0 { octaves(18.0 / place.opened.q).clamp(0.0, 1.0) } else { 0.0 },
        narrow: octaves(place.opened.q / 38.0).clamp(0.0, 2.0),
        kin,
        kin_of_line: kin * octaves(place.lines.q / 26.0).clamp(0.0, 2.0),
        height: octaves(hz),
    }
}
