//! Events in a region that somebody has named: where it rises further than the rest of the sound does.
//!
//! A hard stroke is louder everywhere; it booms where its lows rise further than all else does. So what a region rises
//! over its usual level is held against what the rest rises over its own, strokes against strokes; what the rest has
//! risen shortly before counts as well, since where a note dies away its lows are last to go. The rest is what lies more
//! than an octave away: a boom has no edges.

use super::meter::{COUNT, Event, EventMeter, FIRST, LONGEST_S, MOST, stays_under, together};
use crate::measure::third_octave::centre_hz;
use crate::signal::decibel::power_to_db;
use crate::signal::math::pow;

/// A region and the rest stay under their usual levels for this share of the time; these are what they have reached
/// within so many seconds.
const USUAL: f64 = 0.5;
const REACHED_S: f64 = 1.0;
/// Seconds for which what the rest has risen counts.
const BEFORE_S: f64 = 0.15;
/// dB by which it has to rise further than the rest.
const FURTHER_DB: f64 = 3.0;

/// Lowest and highest edge of a region in Hz.
pub const EDGES_HZ: [f64; 2] = [20.0, 20_000.0];

impl EventMeter {
    /// The events in a region between two frequencies in Hz, or anywhere; the strongest first.
    #[must_use]
    pub fn found(&self, region: Option<[f64; 2]>) -> Vec<Event> {
        region.map_or_else(|| self.finish(), |edges| self.within(edges))
    }

    /// The events within a region between two frequencies in Hz, the strongest first; their `over_db` is by how much
    /// the region rises further than the rest of the sound.
    #[must_use]
    pub fn within(&self, [from_hz, to_hz]: [f64; 2]) -> Vec<Event> {
        let Some(ordinary) = self.ordinary() else { return Vec::new() };
        let within = regions(from_hz, to_hz);
        let octave_about = regions(from_hz / 2.0, to_hz * 2.0);
        let rest = octave_about.map(|near| !near);
        let levels = |of: [bool; COUNT]| self.moments.iter().map(|moment| level(moment, &of)).collect::<Vec<f64>>();
        let (inside, beside) = (levels(within), levels(rest));
        let active: Vec<usize> = (0..inside.len()).filter(|t| ordinary.whole[*t] > ordinary.rest_db).collect();
        let moments = |seconds: f64| (seconds * self.rate / self.hop() as f64) as usize;
        let reached = |of: &[f64], t: usize, within_s: f64| {
            of[t.saturating_sub(moments(within_s))..=t].iter().copied().fold(f64::MIN, f64::max)
        };
        let usually = |of: &[f64]| stays_under(active.iter().map(|t| reached(of, *t, REACHED_S)), USUAL);
        let (usual_inside, usual_beside) = (usually(&inside), usually(&beside));
        let mut found = vec![[0.0; COUNT]; inside.len()];
        for t in active {
            let risen = (reached(&beside, t, BEFORE_S) - usual_beside).max(0.0);
            let further = inside[t] - usual_inside - risen;
            if further >= FURTHER_DB {
                found[t] = within.map(|here| if here { further } else { 0.0 });
            }
        }
        self.shortened(&mut found);
        let mut events = self.gathered(&found);
        events.iter_mut().for_each(|event| (event.from_hz, event.to_hz) = (from_hz, to_hz));
        events.sort_by(|a, b| b.over_db.total_cmp(&a.over_db));
        events.truncate(MOST);
        events
    }

    /// Takes from every run what comes later than an event lasts: what booms on is held from where it begins.
    fn shortened(&self, found: &mut [[f64; COUNT]]) {
        let longest = (LONGEST_S * self.rate / self.hop() as f64) as usize - self.size / self.hop();
        let mut run = 0;
        for moment in found.iter_mut() {
            run = if moment.iter().any(|over| *over > 0.0) { run + 1 } else { 0 };
            if run > longest {
                *moment = [0.0; COUNT];
            }
        }
    }
}

