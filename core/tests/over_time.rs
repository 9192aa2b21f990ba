//! What changes with the song: exact, without zipper noise, the same wherever playing begins, and
//! the same played as printed.
#![allow(missing_docs, clippy::expect_used, clippy::unwrap_used)] // a test may say what must hold by failing

mod common;

use std::f64::consts::TAU;

use common::page::{Page, printed};
use common::units::unit;
use serde_json::{Value, json};
use zinc_core::rack::{Rack, UnitSpec};
use zinc_core::render::{Mixer, Plan};
use zinc_core::session::{AudioRef, AuxSend, Change, Edit, Family, Reference, Role, Section, SectionChange, Session};
use zinc_core::signal::{BLOCK, StereoBlock};

const RATE: usize = 48_000;
const SONG: usize = 6 * RATE;
/// Seconds before its point in which a stepped value is crossed over to.
const APPROACH_S: f64 = 0.020;
const BUS: u32 = 2;
const ROOM: u32 = 3;
const TRACK: u32 = 4;
const OTHER: u32 = 5;

/// A song of 6 s with a section from 2 s to 4 s.
fn session() -> Session {
    let mut s = Session::new("over time", RATE as u32);
    let bus = s.add_strip("Bus", Family::Gt, Role::Bus, 1);
    s.add_strip("Room", Family::Fx, Role::Return, 1);
    for name in ["One", "Two"] {
        let audio = AudioRef { hash: name.into(), channels: 1, frames: SONG as u64, start: 0, stamp: None };
        s.add_strip(name, Family::Gt, Role::Track(audio), bus);
    }
    let section = Section { id: 50, name: "Chorus".into(), start: 2 * RATE as u64, end: 4 * RATE as u64 };
    Edit::AddSection { section }.apply(&mut s).unwrap();
    s
}

fn with_unit(s: &mut Session, strip: u32, kind: &str, params: &Value) -> u32 {
    s.add_unit(strip, unit(kind, params));
    s.strip(strip).and_then(|s| s.rack.units.last()).map(|u: &UnitSpec| u.id).expect("just added")
}

fn lane(s: &mut Session, strip: u32, unit: u32, param: &str, points: Value) {
    Edit::SetLane { strip, unit, param: param.into(), points: serde_json::from_value(points).unwrap(), over: None }
        .apply(s)
        .expect("a lane that can be");
}

fn here(s: &mut Session, strip: u32, unit: u32, param: &str, value: Value) {
    let edit = Edit::SetHere {
        strip,
        unit,
        param: param.into(),
        section: 50,
        value: Some(serde_json::from_value(value).unwrap()),
    };
    edit.apply(s).expect("a value that can be");
}

fn points(given: &[(f64, f64)]) -> Value {
    given.iter().map(|(s, value)| json!({"at": (s * RATE as f64) as u64, "value": value})).collect()
}

/// One track stands still, the other is silent.
fn steady(strip: u32, _: usize) -> f32 {
    if strip == TRACK { 0.5 } else { 0.0 }
}

fn tone(_: u32, frame: usize) -> f32 {
    (0.25 * (TAU * 1000.0 * frame as f64 / RATE as f64).sin()) as f32
}

/// Dense, of many partials, and different on each track.
fn chords(strip: u32, frame: usize) -> f32 {
    let t = frame as f64 / RATE as f64;
    let partial = |n: u32| (TAU * 55.0 * f64::from(n + strip) * t + f64::from(n)).sin() / f64::from(n);
    let swell = 0.6 + 0.4 * (TAU * 1.7 * t).sin();
    (0.12 * swell * (1..12).map(partial).sum::<f64>()) as f32
}

fn left(print: &[[f32; 2]]) -> Vec<f64> {
    print.iter().map(|frame| f64::from(frame[0])).collect()
}

fn largest_difference(a: &[f64], b: &[f64]) -> f64 {
    a.iter().zip(b).fold(0.0, |most, (a, b)| most.max((a - b).abs()))
}

