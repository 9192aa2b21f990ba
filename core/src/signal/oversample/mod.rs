//! Working at 2, 4 or 8 times the rate, so that what a nonlinearity makes above half the rate can
//! be taken out before it folds back.
//!
//! Each factor of two is one [`stage`] each way. The first is the steep one: it lets pass up to 20 kHz and stops, on
//! the way down, from half the base rate on, so that nothing a nonlinearity makes folds back; the later ones have an
//! octave and more to fall in.
//!
//! In linear phase: nothing between up and down is a pure delay of whole frames ([`latency`]) within 0.01 dB up to
//! 20 kHz. Half-bands of two recursive all-pass paths would be sooner (a hundredth of the sums, no lateness in the
//! lows), but they bend the phase of the top: beside the untouched sound, mixed or sent, it cancels there.
//!
//! The whole nonlinear chain of a unit belongs inside one pair of up and down.

mod stage;

use super::{BLOCK, Frame};
use stage::Stage;

/// Highest frequency in Hz that passes unchanged.
pub const PASS_HZ: f64 = 20_000.0;
/// Least attenuation in dB of what a stage stops.
pub const STOP_DB: f64 = 100.0;

/// Goes up, lets something work there, and comes back.
#[derive(Clone, Default)]
pub struct Oversampler {
    /// From the base rate up.
    stages: Vec<Stage>,
    /// Samples at each rate, the base rate first.
    rates: Vec<Vec<Frame>>,
}

/// Width of a stage's transition as a share of its upper rate; `doubled` is how often the rate
/// has been doubled before it.
fn transition(rate: f64, doubled: u32) -> f64 {
    let upper = rate * f64::from(2u32 << doubled);
    0.5 - 2.0 * PASS_HZ / upper
}

/// Frames at `rate` Hz by which nothing between up and down is late.
#[must_use]
pub fn latency(factor: usize, rate: f64) -> usize {
    (0..factor.ilog2()).map(|n| stage::latency(transition(rate, n), n)).sum()
}

impl Oversampler {
    /// For a factor of 1, 2, 4 or 8 over a rate in Hz of at least 44.1 kHz; others are taken as
    /// the next lower power of two.
    #[must_use]
    pub fn new(factor: usize, rate: f64) -> Self {
        let doublings = factor.clamp(1, 8).ilog2();
        Self {
            stages: (0..doublings).map(|n| Stage::new(transition(rate, n), n)).collect(),
            rates: (0..=doublings).map(|n| vec![[0.0; 2]; BLOCK << n]).collect(),
        }
    }

    /// Forgets the past.
    pub fn reset(&mut self) {
        self.stages.iter_mut().for_each(Stage::reset);
    }

