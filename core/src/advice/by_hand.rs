//! A level set by hand: the trim with which a unit leaves the whole of a part as loud as it came.
//! What plays from anywhere is then as loud as what is printed, which a level that a unit holds by
//! listening cannot promise: it depends on what was heard before.

use crate::unit::value::Written;

use crate::measure::treatment::{PointFigures, Treatment};
use crate::rack::UnitSpec;
use crate::session::{Edit, Session};

/// Figure in dBFS below which a part is silent.
const SILENT_DB: f64 = -90.0;

/// The switch by which a unit holds its level by listening, if it has one.
#[must_use]
pub fn switch_of(unit: &UnitSpec) -> Option<&'static str> {
    unit.kind.tables.params.iter().find(|param| param.listens).map(|param| param.id)
}

/// A session with one unit that holds no level and is not trimmed, to be measured.
#[derive(Debug)]
pub struct ByHand {
    /// The session.
    pub session: Session,
    strip: u32,
    unit: u32,
    station: usize,
    switch: Option<&'static str>,
}

impl ByHand {
    /// Of a unit of a strip; none where there is no such unit.
    #[must_use]
    pub fn of(session: &Session, strip: u32, unit: u32) -> Option<Self> {
        let mut session = session.clone();
        let units = &mut session.strip_mut(strip)?.rack.units;
        let station = units.iter().position(|u| u.id == unit)?;
        let spec = &mut units[station];
        let switch = switch_of(spec);
        let without = switch.map(|switch| (switch, Written::from(false)));
        for (path, value) in without.into_iter().chain([("trim_db", Written::from(0))]) {
            spec.courses.forget(path);
            spec.set(path, &value).ok()?;
        }
        Some(Self { session, strip, unit, station, switch })
    }

    /// The trim in dB, in tenths, that gives back what the unit took or added, by what was measured
    /// of [`Self::session`]; none where nothing plays.
    #[must_use]
    pub fn trim_db(&self, treatment: &Treatment) -> Option<f64> {
        let [before, after] = treatment.points.get(self.station..=self.station + 1)? else { return None };
        let taken = loudness(before)? - loudness(after)?;
        Some((taken * 10.0).round() / 10.0)
    }

    /// The edit that sets it, in one step.
    #[must_use]
    pub fn edit(&self, trim_db: f64) -> Edit {
        let set =
            |param: &str, value| Edit::SetParam { strip: self.strip, unit: self.unit, param: param.into(), value };
        let without = self.switch.map(|switch| set(switch, Written::from(false)));
        Edit::Several { edits: without.into_iter().chain([set("trim_db", Written::from(trim_db))]).collect() }
    }
}

/// How loud a point is: by its loudness, or the mean of what is too short for that.
fn loudness(point: &PointFigures) -> Option<f64> {
    point.lufs.or(Some(point.rms_db)).filter(|db| *db > SILENT_DB)
}

#[cfg(test)]
#[allow(clippy::unwrap_used)]
mod tests {
    use super::*;
    use crate::measure::treatment::TreatmentRun;
    use crate::session::{AudioRef, Family, Role};
    use crate::signal::StereoBlock;
    use serde_json::json;

    /// A track, its driven amplifier holding its level, trimmed by somebody; with both their numbers.
    fn session() -> (Session, u32, u32) {
        let mut session = Session::new("test", 48_000);
        let audio = AudioRef { hash: "ab".into(), channels: 1, frames: 6 * 48_000, start: 0, stamp: None };
        let strip = session.add_strip("Guitar", Family::Gt, Role::Track(audio), 1);
        let amp = json!({"kind": "amp", "trim_db": -4, "params": {"voice": "crunch", "drive_db": 24}});
        session.add_unit(strip, UnitSpec::from_json(&amp, 1).unwrap());
        let unit = session.strip(strip).unwrap().rack.units[0].id;
        (session, strip, unit)
    }

    /// A decaying note twice a second, measured through the strip's rack for six seconds.
    fn measured(session: &Session, strip: u32) -> Treatment {
        let mut run = TreatmentRun::new(session, session.strip(strip).unwrap());
        for block in 0..6 * 375 {
            let mut sound = StereoBlock::SILENT;
            for i in 0..crate::signal::BLOCK {
                let t = (block * crate::signal::BLOCK + i) as f64 / 48_000.0;
                let x = 0.3 * crate::signal::math::sin(690.0 * t) * crate::signal::math::exp(-6.0 * (t % 0.5));
                sound.set_frame(i, [x, x]);
            }
            run.process(&vec![sound; run.sources().len()]);
        }
        run.finish()
    }

    #[test]
    fn set_by_hand_the_whole_part_is_as_loud_as_it_came() {
        let (mut session, strip, unit) = session();
        let by_hand = ByHand::of(&session, strip, unit).unwrap();
        let trim_db = by_hand.trim_db(&measured(&by_hand.session, strip)).unwrap();
        by_hand.edit(trim_db).apply(&mut session).unwrap();
        let set = &session.strip(strip).unwrap().rack.units[0];
        assert!(!set.settings.fixed.is_on("hold_level") && set.common.number("trim_db") == trim_db);
        let points = measured(&session, strip).points;
        let left = points[1].lufs.unwrap() - points[0].lufs.unwrap();
        assert!(left.abs() < 0.06, "{trim_db} dB leaves {left} LU");
    }

    #[test]
    fn nothing_is_set_where_nothing_plays_or_no_unit_is() {
        let (session, strip, unit) = session();
        let by_hand = ByHand::of(&session, strip, unit).unwrap();
        let silent = TreatmentRun::new(&by_hand.session, by_hand.session.strip(strip).unwrap()).finish();
        assert_eq!(by_hand.trim_db(&silent), None);
        assert!(ByHand::of(&session, strip, unit + 1).is_none() && ByHand::of(&session, 90, unit).is_none());
        let switch = |kind: &str| switch_of(&UnitSpec::new(crate::unit::catalogue::kind(kind).unwrap()));
        assert_eq!(
            ["gate", "cabinet", "surgical-eq", "tape"].map(switch),
            [None, Some("hold_level"), Some("auto_level"), Some("hold_level")]
        );
    }
}
