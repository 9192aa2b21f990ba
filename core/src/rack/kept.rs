//! What of a unit's file this version cannot use: kept as it is, and said. [`super::any_version`] finds it.

use std::collections::BTreeMap;

use serde_json::Value as Json;

/// What is kept of one unit.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct Kept {
    /// The name of its kind, where that is not known.
    pub kind: Option<String>,
    /// What cannot be used, by its path in the unit's file.
    pub values: BTreeMap<String, Json>,
}

impl Kept {
    /// Whether nothing is.
    #[must_use]
    pub fn is_empty(&self) -> bool {
        self.kind.is_none() && self.values.is_empty()
    }

    /// What is to be said of it; none where nothing is kept.
    #[must_use]
    pub fn in_words(&self) -> Option<String> {
        match (&self.kind, self.values.len()) {
            (Some(kind), _) => Some(format!(
                "This version does not know units of the kind \"{kind}\": it is kept as it is and passes its sound."
            )),
            (None, 0) => None,
            (None, count) => {
                let names = self.values.keys().map(|path| path.strip_prefix("params.").unwrap_or(path));
                let names = names.collect::<Vec<_>>().join(", ");
                Some(match count {
                    1 => {
                        format!("One of its values is of another version: it is kept and does nothing here ({names}).")
                    }
                    _ => format!(
                        "{count} of its values are of another version: they are kept and do nothing here ({names})."
                    ),
                })
            }
        }
    }

    /// A value was set here: what was kept in its place is gone.
    pub(crate) fn forget(&mut self, param: &str) {
        self.values.remove(param);
        self.values.remove(&format!("params.{param}"));
    }

    /// Of the parameters it keeps what another does, whose parameters its unit takes over.
    pub(crate) fn follow(&mut self, other: &Self) {
        let is_own = |path: &str| path.starts_with("params");
        self.values.retain(|path, _| !is_own(path));
        let taken = other.values.iter().filter(|(path, _)| is_own(path));
        self.values.extend(taken.map(|(path, value)| (path.clone(), value.clone())));
    }

    /// Rows of a list move from a row on; what is kept of one that is gone goes with it.
    pub(crate) fn move_rows(&mut self, list: &str, from: usize, by: isize) {
        let place = format!("params.{list}[");
        let moved = |path: String| -> Option<String> {
            let Some((row, rest)) = path.strip_prefix(&place).and_then(|rest| rest.split_once(']')) else {
                return Some(path);
            };
            let Some(row) = row.parse::<usize>().ok().filter(|row| *row >= from) else { return Some(path) };
            let gone = by < 0 && row == from;
            (!gone).then(|| format!("{place}{}]{rest}", row.saturating_add_signed(by)))
        };
        let values = std::mem::take(&mut self.values);
        self.values = values.into_iter().filter_map(|(path, value)| Some((moved(path)?, value))).collect();
    }
}
