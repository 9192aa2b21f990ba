//! The mixer: alignment, faders, listening, and that every page's plan is one mix.
#![allow(missing_docs, clippy::expect_used, clippy::unwrap_used)] // a test may say what must hold by failing

use serde_json::{Value, json};
use zinc_core::rack::UnitSpec;
use zinc_core::render::offline::{BlockSource, render};
use zinc_core::render::{Listening, Mixer, Plan, Source};
use zinc_core::session::{AudioRef, Family, Role, Session};
use zinc_core::signal::{BLOCK, StereoBlock};

const FRAMES: usize = 48_000;

/// Two tracks into a bus, one straight to the main.
fn session() -> (Session, [u32; 3], u32) {
    let mut s = Session::new("mixing", 48_000);
    let bus = s.add_strip("Bus", Family::Gt, Role::Bus, 1);
    let mut track = |name: &str, feeds: u32| {
        let audio = AudioRef { hash: name.into(), channels: 1, frames: FRAMES as u64 };
        s.add_strip(name, Family::Gt, Role::Track(audio), feeds)
    };
    let tracks = [track("a", bus), track("b", bus), track("c", 1)];
    (s, tracks, bus)
}

fn add(s: &mut Session, strip: u32, kind: &str, params: Value) {
    s.add_unit(strip, UnitSpec::from_json(&json!({"kind": kind, "params": params}), 1).expect("valid"));
}

fn set(s: &mut Session, strip: u32, control: &str, value: Value) {
    s.strip_mut(strip).expect("there").set_control(control, &value).expect("in range");
}

/// Seeded noise, another for each track; or whatever was rendered before.
enum Sound {
    Noise(u32),
    Impulse,
    Made(Vec<[f32; 2]>),
}

struct Reader<'a> {
    sound: &'a Sound,
    at: usize,
}

impl BlockSource for Reader<'_> {
    type Error = ();

    fn next_block(&mut self, block: &mut StereoBlock) -> Result<(), ()> {
        for i in 0..BLOCK {
            let n = self.at + i;
            let [l, r] = match self.sound {
                _ if n >= FRAMES => [0.0; 2],
                Sound::Noise(seed) => {
                    let x = (n as u32 ^ seed.wrapping_mul(0x9E37_79B9)).wrapping_mul(2_654_435_761).rotate_left(13);
                    [x.wrapping_mul(2_246_822_519) as f32 / u32::MAX as f32 - 0.5; 2]
                }
                Sound::Impulse => [f32::from(u8::from(n == 100)); 2],
                Sound::Made(frames) => frames.get(n).copied().unwrap_or([0.0; 2]),
            };
            (block.left[i], block.right[i]) = (l, r);
        }
        self.at += BLOCK;
        Ok(())
    }
}

/// Renders a plan whose raw tracks sound as `raw` says, printing what it needs.
fn sound_of(s: &Session, plan: &Plan, raw: &dyn Fn(u32) -> Sound) -> Vec<[f32; 2]> {
    let sounds: Vec<Sound> = plan
        .lanes
        .iter()
        .map(|lane| match (&lane.source, Plan::of_source(s, &lane.source)) {
            (Source::Raw { strip }, _) => raw(*strip),
            (_, Some(inner)) => Sound::Made(sound_of(s, &inner, raw)),
            _ => unreachable!("only raw sources have no plan"),
        })
        .collect();
    let mut readers: Vec<Reader<'_>> = sounds.iter().map(|sound| Reader { sound, at: 0 }).collect();
    let mut out = Vec::new();
    render(plan, s, &mut readers, FRAMES as u64, |block, frames| {
        out.extend((0..frames).map(|i| [block.left[i], block.right[i]]));
        Ok(true)
    })
    .expect("nothing fails here");
    out
}

fn largest_difference(a: &[[f32; 2]], b: &[[f32; 2]]) -> f32 {
    assert_eq!(a.len(), b.len());
    a.iter().zip(b).fold(0.0, |m, (x, y)| m.max((x[0] - y[0]).abs()).max((x[1] - y[1]).abs()))
}

#[test]
fn a_lookahead_on_one_track_moves_nothing_against_the_rest() {
    let (mut s, [a, _, _], bus) = session();
    for strip in [a, bus] {
        add(&mut s, strip, "compressor", json!({"ratio": 1, "lookahead_ms": 3}));
    }
    let out = sound_of(&s, &Plan::desk(&s), &|_| Sound::Impulse);
    for (n, frame) in out.iter().enumerate() {
        let want = if n == 100 { 3.0 } else { 0.0 };
        assert!((frame[0] - want).abs() < 1e-6, "frame {n}: {}", frame[0]);
    }
}

