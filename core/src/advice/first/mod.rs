//! The first moves that a raw part suggests: few, cuts first, each with its figure.
//!
//! What lies below the instrument goes first, then what rings, then what is louder than the
//! part's own body. A move ([`suggestion`]) is an ordinary unit; whoever wants it adds it, and undoes it.

mod suggestion;

use crate::rack::UnitSpec;
use crate::unit::value::WrittenRow;

pub use self::suggestion::EQUALISER;
pub use self::suggestion::FirstMove;
use crate::measure::floor::{Cut, Floor, Hum};
use crate::measure::raw::Raw;
use crate::measure::rings::Ring;
use crate::measure::third_octave::{BANDS, centre_hz};
use crate::rack::proposed::{unit, unit_of_rows};
use crate::signal::decibel::power_to_db;
use crate::signal::math::pow;
use crate::unit::Param;
use crate::unit::Quantity;
use crate::unit::dynamics::compressor::KIND as COMPRESSOR;
use crate::unit::eq::surgical::KIND as SURGICAL;
use crate::unit::proposed::values;
use crate::unit::text::format as written;

/// The parameters of a band.
const BAND: &[Param] = SURGICAL.tables.lists[0].params;

/// Never more than this many.
const MOST: usize = 4;
/// Never more rings than this.
const MOST_RINGS: usize = 2;
/// What lies below is worth a high-pass from this share of the energy, in dB, or where it is steady from this
/// level, in dBFS, if it is also not too far under the part, in dB. What comes and goes with the strokes is theirs.
const WORTH_DB: f64 = 0.2;
const WORTH_DBFS: f64 = -52.0;
const WORTH_UNDER_DB: f64 = 30.0;
/// Lines of hum that are cut, and how narrow the cuts are.
const MOST_HUM: usize = 4;
const HUM_Q: f64 = 20.0;
/// Strokes by which a struck part is judged, at least.
const FEWEST_STROKES: usize = 8;
/// LU by which a tenth of a second rises over the one before where a stroke begins.
const STROKE_LU: f64 = 3.0;
/// Strokes are uneven from so many LU more than what is held: a hand has accents.
const ACCENTS_LU: f64 = 3.0;
/// Loud moments this many LU over the usual ones are uneven, and very uneven.
const UNEVEN_LU: f64 = 5.0;
const VERY_UNEVEN_LU: f64 = 8.0;
/// Moments this many LU under the loudest are rests.
const REST_LU: f64 = 30.0;

/// The first moves for a raw part, cuts first, at most four.
#[must_use]
pub fn first_moves(raw: &Raw) -> Vec<FirstMove> {
    let below = raw.floor.as_ref().and_then(|floor| high_pass(raw, floor));
    let hum = raw.floor.as_ref().and_then(|floor| floor.hum.as_ref()).map(hum);
    let rings = raw.rings.iter().take(MOST_RINGS).map(ring);
    below.into_iter().chain(hum).chain(rings).chain(hold(raw)).take(MOST).collect()
}

/// Under the lowest note, where something lies there.
fn high_pass(raw: &Raw, floor: &Floor) -> Option<FirstMove> {
    let Floor { keep: cut, below_dbfs, steady_dbfs, .. } = floor;
    let removed = removed_db(&raw.point.third_octave, cut);
    let little = *steady_dbfs < WORTH_DBFS || *steady_dbfs < raw.point.rms_db - WORTH_UNDER_DB;
    if removed < WORTH_DB && little {
        return None;
    }
    let share =
        if removed < WORTH_DB { format!("{below_dbfs:.0} dBFS") } else { format!("{removed:.1} dB of its energy") };
    let hz = written(Quantity::Hertz, cut.freq_hz);
    Some(FirstMove::new(
        format!("Rumble below {hz}, {share}."),
        format!("high-pass at {hz}, {} dB/oct", cut.slope_db_oct),
        equaliser(cut.suggest.clone()),
    ))
}

/// Narrow cuts for the strongest lines of hum.
fn hum(hum: &Hum) -> FirstMove {
    let mut lines = hum.lines.clone();
    lines.sort_by(|a, b| b.1.total_cmp(&a.1));
    lines.truncate(MOST_HUM);
    lines.sort_by(|a, b| a.0.total_cmp(&b.0));
    let named: Vec<String> = lines.iter().map(|(hz, dbfs)| format!("{hz:.0} Hz at {dbfs:.0} dBFS")).collect();
    let bands: Vec<WrittenRow> =
        lines.iter().map(|(hz, _)| values!(BAND, {"shape": "notch", "freq_hz": *hz, "q": HUM_Q})).collect();
    FirstMove::new(
        format!("Mains hum, {:.0} Hz and its multiples: {}.", hum.mains_hz, named.join(", ")),
        "a narrow notch at each".into(),
        unit_of_rows(&SURGICAL, &bands),
    )
}

