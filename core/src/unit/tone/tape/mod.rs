//! `tape`: a recording and its playback.
//!
//! The highs are lifted by the recording equalisation, the tape follows the field with a memory
//! ([`crate::colour::hysteresis`]), the lift is taken back, the head loses some of the top and
//! lifts a region of the lows ([`machine`]). Highs fill the tape first, so that their loss grows
//! with level. Twice the rate in linear phase.

mod machine;
mod table;

use machine::Machine;

use crate::colour::Magnet;
use crate::colour::bend::Straighten;
use crate::colour::hysteresis::Follows;
use crate::dynamics::AutoLevel;
use crate::filter::FirstOrder;
use crate::filter::equaliser::{self, Equaliser};
use crate::filter::fir::ShortFir;
use crate::signal::decibel::db_to_gain;
use crate::signal::math::{Complex, TAU};
use crate::signal::oversample::{self, Oversampler};
use crate::signal::ramp::GLIDE_S;
use crate::signal::{BLOCK, Ramp, StereoBlock};
use crate::unit::kind::{TAIL_DB, Tail, UnitKind};
use crate::unit::param::Tables;
use crate::unit::processor::Processor;
use crate::unit::settings::Settings;
use crate::unit::tone::hold::kept;

/// Times the rate at which the tape follows.
const FACTOR: usize = 2;

/// The catalogue entry.
pub const KIND: UnitKind = UnitKind {
    id: "tape",
    name: "Tape",
    about: "Rounds peaks as a tape does: highs first, lows lifted a little, nothing cut.",
    picture: "harmonics",
    tables: Tables { params: table::PARAMS, lists: &[] },
    build: |settings, rate| Box::new(Tape::new(settings, rate)),
    latency: |_, rate| oversample::latency(FACTOR, rate),
    tail,
    response,
    linear: |_| false,
    reduces: false,
    holds_level: false,
    transfer: None,
    takes_key: false,
    regions: None,
};

/// Most that is lifted and given back in level, in dB.
const MOST_LIFTED_DB: f64 = 60.0;
/// Seconds until what the tape holds has been shaken off to the end of a tail.
const SHAKEN_S: f64 = 0.4;

fn tail(settings: &Settings, rate: f64) -> Tail {
    let lows = equaliser::decay(&Machine::of(settings).lows(), rate, MOST_LIFTED_DB - TAIL_DB);
    Tail::Frames(lows + (SHAKEN_S * rate) as usize + 2 * oversample::latency(FACTOR, rate) + BLOCK)
}

fn response(settings: &Settings, rate: f64, freqs: &[f64]) -> Vec<Complex> {
    let machine = Machine::of(settings);
    let head = machine.head(rate);
    let lows = equaliser::response(&machine.lows(), rate, freqs);
    let at =
        |(h, hz): (Complex, &f64)| h.times(ShortFir::response(&head, TAU * hz / rate)).times(machine.follows.soft(*hz));
    lows.into_iter().zip(freqs).map(at).collect()
}

/// The running tape.
#[derive(Clone)]
struct Tape {
    rate: f64,
    settings: Settings,
    machine: Machine,
    over: Oversampler,
    before: FirstOrder,
    after: FirstOrder,
    magnet: Magnet,
    straight: Straighten,
    drive: Ramp,
    reversible: Ramp,
    head: ShortFir,
    lows: Equaliser<3>,
    level: AutoLevel,
}

impl Tape {
    fn new(settings: &Settings, rate: f64) -> Self {
        let (machine, high) = (Machine::of(settings), FACTOR as f64 * rate);
        let before = machine.recording(high);
        let mut tape = Self {
            rate,
            settings: settings.clone(),
            machine,
            over: Oversampler::new(FACTOR, rate),
            after: before.inverse(),
            before,
            magnet: Magnet::new(high),
            straight: Straighten::default(),
            drive: Ramp::new(1.0, high),
            reversible: Ramp::new(machine.follows.reversible, high),
            head: ShortFir::new(machine.head(rate), rate, GLIDE_S),
            lows: Equaliser::new(&machine.lows(), rate),
            level: AutoLevel::of_flattened(rate, oversample::latency(FACTOR, rate)),
        };
        tape.take_settings();
        tape.drive.snap();
        tape
    }
}

impl Processor for Tape {
    fn settings_mut(&mut self) -> &mut Settings {
        &mut self.settings
    }

    fn take_settings(&mut self) {
        self.machine = Machine::of(&self.settings);
        let recording = self.machine.recording(FACTOR as f64 * self.rate);
        self.before.retune(&recording);
        self.after.retune(&recording.inverse());
        let drive = self.machine.into * db_to_gain(self.settings.fixed.number("input_db"));
        self.drive.glide_to(drive);
        self.reversible.glide_to(self.machine.follows.reversible);
        self.head.glide_to(self.machine.head(self.rate));
        self.lows.glide_to(&self.machine.lows());
        // Langevin's curve is straight three times as far as the field it is in units of.
        self.level.set(self.settings.fixed.is_on("hold_level"), |_| kept(drive / 3.0));
    }

    fn fork(&self) -> Box<dyn Processor> {
        Box::new(self.clone())
    }

    fn arrive(&mut self, within_s: f64) {
        self.drive.arrive(within_s);
        self.reversible.arrive(within_s);
        self.head.arrive(within_s);
        self.lows.arrive(within_s);
        self.level.arrive(within_s);
    }

    fn reset(&mut self) {
        self.over.reset();
        self.before.reset();
        self.after.reset();
        self.magnet.reset();
        self.straight = Straighten::default();
        self.head.reset();
        self.lows.reset();
        self.level.reset();
    }

    fn process(&mut self, block: &mut StereoBlock, _key: Option<&StereoBlock>) {
        let mut frames = block.frames();
        let heard = frames;
        let Self { over, before, after, magnet, straight, drive, reversible, machine, .. } = self;
        over.process(&mut frames, |high| {
            for frame in high.iter_mut() {
                let gain = drive.next_value();
                let follows = Follows { reversible: reversible.next_value(), ..machine.follows };
                let field = before.next(frame.map(|x| gain * x));
                *frame = after.next(straight.next(magnet.next(field, follows))).map(|m| m / gain);
            }
            before.flush();
            after.flush();
            magnet.flush();
            straight.flush();
        });
        self.head.process(&mut frames);
        self.lows.process(&mut frames);
        self.level.process(&heard, &mut frames);
        block.set_frames(&frames);
    }
}
