//! Sounds as parameters: what is convolved with them, what happens while they are missing, and
//! that whoever holds them gives them to every unit that names them.
#![allow(missing_docs, clippy::expect_used, clippy::unwrap_used)] // a test may say what must hold by failing

mod common;

use std::sync::Arc;

use common::page::{Page, printed};
use common::units::{sound_name, sounds, unit};
use common::{magnitude_db, run};
use serde_json::{Value, json};
use zinc_core::rack::{RackSpec, UnitSpec};
use zinc_core::render::Plan;
use zinc_core::session::{AudioRef, Change, Edit, Family, Reference, Role, Session};
use zinc_core::signal::noise::white;
use zinc_core::signal::{BLOCK, Sound};
use zinc_core::unit::{SoundId, Sounds, Tail};

const RATE: f64 = 48_000.0;
const SONG: usize = 48_000;
/// Radians per frame of the tone of the tracks: 437 Hz.
const STEP: f64 = std::f64::consts::TAU * 437.0 / RATE;

fn noise(n: usize) -> [f64; 2] {
    [0, 1].map(|side| 0.25 * white(100_000 + 2 * n + side))
}

fn with_response(number: u8, hold_level: bool) -> RackSpec {
    RackSpec { units: vec![unit("impulse", &json!({"sound": sound_name(number), "hold_level": hold_level}))] }
}

fn id(number: u8) -> SoundId {
    sound_name(number).parse().unwrap()
}

fn rms_db(side: &[f32]) -> f64 {
    10.0 * (side.iter().map(|x| f64::from(*x) * f64::from(*x)).sum::<f64>() / side.len() as f64).log10()
}

#[test]
fn it_equals_a_convolution_summed_term_by_term_within_100_db() {
    for number in [0, 1] {
        let out = run(&with_response(number, false), RATE, 24_576, noise);
        let all = sounds();
        let sound = all.get(id(number)).unwrap();
        // Recorded at 44.1 kHz: at 48 its frames lie closer.
        let gain = 44_100.0 / RATE;
        for (side, (out, response)) in out.iter().zip(sound.sides()).enumerate() {
            for n in (0..out.len()).step_by(97) {
                let terms = response.iter().enumerate().take(n + 1);
                let want: f64 = terms.map(|(k, h)| f64::from(*h) * f64::from(noise(n - k)[side] as f32)).sum();
                let off = (f64::from(out[n]) - gain * want).abs();
                assert!(off < 1e-5 * gain.max(want.abs()), "response {number}, side {side}, frame {n}: off by {off}");
            }
        }
    }
}

#[test]
fn noise_leaves_as_loud_as_it_came_where_the_level_is_held() {
    for number in [0, 1] {
        let [left, right] = run(&with_response(number, true), RATE, 96_000, noise);
        let came = 20.0 * (0.25f64 / 3f64.sqrt()).log10();
        let left_over = 0.5 * (rms_db(&left[20_000..]) + rms_db(&right[20_000..])) - came;
        assert!(left_over.abs() < 0.5, "response {number}: {left_over} dB");
    }
}

#[test]
fn the_level_of_a_response_is_the_same_at_every_rate() {
    // The same click of one frame at 44.1 kHz, brought to 88.2 and so spread over two frames.
    let at = |rate: f64, samples: &[f32]| {
        let mut rack = with_response(0, false);
        let mut sounds = Sounds::default();
        sounds.put(id(0), Arc::new(Sound::new(samples, 1, 44_100.0)));
        rack.supply(&sounds);
        20.0 * rack.response(rate, &[100.0])[0].norm_sqr().sqrt().log10()
    };
    assert!((at(44_100.0, &[0.5]) + 6.02).abs() < 0.01);
    assert!((at(44_100.0, &[0.5]) - at(88_200.0, &[0.5, 0.5])).abs() < 0.01);
}

