//! What a rack does, measured with test tones: `zinc-rack probe` and the page *Measure*.
//!
//! The response is [`RackSpec::response`], the formula the pages draw; tests hold it
//! against the spectrum of the real impulse response. All else comes from running the real rack:
//! [`tone`] on steady tones of every level, [`intermodulation`] on two at once, [`step`] on one
//! that grows louder and softer, [`timing`] on how fast a reduction follows, [`note`] on one note.

mod intermodulation;
mod note;
mod step;
mod timing;
mod tone;

use serde::Serialize;

use super::third_octave::{BANDS, centre_hz};
use crate::rack::RackSpec;
use crate::signal::decibel::gain_to_db;
use crate::signal::math::{Complex, pow};

pub use note::{Note, note};
pub use step::StepPoint;
pub use timing::{StepResponse, Timing, timing};
pub use tone::{Comb, HARMONICS};

/// Points per octave of the response.
const PER_OCTAVE: f64 = 24.0;
/// Levels in dBFS of the static curve, from the lowest, and the step between two.
const FROM_DB: i32 = -60;
const STEP_DB: i32 = 2;

/// What it is measured with.
#[derive(Clone, Copy, Debug, Serialize)]
pub struct With {
    /// Level of the tones in dBFS peak, for everything that is measured at one level.
    pub level_db: f64,
    /// Frequency of the tone in Hz; taken to the nearest 10 Hz, so that whole periods fit.
    pub tone_hz: f64,
}

impl Default for With {
    /// -6 dBFS, 1 kHz.
    fn default() -> Self {
        Self { level_db: -6.0, tone_hz: 1000.0 }
    }
}

/// Fundamentals of nearly every part lie between these, in Hz: what is stronger above is an overtone of theirs, and
/// what lies below is hardly a note.
const NOTES_HZ: std::ops::Range<f64> = 28.0..700.0;
/// What is strongest may be a second or third partial: the fundamental, so many thirds of an octave lower, is then no
/// further under it than this, in dB.
const UNDER_PARTIAL: [usize; 2] = [3, 5];
const SOFTER_DB: f64 = 9.0;
/// Levels in dBFS that a part is measured at.
const PEAKS_DB: (f64, f64) = (-60.0, 0.0);

impl With {
    /// A note and a level of a part: its strongest fundamental, at its peaks, of its levels by third octave and its peak in
    /// dBFS.
    #[must_use]
    pub fn of_part(third_octave: &[f64; BANDS], peak_db: f64) -> Self {
        let strongest = (0..BANDS)
            .filter(|band| NOTES_HZ.contains(&centre_hz(*band)))
            .max_by(|a, b| third_octave[*a].total_cmp(&third_octave[*b]));
        let below = |band: &usize| {
            let lower = UNDER_PARTIAL.into_iter().filter_map(|thirds| band.checked_sub(thirds));
            let is_one = |at: &usize| third_octave[*at] > third_octave[*band] - SOFTER_DB;
            lower.filter(|at| NOTES_HZ.contains(&centre_hz(*at))).find(is_one)
        };
        let fundamental = std::iter::successors(strongest, below).last();
        let tone_hz = fundamental.map_or(Self::default().tone_hz, |band| centre_hz(band).round());
        Self { level_db: peak_db.round().clamp(PEAKS_DB.0, PEAKS_DB.1), tone_hz }
    }

    /// The tone to the nearest 10 Hz.
    fn whole_tone_hz(&self) -> f64 {
        (0.1 * self.tone_hz).round().max(1.0) * 10.0
    }
}

/// One point of the response.
#[derive(Clone, Copy, Debug, Serialize)]
pub struct ResponsePoint {
    /// Frequency in Hz.
    pub hz: f64,
    /// Gain in dB.
    pub db: f64,
    /// Phase in degrees, -180..180.
    pub phase_deg: f64,
}

/// One point of the static curve: peak levels of the tone, and what it adds there.
#[derive(Clone, Copy, Debug, Serialize)]
pub struct StaticPoint {
    /// Level in, dBFS peak.
    pub in_db: f64,
    /// Level out, dBFS peak of the fundamental.
    pub out_db: f64,
    /// 2nd to 10th harmonic against the fundamental in dB.
    pub harmonics_db: [f64; HARMONICS - 1],
}

/// Level of one harmonic.
#[derive(Clone, Copy, Debug, Serialize)]
pub struct Harmonic {
    /// Multiple of the fundamental, from 2.
    pub order: u32,
    /// Level against the fundamental in dB.
    pub db: f64,
}