    /// Hands a block to `work` at the high rate, and gives back what that made of it. Nothing
    /// is allocated.
    pub fn process(&mut self, frames: &mut [Frame; BLOCK], work: impl FnOnce(&mut [Frame])) {
        self.rates[0].copy_from_slice(frames);
        for (n, stage) in self.stages.iter_mut().enumerate() {
            let (low, high) = self.rates.split_at_mut(n + 1);
            stage.up(&low[n], &mut high[0]);
        }
        let top = self.stages.len();
        work(&mut self.rates[top]);
        for (n, stage) in self.stages.iter_mut().enumerate().rev() {
            let (low, high) = self.rates.split_at_mut(n + 1);
            stage.down(&high[0], &mut low[n]);
        }
        frames.copy_from_slice(&self.rates[0]);
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::signal::math::{TAU, cos, sin};

    const RATES: [f64; 4] = [44_100.0, 48_000.0, 88_200.0, 96_000.0];
    const FACTORS: [usize; 3] = [2, 4, 8];

    fn run(over: &mut Oversampler, blocks: usize, signal: impl Fn(usize) -> f64, work: fn(&mut [Frame])) -> Vec<f64> {
        let mut out = Vec::new();
        for n in 0..blocks {
            let mut frames = std::array::from_fn(|i| [signal(n * BLOCK + i); 2]);
            over.process(&mut frames, work);
            assert!(frames.iter().all(|f| f[0] == f[1]), "both sides alike");
            out.extend(frames.iter().map(|f| f[0]));
        }
        out
    }

    /// Amplitude of a tone in a stretch of a sound.
    fn amplitude(sound: &[f64], rate: f64, hz: f64) -> f64 {
        // A Hann window, so that no whole number of periods is needed.
        let len = sound.len() as f64;
        let window = |n: usize| 0.5 - 0.5 * cos(TAU * n as f64 / len);
        let (mut re, mut im) = (0.0, 0.0);
        for (n, x) in sound.iter().enumerate() {
            let angle = TAU * hz * n as f64 / rate;
            re += x * window(n) * cos(angle);
            im += x * window(n) * sin(angle);
        }
        4.0 / len * (re * re + im * im).sqrt()
    }

    #[test]
    fn nothing_between_up_and_down_is_nothing_to_20_khz_within_a_hundredth_of_a_decibel() {
        for rate in RATES {
            for factor in FACTORS {
                for hz in [30.0, 1000.0, 10_000.0, 17_000.0, 19_990.0] {
                    let mut over = Oversampler::new(factor, rate);
                    let out = run(&mut over, 80, |n| sin(TAU * hz * n as f64 / rate), |_| {});
                    let db = 20.0 * amplitude(&out[2048..], rate, hz).log10();
                    assert!(db.abs() < 0.01, "{factor} x at {rate} Hz: {db:.4} dB at {hz} Hz");
                }
            }
        }
    }

    #[test]
    fn it_is_a_delay_of_the_whole_frames_stated() {
        for rate in RATES {
            for factor in [1, 2, 4, 8] {
                let late = latency(factor, rate);
                let mut over = Oversampler::new(factor, rate);
                // A band-limited sound, whatever its phase.
                let sound = |n: f64| sin(0.3 * n) + 0.5 * sin(1.1 * n + 1.0) + 0.2 * sin(0.013 * n);
                let out = run(&mut over, 20, |n| sound(n as f64), |_| {});
                for (n, x) in out.iter().enumerate().skip(1024) {
                    let want = sound(n as f64 - late as f64);
                    assert!((x - want).abs() < 1e-4, "{factor} x at {rate} Hz, frame {n}: {x} and {want}");
                }
            }
        }
    }

    #[test]
    fn what_would_fold_back_is_stopped_by_a_hundred_decibels() {
        for rate in RATES {
            for factor in FACTORS {
                // Straight above half the rate, and near the top of the high rate.
                let upper = rate * factor as f64;
                for hz in [0.5 * rate + 20.0, rate + 0.1 * rate, 0.5 * upper - 700.0]
                    .into_iter()
                    .filter(|hz| *hz < 0.5 * upper)
                {
                    let mut over = Oversampler::new(factor, rate);
                    let mut worst = 0.0f64;
                    let mut at = 0usize;
                    for block in 0..80 {
                        let mut frames = [[0.0; 2]; BLOCK];
                        over.process(&mut frames, |high| {
                            for frame in high.iter_mut() {
                                *frame = [sin(TAU * hz * at as f64 / upper); 2];
                                at += 1;
                            }
                        });
                        if block > 40 {
                            worst = frames.iter().fold(worst, |m, f| m.max(f[0].abs()));
                        }
                    }
                    let db = 20.0 * worst.log10();
                    assert!(db < -100.0, "{factor} x at {rate} Hz: {hz} Hz leaves {db:.1} dB");
                }
            }
        }
    }

    #[test]
    fn the_left_is_the_same_whether_the_right_is_its_copy_or_not_and_when_it_ceases_to_be() {
        for factor in FACTORS {
            let sound = |n: usize| sin(0.7 * n as f64) + 0.3 * sin(2.9 * n as f64);
            let run = |parts_at: usize| {
                let mut over = Oversampler::new(factor, 48_000.0);
                let mut block = |first: usize| {
                    let mut frames = std::array::from_fn(|i| {
                        let x = sound(first + i);
                        [x, if first + i < parts_at { x } else { -0.5 * x }]
                    });
                    over.process(&mut frames, |high| high.iter_mut().flatten().for_each(|x| *x = *x * *x + *x));
                    frames
                };
                (0..80).flat_map(|n| block(n * BLOCK)).collect::<Vec<Frame>>()
            };
            let (alike, soon, late) = (run(usize::MAX), run(0), run(1000));
            for n in 0..alike.len() {
                assert!(alike[n][0] == soon[n][0] && alike[n][0] == late[n][0], "{factor} x, frame {n}");
                assert_eq!(alike[n][1], alike[n][0]);
            }
            // Once they have been apart for a while the right is what it would always have been.
            assert!((9000..10_240).all(|n| (soon[n][1] - late[n][1]).abs() < 1e-9), "{factor} x");
        }
    }

    #[test]
    fn a_sound_dies_to_exact_zero_and_a_reset_forgets_it() {
        for factor in FACTORS {
            let mut over = Oversampler::new(factor, 48_000.0);
            run(&mut over, 4, |n| sin(0.7 * n as f64), |_| {});
            let rest = run(&mut over, 100, |_| 0.0, |_| {});
            assert!(rest[90 * BLOCK..].iter().all(|x| *x == 0.0), "{factor} x");
            run(&mut over, 4, |n| sin(0.7 * n as f64), |_| {});
            over.reset();
            let mut fresh = Oversampler::new(factor, 48_000.0);
            let (a, b) = (run(&mut over, 4, |n| n as f64, |_| {}), run(&mut fresh, 4, |n| n as f64, |_| {}));
            assert_eq!(a, b);
        }
    }
}
