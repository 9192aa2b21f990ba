//! The cycles of a single hit: where each begins and how fast it is.
//!
//! A stroke is not one pitch: its first cycles are short (the attack's highs), later
//! ones as long as the body's note. Cycles run from one rising zero crossing to the
//! next; crossings are placed between samples by a straight line.

/// One cycle.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Cycle {
    /// Where it begins, in frames.
    pub start: f64,
    /// Its frequency in Hz.
    pub hz: f64,
}

/// Cycles must swing this far (against the largest of the stretch) to count: smaller
/// ones are noise or wrinkles on a larger one.
const SWING: f32 = 0.08;

/// The cycles of a stretch of sound at `rate` Hz.
#[must_use]
pub fn cycles(sound: &[f32], rate: f64) -> Vec<Cycle> {
    let most = sound.iter().fold(0.0f32, |m, x| m.max(x.abs()));
    let floor = SWING * most;
    let mut crossings: Vec<f64> = Vec::new();
    // A crossing counts once the sound has been clearly below and then clearly above.
    let (mut was_low, mut at) = (false, None);
    for (i, pair) in sound.windows(2).enumerate() {
        if pair[1] < -floor {
            (was_low, at) = (true, None);
        }
        if was_low && at.is_none() && pair[0] <= 0.0 && pair[1] > 0.0 {
            at = Some(i as f64 + f64::from(-pair[0]) / f64::from(pair[1] - pair[0]));
        }
        if pair[1] > floor
            && let Some(crossing) = at.take()
        {
            crossings.push(crossing);
            was_low = false;
        }
    }
    crossings.windows(2).map(|w| Cycle { start: w[0], hz: rate / (w[1] - w[0]) }).collect()
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_tone_has_cycles_of_its_frequency() {
        let tone: Vec<f32> =
            (0..4800).map(|n| (std::f64::consts::TAU * 187.0 * f64::from(n) / 48_000.0).sin() as f32).collect();
        let found = cycles(&tone, 48_000.0);
        assert_eq!(found.len(), 17);
        assert!(found.iter().all(|c| (c.hz - 187.0).abs() < 0.1), "{found:?}");
    }

    #[test]
    fn a_hit_that_falls_in_pitch_shows_it_cycle_by_cycle_and_wrinkles_do_not_count() {
        let mut phase = 0.0f64;
        let hit: Vec<f32> = (0..9600)
            .map(|n| {
                let t = f64::from(n) / 48_000.0;
                phase += (60.0 + 300.0 * (-t * 40.0).exp()) / 48_000.0;
                let wrinkle = 0.02 * (std::f64::consts::TAU * 4000.0 * t).sin();
                ((std::f64::consts::TAU * phase).sin() * (-t * 8.0).exp() + wrinkle) as f32
            })
            .collect();
        let found = cycles(&hit, 48_000.0);
        assert!(found.len() > 6 && found.len() < 25, "{}", found.len());
        assert!(found[0].hz > 200.0 && found.last().unwrap().hz < 70.0, "{found:?}");
        assert!(found.windows(2).all(|w| w[1].hz < w[0].hz * 1.1));
    }

    #[test]
    fn silence_has_no_cycles() {
        assert!(cycles(&[0.0; 100], 48_000.0).is_empty() && cycles(&[], 48_000.0).is_empty());
    }
}
