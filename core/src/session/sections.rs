//! Sections of the song as an engineer handles them: placed without overlaps, split with all that holds in them.

use super::document::{Section, SectionChange, Session};
use super::edit::Edit;
use crate::course::Courses;
use crate::rack::UnitSpec;
use crate::unit::param::Param;
use crate::unit::value::write_value;

/// A section put where somebody wants it, and whom it takes a part from.
#[derive(Clone, Debug)]
pub struct Placing {
    /// All of it as one change.
    pub edit: Edit,
    /// Names of those that are cut shorter.
    pub cut: Vec<String>,
}

impl Session {
    /// The change that puts a section (with identity 0: a new one) at its limits: whoever reaches into it from one side is
    /// cut shorter.
    ///
    /// # Errors
    /// Where it would lie within another or cover one, in words.
    pub fn placing(&self, section: &Section) -> Result<Placing, String> {
        let own = match section.id {
            0 => Edit::AddSection { section: section.clone() },
            id => Edit::SetSection { section: SectionChange::limits(id, section.start, section.end) },
        };
        let (mut edits, mut cut) = (Vec::new(), Vec::new());
        for other in self.sections.iter().filter(|other| other.id != section.id) {
            let shorter = match (other.start < section.start, other.end > section.end) {
                _ if other.end <= section.start || other.start >= section.end => continue,
                (true, true) => {
                    return Err(format!(
                        "\"{}\" would lie within \"{}\": split that one first. Nothing was changed.",
                        section.name, other.name
                    ));
                }
                (false, false) => {
                    return Err(format!(
                        "\"{}\" would cover \"{}\": remove that one first. Nothing was changed.",
                        section.name, other.name
                    ));
                }
                (true, false) => SectionChange { end: Some(section.start), ..SectionChange::default() },
                (false, true) => SectionChange { start: Some(section.end), ..SectionChange::default() },
            };
            cut.push(other.name.clone());
            edits.push(Edit::SetSection { section: SectionChange { id: other.id, ..shorter } });
        }
        edits.push(own);
        let edit = if edits.len() == 1 { edits.remove(0) } else { Edit::Several { edits } };
        Ok(Placing { edit, cut })
    }

    /// The change that makes two sections of one at a frame within it; what differs in it differs in both.
    ///
    /// # Errors
    /// A frame that is not within it, in words.
    pub fn splitting(&self, section: u32, at: u64) -> Result<Edit, String> {
        let found = self.sections.iter().find(|s| s.id == section);
        let found = found.ok_or("That section is not there any more. Nothing was changed.")?;
        if at <= found.start || at >= found.end {
            return Err(format!("That place is not within \"{}\". Nothing was changed.", found.name));
        }
        let id = self.clone().take_id();
        let second = Section { id, name: format!("{} 2", found.name), start: at, end: found.end };
        let first = SectionChange { id: section, end: Some(at), ..SectionChange::default() };
        let mut edits = vec![Edit::SetSection { section: first }, Edit::AddSection { section: second }];
        for strip in &self.strips {
            edits.extend(held_too(strip.id, 0, &strip.courses, section, id, |path| strip.changing(path)));
            // What follows another takes its differences from there.
            let own = |unit: &UnitSpec, path: &str| unit.follows.is_none() || unit.common.has(path);
            for unit in &strip.rack.units {
                let param = |path: &str| unit.param(path).filter(|_| own(unit, path));
                edits.extend(held_too(strip.id, unit.id, &unit.courses, section, id, param));
            }
        }
        Ok(Edit::Several { edits })
    }

    /// A stretch in which a new section finds room: from a frame on, up to the next section or for so many frames.
    #[must_use]
    pub fn room_for_section(&self, from: u64, frames: u64) -> (u64, u64) {
        let mut start = from;
        for section in &self.sections {
            if section.start <= start && start < section.end {
                start = section.end;
            }
        }
        let next = self.sections.iter().map(|s| s.start).filter(|at| *at > start).min();
        (start, next.map_or(start + frames, |next| next.min(start + frames)))
    }
}

/// Edits that make every value which differs in one section differ as much in another.
fn held_too<'a>(
    strip: u32,
    unit: u32,
    courses: &'a Courses,
    from: u32,
    to: u32,
    param: impl Fn(&str) -> Option<&'static Param> + 'a,
) -> impl Iterator<Item = Edit> + 'a {
    courses.list.iter().filter_map(move |course| {
        let here = course.sections.iter().find(|h| h.section == from)?;
        let value = Some(write_value(&param(&course.param)?.domain, &here.value));
        Some(Edit::SetHere { strip, unit, param: course.param.clone(), section: to, value })
    })
}

