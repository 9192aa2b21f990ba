//! How much later, and which way up, one recording of a performance is than another.
//!
//! Two recordings of one instrument differ in colour (a cabinet, a room), so a plain
//! cross-correlation peaks where their common colour puts it. Here every frequency
//! votes with its phase (less what the difference in colour explains), and with a weight that says how much of it is really common
//! to both: the maximum-likelihood weighting of Knapp & Carter, *The Generalized
//! Correlation Method for Estimation of Time Delay* (IEEE TASSP 24, 1976), eq. 17,
//! `W = C / ((1 - C) |G|)` with the coherence `C = |G|^2 / (Gaa Gbb)` averaged over
//! many windows.

use crate::unit::value::Written;
use zinc_fourier::{Complex64, forward_f64, inverse_f64};

use crate::session::{Edit, Session};
use crate::signal::math::{PI, cos, log};

/// Frames of one window: 0.68 s at 48 kHz, seven times the longest delay looked for.
const WINDOW: usize = 32_768;
/// Longest delay looked for, in seconds: 34 m of air.
const LONGEST_S: f64 = 0.1;
/// Windows softer than the loudest by more than this many dB say nothing.
const QUIET_DB: f64 = 30.0;
/// Fewest windows for a coherence that means anything.
const FEWEST_WINDOWS: usize = 6;
/// From this coherence on a frequency tells something about the difference in colour.
const COMMON_ENOUGH: f64 = 0.5;
/// Coherence is held below this: beyond it the weight would grow without bound.
const MOST_COHERENT: f64 = 0.98;

/// How a second recording lies against a first one.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Alignment {
    /// How many frames later the second one is; negative where it is earlier.
    pub delay_frames: f64,
    /// Whether it is upside down against the first.
    pub inverted: bool,
    /// 0 for unrelated recordings, 1 for copies.
    pub certainty: f64,
    /// Level in dB that the sum of both gains when the delay and the polarity are mended.
    pub gain_db: f64,
}

/// Compares two mono recordings that begin at the same time. `None` where there is too
/// little common sound to say anything.
#[must_use]
pub fn align(first: &[f32], second: &[f32], rate: f64) -> Option<Alignment> {
    let spectra = Spectra::of(first, second)?;
    let (delay_frames, height, total) = spectra.peak((LONGEST_S * rate) as usize);
    let inverted = height < 0.0;
    let gain_db = gain_of_mending(first, second, delay_frames.round() as isize, inverted);
    Some(Alignment { delay_frames, inverted, certainty: (height.abs() / total).min(1.0), gain_db })
}

/// What makes two recordings stand together.
#[derive(Clone, Debug, PartialEq)]
pub struct Mending {
    /// What was found, in one sentence.
    pub sentence: String,
    /// The change: the earlier one waits, the second is turned over where needed.
    pub edit: Edit,
}

/// From this certainty on two recordings are of one performance.
pub const CERTAIN: f64 = 0.15;

/// The change that aligns two tracks; `None` where they are not of one performance.
#[must_use]
pub fn mend(session: &Session, first: u32, second: u32, found: &Alignment) -> Option<Mending> {
    let (a, b) = (session.strip(first)?, session.strip(second)?);
    if found.certainty < CERTAIN {
        return None;
    }
    let late_ms = (found.delay_frames.round() / f64::from(session.rate) * 1e5).round() / 100.0;
    let set = |strip: u32, control: &str, value: Written| Edit::SetControl { strip, control: control.into(), value };
    let upside_down = a.controls.is_on("inverted") != found.inverted;
    let edits = vec![
        set(first, "delay_ms", late_ms.max(0.0).into()),
        set(second, "delay_ms", (-late_ms).max(0.0).into()),
        set(second, "inverted", upside_down.into()),
    ];
    let time = match late_ms {
        0.0 => "at the same time as".to_string(),
        ms if ms > 0.0 => format!("{ms} ms later than"),
        ms => format!("{} ms earlier than", -ms),
    };
    let polarity = if found.inverted { "inverted" } else { "in polarity" };
    let sentence = format!(
        "{} arrives {time} {}, {polarity}. Aligned, the two together are {:+.1} dB.",
        b.name, a.name, found.gain_db
    );
    Some(Mending { sentence, edit: Edit::Several { edits } })
}

