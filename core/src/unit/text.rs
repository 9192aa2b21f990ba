//! What engineers type, and how values are written back.
//!
//! `2k`, `2.2 kHz`, `A4`, `-3`, `4:1`, `inf`, `30ms`, `1/16`, `1/8.`, `35%`.
//! Writing then reading gives the value again to the precision shown, and
//! writing that gives the same text.

use super::param::{Choice, Quantity};
use crate::signal::math::{log, pow};

/// Concert pitch.
const A4_HZ: f64 = 440.0;
const NOTE_NAMES: [&str; 12] = ["C", "C#", "D", "D#", "E", "F", "F#", "G", "G#", "A", "A#", "B"];

/// Why a typed text is not a value.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct TextError {
    /// What was typed.
    pub typed: String,
    /// Examples of what would be understood.
    pub examples: &'static str,
}

impl core::fmt::Display for TextError {
    fn fmt(&self, f: &mut core::fmt::Formatter<'_>) -> core::fmt::Result {
        write!(f, "\"{}\" is not understood here; type for example {}.", self.typed, self.examples)
    }
}

/// Reads a typed value. `tempo_bpm` turns note values into milliseconds.
///
/// # Errors
/// When the text is not a value of this quantity. Ranges are not checked here.
pub fn parse(quantity: Quantity, text: &str, tempo_bpm: f64) -> Result<f64, TextError> {
    let typed = text.trim();
    let plain = typed.to_lowercase().replace([' ', '\u{a0}'], "").replace(',', ".").replace('\u{2212}', "-");
    let (value, examples) = match quantity {
        Quantity::Hertz => (parse_hertz(&plain), "70, 2k, 2.2 kHz or A4"),
        Quantity::Decibels => (parse_decibels(&plain), "-3, +2.5 dB or off"),
        Quantity::Milliseconds => (parse_time(&plain, tempo_bpm), "30, 30ms, 1.2 s, 1/16 or 1/8."),
        Quantity::Ratio => (parse_ratio(&plain), "4, 4:1 or inf"),
        Quantity::Q => (
            scaled(&plain, &[("oct", 0.0), ("", 1.0)]).filter(|q| *q != 0.0).or_else(|| parse_octaves(&plain)),
            "0.7, 12 or 1.5oct",
        ),
        Quantity::Percent => (scaled(&plain, &[("%", 0.01), ("", 0.01)]), "35 or 35%"),
        Quantity::Centimetres => {
            (scaled(&plain, &[("cm", 1.0), ("mm", 0.1), ("m", 100.0), ("", 1.0)]), "5, 5 cm, 30 mm or 1 m")
        }
        Quantity::Degrees => (scaled(&plain, &[("deg", 1.0), ("\u{b0}", 1.0), ("", 1.0)]), "30 or 30\u{b0}"),
        Quantity::Pan => (parse_pan(&plain), "L30, C or R100"),
    };
    match value {
        Some(v) if !v.is_nan() => Ok(v),
        _ => Err(TextError { typed: typed.to_string(), examples }),
    }
}

/// Writes a value with its unit.
#[must_use]
pub fn format(quantity: Quantity, value: f64) -> String {
    match quantity {
        Quantity::Hertz if value >= 999.95 => std::format!("{} kHz", significant(value / 1000.0)),
        Quantity::Hertz => std::format!("{} Hz", significant(value)),
        Quantity::Decibels if value <= -90.0 => "off".to_string(),
        Quantity::Decibels => std::format!("{} dB", decibel_figure(value)),
        Quantity::Milliseconds if value >= 999.95 => std::format!("{} s", significant(value / 1000.0)),
        Quantity::Milliseconds => std::format!("{} ms", significant(value)),
        Quantity::Ratio if value.is_infinite() => "inf".to_string(),
        Quantity::Ratio => std::format!("{}:1", significant(value)),
        Quantity::Q => significant(value),
        Quantity::Percent => std::format!("{} %", trimmed(value * 100.0, 1)),
        Quantity::Centimetres => std::format!("{} cm", significant(value)),
        Quantity::Degrees => std::format!("{}\u{b0}", trimmed(value, 1)),
        Quantity::Pan => match (value * 100.0).round() {
            0.0 => "C".to_string(),
            p if p < 0.0 => std::format!("L{}", -p),
            p => std::format!("R{p}"),
        },
    }
}