#[cfg(test)]
#[allow(clippy::unwrap_used)]
mod tests {
    use super::*;
    use crate::session::{Family, Role};
    use serde_json::json;

    fn song() -> Session {
        let mut s = Session::new("sections", 48_000);
        for (name, start, end) in [("Verse", 0, 100), ("Chorus", 100, 200), ("End", 300, 400)] {
            let section = Section { id: 0, name: name.into(), start, end };
            Edit::AddSection { section }.apply(&mut s).unwrap();
        }
        s
    }

    fn limits(s: &Session) -> Vec<(&str, u64, u64)> {
        s.sections.iter().map(|s| (s.name.as_str(), s.start, s.end)).collect()
    }

    #[test]
    fn a_section_that_is_moved_cuts_its_neighbours_and_never_overlaps_them() {
        let mut s = song();
        let chorus = Section { start: 80, end: 320, ..s.sections[1].clone() };
        let placing = s.placing(&chorus).unwrap();
        assert_eq!(placing.cut, ["Verse", "End"]);
        let (_, inverse) = placing.edit.apply(&mut s).unwrap();
        assert_eq!(limits(&s), [("Verse", 0, 80), ("Chorus", 80, 320), ("End", 320, 400)]);
        inverse.apply(&mut s).unwrap();
        assert_eq!(limits(&s), limits(&song()), "one step of undo");
    }

    #[test]
    fn what_would_lie_within_another_or_cover_one_is_refused_in_words() {
        let s = song();
        let new = |start, end| Section { id: 0, name: "New".into(), start, end };
        assert!(s.placing(&new(120, 150)).unwrap_err().contains("within \"Chorus\""));
        assert!(s.placing(&new(250, 450)).unwrap_err().contains("cover \"End\""));
        assert!(s.placing(&new(200, 300)).unwrap().cut.is_empty(), "what only touches is left alone");
    }

    #[test]
    fn both_halves_of_a_split_section_differ_as_the_whole_did() {
        let mut s = song();
        let bus = s.add_strip("Guitars", Family::Gt, Role::Bus, 1);
        s.add_unit(bus, UnitSpec::from_json(&json!({"kind": "compressor"}), 1).unwrap());
        let (unit, chorus) = (s.strip(bus).unwrap().rack.units[0].id, s.sections[1].id);
        let here = |unit, param: &str, value: serde_json::Value| Edit::SetHere {
            strip: bus,
            unit,
            param: param.into(),
            section: chorus,
            value: Some(serde_json::from_value(value).unwrap()),
        };
        here(unit, "ratio", json!(8)).apply(&mut s).unwrap();
        here(unit, "action", json!("opto")).apply(&mut s).unwrap();
        here(0, "level_db", json!(-3)).apply(&mut s).unwrap();
        let before = s.to_json();
        let (_, inverse) = s.splitting(chorus, 150).unwrap().apply(&mut s).unwrap();
        assert_eq!(limits(&s)[1..3], [("Chorus", 100, 150), ("Chorus 2", 150, 200)]);
        let second = s.sections[2].id;
        let strip = s.strip(bus).unwrap();
        let courses = strip.courses.list.iter().chain(&strip.rack.units[0].courses.list);
        let pairs: Vec<_> =
            courses.map(|c| [chorus, second].map(|id| c.sections.iter().find(|h| h.section == id))).collect();
        assert_eq!(pairs.len(), 3);
        assert!(pairs.iter().all(|[a, b]| a.is_some() && a.map(|h| &h.value) == b.map(|h| &h.value)));
        inverse.apply(&mut s).unwrap();
        assert_eq!(s.to_json()["sections"], before["sections"]);
        assert!(s.splitting(chorus, 100).is_err() && s.splitting(999, 5).is_err());
    }

    #[test]
    fn a_new_section_finds_the_first_free_stretch() {
        let s = song();
        assert_eq!(s.room_for_section(0, 500), (200, 300));
        assert_eq!(s.room_for_section(350, 500), (400, 900));
        assert_eq!(s.room_for_section(210, 20), (210, 230));
    }
}
