//! The page's side: questions in JSON, answers in JSON.
//!
//! Curves, typed values and tapers are computed here by the core, so that what
//! is drawn and typed follows the same rules as what is heard. Questions come a
//! few dozen times a second at most; JSON costs microseconds.

use serde::Deserialize;
use serde_json::{Value as Json, json};
use zinc_core::advice::begin::beginning;
use zinc_core::advice::curve::difference;
use zinc_core::advice::fit::fit;
use zinc_core::advice::new_band;
use zinc_core::live::Report;
use zinc_core::live::monitor::Check;
use zinc_core::live::store::CHUNK;
use zinc_core::measure::collision::{collisions, worst};
use zinc_core::measure::cycle::cycles;
use zinc_core::measure::decay::Decay;
use zinc_core::measure::overview::FRAMES_PER_PAIR;
use zinc_core::measure::probe::{With, comb, note, timing};
use zinc_core::measure::third_octave::{BANDS, THIRDS, TWELFTHS, ThirdOctaves, bands_of, centre_of};
use zinc_core::measure::treatment::HISTOGRAM_FLOOR_DB;
use zinc_core::measure::width::MONO_DB;
use zinc_core::rack::{COMMON, RackSpec, UnitSpec};
use zinc_core::session::controls::CHANGING;
use zinc_core::session::take::{self, TAKE};
use zinc_core::session::{Family, Part, STRIP};
use zinc_core::signal::BLOCK;
use zinc_core::signal::decibel::gain_to_db;
use zinc_core::signal::math::Complex;
use zinc_core::unit::catalogue::{GROUPS, KINDS, kind};
use zinc_core::unit::eq::drawn::pull::{self, Hold};
use zinc_core::unit::eq::drawn::{self, Point};
use zinc_core::unit::param::{Domain, Quantity};
use zinc_core::unit::text;
use zinc_core::unit::tone::cabinet::microphone_mix;
use zinc_core::unit::value::Written;
use zinc_core::unit::{Param, Record, UnitKind, foreign};

use crate::lanes::{self, LaneQuestion, PlaceQuestion};
use crate::memory::{answer, text as text_at};
use crate::sounds::sounds;
use crate::window::{self, SessionQuestion};

