//! Identity cards of the units of tone: what each voice and character does, measured on tones and
//! on the demo's own instruments. `./zinc cards` writes them to `docs/tone-cards.md`, and a test
//! holds that file to what the units do now.

use serde_json::{Value as Json, json};
use zinc_core::measure::probe::{With, comb};
use zinc_core::rack::RackSpec;
use zinc_core::signal::BLOCK;
use zinc_core::signal::decibel::power_to_db;
use zinc_core::unit::param::Domain;
use zinc_core::unit::text::format as written;

use crate::recorded::crest_db;
use crate::song::RATE;
use crate::stems::STEMS;
use crate::tools::{mono, through_rack};

/// Levels in dBFS at which harmonics are given.
const LEVELS_DB: [f64; 3] = [-30.0, -18.0, -6.0];
/// Harmonics that are given, from the second.
const ORDERS: usize = 4;
/// Frequencies in Hz at which the response is given, against that of the third.
const RESPONSE_HZ: [f64; 8] = [60.0, 125.0, 500.0, 1000.0, 2000.0, 4000.0, 8000.0, 12_000.0];
/// How much softer the part is played to see whether it cleans up, in dB.
const SOFTER_DB: f64 = 12.0;
/// Seconds of a part, from where it has begun to play.
const EXCERPT_S: usize = 8;

/// What a card is of.
struct Subject {
    name: &'static str,
    /// What it is like, in words.
    words: &'static str,
    kind: &'static str,
    params: fn() -> Json,
    /// The instrument it is tried on.
    stem: &'static str,
    tone_hz: f64,
}

const fn amp(
    name: &'static str,
    words: &'static str,
    params: fn() -> Json,
    stem: &'static str,
    tone_hz: f64,
) -> Subject {
    Subject { name, words, kind: "amp", params, stem, tone_hz }
}

const fn other(
    name: &'static str,
    words: &'static str,
    kind: &'static str,
    params: fn() -> Json,
    stem: &'static str,
) -> Subject {
    Subject { name, words, kind, params, stem, tone_hz: 500.0 }
}

const SUBJECTS: &[Subject] = &[
    amp(
        "Amp, clean",
        "Stays open up to loud notes; the tone controls scoop its middle.",
        || json!({"voice": "clean", "hold_level": false}),
        "Lead DI",
        300.0,
    ),
    amp(
        "Amp, edge of breakup",
        "One valve at the end: an octave first, and every touch changes how much.",
        || json!({"voice": "edge", "drive_db": 20, "hold_level": false}),
        "Lead DI",
        300.0,
    ),
    amp(
        "Amp, class A pair",
        "Breaks early and softly: both halves conduct all the time.",
        || json!({"voice": "early", "drive_db": 20, "hold_level": false}),
        "Lead DI",
        300.0,
    ),
    amp(
        "Amp, crunch",
        "A pair at its end: odd overtones, chords hold together.",
        || json!({"voice": "crunch", "drive_db": 20, "hold_level": false}),
        "Rhythm left DI",
        300.0,
    ),
    amp(
        "Amp, lead",
        "Four stages, one of them cold: dense, long, nearly level.",
        || json!({"voice": "lead", "drive_db": 30, "hold_level": false}),
        "Lead DI",
        300.0,
    ),
    amp(
        "Amp, tight",
        "Lows go before the gain: dense, and muted strings stop at once.",
        || json!({"voice": "tight", "drive_db": 30, "hold_level": false}),
        "Rhythm left DI",
        300.0,
    ),
    amp(
        "Amp, bass, round",
        "Second and third of the fundamental, nothing on top.",
        || json!({"voice": "round", "drive_db": 20, "hold_level": false}),
        "Bass DI",
        80.0,
    ),
    amp(
        "Amp, bass, gritty",
        "Lows go past the drive; above them it growls.",
        || json!({"voice": "gritty", "drive_db": 20, "hold_level": false}),
        "Bass DI",
        80.0,
    ),
    amp(
        "Amp, bass, driven",
        "The whole range driven, fundamental and all.",
        || json!({"voice": "driven", "drive_db": 20, "hold_level": false}),
        "Bass DI",
        80.0,
    ),
    amp(
        "Amp, acoustic, wide",
        "Clean and wide; body comes up, the bark of a bridge pick-up goes.",
        || json!({"voice": "acoustic", "drive_db": 16, "hold_level": false}),
        "Acoustic",
        300.0,
    ),
    amp(
        "Amp, keys, soft valve",
        "A soft valve for organs and electric pianos: an octave first.",
        || json!({"voice": "keys", "drive_db": 20, "hold_level": false}),
        "Electric piano",
        300.0,
    ),
    other(
        "Saturator, tape",
        "Odd overtones, highs rounded first.",
        "saturator",
        || json!({"character": "tape", "drive_db": 18, "hold_level": false}),
        "Electric piano",
    ),
    other(
        "Saturator, tube",
        "An octave before all else.",
        "saturator",
        || json!({"character": "tube", "drive_db": 18, "hold_level": false}),
        "Electric piano",
    ),
    other(
        "Saturator, transformer",
        "Lows bend, the rest passes.",
        "saturator",
        || json!({"character": "transformer", "drive_db": 18, "hold_level": false}),
        "Bass DI",
    ),
    other(
        "Saturator, diode",
        "Nothing at first, then an edge.",
        "saturator",
        || json!({"character": "diode", "drive_db": 18, "hold_level": false}),
        "Electric piano",
    ),
    other(
        "Saturator, fold",
        "Turns back when pushed: more overtones than tone.",
        "saturator",
        || json!({"character": "fold", "drive_db": 18, "hold_level": false}),
        "Electric piano",
    ),
    other(
        "Tape, 7.5 ips",
        "Low lift an octave down, top soft and the first to go.",
        "tape",
        || json!({"speed": "7.5", "input_db": 9, "hold_level": false}),
        "Acoustic",
    ),
    other(
        "Tape, 15 ips",
        "In between.",
        "tape",
        || json!({"speed": "15", "input_db": 9, "hold_level": false}),
        "Acoustic",
    ),
    other(
        "Tape, 30 ips",
        "Open on top, the lift of the lows an octave up, peaks rounded.",
        "tape",
        || json!({"speed": "30", "input_db": 9, "hold_level": false}),
        "Acoustic",
    ),
    other(
        "Console EQ, flat, iron",
        "Lows thicken by a third harmonic, the rest is clean.",
        "console-eq",
        || json!({"colour": 0, "input_db": 12, "sides": 0}),
        "Bass DI",
    ),
    other(
        "Console EQ, flat, valve",
        "An octave above everything.",
        "console-eq",
        || json!({"colour": 1, "input_db": 12, "sides": 0}),
        "Electric piano",
    ),
    other("Passive EQ, flat", "A trace of an octave, however it is set.", "passive-eq", || json!({}), "Violins"),
];