/// The nearest note and the cents away from it, as `A4` or `D#6 -12c`.
#[must_use]
pub fn note_name(hz: f64) -> String {
    let semitones = 69.0 + 12.0 * log(hz / A4_HZ) / log(2.0);
    let nearest = semitones.round();
    let cents = ((semitones - nearest) * 100.0).round();
    let name = NOTE_NAMES[(nearest as i64).rem_euclid(12) as usize];
    let octave = (nearest as i64).div_euclid(12) - 1;
    if cents == 0.0 { std::format!("{name}{octave}") } else { std::format!("{name}{octave} {cents:+}c") }
}

/// Width in octaves between the half-gain points of a bell of quality `q`
/// (Bristow-Johnson): `2 asinh(1 / 2q) / ln 2`.
#[must_use]
pub fn octaves_of_q(q: f64) -> f64 {
    2.0 * crate::signal::math::asinh(1.0 / (2.0 * q)) / log(2.0)
}

/// Inverse of [`octaves_of_q`].
#[must_use]
pub fn q_of_octaves(octaves: f64) -> f64 {
    1.0 / (2.0 * crate::signal::math::sinh(octaves * log(2.0) / 2.0))
}

fn decibel_figure(value: f64) -> String {
    let rounded = (value * 100.0).round() / 100.0;
    let text = if (rounded * 10.0).fract().abs() < 1e-9 {
        std::format!("{rounded:+.1}")
    } else {
        std::format!("{rounded:+.2}")
    };
    if rounded == 0.0 { "0.0".to_string() } else { text }
}

/// Four significant figures without trailing zeros.
fn significant(value: f64) -> String {
    let magnitude = value.abs();
    let decimals = if magnitude >= 999.95 {
        0
    } else if magnitude >= 99.995 {
        1
    } else if magnitude >= 9.9995 {
        2
    } else {
        3
    };
    trimmed(value, decimals)
}

fn trimmed(value: f64, decimals: usize) -> String {
    let text = std::format!("{value:.decimals$}");
    if !text.contains('.') {
        return text;
    }
    let text = text.trim_end_matches('0').trim_end_matches('.');
    if text == "-0" { "0".to_string() } else { text.to_string() }
}

/// A plain decimal number; no exponents, no "nan" or "infinity".
fn decimal(text: &str) -> Option<f64> {
    let plain = text.chars().all(|c| c.is_ascii_digit() || matches!(c, '.' | '-' | '+'));
    (plain && !text.is_empty()).then(|| text.parse().ok()).flatten()
}

/// A number with one of the given endings, times its factor; longest ending first.
fn scaled(text: &str, units: &[(&str, f64)]) -> Option<f64> {
    units.iter().find_map(|(unit, factor)| decimal(text.strip_suffix(unit)?).map(|n| n * factor))
}

fn parse_hertz(text: &str) -> Option<f64> {
    scaled(text, &[("khz", 1000.0), ("k", 1000.0), ("hz", 1.0), ("", 1.0)]).or_else(|| parse_note(text))
}

