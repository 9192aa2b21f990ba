//! The store as a whole, on a database of its own.
#![allow(clippy::unwrap_used)] // a test may say what must hold by failing

mod journal;
mod salvage;
mod sessions;
mod windows;

use super::*;
use zinc_core::rack::UnitSpec;
use zinc_core::session::{Edit, Family, Session};
use zinc_core::unit::catalogue::KINDS;

/// A store in a folder of its own with one session: a bus (2) with one unit of each kind.
fn store() -> (tempfile::TempDir, Store, i32) {
    let folder = tempfile::tempdir().unwrap();
    let store = Store::open(&folder.path().join("zinc.sqlite")).unwrap();
    let mut session = Session::new("test", 48_000);
    let bus = session.add_strip("Bus", Family::Gt, zinc_core::session::Role::Bus, 1);
    KINDS.iter().for_each(|kind| session.add_unit(bus, UnitSpec::new(kind)));
    let id = store.create_session(&session).unwrap();
    (folder, store, id)
}

fn nobody() -> Requester {
    Requester::default()
}

fn param(store: &Store, id: i32, kind: &str, param: &str, value: f64) -> Edit {
    let session = store.load(id).unwrap().session;
    let unit = session.strip(2).unwrap().rack.units.iter().find(|u| u.kind.id == kind).unwrap().id;
    Edit::SetParam { strip: 2, unit, param: param.into(), value: value.into() }
}

fn level(value: f64) -> Edit {
    Edit::SetControl { strip: 2, control: "level_db".into(), value: value.into() }
}

fn level_of(session: &Session) -> f64 {
    session.strip(2).unwrap().controls.number("level_db")
}