/// Energy in dB that a Butterworth high-pass takes of a spectrum of third octaves.
fn removed_db(third_octave: &[f64; BANDS], cut: &Cut) -> f64 {
    let order = f64::from(cut.slope_db_oct / 6);
    let (mut all, mut kept) = (1e-20, 1e-20);
    for (i, db) in third_octave.iter().enumerate() {
        let power = pow(10.0, db / 10.0);
        all += power;
        kept += power / (1.0 + pow(cut.freq_hz / centre_hz(i), 2.0 * order));
    }
    power_to_db(all / kept)
}

fn ring(ring: &Ring) -> FirstMove {
    let hz = written(Quantity::Hertz, ring.hz);
    let says = format!(
        "Something {}s at {} ({hz}), {:.0} dB out of what is about it, {:.0} % of the time it plays.",
        ring.is,
        ring.note,
        ring.prominence_db,
        100.0 * ring.share
    );
    let acts = ring.suggest.contains_key("dynamic");
    let does = if acts { "a narrow cut that acts only then" } else { "a narrow cut" };
    FirstMove::new(says, format!("{does} at {hz}"), equaliser(ring.suggest.clone()))
}

/// Levels of the strokes of a part in LU: the loudest of the three tenths from where each begins. A note that dies
/// away is no unevenness, so that strokes are judged against strokes.
fn strokes(levels: &[f64], rest: f64) -> Vec<f64> {
    let begins = |at: &usize| levels[*at] > rest && levels[*at] - levels[at - 1] >= STROKE_LU;
    let loudest = |at: usize| levels[at..(at + 3).min(levels.len())].iter().copied().fold(f64::MIN, f64::max);
    (1..levels.len()).filter(begins).map(loudest).collect()
}

/// How far loud moments stand over the usual ones.
struct Uneven {
    over_lu: f64,
    /// What of it an even hand plays.
    usual_lu: f64,
    /// Level of the usual moments in dBFS.
    usual_dbfs: f64,
}

/// How uneven a part is; none of what plays too shortly to tell.
fn uneven(raw: &Raw) -> Option<Uneven> {
    let levels: Vec<f64> = raw.tenths.iter().map(|power| power_to_db(*power)).collect();
    let loudest = levels.iter().copied().fold(f64::NEG_INFINITY, f64::max);
    let mut played: Vec<f64> = levels.iter().copied().filter(|level| *level > loudest - REST_LU).collect();
    if played.len() < 20 {
        return None;
    }
    let mean = mean_level(&played);
    let struck = strokes(&levels, loudest - REST_LU);
    let accents = if struck.len() >= FEWEST_STROKES { ACCENTS_LU } else { 0.0 };
    if accents > 0.0 {
        played = struck;
    }
    played.sort_by(f64::total_cmp);
    let at = |share: f64| played[((played.len() - 1) as f64 * share) as usize];
    // A detector of RMS reads what loudness is made of.
    let usual_dbfs = raw.point.rms_db + at(0.5) - mean;
    Some(Uneven { over_lu: at(0.97) - at(0.5), usual_lu: UNEVEN_LU + accents, usual_dbfs })
}

/// A compressor where loud moments stand far over the usual ones.
fn hold(raw: &Raw) -> Option<FirstMove> {
    let Uneven { over_lu: over, usual_dbfs, .. } = uneven(raw).filter(|found| found.over_lu >= found.usual_lu)?;
    // From where the usual moments end.
    let threshold_db = (usual_dbfs + 2.0).clamp(-60.0, -1.0).round();
    let ratio = if over > VERY_UNEVEN_LU { 4.0 } else { 2.5 };
    let says = format!("Its loud moments stand {over:.1} LU over the usual ones.");
    let does = format!("hold them from {threshold_db:.0} dBFS up, {ratio}:1");
    let params = values!(COMPRESSOR.tables.params, {
        "detect": "rms", "rms_ms": 25.0, "threshold_db": threshold_db, "ratio": ratio,
        "attack_ms": 12.0, "release_ms": 160.0, "knee_db": 6.0
    });
    Some(FirstMove::new(says, does, unit(&COMPRESSOR, &params)))
}

