//! The mixer: alignment, faders, listening, and that every page's plan is one mix.
#![allow(missing_docs, clippy::expect_used, clippy::unwrap_used)] // a test may say what must hold by failing

use serde_json::{Value, json};
use zinc_core::rack::UnitSpec;
use zinc_core::render::offline::{BlockSource, Subplan, render, render_late};
use zinc_core::render::{Mixer, Plan, Source};
use zinc_core::session::{AudioRef, AuxSend, Change, Edit, Family, Reference, Role, Session, routing};
use zinc_core::signal::noise::white;
use zinc_core::signal::{BLOCK, StereoBlock};

const FRAMES: usize = 48_000;

/// Two tracks into a bus, one straight to the main.
fn session() -> (Session, [u32; 3], u32) {
    let mut s = Session::new("mixing", 48_000);
    let bus = s.add_strip("Bus", Family::Gt, Role::Bus, 1);
    let mut track = |name: &str, feeds: u32| {
        let audio = AudioRef { hash: name.into(), channels: 1, frames: FRAMES as u64, start: 0, stamp: None };
        s.add_strip(name, Family::Gt, Role::Track(audio), feeds)
    };
    let tracks = [track("a", bus), track("b", bus), track("c", 1)];
    (s, tracks, bus)
}

fn add(s: &mut Session, strip: u32, kind: &str, params: Value) {
    s.add_unit(strip, UnitSpec::from_json(&json!({"kind": kind, "params": params}), 1).expect("valid"));
}