/// `a4`, `d#6`, `bb2`, each with optional cents: `a4+4c`.
fn parse_note(text: &str) -> Option<f64> {
    let text = text.replace('\u{266f}', "#").replace('\u{266d}', "b");
    let letter = text.chars().next()?;
    let base = NOTE_NAMES.iter().position(|n| n.to_lowercase() == letter.to_string())? as f64;
    let mut rest = &text[1..];
    let mut semitone = base;
    if let Some(r) = rest.strip_prefix('#') {
        (semitone, rest) = (base + 1.0, r);
    } else if let Some(r) = rest.strip_prefix('b') {
        (semitone, rest) = (base - 1.0, r);
    }
    let cents_at = rest.char_indices().skip(1).find(|(_, c)| matches!(c, '+' | '-')).map(|(i, _)| i);
    let (octave, cents) = match cents_at {
        Some(i) => (decimal(&rest[..i])?, decimal(rest[i..].strip_suffix('c')?)?),
        None => (decimal(rest)?, 0.0),
    };
    if octave.fract() != 0.0 || octave.abs() > 12.0 {
        return None;
    }
    Some(A4_HZ * pow(2.0, (semitone - 9.0 + cents / 100.0) / 12.0 + octave - 4.0))
}

fn parse_decibels(text: &str) -> Option<f64> {
    if matches!(text, "off" | "-inf" | "-\u{221e}") {
        return Some(-90.0);
    }
    scaled(text, &[("db", 1.0), ("", 1.0)])
}

/// Note values a time may follow the tempo by; the first is none.
pub const NOTE_VALUES: &[Choice] = &[
    Choice { id: "ms", label: "milliseconds" },
    Choice { id: "1/32", label: "1/32" },
    Choice { id: "1/16t", label: "1/16 triplet" },
    Choice { id: "1/16", label: "1/16" },
    Choice { id: "1/16.", label: "1/16 dotted" },
    Choice { id: "1/8t", label: "1/8 triplet" },
    Choice { id: "1/8", label: "1/8" },
    Choice { id: "1/8.", label: "1/8 dotted" },
    Choice { id: "1/4t", label: "1/4 triplet" },
    Choice { id: "1/4", label: "1/4" },
    Choice { id: "1/4.", label: "1/4 dotted" },
    Choice { id: "1/2", label: "1/2" },
    Choice { id: "1/1", label: "1/1" },
];

/// A note value of [`NOTE_VALUES`] in milliseconds at a tempo; none for none.
#[must_use]
pub fn note_ms(note: &str, tempo_bpm: f64) -> Option<f64> {
    if note.contains('/') { parse_time(note, tempo_bpm) } else { None }
}

fn parse_time(text: &str, tempo_bpm: f64) -> Option<f64> {
    if let Some((top, bottom)) = text.split_once('/') {
        let (bottom, stretch) = match (bottom.strip_suffix('.'), bottom.strip_suffix('t')) {
            (Some(b), _) => (b, 1.5),
            (_, Some(b)) => (b, 2.0 / 3.0),
            _ => (bottom, 1.0),
        };
        let whole_ms = 4.0 * 60_000.0 / tempo_bpm;
        let (top, bottom) = (decimal(top)?, decimal(bottom)?);
        return (bottom > 0.0).then(|| whole_ms * top / bottom * stretch);
    }
    scaled(text, &[("ms", 1.0), ("us", 0.001), ("\u{b5}s", 0.001), ("s", 1000.0), ("", 1.0)])
}

fn parse_ratio(text: &str) -> Option<f64> {
    let number = text.strip_suffix(":1").unwrap_or(text);
    if matches!(number, "inf" | "\u{221e}") {
        return Some(f64::INFINITY);
    }
    decimal(number)
}

fn parse_octaves(text: &str) -> Option<f64> {
    let octaves = scaled(text, &[("oct", 1.0)])?;
    (octaves > 0.0).then(|| q_of_octaves(octaves))
}

