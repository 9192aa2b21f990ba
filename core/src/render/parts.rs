//! A mix in parts that can be worked out at the same time.

use super::plan::{Connection, Entry, Inlet, Node, Plan, Source, Tap, inlets};
use crate::session::Session;
use crate::session::routing::{Path, edges, upstream_sound};

impl Plan {
    /// A strip as [`Self::stem`] gives it, from sums of what flows into it: each is a source that
    /// [`Self::of_source`] can work out by itself, none needs what another runs. None for a track, for
    /// a strip into which one such sum flows, and for one whose rack listens to others.
    #[must_use]
    pub fn in_parts(session: &Session, strip: u32) -> Option<Self> {
        let is_keyed = |s: u32| edges(session).iter().any(|e| e.to == s && matches!(e.path, Path::Key { .. }));
        let sums = apart(session, inlets(session, strip));
        if session.strip(strip)?.is_track() || sums.len() < 2 || is_keyed(strip) {
            return None;
        }
        let lone = |from: Vec<Inlet>| Node {
            strip: None,
            source: Some(Source::Into { strip, from }),
            rack: false,
            fader: false,
            connections: Vec::new(),
        };
        let mut nodes: Vec<Node> = sums.into_iter().map(lone).collect();
        let connection = |from: usize| Connection { from, tap: Tap::Input, send: None, into: Entry::Sum };
        let connections = (0..nodes.len()).map(connection).collect();
        nodes.push(Node { strip: Some(strip), source: None, rack: true, fader: true, connections });
        Some(Self { nodes, out: Tap::Faded, focus: None })
    }
}

/// Paths into a strip in groups, of which no two run a rack of the same bus or return.
fn apart(session: &Session, inlets: Vec<Inlet>) -> Vec<Vec<Inlet>> {
    let run = |inlet: &Inlet| -> Vec<u32> {
        let is_run = |id: &u32| session.strip(*id).is_some_and(|s| !s.is_track());
        upstream_sound(session, inlet.strip).into_iter().filter(is_run).collect()
    };
    let mut groups: Vec<(Vec<u32>, Vec<Inlet>)> = Vec::new();
    for inlet in inlets {
        let (mut strips, mut group) = (run(&inlet), vec![inlet]);
        let shares = |(other, _): &(Vec<u32>, Vec<Inlet>)| other.iter().any(|id| strips.contains(id));
        let (sharing, rest): (Vec<_>, Vec<_>) = groups.into_iter().partition(shares);
        groups = rest;
        for (other, before) in sharing.into_iter().rev() {
            strips.extend(other);
            group.splice(0..0, before);
        }
        groups.push((strips, group));
    }
    groups.into_iter().map(|(_, group)| group).collect()
}
