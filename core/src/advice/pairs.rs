//! What two settings do together that neither does alone.
//!
//! Pairs that engineers meet: a low lift that sits on a high-pass; lifts before a compressor,
//! which takes them back; top lifted before an amplifier, which bends it; and an amplifier whose
//! input comes too soft or too loud. Each is said once, in figures, and only where it matters.

use serde::Serialize;

use crate::measure::third_octave::{BANDS, centre_hz};
use crate::measure::treatment::Treatment;
use crate::rack::{RackSpec, UnitSpec};
use crate::session::Edit;
use crate::signal::decibel::power_to_db;
use crate::signal::math::log;
use crate::unit::Record;
use crate::unit::tone::amp::KIND as AMP;

/// Less than this in dB is not worth a sentence.
const MATTERS_DB: f64 = 1.0;
/// A lift before a compressor counts from this gain in dB.
const LIFT_DB: f64 = 2.0;

/// One pair, in words.
#[derive(Clone, Debug, PartialEq, Serialize)]
#[cfg_attr(feature = "types", derive(ts_rs::TS))]
pub struct Pair {
    /// Stations of the rack it is about, 0 first.
    pub stations: Vec<usize>,
    /// What happens, with figures.
    pub says: String,
    /// What could be done about it, in words and as an edit; none where nothing need be.
    pub mend: Option<(&'static str, Edit)>,
}

/// Top starts here, in Hz: what an amplifier is better without.
const TOP_HZ: f64 = 1500.0;

/// A lift with a compressor or an amplifier after it: what remains of the lift takes measuring.
#[derive(Clone, Debug, PartialEq)]
pub struct Suspect {
    /// Stations of the equaliser and of what takes the lift back.
    pub eq: usize,
    /// See `eq`.
    pub taker: usize,
    /// Whether that is an amplifier.
    amp: bool,
    /// Bands of the equaliser that lift.
    rows: Vec<usize>,
}

/// The pairs that need no sound to be seen.
#[must_use]
pub fn seen(rack: &RackSpec, rate: f64) -> Vec<Pair> {
    rack.units.iter().enumerate().filter_map(|(i, u)| lift_on_high_pass(u, i, rate)).collect()
}

/// Lifts whose remains should be measured: each with the first compressor after it.
#[must_use]
pub fn suspects(rack: &RackSpec) -> Vec<Suspect> {
    let suspect = |(eq, unit): (usize, &UnitSpec)| {
        let takes = |i: &usize| is_on(&rack.units[*i]) && (rack.units[*i].kind.reduces || is_amp(&rack.units[*i]));
        let taker = (eq + 1..rack.units.len()).find(takes)?;
        let amp = is_amp(&rack.units[taker]);
        let counts = |row: &Record| lifts(row) && (!amp || heart(row) >= TOP_HZ);
        let rows: Vec<usize> =
            unit.settings.rows().iter().enumerate().filter(|(_, r)| counts(r)).map(|(i, _)| i).collect();
        (is_on(unit) && !rows.is_empty()).then_some(Suspect { eq, taker, amp, rows })
    };
    rack.units.iter().enumerate().filter_map(suspect).collect()
}

impl Suspect {
    /// The rack without the lift.
    #[must_use]
    pub fn without(&self, rack: &RackSpec) -> RackSpec {
        let mut other = rack.clone();
        for row in &self.rows {
            if let Some(row) = other.units[self.eq].settings.row_mut(*row) {
                row.switch("on", false);
            }
        }
        other
    }

