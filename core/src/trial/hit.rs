//! One hit of a passage seen closely: where it is, its outline, how fast each of its cycles is.

use serde::Serialize;

use super::passage::Passage;
use crate::measure::cycle::cycles;
use crate::signal::decibel::gain_to_db;

/// Seconds of a look at the level.
const LOOK_S: f64 = 0.005;
/// Looks before a hit that it rises over, and by how much, in dB.
const BEFORE: usize = 5;
const RISE_DB: f64 = 6.0;
/// Seconds shown before and after a hit begins.
const SHOWN_S: [f64; 2] = [0.01, 0.14];
/// Points of its outline.
const POINTS: usize = 320;

/// A hit as it is drawn.
#[derive(Clone, Debug, PartialEq, Serialize)]
#[cfg_attr(feature = "types", derive(ts_rs::TS))]
pub struct Hit {
    /// Least and greatest sample of each stretch, in thousandths of full scale.
    pub wave: Vec<[i32; 2]>,
    /// Seconds from where the outline begins, and Hz, of each cycle.
    pub cycles: Vec<(f64, f64)>,
    /// Seconds shown.
    pub seconds: f64,
}

/// The frame at which the loudest hit begins; where nothing rises, before the loudest moment.
#[must_use]
pub fn loudest(passage: &Passage) -> usize {
    let size = ((LOOK_S * passage.rate) as usize).max(1);
    let magnitude = passage.magnitude();
    let looks: Vec<f64> =
        magnitude.chunks(size).map(|part| gain_to_db(part.iter().copied().fold(1e-9, f64::max))).collect();
    let rises = |at: &usize| {
        let before = looks[at.saturating_sub(BEFORE)..*at].iter().copied().fold(f64::MIN, f64::max);
        looks[*at] - before >= RISE_DB
    };
    // How loud it becomes right after it has begun.
    let becomes = |at: usize| looks[at..(at + BEFORE).min(looks.len())].iter().copied().fold(f64::MIN, f64::max);
    let louder = |a: &usize, b: &usize| becomes(*a).total_cmp(&becomes(*b));
    let hit = (1..looks.len()).filter(rises).max_by(louder);
    hit.or_else(|| (0..looks.len()).max_by(louder)).unwrap_or(0) * size
}

impl Hit {
    /// The hit that begins at a frame.
    #[must_use]
    pub fn at(passage: &Passage, frame: usize) -> Self {
        let of = |seconds: f64| (seconds * passage.rate) as usize;
        let shown = passage.cut(frame.saturating_sub(of(SHOWN_S[0])), frame + of(SHOWN_S[1]));
        let middle: Vec<f32> = shown.middle().into_iter().map(|x| x as f32).collect();
        let thousandths = |x: f32| (1000.0 * x).round() as i32;
        let extremes = |part: &[f32]| {
            let fold = |from: f32, pick: fn(f32, f32) -> f32| thousandths(part.iter().copied().fold(from, pick));
            [fold(f32::MAX, f32::min), fold(f32::MIN, f32::max)]
        };
        let found = cycles(&middle, passage.rate);
        Self {
            wave: middle.chunks(middle.len().div_ceil(POINTS).max(1)).map(extremes).collect(),
            cycles: found.iter().map(|cycle| (cycle.start / passage.rate, cycle.hz)).collect(),
            seconds: shown.seconds(),
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::signal::math::{TAU, sin};

    /// Three strokes that fall in pitch from 160 to 80 Hz, the second the loudest.
    fn strokes() -> Passage {
        let mut passage = Passage::new(48_000.0, 1);
        let mut phase = 0.0;
        for n in 0..72_000 {
            let (stroke, t) = (n / 24_000, f64::from(n % 24_000) / 48_000.0);
            if n % 24_000 == 0 {
                phase = 0.0;
            }
            phase += (80.0 + 80.0 * (-t * 30.0).exp()) / 48_000.0;
            let x = ([0.4, 0.8, 0.5][stroke as usize] * (-t * 12.0).exp() * sin(TAU * phase)) as f32;
            passage.left.push(x);
            passage.right.push(x);
        }
        passage
    }

    #[test]
    fn the_loudest_stroke_is_found_where_it_begins() {
        let at = loudest(&strokes());
        assert!((23_760..=24_240).contains(&at), "{at}");
    }

    #[test]
    fn a_hit_shows_its_extremes_and_that_its_cycles_slow_down() {
        let hit = Hit::at(&strokes(), 24_000);
        let most = hit.wave.iter().map(|w| w[1]).max();
        assert!((700..=800).contains(&most.unwrap_or(0)), "{most:?}");
        let (first, last) = (hit.cycles[1].1, hit.cycles[hit.cycles.len() - 1].1);
        assert!(first > 110.0 && (80.0..90.0).contains(&last), "{first} to {last}");
        assert!((hit.seconds - 0.15).abs() < 1e-3);
    }

    #[test]
    fn silence_and_nothing_have_a_hit_without_cycles() {
        for frames in [0, 10, 4800] {
            let silent = Passage {
                rate: 48_000.0,
                channels: 1,
                left: vec![0.0; frames],
                right: vec![0.0; frames],
                start: 0,
                lead_in: Vec::new(),
            };
            assert!(Hit::at(&silent, loudest(&silent)).cycles.is_empty());
        }
    }
}