/// Auto and cross spectra averaged over windows.
struct Spectra {
    cross: Vec<Complex64>,
    first: Vec<f64>,
    second: Vec<f64>,
    windows: usize,
}

impl Spectra {
    fn of(first: &[f32], second: &[f32]) -> Option<Self> {
        let length = first.len().min(second.len());
        let starts: Vec<usize> = (0..length.saturating_sub(WINDOW)).step_by(WINDOW / 2).collect();
        let energy = |x: &[f32], at: usize| x[at..at + WINDOW].iter().map(|v| f64::from(v * v)).sum::<f64>();
        let loud: Vec<f64> = starts.iter().map(|at| energy(first, *at).min(energy(second, *at))).collect();
        let floor = loud.iter().fold(0.0f64, |m, e| m.max(*e)) * crate::signal::decibel::db_to_gain(-2.0 * QUIET_DB);
        let chosen: Vec<usize> = starts.iter().zip(&loud).filter(|(_, e)| **e > floor).map(|(at, _)| *at).collect();
        if chosen.len() < FEWEST_WINDOWS {
            return None;
        }
        let bins = WINDOW / 2 + 1;
        let zero = Complex64::new(0.0, 0.0);
        let mut sums =
            Self { cross: vec![zero; bins], first: vec![0.0; bins], second: vec![0.0; bins], windows: chosen.len() };
        let fft = forward_f64(WINDOW);
        let hann: Vec<f64> = (0..WINDOW).map(|i| 0.5 - 0.5 * cos(2.0 * PI * i as f64 / WINDOW as f64)).collect();
        let spectrum = |x: &[f32], at: usize| {
            let mut input: Vec<f64> = x[at..at + WINDOW].iter().zip(&hann).map(|(v, w)| f64::from(*v) * w).collect();
            let mut out = fft.make_output_vec();
            // The sizes agree by construction.
            fft.process(&mut input, &mut out).ok().map(|()| out)
        };
        for at in chosen {
            let (a, b) = (spectrum(first, at)?, spectrum(second, at)?);
            for k in 0..bins {
                sums.cross[k] += b[k] * a[k].conj();
                sums.first[k] += a[k].norm_sqr();
                sums.second[k] += b[k].norm_sqr();
            }
        }
        Some(sums)
    }

    /// Delay, signed height and largest possible height of the weighted correlation's peak.
    fn peak(&self, longest: usize) -> (f64, f64, f64) {
        let common: Vec<f64> = (0..self.cross.len()).map(|k| self.coherence(k)).collect();
        let colour = self.colour_phase(&common);
        let mut total = 0.0;
        let mut weighted: Vec<Complex64> = (0..self.cross.len())
            .map(|k| {
                let g = self.cross[k].norm();
                if g <= 0.0 {
                    return Complex64::new(0.0, 0.0);
                }
                let weight = common[k] / (1.0 - common[k]);
                total += 2.0 * weight;
                self.cross[k] * Complex64::from_polar(weight / g, -colour[k])
            })
            .collect();
        // A constant says nothing about time.
        let last = weighted.len() - 1;
        (weighted[0], weighted[last]) = (Complex64::new(0.0, 0.0), Complex64::new(0.0, 0.0));
        let inverse = inverse_f64(WINDOW);
        let mut r = inverse.make_output_vec();
        if inverse.process(&mut weighted, &mut r).is_err() {
            return (0.0, 0.0, 1.0);
        }
        let at = |lag: isize| r[lag.rem_euclid(WINDOW as isize) as usize];
        let longest = longest.min(WINDOW / 4) as isize;
        let best = (-longest..=longest).max_by(|x, y| at(*x).abs().total_cmp(&at(*y).abs())).unwrap_or(0);
        // The top of the parabola through the peak and its neighbours.
        let (before, here, after) = (at(best - 1), at(best), at(best + 1));
        let bend = before - 2.0 * here + after;
        let shift = if bend.abs() > 1e-12 { (0.5 * (before - after) / bend).clamp(-0.5, 0.5) } else { 0.0 };
        (best as f64 + shift, here, total.max(1e-12))
    }
}