    /// What the compressor or the amplifier makes of the lift, from what was measured of the rack with and
    /// without it; none where it takes back less than a dB.
    #[must_use]
    pub fn explain(&self, strip: u32, rack: &RackSpec, with: &Treatment, without: &Treatment) -> Option<Pair> {
        let eq = &rack.units[self.eq];
        let rows = eq.settings.rows();
        let gain_of = |row: &usize| rows[*row].number("gain_db");
        let strongest = self.rows.iter().max_by(|a, b| gain_of(a).total_cmp(&gain_of(b)))?;
        let hz = heart(&rows[*strongest]);
        let band = nearest(hz);
        let level = |t: &Treatment, at: usize| Some(t.points.get(at)?.third_octave[band]);
        let before = level(with, self.eq + 1)? - level(without, self.eq + 1)?;
        let left = level(with, self.taker + 1)? - level(without, self.taker + 1)?;
        let id = rack.units[self.taker].id;
        let work = |t: &Treatment| t.reductions.iter().find(|r| r.unit == id).map_or(0.0, |r| r.mean_db * r.share);
        let lift = format!(
            "The {:+.1} dB {} at {:.0} Hz",
            gain_of(strongest),
            rows[*strongest].choice("shape").replace('-', " "),
            rows[*strongest].number("freq_hz"),
        );
        if self.amp {
            let says = format!(
                "{lift} comes before the amp, which bends what it lifts: {left:.1} of {before:.1} dB near {hz:.0} Hz are \
                 left after it, the rest is fizz. After the amp it would be all {before:.1} dB, and clean.",
            );
            let mend = Some(("move the top behind the amp", self.mend(strip, eq)));
            return (before - left >= MATTERS_DB).then(|| Pair { stations: vec![self.eq, self.taker], says, mend });
        }
        let says = format!(
            "{lift} comes before the compressor, which now works {:.1} dB harder; only {left:.1} of \
             {before:.1} dB near {hz:.0} Hz are left after it. After the compressor it would be all {before:.1} dB.",
            work(with) - work(without),
        );
        let mend = Some(("move the lift behind the compressor", self.mend(strip, eq)));
        (before - left >= MATTERS_DB).then(|| Pair { stations: vec![self.eq, self.taker], says, mend })
    }

