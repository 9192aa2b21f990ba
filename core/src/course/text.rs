//! Points of a lane as they are typed: `bar 9.1: 2 kHz`, `0:32.5: -3 dB held`.

use super::lane::Beats;
use super::written::{Point, Then};
use crate::unit::param::{Domain, Param};
use crate::unit::text;
use crate::unit::value::Value;

/// Latest place that can be typed: a day into the song.
const LATEST_S: f64 = 86_400.0;

/// Why a typed point is none.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct PointTextError(String);

impl core::fmt::Display for PointTextError {
    fn fmt(&self, f: &mut core::fmt::Formatter<'_>) -> core::fmt::Result {
        f.write_str(&self.0)
    }
}

impl std::error::Error for PointTextError {}

fn error(why: impl Into<String>) -> PointTextError {
    PointTextError(why.into())
}

/// Reads a place in the song: `bar 9`, `bar 9.1`, `9.2.5` (bar, beat, share of the beat), `0:32.5`
/// or `32.5 s`.
///
/// # Errors
/// What could be typed instead.
pub fn parse_place(typed: &str, beats: &Beats) -> Result<u64, PointTextError> {
    let plain = typed.trim().to_lowercase();
    let place = plain.strip_prefix("bar").unwrap_or(&plain).trim();
    let not_understood =
        || error(format!("\"{}\" is no place in the song; type for example bar 9.1 or 0:32.5.", typed.trim()));
    let number = |text: &str| text.trim().parse::<f64>().ok().filter(|n| n.is_finite() && *n >= 0.0);
    let seconds = if let Some((minutes, seconds)) = place.split_once(':') {
        number(minutes).zip(number(seconds)).map(|(minutes, seconds)| minutes * 60.0 + seconds)
    } else if let Some(seconds) = place.strip_suffix('s') {
        number(seconds)
    } else {
        let (bar, beat) = place.split_once('.').unwrap_or((place, "1"));
        let (bar, beat) = number(bar).zip(number(beat)).ok_or_else(not_understood)?;
        if bar < 1.0 || bar.fract() != 0.0 || beat < 1.0 || beat >= f64::from(beats.per_bar) + 1.0 {
            return Err(error(format!("bars count from 1, and their beats from 1 to {}.", beats.per_bar)));
        }
        Some(((bar - 1.0) * f64::from(beats.per_bar) + beat - 1.0) * 60.0 / beats.tempo_bpm)
    };
    let seconds = seconds.filter(|s| *s <= LATEST_S).ok_or_else(not_understood)?;
    Ok((seconds * beats.rate).round() as u64)
}

/// Writes a place as bar and beat, to a hundredth of the beat.
#[must_use]
pub fn format_place(frame: u64, beats: &Beats) -> String {
    let hundredths = (frame as f64 / beats.frames() * 100.0).round() as u64;
    let per_bar = u64::from(beats.per_bar) * 100;
    let (bar, within) = (hundredths / per_bar + 1, hundredths % per_bar);
    let (beat, share) = (within / 100 + 1, within % 100);
    match share {
        0 => format!("bar {bar}.{beat}"),
        share => format!("bar {bar}.{beat}.{share:02}"),
    }
}

/// Writes a time in seconds as minutes and seconds, to a tenth.
#[must_use]
pub fn format_clock(seconds: f64) -> String {
    let tenths = (seconds.max(0.0) * 10.0).round() as u64;
    format!("{}:{:02}.{}", tenths / 600, tenths / 10 % 60, tenths % 10)
}

/// Writes where a song is while it plays: the bar and beat that it is in, and the time.
#[must_use]
pub fn format_running(frame: u64, beats: &Beats) -> String {
    let beat = (frame as f64 / beats.frames()) as u64;
    let (bar, within) = (beat / u64::from(beats.per_bar.max(1)), beat % u64::from(beats.per_bar.max(1)));
    format!("bar {}.{}  {}", bar + 1, within + 1, format_clock(frame as f64 / beats.rate))
}