impl Spectra {
    /// How much of a frequency is common to both, 0 to [`MOST_COHERENT`].
    fn coherence(&self, k: usize) -> f64 {
        let power = self.first[k] * self.second[k];
        if power <= 0.0 {
            return 0.0;
        }
        // Unrelated sound shows a coherence of one over the number of windows.
        let bias = 1.0 / self.windows as f64;
        ((self.cross[k].norm_sqr() / power - bias) / (1.0 - bias)).clamp(0.0, MOST_COHERENT)
    }

    /// The phase that the second recording's other colour brings by itself, in radians.
    ///
    /// A cabinet or a microphone is nearly minimum-phase, so its phase follows from its
    /// magnitude (Oppenheim & Schafer, *Discrete-Time Signal Processing*, ch. 13: the
    /// cepstrum folded onto positive times). Taken out, what is left is the delay alone.
    fn colour_phase(&self, common: &[f64]) -> Vec<f64> {
        let bins = self.cross.len();
        let magnitude = |k: usize| {
            // Smoothed over about a ninth of an octave to either side.
            let half = (k / 12).max(1);
            let range = k.saturating_sub(half)..(k + half + 1).min(bins);
            let (cross, first) = range
                .filter(|j| common[*j] > COMMON_ENOUGH)
                .fold((0.0, 0.0), |(c, f), j| (c + self.cross[j].norm(), f + self.first[j]));
            (cross > 0.0 && first > 0.0).then(|| log(cross / first))
        };
        let mut known = 0.0;
        let mut logs: Vec<Complex64> = (0..bins)
            .map(|k| {
                known = magnitude(k).unwrap_or(known);
                Complex64::new(known, 0.0)
            })
            .collect();
        // What lies below the first known frequency is taken as flat.
        if let Some(first) = (0..bins).find(|k| magnitude(*k).is_some()) {
            let level = logs[first];
            logs[..first].fill(level);
        }
        let (inverse, forward) = (inverse_f64(WINDOW), forward_f64(WINDOW));
        let mut cepstrum = inverse.make_output_vec();
        let mut folded = forward.make_output_vec();
        if inverse.process(&mut logs, &mut cepstrum).is_err() {
            return vec![0.0; bins];
        }
        for (n, c) in cepstrum.iter_mut().enumerate() {
            let share = match n {
                0 => 1.0,
                n if n < WINDOW / 2 => 2.0,
                n if n == WINDOW / 2 => 1.0,
                _ => 0.0,
            };
            *c *= share / WINDOW as f64;
        }
        match forward.process(&mut cepstrum, &mut folded) {
            Ok(()) => folded.iter().map(|l| l.im).collect(),
            Err(_) => vec![0.0; bins],
        }
    }
}

