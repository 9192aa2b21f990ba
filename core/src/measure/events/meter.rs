//! Moments by third octaves, and those at which one stands out.

use std::sync::Arc;

use serde::{Deserialize, Serialize};
use zinc_fourier::{Complex64, RealToComplex, forward_f64};

use crate::measure::third_octave::centre_hz;
use crate::signal::StereoBlock;
use crate::signal::decibel::power_to_db;
use crate::signal::math::{PI, cos, pow};

/// Frames of a moment at 48 kHz, and from one to the next.
const SIZE: usize = 4096;
const HOP: usize = 1024;
/// First and last third octave looked at: 40 Hz to 16 kHz.
pub(super) const FIRST: usize = 3;
pub(super) const COUNT: usize = 27;
/// Under the loudest moment by more than this is a rest, in dB.
const REST_DB: f64 = 40.0;
/// A region is taken to stand at least so much under the whole, in dB.
const LEAST_DB: f64 = 28.0;
/// Share of the time for which a region stays under its usual level.
const USUAL: f64 = 0.9;
/// dB over the usual level that make an event, and over what many regions rise.
const OVER_DB: f64 = 9.0;
const APART_DB: f64 = 3.5;
/// Third octaves to either side whose usual levels count.
const BESIDE: usize = 2;
/// Shortest event, in moments.
const SHORTEST: usize = 2;
/// Moments before and after that hide one.
const NEAR: usize = 2;
/// Moments that may lie between two parts of one event.
const GAP: usize = 3;
/// Longest event in seconds; what lasts longer is how the part is.
pub(super) const LONGEST_S: f64 = 1.5;
/// Moments to either side of a marked one that belong to it: a hand is late by a tenth of a second.
const MARKED_NEAR: usize = 6;
/// dB by which a region has to rise there.
const MARKED_DB: f64 = 3.0;
/// Most events reported.
pub(super) const MOST: usize = 24;

/// One event.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize)]
pub struct Event {
    /// Beginning and end in seconds.
    pub from_s: f64,
    /// See `from_s`.
    pub to_s: f64,
    /// The region in Hz.
    pub from_hz: f64,
    /// See `from_hz`.
    pub to_hz: f64,
    /// dB by which it stands over the region's usual level where it is strongest.
    pub over_db: f64,
    /// Where that is, in seconds.
    pub at_s: f64,
}

/// How a part usually is, in dB.
pub(super) struct Ordinary {
    /// Each moment as a whole.
    pub whole: Vec<f64>,
    /// Under this is a rest.
    pub rest_db: f64,
    /// Each region's usual level, and what it has to rise over to be an event.
    own: [f64; COUNT],
    usuals: [f64; COUNT],
}

/// Collects moments.
pub struct EventMeter {
    pub(super) rate: f64,
    pub(super) size: usize,
    fft: Arc<dyn RealToComplex<f64>>,
    window: Vec<f64>,
    waiting: Vec<f64>,
    spectrum: Vec<Complex64>,
    edges: [(usize, usize); COUNT],
    pub(super) moments: Vec<[f64; COUNT]>,
}

impl EventMeter {
    /// At a rate in Hz.
    #[must_use]
    pub fn new(rate: f64) -> Self {
        let size = if rate > 50_000.0 { 2 * SIZE } else { SIZE };
        let fft = forward_f64(size);
        let bin = |hz: f64| ((hz * size as f64 / rate).round() as usize).min(size / 2);
        let half = pow(10.0, 0.05);
        Self {
            rate,
            size,
            window: (0..size).map(|i| 0.5 - 0.5 * cos(2.0 * PI * i as f64 / size as f64)).collect(),
            waiting: Vec::with_capacity(size),
            spectrum: fft.make_output_vec(),
            fft,
            edges: std::array::from_fn(|b| {
                let (from, to) = (bin(centre_hz(FIRST + b) / half), bin(centre_hz(FIRST + b) * half));
                (from, to.max(from + 1))
            }),
            moments: Vec::new(),
        }
    }

