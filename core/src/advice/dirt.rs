//! Parallel dirt: a return with drive and an EQ of its own behind it, beside a strip whose lows stay
//! clean, raised from nothing.

use crate::rack::UnitSpec;

use super::parallel::beside;
use crate::rack::proposed::{because, unit_because, unit_of_rows};
use crate::session::{Edit, Family, Session};
use crate::unit::Param;
use crate::unit::eq::surgical::KIND as SURGICAL;
use crate::unit::proposed::{id, values};
use crate::unit::tone::saturator::KIND as SATURATOR;

/// The parameters of a band.
const BAND: &[Param] = SURGICAL.tables.lists[0].params;

/// Lows under this stay clean, in Hz: those of a bass, and of everything else. By 24 dB an octave, so that they lie
/// 30 dB and more under what is added, and in linear phase: a cut that steep would else turn what it lets
/// through so far that it took away beside the direct sound.
const BASS_FROM_HZ: f64 = 190.0;
const OTHERS_FROM_HZ: f64 = 260.0;
/// Drive adds nothing worth keeping above this.
const UP_TO_HZ: f64 = 5000.0;
/// Drive in dB.
const DRIVE_DB: f64 = 24.0;

/// A new return beside a strip, driven, its lows cut, off until it is raised; one change. None
/// for the main and for what is not there.
#[must_use]
pub fn dirt(session: &Session, strip: u32) -> Option<Edit> {
    let family = session.strip(strip)?.family;
    beside(session, strip, "dirt", units(family).to_vec())
}

fn units(family: Family) -> [UnitSpec; 2] {
    let from_hz = if family == Family::Bs { BASS_FROM_HZ } else { OTHERS_FROM_HZ };
    let bands = [
        values!(BAND, {"shape": "high-pass", "freq_hz": from_hz, "slope_db_oct": 24}),
        values!(BAND, {"shape": "low-pass", "freq_hz": UP_TO_HZ, "slope_db_oct": 12}),
    ];
    let mut only = because("only what drive has added; the lows stay clean", unit_of_rows(&SURGICAL, &bands));
    only.settings.fixed.choose(id!(SURGICAL.tables.params, "phase"), "linear");
    let driven = values!(SATURATOR.tables.params, {"character": "diode", "drive_db": DRIVE_DB, "bias": 0.3});
    [unit_because(&SATURATOR, "raised until it is felt, not heard", &driven), only]
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::session::controls::OFF_DB;
    use crate::session::{AudioRef, Role};

    #[test]
    fn dirt_is_one_change_that_is_silent_until_it_is_raised_and_undone_at_once() {
        let mut before = Session::new("s", 48_000);
        let audio = AudioRef { hash: "a".into(), channels: 1, frames: 10, start: 0, stamp: None };
        let bass = before.add_strip("Bass", Family::Bs, Role::Track(audio), 1);
        let mut after = before.clone();
        let (_, undo) = dirt(&before, bass).unwrap().apply(&mut after).unwrap();
        let made = after.strips.iter().find(|s| s.name == "Bass dirt").unwrap();
        assert_eq!((made.role.clone(), made.feeds, made.rack.units.len()), (Role::Return, Some(1), 2));
        assert!(made.controls.number("level_db") <= OFF_DB);
        assert_eq!(after.strip(bass).unwrap().sends[0].to, made.id);
        undo.apply(&mut after).unwrap();
        assert_eq!(after.strips, before.strips);
        assert!(dirt(&before, 1).is_none() && dirt(&before, 99).is_none());
    }
}