/// Everything [`probe`] finds out.
#[derive(Clone, Debug, Serialize)]
pub struct Probe {
    /// Sample rate in Hz.
    pub rate: f64,
    /// Level in dBFS and frequency in Hz it was measured with.
    pub level_db: f64,
    /// Frequency of the tone.
    pub tone_hz: f64,
    /// Delay of the rack in frames.
    pub latency_samples: usize,
    /// Response at 1/24 octave from 10 Hz to 0.49 x rate, the delay taken out: what a sound in
    /// the middle keeps in the middle.
    pub response: Vec<ResponsePoint>,
    /// Steady output and harmonics against input, -60 to 0 dBFS in steps of 2 dB.
    pub static_curve: Vec<StaticPoint>,
    /// 2nd to 10th harmonic of the tone.
    pub harmonics: Vec<Harmonic>,
    /// All of these together against the fundamental, in per cent.
    pub thd_percent: f64,
    /// Even harmonics against odd ones, in dB of their powers: above 0 the even ones lead. None
    /// where there are none of either.
    pub even_odd_db: Option<f64>,
    /// Intermodulation of 60 Hz and 7 kHz, four to one (SMPTE RP 120), against the 7 kHz, in dB.
    pub imd_db: f64,
    /// Level of the tone while it steps up by 20 dB and back.
    pub step: Vec<StepPoint>,
    /// Reduction over time for steps of 5, 10 and 20 dB above the threshold; empty for a rack that
    /// reduces nothing.
    pub step_response: Vec<StepResponse>,
    /// Milliseconds until 63.2 % of the reduction of the 10 dB step has come.
    pub effective_attack_ms: Option<f64>,
    /// Until 90 % has.
    pub effective_attack_90_ms: Option<f64>,
    /// Milliseconds until 63.2 % of it has gone.
    pub effective_release_ms: Option<f64>,
    /// Until 90 % has.
    pub effective_release_90_ms: Option<f64>,
}

/// The harmonics alone: a second of sound.
#[must_use]
pub fn comb(spec: &RackSpec, rate: f64, with: With) -> Comb {
    tone::comb_at(spec, rate, with.whole_tone_hz(), with.level_db)
}

/// Probes a rack at `rate` Hz.
#[must_use]
pub fn probe(spec: &RackSpec, rate: f64, with: With) -> Probe {
    let (tone_hz, comb) = (with.whole_tone_hz(), comb(spec, rate, with));
    let reduces = spec.units.iter().any(|unit| unit.kind.reduces);
    let (step_response, timing) = if reduces { timing::step_responses(spec, rate) } else { Default::default() };
    Probe {
        rate,
        level_db: with.level_db,
        tone_hz,
        latency_samples: spec.latency(rate),
        response: response_points(spec, rate),
        static_curve: static_curve(spec, rate, tone_hz),
        harmonics: (2..).zip(comb.harmonics_db()).map(|(order, db)| Harmonic { order, db }).collect(),
        thd_percent: comb.thd_percent(),
        even_odd_db: comb.even_odd_db(),
        imd_db: intermodulation::imd_db(spec, rate, with.level_db),
        step: step::step(spec, rate, tone_hz, with.level_db),
        step_response,
        effective_attack_ms: timing.attack_ms,
        effective_attack_90_ms: timing.attack_90_ms,
        effective_release_ms: timing.release_ms,
        effective_release_90_ms: timing.release_90_ms,
    }
}

fn response_points(spec: &RackSpec, rate: f64) -> Vec<ResponsePoint> {
    let top = 0.49 * rate;
    let freqs: Vec<f64> =
        (0..).map(|i| 10.0 * pow(2.0, f64::from(i) / PER_OCTAVE)).take_while(|hz| *hz <= top).collect();
    let point = |(hz, h): (&f64, Complex)| ResponsePoint {
        hz: *hz,
        db: gain_to_db(h.norm_sqr().sqrt()),
        phase_deg: h.phase_deg(),
    };
    freqs.iter().zip(spec.response(rate, &freqs)).map(point).collect()
}

fn static_curve(spec: &RackSpec, rate: f64, tone_hz: f64) -> Vec<StaticPoint> {
    let levels: Vec<f64> = (FROM_DB / STEP_DB..=0).map(|step| f64::from(step * STEP_DB)).collect();
    let point = |(in_db, comb): (&f64, Comb)| StaticPoint {
        in_db: *in_db,
        out_db: gain_to_db(comb.amplitudes[0]),
        harmonics_db: comb.harmonics_db(),
    };
    levels.iter().zip(tone::combs(spec, rate, tone_hz, &levels)).map(point).collect()
}
