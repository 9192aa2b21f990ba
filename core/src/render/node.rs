//! One node of a plan at work: what it gathers, its rack, its place, its fader.

use super::fader::{Fader, SendLevel, apply_gain};
use super::input::InputStage;
use super::plan::{Connection, Entry, Node, Source, Tap};
use crate::rack::{Keys, Rack};
use crate::session::controls::LONGEST_SHIFT_MS;
use crate::session::{Session, Strip};
use crate::signal::{BLOCK, Ramp, StereoBlock, StereoDelay};

/// A connection at work.
pub(super) struct RunningConnection {
    pub(super) plan: Connection,
    /// Level of the send, 1 for others.
    level: SendLevel,
    /// 1 while heard, 0 while something else is listened to alone.
    audible: Ramp,
    /// What it lacks to the latest into the same node, for the life of the mix.
    align: StereoDelay,
}

impl RunningConnection {
    fn new(plan: &Connection, session: &Session, rate: f64) -> Self {
        Self {
            plan: plan.clone(),
            level: SendLevel::new(send_of(session, plan), rate),
            audible: Ramp::new(1.0, rate),
            align: StereoDelay::new(0, 0, rate),
        }
    }

    /// Lets the sound on or holds it back; a key always goes on.
    pub(super) fn hear(&mut self, heard: bool) {
        if self.plan.into == Entry::Sum {
            self.audible.glide_to(if heard { 1.0 } else { 0.0 });
        }
    }

    /// Glides to the level of its send.
    pub(super) fn update(&mut self, session: &Session) {
        if let Some((strip, at)) = send_of(session, &self.plan) {
            self.level.glide_to(strip, at);
        }
    }

    /// `song_frame` is what stands at its beginning.
    fn carry(&mut self, block: &mut StereoBlock, song_frame: i64) {
        self.level.follow(song_frame);
        self.level.apply(block);
        apply_gain(block, &mut self.audible);
        self.align.process(block);
    }
}

/// A node at work.
pub(super) struct RunningNode {
    pub(super) plan: Node,
    /// Holds what is played into it back for the sake of what else arrives.
    source_align: StereoDelay,
    source_audible: Ramp,
    entry: InputStage,
    pub(super) rack: Option<Rack>,
    polarity: Ramp,
    /// Makes the rack late by whole blocks, where values change with the song.
    round: StereoDelay,
    /// The strip's own delay against the others.
    shift: StereoDelay,
    fader: Fader,
    pub(super) connections: Vec<RunningConnection>,
    keys: Keys,
    input: StereoBlock,
    racked: StereoBlock,
    shifted: StereoBlock,
    faded: StereoBlock,
    /// Frames by which the input, and what follows the rack, lag the sources.
    input_latency: usize,
    latency: usize,
    /// Largest magnitude after the fader since last asked.
    pub(super) peak: f32,
}

impl RunningNode {
    /// A node after those it hears, `earlier`: of a mix at rest, or of one that goes on from
    /// another. Then units known in the strip's rack there, `before`, keep their state, and others
    /// begin and settle while the mix runs unheard.
    pub(super) fn new(plan: &Node, session: &Session, rate: f64, earlier: &[Self], before: Option<&Rack>) -> Self {
        let on_grid = session.changes_with_the_song();
        let strip = plan.strip.and_then(|id| session.strip(id));
        let racked = strip.filter(|_| plan.rack);
        let rack = racked.map(|s| match before {
            None => Rack::new(&s.rack, rate),
            Some(before) => Rack::carried(&s.rack, rate, before),
        });
        let key_units = plan.connections.iter().filter_map(|c| match c.into {
            Entry::Key(unit) => Some(unit),
            Entry::Sum => None,
        });
        let longest_shift = (LONGEST_SHIFT_MS / 1000.0 * rate).ceil() as usize;
        let mut node = Self {
            source_align: StereoDelay::new(0, 0, rate),
            source_audible: Ramp::new(1.0, rate),
            entry: InputStage::new(racked, rate),
            rack,
            polarity: Ramp::new(1.0, rate),
            round: StereoDelay::new(0, 0, rate),
            shift: StereoDelay::new(longest_shift, 0, rate),
            fader: Fader::new(strip.filter(|_| plan.fader), rate),
            connections: plan.connections.iter().map(|c| RunningConnection::new(c, session, rate)).collect(),
            keys: Keys::for_units(key_units),
            input: StereoBlock::SILENT,
            racked: StereoBlock::SILENT,
            shifted: StereoBlock::SILENT,
            faded: StereoBlock::SILENT,
            input_latency: 0,
            latency: 0,
            peak: 0.0,
            plan: plan.clone(),
        };
        if let Some(strip) = strip {
            node.shift_as(strip, rate);
        }
        node.align(earlier, on_grid, rate);
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
        self.shift_as(strip, rate);
    }