/// All cards as one document.
#[must_use]
pub fn text() -> String {
    let mut text = String::from(
        "# Identity cards of the units of tone\n\nMade by `./zinc cards`; a test holds this file to what the units do. Harmonics in dB against the fundamental, \
         the response to a soft sound in dB against 500 Hz, crest (peak over mean) of a stretch of the instrument named before and after, and the \
         same played 12 dB softer.\n",
    );
    for subject in SUBJECTS {
        text += &card(subject);
    }
    text
}

fn card(subject: &Subject) -> String {
    let units = json!({"zinc_rack": 1, "units": [{"kind": subject.kind, "params": (subject.params)()}]});
    let Ok(spec) = RackSpec::from_json(&units) else {
        return format!("\n## {}\n\nIts settings are not valid.\n", subject.name);
    };
    let rate = f64::from(RATE);
    let mut text = format!("\n## {}\n\n{} Made at {}.\n\n", subject.name, subject.words, made_at(&units));
    text += &format!("| {} Hz at | 2nd | 3rd | 4th | 5th | together |\n|---|---|---|---|---|---|\n", subject.tone_hz);
    for level_db in LEVELS_DB {
        let found = comb(&spec, rate, With { level_db, tone_hz: subject.tone_hz });
        let harmonics: Vec<String> = found.harmonics_db().iter().take(ORDERS).map(|db| figure(*db)).collect();
        text += &format!("| {level_db:.0} dBFS | {} | {:.2} % |\n", harmonics.join(" | "), found.thd_percent());
    }
    let gains: Vec<f64> = spec.response(rate, &RESPONSE_HZ).iter().map(|h| power_to_db(h.norm_sqr())).collect();
    let names: Vec<String> = RESPONSE_HZ.iter().map(|hz| format!("{hz:.0}")).collect();
    let against: Vec<String> = gains.iter().map(|db| format!("{:+.1}", tenth(db - gains[2]))).collect();
    text += &format!(
        "\n| Hz | {} |\n|---|{}\n| dB | {} |\n",
        names.join(" | "),
        "---|".repeat(names.len()),
        against.join(" | ")
    );
    let part = excerpt(subject.stem);
    let softer: Vec<f32> = part.iter().map(|x| x * 10f32.powf(-SOFTER_DB as f32 / 20.0)).collect();
    let crest = crest_db(&part);
    text += &format!(
        "\n{}: crest {crest:.1} dB in, {:.1} dB out; played {SOFTER_DB:.0} dB softer {:.1} dB out.\n",
        subject.stem,
        crest_db(&through(&spec, &part)),
        crest_db(&through(&spec, &softer)),
    );
    text
}

/// The settings a card was made at, in the words of the page.
fn made_at(units: &Json) -> String {
    let (kind, params) = (units["units"][0]["kind"].as_str().unwrap_or(""), &units["units"][0]["params"]);
    let tables = zinc_core::unit::catalogue::kind(kind).map_or(&[][..], |kind| kind.tables.params);
    let words = tables.iter().filter_map(|param| {
        let value = params.get(param.id)?.as_f64()?;
        let Domain::Number { quantity, .. } = param.domain else { return None };
        Some(format!("{} {}", param.label, written(quantity, value)))
    });
    let all: Vec<String> = words.collect();
    if all.is_empty() { "the values of a fresh unit".into() } else { all.join(", ") }
}

fn figure(db: f64) -> String {
    if db < -120.0 { "none".into() } else { format!("{:.1}", tenth(db)) }
}

/// To a tenth, and no minus before a zero.
fn tenth(db: f64) -> f64 {
    (db * 10.0).round() / 10.0 + 0.0
}

/// A stretch of a stem from where it plays.
fn excerpt(name: &str) -> Vec<f32> {
    let Some(stem) = STEMS.iter().find(|s| s.name == name) else { return Vec::new() };
    let part = mono(&(stem.render)().channels);
    let peak = part.iter().fold(0.0f32, |peak, x| peak.max(x.abs()));
    let from = part.iter().position(|x| x.abs() > 0.5 * peak).unwrap_or(0).saturating_sub(RATE as usize);
    part[from..].iter().copied().take(EXCERPT_S * RATE as usize / BLOCK * BLOCK).collect()
}

/// The part through a rack, without its first second.
fn through(spec: &RackSpec, part: &[f32]) -> Vec<f32> {
    let mut out = through_rack(spec, part);
    out.split_off((RATE as usize).min(out.len()))
}
