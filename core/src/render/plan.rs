//! What is summed where: the shape of a mix.
//!
//! A plan is a list of **nodes** in signal order. A node takes in a **source** (sound
//! that was recorded or printed) and what earlier nodes send it, runs a rack, a
//! polarity and delay, and a fader, or some of these, and gives its sound on along
//! **connections**. The last node is what is heard.
//!
//! The **live set** of a page is the rack being worked on and everything downstream
//! of it; all else arrives printed. A printed source is itself described by a plan,
//! so that a print's content is known from its plan alone.

use serde::{Deserialize, Serialize};
use serde_json::{Value as Json, json};

use super::length::{End, Length};
use crate::rack::{KeyTap, UnitSpec};
use crate::session::controls::{CHANGING, INPUT_CONTROLS, SHIFT_CONTROLS, send_path};
use crate::session::routing::{Edge, Path, downstream, downstream_sound, edges, order, upstream_sound};
use crate::session::{Role, STRIP, Session, Strip};
use crate::unit::Tail;

/// Where sound that is not computed here comes from.
#[derive(Clone, Debug, PartialEq, Eq, Hash, Serialize)]
#[serde(rename_all = "kebab-case", tag = "source")]
pub enum Source {
    /// A track's audio as recorded.
    Raw {
        /// The track.
        strip: u32,
    },
    /// A strip straight after its rack.
    Racked {
        /// The strip.
        strip: u32,
    },
    /// Part of what flows into a strip before its rack.
    Into {
        /// The strip.
        strip: u32,
        /// The paths summed, in the session's order.
        from: Vec<Inlet>,
    },
}

impl Source {
    fn end(&self, session: &Session) -> End {
        match (self, Plan::of_source(session, self)) {
            (_, Some(plan)) => plan.end(session),
            (Self::Raw { strip }, None) => {
                let audio = session.strip(*strip).and_then(Strip::audio);
                End { frames: audio.map_or(0, |a| a.start + a.frames), endless: false }
            }
            _ => End::default(),
        }
    }
}

/// One path of sound into a strip.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash, Serialize)]
pub struct Inlet {
    /// Where it comes from.
    pub strip: u32,
    /// Which of its sends; none for what it feeds.
    pub send: Option<usize>,
}

/// A point along a node where its sound is taken.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize)]
#[serde(rename_all = "kebab-case")]
pub enum Tap {
    /// Before the rack.
    Input,
    /// Straight after the rack.
    Racked,
    /// After polarity and delay, before the fader.
    Shifted,
    /// After the fader.
    Faded,
}

/// What a connection does where it arrives.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize)]
#[serde(rename_all = "kebab-case")]
pub enum Entry {
    /// It is added to the node's input.
    Sum,
    /// It drives this unit of the node's rack.
    Key(u32),
}

/// A path from one node to a later one.
#[derive(Clone, Debug, PartialEq, Eq, Serialize)]
pub struct Connection {
    /// Index of the node it comes from.
    pub from: usize,
    /// Where that is tapped.
    pub tap: Tap,
    /// The send whose level applies, as strip and position.
    pub send: Option<(u32, usize)>,
    /// What it does where it arrives.
    pub into: Entry,
}

/// One stop of the sound.
#[derive(Clone, Debug, PartialEq, Eq, Serialize)]
pub struct Node {
    /// The strip it stands for; none for a sum or a key's source alone.
    pub strip: Option<u32>,
    /// What enters from outside.
    pub source: Option<Source>,
    /// Whether the strip's rack runs here.
    pub rack: bool,
    /// Whether the strip's fader does.
    pub fader: bool,
    /// What arrives from earlier nodes.
    pub connections: Vec<Connection>,
}

/// A mix.
#[derive(Clone, Debug, PartialEq, Eq, Serialize)]
pub struct Plan {
    /// Nodes in signal order.
    pub nodes: Vec<Node>,
    /// Where the last node is tapped.
    pub out: Tap,
    /// The node of the strip being worked on.
    pub focus: Option<usize>,
}

/// Which mix a page plays.
#[derive(Clone, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
pub struct View {
    /// The strip whose rack is worked on; 0 on the Desk.
    #[serde(default)]
    pub strip: u32,
    /// Other strips that may be heard with it alone, each from its own print.
    #[serde(default)]
    pub with: Vec<u32>,
}

/// How a strip takes part in a plan.
#[derive(Clone, Copy, PartialEq, Eq)]
enum NodeKind {
    /// Printed straight after its rack.
    Printed,
    /// Its own sound (recorded, or all that flows into it) through its rack.
    Whole,
    /// What flows into it from other nodes, and the rest printed, through its rack.
    Summed,
}

