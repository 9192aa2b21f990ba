//! The two sessions of the demo: as recorded, and worked.
//!
//! [`treatments`] reads what every strip's rack holds (`worked.json`); [`paths`] is where the strips go, and [`strips`]
//! finds, sets and orders them.

mod paths;
mod strips;
mod treatments;

use serde_json::json;
use zinc_core::rack::UnitSpec;
use zinc_core::session::{AudioRef, Family, Part, Role, Section, Session};

use self::strips::{in_signal_order, named, set};
use self::treatments::Treatment;
use crate::song::{BAR_FRAMES, BARS, PARTS, RATE, TEMPO_BPM};
use crate::stems::STEMS;

/// Name of the song.
pub const SONG: &str = "Copper Bell, Slow Tide";

/// All that says how the demo is laid out: its tracks, its sections and what is done to them. Another where a later version
/// has another demo.
#[must_use]
pub fn layout() -> String {
    let tracks = STEMS.iter().map(|stem| format!("{} {}\n", stem.family.mark(), stem.name));
    let sections = PARTS.iter().map(|part| format!("{part:?}\n"));
    let lines: String = tracks.chain(sections).collect();
    format!("{lines}{TEMPO_BPM}\n{}", treatments::WRITTEN)
}

/// The session with nothing on any rack. `audio` holds one payload per stem; of the song's sections it has those that are
/// played there.
#[must_use]
pub fn as_recorded(audio: &[AudioRef]) -> Session {
    let mut session = Session::new(&format!("{SONG} \u{b7} as recorded"), RATE);
    session.tempo_bpm = TEMPO_BPM;
    let played = audio.iter().map(|stem| stem.frames).max().unwrap_or(0);
    for (i, (_, name, bar)) in PARTS.iter().enumerate() {
        let end = PARTS.get(i + 1).map_or(BARS, |p| p.2);
        let [start, end] = [*bar, end].map(|bar| ((bar * BAR_FRAMES) as u64).min(played));
        if start < end {
            let id = session.take_id();
            session.sections.push(Section { id, name: (*name).to_string(), start, end });
        }
    }
    let buses: Vec<(Family, u32)> = [
        (Family::Dr, "Drums"),
        (Family::Bs, "Bass"),
        (Family::Gt, "Guitars"),
        (Family::Ky, "Keys"),
        (Family::Or, "Strings"),
    ]
    .map(|(family, name)| (family, session.add_strip(name, family, Role::Bus, 1)))
    .to_vec();
    for (stem, audio) in STEMS.iter().zip(audio) {
        let feeds = buses.iter().find(|(f, _)| *f == stem.family).map_or(1, |(_, id)| *id);
        let id = session.add_strip(stem.name, stem.family, Role::Track(audio.clone()), feeds);
        set(&mut session, id, "level_db", balance(stem.name).0);
        set(&mut session, id, "pan", balance(stem.name).1);
        if let Some(strip) = session.strip_mut(id) {
            strip.part = Part::from_name(stem.name);
        }
    }
    in_signal_order(&mut session);
    session
}

/// Level in dB and pan of a track, a rough balance.
fn balance(name: &str) -> (f64, f64) {
    match name {
        "Kick" => (-5.0, 0.0),
        "Snare" => (-8.0, 0.0),
        "Overheads" => (-12.0, 0.0),
        "Bass DI" => (-7.0, 0.0),
        "Bass cabinet" => (-12.0, 0.0),
        "Rhythm left DI" => (-11.0, -1.0),
        "Rhythm right DI" => (-11.0, 1.0),
        "Acoustic" => (-12.0, -0.2),
        "Lead DI" => (-8.0, 0.1),
        "Electric piano" => (-10.5, 0.0),
        "Organ" => (-13.0, 0.5),
        "Cellos" => (-11.0, -0.55),
        "Violins" => (-12.0, 0.55),
        _ => (-8.0, 0.0),
    }
}

/// The session with every track treated.
#[must_use]
pub fn worked(audio: &[AudioRef]) -> Session {
    let mut session = as_recorded(audio);
    session.name = format!("{SONG} \u{b7} worked");
    paths::route(&mut session);
    paths::spread(&mut session);
    for Treatment { strip: name, heard_raw: note, units } in treatments::treatments() {
        let Some(id) = session.strips.iter().find(|s| s.name == name).map(|s| s.id) else { continue };
        for mut unit in units {
            // A key is written by name above and known by identity in the document.
            if let Some(key) = unit["key"].as_str().map(|name| named(&session, name)) {
                unit["key"] = json!({ "strip": key, "tap": "after-rack" });
            }
            // So is what it follows: the first unit of the strip named.
            let followed = unit["follows"]["unit"].as_str().and_then(|name| first_eq(&session, name)).cloned();
            if let Some(followed) = &followed {
                unit["follows"]["unit"] = json!(followed.id);
            }
            if let Ok(mut unit) = UnitSpec::from_json(&unit, 1) {
                if let (Some(link), Some(followed)) = (&unit.follows, &followed) {
                    unit.settings = link.of(&followed.settings);
                }
                session.add_unit(id, unit);
            }
        }
        if let Some(strip) = session.strip_mut(id) {
            strip.note = note;
        }
    }
    paths::change_with_the_song(&mut session);
    session.supply();
    session
}

