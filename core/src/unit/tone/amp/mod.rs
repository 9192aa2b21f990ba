//! `amp`: what an amplifier does to an instrument, without its loudspeaker.
//!
//! Four times the rate in minimum delay. [`stage`] is one triode with what is about it
//! ([`crate::colour::valve`] has its curve), [`network`] the tone controls, [`power`] the power
//! stage; [`voice`] lists how each voice puts them together; [`table`] holds the parameters.

mod network;
mod power;
mod stage;
mod table;
mod voice;

use network::{Network, Position};
use power::Power;
use stage::{Stage, process_row, scale};
use voice::{Voice, voice};

use crate::dynamics::AutoLevel;
use crate::filter::FirstOrder;
use crate::signal::decibel::db_to_gain;
use crate::signal::math::{Complex, TAU, pow};
use crate::signal::oversample::{Oversampler, Phase};
use crate::signal::{Frame, Ramp, StereoBlock};
use crate::unit::kind::{TAIL_DB, Tail, UnitKind};
use crate::unit::param::Tables;
use crate::unit::processor::Processor;
use crate::unit::settings::{Record, Settings};
use crate::unit::tone::hold::ORDINARY;

/// Volts of a full-scale sample at the input.
const FULL_SCALE_V: f64 = 1.0;
/// Load: where the top of the instrument falls, from the left of the control to its right.
const LOAD_HZ: (f64, f64) = (2500.0, 24_000.0);
/// Times the rate at which it works. Stages average their curve between samples; without that it
/// took eight for the same freedom from aliases.
const FACTOR: usize = 4;
/// Frames between two steps of the tone controls while they move.
const STEP: usize = 64;
/// Slowest time constant of what it holds, in seconds: a supply.
const SLOWEST_S: f64 = 0.16;

/// The catalogue entry.
pub const KIND: UnitKind = UnitKind {
    id: "amp",
    name: "Amp",
    about: "Plays a guitar, a bass or keys through valves: gain, tone controls, a power stage that gives way.",
    picture: "harmonics",
    tables: Tables { params: table::PARAMS, lists: &[] },
    build: |settings, rate| Box::new(Amp::new(settings, rate)),
    latency: |_, _| 0,
    // What its capacitors hold falls by 8.7 dB in each of their time constants, and is amplified
    // on its way out by up to 80 dB.
    tail: |_, rate| Tail::Frames(((80.0 - TAIL_DB) / 8.686 * SLOWEST_S * rate) as usize),
    response,
    linear: |_| false,
    reduces: false,
    transfer: None,
    takes_key: false,
    listen: None,
};

fn response(settings: &Settings, rate: f64, freqs: &[f64]) -> Vec<Complex> {
    let amp = Amp::new(settings, rate);
    freqs.iter().map(|hz| amp.response(TAU * hz / amp.high_rate())).collect()
}

fn position(record: &Record) -> Position {
    Position { bass: record.number("bass"), middle: record.number("middle"), treble: record.number("treble") }
}

/// The running amplifier.
#[derive(Clone)]
struct Amp {
    rate: f64,
    settings: Settings,
    voice: &'static Voice,
    over: Oversampler,
    load: FirstOrder,
    loaded: Ramp,
    stages: Vec<Stage>,
    /// Lows that go past the later stages.
    past: Option<FirstOrder>,
    network: Network,
    power: Power,
    input: Ramp,
    drive: Ramp,
    tone: [Ramp; 3],
    presence: Ramp,
    pushes: Ramp,
    blend: Ramp,
    level: AutoLevel,
    /// Whether both sides have been the same ever since it was at rest, as of one microphone.
    alike: bool,
}