/// Why a part needs no move: what was looked for, each with its figure.
#[must_use]
pub fn nothing_to_do(raw: &Raw) -> String {
    let below = raw.floor.as_ref().map(|floor| {
        format!("it begins at {:.0} Hz and what lies below is at {:.0} dBFS", floor.begins_hz, floor.below_dbfs)
    });
    let even = uneven(raw).map(|found| format!("its loud moments stand {:.1} LU over the usual ones", found.over_lu));
    let quiet = "nothing rings or hums".to_string();
    let looked: Vec<String> = below.into_iter().chain([quiet]).chain(even).collect();
    format!("Nothing has to go: {}.", looked.join("; "))
}

/// Level of the mean energy of levels in dB.
fn mean_level(levels: &[f64]) -> f64 {
    power_to_db(levels.iter().map(|db| pow(10.0, db / 10.0)).sum::<f64>() / levels.len() as f64)
}

fn equaliser(band: WrittenRow) -> UnitSpec {
    unit_of_rows(&SURGICAL, &[band])
}

#[cfg(test)]
#[allow(clippy::unwrap_used)]
mod tests {
    use super::*;
    use crate::measure::raw::RawMeter;
    use crate::rack::{RackSpec, UnitSpec};
    use crate::session::{AudioRef, Edit, Family, Role, Session};
    use crate::signal::math::{TAU, exp, sin};
    use crate::signal::{BLOCK, StereoBlock};
    use serde_json::json;

    const RATE: f64 = 48_000.0;

    /// Twenty seconds of notes, two a second, on a walk of pitches; every fifth as much louder.
    fn notes(louder: f64) -> Vec<f64> {
        let note = |i: usize| {
            let (n, t) = (i / 24_000, (i % 24_000) as f64 / RATE);
            let hz = 110.0 * pow(2.0, f64::from([0, 3, 7, 5, 10, 2, 8][n % 7]) / 12.0);
            let level = 0.05 * if n % 5 == 4 { louder } else { 1.0 };
            let tone: f64 = (1..6).map(|k| sin(TAU * hz * f64::from(k) * t) / f64::from(k * k)).sum();
            level * tone * exp(-t / 0.4) * (t / 0.004).min(1.0)
        };
        (0..960_000).map(note).collect()
    }

    fn raw(sound: &[f64]) -> Raw {
        let mut meter = RawMeter::new(RATE, 1);
        for part in sound.chunks(BLOCK) {
            let mut block = StereoBlock::SILENT;
            for (i, x) in part.iter().enumerate() {
                (block.left[i], block.right[i]) = (*x as f32, *x as f32);
            }
            meter.push(&block);
        }
        meter.finish()
    }

    fn with_rumble(mut sound: Vec<f64>) -> Vec<f64> {
        sound.iter_mut().enumerate().for_each(|(i, x)| *x += 0.02 * sin(TAU * 24.0 * i as f64 / RATE));
        sound
    }

    #[test]
    fn an_even_part_with_nothing_below_it_needs_no_move() {
        assert_eq!(first_moves(&raw(&notes(1.0))), []);
    }

    #[test]
    fn rumble_is_cut_under_the_lowest_note_and_the_energy_named_is_what_the_cut_takes() {
        let raw = raw(&with_rumble(notes(1.0)));
        let moves = first_moves(&raw);
        assert_eq!(moves.len(), 1, "{moves:?}");
        let band = &json!(moves[0].unit)["params"]["bands"][0];
        let hz = band["freq_hz"].as_f64().unwrap();
        assert!(band["shape"] == "high-pass" && (30.0..110.0).contains(&hz), "{band}");
        // The tone's mean square against that of the notes.
        let notes_power = notes(1.0).iter().map(|x| x * x).sum::<f64>() / 960_000.0;
        let whole_db = power_to_db((notes_power + 0.0002) / notes_power);
        let said: f64 = moves[0].says.split(", ").nth(1).unwrap().split(' ').next().unwrap().parse().unwrap();
        assert!((said - whole_db).abs() < 0.3, "{} against {whole_db:.2} dB", moves[0].says);
    }

    #[test]
    fn loud_moments_are_held_and_cuts_come_before() {
        let moves = first_moves(&raw(&with_rumble(notes(5.0))));
        let kinds: Vec<&str> = moves.iter().map(|m| m.unit.kind.id).collect();
        assert_eq!(kinds, ["surgical-eq", "compressor"]);
        let spec = moves[1].unit.clone();
        let threshold_db = spec.settings.fixed.number("threshold_db");
        // Usual notes of 0.05 are about -35 dBFS over their length; thrown ones 14 dB more.
        assert!((-42.0..-24.0).contains(&threshold_db), "{threshold_db}");
        assert_eq!(spec.why, moves[1].says);
    }

    /// A session of one empty track, and the track.
    fn session() -> (Session, u32) {
        let mut session = Session::new("s", 48_000);
        let audio = AudioRef { hash: "aa".into(), channels: 1, frames: 48_000, start: 0, stamp: None };
        let id = session.add_strip("Part", Family::Gt, Role::Track(audio), 1);
        (session, id)
    }