#[test]
fn a_drawn_level_is_followed_frame_by_frame_as_it_is_in_decibels() {
    let mut s = session();
    lane(&mut s, TRACK, 0, "level_db", points(&[(1.0, 0.0), (1.6, -24.0), (3.2, -24.0), (3.28, 6.0)]));
    let out = left(&printed(&s, &Plan::desk(&s), steady));
    for (frame, got) in out.iter().enumerate().take(SONG - 1) {
        // A frame has gone the way to its own end.
        let at = (frame + 1) as f64 / RATE as f64;
        let along = |from: f64, to: f64, a: f64, b: f64| a + (b - a) * ((at - from) / (to - from)).clamp(0.0, 1.0);
        let level_db = if at < 2.0 { along(1.0, 1.6, 0.0, -24.0) } else { along(3.2, 3.28, -24.0, 6.0) };
        let want = 0.5 * 10f64.powf(level_db / 20.0);
        assert!((got - want).abs() < 1e-6, "frame {frame}: {got} and {want}");
    }
}

#[test]
fn a_mute_and_a_send_follow_the_song_and_the_mute_silences_the_send() {
    let mut s = session();
    Edit::SetSends { strip: TRACK, sends: vec![AuxSend { to: ROOM, level_db: -6.0, before_fader: true }] }
        .apply(&mut s)
        .unwrap();
    lane(&mut s, TRACK, 0, "send[3].level_db", points(&[(0.5, -6.0), (1.0, -26.0)]));
    here(&mut s, TRACK, 0, "muted", json!(true));
    let room = left(&printed(&s, &Plan::stem(&s, ROOM).unwrap(), steady));
    let at = |seconds: f64| 20.0 * (room[(seconds * RATE as f64) as usize] / 0.5).abs().max(1e-9).log10();
    assert!((at(0.4) + 6.0).abs() < 0.01 && (at(0.75) + 16.0).abs() < 0.01 && (at(1.5) + 26.0).abs() < 0.01);
    assert!(at(3.0) < -150.0 && (at(5.0) + 26.0).abs() < 0.01, "{} in the section, {} after it", at(3.0), at(5.0));
}

/// Level in dBFS of the sound at a frequency, of a second from 2.5 s on: by a Kaiser window whose
/// sides lie 150 dB down.
fn line_db(out: &[f64], hz: f64) -> f64 {
    let bessel = |x: f64| {
        let (mut term, mut sum) = (1.0, 1.0);
        for n in 1..60 {
            term *= (x / 2.0 / f64::from(n)).powi(2);
            sum += term;
        }
        sum
    };
    let window = |n: usize| {
        let x = 2.0 * n as f64 / RATE as f64 - 1.0;
        bessel(21.0 * (1.0 - x * x).sqrt()) / bessel(21.0)
    };
    let (mut re, mut im, mut sum) = (0.0, 0.0, 0.0);
    for (n, x) in out[RATE * 5 / 2..RATE * 7 / 2].iter().enumerate() {
        let (angle, weight) = (TAU * hz * n as f64 / RATE as f64, window(n));
        re += weight * x * angle.cos();
        im += weight * x * angle.sin();
        sum += weight;
    }
    20.0 * (2.0 * re.hypot(im) / sum).max(1e-12).log10()
}

#[test]
fn a_filter_a_gain_and_a_drive_swept_by_lanes_make_no_line_that_is_not_the_sweeps_own() {
    let sweep = [(1.5, 0.0), (4.5, 1.0)];
    for (kind, params, param, from, to) in [
        ("width", json!({}), "trim_db", -24.0, 12.0),
        ("surgical-eq", json!({"bands": [{"freq_hz": 300, "gain_db": 12}]}), "bands[0].freq_hz", 300.0, 5000.0),
        ("surgical-eq", json!({"bands": [{"shape": "low-pass", "freq_hz": 900}]}), "bands[0].freq_hz", 900.0, 9000.0),
        ("surgical-eq", json!({"bands": [{"freq_hz": 1200, "gain_db": 0}]}), "bands[0].gain_db", -18.0, 18.0),
        ("console-eq", json!({}), "low_mid_db", -12.0, 12.0),
        ("saturator", json!({}), "drive_db", 0.0, 24.0),
        ("amp", json!({"voice": "crunch", "hold_level": false}), "drive_db", 10.0, 40.0),
        ("tape", json!({}), "input_db", -12.0, 12.0),
    ] {
        let mut s = session();
        let id = with_unit(&mut s, TRACK, kind, &params);
        let given: Vec<(f64, f64)> = sweep.iter().map(|(at, share)| (*at, from + (to - from) * share)).collect();
        lane(&mut s, TRACK, id, param, points(&given));
        let out = left(&printed(&s, &Plan::stem(&s, TRACK).unwrap(), tone));
        // A block is 2.67 ms: what its edges make lies 375 Hz and its multiples beside what is there.
        for beside in [375.0, 187.5, 750.0] {
            for hz in [1000.0 - beside, 1000.0 + beside] {
                let line = line_db(&out, hz);
                assert!(line < -100.0, "{kind} {param}: {line:.1} dBFS at {hz} Hz");
            }
        }
    }
}

