//! Which racks are tried: lists of values, orders, with and without, whole racks.

use crate::unit::value::Written;
use serde::Deserialize;
use serde_json::Value as Json;

use crate::rack::RackSpec;

/// Most variants of one trial.
pub const MOST: usize = 64;

/// A rack with a name that says what is different about it.
#[derive(Clone, Debug)]
pub struct Variant {
    /// What is different.
    pub name: String,
    /// The rack.
    pub rack: RackSpec,
}

/// One value of one unit over a list.
#[derive(Clone, Debug, Deserialize)]
#[serde(deny_unknown_fields)]
struct Values {
    /// Which unit, 1 first.
    #[serde(default = "first")]
    unit: usize,
    param: String,
    values: Vec<Written>,
}

/// A whole rack.
#[derive(Clone, Debug, Deserialize)]
#[serde(deny_unknown_fields)]
struct Named {
    name: String,
    rack: Json,
}

fn first() -> usize {
    1
}

/// What is tried, as in a trial file:
///
/// ```json
/// {"rack": {"zinc_rack": 1, "units": [{"kind": "compressor"}]},
///  "from_s": 4, "to_s": 12,
///  "values": [{"unit": 1, "param": "attack_ms", "values": [0, 5, 30]}],
///  "swap": [[1, 2]], "without": [1], "racks": [{"name": "other", "rack": {}}]}
/// ```
///
/// Several lists of values are tried in every combination.
#[derive(Clone, Debug, Default, Deserialize)]
#[serde(deny_unknown_fields, default)]
pub struct Trial {
    /// The rack that is varied.
    pub rack: Option<Json>,
    /// Where the passage begins and ends, in seconds.
    pub from_s: Option<f64>,
    /// See `from_s`.
    pub to_s: Option<f64>,
    values: Vec<Values>,
    /// Pairs of units that change places.
    swap: Vec<[usize; 2]>,
    /// Units that are left out.
    without: Vec<usize>,
    racks: Vec<Named>,
}

impl Trial {
    /// Reads a trial file.
    ///
    /// # Errors
    /// What is wrong with it.
    pub fn from_json(json: &Json) -> Result<Self, String> {
        serde_json::from_value(json.clone()).map_err(|e| format!("this is no trial: {e}"))
    }

    /// The variants about a rack, the rack itself first where nothing but orders, units left out or
    /// whole racks are tried.
    ///
    /// # Errors
    /// Which value, unit or rack cannot be tried, and why.
    pub fn variants(&self, rack: &RackSpec) -> Result<Vec<Variant>, String> {
        let mut variants = vec![Variant { name: String::new(), rack: rack.clone() }];
        for list in &self.values {
            variants = spread(&variants, list)?;
        }
        if self.values.is_empty() {
            variants[0].name = "as it is".into();
        }
        for [one, other] in &self.swap {
            let (a, b) = (place(rack, *one)?, place(rack, *other)?);
            let mut swapped = rack.clone();
            swapped.units.swap(a, b);
            variants.push(Variant {
                name: format!("{} and {} change places", said(rack, a), said(rack, b)),
                rack: swapped,
            });
        }
        for unit in &self.without {
            let at = place(rack, *unit)?;
            let mut without = rack.clone();
            without.units.remove(at);
            variants.push(Variant { name: format!("without {}", said(rack, at)), rack: without });
        }
        for named in &self.racks {
            let rack = RackSpec::from_json(&named.rack).map_err(|e| format!("\"{}\": {e}", named.name))?;
            variants.push(Variant { name: named.name.clone(), rack });
        }
        if variants.len() > MOST {
            return Err(format!("these are {} variants; at most {MOST} are tried at once", variants.len()));
        }
        // Each unit is known by its place, so that its key and its traces can be found.
        for variant in &mut variants {
            (1..).zip(&mut variant.rack.units).for_each(|(id, unit)| unit.id = id);
        }
        Ok(variants)
    }
}

fn place(rack: &RackSpec, unit: usize) -> Result<usize, String> {
    if (1..=rack.units.len()).contains(&unit) {
        Ok(unit - 1)
    } else {
        Err(format!("there is no unit {unit}: the rack has {}", rack.units.len()))
    }
}

fn said(rack: &RackSpec, at: usize) -> String {
    format!("{} ({})", rack.units[at].kind.name, at + 1)
}

/// Every variant at every value of a list.
fn spread(variants: &[Variant], list: &Values) -> Result<Vec<Variant>, String> {
    let mut all = Vec::with_capacity(variants.len() * list.values.len());
    if list.values.is_empty() {
        return Err(format!("{} has no values to try", list.param));
    }
    for variant in variants {
        for value in &list.values {
            let at = place(&variant.rack, list.unit)?;
            let mut rack = variant.rack.clone();
            rack.units[at].set(&list.param, value).map_err(|e| e.to_string())?;
            let told = match value {
                Written::Word(word) => word.clone(),
                value => value.to_string(),
            };
            let name =
                format!("{}{}{} {told}", variant.name, if variant.name.is_empty() { "" } else { ", " }, list.param);
            all.push(Variant { name, rack });
        }
        if all.len() > MOST {
            return Err(format!("these are more than {MOST} variants; try fewer values at once"));
        }
    }
    Ok(all)
}

#[cfg(test)]
mod tests {
    use super::*;
    use serde_json::json;

    fn rack() -> RackSpec {
        let units = json!([{"kind": "compressor"}, {"kind": "surgical-eq", "params": {"bands": [{"gain_db": 4}]}}]);
        RackSpec::from_json(&json!({"zinc_rack": 1, "units": units})).unwrap()
    }

    fn names(trial: Json) -> Result<Vec<String>, String> {
        let variants = Trial::from_json(&trial)?.variants(&rack())?;
        Ok(variants.into_iter().map(|v| v.name).collect())
    }

    #[test]
    fn lists_are_tried_in_every_combination_and_each_variant_says_what_it_is() {
        let trial = json!({"values": [
            {"param": "attack_ms", "values": [0, 30]},
            {"param": "detect", "values": ["peak", "rms"]},
        ]});
        let want = [
            "attack_ms 0, detect peak",
            "attack_ms 0, detect rms",
            "attack_ms 30, detect peak",
            "attack_ms 30, detect rms",
        ];
        assert_eq!(names(trial).unwrap(), want);
        let trial = json!({"swap": [[1, 2]], "without": [2], "racks": [{"name": "none", "rack": {"zinc_rack": 1, "units": []}}]});
        let want = ["as it is", "Compressor (1) and Surgical EQ (2) change places", "without Surgical EQ (2)", "none"];
        assert_eq!(names(trial).unwrap(), want);
    }

    #[test]
    fn what_cannot_be_tried_is_said() {
        for (trial, word) in [
            (json!({"values": [{"param": "attack_ms", "values": [-3]}]}), "attack_ms"),
            (json!({"values": [{"param": "atack_ms", "values": [1]}]}), "atack_ms"),
            (json!({"values": [{"unit": 7, "param": "ratio", "values": [2]}]}), "no unit 7"),
            (json!({"values": [{"param": "ratio", "values": []}]}), "no values"),
            (json!({"values": [{"param": "ratio", "values": vec![2; 65]}]}), "64"),
            (json!({"racks": [{"name": "odd", "rack": {}}]}), "odd"),
            (json!({"vary": 3}), "vary"),
        ] {
            let why = names(trial).unwrap_err();
            assert!(why.contains(word), "{why}");
        }
    }
}
