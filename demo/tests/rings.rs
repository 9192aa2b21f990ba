//! Rings on varied material with and without planted ones: how many are found, how many
//! of those reported are real, how far off their frequency is.
#![allow(missing_docs, clippy::expect_used, clippy::unwrap_used)] // a test may say what must hold by failing

use zinc_core::measure::rings::{Ring, RingMeter};
use zinc_core::session::Part;
use zinc_core::signal::{BLOCK, StereoBlock};
use zinc_demo::stems::{ACOUSTIC_RING_HZ, SNARE_RING_HZ};
use zinc_demo::tools::{bell, shape};
use zinc_demo::variations::played;

const RATE: f64 = 48_000.0;
/// Rings planted in each track.
const PLANTED: u64 = 4;

fn rings(sound: &[f32]) -> Vec<Ring> {
    let mut meter = RingMeter::new(RATE);
    for part in sound.chunks(BLOCK) {
        let mut block = StereoBlock::SILENT;
        block.left[..part.len()].copy_from_slice(part);
        block.right[..part.len()].copy_from_slice(part);
        meter.push(&block, part.len());
    }
    meter.finish()
}

/// A number from 0 to 1.
fn chance(seed: &mut u64) -> f64 {
    *seed = seed.wrapping_mul(6_364_136_223_846_793_005).wrapping_add(1_442_695_040_888_963_407);
    (*seed >> 11) as f64 / (1u64 << 53) as f64
}

/// A ring put into a track: Hz, dB, Q.
type Planted = (f64, f64, f64);

/// What came of the rings planted in some tracks.
#[derive(Default)]
struct Score {
    found: usize,
    reported: usize,
    /// Largest error in frequency of those found, as a share.
    worst: f64,
}

impl Score {
    fn add(self, other: Self) -> Self {
        Self {
            found: self.found + other.found,
            reported: self.reported + other.reported,
            worst: self.worst.max(other.worst),
        }
    }
}

/// Plants rings in a track, one at a time, and looks for each.
fn look_in(part: Part, sound: &[f32], planted: &[Planted]) -> Score {
    let clean = rings(sound);
    let mut said = format!("{:16} as played: {}\n", part.id(), words(&clean));
    let mut score = Score::default();
    for (hz, gain, q) in planted {
        let mut rung = sound.to_vec();
        shape(&mut rung, &[bell(*hz, *gain, *q)]);
        // Those of the track itself are no inventions.
        let is_own = |r: &Ring| clean.iter().any(|c| (c.hz / r.hz - 1.0).abs() < 0.015);
        let all: Vec<Ring> = rings(&rung).into_iter().filter(|r| !is_own(r)).collect();
        score.reported += all.len();
        let (near, beside): (Vec<Ring>, Vec<Ring>) = all.into_iter().partition(|r| (r.hz / hz - 1.0).abs() < 0.03);
        match near.first() {
            Some(ring) => {
                score.found += 1;
                score.worst = score.worst.max((ring.hz / hz - 1.0).abs());
            }
            None => said += &format!("    not found: {hz:.0} Hz {gain:.1} dB Q {q:.0}\n"),
        }
        if !beside.is_empty() {
            said += &format!("    invented beside {hz:.0}: {}\n", words(&beside));
        }
    }
    print!("{said}");
    score
}

#[test]
fn planted_rings_are_found_where_they_are() {
    let mut seed = 20_261_125;
    let mut plant = |_| {
        let hz = 200.0 * 20f64.powf(chance(&mut seed));
        (hz, 12.0 + 6.0 * chance(&mut seed), 20.0 + 30.0 * chance(&mut seed))
    };
    let tracks: Vec<_> = played()
        .into_iter()
        .map(|(part, sound)| (part, sound, (0..PLANTED).map(&mut plant).collect::<Vec<Planted>>()))
        .collect();
    // Two tracks at a time, as many as the smallest machine has cores.
    let score = std::thread::scope(|scope| {
        let some = |half: &[(Part, Vec<f32>, Vec<Planted>)]| {
            half.iter().map(|(part, sound, planted)| look_in(*part, sound, planted)).fold(Score::default(), Score::add)
        };
        let halves: Vec<_> =
            tracks.chunks(tracks.len().div_ceil(2)).map(|half| scope.spawn(move || some(half))).collect();
        halves.into_iter().map(|half| half.join().unwrap()).fold(Score::default(), Score::add)
    });
    let (planted, Score { found, reported, worst }) = (tracks.len() * PLANTED as usize, score);
    println!("planted {planted}, found {found}, reported {reported}, frequency at most {:.2} % off", 100.0 * worst);
    assert!(found >= 42, "{found} of {planted} found");
    assert!(10 * found >= 8 * reported, "{found} of {reported} reported are real");
    assert!(worst < 0.015, "{worst}");
}

#[test]
fn the_rings_of_the_demo_are_found_and_none_in_moving_or_held_notes() {
    for (part, sound) in played() {
        let found = rings(&sound);
        let has = |hz: f64| found.iter().any(|r| (r.hz / hz - 1.0).abs() < 0.015 && r.is == "ring");
        match part {
            Part::Snare => assert!(has(SNARE_RING_HZ), "{}", words(&found)),
            Part::AcousticGuitar => assert!(has(ACOUSTIC_RING_HZ), "{}", words(&found)),
            Part::Kick | Part::BassDi | Part::LeadGuitar | Part::ElectricPiano | Part::Organ | Part::Cellos => {
                assert!(found.is_empty(), "{}: {}", part.id(), words(&found));
            }
            _ => {}
        }
    }
}

#[test]
fn hum_is_called_hum_and_noise_does_not_ring() {
    let mut seed = 7;
    let noise: Vec<f32> = (0..960_000).map(|_| (0.2 * (chance(&mut seed) - 0.5)) as f32).collect();
    assert!(rings(&noise).is_empty());
    let hum: Vec<f32> = noise
        .iter()
        .enumerate()
        .map(|(i, x)| x + 0.05 * (std::f64::consts::TAU * 150.0 * i as f64 / RATE).sin() as f32)
        .collect();
    let found = rings(&hum);
    assert_eq!(found.len(), 1, "{}", words(&found));
    assert!(found[0].is == "hum" && (found[0].hz - 150.0).abs() < 0.5 && found[0].suggest["shape"] == "notch");
}

fn words(rings: &[Ring]) -> String {
    rings
        .iter()
        .map(|r| {
            format!("{:.0} Hz {} {:.1} dB {:.0} ms {:.0} %; ", r.hz, r.is, r.prominence_db, r.ring_ms, 100.0 * r.share)
        })
        .collect()
}
