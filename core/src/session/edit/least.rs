//! From a unit before and after to the least edit that leads there: a value, a row, its words. The less an edit names,
//! the more of two windows' edits go beside each other.

use super::change::Edit;
use crate::rack::UnitSpec;
use crate::unit::param::{Param, Rows};
use crate::unit::settings::Record;
use crate::unit::value::{Written, write_value};

/// More values than this at once are one change of the whole unit.
const MOST_VALUES: usize = 48;

impl Edit {
    /// The edit that leads from a unit of a strip to its next state; none where nothing differs. Both are of one kind
    /// and one identity.
    #[must_use]
    pub fn between(strip: u32, before: &UnitSpec, after: &UnitSpec) -> Option<Self> {
        let unit = after.id;
        let param = |(param, value)| Self::SetParam { strip, unit, param, value };
        let mut edits: Vec<Self> = values(&before.common, &after.common, "").into_iter().map(param).collect();
        if before.name != after.name {
            edits.push(Self::NameUnit { strip, unit, name: after.name.clone() });
        }
        if before.why != after.why {
            edits.push(Self::SetWhy { strip, unit, why: after.why.clone() });
        }
        if before.key != after.key {
            edits.push(Self::SetKey { strip, unit, key: after.key });
        }
        if before.follows != after.follows {
            edits.push(Self::SetFollows { strip, unit, follows: after.follows.clone() });
        }
        edits.extend(values(&before.settings.fixed, &after.settings.fixed, "").into_iter().map(param));
        let lists = before.settings.lists.iter().zip(&after.settings.lists).zip(after.kind.tables.lists);
        for ((was, is), rows) in lists {
            match of_rows(rows, was, is) {
                Some(OfRows::Values(values)) => edits.extend(values.into_iter().map(param)),
                Some(OfRows::Added(at)) => {
                    let row = is[at].written();
                    edits.push(Self::AddRow { strip, unit, list: rows.id.into(), at, row });
                }
                Some(OfRows::Removed(at)) => edits.push(Self::RemoveRow { strip, unit, list: rows.id.into(), at }),
                None => return Some(Self::SetUnit { strip, unit: Box::new(after.clone()) }),
            }
        }
        match edits.len() {
            0 => None,
            1 => edits.pop(),
            n if n > MOST_VALUES => Some(Self::SetUnit { strip, unit: Box::new(after.clone()) }),
            _ => Some(Self::Several { edits }),
        }
    }
}

/// The values of a record that differ, by path.
fn values(was: &Record, is: &Record, path: &str) -> Vec<(String, Written)> {
    let written = |(param, value): (&Param, &_)| (format!("{path}{}", param.id), write_value(&param.domain, value));
    is.differences(was).map(written).collect()
}

/// What happened to the rows of a list.
enum OfRows {
    Values(Vec<(String, Written)>),
    Added(usize),
    Removed(usize),
}

/// None for anything but values, one row more, or one less.
fn of_rows(rows: &Rows, was: &[Record], is: &[Record]) -> Option<OfRows> {
    if was.len() == is.len() {
        let pairs = was.iter().zip(is).enumerate();
        let of = pairs.flat_map(|(i, (was, is))| values(was, is, &format!("{}[{i}].", rows.id)));
        return Some(OfRows::Values(of.collect()));
    }
    let (short, long) = if was.len() < is.len() { (was, is) } else { (is, was) };
    let at = short.iter().zip(long).position(|(a, b)| a != b).unwrap_or(short.len());
    if long.len() != short.len() + 1 || short[at..] != long[at + 1..] {
        return None;
    }
    Some(if was.len() < is.len() { OfRows::Added(at) } else { OfRows::Removed(at) })
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::session::{Family, Role, Session};
    use proptest::prelude::*;
    use serde_json::{Value as Json, json};

    fn unit(json: &Json) -> UnitSpec {
        let mut unit = UnitSpec::from_json(json, 1).unwrap();
        unit.id = 7;
        unit
    }

    fn eq(bands: &[Json]) -> UnitSpec {
        unit(&json!({"kind": "surgical-eq", "params": {"bands": bands}}))
    }

    #[test]
    fn one_value_one_row_and_one_word_are_each_the_edit_of_that_and_nothing_is_none() {
        let [a, b, c] = [100, 200, 300].map(|hz| json!({"freq_hz": hz}));
        let before = eq(&[a.clone(), c.clone()]);
        assert_eq!(Edit::between(4, &before, &before), None);
        let name = |edit: Option<Edit>| edit.map(|edit| serde_json::to_value(edit).unwrap()["edit"].clone());
        assert_eq!(name(Edit::between(4, &before, &eq(&[a.clone(), b.clone()]))), Some(json!("set-param")));
        assert_eq!(name(Edit::between(4, &before, &eq(&[a.clone(), b.clone(), c.clone()]))), Some(json!("add-row")));
        assert_eq!(name(Edit::between(4, &before, &eq(std::slice::from_ref(&c)))), Some(json!("remove-row")));
        assert_eq!(name(Edit::between(4, &before, &eq(std::slice::from_ref(&b)))), Some(json!("set-unit")));
        let words = UnitSpec { why: "boom".into(), ..before.clone() };
        assert_eq!(Edit::between(4, &before, &words), Some(Edit::SetWhy { strip: 4, unit: 7, why: "boom".into() }));
    }

    /// An EQ of a few bands, some of them alike.
    fn any_eq() -> impl Strategy<Value = UnitSpec> {
        let band = (prop::sample::select(vec![100, 200, 400]), -6..6, any::<bool>());
        (prop::collection::vec(band, 0..5), any::<bool>(), 0..3).prop_map(|(bands, on, trim)| {
            let row = |(hz, gain, dynamic): (i32, i32, bool)| {
                let moving = if dynamic { json!({"threshold_db": -20}) } else { Json::Null };
                json!({"freq_hz": hz, "gain_db": gain, "dynamic": moving})
            };
            let bands: Vec<Json> = bands.into_iter().map(row).collect();
            unit(&json!({"kind": "surgical-eq", "on": on, "trim_db": trim, "params": {"bands": bands}}))
        })
    }

    proptest! {
        #[test]
        fn the_edit_between_two_states_of_a_unit_leads_from_one_to_the_other(before in any_eq(), after in any_eq()) {
            let mut session = Session::new("test", 48_000);
            let bus = session.add_strip("Bus", Family::Gt, Role::Bus, 1);
            session.strip_mut(bus).unwrap().rack.units.push(before.clone());
            if let Some(edit) = Edit::between(bus, &before, &after) {
                edit.apply(&mut session).unwrap();
            }
            prop_assert_eq!(&session.strip(bus).unwrap().rack.units[0], &after);
        }
    }
}
