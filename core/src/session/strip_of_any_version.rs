//! Strips of whatever version: what this one cannot use is kept as it is, said, and written back, so that a session of a
//! newer version opens here ([`crate::rack::any_version`] does the same for racks).
//!
//! In the file it stands under `kept`, by its name (`family`, `controls.tilt`). Whoever reads a strip puts what is kept
//! back in its place first and tries it anew: the version that knows it finds it where it belongs.

use std::collections::BTreeMap;

use serde_json::{Map, Value as Json, json};

use super::controls::STRIP;
use super::family::Family;
use super::part::Part;
use crate::course::Courses;
use crate::unit::param::Param;
use crate::unit::value::read_json;

/// Most that is kept of one strip; a guard against hostile files.
const MOST: usize = 1000;
/// What a strip is as far as its path goes.
const ROLES: [&str; 4] = ["track", "bus", "return", "main"];

/// What is kept of one strip, by its name in the file.
pub type Kept = BTreeMap<String, Json>;

/// Takes what cannot be used out of a strip's file.
pub(super) fn take_out(object: &mut Map<String, Json>) -> Kept {
    put_back(object);
    let mut kept = Kept::new();
    let family = |value: &Json| value.as_str().is_some_and(|mark| Family::from_mark(mark).is_some());
    take_word(object, "family", &json!(Family::Fx.mark()), family, &mut kept);
    // What is neither a track nor known passes on what feeds it.
    let stands_for = if object.get("audio").is_some_and(Json::is_object) { "track" } else { "bus" };
    let role = |value: &Json| value.as_str().is_some_and(|role| ROLES.contains(&role));
    take_word(object, "role", &json!(stands_for), role, &mut kept);
    let part = |value: &Json| value.as_str().is_some_and(|id| Part::from_id(id).is_some());
    take_word(object, "part", &json!(Part::Unknown.id()), part, &mut kept);
    if let Some(Json::Object(controls)) = object.get_mut("controls") {
        take_controls(controls, &mut kept);
    }
    kept
}

/// Puts what was kept back in its place.
fn put_back(object: &mut Map<String, Json>) {
    let Some(Json::Object(kept)) = object.remove("kept") else { return };
    for (name, value) in kept.into_iter().take(MOST) {
        match name.strip_prefix("controls.") {
            Some(control) => {
                let controls = object.entry("controls").or_insert_with(|| json!({}));
                controls.as_object_mut().and_then(|controls| controls.insert(control.to_string(), value));
            }
            None if name == "over_time" => {
                let list = object.entry("over_time").or_insert_with(|| json!([]));
                let both = list.as_array_mut().zip(value.as_array());
                both.into_iter().for_each(|(list, kept)| list.extend(kept.iter().cloned()));
            }
            None => drop(object.insert(name, value)),
        }
    }
}

/// Keeps a word that is there and not known, with another in its place.
fn take_word(
    object: &mut Map<String, Json>,
    name: &str,
    stands_for: &Json,
    is_known: impl Fn(&Json) -> bool,
    kept: &mut Kept,
) {
    let Some(value) = object.get_mut(name).filter(|value| value.is_string() && !is_known(value)) else { return };
    kept.insert(name.to_string(), std::mem::replace(value, stands_for.clone()));
}

/// Keeps controls that are not known, and values that those there are cannot have.
fn take_controls(controls: &mut Map<String, Json>, kept: &mut Kept) {
    let reads = |name: &str, value: &Json| {
        STRIP.iter().find(|p| p.id == name).is_some_and(|p| read_json(&p.domain, value, String::new()).is_ok())
    };
    let others: Vec<String> =
        controls.iter().filter(|(name, value)| !reads(name, value)).map(|(name, _)| name.clone()).collect();
    for name in others.into_iter().take(MOST) {
        if let Some(value) = controls.remove(&name) {
            kept.insert(format!("controls.{name}"), value);
        }
    }
}

