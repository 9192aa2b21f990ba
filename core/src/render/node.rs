//! One node of a plan at work: what it gathers, its rack, its place, its fader.

use super::fader::{Fader, apply_gain};
use super::input::InputStage;
use super::plan::{Into, Node, Source, Tap, Wire};
use crate::rack::{Keys, Rack};
use crate::session::document::OFF_DB;
use crate::session::{Session, Strip};
use crate::signal::decibel::db_to_gain;
use crate::signal::{Ramp, StereoBlock, StereoDelay};

/// Room for alignment from the start, in seconds; grown when a rack needs more.
const ALIGN_ROOM_S: f64 = 0.02;

/// A wire at work.
pub(super) struct RunningWire {
    pub(super) plan: Wire,
    /// Level of the send, 1 for other wires.
    gain: Ramp,
    /// 1 while heard, 0 while something else is listened to alone.
    audible: Ramp,
    align: StereoDelay,
}

impl RunningWire {
    fn new(plan: &Wire, session: &Session, rate: f64) -> Self {
        Self {
            plan: plan.clone(),
            gain: Ramp::new(send_gain(session, plan), rate),
            audible: Ramp::new(1.0, rate),
            align: delay(rate),
        }
    }

    /// Lets the sound on or holds it back; a key always goes on.
    pub(super) fn hear(&mut self, heard: bool) {
        if self.plan.into == Into::Sum {
            self.audible.glide_to(if heard { 1.0 } else { 0.0 });
        }
    }

    /// Glides to the level of its send.
    pub(super) fn update(&mut self, session: &Session) {
        self.gain.glide_to(send_gain(session, &self.plan));
    }

    fn carry(&mut self, block: &mut StereoBlock) {
        apply_gain(block, &mut self.gain);
        apply_gain(block, &mut self.audible);
        self.align.process(block);
    }
}

/// A node at work.
pub(super) struct RunningNode {
    pub(super) plan: Node,
    /// Holds what is played into it back for its wires' sake.
    source_align: StereoDelay,
    source_audible: Ramp,
    entry: InputStage,
    pub(super) rack: Option<Rack>,
    polarity: Ramp,
    /// The strip's own delay against the others.
    shift: StereoDelay,
    fader: Fader,
    pub(super) wires: Vec<RunningWire>,
    keys: Keys,
    input: StereoBlock,
    racked: StereoBlock,
    placed: StereoBlock,
    faded: StereoBlock,
    /// Frames by which the input, and what follows the rack, lag the sources.
    input_latency: usize,
    latency: usize,
    /// Largest magnitude after the fader since last asked.
    pub(super) peak: f32,
}

impl RunningNode {
    pub(super) fn new(plan: &Node, session: &Session, rate: f64) -> Self {
        let strip = plan.strip.and_then(|id| session.strip(id));
        let rack = strip.filter(|_| plan.rack).map(|s| Rack::new(&s.rack, rate));
        let key_units = plan.wires.iter().filter_map(|w| match w.into {
            Into::Key(unit) => Some(unit),
            Into::Sum => None,
        });
        let mut node = Self {
            source_align: delay(rate),
            source_audible: Ramp::new(1.0, rate),
            entry: InputStage::new(strip.filter(|_| plan.rack), rate),
            rack,
            polarity: Ramp::new(1.0, rate),
            shift: delay(rate),
            fader: Fader::new(strip.filter(|_| plan.fader), rate),
            wires: plan.wires.iter().map(|w| RunningWire::new(w, session, rate)).collect(),
            keys: Keys::for_units(key_units),
            input: StereoBlock::SILENT,
            racked: StereoBlock::SILENT,
            placed: StereoBlock::SILENT,
            faded: StereoBlock::SILENT,
            input_latency: 0,
            latency: 0,
            peak: 0.0,
            plan: plan.clone(),
        };
        if let Some(strip) = strip {
            node.place_as(strip, rate);
        }
        node.snap();
        node
    }

    /// Takes over what changed in its strip.
    pub(super) fn update(&mut self, strip: &Strip, rate: f64) {
        if let Some(rack) = &mut self.rack {
            rack.update(&strip.rack);
            self.entry.glide_to(strip);
        }
        if self.plan.fader {
            self.fader.glide_to(strip);
        }
        self.place_as(strip, rate);
    }

    fn place_as(&mut self, strip: &Strip, rate: f64) {
        self.polarity.glide_to(if strip.controls.is_on("inverted") { -1.0 } else { 1.0 });
        let frames = (strip.controls.number("delay_ms") / 1000.0 * rate).round() as usize;
        set_delay(&mut self.shift, frames, rate);
    }

