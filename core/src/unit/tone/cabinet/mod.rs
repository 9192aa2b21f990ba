//! `cabinet`: a loudspeaker, its box, one or two microphones, some room; or a response of one's
//! own.
//!
//! [`table`] holds the parameters, [`geometry`] the ways from the cones to a microphone,
//! [`microphone`] what that adds, [`response`] makes the impulse response, which is convolved
//! with. It begins with the nearest part of the cone: what is late is a third of a millisecond.

mod geometry;
mod microphone;
mod response;
mod table;

use std::sync::Arc;

use serde::Serialize;

use geometry::Cones;
use microphone::Microphone;
use response::Mix;

use crate::dynamics::AutoLevel;
use crate::filter::{KWeighting, LongConvolver};
use crate::signal::decibel::{gain_to_db, power_to_db};
use crate::signal::math::{Complex, TAU, pow};
use crate::signal::{Ramp, Sound, StereoBlock};
use crate::unit::kind::{Tail, UnitKind};
use crate::unit::param::Tables;
use crate::unit::processor::Processor;
use crate::unit::settings::Settings;

/// The catalogue entry.
pub const KIND: UnitKind = UnitKind {
    id: "cabinet",
    name: "Cabinet",
    about: "A loudspeaker in its box, heard by one or two microphones where you put them.",
    picture: "cabinet",
    tables: Tables { params: table::PARAMS, lists: &[] },
    build: |settings, rate| Box::new(Cabinet::new(settings, rate)),
    latency: |_, _| 0,
    tail: |settings, rate| Tail::Frames(sound_of(settings, rate).frames()),
    response,
    linear: |settings| !is_held(settings),
    reduces: false,
    holds_level: false,
    transfer: None,
    takes_key: false,
    regions: None,
};

fn response(settings: &Settings, rate: f64, freqs: &[f64]) -> Vec<Complex> {
    let sound = sound_of(settings, rate);
    let gain = gain(&sound, settings, is_held(settings), rate);
    let angles: Vec<f64> = freqs.iter().map(|hz| TAU * hz / rate).collect();
    sound.spectrum(&angles).iter().map(|h| h.scale(gain)).collect()
}

/// Whether it brings every part back to the loudness it came with.
fn is_held(settings: &Settings) -> bool {
    settings.fixed.is_on("hold_level")
}

/// The response that is convolved with: one's own, or that of the cabinet.
fn sound_of(settings: &Settings, rate: f64) -> Arc<Sound> {
    let record = &settings.fixed;
    if let Some(own) = record.sound("sound") {
        return begun(own);
    }
    let number = |id: &str| record.choice(id).parse::<f64>().unwrap_or(1.0);
    let cones = Cones {
        inches: number("size"),
        count: number("cones") as usize,
        open: record.choice("box") == "open",
        horn: record.number("horn"),
    };
    let first = Microphone::of(record, ["a_type", "a_distance_cm", "a_offset", "a_angle_deg"]);
    let second = Microphone::of(record, ["b_type", "b_distance_cm", "b_offset", "b_angle_deg"]);
    let (two, blend) = (record.is_on("b_on"), record.number("blend"));
    let turned = if record.is_on("b_flip") { -1.0 } else { 1.0 };
    let mix = Mix {
        first,
        second: two.then_some((second, turned * blend)),
        first_gain: if two { 1.0 - blend } else { 1.0 },
        align: record.is_on("align"),
        room: record.number("room"),
    };
    Arc::new(Sound::new(&response::of(&cones, &mix, rate), 1, rate))
}

/// How two microphones add up.
#[derive(Clone, Debug, PartialEq, Serialize)]
pub struct MicrophoneMix {
    /// Level of each in the mix in dB, after the second was made as loud as the first.
    pub first_db: f64,
    /// See `first_db`.
    pub second_db: f64,
    /// Middle of each third octave in Hz, and by what both together stand over the sum of their powers in dB: 3
    /// where they agree, below 0 where they cancel.
    pub thirds: Vec<(f64, f64)>,
}

/// How both microphones add up; none where there is one, or a recorded response.
#[must_use]
pub fn microphone_mix(settings: &Settings, rate: f64) -> Option<MicrophoneMix> {
    /// Points of a third octave, and third octaves from 50 Hz.
    const POINTS: usize = 6;
    const THIRDS: usize = 23;
    let record = &settings.fixed;
    if !record.is_on("b_on") || record.sound("sound").is_some() {
        return None;
    }
    let hz =
        |third: usize, point: usize| 50.0 * pow(2.0, (third as f64 + (point as f64 + 0.5) / POINTS as f64 - 0.5) / 3.0);
    let angles: Vec<f64> =
        (0..THIRDS).flat_map(|third| (0..POINTS).map(move |point| TAU * hz(third, point) / rate)).collect();
    let powers = |blend: f64| -> Vec<f64> {
        let mut alone = settings.clone();
        alone.fixed.put_number("blend", blend);
        let spectrum = sound_of(&alone, rate).spectrum(&angles);
        spectrum.chunks(POINTS).map(|part| part.iter().map(|h| h.norm_sqr()).sum()).collect()
    };
    let share = record.number("blend");
    let (first, second, both) = (powers(0.0), powers(1.0), powers(share));
    let at = |third: usize| {
        let apart = (1.0 - share) * (1.0 - share) * first[third] + share * share * second[third];
        (50.0 * pow(2.0, third as f64 / 3.0), power_to_db(both[third].max(1e-30) / apart.max(1e-30)))
    };
    let level = |share: f64| gain_to_db(share.max(1e-6));
    Some(MicrophoneMix { first_db: level(1.0 - share), second_db: level(share), thirds: (0..THIRDS).map(at).collect() })
}