/// Lanes and section values on much at once.
fn busy() -> Session {
    let mut s = session();
    Edit::SetSends { strip: TRACK, sends: vec![AuxSend { to: ROOM, level_db: -12.0, before_fader: false }] }
        .apply(&mut s)
        .unwrap();
    let eq = with_unit(&mut s, TRACK, "surgical-eq", &json!({"bands": [{"freq_hz": 300, "gain_db": 6}]}));
    let comp = with_unit(&mut s, TRACK, "compressor", &json!({"threshold_db": -30, "ratio": 4}));
    let amp = with_unit(&mut s, OTHER, "amp", &json!({"voice": "crunch", "hold_level": false}));
    let width = with_unit(&mut s, BUS, "width", &json!({}));
    lane(&mut s, TRACK, eq, "bands[0].freq_hz", points(&[(0.5, 300.0), (2.5, 3000.0), (5.0, 500.0)]));
    lane(&mut s, TRACK, comp, "release_ms", points(&[(1.0, 20.0), (3.0, 90.0)]));
    lane(&mut s, OTHER, amp, "drive_db", points(&[(0.2, 10.0), (4.0, 36.0)]));
    lane(&mut s, TRACK, 0, "level_db", points(&[(0.0, -12.0), (3.0, 3.0)]));
    lane(&mut s, TRACK, 0, "send[3].level_db", points(&[(1.0, -40.0), (2.0, 0.0)]));
    for (strip, unit, param, value) in [
        (TRACK, eq, "bands[0].gain_db", json!(-9)),
        (TRACK, eq, "bands[0].shape", json!("high-shelf")),
        (TRACK, comp, "threshold_db", json!(-18)),
        (TRACK, comp, "ratio", json!("inf")),
        (TRACK, comp, "action", json!("fet")),
        (TRACK, comp, "lookahead_ms", json!(3)),
        (TRACK, comp, "mix", json!(0.5)),
        (OTHER, amp, "on", json!(false)),
        (OTHER, 0, "pan", json!(-0.7)),
        (BUS, width, "width", json!(0.2)),
        (BUS, 0, "muted", json!(false)),
    ] {
        here(&mut s, strip, unit, param, value);
    }
    s
}