#[derive(Deserialize)]
#[serde(tag = "ask", rename_all = "kebab-case")]
enum Question {
    /// All tables.
    Catalogue,
    /// A typed text as a value of a parameter.
    Parse { table: String, param: String, text: String, tempo_bpm: f64 },
    /// A value as text.
    Format { table: String, param: String, value: Option<f64> },
    /// Position of a value on its rule.
    Position { table: String, param: String, value: Option<f64> },
    /// Value at a position of the rule.
    ValueAt { table: String, param: String, position: f64 },
    /// Value some keyboard steps away.
    Step { table: String, param: String, value: Option<f64>, count: f64 },
    /// About a value that changes with the song.
    OverTime { table: String, param: String, about: LaneQuestion },
    /// About a place in the song.
    Place { about: PlaceQuestion },
    /// The nearest note.
    Note { hz: f64 },
    /// Width in octaves of a Q.
    Octaves { q: f64 },
    /// The Q of a width in octaves.
    Quality { octaves: f64 },
    /// Gain in dB of a rack at some frequencies.
    Response { rack: Json, rate: f64, freqs: Vec<f64> },
    /// Harmonics of a steady tone through a unit.
    Comb { unit: Json, rate: f64, tone_hz: f64, level_db: f64 },
    /// The tone and the level that a part is measured with, of its levels by third octave and its peak.
    OwnTone { third_octave: Vec<f64>, peak_db: f64 },
    /// How fast a unit's reduction really comes and goes.
    Timing { unit: Json, rate: f64, tempo_bpm: f64 },
    /// What becomes of one note, at three levels.
    OneNote { unit: Json, rate: f64 },
    /// Names of a unit's parameters that do nothing with its other values.
    Resting { unit: Json },
    /// Whether twice the input of a unit is twice its output, so that its impulse response says all of it.
    Linear { unit: Json },
    /// What is known of each row of a unit's first list: which of its values do nothing with the others, where the region
    /// that is heard alone begins and ends, and the gain at the far end of its way.
    Rows { unit: Json },
    /// What is to be said of what of a unit this version cannot use; null where it can use all.
    Kept { unit: Json },
    /// Frames by which a unit delays.
    Latency { unit: Json, rate: f64 },
    /// How the first sound that a unit names dies away; null where it names none or it is missing.
    Decay { unit: Json, rate: f64, stretches: usize },
    /// Output level for each whole dB of input from `from` to 0.
    Bend { unit: Json, from: i32 },
    /// Gains in dB of the curve of a drawn EQ through some points, at some frequencies.
    Drawn { points: Vec<Point>, contour: f64, freqs: Vec<f64> },
    /// Its points after one place of the curve was pulled.
    Pull { points: Vec<Point>, contour: f64, grid: String, hold: Hold },
    /// What leads from one spectrum (twelfth octaves, dBFS) to another, smoothed over some
    /// octaves, as a curve and as a drawn EQ.
    Difference { from: Vec<f64>, to: Vec<f64>, smooth: f64 },
    /// The bands of a surgical EQ that come nearest to a curve.
    Fit { hz: Vec<f64>, curve: Vec<f64>, bands: usize },
    /// How much two parts collide by third octave, and where most.
    Collisions { first: Vec<f64>, second: Vec<f64> },
    /// Faders of two recordings of one performance: how they are shared, or levels for a share.
    Take { first_db: f64, second_db: f64, share: Option<f64> },
    /// A fresh unit, begun on a part whose peaks stand at so many dBFS where both are known.
    Fresh { kind: String, part: Option<Part>, peak_db: Option<f64> },
    /// Where a kind of unit begins on a part; null where it begins as its table says.
    Beginning { kind: String, part: Part, peak_db: f64 },
    /// How both microphones of a cabinet add up; null where there is one.
    MicrophoneMix { unit: Json, rate: f64 },
    /// The parts of ranges that do something with a unit's other values, by name of the parameter.
    Reaches { unit: Json },
    /// A unit as it is in a section.
    UnitIn { unit: Json, section: u32 },
    /// A unit with another value under a path.
    UnitWith { unit: Json, param: String, value: Written },
    /// About the page's session.
    Session { about: SessionQuestion },
    /// A fresh row of a list of a kind of unit.
    FreshRow { kind: String, list: String },
    /// Where a new band of an equaliser begins: at a place of its field, in Hz and dB, or beside others.
    NewBand { place: Option<[f64; 2]>, others: Vec<f64>, last: Option<f64>, thirds_db: Vec<f64> },
    /// The Q that a band goes to with its shape; null where it stays.
    QWithShape { shape: String, q: f64 },
}

/// Answers a question; the answer is JSON, `{"error": ...}` when there is none.
#[unsafe(no_mangle)]
pub unsafe extern "C" fn zr_ask(at: *const u8, len: usize) {
    // SAFETY: see the crate's contract.
    let question = serde_json::from_str(unsafe { text_at(at, len) }).map_err(|e| without_place(&e.to_string()));
    let reply = question.and_then(reply).unwrap_or_else(|reason| json!({ "error": reason }));
    answer(&reply.to_string());
}

/// Why a question cannot be read, without the place in its text: a person reads it where an edit is refused.
fn without_place(reason: &str) -> String {
    reason.rsplit_once(" at line ").map_or(reason, |(words, _)| words).to_string()
}

/// Levels in dBFS of `count` samples (a power of two, more than there are bands) in
/// `per_decade` bands per decade; they replace the first samples. Returns their number.
#[unsafe(no_mangle)]
pub unsafe extern "C" fn zr_spectrum(samples: *mut f32, count: usize, rate: f64, per_decade: usize) -> usize {
    // SAFETY: see the crate's contract.
    let samples = unsafe { std::slice::from_raw_parts_mut(samples, count) };
    let mut meter = ThirdOctaves::new(rate, count);
    meter.push_slices(samples, samples);
    let levels = meter.fine_levels_db(per_decade);
    for (out, level) in samples.iter_mut().zip(&levels) {
        *out = *level as f32;
    }
    levels.len().min(count)
}

/// Cycles of `count` samples: start and Hz of each replace the first samples. Returns
/// how many there are.
#[unsafe(no_mangle)]
pub unsafe extern "C" fn zr_cycles(samples: *mut f32, count: usize, rate: f64) -> usize {
    // SAFETY: see the crate's contract.
    let samples = unsafe { std::slice::from_raw_parts_mut(samples, count) };
    let found = cycles(samples, rate);
    for (pair, cycle) in samples.chunks_exact_mut(2).zip(&found) {
        (pair[0], pair[1]) = (cycle.start as f32, cycle.hz as f32);
    }
    found.len().min(count / 2)
}