fn set(s: &mut Session, strip: u32, control: &str, value: Value) {
    s.strip_mut(strip).expect("there").set_control(control, &serde_json::from_value(value).unwrap()).expect("in range");
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
                Sound::Noise(_) if n >= FRAMES => [0.0; 2],
                Sound::Noise(seed) => [0.5 * white(n + 1_000_003 * *seed as usize) as f32; 2],
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
        .lanes()
        .map(|(_, source)| match (source, Plan::of_source(s, source)) {
            (Source::Raw { strip }, _) => raw(*strip),
            (_, Some(inner)) => Sound::Made(sound_of(s, &inner, raw)),
            _ => unreachable!("only raw sources have no plan"),
        })
        .collect();
    let mut readers: Vec<Reader<'_>> = sounds.iter().map(|sound| Reader { sound, at: 0 }).collect();
    let mut out = Vec::new();
    render(plan, s, &mut readers, |block, frames| {
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
        let bench = sound_of(&s, &Plan::bench(&s, strip, &[]).expect("there"), &raw);
        let off = largest_difference(&desk, &bench);
        assert!(off < 1e-6, "strip {strip} differs by {off}");
    }
    assert!(Plan::bench(&s, 99, &[]).is_none());
}

#[test]
fn a_change_of_a_rack_changes_the_determinants_and_the_engineers_words_do_not() {
    let (mut s, [a, _, _], _) = session();
    add(&mut s, a, "compressor", json!({}));
    let of = |s: &Session| Plan::of_source(s, &Source::Racked { strip: a }).expect("a plan").determinants(s);
    let before = of(&s);
    s.strip_mut(a).expect("there").rack.units[0].why = "other words".into();
    s.strip_mut(a).expect("there").rack.units[0].name = "another name".into();
    assert_eq!(of(&s), before);
    add(&mut s, a, "surgical-eq", json!({}));
    assert_ne!(of(&s), before);
}

#[test]
fn a_print_after_the_rack_does_not_depend_on_the_fader_but_on_what_enters_the_rack() {
    let (mut s, [a, _, _], _) = session();
    add(&mut s, a, "compressor", json!({}));
    let of = |s: &Session| Plan::of_source(s, &Source::Racked { strip: a }).expect("a plan").determinants(s);
    let before = of(&s);
    for (control, value) in
        [("level_db", json!(-9)), ("pan", json!(0.3)), ("muted", json!(true)), ("delay_ms", json!(2))]
    {
        set(&mut s, a, control, value);
    }
    assert_eq!(of(&s), before);
    set(&mut s, a, "input_db", json!(-3));
    assert_ne!(of(&s), before);
}

#[test]
fn a_keyed_print_depends_on_its_key_only_up_to_where_the_key_is_taken() {
    for (tap, polarity_counts) in [("after-rack", true), ("before-rack", false)] {
        let (mut s, [a, _, c], _) = session();
        add(&mut s, a, "compressor", json!({}));
        add(&mut s, c, "surgical-eq", json!({}));
        key(&mut s, a, 0, c, tap);
        let of = |s: &Session| Plan::of_source(s, &Source::Racked { strip: a }).expect("a plan").determinants(s);
        let before = of(&s);
        for (control, value) in [("level_db", json!(-9)), ("pan", json!(0.3)), ("muted", json!(true))] {
            set(&mut s, c, control, value);
        }
        assert_eq!(of(&s), before, "{tap}: the fader comes later");
        set(&mut s, c, "inverted", json!(true));
        assert_eq!(of(&s) != before, polarity_counts, "{tap}");
    }
}

#[test]
fn a_render_ends_where_what_rings_has_ended_and_a_longer_tail_is_faded_out() {
    let (mut s, [a, _, _], bus) = session();
    let of = |s: &Session| Plan::desk(s).length(s);
    assert_eq!((of(&s).frames, of(&s).tail), (FRAMES as u64, 0), "nothing rings");
    add(&mut s, bus, "surgical-eq", json!({"bands": [{"freq_hz": 200, "gain_db": 12, "q": 10}]}));
    let tail = of(&s).tail;
    // Its poles have the Q of 10 times the root of the boost (2), so it falls by
    // 27.3 · 200 / 20 = 273 dB a second: 112 dB take 0.41 s. What is added for other
    // sections beside it is at most 30 dB and a fixed part of a quarter second.
    let (least, most) = (0.41 * 48_000.0, (0.41 + 30.0 / 273.0 + 0.25) * 48_000.0);
    assert!((least..most).contains(&(tail as f64)), "{tail} frames");
    let raw = |strip: u32| if strip == a { Sound::Noise(3) } else { Sound::Made(Vec::new()) };
    let out = sound_of(&s, &Plan::desk(&s), &raw);
    assert_eq!(out.len() as u64, FRAMES as u64 + tail);
    assert!(out[FRAMES + 500][0].abs() > 1e-4, "it rings on");
    assert!(out[out.len() - 1][0].abs() < 1e-5, "and has ended");
    add(&mut s, bus, "surgical-eq", json!({"bands": [{"freq_hz": 10, "gain_db": 24, "q": 100}]}));
    let long = of(&s);
    assert_eq!((long.tail, long.fade), (20 * 48_000, 2 * 48_000));
}

fn send(s: &mut Session, strip: u32, to: u32, level_db: f64, before_fader: bool) {
    s.strip_mut(strip).expect("there").sends.push(AuxSend { to, level_db, before_fader });
}

fn key(s: &mut Session, strip: u32, unit: usize, from: u32, tap: &str) {
    let json = json!({"kind": "compressor", "key": {"strip": from, "tap": tap}});
    let parsed = UnitSpec::from_json(&json, 1).expect("valid").key;
    s.strip_mut(strip).expect("there").rack.units[unit].key = parsed;
}

/// Four buses (one inside another), three returns, keys and sends of both kinds,
/// polarity, delays and lookaheads everywhere.
fn large_session() -> Session {
    let (mut s, [a, b, c], bus) = session();
    let outer = s.add_strip("Outer", Family::Gt, Role::Bus, 1);
    let third = s.add_strip("Third", Family::Ky, Role::Bus, 1);
    let fourth = s.add_strip("Fourth", Family::Or, Role::Bus, third);
    let room = s.add_strip("Room", Family::Fx, Role::Return, 1);
    let attack = s.add_strip("Attack", Family::Fx, Role::Return, outer);
    let echo = s.add_strip("Echo", Family::Fx, Role::Return, 1);
    let mut track = |name: &str, feeds: u32| {
        let audio = AudioRef { hash: name.into(), channels: 1, frames: FRAMES as u64, start: 0, stamp: None };
        s.add_strip(name, Family::Or, Role::Track(audio), feeds)
    };
    let (d, e) = (track("d", fourth), track("e", third));
    s.strip_mut(bus).expect("there").feeds = Some(outer);
    send(&mut s, a, room, -6.0, false);
    send(&mut s, a, attack, 0.0, true);
    send(&mut s, bus, room, -9.0, false);
    send(&mut s, d, echo, -3.0, false);
    send(&mut s, echo, room, -12.0, true);
    send(&mut s, c, third, -90.0, false);
    for (strip, lookahead) in [(a, 2.0), (bus, 1.0), (outer, 0.0), (attack, 3.0), (third, 0.5), (d, 0.0)] {
        let params = json!({"threshold_db": -24, "ratio": 4, "attack_ms": 1, "lookahead_ms": lookahead});
        add(&mut s, strip, "surgical-eq", json!({"bands": [{"freq_hz": 300 + 100 * strip, "gain_db": 4}]}));
        add(&mut s, strip, "compressor", params);
    }
    key(&mut s, bus, 1, c, "after-rack");
    key(&mut s, third, 1, a, "before-rack");
    key(&mut s, d, 1, a, "after-rack");
    key(&mut s, attack, 1, bus, "before-rack");
    set(&mut s, b, "inverted", json!(true));
    set(&mut s, b, "delay_ms", json!(1.5));
    set(&mut s, e, "pan", json!(-0.7));
    set(&mut s, e, "image", json!("left"));
    set(&mut s, echo, "level_db", json!(-4));
    set(&mut s, outer, "input_db", json!(-2));
    s
}

#[test]
fn every_bench_plays_the_mix_of_the_desk_with_buses_in_buses_returns_keys_and_sends() {
    let s = large_session();
    assert!(routing::order(&s).is_ok());
    let raw = |strip: u32| Sound::Noise(strip);
    let desk = sound_of(&s, &Plan::desk(&s), &raw);
    assert!(desk.iter().any(|f| f[0].abs() > 0.2), "it sounds");
    for strip in s.strips.iter().map(|s| s.id) {
        let bench = sound_of(&s, &Plan::bench(&s, strip, &[]).expect("there"), &raw);
        let off = largest_difference(&desk, &bench);
        assert!(off < 1e-6, "strip {strip} differs by {off}");
    }
    let with = sound_of(&s, &Plan::bench(&s, 3, &[4, 12]).expect("there"), &raw);
    assert!(largest_difference(&desk, &with) < 1e-6, "chosen partners change nothing");
}

#[test]
fn an_identical_parallel_copy_adds_six_decibels() {
    let (mut s, [a, _, _], _) = session();
    let copy = s.add_strip("Copy", Family::Fx, Role::Return, 1);
    // Latency on the parallel path alone would make a comb, were it not aligned.
    add(&mut s, copy, "compressor", json!({"ratio": 1, "lookahead_ms": 4}));
    let alone =
        sound_of(&s, &Plan::desk(&s), &|strip| if strip == a { Sound::Noise(7) } else { Sound::Made(Vec::new()) });
    send(&mut s, a, copy, 0.0, false);
    let both =
        sound_of(&s, &Plan::desk(&s), &|strip| if strip == a { Sound::Noise(7) } else { Sound::Made(Vec::new()) });
    for (n, (x, y)) in alone.iter().zip(&both).enumerate() {
        assert!((2.0 * x[0] - y[0]).abs() < 1e-6, "frame {n}");
    }
}

#[test]
fn a_send_before_the_fader_stays_when_the_fader_moves_and_a_mute_silences_both() {
    let (mut s, [a, _, _], _) = session();
    let room = s.add_strip("Room", Family::Fx, Role::Return, 1);
    send(&mut s, a, room, -6.0, true);
    let level = |s: &Session| {
        let only = |strip: u32| if strip == a { Sound::Impulse } else { Sound::Made(Vec::new()) };
        sound_of(s, &Plan::desk(s), &only)[100][0]
    };
    assert!((level(&s) - 1.501_187).abs() < 1e-5);
    set(&mut s, a, "level_db", json!(-90));
    assert!((level(&s) - 0.501_187).abs() < 1e-5);
    s.strip_mut(a).expect("there").sends[0].before_fader = false;
    assert_eq!(level(&s), 0.0);
    s.strip_mut(a).expect("there").sends[0].before_fader = true;
    set(&mut s, a, "muted", json!(true));
    assert_eq!(level(&s), 0.0);
}

#[test]
fn a_key_drives_the_unit_at_the_very_frame_it_belongs_to() {
    // c clicks at frame 100 and keys a compressor on a, which stands behind a
    // lookahead; a steady tone on a must dip at frame 100 of the print.
    let (mut s, [a, _, c], _) = session();
    add(&mut s, a, "compressor", json!({"ratio": 1, "lookahead_ms": 5}));
    add(
        &mut s,
        a,
        "compressor",
        json!({"threshold_db": -30, "ratio": "inf", "attack_ms": 0, "release_ms": 50, "knee_db": 0}),
    );
    add(&mut s, c, "compressor", json!({"ratio": 1, "lookahead_ms": 2}));
    key(&mut s, a, 1, c, "after-rack");
    let steady = || Sound::Made(vec![[0.001; 2]; FRAMES]);
    let raw = |strip: u32| if strip == c { Sound::Impulse } else { steady() };
    let out = sound_of(&s, &Plan::of_source(&s, &Source::Racked { strip: a }).expect("a plan"), &raw);
    assert!((out[99][0] - 0.001).abs() < 1e-9, "before the click nothing happens");
    assert!((20.0 * (out[100][0] / 0.001).log10() + 30.0).abs() < 0.1, "at the click all 30 dB are taken");
}

#[test]
fn polarity_delay_and_image_do_what_they_say() {
    let (mut s, [a, _, _], _) = session();
    let heard = |s: &Session| {
        let only = |strip: u32| if strip == a { Sound::Impulse } else { Sound::Made(Vec::new()) };
        sound_of(s, &Plan::stem(s, a).expect("there"), &only)
    };
    set(&mut s, a, "inverted", json!(true));
    set(&mut s, a, "delay_ms", json!(0.9));
    let out = heard(&s);
    // 0.9 ms are 43.2 frames: to the nearest frame.
    assert_eq!(out[143], [-1.0, -1.0]);
    assert!(out.iter().enumerate().all(|(n, f)| n == 143 || *f == [0.0; 2]));
    set(&mut s, a, "delay_ms", json!(0));
    set(&mut s, a, "inverted", json!(false));
    let stereo = |s: &Session| {
        let only =
            |strip: u32| if strip == a { Sound::Made(vec![[0.5, 0.25]; FRAMES]) } else { Sound::Made(Vec::new()) };
        let plan = Plan::of_source(s, &Source::Racked { strip: a }).expect("a plan");
        sound_of(s, &plan, &only)[500]
    };
    for (image, want) in [
        ("as-recorded", [0.5, 0.25]),
        ("mono", [0.375, 0.375]),
        ("left", [0.5, 0.5]),
        ("right", [0.25, 0.25]),
        ("swapped", [0.25, 0.5]),
    ] {
        set(&mut s, a, "image", json!(image));
        assert_eq!(stereo(&s), want, "{image}");
    }
}

#[test]
fn hearing_some_strips_leaves_the_rest_out_but_keeps_their_keys() {
    let (mut s, [a, b, c], _) = session();
    add(&mut s, a, "compressor", json!({"threshold_db": -30, "ratio": "inf", "attack_ms": 0, "knee_db": 0}));
    key(&mut s, a, 0, c, "after-rack");
    let plan = Plan::bench(&s, a, &[b]).expect("there");
    let heard = |chosen: &[u32]| {
        let mut mixer = Mixer::new(&plan, &s);
        mixer.hear_only(Some(&routing::heard_with(&s, chosen)));
        mixer.snap();
        let steady = |x: f32| StereoBlock { left: [x; BLOCK], right: [x; BLOCK] };
        let inputs: Vec<StereoBlock> = plan
            .lanes()
            .map(|(_, source)| match source {
                Source::Raw { strip } if *strip == a => steady(0.001),
                Source::Racked { strip } if *strip == b => steady(0.01),
                // The key, and c's own sound in what is printed of the main.
                _ => steady(1.0),
            })
            .collect();
        let mut out = StereoBlock::SILENT;
        mixer.process(&inputs, 0, &mut out, |_, _| {});
        out.left[BLOCK - 1]
    };
    let ducked = 0.001 * 10f32.powf(-30.0 / 20.0);
    assert!((heard(&[a]) - ducked).abs() < 1e-7, "alone, and still ducked by its key");
    assert!((heard(&[a, b]) - ducked - 0.01).abs() < 1e-6, "with its partner");
}

#[test]
fn the_other_side_of_a_comparison_is_the_session_without_what_is_judged() {
    let (mut s, [a, _, _], _) = session();
    add(&mut s, a, "compressor", json!({"ratio": 1, "makeup_db": 6, "lookahead_ms": 1}));
    let raw = |_: u32| Sound::Impulse;
    let changes = vec![Change::RackOff { strip: a }, Change::Level { strip: a, db: 6.0 }];
    let other = Reference { changes }.of(&s).expect("valid");
    let (worked, other) = (sound_of(&s, &Plan::desk(&s), &raw), sound_of(&other, &Plan::desk(&other), &raw));
    // A level change alone leaves no difference once both sides are equally loud.
    assert!(largest_difference(&worked, &other) < 1e-6);
}

#[test]
fn edits_while_playing_glide_to_what_a_fresh_mix_would_play() {
    let mut s = large_session();
    let plan = Plan::desk(&s);
    let mut mixer = Mixer::new(&plan, &s);
    let inputs = vec![StereoBlock { left: [0.25; BLOCK], right: [0.25; BLOCK] }; mixer.lane_count()];
    let mut out = StereoBlock::SILENT;
    let edits = [
        Edit::SetControl { strip: 3, control: "level_db".into(), value: (-7).into() },
        Edit::SetControl { strip: 4, control: "inverted".into(), value: false.into() },
        Edit::SetSends {
            strip: 3,
            sends: vec![
                AuxSend { to: 9, level_db: -20.0, before_fader: false },
                AuxSend { to: 10, level_db: -3.0, before_fader: true },
            ],
        },
    ];
    for edit in &edits {
        edit.apply(&mut s).expect("valid");
        (0..4).for_each(|_| mixer.process(&inputs, 0, &mut out, |_, _| {}));
        mixer.update(&s, 3);
        mixer.update(&s, 4);
    }
    let mut fresh = Mixer::new(&Plan::desk(&s), &s);
    let mut want = StereoBlock::SILENT;
    for _ in 0..4000 {
        mixer.process(&inputs, 0, &mut out, |_, _| {});
        fresh.process(&inputs, 0, &mut want, |_, _| {});
    }
    assert!((out.left[0] - want.left[0]).abs() < 1e-5, "{} and {}", out.left[0], want.left[0]);
}

/// The main of noises, each of its parts run by itself.
fn in_parts(s: &Session) -> Vec<[f32; 2]> {
    let plan = Plan::in_parts(s, 1).expect("it has parts");
    let plans: Vec<Plan> = plan.lanes().filter_map(|(_, source)| Plan::of_source(s, source)).collect();
    let noise = |(_, source): (usize, &Source)| match Plan::of_source(s, source) {
        Some(inner) => Sound::Made(sound_of(s, &inner, &|strip| Sound::Noise(strip))),
        None => unreachable!("tracks are printed"),
    };
    let sounds: Vec<Vec<Sound>> = plans.iter().map(|plan| plan.lanes().map(noise).collect()).collect();
    let pairs = plans.iter().zip(&sounds);
    let parts: Vec<Subplan<Reader<'_>>> = pairs
        .map(|(plan, sounds)| Subplan::new(plan, s, sounds.iter().map(|sound| Reader { sound, at: 0 }).collect()))
        .collect();
    let late = parts.iter().map(Subplan::latency).max().unwrap_or(0);
    let mut parts: Vec<_> = parts.into_iter().map(|part| part.as_late_as(late, 48_000.0)).collect();
    let mut out = Vec::new();
    render_late(&plan, s, &mut parts, late, |block, frames| {
        out.extend((0..frames).map(|i| [block.left[i], block.right[i]]));
        Ok(true)
    })
    .expect("nothing fails here");
    out
}

#[test]
fn a_main_in_parts_is_the_same_to_the_last_bit_and_no_rack_runs_in_two_of_them() {
    let (mut s, [a, b, c], bus) = session();
    let other = s.add_strip("Other", Family::Ky, Role::Bus, 1);
    let room = s.add_strip("Room", Family::Fx, Role::Return, bus);
    s.strip_mut(b).expect("there").feeds = Some(other);
    s.strip_mut(a).expect("there").sends.push(AuxSend { to: room, level_db: -6.0, before_fader: false });
    add(&mut s, room, "saturator", json!({"drive_db": 12}));
    add(&mut s, bus, "compressor", json!({"threshold_db": -30, "lookahead_ms": 4}));
    add(&mut s, other, "console-eq", json!({"high_db": 4}));
    add(&mut s, 1, "limiter", json!({"input_db": 6}));
    set(&mut s, other, "level_db", json!(-3.5));
    let lanes = |s: &Session| {
        let plan = Plan::in_parts(s, 1)?;
        Some(plan.lanes().map(|(_, source)| source.clone()).collect::<Vec<_>>())
    };
    // The bus with its return, the other bus, the track that goes straight there.
    assert_eq!(lanes(&s).map(|l| l.len()), Some(3));
    assert!(in_parts(&s) == sound_of(&s, &Plan::stem(&s, 1).expect("there"), &|strip| Sound::Noise(strip)));
    // A return that both buses are sent to, into the main, is run once: they are one part now.
    let hall = s.add_strip("Hall", Family::Fx, Role::Return, 1);
    for from in [bus, other] {
        s.strip_mut(from).expect("there").sends.push(AuxSend { to: hall, level_db: 0.0, before_fader: false });
    }
    assert_eq!(lanes(&s).map(|l| l.len()), Some(2));
    let whole = sound_of(&s, &Plan::stem(&s, 1).expect("there"), &|strip| Sound::Noise(strip));
    assert!(largest_difference(&in_parts(&s), &whole) < 1e-6);
    // With one path into it there is nothing to part.
    assert!(Plan::in_parts(&s, c).is_none() && Plan::in_parts(&s, other).is_none());
}
