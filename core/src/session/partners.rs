//! Which strips belong together: where a unit is likely copied to.

use super::document::{Session, Strip};

/// Words by which the two sides of a double are told apart.
const SIDES: [(&str, &str); 4] = [("left", "right"), ("l", "r"), ("1", "2"), ("a", "b")];

/// The other strips of a session, the likeliest partner of `strip` first: the other side of a
/// double, then strips of the same part, then of the same family, then the rest; strips of one
/// kind in the session's order. Empty where there is no such strip.
#[must_use]
pub fn likely_partners(session: &Session, strip: u32) -> Vec<u32> {
    let Some(own) = session.strip(strip) else { return Vec::new() };
    let mut others: Vec<&Strip> = session.strips.iter().filter(|s| s.id != strip).collect();
    // The sort is stable.
    others.sort_by_key(|other| distance(own, other));
    others.iter().map(|s| s.id).collect()
}

fn distance(own: &Strip, other: &Strip) -> u8 {
    if are_sides(&own.name, &other.name) {
        0
    } else if own.is_track() == other.is_track() && own.part == other.part && own.part != super::Part::Unknown {
        1
    } else if own.is_track() == other.is_track() && own.family == other.family {
        2
    } else {
        3
    }
}

/// Whether two names differ only in the word for their side.
fn are_sides(one: &str, other: &str) -> bool {
    let words = |name: &str| -> Vec<String> {
        let apart = |c: char| !c.is_alphanumeric();
        name.to_lowercase().split(apart).filter(|w| !w.is_empty()).map(str::to_string).collect()
    };
    let (one, other) = (words(one), words(other));
    let mut differ = one.iter().zip(&other).filter(|(a, b)| a != b);
    let (Some((a, b)), None) = (differ.next(), differ.next()) else { return false };
    let sides = |(left, right): &(&str, &str)| (a == left && b == right) || (a == right && b == left);
    one.len() == other.len() && SIDES.iter().any(sides)
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::session::{AudioRef, Family, Part, Role};

    fn session(names: &[&str]) -> Session {
        let mut session = Session::new("s", 48_000);
        for name in names {
            let audio = AudioRef { hash: (*name).into(), channels: 1, frames: 10, start: 0, stamp: None };
            let id = session.add_strip(name, Family::guess(name), Role::Track(audio), 1);
            if let Some(strip) = session.strip_mut(id) {
                strip.part = Part::from_name(name);
            }
        }
        session
    }

    fn first(session: &Session, of: &str) -> String {
        let id = session.strips.iter().find(|s| s.name == of).map_or(0, |s| s.id);
        let partner = likely_partners(session, id)[0];
        session.strip(partner).map(|s| s.name.clone()).unwrap_or_default()
    }

    #[test]
    fn the_other_side_of_a_double_comes_first_then_the_part_then_the_family() {
        let session = session(&["Kick", "Bass DI", "Gtr L", "Acoustic", "Gtr_R", "Bass cabinet", "Vox 1", "Vox 2"]);
        assert_eq!(first(&session, "Gtr L"), "Gtr_R");
        assert_eq!(first(&session, "Gtr_R"), "Gtr L");
        assert_eq!(first(&session, "Vox 2"), "Vox 1");
        assert_eq!(first(&session, "Bass DI"), "Bass cabinet");
        assert_eq!(first(&session, "Acoustic"), "Gtr L");
        assert_eq!(likely_partners(&session, 2).len(), session.strips.len() - 1);
        assert!(likely_partners(&session, 99).is_empty());
    }

    #[test]
    fn names_that_differ_in_more_than_a_side_are_no_double() {
        for (one, other) in [("Gtr L", "Gtr L"), ("Gtr L 1", "Gtr R 2"), ("Gtr L", "Keys R"), ("Left", "Lefty")] {
            assert!(!are_sides(one, other), "{one} and {other}");
        }
        assert!(are_sides("Rhythm left DI", "Rhythm right DI") && are_sides("2", "1"));
    }
}
