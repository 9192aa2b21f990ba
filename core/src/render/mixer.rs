//! Runs a plan block by block.
//!
//! Paths that meet are aligned: every connection is delayed by what it lacks to the latest
//! one into the same node, and keys to the unit they drive, so that a lookahead on
//! one track moves nothing against the rest.
//!
//! Latencies and alignment are those of a mix for its life. What changes them, or the row of a
//! rack, takes another mix that goes on from this one ([`Mixer::carried`]).

use super::node::{RunningConnection, RunningNode};
use super::plan::{Plan, Tap};
use crate::rack::{Rack, RackSpec};
use crate::session::Session;
use crate::signal::StereoBlock;

/// Time in seconds that a fresh unit needs to settle: a linear-phase kernel is made in 13 blocks
/// and faded in over 8, a cut at 70 Hz has passed several periods.
const SETTLE_S: f64 = 0.1;

/// A running mix.
pub struct Mixer {
    rate: f64,
    /// Whether its nodes are late by whole blocks, since values change with the song.
    on_grid: bool,
    nodes: Vec<RunningNode>,
    out: Tap,
    focus: Option<usize>,
    work: StereoBlock,
}

impl Mixer {
    /// A mix at rest.
    #[must_use]
    pub fn new(plan: &Plan, session: &Session) -> Self {
        Self::build(plan, session, None)
    }

    /// A mix of the same song in another shape: units that are in both keep their state, others
    /// begin and settle by themselves within [`Self::settling_frames`].
    #[must_use]
    pub fn carried(plan: &Plan, session: &Session, before: &Self) -> Self {
        Self::build(plan, session, Some(&before.nodes))
    }

    fn build(plan: &Plan, session: &Session, before: Option<&[RunningNode]>) -> Self {
        let rate = f64::from(session.rate);
        let none = Rack::new(&RackSpec::default(), rate);
        let mut nodes: Vec<RunningNode> = Vec::with_capacity(plan.nodes.len());
        for node in &plan.nodes {
            let rack = before.map(|before| rack_of(before, node.strip).unwrap_or(&none));
            nodes.push(RunningNode::new(node, session, rate, &nodes, rack));
        }
        Self {
            rate,
            on_grid: session.changes_with_the_song(),
            nodes,
            out: plan.out,
            focus: plan.focus,
            work: StereoBlock::SILENT,
        }
    }

    /// Whether it can go to what the session says while it is heard: no rack has another row
    /// or another lateness.
    #[must_use]
    pub fn fits(&self, session: &Session) -> bool {
        self.on_grid == session.changes_with_the_song() && self.nodes.iter().all(|node| node.fits(session))
    }

    /// Frames a mix that goes on from another has to run before it sounds as it should: its
    /// delays are full, kernels are made, filters have settled.
    #[must_use]
    pub fn settling_frames(&self) -> usize {
        self.latency() + (SETTLE_S * self.rate) as usize
    }

    /// Takes over what changed in one strip; it glides there.
    pub fn update(&mut self, session: &Session, strip: u32) {
        let Some(changed) = session.strip(strip) else { return };
        for node in &mut self.nodes {
            if node.plan.strip == Some(strip) {
                node.update(changed, self.rate);
            }
            let own = |c: &&mut RunningConnection| c.plan.send.is_some_and(|(from, _)| from == strip);
            node.connections.iter_mut().filter(own).for_each(|c| c.update(session));
        }
    }

    /// Frees what has faded out and takes what had to wait; to be called now and then off the
    /// audio path.
    pub fn catch_up(&mut self) {
        self.nodes.iter_mut().filter_map(|n| n.rack.as_mut()).for_each(Rack::catch_up);
    }

    /// Lets only the sound of these strips on (see [`crate::session::routing::heard_with`]);
    /// everything when there is no list. Keys are heard by their units all the same.
    pub fn hear_only(&mut self, strips: Option<&[u32]>) {
        let heard: Vec<bool> = self
            .nodes
            .iter()
            .map(|n| n.plan.strip.is_none_or(|id| strips.is_none_or(|list| list.contains(&id))))
            .collect();
        let focus = self.focus;
        for (i, node) in self.nodes.iter_mut().enumerate() {
            for connection in &mut node.connections {
                connection.hear(heard[connection.plan.from]);
            }
            node.hear_rest(strips.is_none() || focus == Some(i));
        }
    }

    /// Ends every glide outside the racks at once, for a start from rest.
    pub fn snap(&mut self) {
        self.nodes.iter_mut().for_each(RunningNode::snap);
    }

    /// Frames by which the output lags the sources.
    #[must_use]
    pub fn latency(&self) -> usize {
        self.nodes.last().map_or(0, |n| n.latency_at(self.out))
    }

    /// Strip, latency at its rack's input and at its output, in frames, for every strip
    /// of the mix.
    #[must_use]
    pub fn latencies(&self) -> Vec<(u32, usize, usize)> {
        let of = |n: &RunningNode| Some((n.plan.strip?, n.latency_at(Tap::Input), n.latency_at(Tap::Faded)));
        self.nodes.iter().filter_map(of).collect()
    }

    /// Number of sources.
    #[must_use]
    pub fn lane_count(&self) -> usize {
        self.nodes.iter().filter(|n| n.plan.source.is_some()).count()
    }

    /// The rack of the strip being worked on.
    #[must_use]
    pub fn focus_rack(&self) -> Option<&Rack> {
        self.nodes.get(self.focus?)?.rack.as_ref()
    }

    /// Hands out, for each fader of the mix, its strip and the largest magnitude since
    /// last asked.
    pub fn take_peaks(&mut self, mut give: impl FnMut(u32, f32)) {
        for node in self.nodes.iter_mut().filter(|n| n.plan.fader) {
            if let Some(strip) = node.plan.strip {
                give(strip, std::mem::take(&mut node.peak));
            }
        }
    }

    /// Mixes one block of every source. `inputs` holds one block per lane, in the
    /// plan's order; `song_frame` is where in the song their first frame stands. `tap` sees the
    /// rack of the strip being worked on: the input as 0 and the sound after each station.
    pub fn process(
        &mut self,
        inputs: &[StereoBlock],
        song_frame: i64,
        out: &mut StereoBlock,
        mut tap: impl FnMut(usize, &StereoBlock),
    ) {
        let mut lanes = inputs.iter();
        for i in 0..self.nodes.len() {
            let (before, rest) = self.nodes.split_at_mut(i);
            let node = &mut rest[0];
            let source = node.plan.source.as_ref().and_then(|_| lanes.next());
            node.gather(source, before, song_frame, &mut self.work);
            if self.focus == Some(i) {
                node.run(song_frame, &mut tap);
            } else {
                node.run(song_frame, |_, _| {});
            }
        }
        match self.nodes.last() {
            Some(node) => out.clone_from(node.at(self.out)),
            None => out.clear(),
        }
    }
}

/// The rack of a strip among these nodes.
fn rack_of(nodes: &[RunningNode], strip: Option<u32>) -> Option<&Rack> {
    nodes.iter().filter(|n| strip.is_some() && n.plan.strip == strip).find_map(|n| n.rack.as_ref())
}