#[test]
fn the_curve_stated_of_a_long_response_is_that_of_its_impulse_response() {
    let rack = with_response(1, true);
    let [left, right] = common::impulse_responses(&rack, RATE, [1.0, 1.0]);
    let middle: Vec<f64> = left.iter().zip(&right).map(|(l, r)| 0.5 * (l + r)).collect();
    let freqs = [31.0, 440.0, 5000.0, 17_000.0];
    for (hz, h) in freqs.iter().zip(rack.response(RATE, &freqs)) {
        let stated = 10.0 * h.norm_sqr().log10();
        assert!((stated - magnitude_db(&middle, RATE, *hz)).abs() < 0.01, "{hz} Hz");
    }
}

#[test]
fn a_unit_whose_sound_is_missing_passes_its_input_and_says_so() {
    let mut missing = unit("impulse", &json!({"sound": sound_name(2)}));
    missing.common.put_number("trim_db", 6.0);
    assert_eq!(missing.missing_sounds().collect::<Vec<_>>(), [id(2)]);
    assert!(missing.is_on() && !missing.works());
    let rack = RackSpec { units: vec![missing] };
    assert_eq!((rack.tail(RATE), rack.latency(RATE)), (Tail::NONE, 0));
    let [left, right] = run(&rack, RATE, 2048, noise);
    for (n, (l, r)) in left.iter().zip(&right).enumerate() {
        assert_eq!([*l, *r], noise(n).map(|x| x as f32));
    }
}

const TRACK: u32 = 2;

fn tone(_strip: u32, frame: usize) -> f32 {
    (0.25 * (STEP * frame as f64).sin()) as f32
}

fn session(sound: u8) -> Session {
    let mut s = Session::new("sounds", RATE as u32);
    let audio = AudioRef { hash: "tone".into(), channels: 1, frames: SONG as u64, start: 0, stamp: None };
    s.add_strip("Tone", Family::Gt, Role::Track(audio), 1);
    let named = json!({"kind": "impulse", "params": {"sound": sound_name(sound)}});
    s.add_unit(TRACK, UnitSpec::from_json(&named, 1).unwrap());
    s
}

fn supplied(sound: u8) -> Session {
    let mut s = session(sound);
    s.supply_with(sounds());
    s
}

fn worked(s: &Session) -> Vec<bool> {
    s.strip(TRACK).unwrap().rack.units.iter().map(UnitSpec::works).collect()
}

#[test]
fn edits_undo_and_comparisons_leave_every_unit_with_its_sound() {
    let mut s = supplied(0);
    let named = |number: u8| json!({"kind": "impulse", "params": {"sound": sound_name(number)}});
    let (_, back) =
        Edit::AddUnit { strip: TRACK, at: 0, unit: serde_json::from_value(named(1)).unwrap() }.apply(&mut s).unwrap();
    assert_eq!(worked(&s), [true, true]);
    let unit = s.strip(TRACK).unwrap().rack.units[1].id;
    let to = |value: Value| Edit::SetParam {
        strip: TRACK,
        unit,
        param: "sound".into(),
        value: serde_json::from_value(value).unwrap(),
    };
    to(json!(sound_name(2))).apply(&mut s).unwrap();
    assert_eq!(worked(&s), [true, false], "it is missing");
    let (_, once_more) = to(json!(sound_name(1))).apply(&mut s).unwrap();
    assert_eq!(worked(&s), [true, true]);
    once_more.apply(&mut s).unwrap();
    assert_eq!(worked(&s), [true, false]);
    let (_, again) = back.apply(&mut s).unwrap();
    again.apply(&mut s).unwrap();
    assert_eq!(worked(&s), [true, false]);
    let rack = json!({"zinc_rack": 1, "units": [named(1)]});
    let other = Reference { changes: vec![Change::Rack { strip: TRACK, rack }] }.of(&s).unwrap();
    assert_eq!(worked(&other), [true]);
}

