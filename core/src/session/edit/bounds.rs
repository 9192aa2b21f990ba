//! What no edit may bring into a session: names, numbers and amounts that could not be kept, or not be worked with. Every edit
//! is looked at before it is made; one that does not pass changes nothing.

use super::change::Edit;
use super::error::EditError;
use crate::course::Courses;
use crate::rack::{MAX_NAME, MAX_NOTE, RackSpec};
use crate::session::{AudioRef, Section, Session, Strip};

/// Latest frame of a song: a day into it at 384 kHz.
pub const LATEST_FRAME: u64 = 24 * 3600 * 384_000;
/// Most strips of a session beside its main.
pub const MAX_STRIPS: usize = 500;
/// Most sections of a song.
pub const MAX_SECTIONS: usize = 500;
/// Most units of a session.
pub const MAX_SESSION_UNITS: usize = 4000;
/// Most points in the lanes of a session.
pub const MAX_SESSION_POINTS: usize = 200_000;
/// Most changes made as one, those of what follows a unit among them.
const MAX_TOGETHER: usize = 2000;
/// Most paths out of a strip beside what it feeds.
const MAX_SENDS: usize = 32;
/// Highest number of a set of recordings.
const HIGHEST_SET: u32 = 1_000_000;

type Checked = Result<(), EditError>;

/// What is said to an edit that was made, with its inverse, of the session as it is then, and whether units came in by it.
pub(super) type CheckMade = fn(&(Edit, Edit), &Session, bool) -> Checked;

/// Whether an edit brings nothing into a session that cannot be there.
pub(super) fn check(edit: &Edit, session: &Session) -> Checked {
    match edit {
        Edit::Rename { name, .. } => name_fits(name),
        // A unit without a name of its own is called by its kind.
        Edit::NameUnit { name, .. } if name.trim().is_empty() => Ok(()),
        Edit::NameUnit { name, .. } => name_fits(name),
        Edit::SetNote { note, .. } | Edit::SetWhy { why: note, .. } => note_fits(note),
        Edit::AddStrip { strip, .. } => {
            let whole = "a session";
            at_most(whole, session.strips.len(), MAX_STRIPS, "tracks, buses and returns")?;
            strip_fits(strip)
        }
        Edit::SetTakeSet { set, .. } => set_fits(*set),
        Edit::SetStart { start, stamp, .. } => {
            in_song(*start, "a track begins within a day")?;
            in_song(stamp.unwrap_or(0), "a recording began within a day")
        }
        Edit::SetSends { sends, .. } => sends_fit(sends.len()),
        Edit::AddSection { section } => {
            sections_fit(session.sections.len() + 1)?;
            section_fits(section)
        }
        Edit::SetSection { section } => {
            section.name.as_deref().map_or(Ok(()), name_fits)?;
            let limits = [section.start, section.end].map(|at| at.unwrap_or(0));
            limits.iter().try_for_each(|at| in_song(*at, "a section lies within a day"))
        }
        Edit::SetSections { sections } => {
            sections_fit(sections.len())?;
            sections.iter().try_for_each(section_fits)
        }
        Edit::Several { edits } => {
            together_fit(edits.len())?;
            edits.iter().try_for_each(|edit| check(edit, session))
        }
        _ => Ok(()),
    }
}

/// Whether what an edit has made of a session, and what it takes to go back, can be worked with.
pub(super) fn check_made((edit, inverse): &(Edit, Edit), session: &Session, brings_units: bool) -> Checked {
    together_fit(edit.each().len())?;
    Size::default().add(edit, inverse)?;
    // A session of before there were bounds is worked with as it is: only what is added to counts.
    let adds = |added: fn(&Edit) -> bool| edit.each().iter().any(added);
    if adds(|one| matches!(one, Edit::AddStrip { .. })) {
        at_most("a session", session.strips.len() - 1, MAX_STRIPS, "tracks, buses and returns")?;
    }
    if adds(|one| matches!(one, Edit::AddSection { .. })) {
        sections_fit(session.sections.len())?;
    }
    if brings_units || adds(|one| matches!(one, Edit::SetLane { .. })) {
        let racks = || session.strips.iter().map(|strip| &strip.rack);
        at_most("a session", racks().map(|rack| rack.units.len()).sum(), MAX_SESSION_UNITS, "units")?;
        let points = session.strips.iter().map(points_of_strip).sum();
        at_most("a session", points, MAX_SESSION_POINTS, "automation points")?;
    }
    Ok(())
}

/// How many points of lanes an edit brings, and how many its inverse: what a change costs to keep.
#[derive(Default)]
pub(super) struct Size {
    forth: usize,
    back: usize,
}

impl Size {
    /// Counts one change more.
    ///
    /// # Errors
    /// More points than a session has room for.
    pub fn add(&mut self, edit: &Edit, inverse: &Edit) -> Checked {
        self.forth += points(edit);
        self.back += points(inverse);
        at_most("one change", self.forth.max(self.back), MAX_SESSION_POINTS, "automation points")
    }
}

