//! What a rack makes of a passage, in line with it, and what that measures.

use serde::Serialize;

use super::passage::Passage;
use crate::measure::level::LevelMeter;
use crate::measure::loudness::{LoudnessMeter, integrated_lufs};
use crate::measure::third_octave::{BANDS, ThirdOctaves, centre_hz};
use crate::rack::key::Keys;
use crate::rack::station::Station;
use crate::rack::{Rack, RackSpec};
use crate::signal::BLOCK;
use crate::signal::decibel::power_to_db;

/// Frames of a spectrum.
const SPECTRUM: usize = 8192;
/// A third octave so far under the strongest is no part of the sound: a change of it says nothing.
const HEARD_DB: f64 = 45.0;
/// Reduction in dB from which a unit counts as working.
const WORKING_DB: f32 = 0.5;

/// A passage through a rack.
#[derive(Clone, Debug)]
pub struct Take {
    /// What came out, frame for frame beside what went in.
    pub sound: Passage,
    /// Reduction in dB of each unit that reduces, by its place in the rack from 0, in line with
    /// the sound.
    pub reductions: Vec<(usize, Vec<f32>)>,
}

/// Figures of one take against its original.
#[derive(Clone, Debug, Serialize)]
#[cfg_attr(feature = "types", derive(ts_rs::TS), ts(rename = "TakeFigures"))]
pub struct Figures {
    /// Largest sample in dBFS.
    pub peak_db: f64,
    /// Mean power in dBFS.
    pub body_db: f64,
    /// Peak less body.
    pub crest_db: f64,
    /// Loudness in LUFS; none where there is too little to measure.
    pub loudness_lufs: Option<f64>,
    /// The same if its peak were brought to that of the original.
    pub loudness_at_equal_peak_lufs: Option<f64>,
    /// Mean reduction of all units together in dB while it works, the most, and the share of time.
    pub reduction_mean_db: f64,
    /// See `reduction_mean_db`.
    pub reduction_most_db: f64,
    /// See `reduction_mean_db`; 0 to 1.
    pub reduction_share: f64,
    /// What it does to the spectrum as an EQ: frequency in Hz and gain in dB by third octave, the
    /// change of loudness taken out.
    pub as_eq: Vec<(f64, f64)>,
    /// Level of the difference to the original in dB against the original, both equally loud; none
    /// where they are equal to the last bit.
    pub difference_db: Option<f64>,
}

impl Take {
    /// Runs a passage through a rack, led in by what sounds before it, its units driven by `key` (as
    /// long, led in as long) where they ask for an outside sound.
    #[must_use]
    pub fn of(passage: &Passage, spec: &RackSpec, key: Option<&Passage>) -> Self {
        let lead = passage.lead_in.len();
        let (whole, key) = (passage.led(), key.map(Passage::led));
        let mut rack = Rack::new(spec, passage.rate);
        let latency = rack.latency();
        let reducing: Vec<usize> = (0..spec.units.len()).filter(|at| spec.units[*at].kind.reduces).collect();
        // By place: units of a file have no identity.
        let before = |at: &usize| rack.stations()[..*at].iter().map(Station::latency).sum();
        let late: Vec<usize> = reducing.iter().map(before).collect();
        let mut keys = Keys::for_units(spec.units.iter().filter(|u| u.key.is_some()).map(|u| u.id));
        let mut sound = Passage { start: whole.start - latency as i64, ..Passage::new(passage.rate, passage.channels) };
        let mut traces = vec![Vec::with_capacity(whole.frames() + latency); reducing.len()];
        let mut at = 0;
        while at < whole.frames() + latency {
            let mut block = whole.block_at(at);
            keys.clear();
            if let Some(key) = &key {
                spec.units.iter().for_each(|unit| keys.add(unit.id, &key.block_at(at)));
            }
            rack.process_tapped(&mut block, &keys, whole.start + at as i64, |_, _| {});
            sound.push(&block, BLOCK);
            for (trace, unit) in traces.iter_mut().zip(&reducing) {
                trace.extend_from_slice(rack.stations()[*unit].reduction().unwrap_or(&[0.0; BLOCK]));
            }
            at += BLOCK;
        }
        let line_up =
            |(trace, late): (Vec<f32>, &usize)| trace[late + lead..].iter().copied().take(passage.frames()).collect();
        let traces = traces.into_iter().zip(&late).map(line_up);
        // What is late has no lead-in of its own left before it.
        Self {
            sound: sound.cut(latency, sound.frames()).cut_led(lead, lead + passage.frames(), lead),
            reductions: reducing.iter().copied().zip(traces).collect(),
        }
    }