fn parse_pan(text: &str) -> Option<f64> {
    match text {
        "c" | "centre" | "center" => Some(0.0),
        _ => {
            let (sign, digits) = match (text.strip_prefix('l'), text.strip_prefix('r')) {
                (Some(d), _) => (-0.01, d),
                (_, Some(d)) => (0.01, d),
                _ => (0.01, text),
            };
            if digits.is_empty() { Some(sign * 100.0) } else { decimal(digits).map(|n| n * sign) }
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    #[test]
    fn what_engineers_type_is_understood() {
        let cases = [
            (Quantity::Hertz, "2k", 2000.0),
            (Quantity::Hertz, "2.2 kHz", 2200.0),
            (Quantity::Hertz, "2,2k", 2200.0),
            (Quantity::Hertz, "70", 70.0),
            (Quantity::Hertz, "A4", 440.0),
            (Quantity::Hertz, "a3", 220.0),
            (Quantity::Hertz, "Bb3", 233.081_880_759_044_96),
            (Quantity::Hertz, "C4", 261.625_565_300_598_6),
            (Quantity::Decibels, "-3", -3.0),
            (Quantity::Decibels, "+2.5 dB", 2.5),
            (Quantity::Decibels, "\u{2212}3", -3.0),
            (Quantity::Milliseconds, "30ms", 30.0),
            (Quantity::Milliseconds, "1.2 s", 1200.0),
            (Quantity::Milliseconds, "1/16", 150.0),
            (Quantity::Milliseconds, "1/8.", 450.0),
            (Quantity::Ratio, "4:1", 4.0),
            (Quantity::Ratio, "inf", f64::INFINITY),
            (Quantity::Percent, "35%", 0.35),
            (Quantity::Q, "0.7", 0.7),
            (Quantity::Pan, "L30", -0.3),
            (Quantity::Pan, "c", 0.0),
        ];
        for (quantity, text, want) in cases {
            let got = parse(quantity, text, 100.0).unwrap();
            assert!(got == want || (got - want).abs() < 1e-6, "{text}: {got}");
        }
        assert!((parse(Quantity::Q, "1oct", 100.0).unwrap() - std::f64::consts::SQRT_2).abs() < 1e-6);
    }

    #[test]
    fn nonsense_is_refused_with_examples() {
        for (quantity, text) in [
            (Quantity::Hertz, ""),
            (Quantity::Hertz, "H4"),
            (Quantity::Hertz, "2kk"),
            (Quantity::Hertz, "nan"),
            (Quantity::Ratio, "x:1"),
            (Quantity::Milliseconds, "1/0"),
            (Quantity::Percent, "1e9"),
        ] {
            let error = parse(quantity, text, 120.0).unwrap_err();
            assert!(error.to_string().contains("for example"), "{text}");
        }
    }

    #[test]
    fn notes_are_named_with_their_cents() {
        assert_eq!(note_name(440.0), "A4");
        assert_eq!(note_name(441.0), "A4 +4c");
        assert_eq!(note_name(27.5), "A0");
        assert_eq!(note_name(1244.5), "D#6");
    }

    #[test]
    fn width_in_octaves_and_q_convert_exactly() {
        // One octave is Q = sqrt(2) by definition of the half-gain bandwidth.
        assert!((q_of_octaves(1.0) - std::f64::consts::SQRT_2).abs() < 1e-12);
        for q in [0.1, 0.7, 4.3, 100.0] {
            assert!((q_of_octaves(octaves_of_q(q)) - q).abs() < 1e-9 * q);
        }
    }

    proptest! {
        #[test]
        fn written_values_read_back(value in 0.001f64..19_999.0, negative in any::<bool>()) {
            for quantity in [Quantity::Hertz, Quantity::Milliseconds, Quantity::Ratio, Quantity::Q, Quantity::Decibels, Quantity::Percent] {
                let signed = if negative && quantity == Quantity::Decibels { -(value % 89.0) } else { value };
                let text = format(quantity, signed);
                let read = parse(quantity, &text, 100.0).unwrap();
                prop_assert_eq!(format(quantity, read), text.clone());
                prop_assert!((read - signed).abs() <= 0.006f64.max(signed.abs() * 6e-4), "{} from {}", text, signed);
            }
        }

        #[test]
        fn any_text_is_answered_without_a_crash(text in ".{0,12}") {
            for quantity in [Quantity::Hertz, Quantity::Milliseconds, Quantity::Ratio, Quantity::Q, Quantity::Decibels, Quantity::Percent, Quantity::Pan] {
                let _ = parse(quantity, &text, 100.0);
            }
        }
    }
}
