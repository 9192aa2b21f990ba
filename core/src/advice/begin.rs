//! Where a fresh unit begins on a part: an amplifier with the voice of the instrument and an input for its peaks, a
//! saturator with a drive at which it does something. What is set is said, and is one press from neutral.

use crate::unit::value::Written;
use serde::Serialize;

use crate::session::Part;
use crate::unit::Quantity;
use crate::unit::proposed::id;
use crate::unit::text::format;
use crate::unit::tone::amp::KIND as AMP;
use crate::unit::tone::saturator::KIND as SATURATOR;

/// Peak in dBFS that an instrument brings to an amplifier's input.
const AMP_PEAK_DB: f64 = -8.0;
/// Most that an input is turned either way, in dB.
const MOST_INPUT_DB: f64 = 24.0;
/// A part is loud so many dB under its peaks.
const LOUD_UNDER_PEAK_DB: f64 = 6.0;
/// How far into the bend loud moments go: overtones of about 3 %, `x^2 / 8` of a soft bend.
const INTO_THE_BEND: f64 = 0.5;
/// Most drive in dB that is begun with.
const MOST_DRIVE_DB: f64 = 30.0;

/// Values a fresh unit begins with, and why.
#[derive(Clone, Debug, PartialEq, Serialize)]
pub struct Beginning {
    /// Values of the unit.
    pub set: Vec<(&'static str, Written)>,
    /// Why, as a sentence.
    pub says: String,
}

/// How a kind of unit begins on a part whose peaks stand at a level in dBFS; none for one that begins as its table says,
/// or for a part that is silent.
#[must_use]
pub fn beginning(kind: &str, part: Part, peak_db: f64) -> Option<Beginning> {
    if !(-80.0..60.0).contains(&peak_db) {
        return None;
    }
    let db = |value: f64| format(Quantity::Decibels, value);
    match kind {
        id if id == AMP.id => {
            let (voice, label) = voice_of(part);
            let input_db = rounded((AMP_PEAK_DB - peak_db).clamp(-MOST_INPUT_DB, MOST_INPUT_DB));
            let says = format!("{label}; input {} for peaks of {}FS", db(input_db), db(peak_db.round()));
            Some(Beginning {
                set: vec![
                    (id!(AMP.tables.params, "voice"), voice.into()),
                    (id!(AMP.tables.params, "input_db"), input_db.into()),
                ],
                says,
            })
        }
        id if id == SATURATOR.id => {
            let loud_db = peak_db - LOUD_UNDER_PEAK_DB;
            let wanted_db = crate::signal::decibel::gain_to_db(INTO_THE_BEND / crate::colour::character::INTO);
            let drive_db = rounded((wanted_db - loud_db).clamp(0.0, MOST_DRIVE_DB));
            let says =
                format!("drive {}: loud moments of {}FS are bent by a few per cent", db(drive_db), db(loud_db.round()));
            Some(Beginning { set: vec![(id!(SATURATOR.tables.params, "drive_db"), drive_db.into())], says })
        }
        _ => None,
    }
}

/// To half a decibel.
fn rounded(db: f64) -> f64 {
    (2.0 * db).round() / 2.0
}

/// The voice for an instrument, and why.
fn voice_of(part: Part) -> (&'static str, &'static str) {
    match part {
        Part::BassDi | Part::BassMic => ("round", "a round voice for a bass"),
        Part::RhythmGuitar => ("crunch", "crunch for a rhythm guitar"),
        Part::LeadGuitar => ("lead", "a lead voice for a lead guitar"),
        Part::AcousticGuitar => ("acoustic", "a wide voice for an acoustic guitar"),
        Part::Organ | Part::ElectricPiano | Part::Piano | Part::Synth => ("keys", "a soft valve stage for keys"),
        _ => ("clean", "a clean voice"),
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::rack::UnitSpec;

    #[test]
    fn what_a_unit_begins_with_is_within_its_table_for_every_part_and_level() {
        let mut begun = 0;
        for kind in crate::unit::catalogue::KINDS {
            for part in Part::all() {
                for peak_db in [-60.0, -30.0, -8.0, 0.0, 12.0] {
                    let Some(found) = beginning(kind.id, part, peak_db) else { continue };
                    let mut unit = UnitSpec::new(kind);
                    for (param, value) in &found.set {
                        unit.set(param, value).unwrap();
                    }
                    begun += 1;
                }
            }
        }
        assert!(begun > 100);
        for silent in [f64::NEG_INFINITY, f64::NAN, -120.0] {
            assert_eq!(beginning("amp", Part::BassDi, silent), None);
        }
    }

    #[test]
    fn a_bass_begins_round_and_a_softer_part_is_brought_up_by_as_much() {
        let of = |peak_db: f64| beginning("amp", Part::BassDi, peak_db).unwrap().set;
        assert_eq!(of(-8.0), [("voice", "round".into()), ("input_db", 0.0.into())]);
        assert_eq!(of(-20.0)[1], ("input_db", 12.0.into()));
        let drive = |peak_db: f64| beginning("saturator", Part::Unknown, peak_db).unwrap().set[0].1.number().unwrap();
        assert!((drive(-20.0) - drive(-8.0) - 12.0).abs() < 1e-9 || drive(-20.0) == MOST_DRIVE_DB);
    }
}