    /// Reduction of all units together at each frame.
    #[must_use]
    pub fn reduction(&self) -> Vec<f32> {
        let mut all = vec![0.0; self.sound.frames()];
        for (_, trace) in &self.reductions {
            all.iter_mut().zip(trace).for_each(|(all, one)| *all += one);
        }
        all
    }

    /// Its figures against the passage it was made of.
    #[must_use]
    pub fn figures(&self, original: &Passage) -> Figures {
        let (was, is) = (Measured::of(original), Measured::of(&self.sound));
        let reduction = self.reduction();
        let working: Vec<f64> = reduction.iter().filter(|r| **r >= WORKING_DB).map(|r| f64::from(*r)).collect();
        let louder_db = match (was.lufs, is.lufs) {
            (Some(was), Some(is)) => is - was,
            _ => is.level.rms_db() - was.level.rms_db(),
        };
        Figures {
            peak_db: is.level.peak_db(),
            body_db: is.level.rms_db(),
            crest_db: is.level.crest_db(),
            loudness_lufs: is.lufs,
            loudness_at_equal_peak_lufs: is.lufs.map(|lufs| lufs + was.level.peak_db() - is.level.peak_db()),
            reduction_mean_db: working.iter().sum::<f64>() / working.len().max(1) as f64,
            reduction_most_db: reduction.iter().fold(0.0, |most: f64, r| most.max(f64::from(*r))),
            reduction_share: working.len() as f64 / reduction.len().max(1) as f64,
            as_eq: as_eq(&was.bands, &is.bands, louder_db),
            difference_db: difference_db(original, &self.sound, louder_db),
        }
    }
}

struct Measured {
    level: LevelMeter,
    lufs: Option<f64>,
    bands: [f64; BANDS],
}

impl Measured {
    fn of(passage: &Passage) -> Self {
        let mut level = LevelMeter::default();
        let mut loudness = LoudnessMeter::new(passage.rate, passage.channels);
        let mut bands = ThirdOctaves::new(passage.rate, SPECTRUM);
        let mut tenths = Vec::new();
        for (block, frames) in passage.blocks() {
            level.push(&block, frames);
            loudness.push(&block, frames, |tenth| tenths.push(tenth));
            bands.push(&block, frames);
        }
        Self { level, lufs: integrated_lufs(&tenths), bands: bands.levels_db() }
    }
}

fn as_eq(was: &[f64; BANDS], is: &[f64; BANDS], louder_db: f64) -> Vec<(f64, f64)> {
    let loudest = was.iter().chain(is).copied().fold(f64::MIN, f64::max);
    let heard = was.iter().zip(is).enumerate().filter(|(_, (was, is))| was.max(**is) > loudest - HEARD_DB);
    heard.map(|(band, (was, is))| (centre_hz(band), is - was - louder_db)).collect()
}

/// Change by third octave from one sound to another as frequency in Hz and dB, where either is
/// heard.
#[must_use]
pub fn change_by_third(from: &Passage, to: &Passage) -> Vec<(f64, f64)> {
    as_eq(&Measured::of(from).bands, &Measured::of(to).bands, 0.0)
}

/// Level of what is left when one is taken from the other.
fn difference_db(original: &Passage, sound: &Passage, louder_db: f64) -> Option<f64> {
    let gain = crate::signal::decibel::db_to_gain(-louder_db);
    let (mut left, mut all) = (0.0, 0.0);
    for (was, is) in original.left.iter().zip(&sound.left).chain(original.right.iter().zip(&sound.right)) {
        let (was, is) = (f64::from(*was), f64::from(*is));
        left += (is * gain - was) * (is * gain - was);
        all += was * was;
    }
    (left > 0.0 && all > 0.0).then(|| power_to_db(left / all))
}

