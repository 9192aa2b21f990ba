//! What a rack does, measured without audio: `zinc-rack probe`.
//!
//! The response is [`RackSpec::response`], the formula the pages draw; tests hold it
//! against the spectrum of the real impulse response. Static curve and harmonics come from running the real
//! rack on steady 1 kHz tones.

use serde::Serialize;

use crate::rack::{Rack, RackSpec};
use crate::signal::decibel::{db_to_gain, gain_to_db};
use crate::signal::math::{Complex, TAU, cos, pow, sin};
use crate::signal::{BLOCK, StereoBlock};

/// Points per octave of the response.
const PER_OCTAVE: f64 = 24.0;
/// Time a tone runs before it is measured, in seconds: several of the longest
/// ordinary release times.
const SETTLE_S: f64 = 1.0;
/// Level in dBFS peak at which harmonics are measured.
const HARMONICS_AT_DB: f64 = -6.0;

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

/// One point of the static curve: peak levels of a 1 kHz tone.
#[derive(Clone, Copy, Debug, Serialize)]
pub struct StaticPoint {
    /// Level in, dBFS peak.
    pub in_db: f64,
    /// Level out, dBFS peak of the fundamental.
    pub out_db: f64,
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
    /// Delay of the rack in frames.
    pub latency_samples: usize,
    /// Response at 1/24 octave from 10 Hz to 0.49 x rate, the delay taken out: what a sound in
    /// the middle keeps in the middle.
    pub response: Vec<ResponsePoint>,
    /// Steady output against input, -60 to 0 dBFS in steps of 2 dB.
    pub static_curve: Vec<StaticPoint>,
    /// 2nd to 10th harmonic of a -6 dBFS 1 kHz tone.
    pub harmonics: Vec<Harmonic>,
}

/// Probes a rack at `rate` Hz.
#[must_use]
pub fn probe(spec: &RackSpec, rate: f64) -> Probe {
    Probe {
        rate,
        latency_samples: spec.latency(rate),
        response: response_points(spec, rate),
        static_curve: static_curve(spec, rate),
        harmonics: harmonics(spec, rate),
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

fn static_curve(spec: &RackSpec, rate: f64) -> Vec<StaticPoint> {
    // Upwards through one running rack, so that each level starts near rest.
    let mut tone = Tone::new(spec, rate);
    (-30..=0)
        .map(|step| {
            let in_db = f64::from(step) * 2.0;
            let amplitudes = tone.settle_and_measure(db_to_gain(in_db), 1);
            StaticPoint { in_db, out_db: gain_to_db(amplitudes[0]) }
        })
        .collect()
}

fn harmonics(spec: &RackSpec, rate: f64) -> Vec<Harmonic> {
    let levels = Tone::new(spec, rate).settle_and_measure(db_to_gain(HARMONICS_AT_DB), 10);
    let fundamental = levels[0].max(1e-10);
    (2..=10).map(|order| Harmonic { order, db: gain_to_db(levels[order as usize - 1] / fundamental) }).collect()
}

/// A 1 kHz tone through a running rack.
struct Tone {
    rack: Rack,
    rate: f64,
    frame: u64,
}

impl Tone {
    const HZ: f64 = 1000.0;

    fn new(spec: &RackSpec, rate: f64) -> Self {
        Self { rack: Rack::new(spec, rate), rate, frame: 0 }
    }

    /// Amplitude of the first `orders` harmonics once the tone has settled.
    fn settle_and_measure(&mut self, amplitude: f64, orders: usize) -> Vec<f64> {
        for _ in 0..(SETTLE_S * self.rate) as usize / BLOCK {
            self.next_block(amplitude);
        }
        // A tenth of a second holds whole periods at every supported rate; the
        // sum runs over the frames of the blocks that lie within it.
        let frames = (self.rate / 10.0).round() as usize;
        let mut sums = vec![[0.0f64; 2]; orders];
        let mut done = 0;
        while done < frames {
            let start = self.frame;
            let block = self.next_block(amplitude);
            for i in 0..BLOCK.min(frames - done) {
                let angle = TAU * Self::HZ * (start + i as u64) as f64 / self.rate;
                for (k, sum) in sums.iter_mut().enumerate() {
                    let x = f64::from(block.left[i]);
                    sum[0] += x * cos(angle * (k + 1) as f64);
                    sum[1] += x * sin(angle * (k + 1) as f64);
                }
            }
            done += BLOCK;
        }
        sums.iter().map(|s| 2.0 / frames as f64 * (s[0] * s[0] + s[1] * s[1]).sqrt()).collect()
    }

    fn next_block(&mut self, amplitude: f64) -> StereoBlock {
        let mut block = StereoBlock::default();
        for i in 0..BLOCK {
            let x = amplitude * sin(TAU * Self::HZ * (self.frame + i as u64) as f64 / self.rate);
            block.set_frame(i, [x, x]);
        }
        self.frame += BLOCK as u64;
        self.rack.process(&mut block);
        block
    }
}