fn reply(question: Question) -> Result<Json, String> {
    Ok(match question {
        Question::Catalogue => json!({
            "sources": zinc_core::SOURCES,
            "kinds": KINDS, "groups": groups(), "foreign": foreign::KIND, "common": COMMON, "strip": STRIP, "changing": CHANGING, "take": TAKE,
            "spectra": [spectrum(THIRDS), spectrum(TWELFTHS)],
            "report": Report::layout(),
            "frames": { "block": BLOCK, "chunk": CHUNK, "overview": FRAMES_PER_PAIR },
            "histogram_floor_db": HISTOGRAM_FLOOR_DB, "mono_db": MONO_DB,
            "checks": Check::ALL.map(|(_, id, label)| json!({ "id": id, "label": label })),
            "parts": Part::all().map(|p| json!({ "id": p.id(), "label": p.label(), "family": p.family().mark() })).collect::<Vec<_>>(),
            "families": Family::ALL.map(|f| json!({ "id": f.mark(), "label": f.name() })),
        }),
        Question::Parse { table, param, text, tempo_bpm } => parse(&table, &param, &text, tempo_bpm)?,
        Question::Format { table, param, value } => {
            json!(text::format(number(&table, &param)?.quantity, finite(value)))
        }
        Question::Position { table, param, value } => {
            let n = number(&table, &param)?;
            json!(n.taper.position_of(finite(value), n.min, n.max))
        }
        Question::ValueAt { table, param, position } => {
            let n = number(&table, &param)?;
            finite_or_null(n.taper.value_at(position, n.min, n.max))
        }
        Question::Step { table, param, value, count } => {
            finite_or_null(find(&table, &param)?.domain.stepped(finite(value), count))
        }
        Question::OverTime { table, param, about } => lanes::about(find(&table, &param)?, &about)?,
        Question::Place { about } => lanes::place(&about)?,
        Question::Note { hz } => json!(text::note_name(hz)),
        Question::Octaves { q } => json!(text::octaves_of_q(q)),
        Question::Quality { octaves } => json!(text::q_of_octaves(octaves)),
        Question::Response { rack, rate, freqs } => {
            let mut rack = RackSpec::of_any_version(&rack).map_err(|e| e.to_string())?;
            rack.supply(&sounds());
            // Each unit on the part it works on: a curve that acts on the sides is drawn as it acts.
            let mut gains = vec![Complex::ONE; freqs.len()];
            for unit in &rack.units {
                let own = unit.response(rate, &freqs);
                gains.iter_mut().zip(own).for_each(|(all, h)| *all = all.times(h));
            }
            json!(gains.iter().map(|h| gain_to_db(h.norm_sqr().sqrt())).collect::<Vec<_>>())
        }
        Question::Comb { unit, rate, tone_hz, level_db } => {
            let mut unit = UnitSpec::of_any_version(&unit, 1).map_err(|e| e.to_string())?;
            unit.settings.fixed.supply(&sounds());
            let found = comb(&RackSpec { units: vec![unit] }, rate, With { level_db, tone_hz });
            json!({ "harmonics_db": found.harmonics_db(), "thd_percent": found.thd_percent(), "even_odd_db": found.even_odd_db() })
        }
        Question::OwnTone { third_octave, peak_db } => {
            let levels = third_octave.try_into().map_err(|_| format!("A part has levels of {BANDS} third octaves."))?;
            json!(With::of_part(&levels, peak_db))
        }
        Question::Timing { unit, rate, tempo_bpm } => {
            let mut unit = UnitSpec::of_any_version(&unit, 1).map_err(|e| e.to_string())?;
            unit.settings.tempo_bpm = tempo_bpm;
            json!(timing(&RackSpec { units: vec![unit] }, rate))
        }
        Question::OneNote { unit, rate } => {
            let unit = UnitSpec::of_any_version(&unit, 1).map_err(|e| e.to_string())?;
            json!(note(&RackSpec { units: vec![unit] }, rate))
        }
        Question::Resting { unit } => {
            let unit = UnitSpec::of_any_version(&unit, 1).map_err(|e| e.to_string())?;
            let resting = unit.kind.tables.params.iter().filter(|param| unit.settings.fixed.rests(param));
            json!(resting.map(|param| param.id).collect::<Vec<_>>())
        }
        Question::Linear { unit } => {
            let unit = UnitSpec::of_any_version(&unit, 1).map_err(|e| e.to_string())?;
            json!((unit.kind.linear)(&unit.settings))
        }
        Question::Rows { unit } => rows(&UnitSpec::of_any_version(&unit, 1).map_err(|e| e.to_string())?),
        Question::Kept { unit } => {
            json!(UnitSpec::of_any_version(&unit, 1).map_err(|e| e.to_string())?.kept.in_words())
        }
        Question::Latency { unit, rate } => {
            let unit = UnitSpec::of_any_version(&unit, 1).map_err(|e| e.to_string())?;
            json!(unit.latency(rate))
        }
        Question::Decay { unit, rate, stretches } => {
            let mut unit = UnitSpec::of_any_version(&unit, 1).map_err(|e| e.to_string())?;
            unit.settings.fixed.supply(&sounds());
            let sound = unit.settings.fixed.sounds().find_map(|named| named.sound.as_ref());
            json!(sound.map(|sound| Decay::of(sound, rate, stretches.min(MOST_STRETCHES))))
        }
        Question::Bend { unit, from } => {
            let unit = UnitSpec::of_any_version(&unit, 1).map_err(|e| e.to_string())?;
            let bend: Option<Vec<f64>> = (from..=0).map(|db| unit.transfer(f64::from(db))).collect();
            json!(bend.ok_or("this unit has no static curve")?)
        }
        Question::Drawn { points, contour, freqs } => json!(drawn::drawn(&points, contour, &freqs)),
        Question::Pull { points, contour, grid, hold } => json!(pull::pull(&points, contour, &pull::grid(&grid), hold)),
        Question::Difference { from, to, smooth } => {
            let curve = difference(&from, &to, TWELFTHS, smooth);
            json!({ "drawn": curve.drawn("sixth"), "curve": curve })
        }
        Question::Fit { hz, curve, bands } => {
            let fitted = fit(&hz, &curve, bands.min(12));
            json!({ "unit": fitted.unit(), "fit": fitted })
        }
        Question::Collisions { first, second } => {
            let bands = |levels: Vec<f64>| <[f64; BANDS]>::try_from(levels).map_err(|_| "31 levels are needed");
            let by_band = collisions(&bands(first)?, &bands(second)?);
            json!({ "bands": by_band, "worst": worst(&by_band) })
        }
        Question::Take { first_db, second_db, share: None } => json!({ "share": take::share(first_db, second_db) }),
        Question::Take { first_db, second_db, share: Some(share) } => {
            let [first_db, second_db] = take::levels(first_db, second_db, share);
            json!({ "first_db": first_db, "second_db": second_db })
        }
        Question::FreshRow { kind: id, list } => {
            let rows = kind(&id).and_then(|k| k.tables.lists.iter().find(|rows| rows.id == list));
            let rows = rows.ok_or_else(|| format!("there is no list {id}/{list}"))?;
            Json::Object(zinc_core::unit::Record::defaults(rows.params).to_json())
        }
        Question::NewBand { place, others, last, thirds_db } => json!(match place {
            Some([freq_hz, gain_db]) => new_band::at_place(freq_hz, gain_db),
            None => new_band::next(&others, last, &thirds_db),
        }),
        Question::QWithShape { shape, q } => json!(new_band::q_with_shape(&shape, q)),
        Question::Fresh { kind: id, part, peak_db } => {
            let mut unit = UnitSpec::new(kind(&id).ok_or_else(|| format!("there is no unit {id}"))?);
            if let Some(found) = part.zip(peak_db).and_then(|(part, peak_db)| beginning(&id, part, peak_db)) {
                for (param, value) in &found.set {
                    unit.set(param, value).map_err(|e| e.to_string())?;
                }
                unit.why = found.says;
            }
            unit.to_json()
        }
        Question::Beginning { kind, part, peak_db } => json!(beginning(&kind, part, peak_db)),
        Question::MicrophoneMix { unit, rate } => {
            let mut unit = UnitSpec::of_any_version(&unit, 1).map_err(|e| e.to_string())?;
            unit.settings.fixed.supply(&sounds());
            json!(microphone_mix(&unit.settings, rate))
        }
        Question::Reaches { unit } => {
            let unit = UnitSpec::of_any_version(&unit, 1).map_err(|e| e.to_string())?;
            let fixed = &unit.settings.fixed;
            let reaches =
                unit.kind.tables.params.iter().filter_map(|p| Some((p.id.to_string(), json!(fixed.reach(p)?))));
            Json::Object(reaches.collect())
        }
        Question::UnitIn { unit, section } => {
            UnitSpec::of_any_version(&unit, 1).map_err(|e| e.to_string())?.in_section(section).to_json()
        }
        Question::UnitWith { unit, param, value } => {
            let mut unit = UnitSpec::of_any_version(&unit, 1).map_err(|e| e.to_string())?;
            unit.set(&param, &value).map_err(|e| e.to_string())?;
            unit.to_json()
        }
        Question::Session { about } => window::about(about)?,
    })
}

