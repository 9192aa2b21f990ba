//! Units and bands as a session holds them, in one line each.

use serde_json::{Value as Json, json};

pub(super) fn eq(why: &str, bands: Json) -> Json {
    json!({ "kind": "surgical-eq", "why": why, "params": { "bands": bands } })
}

/// An equaliser that follows the first one of another strip, the gains of some bands turned over.
pub(super) fn follows(why: &str, strip: &str, mirrored: &[usize]) -> Json {
    json!({ "kind": "surgical-eq", "why": why, "follows": { "unit": strip, "mirrored": mirrored } })
}

/// A band whose gain moves down by at most `range_db` from where it is set.
pub(super) fn moving(mut band: Json, threshold_db: f64, range_db: f64) -> Json {
    band["dynamic"] = json!({
        "on": true, "threshold_db": threshold_db, "ratio": 3.0, "range_db": range_db, "attack_ms": 30.0, "release_ms": 250.0
    });
    band
}

pub(super) fn comp(why: &str, params: Json) -> Json {
    json!({ "kind": "compressor", "why": why, "params": params })
}

pub(super) fn unit(kind: &str, why: &str, params: Json) -> Json {
    json!({ "kind": kind, "why": why, "params": params })
}

/// The same with its level set by hand: what is played from anywhere is then what is printed.
pub(super) fn at_level(mut unit: Json, trim_db: f64) -> Json {
    unit["params"]["hold_level"] = json!(false);
    unit["trim_db"] = json!(trim_db);
    unit
}

pub(super) fn high_pass(hz: f64, slope: u32) -> Json {
    json!({ "shape": "high-pass", "freq_hz": hz, "slope_db_oct": slope })
}

pub(super) fn low_pass(hz: f64, slope: u32) -> Json {
    json!({ "shape": "low-pass", "freq_hz": hz, "slope_db_oct": slope })
}

pub(super) fn bell(hz: f64, gain_db: f64, q: f64) -> Json {
    json!({ "shape": "bell", "freq_hz": hz, "gain_db": gain_db, "q": q })
}

pub(super) fn shelf(shape: &str, hz: f64, gain_db: f64) -> Json {
    json!({ "shape": shape, "freq_hz": hz, "gain_db": gain_db, "q": 0.7 })
}

/// A narrow band of what was there, off until a section asks for it.
pub(super) fn telephone(why: &str) -> Json {
    let bands = json!([high_pass(420.0, 24), bell(1500.0, 4.0, 1.2), low_pass(2800.0, 24)]);
    let mut unit = eq(why, bands);
    unit["on"] = json!(false);
    unit["trim_db"] = json!(3.0);
    unit
}