/// Which third octaves lie in a region: those whose centres do, or the nearest.
fn regions(from_hz: f64, to_hz: f64) -> [bool; COUNT] {
    let half = pow(10.0, 0.05);
    let middle = (from_hz * to_hz).sqrt();
    std::array::from_fn(|b| {
        let centre = centre_hz(FIRST + b);
        (from_hz..=to_hz).contains(&centre) || (centre / half..centre * half).contains(&middle)
    })
}

/// Level in dB of what lies within some third octaves of a moment.
fn level(moment: &[f64; COUNT], within: &[bool; COUNT]) -> f64 {
    let all: [f64; COUNT] = std::array::from_fn(|b| if within[b] { moment[b] } else { f64::NEG_INFINITY });
    together(&all).max(power_to_db(1e-20))
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::signal::math::{TAU, exp, sin};
    use crate::signal::{BLOCK, StereoBlock};

    const REGION: [f64; 2] = [100.0, 300.0];

    /// Strokes of a chord, two a second: every fourth is hard (all of it 8 dB louder, its highs most), and of the hard
    /// ones those chosen boom at 180 Hz.
    fn strums(t: f64, booms: impl Fn(u32) -> bool) -> f64 {
        let (stroke, since) = ((t * 2.0) as u32, (t * 2.0).fract() / 2.0);
        let hard = stroke % 4 == 3;
        let level = 0.03 * if hard { 2.5 } else { 1.0 };
        let partial =
            |k: i32| sin(TAU * 110.0 * f64::from(k) * since) / f64::from(k).powf(if hard { 0.8 } else { 1.0 });
        let chord: f64 = (1..20).map(|k| partial(k) * exp(-since * f64::from(3 + k))).sum();
        let boom = if hard && booms(stroke) { 0.35 * sin(TAU * 180.0 * since) * exp(-since / 0.12) } else { 0.0 };
        (level * chord + boom) * (since / 0.003).min(1.0)
    }

    fn heard(booms: impl Fn(u32) -> bool) -> EventMeter {
        let mut meter = EventMeter::new(48_000.0);
        for first in (0..24 * 48_000).step_by(BLOCK) {
            let mut block = StereoBlock::SILENT;
            (0..BLOCK).for_each(|i| block.set_frame(i, [strums((first + i) as f64 / 48_000.0, &booms); 2]));
            meter.push(&block, BLOCK);
        }
        meter
    }

    #[test]
    fn the_boom_of_hard_strokes_is_found_though_their_highs_rise_with_it() {
        // Hard strokes 3, 7, ... 47; of them 7, 23 and 39 boom.
        let found = heard(|stroke| stroke % 16 == 7).within(REGION);
        let at: Vec<f64> = found.iter().map(|event| event.at_s).collect();
        assert_eq!(found.len(), 3, "{at:?}");
        for wanted in [3.5, 11.5, 19.5] {
            assert!(at.iter().any(|s| (s - wanted).abs() < 0.25), "{wanted} s among {at:?}");
        }
        assert!(found.iter().all(|event| [event.from_hz, event.to_hz] == REGION && event.over_db >= FURTHER_DB));
    }

    #[test]
    fn hard_strokes_that_do_not_boom_are_none() {
        let meter = heard(|_| false);
        for region in [REGION, [40.0, 120.0]] {
            assert_eq!(meter.within(region), [], "{region:?}");
        }
        assert_eq!(EventMeter::new(48_000.0).within(REGION), []);
    }

    #[test]
    fn a_region_narrower_than_a_third_of_an_octave_is_the_one_it_lies_in() {
        let inside = |from, to| (0..COUNT).filter(|b| regions(from, to)[*b]).count();
        assert_eq!([inside(170.0, 190.0), inside(100.0, 300.0), inside(10.0, 15.0)], [1, 5, 0]);
    }
}
