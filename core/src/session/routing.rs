//! Who sounds into whom: feeds, sends and keys, and the order that follows.
//!
//! A session's paths must not run in a circle: what a strip gives must never
//! depend on itself. [`order`] is the proof (it lists every strip after all it
//! hears) and names the circle where there is one.

use serde::Serialize;

use super::document::{Session, Strip};
use crate::rack::{Key, KeyTap};

/// What kind of path an edge is.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash, Serialize)]
#[serde(rename_all = "kebab-case", tag = "path")]
#[cfg_attr(feature = "types", derive(ts_rs::TS), ts(rename = "PathKind"))]
pub enum Path {
    /// The strip's output.
    Feed,
    /// One of its sends, by position.
    Send {
        /// Position among the strip's sends.
        at: usize,
    },
    /// A key into a unit of the target's rack.
    Key {
        /// The unit.
        unit: u32,
        /// Where the source is tapped.
        tap: KeyTap,
    },
}

/// One path between two strips.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize)]
#[cfg_attr(feature = "types", derive(ts_rs::TS))]
pub struct Edge {
    /// Where it comes from.
    pub from: u32,
    /// Where it goes.
    pub to: u32,
    /// What it is.
    #[serde(flatten)]
    pub path: Path,
}

impl Edge {
    /// Whether sound flows along it (a key only steers).
    #[must_use]
    pub fn is_sound(&self) -> bool {
        !matches!(self.path, Path::Key { .. })
    }
}

/// A circle of strips: each sounds into the next, the last into the first.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Circle(pub Vec<u32>);

impl Circle {
    /// The circle in words: `Bus A > Bus B > Bus A`.
    #[must_use]
    pub fn in_words(&self, session: &Session) -> String {
        let name = |id: &u32| session.strip(*id).map_or_else(|| id.to_string(), |s| s.name.clone());
        let mut names: Vec<String> = self.0.iter().map(name).collect();
        names.extend(self.0.first().map(name));
        names.join(" > ")
    }
}

/// The paths out of one strip into others.
fn edges_out_of(strip: &Strip) -> impl Iterator<Item = Edge> + '_ {
    let from = strip.id;
    let feed = strip.feeds.into_iter().map(move |to| Edge { from, to, path: Path::Feed });
    let sends =
        strip.sends.iter().enumerate().map(move |(at, send)| Edge { from, to: send.to, path: Path::Send { at } });
    feed.chain(sends)
}

/// The keys of one strip's rack.
fn keys_into(strip: &Strip) -> impl Iterator<Item = Edge> + '_ {
    strip.rack.units.iter().filter_map(|unit| {
        let Some(Key::Strip { strip: from, tap }) = unit.key else { return None };
        Some(Edge { from, to: strip.id, path: Path::Key { unit: unit.id, tap } })
    })
}

/// Every path of a session, in the order of its strips.
#[must_use]
pub fn edges(session: &Session) -> Vec<Edge> {
    session.strips.iter().flat_map(|s| edges_out_of(s).chain(keys_into(s))).collect()
}

/// All strips, each after everything it hears; strips that do not depend on each
/// other stay in the session's order.
///
/// # Errors
/// A circle.
pub fn order(session: &Session) -> Result<Vec<u32>, Circle> {
    let edges = edges(session);
    let mut placed: Vec<u32> = Vec::with_capacity(session.strips.len());
    while placed.len() < session.strips.len() {
        let ready =
            session.strips.iter().map(|s| s.id).find(|id| {
                !placed.contains(id) && edges.iter().filter(|e| e.to == *id).all(|e| placed.contains(&e.from))
            });
        match ready {
            Some(id) => placed.push(id),
            None => return Err(circle(session, &edges, &placed)),
        }
    }
    Ok(placed)
}

/// Walks back from any strip that could not be placed until one comes twice.
fn circle(session: &Session, edges: &[Edge], placed: &[u32]) -> Circle {
    let open = |id: &u32| !placed.contains(id);
    let mut path: Vec<u32> = session.strips.iter().map(|s| s.id).find(open).into_iter().collect();
    loop {
        let Some(last) = path.last() else { return Circle(path) };
        let Some(before) = edges.iter().find(|e| e.to == *last && open(&e.from)).map(|e| e.from) else {
            // A path from a strip that does not exist; not a circle of strips.
            return Circle(path);
        };
        if let Some(start) = path.iter().position(|id| *id == before) {
            let mut round = path.split_off(start);
            round.reverse();
            return Circle(round);
        }
        path.push(before);
    }
}

/// Every strip that hears `strip` in any way, itself included.
#[must_use]
pub fn downstream(session: &Session, strip: u32) -> Vec<u32> {
    closure(&edges(session), strip, |e| (e.from, e.to))
}