fn gain_of_mending(first: &[f32], second: &[f32], delay: isize, inverted: bool) -> f64 {
    let sign = if inverted { -1.0 } else { 1.0 };
    let (mut before, mut after) = (0.0, 0.0);
    for (i, a) in first.iter().enumerate() {
        let get = |at: isize| usize::try_from(at).ok().and_then(|n| second.get(n)).map_or(0.0, |x| f64::from(*x));
        let a = f64::from(*a);
        before += (a + get(i as isize)).powi(2);
        after += (a + sign * get(i as isize + delay)).powi(2);
    }
    crate::signal::decibel::power_to_db(after) - crate::signal::decibel::power_to_db(before)
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::filter::analog::{Side, bell, cut};
    use crate::filter::matched::matched;
    use crate::filter::{Svf, SvfDesign};
    use crate::signal::noise::white;

    const RATE: f64 = 48_000.0;

    fn noise(seed: usize, n: usize) -> Vec<f32> {
        (0..n).map(|n| 0.5 * white(n + 1_000_003 * seed) as f32).collect()
    }

    /// Through a nasal cabinet: lows and highs gone, a bump at 800 Hz.
    fn cabinet(x: &[f32]) -> Vec<f32> {
        let cuts = cut(Side::Low, 70.0, 2).chain(cut(Side::High, 4500.0, 2));
        let analog: Vec<_> = cuts.chain([bell(800.0, 8.0, 1.5)]).collect();
        let designs: Vec<SvfDesign> = analog.iter().map(|a| matched(a, RATE)).collect();
        let mut frames: Vec<[f64; 2]> = x.iter().map(|v| [f64::from(*v); 2]).collect();
        for design in designs {
            Svf::new(design, RATE, 0.01).process(&mut frames);
        }
        frames.iter().map(|f| f[0] as f32).collect()
    }

    fn later(x: &[f32], by: usize, gain: f32) -> Vec<f32> {
        (0..x.len()).map(|i| if i >= by { x[i - by] * gain } else { 0.0 }).collect()
    }

    #[test]
    fn delay_and_polarity_of_a_coloured_copy_are_found_within_a_frame() {
        let direct = noise(5, 480_000);
        for (by, gain) in [(0, 0.7), (43, -0.8), (700, 0.3), (4000, -1.0)] {
            let found = align(&direct, &later(&cabinet(&direct), by, gain), RATE).unwrap();
            assert!((found.delay_frames - by as f64).abs() < 1.0, "{by}: {found:?}");
            assert_eq!(found.inverted, gain < 0.0, "{found:?}");
            assert!(found.certainty > 0.5, "{found:?}");
        }
    }

    #[test]
    fn an_earlier_recording_reads_as_a_negative_delay() {
        let direct = noise(9, 480_000);
        let found = align(&later(&direct, 120, 1.0), &direct, RATE).unwrap();
        assert!((found.delay_frames + 120.0).abs() < 0.5, "{found:?}");
    }

    #[test]
    fn mending_two_equal_recordings_that_cancelled_gains_what_theory_says() {
        // White noise and its copy one frame later: uncorrelated, so the sum has twice
        // the power of one; aligned it has four times: 3.01 dB.
        let direct = noise(1, 480_000);
        let found = align(&direct, &later(&direct, 1, 1.0), RATE).unwrap();
        assert!((found.gain_db - 3.01).abs() < 0.1, "{found:?}");
    }

    #[test]
    fn the_mend_lets_the_earlier_one_wait_and_turns_the_second_over() {
        use crate::session::{AudioRef, Family, Role};
        let mut s = Session::new("pair", 48_000);
        let audio = AudioRef { hash: "x".into(), channels: 1, frames: 1, start: 0, stamp: None };
        let di = s.add_strip("DI", Family::Bs, Role::Track(audio.clone()), 1);
        let mic = s.add_strip("Mic", Family::Bs, Role::Track(audio), 1);
        let found = Alignment { delay_frames: 43.2, inverted: true, certainty: 0.7, gain_db: 4.0 };
        let mended = mend(&s, di, mic, &found).unwrap();
        assert!(mended.sentence.contains("Mic arrives 0.9 ms later than DI, inverted"), "{}", mended.sentence);
        mended.edit.apply(&mut s).unwrap();
        let control = |id: u32, name: &str| s.strip(id).unwrap().controls.number(name);
        assert_eq!((control(di, "delay_ms"), control(mic, "delay_ms")), (0.9, 0.0));
        assert!(s.strip(mic).unwrap().controls.is_on("inverted"));
        assert!(mend(&s, di, mic, &Alignment { certainty: 0.1, ..found }).is_none());
    }

    #[test]
    fn unrelated_recordings_are_not_certain_and_silence_says_nothing() {
        let found = align(&noise(1, 480_000), &noise(2, 480_000), RATE).unwrap();
        assert!(found.certainty < 0.2, "{found:?}");
        assert!(align(&vec![0.0; 480_000], &noise(2, 480_000), RATE).is_none());
        assert!(align(&noise(1, 100), &noise(2, 100), RATE).is_none());
    }
}
