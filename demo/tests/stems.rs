//! The stems are what `docs/demo-session.md` says they are.
#![allow(missing_docs, clippy::expect_used, clippy::unwrap_used)] // a test may say what must hold by failing

use std::collections::BTreeMap;
use std::sync::{Mutex, PoisonError};

use zinc_core::measure::third_octave::{ThirdOctaves, centre_hz};
use zinc_demo::song::{FRAMES, RATE};
use zinc_demo::stems::{CABINET_LATE_FRAMES, STEMS, StemAudio};

fn render(name: &str) -> StemAudio {
    let stem = STEMS.iter().find(|s| s.name == name);
    (stem.unwrap_or_else(|| panic!("no stem {name}")).render)()
}

/// A stem, played once for all tests that look at it.
fn played(name: &'static str) -> &'static StemAudio {
    static PLAYED: Mutex<BTreeMap<&str, &StemAudio>> = Mutex::new(BTreeMap::new());
    let mut played = PLAYED.lock().unwrap_or_else(PoisonError::into_inner);
    played.entry(name).or_insert_with(|| Box::leak(Box::new(render(name))))
}

fn peak_db(audio: &StemAudio) -> f64 {
    let peak = audio.channels.iter().flatten().fold(0.0f32, |m, x| m.max(x.abs()));
    20.0 * f64::from(peak).log10()
}

fn band_db(samples: &[f32], hz: f64) -> f64 {
    let mut meter = ThirdOctaves::new(f64::from(RATE), ThirdOctaves::LONG);
    meter.push_slices(samples, samples);
    let nearest = (0..31).min_by_key(|i| ((centre_hz(*i) / hz).ln().abs() * 1e6) as u64);
    meter.levels_db()[nearest.unwrap_or(0)]
}

#[test]
fn every_stem_has_the_songs_length_and_a_tracking_level() {
    for stem in STEMS {
        let audio = played(stem.name);
        for channel in &audio.channels {
            assert_eq!(channel.len(), FRAMES, "{}", stem.name);
            assert!(channel.iter().all(|x| x.is_finite()), "{}", stem.name);
        }
        let peak = peak_db(audio);
        assert!((-12.0..=-3.0).contains(&peak), "{} peaks at {peak:.1} dBFS", stem.name);
    }
}

#[test]
fn what_is_left_between_the_notes_is_the_noise_of_a_decent_studio() {
    for stem in STEMS {
        for channel in &played(stem.name).channels {
            let tenth_db = |part: &[f32]| {
                let power = part.iter().map(|x| f64::from(*x).powi(2)).sum::<f64>() / part.len() as f64;
                10.0 * power.log10()
            };
            // The high end alone: what hums and rumbles, or rings on, is not the floor.
            let highs: Vec<f32> = channel.windows(3).map(|w| 0.25 * (w[0] - 2.0 * w[1] + w[2])).collect();
            let floor_db = highs.chunks_exact(4800).map(tenth_db).fold(0.0, f64::min);
            // The second difference of white noise keeps 6/16 of its power.
            let floor_db = floor_db + 4.26;
            assert!((-90.0..-68.0).contains(&floor_db), "{}: {floor_db:.1} dBFS", stem.name);
        }
    }
}

#[test]
fn the_same_stem_is_the_same_bits_every_time() {
    assert_eq!(played("Lead DI").channels, render("Lead DI").channels);
}

#[test]
fn the_cabinet_is_late_and_upside_down_against_the_di() {
    let (di, cab) = (played("Bass DI"), played("Bass cabinet"));
    let stretch = 480_000..960_000;
    // The lows are much alike at every lag: what bends most is compared.
    let bend = |audio: &StemAudio, i: usize| {
        let x = |i: usize| f64::from(audio.channels[0][i]);
        x(i) - 2.0 * x(i - 1) + x(i - 2)
    };
    let correlation = |lag: usize| -> f64 { stretch.clone().map(|i| bend(di, i) * bend(cab, i + lag)).sum() };
    let best = (0..200).max_by(|a, b| correlation(*a).abs().total_cmp(&correlation(*b).abs()));
    let best = best.unwrap_or(0);
    assert!(correlation(best) < 0.0, "polarity");
    // The cabinet's own filters delay a little more than the distance does.
    assert!((CABINET_LATE_FRAMES..CABINET_LATE_FRAMES + 40).contains(&best), "late by {best}");
}

#[test]
fn the_two_rhythm_guitars_are_two_performances() {
    let (left, right) = (played("Rhythm left DI"), played("Rhythm right DI"));
    let dot = |a: &[f32], b: &[f32]| -> f64 { a.iter().zip(b).map(|(x, y)| f64::from(*x) * f64::from(*y)).sum() };
    let (l, r) = (&left.channels[0], &right.channels[0]);
    let likeness = dot(l, r) / (dot(l, l) * dot(r, r)).sqrt();
    assert!(likeness.abs() < 0.5, "likeness {likeness}");
}

#[test]
fn the_planted_faults_are_there() {
    let bass = &played("Bass DI").channels[0];
    // Before the bass plays: the pump alone.
    let rests = &bass[..RATE as usize * 7];
    assert!(band_db(rests, 25.0) > band_db(rests, 63.0) + 20.0, "rumble at 25 Hz");
    let snare = &played("Snare").channels[0];
    assert!(band_db(snare, 618.0) > band_db(snare, 800.0) + 3.0, "ring at 618 Hz");
    let organ = &played("Organ").channels[0];
    let intro = &organ[..RATE as usize * 9];
    assert!(band_db(intro, 63.0) > -60.0, "leakage before anyone plays");
}
