//! A strip by its name, one control of it, and the order of all.

use zinc_core::session::{Role, Session};
use zinc_core::unit::value::Written;

/// Rows in signal order: tracks, then the buses they feed, returns, the main.
pub(super) fn in_signal_order(session: &mut Session) {
    session.strips.sort_by_key(|s| match s.role {
        Role::Track(_) => 0,
        Role::Bus => 1,
        Role::Return => 2,
        Role::Main => 3,
    });
}

/// Identity of the strip of this name; 0 where there is none.
pub(super) fn named(session: &Session, name: &str) -> u32 {
    session.strips.iter().find(|s| s.name == name).map_or(0, |s| s.id)
}

/// Sets one control of a strip.
pub(super) fn set(session: &mut Session, strip: u32, control: &str, value: impl Into<Written>) {
    if let Some(strip) = session.strip_mut(strip) {
        // The values above are within range; a test holds every demo document to that.
        let _ = strip.set_control(control, &value.into());
    }
}