#[test]
fn faders_are_in_decibels_and_pans_of_equal_power() {
    let (mut s, [a, b, c], _) = session();
    set(&mut s, b, "muted", json!(true));
    set(&mut s, c, "level_db", json!(-90));
    let at_100 = |s: &Session| sound_of(s, &Plan::desk(s), &|_| Sound::Impulse)[100];
    assert_eq!(at_100(&s), [1.0, 1.0], "centre and 0 dB change nothing; mute and off are silent");
    set(&mut s, a, "level_db", json!(-6));
    assert!((at_100(&s)[0] - 0.501_187).abs() < 1e-5);
    set(&mut s, a, "level_db", json!(0));
    for pan in [-1.0, -0.4, 0.3, 1.0] {
        set(&mut s, a, "pan", json!(pan));
        let [l, r] = at_100(&s);
        assert!((l * l + r * r - 2.0).abs() < 1e-5, "power at {pan}");
        assert_eq!(r > l, pan > 0.0);
    }
    assert!(at_100(&s)[0].abs() < 1e-6 && (at_100(&s)[1] - std::f32::consts::SQRT_2).abs() < 1e-6);
}

#[test]
fn the_bench_of_every_strip_plays_the_same_mix_as_the_desk() {
    let (mut s, tracks, bus) = session();
    add(&mut s, tracks[0], "compressor", json!({"threshold_db": -20, "ratio": 4, "lookahead_ms": 2}));
    add(&mut s, tracks[1], "surgical-eq", json!({"bands": [{"freq_hz": 500, "gain_db": 6}]}));
    add(&mut s, bus, "compressor", json!({"threshold_db": -12, "ratio": 2, "lookahead_ms": 1}));
    add(&mut s, 1, "surgical-eq", json!({"bands": [{"shape": "high-pass", "freq_hz": 40}]}));
    set(&mut s, tracks[1], "pan", json!(0.5));
    set(&mut s, bus, "level_db", json!(-3));
    let raw = |strip: u32| Sound::Noise(strip);
    let desk = sound_of(&s, &Plan::desk(&s), &raw);
    assert!(desk.iter().any(|f| f[0].abs() > 0.2), "it sounds");
    for strip in s.strips.iter().map(|s| s.id) {
        let bench = sound_of(&s, &Plan::bench(&s, strip).expect("there"), &raw);
        let off = largest_difference(&desk, &bench);
        assert!(off < 1e-6, "strip {strip} differs by {off}");
    }
    assert!(Plan::bench(&s, 99).is_none());
}

#[test]
fn a_change_of_a_rack_changes_the_determinants_and_the_engineers_words_do_not() {
    let (mut s, [a, _, _], _) = session();
    add(&mut s, a, "compressor", json!({}));
    let of = |s: &Session| Plan::of_source(s, &Source::Printed { strip: a }).expect("a plan").determinants(s);
    let before = of(&s);
    s.strip_mut(a).expect("there").rack.units[0].why = "other words".into();
    assert_eq!(of(&s), before);
    add(&mut s, a, "surgical-eq", json!({}));
    assert_ne!(of(&s), before);
}

#[test]
fn worked_untouched_and_difference_are_what_they_say() {
    let (mut s, [a, _, _], _) = session();
    add(&mut s, a, "compressor", json!({"ratio": 1, "makeup_db": 6, "lookahead_ms": 1}));
    let plan = Plan::of_source(&s, &Source::Printed { strip: a }).expect("a plan");
    let heard = |listening: Listening| {
        let mut mixer = Mixer::new(&plan, &s);
        mixer.listen(listening);
        mixer.snap_listening();
        let mut block = StereoBlock::default();
        block.left[0] = 0.5;
        let mut out = StereoBlock::default();
        mixer.process(&mut [block], &mut out, |_, _| {});
        out.left[48]
    };
    let gain = 10f32.powf(6.0 / 20.0);
    assert!((heard(Listening::Worked) - 0.5 * gain).abs() < 1e-6);
    assert!((heard(Listening::Untouched(0.0)) - 0.5).abs() < 1e-6);
    assert!((heard(Listening::Untouched(6.0)) - 0.5 * gain).abs() < 1e-6, "matched in loudness and in time");
    assert!(heard(Listening::Difference(6.0)).abs() < 1e-6, "a level change alone leaves no difference");
}