#[test]
fn what_changes_with_the_song_is_played_as_it_is_printed_from_the_top_from_within_and_in_a_loop() {
    let s = busy();
    let print = left(&printed(&s, &Plan::desk(&s), chords));
    for strip in [0, TRACK, OTHER, BUS] {
        let mut page = Page::open(s.clone(), strip, chords);
        page.player.play();
        let out: Vec<f64> = page.play(SONG / BLOCK).iter().map(|x| f64::from(*x)).collect();
        // By whole blocks: then values are put at the same frames as in the print.
        let off = |late: usize| largest_difference(&out[RATE + late..RATE + late + 2000], &print[RATE..RATE + 2000]);
        let latency = (0..4000).step_by(BLOCK).min_by(|a, b| off(*a).total_cmp(&off(*b))).unwrap();
        let first = (0..print.len().min(out.len() - latency)).find(|n| (out[latency + n] - print[*n]).abs() > 1e-6);
        assert_eq!(first, None, "strip {strip}, {latency} late: the first frame that differs");
        // From within, and round a loop of which neither end is that of a block.
        page.player.stop();
        page.play(10);
        page.player.set_loop(Some((2 * RATE as u64 + 77, 4 * RATE as u64 + 1000)));
        page.player.seek(3 * RATE as u64 + 50);
        page.player.play();
        let out: Vec<f64> = page.play(3 * RATE / BLOCK).iter().map(|x| f64::from(*x)).collect();
        let begun = (3 * RATE + 50) / BLOCK * BLOCK;
        let (from, to) = ((2 * RATE + 77) / BLOCK * BLOCK, (4 * RATE + 1000) / BLOCK * BLOCK);
        // What compressors and filters keep of the past has gone by then.
        for (n, got) in out.iter().enumerate().skip(latency) {
            let played = n - latency;
            let first_pass = to - begun;
            let (at, since) = if played < first_pass {
                (begun + played, played)
            } else {
                (from + played - first_pass, played - first_pass)
            };
            if since > RATE * 6 / 5 && at < to {
                assert!((got - print[at]).abs() < 2e-6, "strip {strip}, frame {at}: {got} and {}", print[at]);
            }
        }
    }
}

/// What a rack makes of the song from a frame on, from rest.
fn from_rest(s: &Session, strip: u32, first: usize, frames: usize, recording: fn(u32, usize) -> f32) -> Vec<f64> {
    let mut rack = Rack::new(&s.strip(strip).unwrap().rack, RATE as f64);
    let mut out = Vec::new();
    for at in (first..first + frames).step_by(BLOCK) {
        let mut block = StereoBlock::default();
        for i in 0..BLOCK {
            block.set_frame(i, [f64::from(recording(strip, at + i)); 2]);
        }
        rack.process_tapped(&mut block, &zinc_core::rack::Keys::default(), at as i64, |_, _| {});
        out.extend(block.left.map(f64::from));
    }
    out
}

#[test]
fn a_place_within_a_move_sounds_the_same_whether_played_to_or_gone_to() {
    for (kind, params, param, from, to) in [
        ("surgical-eq", json!({"bands": [{"freq_hz": 300, "gain_db": 12}]}), "bands[0].freq_hz", 300.0, 5000.0),
        ("saturator", json!({"hold_level": false}), "drive_db", 0.0, 24.0),
        ("width", json!({}), "trim_db", -24.0, 12.0),
    ] {
        let mut s = session();
        let id = with_unit(&mut s, TRACK, kind, &params);
        lane(&mut s, TRACK, id, param, points(&[(0.5, from), (5.0, to)]));
        let through = from_rest(&s, TRACK, 0, 4 * RATE, tone);
        let gone_to = from_rest(&s, TRACK, 2 * RATE, 2 * RATE, tone);
        // Filters have taken the tone in by then.
        let off = largest_difference(&through[2 * RATE + RATE / 2..], &gone_to[RATE / 2..]);
        assert!(off < 1e-6, "{kind} {param}: {off}");
    }
}

/// Left side of a rack with one equaliser, plain.
fn plain(params: &Value, place: &str) -> Vec<f64> {
    let mut s = session();
    let id = with_unit(&mut s, TRACK, "surgical-eq", params);
    Edit::SetParam { strip: TRACK, unit: id, param: "place".into(), value: place.into() }.apply(&mut s).unwrap();
    from_rest(&s, TRACK, 0, SONG, tone)
}

fn apart(a: &[f64], b: &[f64], from_s: f64, to_s: f64) -> f64 {
    let range = (from_s * RATE as f64) as usize..(to_s * RATE as f64) as usize;
    largest_difference(&a[range.clone()], &b[range])
}

fn steepest(out: &[f64]) -> f64 {
    out.windows(2).fold(0.0f64, |most, w| most.max((w[1] - w[0]).abs()))
}

