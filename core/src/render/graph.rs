//! The session's paths as a list of blocks and arrows, with what each delays: for the
//! drawing of the signal path and for `zinc-rack graph`.

use serde::Serialize;

use super::mixer::Mixer;
use super::plan::Plan;
use crate::session::routing::{self, Edge, Path};
use crate::session::{Role, Session, Strip};
use crate::signal::decibel::{db_to_gain, gain_to_db};

/// One strip as a block.
#[derive(Clone, Debug, PartialEq, Serialize)]
#[cfg_attr(feature = "types", derive(ts_rs::TS), ts(rename = "GraphBlock"))]
pub struct Block {
    /// The strip.
    pub id: u32,
    /// Its name.
    pub name: String,
    /// Its family's mark.
    pub family: &'static str,
    /// track, bus, return or main.
    pub role: &'static str,
    /// Its units in order, as kind and switch.
    pub units: Vec<UnitBlock>,
    /// Frames by which what enters its rack lags the recordings.
    pub input_latency: usize,
    /// Frames by which what leaves it does.
    pub output_latency: usize,
    /// What is worth saying about it, in a sentence.
    pub remark: Option<String>,
    /// Steps from the first strips of its path: 0 for tracks.
    pub depth: usize,
}

/// One unit in a block.
#[derive(Clone, Debug, PartialEq, Serialize)]
#[cfg_attr(feature = "types", derive(ts_rs::TS))]
pub struct UnitBlock {
    /// The unit.
    pub id: u32,
    /// Its kind.
    pub kind: &'static str,
    /// Whether it is on.
    pub on: bool,
}

/// One path, with the level of a send.
#[derive(Clone, Debug, PartialEq, Serialize)]
#[cfg_attr(feature = "types", derive(ts_rs::TS))]
pub struct Arrow {
    /// Where from, where to, what kind.
    #[serde(flatten)]
    pub edge: Edge,
    /// Level of a send in dB.
    pub level_db: Option<f64>,
}

/// The whole drawing.
#[derive(Clone, Debug, PartialEq, Serialize)]
#[cfg_attr(feature = "types", derive(ts_rs::TS))]
pub struct Graph {
    /// Strips in signal order.
    pub nodes: Vec<Block>,
    /// Paths in the session's order.
    pub edges: Vec<Arrow>,
    /// Frames by which the mix lags the recordings.
    pub latency_samples: usize,
}

/// Describes a session's paths.
#[must_use]
pub fn graph(session: &Session) -> Graph {
    let mixer = Mixer::new(&Plan::whole(session), session);
    let latencies = mixer.latencies();
    let edges = routing::edges(session);
    let mut nodes: Vec<Block> = Vec::new();
    for id in routing::order(session).unwrap_or_default() {
        let Some(strip) = session.strip(id) else { continue };
        let before = edges.iter().filter(|e| e.to == id && e.is_sound());
        let depth = before.filter_map(|e| nodes.iter().find(|n| n.id == e.from)).map(|n| n.depth + 1).max();
        let (input_latency, output_latency) = latencies.iter().find(|l| l.0 == id).map_or((0, 0), |l| (l.1, l.2));
        nodes.push(Block {
            id,
            name: strip.name.clone(),
            family: strip.family.mark(),
            role: match strip.role {
                Role::Track(_) => "track",
                Role::Bus => "bus",
                Role::Return => "return",
                Role::Main => "main",
            },
            units: strip
                .rack
                .units
                .iter()
                .map(|u| UnitBlock { id: u.id, kind: u.kind.id, on: u.common.is_on("on") })
                .collect(),
            input_latency,
            output_latency,
            remark: remark(session, strip),
            depth: depth.unwrap_or(0),
        });
    }
    let level_db = |e: &Edge| match e.path {
        Path::Send { at } => session.strip(e.from).and_then(|s| s.sends.get(at)).map(|s| s.level_db),
        _ => None,
    };
    let edges = edges.iter().map(|e| Arrow { edge: *e, level_db: level_db(e) }).collect();
    Graph { nodes, edges, latency_samples: mixer.latency() }
}

/// Says of a parallel path without treatment that it is only a copy.
fn remark(session: &Session, strip: &Strip) -> Option<String> {
    let treated = strip.rack.units.iter().any(|u| u.common.is_on("on")) || !strip.enters_unchanged();
    if strip.role != Role::Return || treated {
        return None;
    }
    let level = strip.controls.number("level_db");
    let sends = session
        .strips
        .iter()
        .flat_map(|s| s.sends.iter().filter(|send| send.to == strip.id).map(move |send| (s, send)));
    let added = sends.map(|(from, send)| {
        let gain = 1.0 + db_to_gain(level + send.level_db);
        format!("{:+.2} dB of {}", gain_to_db(gain), from.name)
    });
    let added: Vec<String> = added.collect();
    (!added.is_empty())
        .then(|| format!("Nothing is on it, so it is an identical copy and only adds level: {}.", added.join(", ")))
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::rack::UnitSpec;
    use crate::session::{AudioRef, AuxSend, Family};
    use serde_json::json;

    #[test]
    fn blocks_arrows_and_latencies_are_those_of_the_session() {
        let mut s = Session::new("drawn", 48_000);
        let bus = s.add_strip("Bus", Family::Gt, Role::Bus, 1);
        let room = s.add_strip("Room", Family::Fx, Role::Return, 1);
        let audio = AudioRef { hash: "x".into(), channels: 1, frames: 100, start: 0, stamp: None };
        let track = s.add_strip("Track", Family::Gt, Role::Track(audio), bus);
        let late = json!({"kind": "compressor", "params": {"lookahead_ms": 2}});
        s.add_unit(track, UnitSpec::from_json(&late, 1).unwrap());
        s.strip_mut(track).unwrap().sends.push(AuxSend { to: room, level_db: -6.0, before_fader: false });
        let g = graph(&s);
        let block = |id| g.nodes.iter().find(|n| n.id == id).unwrap();
        assert_eq!((block(track).input_latency, block(track).output_latency, block(track).depth), (0, 96, 0));
        assert_eq!((block(bus).input_latency, block(bus).depth), (96, 1));
        assert_eq!((block(1).role, block(1).depth, g.latency_samples), ("main", 2, 96));
        s.strip_mut(track).unwrap().sends[0].level_db = 0.0;
        let copy = graph(&s).nodes.iter().find(|n| n.id == room).unwrap().remark.clone().unwrap();
        assert!(copy.contains("only adds level: +6.02 dB of Track"), "{copy}");
        let send = g.edges.iter().find(|a| a.level_db.is_some()).unwrap();
        assert_eq!((send.edge.from, send.edge.to, send.level_db), (track, room, Some(-6.0)));
        assert_eq!(g.edges.len(), 4);
    }
}