/// A recorded response without the silence before it.
fn begun(own: &Arc<Sound>) -> Arc<Sound> {
    /// Under its peak, what comes before is silence.
    const SILENT: f32 = 0.001;
    let sides = own.sides();
    let peak = sides.iter().flat_map(|side| side.iter()).fold(0.0f32, |peak, x| peak.max(x.abs()));
    let loud = |n: usize| sides.iter().any(|side| side[n].abs() > SILENT * peak);
    match (0..own.frames()).find(|n| loud(*n)) {
        None | Some(0) => own.clone(),
        Some(from) => {
            let samples: Vec<f32> = (from..own.frames()).flat_map(|n| [sides[0][n], sides[1][n]]).collect();
            Arc::new(Sound::new(&samples, 2, own.recorded_hz()))
        }
    }
}

/// Gain in front of a response: pink noise leaves as loud as it came to the ear, where level is
/// held, so that little is left to be found by listening; a recorded one answers alike at every rate,
/// where it is not.
fn gain(sound: &Sound, settings: &Settings, held: bool, rate: f64) -> f64 {
    if !held {
        return if settings.fixed.sound("sound").is_some() { sound.recorded_hz() / rate } else { 1.0 };
    }
    /// Three to an octave from 40 Hz to 10 kHz.
    const POINTS: i32 = 24;
    let freqs: Vec<f64> = (0..=POINTS).map(|n| 40.0 * pow(2.0, f64::from(n) / 3.0)).collect();
    let angles: Vec<f64> = freqs.iter().map(|hz| TAU * hz / rate).collect();
    let weights = freqs.iter().map(|hz| KWeighting::power_at(*hz, rate));
    let (whole, left) = weights
        .zip(sound.spectrum(&angles).iter())
        .fold((0.0, 0.0), |(whole, left), (weight, h)| (whole + weight, left + weight * h.norm_sqr()));
    if left > 1e-12 * whole { (whole / left).sqrt() } else { 1.0 }
}

#[derive(Clone)]
struct Cabinet {
    settings: Settings,
    rate: f64,
    /// What its response was made of.
    made_of: Settings,
    convolver: LongConvolver,
    /// Gains in front of the response without the level held and with it.
    gains: [f64; 2],
    gain: Ramp,
    level: AutoLevel,
}

impl Cabinet {
    fn new(settings: &Settings, rate: f64) -> Self {
        let sound = sound_of(settings, rate);
        let gains = [false, true].map(|held| gain(&sound, settings, held, rate));
        let mut unit = Self {
            settings: settings.clone(),
            rate,
            made_of: settings.clone(),
            convolver: LongConvolver::new(&sound),
            gains,
            gain: Ramp::new(1.0, rate),
            level: AutoLevel::new(rate, 0),
        };
        unit.take_settings();
        unit
    }
}

/// Whether two settings of one sound make the same response.
fn are_alike(one: &Settings, other: &Settings) -> bool {
    let differ = |id: &str| id != "hold_level" && !one.fixed.agrees(&other.fixed, id);
    one.fixed.sound("sound").is_some() || !table::PARAMS.iter().any(|param| differ(param.id))
}

impl Cabinet {
    /// Goes to the response of its settings, from what it has heard. (Another recorded one takes a
    /// fresh unit.) Whoever runs it fades from what it was.
    fn turn(&mut self) {
        if are_alike(&self.made_of, &self.settings) {
            return;
        }
        self.made_of.clone_from(&self.settings);
        let sound = sound_of(&self.settings, self.rate);
        self.gains = [false, true].map(|held| gain(&sound, &self.settings, held, self.rate));
        self.convolver.turn_to(&sound);
        self.gain.snap_to(self.gains[usize::from(is_held(&self.settings))]);
        self.level.listen_anew();
    }
}

impl Processor for Cabinet {
    fn settings_mut(&mut self) -> &mut Settings {
        &mut self.settings
    }

    fn take_settings(&mut self) {
        self.turn();
        let held = is_held(&self.settings);
        self.gain.glide_to(self.gains[usize::from(held)]);
        self.level.expect(held, 1.0);
    }

    fn fork(&self) -> Box<dyn Processor> {
        Box::new(self.clone())
    }

    fn arrive(&mut self, within_s: f64) {
        self.gain.arrive(within_s);
        self.level.arrive(within_s);
    }

    fn reset(&mut self) {
        self.convolver.reset();
        self.level.reset();
    }

    fn process(&mut self, block: &mut StereoBlock, _key: Option<&StereoBlock>) {
        let mut frames = block.frames();
        let before = frames;
        self.convolver.process(&mut frames);
        for frame in &mut frames {
            let gain = self.gain.next_value();
            *frame = frame.map(|x| gain * x);
        }
        self.level.process(&before, &mut frames);
        block.set_frames(&frames);
    }
}