impl Plan {
    /// The whole song from printed tracks: what the Desk plays and the mix print is.
    #[must_use]
    pub fn desk(session: &Session) -> Self {
        let part = |s: &Strip| Some(if s.is_track() { NodeKind::Printed } else { NodeKind::Summed });
        Builder::new(session, &part).finish(Tap::Faded, None)
    }

    /// The whole song with every rack running, from the recordings.
    #[must_use]
    pub fn whole(session: &Session) -> Self {
        let part = |s: &Strip| Some(if s.is_track() { NodeKind::Whole } else { NodeKind::Summed });
        Builder::new(session, &part).finish(Tap::Faded, None)
    }

    /// The mix of a page; `None` where it names a strip that does not exist.
    #[must_use]
    pub fn of_view(session: &Session, view: &View) -> Option<Self> {
        if view.strip == 0 { Some(Self::desk(session)) } else { Self::bench(session, view.strip, &view.with) }
    }

    /// One strip live with everything downstream; the rest printed, the strips `with`
    /// it each on its own. `None` for a strip that does not exist.
    #[must_use]
    pub fn bench(session: &Session, strip: u32, with: &[u32]) -> Option<Self> {
        session.strip(strip)?;
        let live = downstream(session, strip);
        let beside: Vec<u32> = with.iter().flat_map(|id| downstream_sound(session, *id)).collect();
        let part = |s: &Strip| match s.role {
            _ if !live.contains(&s.id) && with.contains(&s.id) => Some(NodeKind::Printed),
            _ if !live.contains(&s.id) && !beside.contains(&s.id) => None,
            Role::Track(_) => Some(NodeKind::Whole),
            _ if s.id == strip => Some(NodeKind::Whole),
            _ => Some(NodeKind::Summed),
        };
        Some(Builder::new(session, &part).finish(Tap::Faded, Some(strip)))
    }

    /// One strip alone as it would be printed: a track after its rack, polarity and
    /// delay; a bus, a return or the main with everything that flows into it, after
    /// its fader.
    #[must_use]
    pub fn stem(session: &Session, strip: u32) -> Option<Self> {
        let found = session.strip(strip)?;
        if found.is_track() {
            let part = |s: &Strip| (s.id == strip).then_some(NodeKind::Printed);
            return Some(Builder::new(session, &part).finish(Tap::Shifted, None));
        }
        let above = upstream_sound(session, strip);
        let part = |s: &Strip| {
            let kind = if s.is_track() { NodeKind::Printed } else { NodeKind::Summed };
            above.contains(&s.id).then_some(kind)
        };
        Some(Builder::new(session, &part).finish(Tap::Faded, None))
    }

    /// One strip's rack with what enters it and drives it, nothing downstream.
    #[must_use]
    pub fn treatment(session: &Session, strip: &Strip) -> Self {
        let part = |s: &Strip| (s.id == strip.id).then_some(NodeKind::Whole);
        Builder::new(session, &part).finish(Tap::Racked, Some(strip.id))
    }

    /// The plan whose output a printed source is; `None` for raw audio and for what
    /// does not exist.
    #[must_use]
    pub fn of_source(session: &Session, source: &Source) -> Option<Self> {
        match source {
            Source::Raw { .. } => None,
            Source::Racked { strip } => Some(Self::treatment(session, session.strip(*strip)?)),
            Source::Into { from, .. } => {
                let mut above: Vec<u32> = from.iter().flat_map(|i| upstream_sound(session, i.strip)).collect();
                above.sort_unstable();
                let part = |s: &Strip| {
                    let kind = if s.is_track() { NodeKind::Printed } else { NodeKind::Summed };
                    above.contains(&s.id).then_some(kind)
                };
                let mut builder = Builder::new(session, &part);
                builder.sum(from);
                Some(builder.finish(Tap::Input, None))
            }
        }
    }

    /// The nodes that take in a source, in order: the lanes of the mix.
    pub fn lanes(&self) -> impl Iterator<Item = (usize, &Source)> {
        self.nodes.iter().enumerate().filter_map(|(i, n)| n.source.as_ref().map(|s| (i, s)))
    }

    /// How long it sounds: to the end of the song at least, and on until what rings beyond has
    /// ended.
    #[must_use]
    pub fn length(&self, session: &Session) -> Length {
        Length::new(session, self.end(session))
    }

    /// Where in the song the last node falls silent, and whether it does by itself.
    fn end(&self, session: &Session) -> End {
        let rate = f64::from(session.rate);
        let mut ends: Vec<End> = Vec::with_capacity(self.nodes.len());
        for node in &self.nodes {
            let source = node.source.as_ref().map(|source| source.end(session));
            let arriving = node.connections.iter().filter(|c| c.into == Entry::Sum).map(|c| ends[c.from]);
            let mut end = source.into_iter().chain(arriving).fold(End::default(), End::later);
            if let Some(strip) = node.strip.and_then(|id| session.strip(id)) {
                if node.rack {
                    end = end.after(strip.rack.tail(rate));
                }
                let shift = strip.controls.number("delay_ms") / 1000.0 * rate;
                end = end.after(Tail::Frames(shift.ceil() as usize));
            }
            ends.push(end);
        }
        ends.last().copied().unwrap_or_default()
    }

