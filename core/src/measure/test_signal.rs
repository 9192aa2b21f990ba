//! Test material to send through a rack: a tone, a sweep, noise, a hit.

use serde::{Deserialize, Serialize};

use crate::signal::decibel::db_to_gain;
use crate::signal::math::{PI, TAU, cos, exp, log, sin};
use crate::signal::noise::white;

/// Which.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case")]
pub enum TestSignal {
    /// 1 kHz for three seconds.
    Tone,
    /// From 20 Hz to 20 kHz in eight seconds, each octave as long (Farina, AES 2000).
    Sweep,
    /// Pink noise for five seconds.
    Noise,
    /// Three hits of a drum-like sound, a second apart.
    Hit,
}

/// Seconds over which a signal begins and ends, so that it does not click.
const FADE_S: f64 = 0.01;

impl TestSignal {
    /// All of them.
    pub const ALL: [Self; 4] = [Self::Tone, Self::Sweep, Self::Noise, Self::Hit];

    /// Name in commands and addresses.
    #[must_use]
    pub fn name(self) -> &'static str {
        match self {
            Self::Tone => "tone",
            Self::Sweep => "sweep",
            Self::Noise => "noise",
            Self::Hit => "hit",
        }
    }

    /// The one of a name.
    #[must_use]
    pub fn named(name: &str) -> Option<Self> {
        Self::ALL.into_iter().find(|signal| signal.name() == name)
    }

    fn seconds(self) -> f64 {
        match self {
            Self::Tone | Self::Hit => 3.0,
            Self::Sweep => 8.0,
            Self::Noise => 5.0,
        }
    }

    /// Its samples at a rate in Hz, its largest at `level_db` dBFS.
    #[must_use]
    pub fn samples(self, rate: f64, level_db: f64) -> Vec<f32> {
        let frames = (self.seconds() * rate) as usize;
        let mut samples: Vec<f64> = match self {
            Self::Tone => (0..frames).map(|n| sin(TAU * 1000.0 * n as f64 / rate)).collect(),
            Self::Sweep => (0..frames).map(|n| sweep(n as f64 / rate, self.seconds())).collect(),
            Self::Noise => pink(frames),
            Self::Hit => (0..frames).map(|n| hit((n as f64 / rate) % 1.0, n)).collect(),
        };
        if self != Self::Hit {
            fade(&mut samples, (FADE_S * rate) as usize);
        }
        let peak = samples.iter().fold(0.0f64, |peak, x| peak.max(x.abs()));
        let gain = db_to_gain(level_db) / peak;
        samples.into_iter().map(|x| (gain * x) as f32).collect()
    }
}

fn sweep(t: f64, seconds: f64) -> f64 {
    let (low, high) = (20.0, 20_000.0);
    let octaves = log(high / low);
    sin(TAU * low * seconds / octaves * (exp(t / seconds * octaves) - 1.0))
}

/// A skin that falls in pitch, and a stick: loudest at once.
fn hit(t: f64, n: usize) -> f64 {
    let skin = exp(-t / 0.09) * cos(TAU * (170.0 * t - 20.0 * 0.03 * exp(-t / 0.03) + 0.6));
    skin + 0.7 * exp(-t / 0.004) * white(n)
}

/// Noise whose octaves are equally loud: rows that change half as often one after the other
/// (Voss and McCartney; Gardner 1978).
fn pink(frames: usize) -> Vec<f64> {
    const ROWS: usize = 16;
    let mut rows: [f64; ROWS] = std::array::from_fn(|row| white(1_000_003 + row));
    (0..frames)
        .map(|n| {
            let row = ((n + 1).trailing_zeros() as usize).min(ROWS - 1);
            rows[row] = white(7 * n + row);
            rows.iter().sum::<f64>() + white(n)
        })
        .collect()
}

fn fade(samples: &mut [f64], frames: usize) {
    let len = samples.len();
    for n in 0..frames.min(len / 2) {
        let share = 0.5 - 0.5 * cos(PI * n as f64 / frames as f64);
        samples[n] *= share;
        samples[len - 1 - n] *= share;
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::measure::ThirdOctaves;
    use crate::measure::third_octave::centre_hz;

    #[test]
    fn every_signal_peaks_where_it_is_told_and_a_hit_at_full_scale_peaks_there_at_once() {
        for signal in TestSignal::ALL {
            for level in [0.0, -12.0] {
                let samples = signal.samples(48_000.0, level);
                let peak = samples.iter().fold(0.0f32, |peak, x| peak.max(x.abs()));
                assert!((20.0 * peak.log10() - level as f32).abs() < 1e-3, "{signal:?}: {peak}");
            }
            assert_eq!(TestSignal::named(signal.name()), Some(signal));
        }
        let hit = TestSignal::Hit.samples(48_000.0, 0.0);
        let at = hit.iter().position(|x| x.abs() > 0.999).expect("full scale");
        assert!(at % 48_000 < 480, "frame {at}");
    }

    #[test]
    fn the_noise_is_pink_and_the_sweep_too() {
        for signal in [TestSignal::Noise, TestSignal::Sweep] {
            let samples = signal.samples(48_000.0, 0.0);
            let mut meter = ThirdOctaves::new(48_000.0, 1 << 15);
            meter.push_slices(&samples, &samples);
            let levels = meter.levels_db();
            let within: Vec<f64> =
                (0..levels.len()).filter(|i| (100.0..8000.0).contains(&centre_hz(*i))).map(|i| levels[i]).collect();
            let (low, high) =
                within.iter().fold((f64::INFINITY, f64::NEG_INFINITY), |(l, h), x| (l.min(*x), h.max(*x)));
            assert!(within.len() > 15 && high - low < 3.0, "{signal:?}: {low:.1} to {high:.1}");
        }
    }
}
