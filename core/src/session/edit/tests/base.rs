//! The session that edits are tried on.

use crate::rack::UnitSpec;
use crate::session::{AudioRef, Family, Role, Session};

/// A track with one of every kind of unit (strip 4), a bus it feeds (2), and a return (3).
pub fn session() -> Session {
    let mut s = Session::new("test", 48_000);
    let bus = s.add_strip("Guitars", Family::Gt, Role::Bus, 1);
    s.add_strip("Room", Family::Fx, Role::Return, 1);
    let audio = AudioRef { hash: "ab".into(), channels: 1, frames: 1000, start: 0, stamp: None };
    let track = s.add_strip("Lead", Family::Gt, Role::Track(audio), bus);
    for kind in crate::unit::catalogue::KINDS {
        s.add_unit(track, UnitSpec::new(kind));
    }
    s
}