    /// Takes in the first `frames` of a block.
    pub fn push(&mut self, block: &StereoBlock, frames: usize) {
        for (l, r) in block.left[..frames].iter().zip(&block.right) {
            self.waiting.push(0.5 * f64::from(l + r));
            if self.waiting.len() == self.size {
                self.look();
                self.waiting.drain(..self.hop());
            }
        }
    }

    pub(super) fn hop(&self) -> usize {
        HOP * self.size / SIZE
    }

    fn look(&mut self) {
        let mut windowed: Vec<f64> = self.waiting.iter().zip(&self.window).map(|(x, w)| x * w).collect();
        if self.fft.process(&mut windowed, &mut self.spectrum).is_err() {
            return;
        }
        let power = |(from, to): (usize, usize)| self.spectrum[from..to].iter().map(Complex64::norm_sqr).sum::<f64>();
        self.moments.push(self.edges.map(|edge| power_to_db(power(edge) / (self.size * self.size) as f64)));
    }

    /// How the part usually is; none of one that hardly sounds.
    pub(super) fn ordinary(&self) -> Option<Ordinary> {
        let whole: Vec<f64> = self.moments.iter().map(together).collect();
        let rest_db = whole.iter().copied().fold(f64::MIN, f64::max) - REST_DB;
        let active: Vec<usize> = (0..whole.len()).filter(|t| whole[*t] > rest_db).collect();
        if active.len() < 40 {
            return None;
        }
        let usual_whole = usual(active.iter().map(|t| whole[*t]));
        let own: [f64; COUNT] = std::array::from_fn(|b| usual(active.iter().map(|t| self.moments[*t][b])));
        // A region where nothing usually is stands as if there were little: else any tick there would stand out.
        let usuals = std::array::from_fn(|b| {
            let beside = &own[b.saturating_sub(BESIDE)..(b + BESIDE + 1).min(COUNT)];
            beside.iter().copied().fold(usual_whole - LEAST_DB, f64::max)
        });
        Some(Ordinary { whole, rest_db, own, usuals })
    }

    /// What stands out about a moment that somebody has marked, in seconds: the region that rises
    /// most over its usual level there, whatever else does. None where nothing rises by 3 dB.
    #[must_use]
    pub fn marked(&self, at_s: f64) -> Option<Event> {
        let Ordinary { whole, rest_db, usuals, .. } = self.ordinary()?;
        let middle = 0.5 * self.size as f64 / self.rate;
        let at = ((at_s - middle) * self.rate / self.hop() as f64).round().max(0.0) as usize;
        let near = at.saturating_sub(MARKED_NEAR)..(at + MARKED_NEAR + 1).min(whole.len());
        let rise = |t: usize, b: usize| if whole[t] > rest_db { self.moments[t][b] - usuals[b] } else { 0.0 };
        let all = near.flat_map(|t| (0..COUNT).map(move |b| (t, b)));
        let (peak, best) = all.max_by(|x, y| rise(x.0, x.1).total_cmp(&rise(y.0, y.1)))?;
        let most = rise(peak, best);
        if most < MARKED_DB {
            return None;
        }
        let stands = |t: usize, b: usize| rise(t, b) >= 0.5 * most;
        let from = (0..=peak).rev().take_while(|t| stands(*t, best)).last()?;
        let to = (peak..whole.len()).take_while(|t| stands(*t, best)).last()?;
        let in_it = |t: usize| std::array::from_fn(|b| if stands(t, b) { rise(t, b) } else { 0.0 });
        let mut found = vec![[0.0; COUNT]; whole.len()];
        (from..=to).for_each(|t| found[t] = in_it(t));
        // One that lasts longer is held about where it was marked.
        let longest = (LONGEST_S * self.rate / self.hop() as f64) as usize / 2;
        self.event(&found, from.max(peak.saturating_sub(longest)), to.min(peak + longest).max(from + SHORTEST - 1))
    }