impl Amp {
    fn new(settings: &Settings, rate: f64) -> Self {
        let record = &settings.fixed;
        let voice = voice(record.choice("voice"));
        let high = FACTOR as f64 * rate;
        let ramp = |value: f64| Ramp::new(value, high);
        let mut amp = Self {
            rate,
            settings: settings.clone(),
            voice,
            over: Oversampler::new(FACTOR, Phase::Minimum, rate),
            load: FirstOrder::low_pass(load_hz(record.number("load")), high),
            loaded: ramp(record.number("load")),
            stages: voice.stages.iter().map(|spec| Stage::new(*spec, high)).collect(),
            past: (voice.past_hz > 0.0).then(|| FirstOrder::low_pass(voice.past_hz, high)),
            network: Network::new(voice.parts, position(record), high),
            power: Power::new(voice.power, high),
            input: ramp(1.0),
            drive: ramp(1.0),
            tone: ["bass", "middle", "treble"].map(|id| ramp(record.number(id))),
            presence: ramp(0.0),
            pushes: ramp(1.0),
            blend: Ramp::new(0.0, rate),
            level: AutoLevel::of_flattened(rate, 0),
            alike: true,
        };
        amp.take_settings();
        amp.snap();
        amp
    }

    fn high_rate(&self) -> f64 {
        FACTOR as f64 * self.rate
    }

    /// A stretch at the high rate.
    fn run(&mut self, frames: &mut [Frame]) {
        for part in frames.chunks_mut(STEP) {
            if self.tone.iter().any(|ramp| !ramp.at_rest()) {
                let [bass, middle, treble] = self.tone.each_mut().map(|ramp| advanced(ramp, part.len()));
                self.network.turn(Position { bass, middle, treble });
            }
            if !self.loaded.at_rest() {
                let position = advanced(&mut self.loaded, part.len());
                self.load.retune(&FirstOrder::low_pass(load_hz(position), FACTOR as f64 * self.rate));
            }
            self.run_part(part);
        }
        self.flush();
    }

    /// Up to [`STEP`] frames, in which nothing is turned.
    fn run_part(&mut self, part: &mut [Frame]) {
        let alike = self.alike;
        for frame in &mut *part {
            let input = self.input.next_value();
            *frame = self.load.next(frame.map(|x| input * x));
        }
        if alike {
            self.run_row::<1>(part);
            self.power.copy_left();
        } else {
            self.run_row::<2>(part);
        }
    }

    /// The stages, the tone controls among or after them, and the power stage, on the first `SIDES` sides.
    fn run_row<const SIDES: usize>(&mut self, part: &mut [Frame]) {
        let mut straight = Ramp::new(1.0, self.rate);
        // Here and not in `self`, so that they stay in registers.
        let (mut network, mut power) = (self.network, self.power);
        let (pushes, presence) = (&mut self.pushes, &mut self.presence);
        let mut finish = |x: Frame| {
            let push = pushes.next_value();
            power.next::<SIDES>(x.map(|x| push * x), presence.next_value())
        };
        let (before, after) = self.stages.split_at_mut(self.voice.tone_after);
        if let Some(low) = &mut self.past {
            // Its lows go past all but the first.
            let (first, rest) = before.split_at_mut(1);
            let mut past = [[0.0; 2]; STEP];
            process_row::<SIDES>(first, part, &mut straight, |at, x| {
                past[at] = low.next(x);
                x
            });
            scale(part, &mut self.drive);
            let sum = |at: usize, x: Frame| [x[0] + past[at][0], x[1] + past[at][1]];
            process_row::<SIDES>(rest, part, &mut straight, |at, x| finish(network.next(sum(at, x))));
        } else if after.is_empty() {
            process_row::<SIDES>(before, part, &mut self.drive, |_, x| finish(network.next(x)));
        } else {
            process_row::<SIDES>(before, part, &mut straight, |_, x| network.next(x));
            scale(part, &mut self.drive);
            process_row::<SIDES>(after, part, &mut straight, |_, x| finish(x));
        }
        (self.network, self.power) = (network, power);
    }

    fn flush(&mut self) {
        self.load.flush();
        self.past.iter_mut().for_each(FirstOrder::flush);
        self.stages.iter_mut().for_each(Stage::flush);
        self.network.flush();
        self.power.flush();
    }

