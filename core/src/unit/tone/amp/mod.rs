//! `amp`: what an amplifier does to an instrument, without its loudspeaker.
//!
//! Four times the rate in minimum delay. [`load`] is the pick-up with what hangs on it, [`stage`] one triode with what is about it
//! ([`crate::colour::valve`] has its curve), [`network`] the tone controls, [`power`] the power
//! stage; [`voice`] lists how each voice puts them together; [`table`] holds the parameters.

mod load;
mod network;
mod power;
mod stage;
mod table;
mod voice;

use network::{Network, Position};
use power::{Lets, Power};
use stage::{Stage, process_row, scale};
use voice::{Voice, voice};

use crate::dynamics::AutoLevel;
use crate::filter::{FirstOrder, Svf, SvfDesign};
use crate::signal::decibel::db_to_gain;
use crate::signal::math::{Complex, TAU};
use crate::signal::oversample::{Oversampler, Phase};
use crate::signal::ramp::GLIDE_S;
use crate::signal::{Frame, Ramp, StereoBlock, StereoDelay};
use crate::unit::kind::{TAIL_DB, Tail, UnitKind};
use crate::unit::param::Tables;
use crate::unit::processor::Processor;
use crate::unit::settings::{Record, Settings};
use crate::unit::tone::hold::ORDINARY;

/// Volts of a full-scale sample at the input.
const FULL_SCALE_V: f64 = 1.0;
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
    /// What the instrument meets first: its load, and the shape of the voice's input.
    load: Svf,
    shape: Vec<Svf>,
    stages: Vec<Stage>,
    /// Lows that go past the later stages.
    past: Option<FirstOrder>,
    network: Network,
    power: Power,
    input: Ramp,
    drive: Ramp,
    tone: [Ramp; 3],
    presence: Ramp,
    depth: Ramp,
    pushes: Ramp,
    blend: Ramp,
    /// Polarity of the dry sound, and what lets it wait.
    dry: Ramp,
    waits: StereoDelay,
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
            load: Svf::new(load::design(record.number("load"), rate).unwrap_or(SvfDesign::IDENTITY), rate, GLIDE_S),
            shape: voice.shape.iter().map(|section| Svf::new(section.design(rate), rate, GLIDE_S)).collect(),
            stages: voice.stages.iter().map(|spec| Stage::new(*spec, high)).collect(),
            past: (voice.past_hz > 0.0).then(|| FirstOrder::low_pass(voice.past_hz, high)),
            network: Network::new(voice.parts, position(record), high),
            power: Power::new(voice.power, high),
            input: ramp(1.0),
            drive: ramp(1.0),
            tone: ["bass", "middle", "treble"].map(|id| ramp(record.number(id))),
            presence: ramp(0.0),
            depth: ramp(0.0),
            pushes: ramp(voice.polarity()),
            blend: Ramp::new(0.0, rate),
            dry: Ramp::new(1.0, rate),
            waits: StereoDelay::new(dry_frames(table::MOST_DRY_DELAY_MS, rate), 0, rate),
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
            self.run_part(part);
        }
        self.flush();
    }

    /// Up to [`STEP`] frames, in which nothing is turned.
    fn run_part(&mut self, part: &mut [Frame]) {
        let alike = self.alike;
        for frame in &mut *part {
            let input = self.input.next_value();
            *frame = frame.map(|x| input * x);
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
        let (pushes, presence, depth) = (&mut self.pushes, &mut self.presence, &mut self.depth);
        let mut finish = |x: Frame| {
            let push = pushes.next_value();
            let lets = Lets { presence: presence.next_value(), depth: depth.next_value() };
            power.next::<SIDES>(x.map(|x| push * x), lets)
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
        self.past.iter_mut().for_each(FirstOrder::flush);
        self.stages.iter_mut().for_each(Stage::flush);
        self.network.flush();
        self.power.flush();
    }

    /// Response to a soft sound at `angle` radians a sample at the high rate, as it is set.
    fn response(&self, angle: f64) -> Complex {
        let before =
            self.shape.iter().chain([&self.load]).map(|section| section.design().response(FACTOR as f64 * angle));
        let mut h = before.fold(Complex::ONE, Complex::times).scale(self.input.target());
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
        h.scale(self.pushes.target()).times(self.power.response(angle, self.lets()))
    }

    /// What the controls of the power stage are set to let through.
    fn lets(&self) -> Lets {
        Lets { presence: self.presence.target(), depth: self.depth.target() }
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

/// Whole frames of a time in ms.
fn dry_frames(ms: f64, rate: f64) -> usize {
    (ms / 1000.0 * rate).round() as usize
}

impl Processor for Amp {
    fn settings_mut(&mut self) -> &mut Settings {
        &mut self.settings
    }

    fn take_settings(&mut self) {
        let record = &self.settings.fixed;
        self.load.glide_to_or_idle(load::design(record.number("load"), self.rate));
        self.input.glide_to(FULL_SCALE_V * db_to_gain(record.number("input_db")));
        self.drive.glide_to(db_to_gain(record.number("drive_db") + self.voice.drive_from_db));
        for (ramp, id) in self.tone.iter_mut().zip(["bass", "middle", "treble"]) {
            ramp.glide_to(record.number(id));
        }
        self.presence.glide_to(record.number("presence"));
        self.depth.glide_to(record.number("depth"));
        self.pushes.glide_to(self.voice.polarity() * db_to_gain(record.number("power_db")) / self.voice.swing_v);
        self.blend.glide_to(record.number("blend"));
        self.dry.glide_to(if record.is_on("dry_inverted") { -1.0 } else { 1.0 });
        self.waits.set_delay(dry_frames(record.number("dry_delay_ms"), self.rate));
        let on = record.is_on("hold_level");
        let at_1_khz = self.expected(1000.0);
        self.level.set(on, |_| at_1_khz);
    }

    fn fork(&self) -> Box<dyn Processor> {
        Box::new(self.clone())
    }

    fn arrive(&mut self, within_s: f64) {
        let Self { input, drive, presence, depth, pushes, blend, dry, .. } = self;
        for ramp in [input, drive, presence, depth, pushes, blend, dry] {
            ramp.arrive(within_s);
        }
        self.tone.iter_mut().for_each(|x| x.arrive(within_s));
        self.load.arrive(within_s);
        self.level.arrive(within_s);
        if within_s <= 0.0 {
            self.network.turn(position(&self.settings.fixed));
            self.waits.snap();
        }
    }

    fn reset(&mut self) {
        self.over.reset();
        self.load.reset();
        self.shape.iter_mut().for_each(Svf::reset);
        self.waits.reset();
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
        self.shape.iter_mut().for_each(|section| section.process(&mut frames));
        if !self.load.is_idle() {
            self.load.process(&mut frames);
        }
        let mut over = std::mem::take(&mut self.over);
        over.process(&mut frames, |high| self.run(high));
        self.over = over;
        self.level.process(&before, &mut frames);
        self.waits.process(block);
        for (i, wet) in frames.iter().enumerate() {
            let (blend, polarity, dry) = (self.blend.next_value(), self.dry.next_value(), block.frame(i));
            block.set_frame(i, [0, 1].map(|k| wet[k] + blend * (polarity * dry[k] - wet[k])));
        }
    }
}
