//! What no edit may bring into a session: names, numbers and amounts that could not be kept, or not be worked with. Every edit
//! is looked at before it is made; one that does not pass changes nothing.

use super::change::{Edit, MAX_NAME};
use super::error::EditError;
use crate::session::{AudioRef, Section, Session, Strip};

/// Latest frame of a song: a day into it at 384 kHz.
pub const LATEST_FRAME: u64 = 24 * 3600 * 384_000;
/// Most characters of a strip's note.
pub(super) const MAX_NOTE: usize = 2000;
/// Most strips of a session beside its main.
pub const MAX_STRIPS: usize = 500;
/// Most sections of a song.
pub const MAX_SECTIONS: usize = 500;
/// Most paths out of a strip beside what it feeds.
const MAX_SENDS: usize = 64;
/// Highest number of a set of recordings.
const HIGHEST_SET: u32 = 1_000_000;

type Checked = Result<(), EditError>;

/// Whether an edit brings nothing into a session that cannot be there.
pub(super) fn check(edit: &Edit, session: &Session) -> Checked {
    match edit {
        Edit::AddStrip { strip, .. } => {
            within(
                session.strips.len() <= MAX_STRIPS,
                "a session holds 500 tracks, buses and returns; this one was not added",
            )?;
            strip_fits(strip)
        }
        Edit::SetTakeSet { set, .. } => set_fits(*set),
        Edit::SetStart { start, stamp, .. } => {
            in_song(*start, "a track begins within a day; it was left where it was")?;
            in_song(stamp.unwrap_or(0), "a recording began within a day; the track was left where it was")
        }
        Edit::SetSends { sends, .. } => sends_fit(sends.len()),
        Edit::AddSection { section } => {
            sections_fit(session.sections.len() + 1)?;
            section_fits(section)
        }
        Edit::SetSection { section } => {
            let ends = [section.start, section.end].map(|at| at.unwrap_or(0));
            ends.iter().try_for_each(|at| in_song(*at, "a section lies within a day; the old ones were kept"))
        }
        Edit::SetSections { sections } => {
            sections_fit(sections.len())?;
            sections.iter().try_for_each(section_fits)
        }
        _ => Ok(()),
    }
}

fn strip_fits(strip: &Strip) -> Checked {
    let name = strip.name.trim().chars().count();
    if !(1..=MAX_NAME).contains(&name) {
        return Err(EditError::BadText("a name needs 1 to 120 characters; nothing was added"));
    }
    if strip.note.chars().count() > MAX_NOTE {
        return Err(EditError::BadText("a note holds 2000 characters; nothing was added"));
    }
    set_fits(strip.take_set)?;
    sends_fit(strip.sends.len())?;
    strip.audio().map_or(Ok(()), audio_fits)
}

fn audio_fits(audio: &AudioRef) -> Checked {
    within((1..=2).contains(&audio.channels), "a track is mono or stereo; nothing was added")?;
    let whole = audio.start.saturating_add(audio.frames);
    in_song(whole, "a track lies within a day; nothing was added")?;
    in_song(audio.stamp.unwrap_or(0), "a recording began within a day; nothing was added")
}

fn section_fits(section: &Section) -> Checked {
    in_song(section.end, "a section lies within a day; the old ones were kept")
}

fn in_song(frame: u64, why: &'static str) -> Checked {
    within(frame <= LATEST_FRAME, why)
}

fn set_fits(set: u32) -> Checked {
    within(set <= HIGHEST_SET, "sets of recordings are numbered up to 1000000; the old one was kept")
}

fn sends_fit(sends: usize) -> Checked {
    within(sends <= MAX_SENDS, "a strip has 64 sends at most; the old ones were kept")
}

fn sections_fit(sections: usize) -> Checked {
    within(sections <= MAX_SECTIONS, "a song has 500 sections at most; the old ones were kept")
}