/// Every strip whose sound reaches `strip` (keys left out), itself included.
#[must_use]
pub fn upstream_sound(session: &Session, strip: u32) -> Vec<u32> {
    let sound: Vec<Edge> = edges(session).into_iter().filter(Edge::is_sound).collect();
    closure(&sound, strip, |e| (e.to, e.from))
}

/// The tracks whose sound reaches `strip` through nothing that is muted: where there are none, its print is silent. A mute
/// silences sends before the fader as well.
#[must_use]
pub fn sounding_in(session: &Session, strip: u32) -> Vec<u32> {
    let is_muted = |id: u32| session.strip(id).is_some_and(|strip| strip.controls.is_on("muted"));
    let is_heard = |edge: &Edge| edge.is_sound() && !is_muted(edge.from);
    let heard: Vec<Edge> = edges(session).into_iter().filter(is_heard).collect();
    let mut tracks = closure(&heard, strip, |e| (e.to, e.from));
    tracks.retain(|id| session.strip(*id).is_some_and(Strip::is_track));
    tracks
}

/// Every strip the sound of `strip` reaches (keys left out), itself included.
#[must_use]
pub fn downstream_sound(session: &Session, strip: u32) -> Vec<u32> {
    let sound: Vec<Edge> = edges(session).into_iter().filter(Edge::is_sound).collect();
    closure(&sound, strip, |e| (e.from, e.to))
}

/// All strips whose sound is let on when only `chosen` are heard: they, what flows
/// into them, and what they sound through.
#[must_use]
pub fn heard_with(session: &Session, chosen: &[u32]) -> Vec<u32> {
    let mut all: Vec<u32> =
        chosen.iter().flat_map(|id| [upstream_sound(session, *id), downstream_sound(session, *id)]).flatten().collect();
    all.sort_unstable();
    all.dedup();
    all
}

fn closure(edges: &[Edge], start: u32, step: impl Fn(&Edge) -> (u32, u32)) -> Vec<u32> {
    let mut found = vec![start];
    let mut next = 0;
    while let Some(at) = found.get(next).copied() {
        for (from, to) in edges.iter().map(&step) {
            if from == at && !found.contains(&to) {
                found.push(to);
            }
        }
        next += 1;
    }
    found
}

#[cfg(test)]
mod tests {
    use super::super::{AuxSend, Family, Role};
    use super::*;

    /// Buses 2, 3, 4; each feeds the next, the last the main.
    fn chain() -> Session {
        let mut s = Session::new("paths", 48_000);
        for name in ["A", "B", "C"] {
            s.add_strip(name, Family::Fx, Role::Bus, 1);
        }
        s.strip_mut(2).unwrap().feeds = Some(3);
        s.strip_mut(3).unwrap().feeds = Some(4);
        s
    }

    #[test]
    fn every_strip_comes_after_all_it_hears() {
        let mut s = chain();
        s.strips.swap(0, 2);
        assert_eq!(order(&s).unwrap(), [2, 3, 4, 1]);
    }

    #[test]
    fn a_circle_is_named_in_the_direction_of_the_sound() {
        let mut s = chain();
        s.strip_mut(4).unwrap().sends.push(AuxSend { to: 2, level_db: 0.0, before_fader: false });
        let circle = order(&s).unwrap_err();
        let words = circle.in_words(&s);
        assert!(["A > B > C > A", "B > C > A > B", "C > A > B > C"].contains(&words.as_str()), "{words}");
    }

    #[test]
    fn a_strip_that_hears_itself_is_a_circle_of_one() {
        let mut s = chain();
        s.strip_mut(2).unwrap().sends.push(AuxSend { to: 2, level_db: 0.0, before_fader: true });
        assert_eq!(order(&s).unwrap_err().in_words(&s), "A > A");
    }

    #[test]
    fn what_is_muted_sounds_in_nothing_behind_it() {
        let mut s = Session::new("mutes", 48_000);
        let bus = s.add_strip("Bus", Family::Gt, Role::Bus, 1);
        let audio = || {
            Role::Track(crate::session::AudioRef { hash: String::new(), channels: 1, frames: 9, start: 0, stamp: None })
        };
        let tracks = ["A", "B"].map(|name| s.add_strip(name, Family::Gt, audio(), bus));
        let main = s.main_id();
        assert_eq!(sounding_in(&s, main).len(), 2);
        s.strip_mut(tracks[0]).unwrap().controls.switch("muted", true);
        assert_eq!((sounding_in(&s, bus), sounding_in(&s, tracks[0])), (vec![tracks[1]], vec![tracks[0]]));
        s.strip_mut(bus).unwrap().controls.switch("muted", true);
        assert_eq!((sounding_in(&s, main), sounding_in(&s, bus)), (vec![], vec![tracks[1]]));
    }

    #[test]
    fn reach_follows_the_paths_both_ways() {
        let s = chain();
        assert_eq!(downstream(&s, 3), [3, 4, 1]);
        assert_eq!(upstream_sound(&s, 4), [4, 3, 2]);
    }
}