/// What changes with the song of a strip, and those courses that cannot be used, if any; `find` gives the parameter that a
/// path names.
pub(super) fn courses_of(over_time: &Json, find: impl Fn(&str) -> Option<&'static Param>) -> (Courses, Option<Json>) {
    let is_read = |course: &&Json| Courses::from_json(&json!([course]), &find).is_ok();
    let (own, others): (Vec<&Json>, Vec<&Json>) = over_time.as_array().into_iter().flatten().partition(is_read);
    let courses = Courses::from_json(&json!(own), &find).unwrap_or_default();
    (courses, (!others.is_empty()).then(|| json!(others)))
}

/// What is to be said of what is kept of a strip; none where nothing is.
#[must_use]
pub fn in_words(kept: &Kept) -> Option<String> {
    let name = |path: &String| path.strip_prefix("controls.").unwrap_or(path).replace('_', " ");
    let names: Vec<String> = kept.keys().map(name).collect();
    let are = if names.len() == 1 { "is" } else { "are" };
    (!names.is_empty()).then(|| {
        let names = names.join(", ");
        format!("What another version says of this strip {are} kept and {are} not heard here: {names}.")
    })
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::session::{Role, Strip};

    /// A strip as a later version might write it.
    fn later() -> Json {
        let mut strip = Strip::new(4, "Choir", Family::Fx, Role::Bus, Some(1)).to_json();
        strip["family"] = json!("VX");
        strip["role"] = json!("group");
        strip["part"] = json!("choir");
        strip["controls"]["tilt"] = json!(0.5);
        strip["controls"]["level_db"] = json!(40);
        strip["over_time"] =
            json!([{"param": "tilt", "points": []}, {"param": "pan", "points": [{"at": 9, "value": 0.25}]}]);
        strip
    }

    #[test]
    fn a_strip_of_a_later_version_opens_says_what_it_keeps_and_is_written_back_with_all_of_it() {
        let strip = Strip::from_json(&later()).unwrap();
        assert_eq!((strip.family, &strip.role, strip.part), (Family::Fx, &Role::Bus, Part::Unknown));
        assert_eq!(strip.controls.number("level_db"), 0.0);
        assert_eq!(strip.courses.list.len(), 1);
        let words = in_words(&strip.kept).unwrap();
        for name in ["family", "role", "part", "tilt", "level db", "over time"] {
            assert!(words.contains(name), "{words}");
        }
        // Read and written any number of times.
        let again = Strip::from_json(&Strip::from_json(&strip.to_json()).unwrap().to_json()).unwrap();
        assert_eq!(again, strip);
        // The version that knows it finds it in its place.
        let mut there = strip.to_json().as_object().unwrap().clone();
        put_back(&mut there);
        assert_eq!(
            (&there["family"], &there["role"], &there["part"]),
            (&json!("VX"), &json!("group"), &json!("choir"))
        );
        assert_eq!((&there["controls"]["tilt"], &there["controls"]["level_db"]), (&json!(0.5), &json!(40)));
        assert_eq!(there["over_time"].as_array().map(Vec::len), Some(2));
    }

    #[test]
    fn what_is_set_here_stands_in_place_of_what_was_kept() {
        let mut strip = Strip::from_json(&later()).unwrap();
        strip.set_control("level_db", &(-6).into()).unwrap();
        let again = Strip::from_json(&strip.to_json()).unwrap();
        assert_eq!(again.controls.number("level_db"), -6.0);
        assert!(!again.kept.contains_key("controls.level_db") && again.kept.contains_key("controls.tilt"));
    }

    #[test]
    fn a_strip_of_this_version_keeps_nothing() {
        let strip = Strip::new(4, "Bass", Family::Bs, Role::Bus, Some(1));
        let read = Strip::from_json(&strip.to_json()).unwrap();
        assert!(read.kept.is_empty() && in_words(&read.kept).is_none());
        assert!(strip.to_json().get("kept").is_none());
    }
}