/// Root mean square of the difference of two reduction traces in dB: how unlike two ways to
/// control one sound are.
#[must_use]
pub fn unlike_db(one: &[f32], other: &[f32]) -> f64 {
    let squares: f64 = one.iter().zip(other).map(|(a, b)| f64::from(a - b) * f64::from(a - b)).sum();
    (squares / one.len().max(1) as f64).sqrt()
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::signal::math::{TAU, sin};
    use serde_json::{Value, json};

    fn rack(units: Value) -> RackSpec {
        RackSpec::from_json(&json!({"zinc_rack": 1, "units": units})).unwrap()
    }

    /// Strokes of a made-up string, four a second.
    fn strokes() -> Passage {
        let mut passage = Passage::new(48_000.0, 2);
        for n in 0..96_000 {
            let t = f64::from(n % 12_000) / 48_000.0;
            let x = (0.7 * (-t * 9.0).exp() * sin(TAU * 330.0 * t)) as f32;
            passage.left.push(x);
            passage.right.push(0.8 * x);
        }
        passage
    }

    #[test]
    fn a_rack_that_does_nothing_gives_the_passage_itself_however_late_it_is() {
        let late = json!([{"kind": "compressor", "params": {"ratio": 1, "lookahead_ms": 7}}, {"kind": "limiter", "params": {"ceiling_db": 0}}]);
        let take = Take::of(&strokes(), &rack(late), None);
        let figures = take.figures(&strokes());
        assert_eq!(figures.difference_db, None);
        assert_eq!((figures.reduction_share, figures.reduction_most_db), (0.0, 0.0));
    }

    #[test]
    fn a_led_in_passage_measures_as_it_does_inside_the_song() {
        // One loud note, then soft ones under its slow release; the passage begins on the crest of a wave.
        let mut song = Passage::new(48_000.0, 2);
        for n in 0..8 * 48_000u32 {
            let t = f64::from(n) / 48_000.0;
            let level = if t < 2.0 { 0.8 } else { 0.08 + 0.05 * (-(t % 0.5) * 8.0).exp() };
            let x = (level * sin(TAU * 41.0 * t)) as f32;
            song.left.push(x);
            song.right.push(x);
        }
        let slow =
            rack(json!([{"kind": "compressor", "params": {"threshold_db": -30, "ratio": 6, "release_ms": 2500}}]));
        let [from, to] = [3 * 48_000 + 293, 6 * 48_000];
        let inside = Take::of(&song, &slow, None);
        let inside = Take { sound: inside.sound.cut(from, to), reductions: vec![] }.figures(&song.cut(from, to));
        let of = |lead: usize| {
            let part = song.cut_led(from, to, lead);
            let take = Take::of(&part, &slow, None);
            assert_eq!(
                (take.sound.frames(), take.sound.lead_in.len(), take.sound.start),
                (to - from, lead, from as i64)
            );
            take.figures(&part)
        };
        let (cold, led) = (of(0), of(3 * 48_000));
        for (name, figure) in [
            ("peak", (|f: &Figures| f.peak_db) as fn(&Figures) -> f64),
            ("body", |f| f.body_db),
            ("crest", |f| f.crest_db),
        ] {
            assert!((figure(&led) - figure(&inside)).abs() < 0.1, "{name}: {led:?} and {inside:?}");
        }
        assert!((cold.body_db - inside.body_db).abs() > 1.0, "it must matter here: {cold:?} and {inside:?}");
    }

    #[test]
    fn what_nobody_hears_has_no_part_in_the_equivalent_curve() {
        let lift = json!([{"kind": "surgical-eq", "params": {"bands": [{"shape": "low-shelf", "freq_hz": 60, "gain_db": 15}]}}]);
        let mut held = Passage::new(48_000.0, 1);
        for n in 0..96_000u32 {
            let x = (1..6).map(|k| 0.1 * sin(TAU * 220.0 * f64::from(k * n) / 48_000.0)).sum::<f64>() as f32;
            held.left.push(x);
            held.right.push(x);
        }
        let curve = Take::of(&held, &rack(lift), None).figures(&held).as_eq;
        assert!(curve.len() > 3 && curve.iter().all(|(hz, db)| *hz > 120.0 && db.abs() < 1.5), "{curve:?}");
    }

    #[test]
    fn figures_say_what_a_wall_did_and_when() {
        let wall = || json!({"kind": "compressor", "params": {"threshold_db": -20, "ratio": "inf", "knee_db": 0, "attack_ms": 0, "release_ms": 60, "lookahead_ms": 5}});
        let take = Take::of(&strokes(), &rack(json!([wall()])), None);
        let figures = take.figures(&strokes());
        assert!((figures.peak_db + 20.0).abs() < 0.01, "{}", figures.peak_db);
        // 0.7 at its loudest wave is a good 16 dB over.
        assert!((15.5..17.0).contains(&figures.reduction_most_db), "{}", figures.reduction_most_db);
        let original = Take::of(&strokes(), &rack(json!([])), None).figures(&strokes());
        assert!(figures.loudness_at_equal_peak_lufs.unwrap() > original.loudness_lufs.unwrap() + 2.0);
        assert!(figures.crest_db < original.crest_db - 3.0 && figures.difference_db.unwrap() < 0.0);
        // In line: the reduction begins with the stroke, not seven milliseconds late, also behind a unit
        // that is late itself.
        let late = json!({"kind": "compressor", "params": {"ratio": 1, "lookahead_ms": 10}});
        let behind = Take::of(&strokes(), &rack(json!([late, wall()])), None);
        for (_, trace) in [&take.reductions[0], &behind.reductions[1]] {
            assert!(trace[24_000 - 300] < 6.0 && trace[24_000 + 400] > 12.0);
        }
    }
}
