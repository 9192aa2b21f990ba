//! Paths as one change: a new bus or return with what feeds it, buses for all families, one that goes with all
//! that leads to it.

use crate::unit::value::Written;

use super::controls::OFF_DB;
use super::document::{AuxSend, Role, Session, Strip};
use super::edit::Edit;
use super::family::Family;

/// A new bus or return called `name`, fed by the strips `from`: those feed the bus instead of
/// what they fed, or are sent to the return at 0 dB after their faders. A return is silent until it is raised.
/// One change.
#[must_use]
pub fn new_path(session: &Session, role: Role, name: &str, from: &[u32]) -> Edit {
    let id = session.next_id;
    let feeders: Vec<&Strip> = from.iter().filter_map(|id| session.strip(*id)).collect();
    let family = if role == Role::Return { Family::Fx } else { family_of(&feeders) };
    let mut edits = vec![add(session, id, name, family, role.clone())];
    edits.extend(feeders.iter().map(|strip| match role {
        Role::Return => {
            let mut sends = strip.sends.clone();
            sends.push(AuxSend { to: id, level_db: 0.0, before_fader: false });
            Edit::SetSends { strip: strip.id, sends }
        }
        _ => Edit::SetFeeds { strip: strip.id, to: id },
    }));
    Edit::Several { edits }
}

/// A bus for every family of which two tracks or more feed the main, and those into it; none
/// where there is nothing to group. One change.
#[must_use]
pub fn buses_by_family(session: &Session) -> Option<Edit> {
    let main = session.main_id();
    let mut edits = Vec::new();
    let mut id = session.next_id;
    for family in Family::ALL {
        let own: Vec<&Strip> = session.tracks().filter(|t| t.family == family && t.feeds == Some(main)).collect();
        if own.len() < 2 {
            continue;
        }
        edits.push(add(session, id, bus_name(family), family, Role::Bus));
        edits.extend(own.iter().map(|track| Edit::SetFeeds { strip: track.id, to: id }));
        id += 1;
    }
    (!edits.is_empty()).then_some(Edit::Several { edits })
}

/// Removes a bus or a return with the sends to it; what fed it feeds what it fed. One change, so that one undo
/// brings all of it back.
#[must_use]
pub fn removal(session: &Session, id: u32) -> Edit {
    let feeds = session.strip(id).and_then(|strip| strip.feeds).unwrap_or(session.main_id());
    let senders = session.strips.iter().filter(|strip| strip.sends.iter().any(|send| send.to == id));
    let mut edits: Vec<Edit> = senders
        .map(|strip| {
            let sends = strip.sends.iter().filter(|send| send.to != id).cloned().collect();
            Edit::SetSends { strip: strip.id, sends }
        })
        .collect();
    let feeders = session.strips.iter().filter(|strip| strip.feeds == Some(id));
    edits.extend(feeders.map(|strip| Edit::SetFeeds { strip: strip.id, to: feeds }));
    edits.push(Edit::RemoveStrip { strip: id });
    Edit::Several { edits }
}

fn add(session: &Session, id: u32, name: &str, family: Family, role: Role) -> Edit {
    let mut strip = Strip::new(id, name, family, role, Some(session.main_id()));
    if strip.role == Role::Return {
        // Within the range of a level.
        let _ = strip.set_control("level_db", &Written::from(OFF_DB));
    }
    Edit::AddStrip { at: session.strips.len(), strip: Box::new(strip) }
}

/// The family of most of the strips.
fn family_of(strips: &[&Strip]) -> Family {
    let count = |family: &Family| strips.iter().filter(|s| s.family == *family).count();
    Family::ALL.into_iter().rev().max_by_key(count).filter(|f| count(f) > 0).unwrap_or(Family::Fx)
}

fn bus_name(family: Family) -> &'static str {
    match family {
        Family::Dr => "Drums",
        Family::Bs => "Basses",
        Family::Gt => "Guitars",
        Family::Ky => "Keys",
        Family::Or => "Orchestra",
        Family::Vo => "Voices",
        Family::Fx => "Others",
    }
}

#[cfg(test)]
#[allow(clippy::unwrap_used)]
mod tests {
    use super::*;
    use crate::session::AudioRef;

    fn session(names: &[&str]) -> Session {
        let mut session = Session::new("s", 48_000);
        for name in names {
            let audio = AudioRef { hash: (*name).into(), channels: 1, frames: 10, start: 0, stamp: None };
            session.add_strip(name, Family::guess(name), Role::Track(audio), 1);
        }
        session
    }

    fn feeds(session: &Session, name: &str) -> String {
        let strip = session.strips.iter().find(|s| s.name == name).unwrap();
        session.strip(strip.feeds.unwrap()).unwrap().name.clone()
    }

    #[test]
    fn families_of_two_get_a_bus_in_one_change_and_one_undo_takes_all_back() {
        let before = session(&["Kick", "Snare", "Bass", "Gtr L", "Gtr R", "Voice"]);
        let mut after = before.clone();
        let (_, undo) = buses_by_family(&before).unwrap().apply(&mut after).unwrap();
        assert_eq!([feeds(&after, "Kick"), feeds(&after, "Gtr R")], ["Drums", "Guitars"]);
        assert_eq!([feeds(&after, "Bass"), feeds(&after, "Voice")], ["Main", "Main"]);
        assert_eq!(buses_by_family(&after), None, "what is grouped is left");
        undo.apply(&mut after).unwrap();
        assert_eq!(after.strips, before.strips);
    }

    #[test]
    fn a_new_path_is_fed_by_the_strips_named_and_another_gets_an_identity_of_its_own() {
        let before = session(&["Kick", "Gtr L", "Gtr R"]);
        let mut after = before.clone();
        new_path(&before, Role::Bus, "Both guitars", &[3, 4]).apply(&mut after).unwrap();
        assert_eq!(
            [feeds(&after, "Gtr L"), feeds(&after, "Gtr R"), feeds(&after, "Kick")],
            ["Both guitars", "Both guitars", "Main"]
        );
        let bus = after.strips.iter().find(|s| s.name == "Both guitars").unwrap();
        assert_eq!((bus.family, &bus.role), (Family::Gt, &Role::Bus));
        let made = after.clone();
        new_path(&made, Role::Return, "Room", &[2]).apply(&mut after).unwrap();
        let room = after.strips.iter().find(|s| s.name == "Room").unwrap().id;
        assert_eq!(after.strip(2).unwrap().sends[0].to, room);
        let level = |session: &Session, id: u32| session.strip(id).unwrap().controls.number("level_db");
        assert!(level(&after, room) <= OFF_DB, "silent until it is raised");
        let with = after.clone();
        let (_, undo) = removal(&with, room).apply(&mut after).unwrap();
        assert!(after.strip(room).is_none() && after.strip(2).unwrap().sends.is_empty());
        undo.apply(&mut after).unwrap();
        assert_eq!(after.strips, with.strips, "one undo brings it back with its sends");
        let mut ids: Vec<u32> = after.strips.iter().map(|s| s.id).collect();
        ids.sort_unstable();
        ids.dedup();
        assert_eq!(ids.len(), after.strips.len());
    }
}
