//! Units that the core itself proposes, of values that their tables have ([`crate::unit::proposed`]); a number beyond its
//! range is the nearest that the parameter can have.

use super::spec::UnitSpec;
use crate::unit::Record;
use crate::unit::kind::UnitKind;
use crate::unit::param::{Domain, Param};
use crate::unit::value::{Value, Written, WrittenField, WrittenRow, read_value};

/// Values of a table, those given in place of the defaults; a group of which one is given is on.
fn record(params: &'static [Param], given: &WrittenRow) -> Record {
    let mut record = Record::defaults(params);
    for (name, field) in given {
        match field {
            WrittenField::Value(value) => put(&mut record, params, name, value),
            WrittenField::Group(within) => {
                put(&mut record, params, &format!("{name}.on"), &Written::from(true));
                within.iter().for_each(|(inner, value)| put(&mut record, params, &format!("{name}.{inner}"), value));
            }
        }
    }
    record
}

fn put(record: &mut Record, params: &[Param], id: &str, written: &Written) {
    let Some(param) = params.iter().find(|param| param.id == id) else { return };
    if let Some(value) = within_range(&param.domain, written) {
        record.put(id, value);
    }
}

/// The value that is meant, or the nearest that the parameter can have; none for what is no number where one is due.
fn within_range(domain: &Domain, written: &Written) -> Option<Value> {
    match (*domain, written.number()) {
        (Domain::Number { min, max, .. }, Some(number)) if !number.is_nan() => {
            Some(Value::Number(number.clamp(min, max)))
        }
        _ => read_value(domain, written, String::new()).ok(),
    }
}

/// A unit of a kind with these values.
#[must_use]
pub fn unit(kind: &'static UnitKind, values: &WrittenRow) -> UnitSpec {
    let mut unit = UnitSpec::new(kind);
    unit.settings.fixed = record(kind.tables.params, values);
    unit
}

/// A unit with the reason why it is there.
#[must_use]
pub fn because(why: impl Into<String>, unit: UnitSpec) -> UnitSpec {
    UnitSpec { why: why.into(), ..unit }
}

/// A unit of a kind, and why it is there.
#[must_use]
pub fn unit_because(kind: &'static UnitKind, why: impl Into<String>, values: &WrittenRow) -> UnitSpec {
    because(why, unit(kind, values))
}

/// A unit of a kind that holds rows in its first list.
#[must_use]
pub fn unit_of_rows(kind: &'static UnitKind, rows: &[WrittenRow]) -> UnitSpec {
    let mut unit = UnitSpec::new(kind);
    if let (Some(list), Some(held)) = (kind.tables.lists.first(), unit.settings.lists.first_mut()) {
        *held = rows.iter().take(list.max).map(|row| record(list.params, row)).collect();
    }
    unit
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::unit::eq::surgical::KIND;
    use crate::unit::proposed::values;

    const BAND: &[Param] = KIND.tables.lists[0].params;

    #[test]
    fn what_is_proposed_stands_in_the_unit_groups_within_their_rows_and_no_number_beyond_its_range() {
        let band = values!(BAND, {"freq_hz": 300, "gain_db": -300.0, "dynamic.ratio": 4, "dynamic.threshold_db": -30});
        let still = values!(BAND, {"freq_hz": f64::NAN, "shape": "notch"});
        let unit = because("it rings", unit_of_rows(&KIND, &[band, still]));
        let [moving, still] = unit.settings.rows() else { panic!("two rows") };
        let Domain::Number { min, .. } = BAND.iter().find(|p| p.id == "gain_db").unwrap().domain else { panic!() };
        let numbers = ["freq_hz", "gain_db", "dynamic.ratio", "dynamic.threshold_db"].map(|id| moving.number(id));
        assert_eq!(numbers, [300.0, min, 4.0, -30.0]);
        assert!(moving.is_on("dynamic.on") && !still.is_on("dynamic.on"));
        assert_eq!(
            (still.choice("shape"), still.number("freq_hz")),
            ("notch", Record::defaults(BAND).number("freq_hz"))
        );
        // As a file has it, it is read as it stands here.
        assert_eq!(UnitSpec::from_json(&unit.to_json(), 1).unwrap(), unit);
    }
}