    /// The events, the strongest first.
    #[must_use]
    pub fn finish(&self) -> Vec<Event> {
        let Some(Ordinary { whole, rest_db, own, usuals }) = self.ordinary() else { return Vec::new() };
        let risen: Vec<f64> = self.moments.iter().map(|moment| common_rise(moment, &own)).collect();
        // What is loud just before or after hides it as much as what is loud with it.
        let about = |t: usize| {
            risen[t.saturating_sub(NEAR)..(t + NEAR + 1).min(risen.len())].iter().copied().fold(0.0, f64::max)
        };
        let over = |t: usize, b: usize| {
            let over = self.moments[t][b] - usuals[b];
            if whole[t] > rest_db && over >= OVER_DB && over - about(t) >= APART_DB { over } else { 0.0 }
        };
        let found: Vec<[f64; COUNT]> = (0..whole.len()).map(|t| std::array::from_fn(|b| over(t, b))).collect();
        let mut events = self.gathered(&found);
        events.sort_by(|a, b| b.over_db.total_cmp(&a.over_db));
        events.truncate(MOST);
        events
    }

    /// What touches in time, as one.
    pub(super) fn gathered(&self, found: &[[f64; COUNT]]) -> Vec<Event> {
        let mut events = Vec::new();
        let mut begun: Option<(usize, usize)> = None;
        for t in 0..=found.len() {
            let stands = found.get(t).is_some_and(|m| m.iter().any(|over| *over > 0.0));
            match begun {
                None if stands => begun = Some((t, t)),
                Some((from, _)) if stands => begun = Some((from, t)),
                Some((from, to)) if t > to + GAP || t == found.len() => {
                    events.extend(self.event(found, from, to));
                    begun = None;
                }
                _ => {}
            }
        }
        events
    }

    fn event(&self, found: &[[f64; COUNT]], from: usize, to: usize) -> Option<Event> {
        if to - from + 1 < SHORTEST {
            return None;
        }
        let most: [f64; COUNT] = std::array::from_fn(|b| found[from..=to].iter().fold(0.0, |m: f64, t| m.max(t[b])));
        let best = (0..COUNT).max_by(|a, b| most[*a].total_cmp(&most[*b]))?;
        // The regions beside the strongest that stand out with it.
        let low = (0..best).rev().take_while(|b| most[*b] > 0.0).last().unwrap_or(best);
        let high = (best + 1..COUNT).take_while(|b| most[*b] > 0.0).last().unwrap_or(best);
        let at = (from..=to).max_by(|a, b| found[*a][best].total_cmp(&found[*b][best]))?;
        // A moment is known by its middle, and is as long as what is looked at.
        let seconds = |t: f64| t * self.hop() as f64 / self.rate;
        let middle = 0.5 * self.size as f64 / self.rate;
        let event = Event {
            from_s: seconds(from as f64) + 0.5 * middle,
            to_s: seconds(to as f64) + 1.5 * middle,
            from_hz: centre_hz(FIRST + low) / pow(10.0, 0.05),
            to_hz: centre_hz(FIRST + high) * pow(10.0, 0.05),
            over_db: most[best],
            at_s: seconds(at as f64) + middle,
        };
        (event.to_s - event.from_s <= LONGEST_S).then_some(event)
    }
}

pub(super) fn together(moment: &[f64; COUNT]) -> f64 {
    power_to_db(moment.iter().map(|db| pow(10.0, db / 10.0)).sum())
}

/// dB by which a fifth of all regions have risen over their own usual levels: where a sound grows
/// louder as a whole, its partials do.
fn common_rise(moment: &[f64; COUNT], usual: &[f64; COUNT]) -> f64 {
    let mut rises: [f64; COUNT] = std::array::from_fn(|b| moment[b] - usual[b]);
    rises.sort_by(f64::total_cmp);
    rises[COUNT * 4 / 5]
}

