//! Runs a plan block by block.
//!
//! Paths that meet are aligned: every wire is delayed by what it lacks to the latest
//! one into the same node, and keys to the unit they drive, so that a lookahead on
//! one track moves nothing against the rest.

use super::node::RunningNode;
use super::plan::{Plan, Tap};
use crate::rack::Rack;
use crate::session::Session;
use crate::signal::StereoBlock;

/// A running mix.
pub struct Mixer {
    rate: f64,
    nodes: Vec<RunningNode>,
    out: Tap,
    focus: Option<usize>,
    work: StereoBlock,
}

impl Mixer {
    /// A mix at rest.
    #[must_use]
    pub fn new(plan: &Plan, session: &Session) -> Self {
        let rate = f64::from(session.rate);
        let nodes = plan.nodes.iter().map(|n| RunningNode::new(n, session, rate)).collect();
        let mut mixer = Self { rate, nodes, out: plan.out, focus: plan.focus, work: StereoBlock::SILENT };
        mixer.align();
        mixer.snap();
        mixer
    }

    /// Takes over what changed in one strip; it glides there.
    pub fn update(&mut self, session: &Session, strip: u32) {
        let Some(changed) = session.strip(strip) else { return };
        for node in &mut self.nodes {
            if node.plan.strip == Some(strip) {
                node.update(changed, self.rate);
            }
            let own = |w: &&mut super::node::RunningWire| w.plan.send.is_some_and(|(from, _)| from == strip);
            node.wires.iter_mut().filter(own).for_each(|w| w.update(session));
        }
        self.align();
    }

    /// Finishes changes of racks that had to wait for a crossfade; to be called now
    /// and then off the audio path.
    pub fn catch_up(&mut self) {
        self.nodes.iter_mut().filter_map(|n| n.rack.as_mut()).for_each(Rack::catch_up);
        self.align();
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
            for wire in &mut node.wires {
                wire.hear(heard[wire.plan.from]);
            }
            node.hear_rest(strips.is_none() || focus == Some(i));
        }
    }

    /// Ends every glide at once, for a start from rest.
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
    /// plan's order. `tap` sees the wire of the strip being worked on: the input as 0
    /// and the sound after each station.
    pub fn process(&mut self, inputs: &[StereoBlock], out: &mut StereoBlock, mut tap: impl FnMut(usize, &StereoBlock)) {
        let mut lanes = inputs.iter();
        for i in 0..self.nodes.len() {
            let (before, rest) = self.nodes.split_at_mut(i);
            let node = &mut rest[0];
            let source = node.plan.source.as_ref().and_then(|_| lanes.next());
            node.gather(source, before, &mut self.work);
            if self.focus == Some(i) {
                node.run(&mut tap);
            } else {
                node.run(|_, _| {});
            }
        }
        match self.nodes.last() {
            Some(node) => out.clone_from(node.at(self.out)),
            None => out.clear(),
        }
    }

    /// Sets every alignment delay from the racks' present latencies.
    fn align(&mut self) {
        for i in 0..self.nodes.len() {
            let (before, rest) = self.nodes.split_at_mut(i);
            rest[0].align(before, self.rate);
        }
    }
}
