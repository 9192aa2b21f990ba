//! What a dry sound and an amplified one take from each other where they are mixed, octave by octave, and what mends it.
//!
//! Of both sounds the powers and the cross power of each octave are taken; what is left when they are mixed at
//! their own levels, against the softer of the two, follows from those: where their phases agree 6 dB are added,
//! at a right angle 3, and beyond 120 degrees or so something is taken. A delay of the dry sound turns each
//! frequency by its own angle, a polarity all of them over (superposition; Oppenheim & Schafer,
//! *Discrete-Time Signal Processing*, sec. 2.4).

use crate::unit::value::Written;
use serde::Serialize;
use zinc_fourier::{Complex64, forward_f64};

use crate::rack::UnitSpec;
use crate::signal::decibel::power_to_db;
use crate::signal::math::{PI, TAU, cos, sin};
use crate::trial::{Passage, Take};

/// Frames of a look, half overlapping.
const LOOK: usize = 8192;
/// Middles of the octaves in Hz.
const OCTAVES_HZ: [f64; 8] = [63.0, 125.0, 250.0, 500.0, 1000.0, 2000.0, 4000.0, 8000.0];
/// An octave so far under the strongest of either sound is no part of it, in dB.
const HEARD_DB: f64 = 45.0;
/// What is left under the softer of the two by more than this is said, in dB.
pub const SAID_DB: f64 = 2.0;
/// Delays that are tried: to so many ms in steps of a frame.
const LONGEST_MS: f64 = 5.0;

/// What is left of each octave that both have, against the softer of the two in dB.
#[derive(Clone, Debug, PartialEq, Serialize)]
pub struct Left {
    /// Middle of the octave in Hz, and what is left in dB; 6 where both agree.
    pub octaves: Vec<(f64, f64)>,
    /// Delay of the dry sound in ms, and whether it is inverted.
    pub delay_ms: f64,
    /// See `delay_ms`.
    pub inverted: bool,
}

impl Left {
    /// What is left of the octave that loses most.
    #[must_use]
    pub fn least(&self) -> Option<(f64, f64)> {
        self.octaves.iter().copied().min_by(|a, b| a.1.total_cmp(&b.1))
    }
}

/// As it is set, and as it would be with the delay and polarity that leave most of the worst octave.
#[derive(Clone, Debug, PartialEq, Serialize)]
pub struct Blend {
    /// As it is set.
    pub now: Left,
    /// What mends it; none where as much as [`SAID_DB`] is taken nowhere, or nothing does better by a decibel.
    pub better: Option<Left>,
}

/// Powers and cross power of one bin.
type Bin = (f64, f64, Complex64);

/// What an amplifier's dry blend does on a passage; none for a unit without one or a silent passage.
#[must_use]
pub fn blend(passage: &Passage, unit: &UnitSpec) -> Option<Blend> {
    let mut wet = unit.clone();
    wet.set("blend", &Written::from(0)).ok()?;
    let amplified = Take::of(passage, &crate::rack::RackSpec { units: vec![wet] }, None).sound;
    let bins = cross(&passage.middle(), &amplified.middle());
    let bin_hz = passage.rate / LOOK as f64;
    let fixed = &unit.settings.fixed;
    let at = |delay_ms: f64, inverted: bool| Left {
        octaves: octaves(&bins, bin_hz, delay_ms, inverted),
        delay_ms,
        inverted,
    };
    let now = at(fixed.number("dry_delay_ms"), fixed.is_on("dry_inverted"));
    let (_, least) = now.least()?;
    let steps = (LONGEST_MS / 1000.0 * passage.rate) as usize;
    let tried = (0..=steps).flat_map(|n| [false, true].map(|inverted| at(1000.0 * n as f64 / passage.rate, inverted)));
    let worst = |left: &Left| left.least().map_or(f64::MIN, |(_, db)| db);
    let best = tried.max_by(|a, b| worst(a).total_cmp(&worst(b)))?;
    let better = (least < -SAID_DB && worst(&best) > least + 1.0).then_some(best);
    Some(Blend { now, better })
}

/// Powers of both sounds and their cross power, bin by bin.
fn cross(dry: &[f64], wet: &[f64]) -> Vec<Bin> {
    let fft = forward_f64(LOOK);
    let window: Vec<f64> = (0..LOOK).map(|i| 0.5 - 0.5 * cos(2.0 * PI * i as f64 / LOOK as f64)).collect();
    let mut bins = vec![(0.0, 0.0, Complex64::new(0.0, 0.0)); LOOK / 2 + 1];
    let (mut a, mut b) = (fft.make_output_vec(), fft.make_output_vec());
    for start in (0..dry.len().saturating_sub(LOOK)).step_by(LOOK / 2) {
        for (sound, spectrum) in [(dry, &mut a), (wet, &mut b)] {
            let mut look: Vec<f64> = sound[start..start + LOOK].iter().zip(&window).map(|(x, w)| x * w).collect();
            // Of the length that was planned.
            let _ = fft.process(&mut look, spectrum);
        }
        for (bin, (x, y)) in bins.iter_mut().zip(a.iter().zip(&b)) {
            bin.0 += x.norm_sqr();
            bin.1 += y.norm_sqr();
            bin.2 += x * y.conj();
        }
    }
    bins
}

