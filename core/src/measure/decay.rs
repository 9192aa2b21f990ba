//! How a recorded response dies away.
//!
//! The energy still to come at each moment, summed backwards, falls smoothly where the response
//! itself is ragged (Schroeder, *New Method of Measuring Reverberation Time*, JASA 37, 1965). Its
//! slope from 5 to 25 dB under the whole, drawn on to 60, is the reverberation time (T20 of
//! ISO 3382-1).

use serde::Serialize;

use crate::signal::Sound;
use crate::signal::decibel::power_to_db;

/// Levels under this count as silence.
const FLOOR_DB: f64 = -120.0;
/// Where the slope is measured, in dB under the whole.
const SLOPE_DB: [f64; 2] = [-5.0, -25.0];
/// How far the last tenth must have fallen under the loudest stretch: of a response cut short, the
/// end itself would read as a fall (ISO 3382-1 asks for 10 dB more than what is measured over).
const DIED_AWAY_DB: f64 = -35.0;

/// A response over time, in equal stretches.
#[derive(Clone, Debug, PartialEq, Serialize)]
#[cfg_attr(feature = "types", derive(ts_rs::TS))]
pub struct Decay {
    /// Length in seconds.
    pub seconds: f64,
    /// RMS of each stretch in dB against the loudest of them.
    pub level_db: Vec<f64>,
    /// What is still to come from the beginning of each stretch, in dB against the whole.
    pub left_db: Vec<f64>,
    /// Time in seconds in which it falls by 60 dB; none where it ends before it has died away.
    pub t60_s: Option<f64>,
}

impl Decay {
    /// Of a sound at a rate in Hz, in so many stretches.
    #[must_use]
    pub fn of(sound: &Sound, rate: f64, stretches: usize) -> Self {
        let [left, right] = sound.sides();
        let energy: Vec<f64> =
            left.iter().zip(right).map(|(l, r)| f64::from(*l).powi(2) + f64::from(*r).powi(2)).collect();
        // At each frame, what has not sounded yet.
        let mut to_come = energy.clone();
        for i in (1..to_come.len()).rev() {
            to_come[i - 1] += to_come[i];
        }
        let whole = to_come.first().copied().unwrap_or(0.0);
        let first = |n: usize| n * energy.len() / stretches;
        let mean = |n: usize| {
            let (from, to) = (first(n), first(n + 1).max(first(n) + 1).min(energy.len()));
            energy[from.min(to)..to].iter().sum::<f64>() / (to - from.min(to)).max(1) as f64
        };
        let means: Vec<f64> = (0..stretches).map(mean).collect();
        let loudest = means.iter().copied().fold(0.0, f64::max);
        Self {
            seconds: energy.len() as f64 / rate,
            level_db: means.iter().map(|m| below_db(*m, loudest)).collect(),
            left_db: (0..stretches).map(|n| below_db(to_come.get(first(n)).copied().unwrap_or(0.0), whole)).collect(),
            t60_s: if has_died_away(&energy, loudest) { t60_s(&to_come, rate) } else { None },
        }
    }
}

/// An energy in dB against a whole, not below the floor.
fn below_db(energy: f64, whole: f64) -> f64 {
    if energy <= 0.0 || whole <= 0.0 { FLOOR_DB } else { power_to_db(energy / whole).max(FLOOR_DB) }
}

fn has_died_away(energy: &[f64], loudest: f64) -> bool {
    let last = &energy[energy.len() - energy.len() / 10..];
    let mean = last.iter().sum::<f64>() / last.len().max(1) as f64;
    below_db(mean, loudest) <= DIED_AWAY_DB
}

/// The slope of the energy to come between two levels by least squares, drawn on to 60 dB.
fn t60_s(to_come: &[f64], rate: f64) -> Option<f64> {
    let whole = *to_come.first()?;
    let [high, low] = SLOPE_DB;
    let levels = || to_come.iter().enumerate().map(|(i, e)| (i as f64 / rate, below_db(*e, whole)));
    let reached = levels().any(|(_, db)| db <= low);
    let points: Vec<(f64, f64)> = levels().skip_while(|(_, db)| *db > high).take_while(|(_, db)| *db >= low).collect();
    if !reached || points.len() < 2 {
        return None;
    }
    let n = points.len() as f64;
    let (t, db) = (points.iter().map(|p| p.0).sum::<f64>() / n, points.iter().map(|p| p.1).sum::<f64>() / n);
    let (up, across) =
        points.iter().fold((0.0, 0.0), |(up, across), p| (up + (p.0 - t) * (p.1 - db), across + (p.0 - t).powi(2)));
    let slope = up / across;
    (slope < 0.0).then(|| -60.0 / slope)
}

#[cfg(test)]
mod tests {
    use super::*;

    const RATE: f64 = 48_000.0;

    /// Falling by 60 dB in so many seconds, of a sign that changes at every frame.
    fn falling(t60_s: f64, frames: usize) -> Sound {
        let fall = |n: usize| 10f64.powf(-3.0 * n as f64 / (t60_s * RATE));
        let samples: Vec<f32> = (0..frames).map(|n| (fall(n) * [1.0, -1.0][n % 2]) as f32).collect();
        Sound::new(&samples, 1, RATE)
    }

    #[test]
    fn the_time_of_a_steady_fall_is_found_at_any_length_that_shows_it() {
        for (t60_s, frames) in [(0.02, 4800), (0.5, 24_000), (0.5, 48_000), (2.0, 96_000)] {
            let found = Decay::of(&falling(t60_s, frames), RATE, 64);
            let measured = found.t60_s.unwrap();
            assert!((measured / t60_s - 1.0).abs() < 0.02, "{t60_s} s: {measured}");
            assert_eq!(found.seconds, frames as f64 / RATE);
        }
    }

    #[test]
    fn levels_fall_by_what_the_time_says_and_begin_at_nothing() {
        let found = Decay::of(&falling(0.5, 24_000), RATE, 50);
        assert_eq!(found.level_db[0], 0.0);
        assert!(found.left_db[0].abs() < 1e-9);
        for (n, db) in found.level_db.iter().enumerate() {
            assert!((db + 1.2 * n as f64).abs() < 1e-3, "stretch {n}: {db}");
        }
    }

    #[test]
    fn what_is_cut_short_a_click_and_silence_have_no_time_and_do_no_harm() {
        assert_eq!(Decay::of(&falling(2.0, 4800), RATE, 32).t60_s, None);
        for samples in [&[][..], &[0.0; 300], &[1.0]] {
            let found = Decay::of(&Sound::new(samples, 1, RATE), RATE, 16);
            assert_eq!((found.level_db.len(), found.t60_s), (16, None));
            assert!(found.level_db.iter().chain(&found.left_db).all(|db| (FLOOR_DB..=0.0).contains(db)));
        }
    }
}