    /// Response to a soft sound at `angle` radians a sample at the high rate, as it is set.
    fn response(&self, angle: f64) -> Complex {
        let mut h = self.load.response(angle).scale(self.input.target());
        let mut past = Complex::new(0.0, 0.0);
        for (n, stage) in self.stages.iter().enumerate() {
            if n == 1
                && let Some(low) = &self.past
            {
                past = h.times(low.response(angle));
            }
            h = h.times(stage.response(angle)).scale(if n == 1 { self.drive.target() } else { 1.0 });
            if n + 1 == self.voice.tone_after {
                h = h.plus(past).times(self.network.response(angle));
            }
        }
        h.scale(self.pushes.target()).times(self.power.response(angle, self.presence.target()))
    }

    /// Power gain to be expected of a sound at an ordinary level: that of a soft one, as far as
    /// the swing of the power stage lets it.
    fn expected(&self, hz: f64) -> f64 {
        let soft = self.response(TAU * hz / self.high_rate()).norm_sqr();
        soft / (1.0 + soft * ORDINARY * ORDINARY)
    }
}

/// Value of a ramp so many frames on.
fn advanced(ramp: &mut Ramp, frames: usize) -> f64 {
    (1..frames).for_each(|_| {
        ramp.next_value();
    });
    ramp.next_value()
}

fn load_hz(position: f64) -> f64 {
    let (left, right) = LOAD_HZ;
    left * pow(right / left, position)
}

impl Processor for Amp {
    fn settings_mut(&mut self) -> &mut Settings {
        &mut self.settings
    }

    fn take_settings(&mut self) {
        let record = &self.settings.fixed;
        self.loaded.glide_to(record.number("load"));
        self.input.glide_to(FULL_SCALE_V * db_to_gain(record.number("input_db")));
        self.drive.glide_to(db_to_gain(record.number("drive_db") + self.voice.drive_from_db));
        for (ramp, id) in self.tone.iter_mut().zip(["bass", "middle", "treble"]) {
            ramp.glide_to(record.number(id));
        }
        self.presence.glide_to(record.number("presence"));
        self.pushes.glide_to(db_to_gain(record.number("power_db")) / self.voice.swing_v);
        self.blend.glide_to(record.number("blend"));
        let on = record.is_on("hold_level");
        let at_1_khz = self.expected(1000.0);
        self.level.set(on, |_| at_1_khz);
    }

    fn fork(&self) -> Box<dyn Processor> {
        Box::new(self.clone())
    }

    fn arrive(&mut self, within_s: f64) {
        for ramp in [&mut self.input, &mut self.drive, &mut self.presence, &mut self.pushes, &mut self.blend] {
            ramp.arrive(within_s);
        }
        self.tone.iter_mut().for_each(|x| x.arrive(within_s));
        self.loaded.arrive(within_s);
        self.level.arrive(within_s);
        if within_s <= 0.0 {
            self.network.turn(position(&self.settings.fixed));
            self.load.retune(&FirstOrder::low_pass(load_hz(self.loaded.value()), self.high_rate()));
        }
    }

    fn reset(&mut self) {
        self.over.reset();
        self.load.reset();
        self.past.iter_mut().for_each(FirstOrder::reset);
        self.stages.iter_mut().for_each(Stage::reset);
        self.network.reset();
        self.power.reset();
        self.level.reset();
        self.alike = true;
    }

    fn process(&mut self, block: &mut StereoBlock, _key: Option<&StereoBlock>) {
        let mut frames = block.frames();
        let before = frames;
        self.alike &= frames.iter().all(|[left, right]| left == right);
        let mut over = std::mem::take(&mut self.over);
        over.process(&mut frames, |high| self.run(high));
        self.over = over;
        self.level.process(&before, &mut frames);
        for (i, (wet, dry)) in frames.iter().zip(&before).enumerate() {
            let blend = self.blend.next_value();
            block.set_frame(i, [0, 1].map(|k| wet[k] + blend * (dry[k] - wet[k])));
        }
    }
}