fn rows(unit: &UnitSpec) -> Json {
    let Some(list) = unit.kind.tables.lists.first() else { return json!([]) };
    let of = |(i, row): (usize, &Record)| {
        let resting: Vec<&str> = list.params.iter().filter(|param| row.rests(param)).map(|param| param.id).collect();
        let regions = unit.kind.regions;
        let edges = regions.and_then(|regions| (regions.edges)(&unit.settings, i));
        let far_end_db = regions.and_then(|regions| (regions.far_end_db)(&unit.settings, i));
        json!({ "resting": resting, "region": edges, "far_end_db": far_end_db })
    };
    unit.settings.rows().iter().enumerate().map(of).collect()
}

/// Most stretches a decay is asked in.
const MOST_STRETCHES: usize = 4096;

/// The bands of one fineness.
fn spectrum(per_decade: usize) -> Json {
    json!({ "per_decade": per_decade, "hz": (0..bands_of(per_decade)).map(|i| centre_of(i, per_decade)).collect::<Vec<_>>() })
}

/// JSON has no infinity: an infinite ratio travels as null.
fn finite_or_null(value: f64) -> Json {
    if value.is_finite() { json!(value) } else { Json::Null }
}

fn finite(value: Option<f64>) -> f64 {
    value.unwrap_or(f64::INFINITY)
}

