//! Parallel compression by aim: a return beside a part, its settings derived from the part.
//!
//! *Attack* lets the strokes through and holds what follows them; *thickness* holds the strokes and
//! brings up all that lies between; *body* takes what it states below off the notes and shaves what is left of
//! their strokes, so that what is raised beside the part is weight and not peaks.

use crate::rack::UnitSpec;
use serde::{Deserialize, Serialize};

use super::duck::hits;
use crate::measure::third_octave::{ThirdOctaves, centre_hz};
use crate::rack::proposed::{because, unit_because, unit_of_rows};
use crate::signal::decibel::{gain_to_db, power_to_db};
use crate::trial::Passage;
use crate::unit::Param;
use crate::unit::dynamics::compressor::KIND as COMPRESSOR;
use crate::unit::dynamics::limiter::KIND as LIMITER;
use crate::unit::eq::surgical::KIND as SURGICAL;
use crate::unit::proposed::values;
use crate::unit::tone::saturator::KIND as SATURATOR;

/// The parameters of a band.
const BAND: &[Param] = SURGICAL.tables.lists[0].params;

/// What the return is for.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case")]
pub enum Recipe {
    /// Strokes.
    Attack,
    /// Everything between them.
    Thickness,
    /// The weight of the notes.
    Body,
}

/// What *body* takes off loud notes in dB, at this ratio; what it gives back of it; and what is shaved off
/// their strokes behind that.
const BODY_TAKES_DB: f64 = 14.0;
const BODY_RATIO: f64 = 20.0;
const BODY_MAKEUP_DB: f64 = 8.0;
const BODY_SHAVES_DB: f64 = 5.0;

/// What is known of a part.
#[derive(Clone, Copy, Debug, PartialEq, Serialize)]
pub struct PartFigures {
    /// Mean level while it sounds, and the level of its peaks, in dBFS.
    pub body_db: f64,
    /// See `body_db`.
    pub peak_db: f64,
    /// Where it begins to have weight, and where it has most, in Hz.
    pub from_hz: f64,
    /// See `from_hz`.
    pub most_hz: f64,
    /// Median time in ms in which its notes fall by 10 dB, and from one to the next.
    pub falls_ms: f64,
    /// See `falls_ms`.
    pub apart_ms: f64,
}

/// Seconds of a look at the level.
const LOOK_S: f64 = 0.01;
/// Under the loudest look by more than this is a rest, in dB.
const REST_DB: f64 = 40.0;
/// Frames of a spectrum.
const SPECTRUM: usize = 8192;
/// dB under the strongest third octave at which a part begins.
const BEGINS_DB: f64 = 15.0;

impl PartFigures {
    /// What a passage is like; none where it is silent.
    #[must_use]
    pub fn of(passage: &Passage) -> Option<Self> {
        let look = (LOOK_S * passage.rate) as usize;
        let middle = passage.middle();
        let power = |part: &[f64]| power_to_db(part.iter().map(|x| x * x).sum::<f64>() / part.len() as f64);
        let levels: Vec<f64> = middle.chunks(look).map(power).collect();
        let loudest = levels.iter().copied().fold(f64::MIN, f64::max);
        if loudest < -80.0 {
            return None;
        }
        let sounding: Vec<f64> = levels.iter().copied().filter(|level| *level > loudest - REST_DB).collect();
        let mean =
            sounding.iter().map(|db| crate::signal::decibel::db_to_gain(2.0 * db)).sum::<f64>() / sounding.len() as f64;
        let mut peaks: Vec<f64> =
            passage.magnitude().chunks(look).map(|p| gain_to_db(p.iter().copied().fold(0.0, f64::max))).collect();
        peaks.sort_by(f64::total_cmp);
        let (from_hz, most_hz) = region(passage);
        let strokes = hits(passage);
        let (falls_ms, apart_ms) = times(&levels, &strokes, look, passage.rate);
        let peak_db = peaks[(peaks.len() - 1) * 98 / 100];
        Some(Self { body_db: power_to_db(mean), peak_db, from_hz, most_hz, falls_ms, apart_ms })
    }
}