    pub(super) fn snap(&mut self) {
        self.source_align.snap();
        self.source_audible.snap();
        self.entry.snap();
        self.polarity.snap();
        self.shift.snap();
        self.fader.snap();
        for wire in &mut self.wires {
            wire.gain.snap();
            wire.audible.snap();
            wire.align.snap();
        }
    }

    /// Whether what is played into it is the printed rest of what flows into its strip.
    fn source_is_rest(&self) -> bool {
        self.plan.rack && matches!(self.plan.source, Some(Source::Into { .. }))
    }

    /// Lets the printed rest on or holds it back.
    pub(super) fn hear_rest(&mut self, heard: bool) {
        let on = heard || !self.source_is_rest();
        self.source_audible.glide_to(if on { 1.0 } else { 0.0 });
    }

    /// Frames by which a tap lags the sources.
    pub(super) fn latency_at(&self, tap: Tap) -> usize {
        if tap == Tap::Input { self.input_latency } else { self.latency }
    }

    /// The sound at a tap after the last block.
    pub(super) fn at(&self, tap: Tap) -> &StereoBlock {
        match tap {
            Tap::Input => &self.input,
            Tap::Racked => &self.racked,
            Tap::Placed => &self.placed,
            Tap::Faded => &self.faded,
        }
    }

    /// Adds up what arrives: the source and the wires from earlier nodes.
    pub(super) fn gather(&mut self, source: Option<&StereoBlock>, before: &[Self], work: &mut StereoBlock) {
        match source {
            Some(source) => {
                self.input.clone_from(source);
                apply_gain(&mut self.input, &mut self.source_audible);
                self.source_align.process(&mut self.input);
            }
            None => self.input.clear(),
        }
        self.keys.clear();
        for wire in &mut self.wires {
            work.clone_from(before[wire.plan.from].at(wire.plan.tap));
            wire.carry(work);
            match wire.plan.into {
                Into::Sum => self.input.add(work),
                Into::Key(unit) => self.keys.add(unit, work),
            }
        }
        self.entry.process(&mut self.input);
    }

    /// Works on what was gathered; `tap` sees the input as 0 and the sound after each
    /// station of the rack.
    pub(super) fn run(&mut self, tap: impl FnMut(usize, &StereoBlock)) {
        self.racked.clone_from(&self.input);
        if let Some(rack) = &mut self.rack {
            rack.process_tapped(&mut self.racked, &self.keys, tap);
        }
        self.placed.clone_from(&self.racked);
        apply_gain(&mut self.placed, &mut self.polarity);
        self.shift.process(&mut self.placed);
        self.faded.clone_from(&self.placed);
        if self.plan.fader {
            self.fader.process(&mut self.faded);
            self.peak = self.faded.peak().max(self.peak);
        }
    }

    /// Sets the alignment of what arrives, from the latencies of the nodes before.
    pub(super) fn align(&mut self, before: &[Self], rate: f64) {
        let rack = self.rack.as_ref();
        // A key may come as late as its unit stands in the rack.
        let slack = |wire: &RunningWire| match (wire.plan.into, rack) {
            (Into::Key(unit), Some(rack)) => rack.latency_before(unit),
            _ => 0,
        };
        let late = |wire: &RunningWire| before[wire.plan.from].latency_at(wire.plan.tap);
        let latest = self.wires.iter().map(|w| late(w).saturating_sub(slack(w))).max().unwrap_or(0);
        let lacks: Vec<usize> = self.wires.iter().map(|w| latest + slack(w) - late(w)).collect();
        for (wire, lack) in self.wires.iter_mut().zip(lacks) {
            set_delay(&mut wire.align, lack, rate);
        }
        set_delay(&mut self.source_align, latest, rate);
        self.input_latency = latest;
        self.latency = latest + self.rack.as_ref().map_or(0, Rack::latency);
    }
}

fn delay(rate: f64) -> StereoDelay {
    StereoDelay::new((ALIGN_ROOM_S * rate) as usize, 0, rate)
}

/// Sets a delay, making room first where it has too little.
fn set_delay(line: &mut StereoDelay, frames: usize, rate: f64) {
    line.set_delay(frames);
    if line.delay() != frames {
        *line = StereoDelay::new(frames, frames, rate);
    }
}

/// Factor of a wire: its send's level, 0 where that is off or its strip is muted.
fn send_gain(session: &Session, wire: &Wire) -> f64 {
    let Some((strip, at)) = wire.send else { return 1.0 };
    let Some(strip) = session.strip(strip) else { return 0.0 };
    match strip.sends.get(at) {
        Some(send) if send.level_db > OFF_DB && !strip.controls.is_on("muted") => db_to_gain(send.level_db),
        _ => 0.0,
    }
}
