//! `amp`: what an amplifier does to an instrument, without its loudspeaker.
//!
//! Four times the rate, in linear phase: a dry sound beside it meets nothing but what its own circuits turn. [`load`] is the pick-up with what hangs on it, [`stage`] one triode with what is about it
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
use stage::{Behind, Stage, run_alike, run_apart};
use voice::{Voice, voice};

use crate::dynamics::AutoLevel;
use crate::filter::{FirstOrder, Svf, SvfDesign};
use crate::signal::decibel::db_to_gain;
use crate::signal::math::{Complex, TAU};
use crate::signal::oversample::{self, Oversampler};
use crate::signal::ramp::GLIDE_S;
use crate::signal::{BLOCK, Frame, Ramp, StereoBlock, StereoDelay};
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
    latency: |_, rate| latency(rate),
    // What its capacitors hold falls by 8.7 dB in each of their time constants, and is amplified
    // on its way out by up to 80 dB.
    tail: |_, rate| Tail::Frames(((80.0 - TAIL_DB) / 8.686 * SLOWEST_S * rate) as usize),
    response,
    linear: |_| false,
    reduces: false,
    holds_level: false,
    transfer: None,
    takes_key: false,
    regions: None,
};

fn response(settings: &Settings, rate: f64, freqs: &[f64]) -> Vec<Complex> {
    let amp = Amp::new(settings, rate);
    freqs.iter().map(|hz| amp.response(TAU * hz / amp.high_rate())).collect()
}

fn position(record: &Record) -> Position {
    Position { bass: record.number("bass"), middle: record.number("middle"), treble: record.number("treble") }
}

/// What is among and behind the stages, taken out of the amplifier while they run, so that it stays in registers.
struct Circuit<'a, const SIDES: usize> {
    tone_is_early: bool,
    past: Option<FirstOrder>,
    /// What goes past the later stages, by frame; not a part of it, as a row that is reached into has to lie in memory
    /// with all that is beside it.
    gone_past: &'a mut [Frame; FACTOR * BLOCK],
    network: Network,
    power: Power,
    drive: Ramp,
    pushes: Ramp,
    presence: Ramp,
    depth: Ramp,
}

impl<const SIDES: usize> Behind for Circuit<'_, SIDES> {
    #[inline(always)] // in the innermost loop, as what follows
    fn the_first(&mut self, at: usize, frame: Frame) -> Frame {
        if let Some(low) = &mut self.past {
            self.gone_past[at] = low.next(frame);
        }
        let toned = if self.tone_is_early { self.network.next(frame) } else { frame };
        let gain = self.drive.next_value();
        toned.map(|x| gain * x)
    }

    #[inline(always)]
    fn the_last(&mut self, at: usize, frame: Frame) -> Frame {
        let past = if self.past.is_some() { self.gone_past[at] } else { [0.0; 2] };
        let whole = [frame[0] + past[0], frame[1] + past[1]];
        let toned = if self.tone_is_early { whole } else { self.network.next(whole) };
        let push = self.pushes.next_value();
        let lets = Lets { presence: self.presence.next_value(), depth: self.depth.next_value() };
        self.power.next::<SIDES>(toned.map(|x| push * x), lets)
    }
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
            over: Oversampler::new(FACTOR, rate),
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
            waits: StereoDelay::new(latency(rate) + dry_frames(table::MOST_DRY_DELAY_MS, rate), latency(rate), rate),
            level: AutoLevel::of_flattened(rate, latency(rate)),
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
        for frame in &mut *frames {
            let input = self.input.next_value();
            *frame = frame.map(|x| input * x);
        }
        if self.tone.iter().all(Ramp::at_rest) {
            self.run_part(frames);
        } else {
            for part in frames.chunks_mut(STEP) {
                let [bass, middle, treble] = self.tone.each_mut().map(|ramp| advanced(ramp, part.len()));
                self.network.turn(Position { bass, middle, treble });
                self.run_part(part);
            }
        }
        self.flush();
    }

    /// Frames in which nothing is turned.
    fn run_part(&mut self, part: &mut [Frame]) {
        if self.alike {
            self.run_sides::<1>(part);
            self.power.copy_left();
        } else {
            self.run_sides::<2>(part);
        }
    }

    /// The stages and what is among and behind them, on the first `SIDES` sides.
    fn run_sides<const SIDES: usize>(&mut self, part: &mut [Frame]) {
        let mut gone_past = [[0.0; 2]; FACTOR * BLOCK];
        let mut circuit = Circuit::<SIDES> {
            tone_is_early: self.voice.tone_after == 1,
            past: self.past,
            gone_past: &mut gone_past,
            network: self.network,
            power: self.power,
            drive: self.drive,
            pushes: self.pushes,
            presence: self.presence,
            depth: self.depth,
        };
        if SIDES == 1 {
            run_alike(&mut self.stages, part, &mut circuit);
        } else {
            run_apart(&mut self.stages, part, &mut circuit);
        }
        (self.past, self.network, self.power) = (circuit.past, circuit.network, circuit.power);
        (self.drive, self.pushes) = (circuit.drive, circuit.pushes);
        (self.presence, self.depth) = (circuit.presence, circuit.depth);
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

/// Frames by which it is late.
fn latency(rate: f64) -> usize {
    oversample::latency(FACTOR, rate)
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
        self.waits.set_delay(latency(self.rate) + dry_frames(record.number("dry_delay_ms"), self.rate));
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