/// Reads a point: its place, a colon and a value, and after it `held` or `free` where the lane is not
/// to run straight on.
///
/// # Errors
/// What could be typed instead.
pub fn parse_point(param: &Param, typed: &str, beats: &Beats) -> Result<Point, PointTextError> {
    let (place, value) =
        typed.rsplit_once(':').ok_or_else(|| error("a point is a place and a value: bar 9.1: 2 kHz"))?;
    let (value, then) = match value.trim().rsplit_once(' ') {
        Some((value, "held")) => (value, Then::Held),
        Some((value, "free")) => (value, Then::Free),
        _ => (value, Then::Straight),
    };
    let at = parse_place(place, beats)?;
    let value = match param.domain {
        Domain::Number { min, max, quantity, .. } => {
            let number = text::parse(quantity, value, beats.tempo_bpm).map_err(|e| error(e.to_string()))?;
            Value::Number(number.clamp(min, max))
        }
        Domain::Switch { .. } => match value.trim() {
            "on" => Value::On(true),
            "off" => Value::On(false),
            _ => return Err(error(format!("{} is on or off", param.label))),
        },
        Domain::Choice { options, .. } => {
            let wanted = value.trim().to_lowercase();
            let found = options.iter().position(|o| o.id == wanted || o.label.to_lowercase() == wanted);
            let known = || options.iter().map(|o| o.label).collect::<Vec<_>>().join(", ");
            Value::Choice(found.ok_or_else(|| error(format!("{} is one of {}", param.label, known())))?)
        }
        Domain::Sound { .. } => return Err(error("a sound cannot change with the song")),
    };
    Ok(Point { at, value, then })
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::unit::param::hertz;
    use proptest::prelude::*;

    const HZ: Param = Param::new("freq_hz", "where", "", hertz(20.0, 20_000.0, 1000.0));
    const BEATS: Beats = Beats { tempo_bpm: 120.0, per_bar: 4, rate: 48_000.0 };

    #[test]
    fn a_time_is_minutes_and_seconds_and_sixty_seconds_are_a_minute() {
        let written = [0.0, 5.06, 59.94, 59.97, 65.2, 3600.0, -1.0].map(format_clock);
        assert_eq!(written, ["0:00.0", "0:05.1", "0:59.9", "1:00.0", "1:05.2", "60:00.0", "0:00.0"]);
    }

    #[test]
    fn while_it_plays_the_beat_it_is_in_is_said_and_not_the_next_one() {
        let beats = Beats { tempo_bpm: 120.0, per_bar: 3, rate: 48_000.0 };
        let said = [0, 23_999, 24_000, 71_999, 72_000].map(|frame| format_running(frame, &beats));
        assert_eq!(
            said,
            ["bar 1.1  0:00.0", "bar 1.1  0:00.5", "bar 1.2  0:00.5", "bar 1.3  0:01.5", "bar 2.1  0:01.5"]
        );
    }

    #[test]
    fn points_are_typed_by_bar_or_time() {
        let at = |typed: &str| parse_point(&HZ, typed, &BEATS).map(|p| (p.at, p.value, p.then));
        let hz = |n: f64| Value::Number(n);
        assert_eq!(at("bar 9.1: 2 kHz"), Ok((768_000, hz(2000.0), Then::Straight)));
        assert_eq!(at("9.3: 70 held"), Ok((816_000, hz(70.0), Then::Held)));
        assert_eq!(at("0:32.5: 440"), Ok((1_560_000, hz(440.0), Then::Straight)));
        assert_eq!(at("2.5 s: 440 free"), Ok((120_000, hz(440.0), Then::Free)));
        assert_eq!(at("bar 1: 1"), Ok((0, hz(20.0), Then::Straight)), "kept within the rule");
        assert!(at("bar 9.5: 2k").unwrap_err().to_string().contains("1 to 4"));
        assert!(at("bar 0: 2k").unwrap_err().to_string().contains("count from 1"));
        assert!(at("somewhere: 2k").unwrap_err().to_string().contains("bar 9.1"));
        assert!(at("bar 9").unwrap_err().to_string().contains("a place and a value"));
        assert!(at("bar 2: loud").unwrap_err().to_string().contains("70, 2k"));
    }

    proptest! {
        #[test]
        fn a_place_written_is_read_back_to_a_hundredth_of_a_beat(frame in 0u64..100_000_000) {
            let read = parse_place(&format_place(frame, &BEATS), &BEATS);
            let read = read.map_err(|e| TestCaseError::fail(e.to_string()))?;
            prop_assert!(read.abs_diff(frame) as f64 <= BEATS.frames() / 200.0 + 1.0, "{} and {}", read, frame);
        }

        #[test]
        fn no_text_is_taken_for_more_than_it_says(typed in ".{0,40}") {
            if let Ok(point) = parse_point(&HZ, &typed, &BEATS) {
                prop_assert!(matches!(point.value, Value::Number(n) if (20.0..=20_000.0).contains(&n)));
            }
        }
    }
}