#[test]
fn a_stepped_value_of_a_section_is_crossed_over_to_by_its_beginning_and_holds_there_alone() {
    let bell = json!({"bands": [{"freq_hz": 700, "gain_db": -12, "q": 1}]});
    let mut s = session();
    let id = with_unit(&mut s, TRACK, "surgical-eq", &bell);
    here(&mut s, TRACK, id, "place", json!("right"));
    let (out, cut, spared) = (from_rest(&s, TRACK, 0, SONG, tone), plain(&bell, "stereo"), plain(&bell, "right"));
    assert!(apart(&cut, &spared, 3.0, 3.1) > 0.01, "the two are different things");
    assert!(apart(&out, &cut, 0.0, 1.979) < 1e-9 && apart(&out, &cut, 4.0, 6.0) < 1e-6);
    assert!(apart(&out, &spared, 2.0, 3.979) < 1e-6);
    let around = RATE * 19 / 10..RATE * 21 / 10;
    assert!(steepest(&out[around.clone()]) < 1.02 * steepest(&spared[around]));
}

#[test]
fn a_shape_a_slope_and_a_place_of_a_band_are_there_by_their_point_without_a_burst() {
    let band = |what: &str, value: &str| {
        let mut band = json!({"shape": "low-shelf", "freq_hz": 700, "gain_db": -12, "q": 1});
        band[what] = json!(value);
        json!({"bands": [band]})
    };
    for (what, from, to) in [
        ("shape", "bell", "high-shelf"),
        ("shape", "high-pass", "low-pass"),
        ("slope_db_oct", "12", "48"),
        ("place", "stereo", "right"),
    ] {
        let (before, within) = (band(what, from), band(what, to));
        let mut s = session();
        let id = with_unit(&mut s, TRACK, "surgical-eq", &before);
        here(&mut s, TRACK, id, &format!("bands[0].{what}"), json!(to));
        let out = from_rest(&s, TRACK, 0, SONG, tone);
        let (one, other) = (plain(&before, "stereo"), plain(&within, "stereo"));
        let off = [apart(&out, &one, 0.0, 1.979), apart(&out, &other, 2.0, 3.979), apart(&out, &one, 4.0, 6.0)];
        assert!(off.iter().all(|off| *off < 1e-6), "{what} {from} to {to}: {off:?}");
        // What two steady sounds leave of which one goes into the other along a straight line, and no more.
        let into = |n: usize| ((n + 1) as f64 - (2.0 - APPROACH_S) * RATE as f64) / (APPROACH_S * RATE as f64);
        let ideal: Vec<f64> = (0..3 * RATE).map(|n| one[n] + into(n).clamp(0.0, 1.0) * (other[n] - one[n])).collect();
        let burst = [above_the_tone_db(&out, 2.0), above_the_tone_db(&out, 4.0)];
        let least = above_the_tone_db(&ideal, 2.0);
        assert!(burst.iter().all(|db| *db < least + 1.0), "{what} {from} to {to}: {burst:?}, {least} dBFS");
    }
    // Were it jumped to, this would show it.
    let (one, other) = (plain(&band("shape", "bell"), "stereo"), plain(&band("shape", "high-pass"), "stereo"));
    let jump: Vec<f64> = (0..SONG).map(|n| if n < 2 * RATE { one[n] } else { other[n] }).collect();
    assert!(above_the_tone_db(&jump, 2.0) > -53.0);
}

/// Largest of what lies above 3 kHz within a tenth of a second about a moment, in dBFS: what a sinc under a window of
/// Blackman and Harris (1978), whose sides lie 92 dB down, does not pass.
fn above_the_tone_db(out: &[f64], at_s: f64) -> f64 {
    const HALF: usize = 128;
    let tap = |n: usize| {
        let (x, w) = (n as f64 - HALF as f64, TAU * n as f64 / (2 * HALF) as f64);
        let window = 0.35875 - 0.48829 * w.cos() + 0.14128 * (2.0 * w).cos() - 0.01168 * (3.0 * w).cos();
        let corner = 2.0 * 3000.0 / RATE as f64;
        let low = if n == HALF { corner } else { (0.5 * TAU * corner * x).sin() / (0.5 * TAU * x) };
        f64::from(u8::from(n == HALF)) - low * window
    };
    let taps: Vec<f64> = (0..=2 * HALF).map(tap).collect();
    let at = (at_s * RATE as f64) as usize;
    let passed = |n: usize| taps.iter().zip(&out[n - HALF..]).map(|(tap, x)| tap * x).sum::<f64>().abs();
    20.0 * (at - RATE / 20..at + RATE / 20).map(passed).fold(1e-12f64, f64::max).log10()
}

