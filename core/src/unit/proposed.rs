//! Values that the core itself proposes: a parameter that a table does not have does not compile.

use std::collections::BTreeMap;

use super::param::Param;
use super::value::{Written, WrittenField, WrittenRow};

/// Whether a table has a parameter of this name: asked while the program is compiled.
#[must_use]
pub const fn has(params: &[Param], id: &str) -> bool {
    let mut at = 0;
    while at < params.len() {
        if is_same(params[at].id, id) {
            return true;
        }
        at += 1;
    }
    false
}

const fn is_same(one: &str, other: &str) -> bool {
    let (one, other) = (one.as_bytes(), other.as_bytes());
    if one.len() != other.len() {
        return false;
    }
    let mut at = 0;
    while at < one.len() {
        if one[at] != other[at] {
            return false;
        }
        at += 1;
    }
    true
}

/// The name of a parameter that a table has.
macro_rules! id {
    ($params:expr, $id:literal) => {{
        const _: () = assert!($crate::unit::proposed::has($params, $id), concat!("no parameter ", $id));
        $id
    }};
}

/// Values of a unit or a row, by parameters that a table has.
macro_rules! values {
    ($params:expr, { $($id:literal : $value:expr),* $(,)? }) => {
        $crate::unit::proposed::row([
            $(($crate::unit::proposed::id!($params, $id), $crate::unit::value::Written::from($value))),*
        ])
    };
}

pub(crate) use {id, values};

/// Values by their names, those of a group (`dynamic.ratio`) within it.
#[must_use]
pub fn row<const N: usize>(values: [(&str, Written); N]) -> WrittenRow {
    let mut row = WrittenRow::new();
    for (id, value) in values {
        let Some((group, inner)) = id.split_once('.') else {
            row.insert(id.to_string(), WrittenField::Value(value));
            continue;
        };
        let field = row.entry(group.to_string()).or_insert_with(|| WrittenField::Group(BTreeMap::new()));
        if let WrittenField::Group(within) = field {
            within.insert(inner.to_string(), value);
        }
    }
    row
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::unit::eq::surgical::KIND;

    const BAND: &[Param] = KIND.tables.lists[0].params;

    #[test]
    fn a_name_is_a_tables_or_it_is_not() {
        assert!(has(BAND, "freq_hz") && !has(BAND, "freq") && !has(BAND, "freq_hz_") && !has(&[], "freq_hz"));
    }
}