fn usual(levels: impl Iterator<Item = f64>) -> f64 {
    stays_under(levels, USUAL)
}

/// What levels stay under for a share of the time; there is one at least.
pub(super) fn stays_under(levels: impl Iterator<Item = f64>, share: f64) -> f64 {
    let mut sorted: Vec<f64> = levels.collect();
    sorted.sort_by(f64::total_cmp);
    sorted[((sorted.len() - 1) as f64 * share) as usize]
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::signal::BLOCK;
    use crate::signal::math::{TAU, exp, sin};

    fn events(sound: impl Fn(f64) -> f64) -> Vec<Event> {
        let mut meter = EventMeter::new(48_000.0);
        for first in (0..20 * 48_000).step_by(BLOCK) {
            let mut block = StereoBlock::SILENT;
            (0..BLOCK).for_each(|i| block.set_frame(i, [sound((first + i) as f64 / 48_000.0); 2]));
            meter.push(&block, BLOCK);
        }
        meter.finish()
    }

    /// A line of held notes with overtones.
    fn line(t: f64) -> f64 {
        let (note, since) = ((t * 1.3) as u32, (t * 1.3).fract() / 1.3);
        let hz = 130.0 * pow(2.0, f64::from(note % 5) / 6.0);
        let swell = (since / 0.05).min((1.0 / 1.3 - since) / 0.05).min(1.0);
        (1..12).map(|k| sin(TAU * hz * f64::from(k) * since) / f64::from(k)).sum::<f64>() * 0.1 * swell
    }

    #[test]
    fn two_plucks_in_a_line_are_found_where_they_are_and_nothing_else() {
        let pluck = |t: f64, at: f64| {
            if t < at {
                0.0
            } else {
                0.5 * ((t - at) / 0.004).min(1.0) * exp(-(t - at) / 0.15) * sin(TAU * 900.0 * (t - at))
            }
        };
        let found = events(|t| line(t) + pluck(t, 6.0) + pluck(t, 13.5));
        assert_eq!(found.len(), 2, "{found:?}");
        for at in [6.0, 13.5] {
            let event = found.iter().find(|e| (e.at_s - at).abs() < 0.25).expect("the pluck is found");
            assert!(event.from_hz < 900.0 && event.to_hz > 900.0 && event.to_hz < 2500.0, "{event:?}");
        }
    }

    #[test]
    fn what_is_marked_is_known_by_the_region_that_rises_there() {
        let soft = |t: f64| 0.12 * exp(-(t - 5.77).abs() / 0.1) * sin(TAU * 900.0 * t);
        let mut meter = EventMeter::new(48_000.0);
        for first in (0..20 * 48_000).step_by(BLOCK) {
            let mut block = StereoBlock::SILENT;
            let sound = |t: f64| line(t) + soft(t);
            (0..BLOCK).for_each(|i| block.set_frame(i, [sound((first + i) as f64 / 48_000.0); 2]));
            meter.push(&block, BLOCK);
        }
        let event = meter.marked(5.82).expect("a region rises there");
        assert!((event.at_s - 5.77).abs() < 0.1, "{event:?}");
        assert!(event.from_hz < 900.0 && event.to_hz > 900.0 && event.to_s - event.from_s <= LONGEST_S, "{event:?}");
        assert!(event.over_db >= MARKED_DB);
        assert_eq!(EventMeter::new(48_000.0).marked(1.0), None);
    }

    #[test]
    fn a_line_that_grows_louder_as_a_whole_has_no_events() {
        assert_eq!(events(line), vec![]);
        let swell = |t: f64| 1.0 + 4.0 * ((t - 7.5) / 0.5).min((9.5 - t) / 0.5).clamp(0.0, 1.0);
        assert_eq!(events(|t| line(t) * swell(t)), vec![]);
        assert_eq!(events(|_| 0.0), vec![]);
    }
}