    /// Everything of the document that decides how this plan sounds, apart from the
    /// sources' own content: racks, faders, sends and connections by node.
    #[must_use]
    pub fn determinants(&self, session: &Session) -> Json {
        let nodes: Vec<Json> = (0..self.nodes.len()).map(|i| self.node_determinants(session, i)).collect();
        json!([session.rate, session.frames(), nodes, self.out])
    }

    fn node_determinants(&self, session: &Session, i: usize) -> Json {
        let node = &self.nodes[i];
        let strip = node.strip.and_then(|id| session.strip(id));
        let rack = strip.filter(|_| node.rack).map(|s| sounding_rack(s, node));
        // What is taken before the fader does not change when the fader moves.
        let last = (i + 1 == self.nodes.len()).then_some((self.out, false));
        let onward = self.nodes.iter().flat_map(|n| &n.connections).filter(|c| c.from == i);
        let taps: Vec<(Tap, bool)> = last.into_iter().chain(onward.map(|c| (c.tap, c.send.is_some()))).collect();
        let counts = |id: &str| {
            taps.iter().any(|(tap, sent)| match id {
                _ if INPUT_CONTROLS.contains(&id) => node.rack,
                _ if SHIFT_CONTROLS.contains(&id) => matches!(tap, Tap::Shifted | Tap::Faded),
                // A mute silences a strip's sends as well, before the fader or not.
                "muted" => *tap == Tap::Faded || *sent,
                _ => *tap == Tap::Faded,
            })
        };
        let controls: Option<Vec<Json>> = strip.map(|s| {
            let all = s.controls.to_json();
            STRIP.iter().filter(|p| counts(p.id)).filter_map(|p| all.get(p.id).cloned()).collect()
        });
        let moving: Option<Vec<Json>> = strip.map(|s| {
            let of = |id: &&str| Some(s.courses.of(id)?.sounding(&s.changing(id)?.domain, &s.courses.spans));
            CHANGING.iter().filter(|id| counts(id)).filter_map(of).collect()
        });
        let lifted = strip.map(|s| if counts("level_db") { s.lift_db } else { 0.0 });
        let connection =
            |c: &Connection| json!([c.from, c.tap, c.send.map(|s| send_of(session, s)), c.into == Entry::Sum]);
        let connections: Vec<Json> = node.connections.iter().map(connection).collect();
        json!([node.source.is_some(), rack, node.fader, controls, connections, moving, lifted])
    }
}

fn send_of(session: &Session, (strip, at): (u32, usize)) -> Json {
    let Some(strip) = session.strip(strip) else { return Json::Null };
    let Some(send) = strip.sends.get(at) else { return Json::Null };
    let path = send_path(send.to);
    let course =
        |path: &str| Some(strip.courses.of(path)?.sounding(&strip.changing(path)?.domain, &strip.courses.spans));
    json!([send.level_db, send.before_fader, course(&path)])
}

/// A rack without what does not sound: identities and the engineer's words; with the tempo
/// that some follow, and the sounds that are missing, whose units pass their input. A key is known by the connection it comes
/// along.
fn sounding_rack(strip: &Strip, node: &Node) -> Json {
    let mut rack = strip.rack.clone();
    let (mut keys, mut moving) = (Vec::new(), Vec::new());
    for (at, unit) in rack.units.iter_mut().enumerate() {
        keys.extend(
            node.connections.iter().position(|c| c.into == Entry::Key(unit.id)).map(|connection| (at, connection)),
        );
        (unit.id, unit.key) = (0, None);
        unit.name.clear();
        unit.why.clear();
        let courses = std::mem::take(&mut unit.courses);
        let sounding =
            courses.list.iter().filter_map(|c| Some(c.sounding(&unit.param(&c.param)?.domain, &courses.spans)));
        moving.extend(sounding.map(|course| json!([at, course])));
    }
    let tempo: Vec<f64> = rack.units.iter().filter(|u| u.follows_tempo()).map(|u| u.settings.tempo_bpm).collect();
    let missing: Vec<String> = rack.units.iter().flat_map(UnitSpec::missing_sounds).map(|id| id.to_string()).collect();
    json!([rack.to_json(), keys, missing, tempo, moving])
}

/// Puts a plan together strip by strip, in signal order.
struct Builder<'a> {
    session: &'a Session,
    edges: Vec<Edge>,
    nodes: Vec<Node>,
    /// Node of each strip that takes part.
    placed: Vec<(u32, usize)>,
}

