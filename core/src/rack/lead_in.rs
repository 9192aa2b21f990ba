//! How long a rack remembers: what has to sound before a passage so that it meets it as in the song.

use super::spec::{RackSpec, UnitSpec};
use crate::unit::Tail;
use crate::unit::text::note_ms;

/// Least and most that is played before a passage, in seconds.
const SECONDS: [f64; 2] = [2.0, 10.0];
/// What a cell that remembers light for ten seconds has to hear until it is within a thousandth of where it would be.
const CELL_S: f64 = 30.0;
/// What a level has to hear that a unit holds without a switch, since it colours and hardly changes it: what stands before a
/// strip is run in by as much more, and a song heard seconds sooner is worth the tenth of a decibel.
const HELD_S: f64 = 4.0;
/// Sample rate in Hz at which tails are read: they are times, nearly the same at any.
const RATE: f64 = 48_000.0;
/// Times its release after which nothing is left of a reduction: 20 dB fall under a tenth of a decibel.
const RELEASES: f64 = 5.5;

/// Seconds of lead-in for a rack, for a trial that is heard and measured.
#[must_use]
pub fn seconds(rack: &RackSpec) -> f64 {
    exact_seconds(rack).min(SECONDS[1])
}

/// Seconds of lead-in after which a rack sounds as if it had run from the start of the song: within -60 dB of that; what
/// holds its level by listening, which goes on for half a minute, within half a decibel of its level.
#[must_use]
pub fn exact_seconds(rack: &RackSpec) -> f64 {
    rack.units.iter().map(remembers_s).fold(SECONDS[0], f64::max)
}

fn remembers_s(unit: &UnitSpec) -> f64 {
    let fixed = &unit.settings.fixed;
    let listens = unit.kind.tables.params.iter().any(|param| param.listens && fixed.is_on(param.id));
    let has = |id: &str| unit.kind.tables.params.iter().any(|param| param.id == id);
    // Times that are the unit's own are those of seconds.
    let acts_as = |action: &str| has("action") && fixed.choice("action") == action;
    if acts_as("opto") {
        return CELL_S;
    }
    let own = has("auto_release") && fixed.is_on("auto_release") || acts_as("vari-mu");
    if listens || own {
        return SECONDS[1];
    }
    let rings = match unit.tail(RATE) {
        Tail::Frames(frames) => frames as f64 / RATE,
        Tail::Endless => SECONDS[1],
    };
    let rows = unit.settings.rows().iter().filter(|row| row.has("release_ms")).map(|row| row.number("release_ms"));
    let released = has("release_ms").then(|| {
        let note =
            has("release_note").then(|| note_ms(fixed.choice("release_note"), unit.settings.tempo_bpm)).flatten();
        note.unwrap_or_else(|| fixed.number("release_ms"))
    });
    let held = if unit.kind.holds_level { HELD_S } else { 0.0 };
    (RELEASES * rows.chain(released).fold(0.0, f64::max) / 1000.0).max(rings).max(held).min(SECONDS[1])
}

#[cfg(test)]
mod tests {
    use super::*;
    use serde_json::json;

    #[test]
    fn a_rack_is_led_in_as_long_as_its_slowest_unit_remembers_and_never_past_ten_seconds() {
        let of =
            |units: serde_json::Value| seconds(&RackSpec::from_json(&json!({"zinc_rack": 1, "units": units})).unwrap());
        assert_eq!(of(json!([])), 2.0);
        assert_eq!(of(json!([{"kind": "compressor", "params": {"release_ms": 100}}])), 2.0);
        assert_eq!(of(json!([{"kind": "compressor", "params": {"release_ms": 1000}}])), 5.5);
        assert_eq!(of(json!([{"kind": "compressor", "params": {"action": "opto"}}])), 10.0);
        let opto = json!({"zinc_rack": 1, "units": [{"kind": "compressor", "params": {"action": "opto"}}]});
        assert_eq!(exact_seconds(&RackSpec::from_json(&opto).unwrap()), 30.0);
        assert_eq!(of(json!([{"kind": "amp"}, {"kind": "gate"}])), 10.0);
        // Its iron is as loud as it came in, which is listened for; nothing of the passive one is.
        assert_eq!(of(json!([{"kind": "console-eq"}])), 4.0);
        assert_eq!(of(json!([{"kind": "passive-eq"}])), 2.0);
        assert_eq!(of(json!([{"kind": "multiband", "params": {"bands": [{"release_ms": 800}]}}])), 4.4);
    }
}