/// What is left of each octave that both sounds have.
fn octaves(bins: &[Bin], bin_hz: f64, delay_ms: f64, inverted: bool) -> Vec<(f64, f64)> {
    let sign = if inverted { -1.0 } else { 1.0 };
    let sums = OCTAVES_HZ.map(|middle| {
        let within = |hz: f64| (middle * 0.5f64.sqrt()..middle * 2f64.sqrt()).contains(&hz);
        let own = bins.iter().enumerate().filter(|(n, _)| within(*n as f64 * bin_hz));
        own.fold((0.0, 0.0, 0.0), |(dry, wet, both), (n, (d, w, c))| {
            let angle = TAU * n as f64 * bin_hz * delay_ms / 1000.0;
            let turned = c.re * cos(angle) + c.im * sin(angle);
            (dry + d, wet + w, both + sign * turned)
        })
    });
    let loudest = |pick: fn(&(f64, f64, f64)) -> f64| sums.iter().map(pick).fold(1e-30, f64::max);
    let (dry, wet) = (loudest(|s| s.0), loudest(|s| s.1));
    let heard = |power: f64, loudest: f64| power_to_db(power.max(1e-30) / loudest) > -HEARD_DB;
    let both = OCTAVES_HZ.into_iter().zip(sums).filter(|(_, s)| heard(s.0, dry) && heard(s.1, wet));
    both.map(|(hz, (d, w, c))| (hz, power_to_db((d + w + 2.0 * c).max(1e-30) / d.min(w)))).collect()
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::rack::RackSpec;
    use crate::signal::noise::white;
    use serde_json::json;

    fn noise() -> Passage {
        let mut passage = Passage::new(48_000.0, 1);
        for n in 0..96_000 {
            let x = 0.05 * white(n) as f32;
            passage.left.push(x);
            passage.right.push(x);
        }
        passage
    }

    #[test]
    fn a_sound_beside_itself_doubles_and_one_that_is_late_is_mended_by_as_much_delay() {
        let dry = noise().middle();
        let late: Vec<f64> = (0..dry.len()).map(|n| if n < 48 { 0.0 } else { dry[n - 48] }).collect();
        let left = |wet: &[f64], delay_ms: f64, inverted: bool| {
            octaves(&cross(&dry, wet), 48_000.0 / LOOK as f64, delay_ms, inverted)
        };
        assert!(left(&dry, 0.0, false).iter().all(|(_, db)| (db - 6.02).abs() < 0.01));
        assert!(left(&dry, 0.0, true).iter().all(|(_, db)| *db < -60.0));
        // A millisecond late: 500 Hz is opposite.
        let now = left(&late, 0.0, false);
        assert!(now.iter().find(|(hz, _)| *hz == 500.0).unwrap().1 < 1.0, "{now:?}");
        assert!(left(&late, 1.0, false).iter().all(|(_, db)| (db - 6.0).abs() < 0.2), "{:?}", left(&late, 1.0, false));
    }

    #[test]
    fn where_octaves_of_a_voice_are_opposite_what_is_proposed_does_better_when_it_is_set() {
        let mut mended = 0;
        for voice in ["clean", "edge", "crunch", "lead", "tight", "gritty", "keys"] {
            let file = json!({"zinc_rack": 1, "units": [{"kind": "amp", "params": {"voice": voice, "blend": 0.5, "drive_db": 10}}]});
            let mut unit = RackSpec::from_json(&file).unwrap().units.remove(0);
            let found = blend(&noise(), &unit).unwrap();
            let Some(better) = found.better else { continue };
            unit.set("dry_delay_ms", &serde_json::from_value(json!(better.delay_ms)).unwrap()).unwrap();
            unit.set("dry_inverted", &serde_json::from_value(json!(better.inverted)).unwrap()).unwrap();
            let set = blend(&noise(), &unit).unwrap();
            assert!(
                set.now.least().unwrap().1 > found.now.least().unwrap().1 + 0.9,
                "{voice}: {:?} {:?}",
                set.now,
                found.now
            );
            mended += 1;
        }
        assert!(mended > 0, "some voice has an opposite octave");
        let cabinet = RackSpec::from_json(&json!({"zinc_rack": 1, "units": [{"kind": "cabinet"}]})).unwrap();
        let _ = cabinet;
    }
}
