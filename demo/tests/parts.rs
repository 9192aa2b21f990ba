//! What is guessed from sound: every demo track, and a stated table of confusions on
//! recordings the prototypes were not made from.
#![allow(missing_docs, clippy::expect_used, clippy::unwrap_used)] // a test may say what must hold by failing

use std::collections::BTreeMap;

use zinc_core::measure::alignment::align;
use zinc_core::session::Part;
use zinc_core::signal::noise::white;
use zinc_demo::variations::{features, played, varied};

/// Variations of each stem; odd seeds, those of the prototypes are even.
const VARIATIONS: u64 = 2;

#[test]
fn every_demo_track_is_known_by_its_sound_and_most_of_its_variations_are() {
    let stems = played();
    for (part, sound) in &stems {
        assert_eq!(features(sound).guess(), *part);
    }
    let mut table: BTreeMap<(&str, &str), u32> = BTreeMap::new();
    let (mut right, mut family, mut all) = (0, 0, 0);
    for (n, (part, sound)) in stems.iter().enumerate() {
        for v in 0..VARIATIONS {
            let guess = features(&varied(sound, 2 * (100 * n as u64 + v) + 1)).guess();
            *table.entry((part.id(), guess.id())).or_default() += 1;
            right += u32::from(guess == *part);
            family += u32::from(guess.family() == part.family());
            all += 1;
        }
    }
    println!("part played -> part guessed, of {all}; right {right}, family right {family}");
    for ((part, guess), count) in &table {
        println!("{part:16} -> {guess:16} {count}");
    }
    assert_eq!(all, 28);
    assert!(right >= 23, "{right} of {all} right");
    assert!(family >= 25, "{family} of {all} of the right family");
}

#[test]
fn noise_and_tones_are_no_instrument() {
    let noise: Vec<f32> = (0..480_000).map(|n| 0.5 * white(n) as f32).collect();
    let tone: Vec<f32> = (0..480_000).map(|n| (n as f32 * 0.9).sin() * 0.5).collect();
    for (name, sound) in [("white noise", noise), ("a steady 6.9 kHz tone", tone), ("silence", vec![0.0; 480_000])] {
        assert_eq!(features(&sound).guess(), Part::Unknown, "{name}");
    }
}

#[test]
fn delay_and_polarity_of_the_two_bass_recordings_are_found() {
    let stems = played();
    let of = |part: Part| &stems.iter().find(|(p, _)| *p == part).expect("the demo has it").1;
    let found = align(of(Part::BassDi), of(Part::BassMic), 48_000.0).expect("they share a performance");
    let late = zinc_demo::stems::CABINET_LATE_FRAMES as f64;
    // The cabinet's own filters delay what they pass by some frames more.
    assert!((late - 0.5..late + 4.0).contains(&found.delay_frames), "{found:?}");
    assert!(found.inverted && found.certainty > 0.3 && found.gain_db > 0.5, "{found:?}");
    let unrelated = align(of(Part::BassDi), of(Part::Voice), 48_000.0).expect("both play");
    assert!(unrelated.certainty < 0.5 * found.certainty, "{unrelated:?}");
}