fn within(fits: bool, why: &'static str) -> Checked {
    if fits { Ok(()) } else { Err(EditError::BadNumber(why)) }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::rack::UnitSpec;
    use crate::session::{Family, Role};
    use crate::unit::catalogue::kind;

    /// A session with two tracks, a unit on each; their identities and the units'.
    fn session() -> (Session, [u32; 2], [u32; 2]) {
        let mut session = Session::new("bounds", 48_000);
        let main = session.main_id();
        let audio = || AudioRef { hash: "ab".into(), channels: 1, frames: 1000, start: 0, stamp: None };
        let tracks = ["A", "B"].map(|name| session.add_strip(name, Family::Bs, Role::Track(audio()), main));
        for track in tracks {
            session.add_unit(track, UnitSpec::new(kind("compressor").unwrap()));
        }
        let units = tracks.map(|track| session.strip(track).unwrap().rack.units[0].id);
        (session, tracks, units)
    }

    fn add(session: &mut Session, change: impl Fn(&mut Strip)) -> Result<(), EditError> {
        let audio = AudioRef { hash: "cd".into(), channels: 1, frames: 1000, start: 0, stamp: None };
        let mut strip = Strip::new(0, "new", Family::Bs, Role::Track(audio), Some(session.main_id()));
        change(&mut strip);
        Edit::AddStrip { at: 0, strip: Box::new(strip) }.apply(session).map(|_| ())
    }

    fn audio_of(strip: &mut Strip) -> &mut AudioRef {
        let Role::Track(audio) = &mut strip.role else { panic!("a track") };
        audio
    }

    #[test]
    fn what_could_not_be_kept_is_refused_and_changes_nothing() {
        type Change = fn(&mut Strip);
        let bad: [(&str, Change); 9] = [
            ("an empty name", |s| s.name = "  ".into()),
            ("a long name", |s| s.name = "n".repeat(121)),
            ("a long note", |s| s.note = "n".repeat(2001)),
            ("a set beyond all", |s| s.take_set = u32::MAX),
            ("a start of 2^63", |s| audio_of(s).start = 1 << 63),
            ("a length that overflows", |s| (audio_of(s).start, audio_of(s).frames) = (1, u64::MAX)),
            ("three days", |s| audio_of(s).frames = 3 * LATEST_FRAME),
            ("five channels", |s| audio_of(s).channels = 5),
            ("a stamp of 2^62", |s| audio_of(s).stamp = Some(1 << 62)),
        ];
        for (what, change) in bad {
            let (mut session, ..) = session();
            let before = session.clone();
            let why = add(&mut session, change).expect_err(what).to_string();
            assert!(why.contains("nothing was added") || why.contains("kept"), "{what}: {why}");
            assert_eq!(session, before, "{what}");
        }
        let (mut session, [track, _], _) = session();
        let section = |end| Section { id: 0, name: "s".into(), start: 0, end };
        for edit in [
            Edit::SetStart { strip: track, start: 1 << 62, stamp: None },
            Edit::AddSection { section: section(1 << 62) },
            Edit::SetSections { sections: vec![section(10); MAX_SECTIONS + 1] },
            Edit::SetTakeSet { strip: track, set: 1 << 31 },
        ] {
            let before = session.clone();
            assert!(edit.apply(&mut session).is_err());
            assert_eq!(session, before);
        }
    }

    #[test]
    fn a_session_holds_five_hundred_strips_and_says_so_of_the_next() {
        let (mut session, ..) = session();
        for _ in 0..MAX_STRIPS - 2 {
            add(&mut session, |_| {}).unwrap();
        }
        let why = add(&mut session, |_| {}).unwrap_err().to_string();
        assert!(why.contains("500") && session.strips.len() == MAX_STRIPS + 1, "{why}");
    }

    #[test]
    fn identities_far_ahead_of_all_others_or_in_use_are_given_anew_and_the_next_ones_still_fit() {
        for id in [u32::MAX, (1 << 31) - 1, 1 << 31, 1_000_000_000] {
            let (mut session, [a, _], [_, on_b]) = session();
            add(&mut session, |strip| {
                strip.id = id;
                // Its own identity twice, and one that stands on another strip.
                for unit in [id, id, on_b] {
                    let mut spec = UnitSpec::new(kind("gate").unwrap());
                    spec.id = unit;
                    strip.rack.units.push(spec);
                }
            })
            .unwrap();
            let mut rack = session.strip(a).unwrap().rack.clone();
            let kept = rack.units[0].id;
            rack.units.extend([id, id, on_b, kept].map(|unit| UnitSpec { id: unit, ..rack.units[0].clone() }));
            Edit::ReplaceRack { strip: a, rack }.apply(&mut session).unwrap();
            assert_eq!(session.strip(a).unwrap().rack.units[0].id, kept, "its own stays");
            let section = Section { id, name: "s".into(), start: 0, end: 10 };
            Edit::AddSection { section: section.clone() }.apply(&mut session).unwrap();
            Edit::SetSections { sections: vec![section.clone(), section] }.apply(&mut session).unwrap();
            let units = session.strips.iter().flat_map(|strip| strip.rack.units.iter().map(|unit| unit.id));
            let strips = session.strips.iter().map(|strip| strip.id);
            let mut all: Vec<u32> = units.chain(strips).collect();
            let many = all.len();
            all.sort_unstable();
            all.dedup();
            assert_eq!(all.len(), many, "each is one thing's");
            let sections = session.sections.iter().map(|section| section.id);
            assert!(all.into_iter().chain(sections).all(|id| id > 0 && id < 1000) && session.next_id < 1000);
        }
    }
}
