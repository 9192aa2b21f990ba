//! What changes with the song of a session, in words: what a print is recalled by.

use super::controls::sent_to;
use super::document::{Session, Strip};
use crate::course::Course;
use crate::course::text::format_clock;
use crate::rack::UnitSpec;
use crate::unit::param::{Domain, Param};
use crate::unit::text;
use crate::unit::value::Value;

impl Session {
    /// Whether anything of it changes with the song.
    #[must_use]
    pub fn changes_with_the_song(&self) -> bool {
        let changes =
            |strip: &Strip| !strip.courses.is_empty() || strip.rack.units.iter().any(|unit| !unit.courses.is_empty());
        self.strips.iter().any(changes)
    }

    /// What changes with the song of a strip and its rack, one entry for each value: what it is, its
    /// settings by section, and how far a lane goes.
    #[must_use]
    pub fn over_time_in_words(&self, strip: u32) -> Vec<String> {
        let Some(strip) = self.strip(strip) else { return Vec::new() };
        let own = strip.courses.list.iter().filter_map(|course| {
            Some(format!(
                "{}: {}",
                self.label(strip, &course.param),
                self.settings(course, strip.changing(&course.param)?)
            ))
        });
        let of_unit = |unit: &UnitSpec, course: &Course| {
            let settings = self.settings(course, unit.param(&course.param)?);
            Some(format!("{} of the {}: {settings}", unit.label(&course.param), unit.kind.name))
        };
        let units =
            strip.rack.units.iter().flat_map(|unit| {
                unit.courses.list.iter().filter_map(|course| of_unit(unit, course)).collect::<Vec<_>>()
            });
        own.chain(units).collect()
    }

    /// What a path of a strip that can change with the song names, in words.
    #[must_use]
    pub fn label(&self, strip: &Strip, path: &str) -> String {
        let label = strip.changing(path).map_or("level", |param| param.label);
        match sent_to(path).and_then(|to| self.strip(to)) {
            Some(to) => format!("send to {}", to.name),
            None => label.to_string(),
        }
    }

    fn settings(&self, course: &Course, param: &Param) -> String {
        let section = |id: u32| self.sections.iter().find(|s| s.id == id).map_or("?", |s| s.name.as_str());
        let here = |h: &crate::course::Here| format!("{} in {}", value_in_words(param, &h.value), section(h.section));
        let mut words: Vec<String> = course.sections.iter().map(here).collect();
        if let (Some(first), Some(last)) = (course.points.first(), course.points.last()) {
            let at = |frame: u64| format_clock(frame as f64 / f64::from(self.rate));
            let count = course.points.len();
            words.push(format!("automation from {} to {} ({count} points)", at(first.at), at(last.at)));
        }
        words.join(", ")
    }
}

fn value_in_words(param: &Param, value: &Value) -> String {
    match (param.domain, value) {
        (Domain::Number { quantity, .. }, Value::Number(n)) => text::format(quantity, *n),
        (Domain::Choice { options, .. }, Value::Choice(at)) => options.get(*at).map_or("?", |o| o.label).to_string(),
        (_, Value::On(on)) => (if *on { "on" } else { "off" }).to_string(),
        _ => "?".to_string(),
    }
}

#[cfg(test)]
mod tests {
    use super::super::{Edit, Family, Role, Section};
    use super::*;
    use serde_json::json;

    #[test]
    fn what_changes_is_said_with_its_sections_and_how_far_it_is_drawn() {
        let mut s = Session::new("words", 48_000);
        let bus = s.add_strip("Guitars", Family::Gt, Role::Bus, 1);
        s.add_unit(bus, UnitSpec::from_json(&json!({"kind": "compressor"}), 1).unwrap());
        let unit = s.strip(bus).unwrap().rack.units[0].id;
        let section = Section { id: 9, name: "Chorus".into(), start: 0, end: 48_000 };
        let points = json!([{"at": 48_000, "value": -3}, {"at": 4_800_000, "value": 0}]);
        for edit in [
            Edit::AddSection { section },
            Edit::SetHere { strip: bus, unit, param: "ratio".into(), section: 9, value: Some(8.into()) },
            Edit::SetLane {
                strip: bus,
                unit: 0,
                param: "level_db".into(),
                points: serde_json::from_value(points).unwrap(),
                over: None,
            },
        ] {
            edit.apply(&mut s).unwrap();
        }
        let said = s.over_time_in_words(bus);
        assert_eq!(
            said,
            ["level: automation from 0:01.0 to 1:40.0 (2 points)", "ratio of the Compressor: 8:1 in Chorus"]
        );
    }
}