fn region(passage: &Passage) -> (f64, f64) {
    let mut bands = ThirdOctaves::new(passage.rate, SPECTRUM);
    passage.blocks().for_each(|(block, frames)| bands.push(&block, frames));
    let levels = bands.levels_db();
    let most = (0..levels.len()).max_by(|a, b| levels[*a].total_cmp(&levels[*b])).unwrap_or(0);
    let from = (0..=most).find(|band| levels[*band] > levels[most] - BEGINS_DB).unwrap_or(most);
    (centre_hz(from), centre_hz(most))
}

fn times(levels: &[f64], strokes: &[usize], look: usize, rate: f64) -> (f64, f64) {
    let ms = |looks: usize| looks as f64 * look as f64 * 1000.0 / rate;
    let falls = |stroke: &usize| {
        let at = stroke / look;
        let top = levels[at..(at + 6).min(levels.len())].iter().copied().fold(f64::MIN, f64::max);
        levels[at..].iter().skip(3).position(|level| *level < top - 10.0).map_or(1000.0, |n| ms(n + 3))
    };
    let median = |mut all: Vec<f64>, none: f64| {
        all.sort_by(f64::total_cmp);
        all.get(all.len() / 2).copied().unwrap_or(none)
    };
    let apart = strokes.windows(2).map(|pair| (pair[1] - pair[0]) as f64 * 1000.0 / rate).collect();
    (median(strokes.iter().map(falls).collect(), 400.0), median(apart, 500.0))
}

/// The units of a return, with their reasons.
#[must_use]
pub fn units(recipe: Recipe, heard: &PartFigures, tempo_bpm: f64) -> Vec<UnitSpec> {
    let rounded = |x: f64| (2.0 * x).round() / 2.0;
    // Lows out of the detector: an octave over where the part begins.
    let key_hz = (2.0 * heard.from_hz).clamp(60.0, 400.0).round();
    let threshold = |under_db: f64| rounded((heard.body_db - under_db).clamp(-60.0, -1.0));
    match recipe {
        Recipe::Attack => {
            let release = (0.25 * heard.apart_ms).clamp(30.0, 120.0).round();
            vec![unit_because(
                &COMPRESSOR,
                format!("strokes pass, what follows is held; over again within {release} ms, before the next"),
                &values!(COMPRESSOR.tables.params, {"threshold_db": threshold(4.0), "ratio": 10, "knee_db": 0,
                    "attack_ms": 25, "release_ms": release, "key_low_cut_hz": key_hz, "link": 0}),
            )]
        }
        Recipe::Thickness => {
            // The note value next below the time between strokes.
            let beat = 60_000.0 / tempo_bpm;
            let note = [("1/4", 1.0), ("1/8", 0.5), ("1/16", 0.25), ("1/32", 0.125)]
                .into_iter()
                .find(|(_, beats)| beats * beat < heard.apart_ms)
                .map_or("1/32", |(note, _)| note);
            vec![
                unit_because(
                    &COMPRESSOR,
                    "strokes are held, everything between them comes up",
                    &values!(COMPRESSOR.tables.params, {"action": "fet", "threshold_db": threshold(10.0), "ratio": 6,
                        "knee_db": 6, "attack_ms": 0.1, "release_note": note, "release_ms": 120,
                        "makeup_db": rounded(((heard.peak_db - threshold(10.0)) * 0.4).clamp(0.0, 12.0))}),
                ),
                unit_because(
                    &SATURATOR,
                    "closes the gaps with overtones",
                    &values!(SATURATOR.tables.params, {"character": "tube", "drive_db": 9, "bias": 0.2}),
                ),
            ]
        }
        Recipe::Body => {
            // Back before the next note, and faster than the note falls by itself.
            let release = (0.2 * heard.falls_ms).clamp(30.0, 45.0).round();
            let held_db = rounded(heard.peak_db - BODY_TAKES_DB);
            let threshold_db = rounded((heard.peak_db - BODY_TAKES_DB / (1.0 - 1.0 / BODY_RATIO)).clamp(-60.0, 0.0));
            let ceiling_db = rounded((held_db - BODY_SHAVES_DB + BODY_MAKEUP_DB).clamp(-24.0, 0.0));
            vec![
                unit_because(
                    &COMPRESSOR,
                    format!("takes {BODY_TAKES_DB} dB and more off the loud notes and is back within {release} ms"),
                    &values!(COMPRESSOR.tables.params, {"threshold_db": threshold_db, "ratio": BODY_RATIO, "knee_db": 3,
                        "attack_ms": 0, "crush": true, "release_ms": release, "makeup_db": BODY_MAKEUP_DB}),
                ),
                because(
                    "leans on where the part has its weight",
                    unit_of_rows(
                        &SURGICAL,
                        &[
                            values!(BAND, {"shape": "bell", "freq_hz": heard.most_hz.clamp(70.0, 500.0).round(),
                                "gain_db": 2, "q": 0.8}),
                            values!(BAND, {"shape": "low-pass", "freq_hz": 6000, "slope_db_oct": 12}),
                        ],
                    ),
                ),
                unit_because(
                    &LIMITER,
                    format!("shaves {BODY_SHAVES_DB} dB more off what is left of the strokes"),
                    &values!(LIMITER.tables.params, {"ceiling_db": ceiling_db, "release_ms": 25, "auto_release": false,
                        "lookahead_ms": 1.5}),
                ),
            ]
        }
    }
}

