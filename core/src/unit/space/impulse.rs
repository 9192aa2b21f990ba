//! `impulse`: the sound of a room, a cabinet or a wall, by its recorded response.
//!
//! Each side is convolved with its side of the response, without delay. A response that was
//! recorded at another rate than the session's has been brought to it as a sound; that its
//! frames then lie closer or wider is taken out of its level, so that it answers alike at every
//! rate.

use std::sync::Arc;

use crate::filter::LongConvolver;
use crate::signal::math::{Complex, PI};
use crate::signal::{Ramp, Sound, StereoBlock};
use crate::unit::kind::{Tail, UnitKind};
use crate::unit::param::{Domain, Param, Tables};
use crate::unit::processor::Processor;
use crate::unit::settings::Settings;

const PARAMS: &[Param] = &[
    Param::new(
        "sound",
        "response",
        "A recording of what a click becomes in a room or through a loudspeaker; listen for how long it stays.",
        Domain::Sound { max_seconds: 4.0 },
    ),
    Param::new(
        "hold_level",
        "match loudness",
        "Noise leaves as loud as it came, so that responses can be compared by their sound alone.",
        Domain::Switch { default: true },
    )
    .glides(),
];

/// The catalogue entry.
pub const KIND: UnitKind = UnitKind {
    id: "impulse",
    name: "Impulse response",
    about: "Puts a sound into a recorded space or through a recorded loudspeaker.",
    picture: "decay",
    tables: Tables { params: PARAMS, lists: &[] },
    build: |settings, rate| Box::new(Impulse::new(settings, rate)),
    latency: |_, _| 0,
    tail: |settings, _| settings.fixed.sound("sound").map_or(Tail::NONE, |sound| Tail::Frames(sound.frames())),
    response,
    linear: |_| true,
    reduces: false,
    holds_level: false,
    transfer: None,
    takes_key: false,
    regions: None,
};

/// Gain in front of a response.
fn gain(settings: &Settings, rate: f64) -> f64 {
    let Some(sound) = settings.fixed.sound("sound") else { return 1.0 };
    if !settings.fixed.is_on("hold_level") {
        return sound.recorded_hz() / rate;
    }
    let energy = sound.sides().into_iter().flatten().map(|x| f64::from(*x) * f64::from(*x)).sum::<f64>() / 2.0;
    if energy > 0.0 { 1.0 / energy.sqrt() } else { 1.0 }
}

fn response(settings: &Settings, rate: f64, freqs: &[f64]) -> Vec<Complex> {
    let Some(sound) = settings.fixed.sound("sound") else { return vec![Complex::ONE; freqs.len()] };
    let gain = gain(settings, rate);
    let angles: Vec<f64> = freqs.iter().map(|hz| 2.0 * PI * hz / rate).collect();
    sound.spectrum(&angles).iter().map(|h| h.scale(gain)).collect()
}

#[derive(Clone)]
struct Impulse {
    rate: f64,
    settings: Settings,
    /// None while no response is chosen: the sound passes.
    convolver: Option<LongConvolver>,
    gain: Ramp,
}

impl Impulse {
    fn new(settings: &Settings, rate: f64) -> Self {
        let convolver = settings.fixed.sound("sound").map(|sound: &Arc<Sound>| LongConvolver::new(sound));
        let mut unit = Self { rate, settings: settings.clone(), convolver, gain: Ramp::new(1.0, rate) };
        unit.take_settings();
        unit
    }
}

impl Processor for Impulse {
    fn settings_mut(&mut self) -> &mut Settings {
        &mut self.settings
    }

    fn take_settings(&mut self) {
        self.gain.glide_to(gain(&self.settings, self.rate));
    }

    fn fork(&self) -> Box<dyn Processor> {
        Box::new(self.clone())
    }

    fn arrive(&mut self, within_s: f64) {
        self.gain.arrive(within_s);
    }

    fn reset(&mut self) {
        if let Some(convolver) = &mut self.convolver {
            convolver.reset();
        }
    }

    fn process(&mut self, block: &mut StereoBlock, _key: Option<&StereoBlock>) {
        let Some(convolver) = &mut self.convolver else { return };
        let mut frames = block.frames();
        convolver.process(&mut frames);
        for (i, [l, r]) in frames.into_iter().enumerate() {
            let gain = self.gain.next_value();
            block.set_frame(i, [l * gain, r * gain]);
        }
    }
}