#[test]
fn a_switch_the_unit_moves_to_by_itself_is_there_soon_after_the_section_has_begun() {
    let band = |on: bool| json!({"bands": [{"freq_hz": 700, "gain_db": -12, "q": 1, "on": on}]});
    let mut s = session();
    let id = with_unit(&mut s, TRACK, "surgical-eq", &band(true));
    here(&mut s, TRACK, id, "bands[0].on", json!(false));
    let (cut, passing) = (plain(&band(true), "stereo"), plain(&band(false), "stereo"));
    let out = from_rest(&s, TRACK, 0, SONG, tone);
    assert!(
        apart(&out, &cut, 0.0, 2.0) < 1e-9
            && apart(&out, &passing, 2.1, 4.0) < 1e-6
            && apart(&out, &cut, 4.1, 6.0) < 1e-6
    );
    let around = RATE * 19 / 10..RATE * 21 / 10;
    assert!(steepest(&out[around.clone()]) < 1.02 * steepest(&cut[around.clone()]).max(steepest(&passing[around])));
}

#[test]
fn a_lookahead_that_differs_by_section_moves_nothing_in_time() {
    let mut s = session();
    let id = with_unit(&mut s, TRACK, "compressor", &json!({"threshold_db": 0, "lookahead_ms": 1}));
    here(&mut s, TRACK, id, "lookahead_ms", json!(5));
    let latency = s.strip(TRACK).unwrap().rack.latency(RATE as f64);
    assert_eq!(latency, 240, "that of the longest");
    let out = from_rest(&s, TRACK, 0, SONG, chords);
    let dry: Vec<f64> = (0..SONG).map(|n| f64::from(chords(TRACK, n))).collect();
    assert!(largest_difference(&out[latency..], &dry) < 1e-6);
}

#[test]
fn a_unit_that_follows_another_follows_its_lanes_and_its_mirror_image_their_mirror() {
    let mut s = session();
    let id = with_unit(&mut s, TRACK, "surgical-eq", &json!({"bands": [{"freq_hz": 1000, "gain_db": 0}]}));
    Edit::CopyUnit { strip: TRACK, unit: id, to: OTHER, linked: true, mirrored: vec![0] }.apply(&mut s).unwrap();
    lane(&mut s, TRACK, id, "bands[0].gain_db", points(&[(1.0, 0.0), (2.0, 12.0)]));
    let [one, two] = [TRACK, OTHER].map(|strip| left(&printed(&s, &Plan::stem(&s, strip).unwrap(), tone)));
    let level = |out: &[f64]| out[3 * RATE..4 * RATE].iter().fold(0.0f64, |most, x| most.max(x.abs()));
    let (up, down) = (20.0 * (level(&one) / 0.25).log10(), 20.0 * (level(&two) / 0.25).log10());
    assert!((up - 12.0).abs() < 0.1 && (down + 12.0).abs() < 0.1, "{up} and {down}");
}

#[test]
fn only_prints_that_a_lane_or_its_section_touches_change() {
    let s = busy();
    fn of(s: &Session, plan: &Plan) -> String {
        let inner = plan.lanes().filter_map(|(_, source)| Some(of(s, &Plan::of_source(s, source)?)));
        format!("{} {}", plan.determinants(s), inner.collect::<String>())
    }
    let key = |s: &Session, strip: u32| of(s, &Plan::stem(s, strip).unwrap());
    let mut moved = s.clone();
    let id = s.sections[0].id;
    let section = SectionChange {
        name: Some("Renamed".into()),
        ..SectionChange::limits(id, s.sections[0].start, 4 * RATE as u64)
    };
    Edit::SetSection { section: section.clone() }.apply(&mut moved).unwrap();
    assert_eq!(key(&s, TRACK), key(&moved, TRACK), "a name is not heard");
    Edit::SetSection { section: SectionChange { end: Some(5 * RATE as u64), ..section } }.apply(&mut moved).unwrap();
    assert_ne!(key(&s, TRACK), key(&moved, TRACK));
    let mut plain = session();
    let id = with_unit(&mut plain, TRACK, "width", &json!({}));
    let (track, other) = (key(&plain, TRACK), key(&plain, OTHER));
    lane(&mut plain, TRACK, id, "width", points(&[(1.0, 0.0), (2.0, 1.0)]));
    assert_ne!(key(&plain, TRACK), track);
    assert_eq!(key(&plain, OTHER), other);
    let track = key(&plain, TRACK);
    let unused = Section { id: 0, name: "Elsewhere".into(), start: 0, end: RATE as u64 };
    Edit::AddSection { section: unused }.apply(&mut plain).unwrap();
    assert_eq!(key(&plain, TRACK), track, "nothing has a value there");
}