    /// Takes the lift out of the equaliser and puts it behind the compressor.
    fn mend(&self, strip: u32, eq: &UnitSpec) -> Edit {
        let (mut stays, mut goes) = (eq.clone(), eq.clone());
        let split = |lifts: bool| {
            let rows = eq.settings.rows().iter().enumerate();
            rows.filter(|(i, _)| self.rows.contains(i) == lifts).map(|(_, row)| row.clone()).collect()
        };
        stays.settings.lists[0] = split(false);
        goes.settings.lists[0] = split(true);
        (goes.id, goes.why, goes.follows) =
            (0, if self.amp { "top, behind the amp" } else { "lifts, behind the compressor" }.into(), None);
        Edit::Several {
            edits: vec![
                Edit::SetUnit { strip, unit: Box::new(stays) },
                Edit::AddUnit { strip, at: self.taker + 1, unit: Box::new(goes) },
            ],
        }
    }
}

/// Whether a row lifts enough to matter.
fn lifts(row: &Record) -> bool {
    place(row).is_some() && row.has("gain_db") && row.number("gain_db") >= LIFT_DB
}

/// Where a row's lift is strongest, in Hz: a shelf's lies an octave beyond its corner.
fn heart(row: &Record) -> f64 {
    let hz = row.number("freq_hz");
    match row.choice("shape") {
        "low-shelf" => hz / 2.0,
        "high-shelf" | "tilt" => hz * 2.0,
        _ => hz,
    }
}

/// The third octave nearest to a frequency.
fn nearest(hz: f64) -> usize {
    let away = |i: &usize| log(centre_hz(*i) / hz).abs();
    (0..BANDS).min_by(|a, b| away(a).total_cmp(&away(b))).unwrap_or(0)
}

fn is_on(unit: &UnitSpec) -> bool {
    unit.common.is_on("on")
}

fn is_amp(unit: &UnitSpec) -> bool {
    unit.kind.id == AMP.id
}

/// Loudest samples in dBFS that an amplifier's input is made for, after its input control: those
/// of a passive pick-up played hard lie in between.
const INPUT_DB: (f64, f64) = (-20.0, 0.0);
/// Where they are brought to.
const INPUT_WANTED_DB: f64 = -8.0;

/// Amplifiers that get too little to bend or too much to clean up, from the levels that were
/// measured of the rack.
#[must_use]
pub fn amp_inputs(strip: u32, rack: &RackSpec, treatment: &Treatment) -> Vec<Pair> {
    let amps = rack.units.iter().enumerate().filter(|(_, unit)| is_on(unit) && is_amp(unit));
    amps.filter_map(|(station, unit)| amp_input(strip, unit, station, treatment.points.get(station)?.peak_db)).collect()
}

fn amp_input(strip: u32, unit: &UnitSpec, station: usize, peak_db: f64) -> Option<Pair> {
    let input_db = unit.settings.fixed.number("input_db");
    let there = peak_db + input_db;
    let (cold, hot) = INPUT_DB;
    // Silence is neither.
    if peak_db < -80.0 || (cold..=hot).contains(&there) {
        return None;
    }
    let wanted = (INPUT_WANTED_DB - peak_db).clamp(-24.0, 24.0).round();
    let mut set = unit.clone();
    set.settings.fixed.put_number("input_db", wanted);
    let says = if there < cold {
        format!(
            "The part comes into the amp cold: its peaks reach {there:.0} dBFS, where a pick-up played hard gives \
             {INPUT_WANTED_DB:.0}. Its first stage hardly works, and drive brings up noise before it brings colour."
        )
    } else {
        format!(
            "The part comes into the amp hot: its peaks reach {there:+.0} dBFS, where a pick-up played hard gives \
             {INPUT_WANTED_DB:.0}. It never cleans up when played softly."
        )
    };
    let mend = Some(("set its input to fit", Edit::SetUnit { strip, unit: Box::new(set) }));
    Some(Pair { stations: vec![station], says, mend })
}

fn gains_db(unit: &UnitSpec, rate: f64, freqs: &[f64]) -> Vec<f64> {
    unit.response(rate, freqs).iter().map(|h| power_to_db(h.norm_sqr())).collect()
}

/// A row as far as it says where it works: its shape and frequency.
fn place(row: &Record) -> Option<(&'static str, f64)> {
    (row.has("shape") && row.is_on("on")).then(|| (row.choice("shape"), row.number("freq_hz")))
}

/// A low shelf or low bell lifted over a high-pass near it.
fn lift_on_high_pass(unit: &UnitSpec, station: usize, rate: f64) -> Option<Pair> {
    let rows = unit.settings.rows();
    let cut = rows.iter().find_map(|r| place(r).filter(|(shape, _)| *shape == "high-pass").map(|(_, hz)| hz))?;
    let lifts = |r: &&Record| {
        place(r).is_some_and(|(shape, hz)| matches!(shape, "low-shelf" | "bell") && hz < 4.0 * cut && hz > 0.5 * cut)
            && r.number("gain_db") >= MATTERS_DB
    };
    let lift = rows.iter().find(lifts).filter(|_| is_on(unit))?;
    let freqs: Vec<f64> = (0..96).map(|i| 0.25 * cut * 2f64.powf(f64::from(i) / 16.0)).collect();
    let gains = gains_db(unit, rate, &freqs);
    let at = gains.iter().enumerate().max_by(|a, b| a.1.total_cmp(b.1)).map(|(i, _)| i)?;
    let corner = gains_db(unit, rate, &[cut])[0];
    let (peak, hz) = (gains[at], freqs[at]);
    (peak > 0.5).then(|| Pair {
        stations: vec![station],
        says: format!(
            "The {:+.1} dB at {:.0} Hz sits on the high-pass at {cut:.0} Hz: together they lift {:.0} Hz by {peak:.1} dB \
             and give {corner:+.1} dB at the corner, where the high-pass alone takes 3. The low end is fuller above the \
             cut and still gone below it.",
            lift.number("gain_db"),
            lift.number("freq_hz"),
            hz
        ),
        mend: None,
    })
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::measure::treatment::TreatmentRun;
    use crate::session::{AudioRef, Family, Role, Session};
    use crate::signal::math::sin;
    use crate::signal::{BLOCK, StereoBlock};
    use serde_json::json;

    const RATE: f64 = 48_000.0;

    fn rack(units: serde_json::Value) -> RackSpec {
        RackSpec::from_json(&json!({"zinc_rack": 1, "units": units})).unwrap()
    }

    /// What a rack does to a tone at 1 kHz.
    fn treated(spec: &RackSpec) -> Treatment {
        treated_at(spec, 1000.0)
    }

    /// What a rack does to a tone.
    fn treated_at(spec: &RackSpec, hz: f64) -> Treatment {
        let mut session = Session::new("test", 48_000);
        let audio = AudioRef { hash: "ab".into(), channels: 1, frames: 96_000, start: 0, stamp: None };
        let id = session.add_strip("Lead", Family::Gt, Role::Track(audio), 1);
        session.strip_mut(id).unwrap().rack = spec.clone();
        let mut run = TreatmentRun::new(&session, session.strip(id).unwrap());
        for first in (0..96_000).step_by(BLOCK) {
            let mut block = StereoBlock::SILENT;
            for i in 0..BLOCK {
                let t = (first + i) as f64 / RATE;
                block.set_frame(i, [0.25 * sin(std::f64::consts::TAU * hz * t); 2]);
            }
            run.process(&[block]);
        }
        run.finish()
    }

    #[test]
    fn a_low_shelf_on_a_high_pass_is_explained_with_the_figures_of_both() {
        let spec = rack(json!([{"kind": "surgical-eq", "params": {"bands": [
            {"shape": "high-pass", "freq_hz": 60, "slope_db_oct": 12}, {"shape": "low-shelf", "freq_hz": 110, "gain_db": 5}]}}]));
        let found = seen(&spec, RATE);
        assert_eq!(found.len(), 1, "{found:?}");
        // At the corner the shelf's gain less 3.01 dB, from the response itself.
        let at = gains_db(&spec.units[0], RATE, &[60.0])[0];
        assert!(found[0].says.contains(&format!("{at:+.1} dB at the corner")), "{}", found[0].says);
    }

    #[test]
    fn what_a_compressor_leaves_of_a_lift_before_it_follows_its_ratio() {
        // 8 dB into 4:1, all of it over the threshold: a quarter is left.
        let spec = rack(json!([
            {"id": 5, "kind": "surgical-eq", "params": {"bands": [{"freq_hz": 1000, "gain_db": 8, "q": 0.7},
                {"freq_hz": 200, "gain_db": -3}]}},
            {"id": 6, "kind": "compressor", "params": {"threshold_db": -30, "ratio": 4, "attack_ms": 5, "release_ms": 100}}]));
        let suspects = suspects(&spec);
        assert_eq!(suspects.len(), 1);
        let without = suspects[0].without(&spec);
        let found = suspects[0].explain(3, &spec, &treated(&spec), &treated(&without)).unwrap();
        assert!(found.says.contains("only 2.0 of 8.0 dB"), "{}", found.says);
        assert!(
            found.says.contains("works 5.9 dB harder") || found.says.contains("works 6.0 dB harder"),
            "{}",
            found.says
        );
        let Some((_, Edit::Several { edits })) = found.mend else { panic!("no mend") };
        let Edit::AddUnit { at, unit, .. } = &edits[1] else { panic!("{edits:?}") };
        assert_eq!((*at, unit.settings.rows().len()), (2, 1));
    }

    #[test]
    fn top_before_an_amplifier_is_said_to_be_bent_and_lows_before_it_are_not() {
        // Of a tone alone, a level that is held would give back what bending takes.
        let driven = json!({"voice": "lead", "drive_db": 30, "hold_level": false});
        let amp = json!({"id": 6, "kind": "amp", "params": driven});
        let with = |hz: f64| {
            rack(
                json!([{"id": 5, "kind": "surgical-eq", "params": {"bands": [{"freq_hz": hz, "gain_db": 8, "q": 0.7}]}}, amp]),
            )
        };
        assert!(suspects(&with(300.0)).is_empty());
        let spec = with(3000.0);
        let suspect = &suspects(&spec)[0];
        let without = suspect.without(&spec);
        let pair = suspect.explain(3, &spec, &treated_at(&spec, 3000.0), &treated_at(&without, 3000.0)).unwrap();
        assert!(pair.says.contains("before the amp"), "{}", pair.says);
        let Some((_, Edit::Several { edits })) = pair.mend else { panic!("no mend") };
        let Edit::AddUnit { at, .. } = &edits[1] else { panic!("{edits:?}") };
        assert_eq!(*at, 2, "behind the amp");
    }

    #[test]
    fn an_amplifier_says_when_its_input_is_cold_or_hot_and_offers_what_fits() {
        // The tone of `treated` peaks at -12 dBFS.
        let of = |input_db: f64| {
            let spec = rack(json!([{"id": 6, "kind": "amp", "params": {"input_db": input_db}}]));
            amp_inputs(3, &spec, &treated(&spec))
        };
        assert!(of(0.0).is_empty());
        let (cold, hot) = (of(-15.0), of(15.0));
        assert!(cold[0].says.contains("cold") && cold[0].says.contains("-27 dBFS"), "{}", cold[0].says);
        assert!(hot[0].says.contains("hot") && hot[0].says.contains("+3 dBFS"), "{}", hot[0].says);
        let Some((_, Edit::SetUnit { unit, .. })) = &hot[0].mend else { panic!("no mend") };
        assert_eq!(unit.settings.fixed.number("input_db"), 4.0, "12 dB under full scale and 4 more is -8");
    }

    #[test]
    fn settings_that_do_not_meet_are_passed_over() {
        let apart = rack(json!([{"kind": "compressor"}, {"kind": "surgical-eq", "params": {"bands": [
            {"shape": "high-pass", "freq_hz": 40}, {"shape": "bell", "freq_hz": 4000, "gain_db": 5}]}}]));
        assert!(seen(&apart, RATE).is_empty() && suspects(&apart).is_empty());
    }
}