fn points(edit: &Edit) -> usize {
    match edit {
        Edit::SetLane { points, .. } => points.len(),
        Edit::AddUnit { unit, .. } | Edit::SetUnit { unit, .. } => points_of(&unit.courses),
        Edit::ReplaceRack { rack, .. } => points_of_rack(rack),
        Edit::AddStrip { strip, .. } => points_of_strip(strip),
        Edit::Several { edits } => edits.iter().map(points).sum(),
        _ => 0,
    }
}

fn points_of(courses: &Courses) -> usize {
    courses.list.iter().map(|course| course.points.len()).sum()
}

fn points_of_rack(rack: &RackSpec) -> usize {
    rack.units.iter().map(|unit| points_of(&unit.courses)).sum()
}

fn points_of_strip(strip: &Strip) -> usize {
    points_of(&strip.courses) + points_of_rack(&strip.rack)
}

fn together_fit(changes: usize) -> Checked {
    at_most("one step", changes, MAX_TOGETHER, "changes")
}

fn name_fits(name: &str) -> Checked {
    if (1..=MAX_NAME).contains(&name.trim().chars().count()) { Ok(()) } else { Err(EditError::BadName) }
}

fn note_fits(note: &str) -> Checked {
    if note.chars().count() <= MAX_NOTE { Ok(()) } else { Err(EditError::LongNote) }
}

fn strip_fits(strip: &Strip) -> Checked {
    name_fits(&strip.name)?;
    note_fits(&strip.note)?;
    set_fits(strip.take_set)?;
    sends_fit(strip.sends.len())?;
    strip.audio().map_or(Ok(()), audio_fits)
}

fn audio_fits(audio: &AudioRef) -> Checked {
    within((1..=2).contains(&audio.channels), "a track is mono or stereo")?;
    in_song(audio.start.saturating_add(audio.frames), "a track lies within a day")?;
    in_song(audio.stamp.unwrap_or(0), "a recording began within a day")
}

fn section_fits(section: &Section) -> Checked {
    name_fits(&section.name)?;
    in_song(section.end, "a section lies within a day")
}

fn in_song(frame: u64, why: &'static str) -> Checked {
    within(frame <= LATEST_FRAME, why)
}

fn set_fits(set: u32) -> Checked {
    within(set <= HIGHEST_SET, "sets of recordings are numbered up to a million")
}

fn sends_fit(sends: usize) -> Checked {
    at_most("a strip", sends, MAX_SENDS, "sends")
}

fn sections_fit(sections: usize) -> Checked {
    at_most("a song", sections, MAX_SECTIONS, "sections")
}

fn at_most(whole: &'static str, many: usize, most: usize, what: &'static str) -> Checked {
    if many <= most { Ok(()) } else { Err(EditError::TooMany { whole, most, what }) }
}