#[test]
fn a_lane_drawn_while_it_plays_is_come_to_without_a_step() {
    let mut s = session();
    let id = with_unit(&mut s, TRACK, "width", &json!({}));
    // Something changes already, so that the mix which plays is the one that takes the lane.
    lane(&mut s, OTHER, 0, "pan", points(&[(1.0, 0.0), (2.0, 0.5)]));
    let mut page = Page::open(s, TRACK, tone);
    page.player.hear_only(Some(vec![TRACK]));
    page.player.play();
    page.play(200);
    let lane = |param: &str, value: f64| Edit::SetLane {
        strip: TRACK,
        unit: if param == "level_db" { 0 } else { id },
        param: param.into(),
        points: serde_json::from_value(json!([{"at": 0, "value": value}])).unwrap(),
        over: None,
    };
    let mut out = Vec::new();
    for edit in [lane("trim_db", -24.0), lane("level_db", -12.0), lane("trim_db", 6.0), lane("level_db", 0.0)] {
        page.edit(&edit);
        out.extend(page.play(40));
    }
    let steepest = out.windows(2).fold(0.0f64, |most, w| most.max(f64::from((w[1] - w[0]).abs())));
    // The tone's own steepest at the loudest, and a move of the whole range in a block.
    let loudest = 0.25 * 10f64.powf(6.0 / 20.0);
    assert!(steepest < loudest * (TAU * 1000.0 / RATE as f64 + 1.0 / BLOCK as f64), "{steepest}");
}

/// The session with a change, as the other side of a comparison plays it.
fn other_side(s: &Session, change: Change) -> Session {
    Reference { changes: vec![change] }.of(s).expect("it can be read")
}

#[test]
fn what_a_comparison_takes_away_stays_away_in_the_section_that_has_it_on() {
    let mut s = session();
    let bands = json!({"bands": [{"freq_hz": 1000, "gain_db": 12, "on": false}]});
    let eq = with_unit(&mut s, TRACK, "surgical-eq", &bands);
    let gain = with_unit(&mut s, TRACK, "width", &json!({}));
    Edit::SetParam { strip: TRACK, unit: gain, param: "on".into(), value: false.into() }.apply(&mut s).unwrap();
    here(&mut s, TRACK, eq, "bands[0].on", json!(true));
    here(&mut s, TRACK, gain, "on", json!(true));
    lane(&mut s, TRACK, gain, "trim_db", points(&[(0.0, -6.0), (6.0, -6.0)]));
    let level = |s: &Session| {
        let out = left(&printed(s, &Plan::stem(s, TRACK).unwrap(), tone));
        let most =
            |from: f64| out[(from * RATE as f64) as usize..][..RATE / 2].iter().fold(0.0f64, |m, x| m.max(x.abs()));
        [0.5, 3.0].map(|from| 20.0 * (most(from) / 0.25).log10())
    };
    let near = |got: [f64; 2], want: [f64; 2]| got.iter().zip(want).all(|(a, b)| (a - b).abs() < 0.05);
    assert!(near(level(&s), [0.0, 6.0]), "{:?}", level(&s));
    for (change, want) in [
        (Change::RackOff { strip: TRACK }, [0.0, 0.0]),
        (Change::UnitOff { strip: TRACK, unit: gain }, [0.0, 12.0]),
        (Change::OffFrom { strip: TRACK, station: 1 }, [0.0, 12.0]),
        (Change::RowOff { strip: TRACK, unit: eq, row: 0 }, [0.0, -6.0]),
    ] {
        let got = level(&other_side(&s, change.clone()));
        assert!(near(got, want), "{change:?}: {got:?}");
    }
}

