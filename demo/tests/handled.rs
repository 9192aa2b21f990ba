//! Dynamics on parts that nobody here has made: recipes, types of compressor carried over, strokes.
#![allow(missing_docs, clippy::expect_used, clippy::unwrap_used)] // a test may say what must hold by failing

mod strangers;

use serde_json::{Value, json};
use strangers::{BASS_PICKED, GUITAR_MUTED, KICK, PIANO, Played, SECONDS, SNARE, STEEL, TINES, TOMS, collection};
use zinc_core::advice::hold::Way;
use zinc_core::advice::recipe::{PartFigures, Recipe, units};
use zinc_core::measure::events::EventMeter;
use zinc_core::rack::RackSpec;
use zinc_core::signal::decibel::{db_to_gain, gain_to_db};
use zinc_core::trial::{Passage, Take};
use zinc_demo::song::RATE;
use zinc_demo::tools::{bell, high_cut, low_cut, mono_blocks, shape};

/// Parts that are struck.
const STRUCK: [Played; 6] = [KICK, SNARE, TOMS, GUITAR_MUTED, STEEL, PIANO];

fn rack(units: &[Value]) -> RackSpec {
    RackSpec::from_json(&json!({"zinc_rack": 1, "units": units})).unwrap()
}

/// A part as a passage, its first eight seconds.
fn passage(played: &Played) -> Passage {
    let sound = played.by(&collection());
    let side = sound[..8 * RATE as usize].to_vec();
    Passage { left: side.clone(), right: side, ..Passage::new(f64::from(RATE), 1) }
}

fn peak(sound: &[f32]) -> f64 {
    sound.iter().fold(0.0f64, |peak, x| peak.max(f64::from(x.abs())))
}

fn body(sound: &[f32]) -> f64 {
    (sound.iter().map(|x| f64::from(*x) * f64::from(*x)).sum::<f64>() / sound.len() as f64).sqrt()
}

#[test]
fn body_raises_the_body_by_three_decibels_and_the_peaks_by_less_than_one_and_a_half() {
    for played in STRUCK {
        let part = passage(&played);
        let heard = PartFigures::of(&part).unwrap();
        let returned = Take::of(&part, &RackSpec { units: units(Recipe::Body, &heard, 120.0) }, None).sound;
        let sum = |gain: f64| -> Vec<f32> {
            part.left.iter().zip(&returned.left).map(|(a, b)| a + gain as f32 * b).collect()
        };
        // The level at which the body has gained 3 dB, halving.
        let (mut low, mut high) = (0.0, 8.0);
        for _ in 0..24 {
            let middle = 0.5 * (low + high);
            if body(&sum(middle)) < body(&part.left) * db_to_gain(3.0) { low = middle } else { high = middle }
        }
        let risen = gain_to_db(peak(&sum(high)) / peak(&part.left));
        println!("{}: body +3.00 dB at {:.1} dB of the return, peak {risen:+.2} dB", played.name, gain_to_db(high));
        assert!(high < 7.9, "{}: the body never gains 3 dB", played.name);
        assert!(risen < 1.5, "{}: peak {risen:+.2} dB", played.name);
    }
}

#[test]
fn the_slowest_fet_leaves_as_much_of_a_strokes_front_as_clean_does_at_5_to_10_ms() {
    let mut judged = 0;
    for played in [KICK, SNARE, TOMS, BASS_PICKED] {
        let part = passage(&played);
        // What the peak of the first 5 ms of each stroke loses, on the mean.
        let strokes = zinc_core::advice::duck::hits(&part);
        let front = |sound: &Passage| {
            let ms = |ms: usize| ms * RATE as usize / 1000;
            let whole = strokes.iter().filter(|at| **at + ms(5) < sound.frames());
            let lost: Vec<f64> = whole
                .map(|at| gain_to_db(peak(&part.left[*at..at + ms(5)]) / peak(&sound.left[*at..at + ms(5)]).max(1e-9)))
                .collect();
            lost.iter().sum::<f64>() / lost.len() as f64
        };
        let by = |action: &str, attack_ms: f64| {
            let unit = json!({"kind": "compressor", "params": {"action": action, "threshold_db": -24, "ratio": 4, "knee_db": 0,
                "attack_ms": attack_ms, "release_ms": 120}});
            front(&Take::of(&part, &rack(&[unit]), None).sound)
        };
        let (five, fet, ten) = (by("clean", 5.0), by("fet", 300.0), by("clean", 10.0));
        println!(
            "{}: a front loses with clean 5 ms {five:.2}, FET slowest {fet:.2}, clean 10 ms {ten:.2} dB; FET fastest {:.2}",
            played.name,
            by("fet", 0.0)
        );
        assert!(fet < five + 0.5 && fet > ten - 0.9, "{}: {five:.2} {fet:.2} {ten:.2}", played.name);
        judged += strokes.len();
    }
    assert!(judged > 40, "{judged} strokes");
}