#[test]
fn a_missing_sound_is_said_where_it_is_heard() {
    let mut s = session(2);
    let audio = AudioRef { hash: "other".into(), channels: 1, frames: SONG as u64, start: 0, stamp: None };
    let other = s.add_strip("Other", Family::Gt, Role::Track(audio), 1);
    assert_eq!(s.missing_sounds(other), None, "it is not heard there");
    for strip in [TRACK, s.main_id()] {
        assert!(s.missing_sounds(strip).unwrap().contains("Impulse response on \"Tone\""));
    }
    assert_eq!(supplied(0).missing_sounds(TRACK), None);
}

#[test]
fn what_is_printed_lasts_as_long_as_the_response_and_is_another_print_while_it_is_missing() {
    let (without, with) = (session(1), supplied(1));
    let plan = Plan::whole(&with);
    assert_eq!(plan.length(&without).frames, SONG as u64);
    assert!(plan.length(&with).frames >= (SONG + 9000) as u64);
    let stem = |s: &Session| Plan::treatment(s, s.strip(TRACK).unwrap()).determinants(s);
    assert_ne!(stem(&without), stem(&with), "a print made while it was missing is not taken for the other");
    let out = printed(&with, &plan, tone);
    let ring = out[SONG..SONG + 4000].iter().map(|f| f[0].abs()).fold(0.0, f32::max);
    assert!(ring > 1e-3, "the room rings on after the last frame: {ring}");
}

#[test]
fn a_sound_that_comes_while_the_mix_plays_is_faded_in_without_a_gap_or_a_step() {
    // A response of one click: the tone is to go on as it is, so that a gap or a step stands out.
    let mut click = Sounds::default();
    click.put(id(0), Arc::new(Sound::new(&[1.0, 0.0, 0.0], 1, RATE)));
    for (first, then) in [(Sounds::default(), &click), (click.clone(), &Sounds::default())] {
        let mut s = session(0);
        s.supply_with(first);
        let mut page = Page::open(s, TRACK, tone);
        page.player.play();
        let mut out = page.play(60);
        page.player.supply(then);
        out.extend(page.play(200));
        let heard = &out[2 * BLOCK..];
        let steepest = heard.windows(2).map(|w| f64::from((w[1] - w[0]).abs())).fold(0.0, f64::max);
        assert!(steepest < 1.02 * 0.25 * STEP, "a step of {steepest}");
        for stretch in heard.chunks_exact(240) {
            assert!(stretch.iter().fold(0.0f32, |m, x| m.max(x.abs())) > 0.24, "a gap");
        }
    }
}

#[test]
fn what_plays_once_the_sound_has_come_is_what_is_printed() {
    for number in [0, 1] {
        let mut page = Page::open(session(number), TRACK, tone);
        page.player.supply(&sounds());
        page.player.play();
        let played = page.play(300);
        let s = supplied(number);
        let want = printed(&s, &Plan::whole(&s), tone);
        for (n, x) in played.iter().enumerate() {
            assert!((x - want[n][0]).abs() < 1e-6, "response {number}, frame {n}: {x} {}", want[n][0]);
        }
    }
}

#[test]
fn a_sound_chosen_while_playing_and_a_sound_that_comes_late_end_at_the_same() {
    let mut page = Page::open(session(0), TRACK, tone);
    page.player.supply(&sounds());
    page.player.play();
    page.play(40);
    let unit = page.session.strip(TRACK).unwrap().rack.units[0].id;
    page.edit(&Edit::SetParam {
        strip: TRACK,
        unit,
        param: "sound".into(),
        value: serde_json::from_value(json!(sound_name(1))).unwrap(),
    });
    let moved = page.play(260);
    let s = supplied(1);
    let want = printed(&s, &Plan::whole(&s), tone);
    // Once the first response has died away and the fade is over.
    for (n, x) in moved.iter().enumerate().skip(200 * BLOCK) {
        assert!((x - want[n + 40 * BLOCK][0]).abs() < 1e-5, "frame {n}");
    }
}