#[test]
fn a_candidate_kept_as_a_rack_and_a_free_copy_change_with_the_song_as_their_original_did() {
    let mut s = session();
    let id = with_unit(&mut s, TRACK, "surgical-eq", &json!({"bands": [{"freq_hz": 1000, "gain_db": 0}]}));
    here(&mut s, TRACK, id, "bands[0].gain_db", json!(6));
    lane(&mut s, TRACK, id, "trim_db", points(&[(1.0, 0.0), (2.0, -3.0)]));
    let print = |s: &Session, strip: u32| left(&printed(s, &Plan::stem(s, strip).unwrap(), tone));
    let (kept, was) = (s.strip(TRACK).unwrap().rack.to_json(), print(&s, TRACK));
    Edit::CopyUnit { strip: TRACK, unit: id, to: OTHER, linked: false, mirrored: vec![] }.apply(&mut s).unwrap();
    // What becomes of the original is nothing to either.
    let gone = Edit::SetHere { strip: TRACK, unit: id, param: "bands[0].gain_db".into(), section: 50, value: None };
    gone.apply(&mut s).unwrap();
    lane(&mut s, TRACK, id, "trim_db", json!([]));
    assert_ne!(print(&s, TRACK), was);
    assert_eq!(print(&s, OTHER), was, "the copy");
    let candidate = Change::Rack { strip: TRACK, rack: kept.clone() };
    assert_eq!(print(&other_side(&s, candidate), TRACK), was, "the candidate against the present");
    Edit::ReplaceRack { strip: TRACK, rack: serde_json::from_value(kept).unwrap() }.apply(&mut s).unwrap();
    assert_eq!(print(&s, TRACK), was, "the candidate taken");
}

#[test]
fn ten_lanes_on_each_of_48_tracks_take_less_than_a_tenth_more_memory_to_play() {
    let bands: Vec<Value> = (0..4).map(|n| json!({"freq_hz": 100.0 * 4f64.powi(n), "gain_db": 3})).collect();
    let song = |lanes: bool| {
        let mut s = Session::new("lanes", RATE as u32);
        for n in 0..48 {
            let audio = AudioRef { hash: "x".into(), channels: 1, frames: SONG as u64, start: 0, stamp: None };
            let track = s.add_strip(&format!("{n}"), Family::Gt, Role::Track(audio), 1);
            let eq = with_unit(&mut s, track, "surgical-eq", &json!({"bands": bands}));
            with_unit(&mut s, track, "compressor", &json!({}));
            let paths = (0..4).flat_map(|n| [format!("bands[{n}].freq_hz"), format!("bands[{n}].gain_db")]);
            for path in paths.chain(["mix".into(), "trim_db".into()]).filter(|_| lanes) {
                let at = |n: u32| json!({"at": 12_000 * n, "value": if path == "mix" { json!(0.5) } else { json!(n) }});
                let twenty: Vec<Value> = (0..20).map(at).collect();
                let twenty = if path.ends_with("hz") {
                    json!([{"at": 0, "value": 200}, {"at": 9000, "value": 300}])
                } else {
                    json!(twenty)
                };
                lane(&mut s, track, eq, &path, twenty);
            }
        }
        s
    };
    let bytes = |s: &Session| {
        let plans: Vec<Plan> = s.tracks().map(|t| Plan::treatment(s, t)).collect();
        let mut mixers = Vec::new();
        allocation_counter::measure(|| mixers.extend(plans.iter().map(|plan| Mixer::new(plan, s)))).bytes_current
    };
    let (without, with) = (bytes(&song(false)), bytes(&song(true)));
    println!("{} kB and {} kB", without / 1000, with / 1000);
    assert!(with < without * 11 / 10, "{without} and {with} bytes");
}