/// A part whose hard strokes at some seconds are 4 dB louder as a whole and boom at 180 Hz by so many dB more.
fn with_boom(part: &[f32], at_s: &[f64], boom_db: f64) -> Vec<f32> {
    let mut loud: Vec<f32> = part.iter().map(|x| x * db_to_gain(4.0) as f32).collect();
    shape(&mut loud, &[bell(180.0, boom_db, 1.2)]);
    let share = |n: usize| {
        let since = |at: &f64| n as f64 / f64::from(RATE) - (at - 0.02);
        at_s.iter().map(since).map(|s| (s / 0.01).min((0.45 - s) / 0.1).clamp(0.0, 1.0)).fold(0.0, f64::max)
    };
    part.iter().zip(&loud).enumerate().map(|(n, (x, y))| x + share(n) as f32 * (y - x)).collect()
}

/// Level in dB of a region in the third of a second from a stroke on.
fn region_db(sound: &[f32], [from_hz, to_hz]: [f64; 2], at_s: f64) -> f64 {
    let from = (at_s * f64::from(RATE)) as usize;
    let mut stroke = sound[from..from + RATE as usize / 3].to_vec();
    shape(&mut stroke, &[low_cut(from_hz), high_cut(to_hz)]);
    gain_to_db(body(&stroke))
}

#[test]
fn boom_of_hard_strokes_is_found_in_its_region_though_highs_rise_too_and_is_held_four_ways() {
    const REGION: [f64; 2] = [100.0, 300.0];
    let (mut found, mut others, mut planted) = (0, 0, 0);
    for played in [STEEL, PIANO, TINES] {
        let part = played.by(&collection());
        let chosen: Vec<f64> =
            played.hard_strokes().into_iter().filter(|s| *s > 1.0 && *s < SECONDS - 1.0).step_by(2).collect();
        let listen = |sound: &[f32]| {
            let mut meter = EventMeter::new(f64::from(RATE));
            mono_blocks(sound).for_each(|(block, frames)| meter.push(&block, frames));
            meter.within(REGION)
        };
        let boomy = with_boom(&part, &chosen, 12.0);
        for stroke in &chosen {
            let rise = region_db(&boomy, REGION, *stroke) - region_db(&part, REGION, *stroke);
            // The stroke as a whole is 4 dB louder; the region as much again at least.
            assert!(rise > 8.0, "{}: the stroke at {stroke:.2} s booms by {rise:.1} dB", played.name);
        }
        let events = listen(&boomy);
        let near = |at_s: f64, stroke: &f64| (-0.05..0.5).contains(&(at_s - stroke));
        let there = chosen.iter().filter(|stroke| events.iter().any(|event| near(event.at_s, stroke))).count();
        let elsewhere = events.iter().filter(|event| !chosen.iter().any(|stroke| near(event.at_s, stroke))).count();
        println!(
            "{}: {there} of {} found, {elsewhere} elsewhere; clean: {}",
            played.name,
            chosen.len(),
            listen(&part).len()
        );
        (found, others, planted) = (found + there, others + elsewhere + listen(&part).len(), planted + chosen.len());
        let passage = Passage { left: boomy.clone(), right: boomy, ..Passage::new(f64::from(RATE), 1) };
        let Some(first) = events.first() else { continue };
        for way in Way::ALL {
            let held = way.hold(&passage, first, &events);
            // Three leave all else alone; a static cut pays for it everywhere.
            let spares = held.elsewhere_db <= 0.3;
            assert!(held.down_db > 3.0 && spares == (way != Way::StaticCut), "{}: {held:?}", played.name);
            println!(
                "  {way:?}: down {:.1}, beside {:.1}, elsewhere {:.2} dB",
                held.down_db, held.beside_db, held.elsewhere_db
            );
        }
    }
    assert!(planted >= 9 && found >= planted * 9 / 10 && others <= 2, "{found} of {planted} found, {others} others");
}