fn parse(table: &str, param: &str, typed: &str, tempo_bpm: f64) -> Result<Json, String> {
    let n = number(table, param)?;
    let value = text::parse(n.quantity, typed, tempo_bpm).map_err(|e| e.to_string())?;
    if value < n.min || value > n.max {
        let (min, max) = (text::format(n.quantity, n.min), text::format(n.quantity, n.max));
        return Err(format!("{} is outside {min} to {max}; the old value was kept.", text::format(n.quantity, value)));
    }
    Ok(json!({ "value": finite_or_null(value) }))
}

/// The parts of a number's domain that questions need.
struct Number {
    min: f64,
    max: f64,
    taper: zinc_core::unit::Taper,
    quantity: Quantity,
}

fn number(table: &str, param: &str) -> Result<Number, String> {
    match find(table, param)?.domain {
        Domain::Number { min, max, taper, quantity, .. } => Ok(Number { min, max, taper, quantity }),
        _ => Err(format!("{param} is not a number")),
    }
}

/// Tables: a unit kind, a unit kind's list as `kind/list`, `common`, `strip` or `take`.
fn find(table: &str, param: &str) -> Result<&'static Param, String> {
    let params = match table.split_once('/') {
        Some((id, list)) => kind(id).and_then(|k| k.tables.lists.iter().find(|l| l.id == list)).map(|l| l.params),
        None if table == "common" => Some(COMMON),
        None if table == "strip" => Some(STRIP),
        None if table == "take" => Some(TAKE),
        None => kind(table).map(|k| k.tables.params),
    };
    let found = params.and_then(|p| p.iter().find(|p| p.id == param));
    found.ok_or_else(|| format!("there is no parameter {table}.{param}"))
}

/// The groups in which kinds are offered, by name.
fn groups() -> Vec<Json> {
    let ids = |kinds: &[&UnitKind]| kinds.iter().map(|kind| kind.id).collect::<Vec<_>>();
    GROUPS.iter().map(|(name, kinds)| json!({ "name": name, "kinds": ids(kinds) })).collect()
}
