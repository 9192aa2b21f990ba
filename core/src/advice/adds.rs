//! What a return beside a part would add to it, in figures, before it is raised.

use crate::rack::UnitSpec;
use serde::Serialize;

use crate::rack::RackSpec;
use crate::signal::decibel::db_to_gain;
use crate::trial::take::{Take, change_by_third};
use crate::trial::{Figures, Passage};

/// Levels of the return in dB at which it is said.
pub const LEVELS_DB: [f64; 3] = [-12.0, -6.0, 0.0];

/// What it adds at one level of the return.
#[derive(Clone, Copy, Debug, PartialEq, Serialize)]
pub struct Adds {
    /// Level of the return in dB.
    pub level_db: f64,
    /// Loudness in LU, peaks and mean power in dB.
    pub loudness_lu: f64,
    /// See `loudness_lu`.
    pub peak_db: f64,
    /// See `loudness_lu`.
    pub body_db: f64,
    /// Third octave that gains most, its middle in Hz and its gain in dB.
    pub most_hz: f64,
    /// See `most_hz`.
    pub most_db: f64,
}

/// What a return of these units adds to a part that is sent to it in full, at each of [`LEVELS_DB`].
#[must_use]
pub fn of(part: &Passage, units: &[UnitSpec]) -> Vec<Adds> {
    let rack = RackSpec { units: units.to_vec() };
    let returned = Take::of(part, &rack, None).sound;
    let alone = figures(part, part);
    LEVELS_DB.into_iter().map(|level_db| at(part, &alone, &returned, level_db)).collect()
}

fn at(part: &Passage, alone: &Figures, returned: &Passage, level_db: f64) -> Adds {
    let gain = db_to_gain(level_db) as f32;
    let summed = |a: &[f32], b: &[f32]| a.iter().zip(b).map(|(a, b)| a + gain * b).collect();
    let sum = Passage {
        left: summed(&part.left, &returned.left),
        right: summed(&part.right, &returned.right),
        ..Passage::new(part.rate, part.channels)
    };
    let both = figures(part, &sum);
    let thirds = change_by_third(part, &sum);
    let (most_hz, most_db) = thirds.into_iter().max_by(|a, b| a.1.total_cmp(&b.1)).unwrap_or_default();
    let louder = |figures: &Figures| figures.loudness_lufs.unwrap_or(figures.body_db);
    Adds {
        level_db,
        loudness_lu: louder(&both) - louder(alone),
        peak_db: both.peak_db - alone.peak_db,
        body_db: both.body_db - alone.body_db,
        most_hz,
        most_db,
    }
}

fn figures(part: &Passage, sound: &Passage) -> Figures {
    Take { sound: sound.clone(), reductions: Vec::new() }.figures(part)
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::signal::math::{TAU, sin};
    use crate::signal::noise::white;
    use serde_json::json;

    #[test]
    fn a_copy_of_the_part_adds_what_two_of_it_are_over_one() {
        let mut part = Passage::new(48_000.0, 1);
        for n in 0..4 * 48_000 {
            let x = (0.2 * sin(TAU * 400.0 * f64::from(n) / 48_000.0)) as f32;
            part.left.push(x);
            part.right.push(x);
        }
        let adds = of(&part, &[]);
        for (adds, level_db) in adds.iter().zip(LEVELS_DB) {
            // 20 log10 (1 + g), of everything alike.
            let wanted = 20.0 * (1.0 + 10f64.powf(level_db / 20.0)).log10();
            for db in [adds.loudness_lu, adds.peak_db, adds.body_db, adds.most_db] {
                assert!((db - wanted).abs() < 0.05, "{adds:?}: {wanted}");
            }
        }
        assert_eq!(adds.len(), 3);
    }

    #[test]
    fn a_lift_of_one_region_is_said_to_add_there() {
        let mut part = Passage::new(48_000.0, 1);
        for n in 0..4 * 48_000 {
            let x = 0.05 * white(n) as f32;
            part.left.push(x);
            part.right.push(x);
        }
        let lift = json!({"kind": "surgical-eq", "params": {"bands": [{"freq_hz": 1000, "gain_db": 15, "q": 4}]}});
        let adds = of(&part, &[serde_json::from_value(lift).unwrap()]);
        assert!((900.0..1150.0).contains(&adds[2].most_hz), "{adds:?}");
        assert!(adds[2].most_db > 12.0 && adds[0].most_db < adds[1].most_db && adds[1].most_db < adds[2].most_db);
    }
}