impl Recipe {
    /// What the return is called after its strip.
    #[must_use]
    pub fn name(self) -> &'static str {
        match self {
            Self::Attack => "attack",
            Self::Thickness => "thickness",
            Self::Body => "body",
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::rack::RackSpec;
    use crate::signal::math::{TAU, exp, sin};
    use crate::trial::Take;
    use serde_json::json;

    /// Strokes over a ringing body, half a second apart.
    fn drum(level: f64) -> Passage {
        let mut passage = Passage::new(48_000.0, 2);
        for n in 0..8 * 48_000 {
            let t = f64::from(n % 24_000) / 48_000.0;
            let x = level * (exp(-t / 0.004) * sin(TAU * 2000.0 * t) + 0.4 * exp(-t / 0.13) * sin(TAU * 150.0 * t));
            passage.left.push(x as f32);
            passage.right.push(x as f32);
        }
        passage
    }

    /// Level of the strokes and of what rings on, in dB.
    fn stroke_and_body(sound: &Passage) -> [f64; 2] {
        let of = |from: usize, to: usize| {
            let part: Vec<f64> =
                (2..14).flat_map(|hit| sound.cut(hit * 24_000 + from, hit * 24_000 + to).middle()).collect();
            power_to_db(part.iter().map(|x| x * x).sum::<f64>() / part.len() as f64)
        };
        [of(0, 400), of(4000, 12_000)]
    }

    #[test]
    fn each_recipe_moves_stroke_and_body_as_its_name_says_however_loud_the_part() {
        for level in [0.7, 0.1] {
            let part = drum(level);
            let heard = PartFigures::of(&part).unwrap();
            assert!((heard.apart_ms - 500.0).abs() < 15.0 && (100.0..220.0).contains(&heard.most_hz), "{heard:?}");
            let was = stroke_and_body(&part);
            let changed = |recipe: Recipe| {
                let units = units(recipe, &heard, 120.0);
                let rack = RackSpec::from_json(&json!({"zinc_rack": 1, "units": units})).unwrap();
                let is = stroke_and_body(&Take::of(&part, &rack, None).sound);
                (is[0] - was[0]) - (is[1] - was[1])
            };
            assert!(changed(Recipe::Attack) > 3.0, "strokes over the body: {}", changed(Recipe::Attack));
            assert!(changed(Recipe::Thickness) < -2.0, "body over the strokes: {}", changed(Recipe::Thickness));
            assert!(changed(Recipe::Body) < -3.0, "weight: {}", changed(Recipe::Body));
        }
        assert!(PartFigures::of(&drum(0.0)).is_none());
    }
}