/// The first surgical EQ of the strip of this name.
fn first_eq<'s>(session: &'s Session, name: &str) -> Option<&'s UnitSpec> {
    session.strip(named(session, name))?.rack.units.iter().find(|unit| unit.kind.id == "surgical-eq")
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::stems::{ACOUSTIC_RING_HZ, SNARE_RING_HZ, VIOLIN_ROOM_HZ};

    fn audio() -> Vec<AudioRef> {
        bars(BARS)
    }

    fn bars(bars: usize) -> Vec<AudioRef> {
        let frames = (bars * BAR_FRAMES) as u64;
        STEMS.iter().map(|s| AudioRef { hash: s.name.into(), channels: 1, frames, start: 0, stamp: None }).collect()
    }

    #[test]
    fn a_shorter_song_has_the_sections_that_are_played_and_what_changes_in_them() {
        let sections = |count: usize| {
            let session = worked(&bars(count));
            assert_eq!(session.sections.last().map(|s| s.end), Some(session.frames()));
            session.sections.into_iter().map(|s| (s.name, s.start, s.end)).collect::<Vec<_>>()
        };
        let whole = sections(BARS);
        let bar = 115_200; // four beats at 100 a minute, of 48 kHz
        assert_eq!(whole[2], ("Lift".into(), 12 * bar, 16 * bar));
        assert_eq!(sections(16), whole[..3]);
        assert_eq!(sections(1), [("Intro".into(), 0, bar)]);
        assert_eq!(sections(20)[3], ("Chorus".into(), 16 * bar, 20 * bar));
        let changes = |session: &Session| {
            session.strips.iter().flat_map(|s| &s.rack.units).map(|u| u.courses.list.len()).sum::<usize>()
        };
        assert_eq!([16, BARS].map(|count| changes(&worked(&bars(count)))), [2, 3]);
    }

    #[test]
    fn every_strip_of_the_worked_session_is_treated_and_every_treatment_is_valid() {
        let session = worked(&audio());
        for Treatment { strip: name, units, .. } in treatments::treatments() {
            let strip = session.strips.iter().find(|s| s.name == name);
            assert_eq!(strip.map(|s| s.rack.units.len()), Some(units.len()), "{name}");
        }
        assert_eq!(session.strips.len(), 14 + 5 + 3 + 1);
        assert!(session.strips.iter().map(|s| s.rack.units.len()).sum::<usize>() >= 40);
        assert!(zinc_core::session::routing::order(&session).is_ok());
        assert!(session.strips.iter().flat_map(|s| &s.sends).all(|s| session.strip(s.to).is_some()));
        assert_eq!(session.strips.iter().flat_map(|s| &s.rack.units).filter(|u| u.key.is_some()).count(), 1);
    }

    #[test]
    fn what_the_stems_were_given_to_be_found_is_cut_where_it_is() {
        let session = worked(&audio());
        for (name, hz) in [("Snare", SNARE_RING_HZ), ("Acoustic", ACOUSTIC_RING_HZ), ("Violins", VIOLIN_ROOM_HZ)] {
            let eq = first_eq(&session, name).unwrap_or_else(|| panic!("no EQ on {name}"));
            let there = |row: &zinc_core::unit::Record| (row.number("freq_hz") / hz - 1.0).abs() < 1e-6;
            assert!(
                eq.settings.rows().iter().any(|row| there(row) && row.number("gain_db") < 0.0),
                "{name} at {hz} Hz"
            );
        }
    }

    #[test]
    fn the_right_rhythm_guitar_follows_the_left_mirrored_where_they_compete() {
        let session = worked(&audio());
        let eq = |name: &str| first_eq(&session, name).cloned().unwrap_or_else(|| panic!("no EQ on {name}"));
        let (left, right) = (eq("Rhythm left DI"), eq("Rhythm right DI"));
        let link = right.follows.clone().unwrap_or_else(|| panic!("no link"));
        assert_eq!(link.unit, left.id);
        let gains =
            |unit: &UnitSpec| unit.settings.rows().iter().map(|band| band.number("gain_db")).collect::<Vec<_>>();
        assert_eq!(gains(&left)[1..], [-5.0, 2.5, -2.0]);
        assert_eq!(gains(&right)[1..], [-5.0, -2.5, 2.0]);
    }

    #[test]
    fn both_sessions_are_whole_documents_with_all_faders_set() {
        for session in [as_recorded(&audio()), worked(&audio())] {
            assert!(session.tracks().all(|t| t.controls.number("level_db") < 0.0));
            assert!(Session::from_json(&session.to_json()).is_ok_and(|read| read == session));
            assert_eq!(session.sections.last().map(|s| s.end), Some(session.frames()));
        }
    }
}