    #[test]
    fn cuts_join_the_equaliser_that_stands_first_and_what_holds_comes_last() {
        let raw = raw(&with_rumble(notes(5.0)));
        let mut moves = first_moves(&raw);
        let honks = equaliser(serde_json::from_value(json!({"freq_hz": 900.0, "gain_db": -3.0})).unwrap());
        moves.insert(1, FirstMove::new("It honks.".into(), String::new(), honks));
        let (mut session, id) = session();
        let rack = |session: &Session| session.strip(id).unwrap().rack.clone();
        for m in &moves {
            let (_, inverse) = m.edit(id, &rack(&session)).apply(&mut session).unwrap();
            assert!(m.is_made(&rack(&session)));
            let made = rack(&session);
            inverse.apply(&mut session).unwrap();
            assert!(!m.is_made(&rack(&session)), "one step back takes the whole move back");
            m.edit(id, &rack(&session)).apply(&mut session).unwrap();
            assert_eq!(rack(&session).units.len(), made.units.len());
        }
        let made = rack(&session);
        assert_eq!(made.units.iter().map(|unit| unit.kind.id).collect::<Vec<_>>(), ["surgical-eq", "compressor"]);
        assert_eq!(made.units[0].settings.rows().len(), 2);
        assert_eq!(made.units[0].why, format!("{} It honks.", moves[0].says));
    }

    #[test]
    fn a_move_joins_what_another_window_has_made_of_the_equaliser_meanwhile() {
        let (mut session, id) = session();
        let honks = FirstMove::new(
            "It honks.".into(),
            String::new(),
            equaliser(serde_json::from_value(json!({"freq_hz": 900.0})).unwrap()),
        );
        let booms = FirstMove::new(
            "It booms.".into(),
            String::new(),
            equaliser(serde_json::from_value(json!({"freq_hz": 120.0})).unwrap()),
        );
        honks.edit(id, &session.strip(id).unwrap().rack).apply(&mut session).unwrap();
        let edit = booms.edit(id, &session.strip(id).unwrap().rack);
        let unit = session.strip(id).unwrap().rack.units[0].id;
        let other = Edit::SetParam { strip: id, unit, param: "bands[0].gain_db".into(), value: (-7.5).into() };
        other.apply(&mut session).unwrap();
        edit.apply(&mut session).unwrap();
        let rows = session.strip(id).unwrap().rack.units[0].settings.rows().to_vec();
        assert_eq!((rows.len(), rows[0].number("gain_db")), (2, -7.5));
    }

    #[test]
    fn an_equaliser_that_is_off_or_full_is_left_alone() {
        let honks = FirstMove::new(
            "It honks.".into(),
            String::new(),
            equaliser(serde_json::from_value(json!({"freq_hz": 900.0})).unwrap()),
        );
        let mut unit = honks.unit.clone();
        let alone = |unit: &UnitSpec| {
            matches!(honks.edit(7, &RackSpec { units: vec![unit.clone()] }), Edit::AddUnit { at: 0, .. })
        };
        assert!(!alone(&unit));
        unit.set("on", &false.into()).unwrap();
        assert!(alone(&unit));
        let most = unit.kind.tables.lists[0].max;
        let bands = vec![json!({"freq_hz": 500.0}); most];
        let full = UnitSpec::from_json(&json!({"kind": EQUALISER, "params": {"bands": bands}}), 1).unwrap();
        assert!(alone(&full));
    }

    #[test]
    fn why_nothing_has_to_be_done_is_said_in_figures() {
        let words = nothing_to_do(&raw(&notes(1.0)));
        assert!(
            words.contains("nothing rings") && words.contains("below is at") && words.contains("LU over"),
            "{words}"
        );
        assert!(nothing_to_do(&raw(&vec![0.0; 480_000])).contains("nothing rings"));
    }

    #[test]
    fn a_silent_part_suggests_nothing() {
        assert_eq!(first_moves(&raw(&vec![0.0; 480_000])), []);
    }

    #[test]
    fn a_move_is_known_as_made_when_a_unit_of_the_rack_makes_it() {
        let moves = first_moves(&raw(&with_rumble(notes(5.0))));
        let mut rack = RackSpec { units: vec![] };
        assert!(moves.iter().all(|m| !m.is_made(&rack)));
        for m in &moves {
            rack.units.push(m.unit.clone());
        }
        assert!(moves.iter().all(|m| m.is_made(&rack)));
        rack.units.remove(0);
        assert!(!moves[0].is_made(&rack) && moves[1].is_made(&rack));
    }
}