    fn shift_as(&mut self, strip: &Strip, rate: f64) {
        self.polarity.glide_to(if strip.controls.is_on("inverted") { -1.0 } else { 1.0 });
        let frames = (strip.controls.number("delay_ms") / 1000.0 * rate).round() as usize;
        self.shift.set_delay(frames);
    }

    /// Whether its rack can go to what the session says while it is heard.
    pub(super) fn fits(&self, session: &Session) -> bool {
        let strip = self.plan.strip.and_then(|id| session.strip(id));
        self.rack.as_ref().is_none_or(|rack| strip.is_some_and(|s| rack.fits(&s.rack)))
    }

    /// Ends every glide outside the rack.
    pub(super) fn snap(&mut self) {
        self.source_audible.snap();
        self.entry.snap();
        self.polarity.snap();
        self.shift.snap();
        self.fader.snap();
        for connection in &mut self.connections {
            connection.level.snap();
            connection.audible.snap();
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
            Tap::Shifted => &self.shifted,
            Tap::Faded => &self.faded,
        }
    }

    /// Adds up what arrives: the source and what earlier nodes send on. `song_frame` is where in the
    /// song the sources stand.
    pub(super) fn gather(
        &mut self,
        source: Option<&StereoBlock>,
        before: &[Self],
        song_frame: i64,
        work: &mut StereoBlock,
    ) {
        match source {
            Some(source) => {
                self.input.clone_from(source);
                apply_gain(&mut self.input, &mut self.source_audible);
                self.source_align.process(&mut self.input);
            }
            None => self.input.clear(),
        }
        self.keys.clear();
        for connection in &mut self.connections {
            let from = &before[connection.plan.from];
            work.clone_from(from.at(connection.plan.tap));
            connection.carry(work, song_frame - from.latency_at(connection.plan.tap) as i64);
            match connection.plan.into {
                Entry::Sum => self.input.add(work),
                Entry::Key(unit) => self.keys.add(unit, work),
            }
        }
        self.entry.process(&mut self.input);
    }

    /// Works on what was gathered; `tap` sees the input as 0 and the sound after each
    /// station of the rack. `song_frame` is where in the song the sources stand.
    pub(super) fn run(&mut self, song_frame: i64, tap: impl FnMut(usize, &StereoBlock)) {
        self.racked.clone_from(&self.input);
        if let Some(rack) = &mut self.rack {
            rack.process_tapped(&mut self.racked, &self.keys, song_frame - self.input_latency as i64, tap);
            self.round.process(&mut self.racked);
        }
        self.shifted.clone_from(&self.racked);
        apply_gain(&mut self.shifted, &mut self.polarity);
        self.shift.process(&mut self.shifted);
        self.faded.clone_from(&self.shifted);
        if self.plan.fader {
            self.fader.follow(song_frame - self.latency as i64);
            self.fader.process(&mut self.faded);
            self.peak = self.faded.peak().max(self.peak);
        }
    }

    /// Sets the alignment of what arrives, from the latencies of the nodes before. On the grid of
    /// blocks all that is between racks is late by whole blocks: then values that change with the song
    /// are put at the same frames whatever is played live and whatever is printed.
    fn align(&mut self, before: &[Self], on_grid: bool, rate: f64) {
        let whole = |frames: usize| if on_grid { frames.next_multiple_of(BLOCK) } else { frames };
        let rack = self.rack.as_ref();
        // A key may come as late as its unit stands in the rack.
        let slack = |c: &RunningConnection| match (c.plan.into, rack) {
            (Entry::Key(unit), Some(rack)) => rack.latency_before(unit),
            _ => 0,
        };
        let late = |c: &RunningConnection| before[c.plan.from].latency_at(c.plan.tap);
        let latest = self.connections.iter().map(|c| late(c).saturating_sub(slack(c))).max().unwrap_or(0);
        let latest = whole(latest);
        let lacks: Vec<usize> = self.connections.iter().map(|c| latest + slack(c) - late(c)).collect();
        for (connection, lack) in self.connections.iter_mut().zip(lacks) {
            connection.align = StereoDelay::new(lack, lack, rate);
        }
        self.source_align = StereoDelay::new(latest, latest, rate);
        self.input_latency = latest;
        let own = self.rack.as_ref().map_or(0, Rack::latency);
        self.round = StereoDelay::new(whole(own) - own, whole(own) - own, rate);
        self.latency = latest + whole(own);
    }
}

/// The send of a connection: its strip and its place there.
fn send_of<'a>(session: &'a Session, connection: &Connection) -> Option<(&'a Strip, usize)> {
    let (strip, at) = connection.send?;
    Some((session.strip(strip)?, at))
}