fn within(fits: bool, why: &'static str) -> Checked {
    if fits { Ok(()) } else { Err(EditError::BadNumber(why)) }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::rack::UnitSpec;
    use crate::session::{AuxSend, Family, Role};
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
            assert!(add(&mut session, change).is_err(), "{what}");
            assert_eq!(session, before, "{what}");
        }
        let (mut session, [track, _], [unit, _]) = session();
        let section = |end| Section { id: 0, name: "s".into(), start: 0, end };
        let long = || "n".repeat(MAX_NAME + 1);
        for edit in [
            Edit::Rename { strip: track, name: " ".into() },
            Edit::Rename { strip: track, name: long() },
            Edit::NameUnit { strip: track, unit, name: long() },
            Edit::SetNote { strip: track, note: "n".repeat(MAX_NOTE + 1) },
            Edit::SetWhy { strip: track, unit, why: "n".repeat(MAX_NOTE + 1) },
            Edit::AddSection { section: Section { name: long(), ..section(10) } },
            Edit::SetSends {
                strip: track,
                sends: vec![AuxSend { to: 1, level_db: 0.0, before_fader: false }; MAX_SENDS + 1],
            },
            Edit::SetStart { strip: track, start: 1 << 62, stamp: None },
            Edit::AddSection { section: section(1 << 62) },
            Edit::SetSections { sections: vec![section(10); MAX_SECTIONS + 1] },
            Edit::SetTakeSet { strip: track, set: 1 << 31 },
        ] {
            let before = session.clone();
            assert!(edit.apply(&mut session).is_err());
            assert_eq!(session, before);
        }
        for edit in [
            Edit::Rename { strip: track, name: "n".repeat(MAX_NAME) },
            Edit::NameUnit { strip: track, unit, name: String::new() },
            Edit::SetStart { strip: track, start: LATEST_FRAME, stamp: Some(LATEST_FRAME) },
        ] {
            assert!(edit.apply(&mut session).is_ok(), "{edit:?}");
        }
    }

    #[test]
    fn a_session_holds_five_hundred_strips_and_says_so_of_the_next() {
        let (mut session, ..) = session();
        for _ in 0..MAX_STRIPS - 2 {
            add(&mut session, |_| {}).unwrap();
        }
        let why = add(&mut session, |_| {}).unwrap_err().to_string();
        assert!(why.contains("500 tracks, buses and returns") && session.strips.len() == MAX_STRIPS + 1, "{why}");
    }

    fn lane_of(points: usize) -> Edit {
        let all: Vec<serde_json::Value> =
            (0..points).map(|at| serde_json::json!({"at": at * 997, "value": -(at as i64 % 30)})).collect();
        let points = serde_json::from_value(serde_json::json!(all)).unwrap();
        Edit::SetLane { strip: 2, unit: 0, param: "level_db".into(), points, over: None }
    }

    #[test]
    fn a_tempo_set_again_and_again_gives_each_lane_back_once() {
        let (mut session, ..) = session();
        session.points_on_beats = true;
        lane_of(4000).apply(&mut session).unwrap();
        let before = session.clone();
        let tempi = (0..160).map(|n| Edit::SetTempo { tempo_bpm: 91.3 + f64::from(n), beats_per_bar: 4 }).collect();
        let (edit, inverse) = Edit::Several { edits: tempi }.apply(&mut session).unwrap();
        assert_eq!((edit.each().len(), inverse.each().len()), (160, 161), "and not a copy of it for every tempo");
        assert_ne!(session, before);
        inverse.apply_kept(&mut session).unwrap();
        assert_eq!(session, before);
    }

    #[test]
    fn what_takes_more_changes_to_undo_than_one_step_may_have_is_undone() {
        let (mut session, [track, _], _) = session();
        let section = Section { id: 90, name: "s".into(), start: 0, end: 10 };
        Edit::AddSection { section }.apply(&mut session).unwrap();
        for param in ["level_db", "pan"] {
            let here = Edit::SetHere { strip: track, unit: 0, param: param.into(), section: 90, value: Some(0.into()) };
            here.apply(&mut session).unwrap();
        }
        let before = session.clone();
        let level = |n: usize| Edit::SetControl {
            strip: track,
            control: "level_db".into(),
            value: (-(n as f64 % 30.0)).into(),
        };
        let mut edits: Vec<Edit> = (0..MAX_TOGETHER - 1).map(level).collect();
        edits.push(Edit::RemoveSection { section: 90 });
        let (_, inverse) = Edit::Several { edits: edits.clone() }.apply(&mut session).unwrap();
        assert!(inverse.each().len() > MAX_TOGETHER);
        inverse.apply_kept(&mut session).unwrap();
        assert_eq!(session, before);
        edits.push(level(1));
        let why = Edit::Several { edits }.apply(&mut session).unwrap_err().to_string();
        assert!(why.contains("2000 changes") && session == before, "{why}");
    }

    #[test]
    fn more_units_or_points_than_a_session_has_room_for_are_refused_and_leave_all_as_it_was() {
        let (mut session, [track, other], [unit, _]) = session();
        let copy = Edit::CopyUnit { strip: track, unit, to: track, linked: false, mirrored: Vec::new() };
        for _ in 0..63 {
            copy.apply(&mut session).unwrap();
        }
        for at in 0..63 {
            let strip = Strip { id: 0, ..session.strip(track).unwrap().clone() };
            let added = Edit::AddStrip { at, strip: Box::new(strip) }.apply(&mut session);
            assert_eq!(added.is_ok(), at < 61, "of 64 units each: {at}");
        }
        let before = session.clone();
        let rack = session.strip(track).unwrap().rack.clone();
        let why = Edit::ReplaceRack { strip: other, rack }.apply(&mut session).unwrap_err().to_string();
        assert!(why.contains("4000 units") && session == before, "{why}");
        // A value is set all the same.
        Edit::Rename { strip: track, name: "still here".into() }.apply(&mut session).unwrap();
    }

    #[test]
    fn a_change_that_would_keep_a_long_lane_a_thousand_times_is_refused() {
        let (mut session, [track, other], [unit, _]) = session();
        let follow = Edit::CopyUnit { strip: track, unit, to: other, linked: true, mirrored: Vec::new() };
        follow.apply(&mut session).unwrap();
        let Edit::SetLane { points, .. } = lane_of(4000) else { panic!("a lane") };
        Edit::SetLane { strip: track, unit, param: "threshold_db".into(), points, over: None }
            .apply(&mut session)
            .unwrap();
        let before = session.clone();
        let turn = |n: usize| Edit::SetParam {
            strip: track,
            unit,
            param: "ratio".into(),
            value: (2.0 + n as f64 / 1000.0).into(),
        };
        let why = Edit::Several { edits: (0..1000).map(turn).collect() }.apply(&mut session).unwrap_err().to_string();
        assert!(why.contains("200000 automation points") && session == before, "{why}");
        Edit::Several { edits: (0..10).map(turn).collect() }.apply(&mut session).unwrap();
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
