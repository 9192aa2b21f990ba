//! Where the worked session's strips go, and what of it changes with the song.

use zinc_core::session::{AuxSend, Edit, Family, Role, Session};
use zinc_core::unit::value::Written;

use super::strips::{in_signal_order, named, set};

/// The paths of the worked session beside its buses: three parallel returns, the bass
/// ducked by the kick, and both bass recordings as one.
pub(super) fn route(session: &mut Session) {
    let guitars = named(session, "Guitars");
    let (drums, bass) = (named(session, "Drums"), named(session, "Bass"));
    for (name, family, feeds, level_db) in [
        ("Drum body", Family::Dr, drums, -8.0),
        ("Attack", Family::Gt, guitars, -8.0),
        ("Bass dirt", Family::Bs, bass, -6.0),
    ] {
        let id = session.add_strip(name, family, Role::Return, feeds);
        set(session, id, "level_db", level_db);
    }
    in_signal_order(session);
    for (from, to, level_db) in [
        ("Kick", "Drum body", -3.0),
        ("Snare", "Drum body", 0.0),
        ("Overheads", "Drum body", -9.0),
        ("Rhythm left DI", "Attack", 0.0),
        ("Rhythm right DI", "Attack", 0.0),
        ("Acoustic", "Attack", -6.0),
        ("Bass DI", "Bass dirt", 0.0),
    ] {
        let to = named(session, to);
        let from = named(session, from);
        if let Some(strip) = session.strip_mut(from) {
            strip.sends.push(AuxSend { to, level_db, before_fader: false });
        }
    }
    // The cabinet is 0.9 ms late and upside down: the direct bass waits for it.
    let (direct, cabinet) = (named(session, "Bass DI"), named(session, "Bass cabinet"));
    set(session, direct, "delay_ms", 0.9);
    set(session, cabinet, "inverted", true);
    for id in [direct, cabinet] {
        if let Some(strip) = session.strip_mut(id) {
            strip.take_set = 1;
        }
    }
}

/// What stands where in the worked mix: guitars and strings carry the sides (a side 9 to 10 dB under the mid, as records of
/// such music have), so that they come up, and what sits in the middle goes back for them.
pub(super) fn spread(session: &mut Session) {
    for (name, control, value) in [
        ("Guitars", "level_db", 3.0),
        ("Strings", "level_db", 1.0),
        ("Drums", "level_db", -0.5),
        ("Keys", "level_db", -1.0),
        ("Bass", "level_db", -2.0),
        ("Acoustic", "pan", -0.6),
        ("Electric piano", "pan", -0.5),
    ] {
        let strip = named(session, name);
        set(session, strip, control, value);
    }
}

/// Values of single sections: short notes want another release than held ones, and the Break is heard
/// as through a telephone.
pub(super) fn change_with_the_song(session: &mut Session) {
    for (strip, kind, last, param, sections, value) in [
        ("Rhythm left DI", "compressor", false, "release_ms", &["Verse"][..], Written::from(60.0)),
        ("Rhythm left DI", "compressor", false, "release_ms", &["Chorus", "Last chorus"], Written::from(260.0)),
        ("Rhythm right DI", "compressor", false, "release_ms", &["Verse"], Written::from(60.0)),
        ("Rhythm right DI", "compressor", false, "release_ms", &["Chorus", "Last chorus"], Written::from(260.0)),
        ("Electric piano", "surgical-eq", true, "on", &["Break"], Written::from(true)),
    ] {
        let strip = named(session, strip);
        let mut units = session.strip(strip).map_or(&[][..], |s| &s.rack.units).iter().filter(|u| u.kind.id == kind);
        let unit = if last { units.next_back() } else { units.next() }.map_or(0, |u| u.id);
        for section in session.sections.clone().iter().filter(|s| sections.contains(&s.name.as_str())) {
            let value = Some(value.clone());
            let edit = Edit::SetHere { strip, unit, param: param.to_string(), section: section.id, value };
            let done = edit.apply(session);
            debug_assert!(done.is_ok(), "{done:?}");
        }
    }
}
