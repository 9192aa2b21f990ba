//! Instruments behave in time as theirs do: partials that fall by their own times, hard
//! strokes that are brighter, hands that come late.
#![allow(missing_docs, clippy::expect_used, clippy::unwrap_used)] // a test may say what must hold by failing

use std::f64::consts::TAU;

use zinc_demo::instrument::string::kinds::{ELECTRIC, FINGERED_BASS, PICKED_BASS, STEEL};
use zinc_demo::instrument::string::{StringKind, pluck};
use zinc_demo::instrument::{bowed, drum, organ, tine, voice};
use zinc_demo::player::{Chance, Note};
use zinc_demo::recorded::octave_levels_db;
use zinc_demo::song::hz;
use zinc_demo::tools::{FS, frame};

fn note(midi: f64, velocity: f64) -> Note {
    Note { start_s: 0.0, length_s: 2.0, midi, velocity, muted: false }
}

/// Two and a half seconds of one note.
fn played(play: impl Fn(&mut [f32], &mut Chance)) -> Vec<f32> {
    let mut out = vec![0.0; frame(2.5)];
    play(&mut out, &mut Chance::new(3));
    out
}

fn plucked(kind: &StringKind, note: Note) -> Vec<f32> {
    played(|out, chance| pluck(out, note, kind, chance))
}

/// Level at `hz` in dB, in a Hann window from `start_s`, the strongest within 2 % of it.
fn level_db(sound: &[f32], hz: f64, start_s: f64, length_s: f64) -> f64 {
    let part = &sound[frame(start_s)..frame(start_s + length_s)];
    let at = |hz: f64| {
        let (mut re, mut im) = (0.0, 0.0);
        for (i, x) in part.iter().enumerate() {
            let window = 0.5 - 0.5 * (TAU * i as f64 / part.len() as f64).cos();
            let angle = TAU * hz * i as f64 / FS;
            re += window * f64::from(*x) * angle.cos();
            im += window * f64::from(*x) * angle.sin();
        }
        10.0 * (re * re + im * im).max(1e-30).log10()
    };
    (-10..=10).map(|k| at(hz * (1.0 + 0.002 * f64::from(k)))).fold(f64::NEG_INFINITY, f64::max)
}

/// Share of the power in the octaves from `octave` (0 is that of 31.5 Hz) upwards, in dB.
fn highs_db(sound: &[f32], octave: usize) -> f64 {
    let power = octave_levels_db(sound).map(|db| 10f64.powf(db / 10.0));
    10.0 * (power[octave..].iter().sum::<f64>() / power.iter().sum::<f64>()).log10()
}

#[test]
fn high_partials_of_a_string_are_gone_sooner_than_low_ones() {
    for (kind, midi, high) in [(&STEEL, 52.0, 14.0), (&ELECTRIC, 52.0, 14.0), (&FINGERED_BASS, 33.0, 12.0)] {
        let sound = plucked(kind, note(midi, 0.8));
        let fall = |n: f64| {
            let hz = n * hz(midi);
            level_db(&sound, hz, 0.1, 0.2) - level_db(&sound, hz, 1.1, 0.2)
        };
        assert!(fall(high) > fall(1.0) + 6.0, "midi {midi}: {:.1} and {:.1} dB", fall(1.0), fall(high));
    }
}

#[test]
fn a_string_is_in_tune_and_its_stiffness_makes_high_partials_sharp() {
    let sound = plucked(&STEEL, note(45.0, 0.8));
    let nearest = |n: f64| {
        let candidates = (-60..=60).map(|k| n * 110.0 * (1.0 + 0.0005 * f64::from(k)));
        let level = |hz: &f64| {
            let part = &sound[frame(0.2)..frame(1.2)];
            let (re, im) = part.iter().enumerate().fold((0.0, 0.0), |(re, im), (i, x)| {
                let angle = TAU * hz * i as f64 / FS;
                (re + f64::from(*x) * angle.cos(), im + f64::from(*x) * angle.sin())
            });
            re * re + im * im
        };
        candidates.max_by(|a, b| level(a).total_cmp(&level(b))).unwrap()
    };
    assert!((nearest(1.0) / 110.0 - 1.0).abs() < 0.002, "{}", nearest(1.0));
    let sharp = nearest(16.0) / (16.0 * nearest(1.0)) - 1.0;
    assert!((0.001..0.02).contains(&sharp), "the sixteenth partial is {:.2} % sharp", 100.0 * sharp);
}

#[test]
fn a_hard_stroke_is_brighter_and_not_only_louder() {
    let twice = |octave: usize, play: &dyn Fn(f64) -> Vec<f32>| [0.25, 0.9].map(|v| highs_db(&play(v), octave));
    let string = |kind, octave| twice(octave, &|v| plucked(kind, note(52.0, v)));
    let all = [
        string(&STEEL, 8),
        string(&ELECTRIC, 8),
        string(&FINGERED_BASS, 4),
        string(&PICKED_BASS, 4),
        twice(4, &|v| played(|out, c| tine::strike(out, note(52.0, v), c))),
        twice(7, &|v| played(|out, c| drum::snare(out, 0.0, v, 0.3, c))),
        twice(5, &|v| played(|out, c| drum::kick(out, 0.0, v, 58.0, c))),
    ];
    println!("{all:.1?}");
    assert!(all.iter().all(|[soft, hard]| *hard > soft + 2.0), "{all:.1?} dB");
}