impl<'a> Builder<'a> {
    fn new(session: &'a Session, part: &dyn Fn(&Strip) -> Option<NodeKind>) -> Self {
        let mut builder = Self { session, edges: edges(session), nodes: Vec::new(), placed: Vec::new() };
        // A document with a circle cannot come about (edits refuse it); its strips
        // are left out rather than played in a wrong order.
        for id in order(session).unwrap_or_default() {
            if let Some(strip) = session.strip(id)
                && let Some(part) = part(strip)
            {
                builder.place(strip, part);
            }
        }
        builder
    }

    fn node_of(&self, strip: u32) -> Option<usize> {
        self.placed.iter().find(|(id, _)| *id == strip).map(|(_, node)| *node)
    }

    fn place(&mut self, strip: &Strip, part: NodeKind) {
        let mut connections = Vec::new();
        let source = match part {
            NodeKind::Printed => Some(Source::Racked { strip: strip.id }),
            NodeKind::Whole => Some(own_sound(self.session, strip)),
            NodeKind::Summed => {
                let inlets = inlets(self.session, strip.id);
                let (here, outside): (Vec<_>, Vec<_>) =
                    inlets.into_iter().partition(|i| self.node_of(i.strip).is_some());
                connections.extend(here.iter().filter_map(|i| self.inlet(i)));
                (!outside.is_empty()).then_some(Source::Into { strip: strip.id, from: outside })
            }
        };
        let rack = part != NodeKind::Printed;
        if rack {
            let keys: Vec<Edge> = self.edges.iter().filter(|e| e.to == strip.id && !e.is_sound()).copied().collect();
            for key in keys {
                connections.extend(self.key(&key));
            }
        }
        self.placed.push((strip.id, self.nodes.len()));
        self.nodes.push(Node { strip: Some(strip.id), source, rack, fader: true, connections });
    }

    /// The connection of a feed or send from a strip that takes part.
    fn inlet(&self, inlet: &Inlet) -> Option<Connection> {
        let from = self.node_of(inlet.strip)?;
        let send = inlet.send.map(|at| (inlet.strip, at));
        let before =
            inlet.send.and_then(|at| self.session.strip(inlet.strip)?.sends.get(at)).is_some_and(|s| s.before_fader);
        Some(Connection { from, tap: if before { Tap::Shifted } else { Tap::Faded }, send, into: Entry::Sum })
    }

    /// The connection of a key, with a node for its source where it does not take part.
    fn key(&mut self, key: &Edge) -> Option<Connection> {
        let Path::Key { unit, tap } = key.path else { return None };
        let strip = self.session.strip(key.from)?;
        let into = Entry::Key(unit);
        let there = self.node_of(key.from);
        let connection = |from, tap| Some(Connection { from, tap, send: None, into });
        match (tap, there) {
            (KeyTap::AfterRack, Some(node)) => connection(node, Tap::Shifted),
            (KeyTap::BeforeRack, Some(node)) if self.nodes[node].rack => connection(node, Tap::Input),
            (KeyTap::AfterRack, None) => {
                connection(self.lone(Some(strip.id), Source::Racked { strip: strip.id }), Tap::Shifted)
            }
            (KeyTap::BeforeRack, _) => connection(self.lone(None, own_sound(self.session, strip)), Tap::Input),
        }
    }

    /// A node that only brings a source in.
    fn lone(&mut self, strip: Option<u32>, source: Source) -> usize {
        self.nodes.push(Node { strip, source: Some(source), rack: false, fader: false, connections: Vec::new() });
        self.nodes.len() - 1
    }

    /// Ends the plan with a sum of some inlets.
    fn sum(&mut self, from: &[Inlet]) {
        let connections = from.iter().filter_map(|i| self.inlet(i)).collect();
        self.nodes.push(Node { strip: None, source: None, rack: false, fader: false, connections });
    }

    fn finish(self, out: Tap, focus: Option<u32>) -> Plan {
        let focus = focus.and_then(|id| self.node_of(id));
        Plan { nodes: self.nodes, out, focus }
    }
}

/// What enters a strip's rack, as one source.
#[must_use]
pub fn own_sound(session: &Session, strip: &Strip) -> Source {
    match strip.role {
        Role::Track(_) => Source::Raw { strip: strip.id },
        _ => Source::Into { strip: strip.id, from: inlets(session, strip.id) },
    }
}

/// The paths of sound into a strip.
pub(super) fn inlets(session: &Session, strip: u32) -> Vec<Inlet> {
    let inlet = |e: Edge| match e.path {
        Path::Feed => Some(Inlet { strip: e.from, send: None }),
        Path::Send { at } => Some(Inlet { strip: e.from, send: Some(at) }),
        Path::Key { .. } => None,
    };
    edges(session).into_iter().filter(|e| e.to == strip).filter_map(inlet).collect()
}