#[test]
fn a_tine_struck_hard_barks() {
    let overtones = |velocity: f64| {
        let sound = played(|out, c| tine::strike(out, note(52.0, velocity), c));
        level_db(&sound, 3.0 * hz(52.0), 0.05, 0.3) - level_db(&sound, hz(52.0), 0.05, 0.3)
    };
    let (soft, hard) = (overtones(0.25), overtones(0.95));
    assert!(soft < -24.0 && hard > soft + 12.0, "third harmonic at {soft:.1} and {hard:.1} dB");
}

#[test]
fn a_palm_on_the_strings_leaves_a_short_dull_thump() {
    let open = plucked(&ELECTRIC, note(45.0, 0.8));
    let muted = plucked(&ELECTRIC, Note { muted: true, ..note(45.0, 0.8) });
    let energy = |sound: &[f32], from: f64, to: f64| -> f64 {
        sound[frame(from)..frame(to)].iter().map(|x| f64::from(*x).powi(2)).sum()
    };
    assert!(energy(&muted, 0.0, 0.2) > 0.25 * energy(&open, 0.0, 0.2), "it is as strong at first");
    assert!(energy(&muted, 0.4, 0.6) < 0.05 * energy(&open, 0.4, 0.6), "and soon gone");
    let (dull, bright) = (highs_db(&muted, 5), highs_db(&open, 5));
    assert!(dull < bright - 6.0, "above 700 Hz {dull:.1} and {bright:.1} dB");
}

/// Frequency in Hz of what lies about `hz`, every 10 ms: the turning of a vector, over 40 ms.
fn pitches(sound: &[f32], hz: f64) -> Vec<f64> {
    let (span, hop) = (frame(0.04), frame(0.01));
    let angles: Vec<f64> = (0..sound.len() - span)
        .step_by(hop)
        .map(|from| {
            let (mut re, mut im) = (0.0, 0.0);
            for (i, x) in sound.iter().enumerate().skip(from).take(span) {
                let window = 0.5 - 0.5 * (TAU * (i - from) as f64 / span as f64).cos();
                let angle = TAU * hz * i as f64 / FS;
                re += window * f64::from(*x) * angle.cos();
                im -= window * f64::from(*x) * angle.sin();
            }
            im.atan2(re)
        })
        .collect();
    // Half a turn either way in 10 ms.
    let turn = |a: &[f64]| (a[1] - a[0] + TAU / 2.0).rem_euclid(TAU) - TAU / 2.0;
    angles.windows(2).map(|a| hz + turn(a) / TAU / 0.01).collect()
}

/// How far the pitch swings between two times, in cents either way.
fn swing_cents(sound: &[f32], midi: f64, from_s: f64, to_s: f64) -> f64 {
    let of = &pitches(sound, hz(midi))[(100.0 * from_s) as usize..(100.0 * to_s) as usize];
    let (low, high) = of.iter().fold((f64::INFINITY, 0.0f64), |(l, h), p| (l.min(*p), h.max(*p)));
    600.0 * (high / low).log2()
}

#[test]
fn vibrato_of_bow_and_voice_sets_in_late() {
    let bow = played(|out, c| bowed::section(out, note(76.0, 0.7), 1, c));
    let sung = played(|out, c| voice::sing(out, note(69.0, 0.7), c));
    for (sound, midi, from) in [(&bow, 76.0, 0.7), (&sung, 69.0, 0.9)] {
        let (early, late) = (swing_cents(sound, midi, 0.14, 0.24), swing_cents(sound, midi, from, 1.3));
        assert!(late > 10.0 && late < 70.0, "vibrato of {late:.0} cents");
        assert!(early < 0.6 * late, "{early:.0} cents early, {late:.0} late");
    }
}

#[test]
fn a_bow_turns_within_a_long_note() {
    let sound = played(|out, c| bowed::section(out, Note { length_s: 2.4, ..note(57.0, 0.7) }, 1, c));
    let levels: Vec<f64> = (30..210).map(|k| level_db(&sound, hz(57.0), f64::from(k) / 100.0, 0.03)).collect();
    let usual = levels.iter().sum::<f64>() / levels.len() as f64;
    let least = levels.iter().copied().fold(f64::INFINITY, f64::min);
    assert!(least < usual - 6.0, "{least:.1} against {usual:.1} dB");
}

#[test]
fn the_organs_rotor_turns_slowly_and_then_fast() {
    let tone: Vec<f32> = (0..frame(12.0)).map(|i| (TAU * 6000.0 * i as f64 / FS).sin() as f32).collect();
    let turned = organ::rotor(&tone, |t| t > 6.0);
    let level = |k: usize| turned[k * 1920..(k + 1) * 1920].iter().map(|x| f64::from(*x).powi(2)).sum::<f64>();
    let turns = |from_s: usize, to_s: usize| {
        let levels: Vec<f64> = (25 * from_s..25 * to_s).map(level).collect();
        let mean = levels.iter().sum::<f64>() / levels.len() as f64;
        levels.windows(2).filter(|w| w[0] < mean && w[1] >= mean).count() as f64 / (to_s - from_s) as f64
    };
    let (slow, fast) = (turns(1, 6), turns(9, 12));
    assert!((0.6..1.1).contains(&slow) && (5.9..7.1).contains(&fast), "{slow:.1} and {fast:.1} turns a second");
}

#[test]
fn a_sung_vowel_moves() {
    let glides = (1..9).filter(|seed| {
        let mut out = vec![0.0; frame(2.5)];
        voice::sing(&mut out, note(64.0, 0.7), &mut Chance::new(*seed));
        let [early, late] = [(0.1, 0.5), (1.4, 1.8)].map(|(a, b)| octave_levels_db(&out[frame(a)..frame(b)]));
        early.iter().zip(late).any(|(a, b)| (a - b).abs() > 4.0)
    });
    assert!(glides.count() >= 4, "most notes go from one vowel to another");
}
