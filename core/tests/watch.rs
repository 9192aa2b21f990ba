//! What to watch for: five made-up cases of each fault that must be said, five near misses that
//! must not.
#![allow(missing_docs, clippy::expect_used, clippy::unwrap_used)] // a test may say what must hold by failing

use serde_json::{Value, json};
use zinc_core::advice::watch::{Fault, Found, faults};
use zinc_core::rack::RackSpec;
use zinc_core::signal::noise::white;
use zinc_core::trial::{Passage, Take};

const RATE: f64 = 48_000.0;
const SECONDS: f64 = 10.0;

/// A figure in dB that nobody fails to hear.
const GRAVE_DB: f64 = 5.0;

fn tau(x: f64) -> f64 {
    (std::f64::consts::TAU * x).sin()
}

/// Noise by its number, as if drawn anew for each seed.
fn noise(n: usize, seed: usize) -> f64 {
    white(n + 10_000_019 * seed)
}

fn passage(sound: impl Fn(usize, f64) -> f64) -> Passage {
    let mut passage = Passage::new(RATE, 1);
    for n in 0..(SECONDS * RATE) as usize {
        let x = sound(n, n as f64 / RATE) as f32;
        passage.left.push(x);
        passage.right.push(x);
    }
    passage
}

/// Seconds since the last beat of `every` seconds, and its number.
fn beat(t: f64, every: f64) -> (f64, usize) {
    ((t / every).fract() * every, (t / every) as usize)
}

/// A drum: a stroke that dies away in some milliseconds over a body.
fn drum(t: f64, hz: f64, stroke: f64, body: f64) -> f64 {
    0.8 * (-t / 0.003).exp() * tau(2400.0 * t) * stroke + body * (-t / 0.15).exp() * tau(hz * t)
}

/// A plucked string with overtones.
fn pluck(t: f64, hz: f64, decay_s: f64) -> f64 {
    (1..9)
        .map(|k| f64::from(k).powi(-1) * (-t * f64::from(k) / decay_s).exp() * tau(hz * f64::from(k) * t))
        .sum::<f64>()
        * 0.3
}

/// A distorted chord that stands.
fn wall(t: f64, hz: f64) -> f64 {
    let chord: f64 = [1.0, 1.5, 2.0, 3.01].iter().map(|k| tau(hz * k * t)).sum();
    (6.0 * chord).tanh() * 0.4
}

fn rack(params: &Value) -> RackSpec {
    let file = json!({"zinc_rack": 1, "units": [{"kind": "compressor", "params": params}]});
    RackSpec::from_json(&file).expect("a valid rack")
}

fn said(passage: &Passage, params: Value) -> Vec<Fault> {
    faults(passage, &rack(&params))
}

/// The fault is still said of the unit that shows it, and it is graver: its figure in dB has grown, by a
/// fifth where nobody failed to hear it already, or what is taken away while it lasts.
fn is_worse(passage: &Passage, params: &Value, found: &Found) {
    if found.worse.is_empty() {
        assert_eq!(found.code, "nothing-to-do", "there is something to hear of it");
        return;
    }
    let mut shown = params.clone();
    found.worse.iter().for_each(|(param, value)| shown[*param] = json!(value));
    let again = said(passage, shown.clone());
    let graver = again.iter().find(|f| f.found.code == found.code);
    let graver = graver.unwrap_or_else(|| panic!("shown with {shown}, {} is not said any more: {again:?}", found.code));
    let taken = |params: &Value| Take::of(passage, &rack(params), None).figures(passage).reduction_mean_db;
    let (was, is) = (found.figure, graver.found.figure);
    if found.measured_in == "dB" {
        assert!(is > if was < GRAVE_DB { 1.2 * was } else { 0.75 * was }, "{}: {was:.1} dB, shown {is:.1}", found.code);
    } else {
        let [was_taken, is_taken] = [taken(params), taken(&shown)];
        assert!(
            is > 0.95 * was && is_taken > was_taken + 3.0,
            "{}: {was_taken:.1} dB, shown {is_taken:.1}",
            found.code
        );
    }
}

/// Whether each of five cases raises a fault, and each of five near misses does not.
fn judge(code: &str, cases: [(Passage, Value); 5], misses: [(Passage, Value); 5]) {
    for (i, (passage, params)) in cases.into_iter().enumerate() {
        let said = said(&passage, params.clone());
        let fault = said.iter().find(|f| f.found.code == code);
        let fault = fault.unwrap_or_else(|| panic!("case {i} of {code} is not said; said: {said:?}"));
        assert!(fault.found.figure.is_finite() && (0.0..SECONDS).contains(&fault.found.at_s), "{fault:?}");
        is_worse(&passage, &params, &fault.found);
    }
    for (i, (passage, params)) in misses.into_iter().enumerate() {
        let said = said(&passage, params);
        assert!(said.iter().all(|f| f.found.code != code), "near miss {i} of {code}: {said:?}");
    }
}

#[test]
fn choking_is_said_of_strokes_taken_away_and_not_of_strokes_kept() {
    let kit = |every: f64, hz: f64| {
        passage(move |n, t| {
            let (s, k) = beat(t, every);
            drum(s, hz * (1.0 + 0.03 * (k % 3) as f64), 1.0, 0.25) + 0.0003 * noise(n, 1)
        })
    };
    let strings = |every: f64, hz: f64| {
        passage(move |_, t| {
            let (s, k) = beat(t, every);
            pluck(s, hz * (1.0 + 0.122 * (k % 4) as f64), 0.5)
        })
    };
    let deep =
        |attack: f64| json!({"threshold_db": -32, "ratio": 10, "knee_db": 0, "attack_ms": attack, "release_ms": 80});
    judge(
        "choking",
        [
            (kit(0.5, 180.0), deep(0.0)),
            (kit(0.4, 220.0), deep(0.05)),
            (kit(0.3, 150.0), deep(0.02)),
            (kit(0.6, 200.0), json!({"threshold_db": -26, "ratio": 20, "attack_ms": 0, "release_ms": 150})),
            (
                kit(0.25, 300.0),
                json!({"action": "fet", "threshold_db": -32, "ratio": 12, "attack_ms": 0.02, "release_ms": 30}),
            ),
        ],
        [
            (kit(0.5, 180.0), deep(20.0)),
            (kit(0.4, 220.0), json!({"threshold_db": -8, "ratio": 3, "attack_ms": 0})),
            (strings(0.5, 110.0), json!({"threshold_db": -24, "ratio": 2, "attack_ms": 1})),
            (passage(|_, t| wall(t, 110.0)), deep(0.0)),
            (kit(0.3, 150.0), json!({"threshold_db": -30, "ratio": 1.5, "attack_ms": 0})),
        ],
    );
}

#[test]
fn pops_are_said_of_slow_attacks_on_dense_sound_and_not_of_strokes_that_were_there() {
    let riff = |every: f64, hz: f64| {
        passage(move |_, t| {
            let (s, k) = beat(t, every);
            if s < 0.75 * every { wall(t, hz * [1.0, 1.19, 0.89][k % 3]) * (s / 0.004).min(1.0) } else { 0.0 }
        })
    };
    let slow =
        |attack: f64| json!({"threshold_db": -28, "ratio": 8, "knee_db": 0, "attack_ms": attack, "release_ms": 60});
    let strings = passage(|_, t| {
        let (s, k) = beat(t, 0.5);
        pluck(s, 110.0 + 10.0 * (k % 4) as f64, 0.4)
    });
    let kit = passage(|_, t| {
        let (s, _) = beat(t, 0.5);
        drum(s, 190.0, 1.0, 0.3)
    });
    judge(
        "pops",
        [
            (riff(0.8, 82.0), slow(20.0)),
            (riff(0.6, 110.0), slow(30.0)),
            (riff(1.0, 98.0), slow(15.0)),
            (riff(0.7, 73.0), json!({"threshold_db": -24, "ratio": 10, "attack_ms": 25, "release_ms": 40})),
            (riff(0.9, 123.0), slow(12.0)),
        ],
        [
            (riff(0.8, 82.0), slow(1.0)),
            (strings, slow(20.0)),
            (kit, slow(20.0)),
            (riff(0.6, 110.0), json!({"threshold_db": -12, "ratio": 1.5, "attack_ms": 20})),
            (passage(|_, t| wall(t, 82.0)), slow(20.0)),
        ],
    );
}

#[test]
fn highs_pulled_down_by_lows_are_said_and_not_where_all_move_together() {
    // A kick under a shimmer that stands.
    let mix = |every: f64, kick: f64, shimmer: f64| {
        passage(move |n, t| {
            let (s, _) = beat(t, every);
            kick * (-s / 0.09).exp() * tau(60.0 * s) + shimmer * (noise(n, 3) - noise(n + 1, 3)) * 0.5
        })
    };
    let fast = |threshold: f64| json!({"threshold_db": threshold, "ratio": 6, "attack_ms": 2, "release_ms": 90});
    let cut = json!({"threshold_db": -20, "ratio": 6, "attack_ms": 2, "release_ms": 90, "key_low_cut_hz": 200});
    judge(
        "highs-pulled-down",
        [
            (mix(0.5, 0.8, 0.08), fast(-20.0)),
            (mix(0.4, 0.7, 0.06), fast(-18.0)),
            (mix(0.6, 0.9, 0.1), fast(-16.0)),
            (mix(0.45, 0.8, 0.05), fast(-22.0)),
            (mix(0.55, 0.6, 0.07), fast(-20.0)),
        ],
        [
            (mix(0.5, 0.8, 0.08), cut),
            (mix(0.5, 0.8, 0.08), fast(-1.0)),
            (mix(0.5, 0.8, 0.0005), fast(-20.0)),
            (
                passage(|_, t| {
                    let (s, _) = beat(t, 0.5);
                    pluck(s, 220.0, 0.4)
                }),
                fast(-20.0),
            ),
            (
                passage(|n, t| {
                    let (s, _) = beat(t, 0.4);
                    (-s / 0.06).exp() * 0.6 * noise(n, 9)
                }),
                fast(-20.0),
            ),
        ],
    );
}

#[test]
fn reduction_by_rumble_is_said_and_not_reduction_by_a_bass() {
    let voice = |rumble: f64, hz: f64| {
        passage(move |_, t| {
            let (s, k) = beat(t, 0.6);
            pluck(s, 196.0 + 20.0 * (k % 3) as f64, 0.5) * 0.4 + rumble * tau(hz * t) * (0.6 + 0.4 * tau(0.31 * t))
        })
    };
    let plain = |threshold: f64| json!({"threshold_db": threshold, "ratio": 4, "attack_ms": 10, "release_ms": 150});
    let bass = |hz: f64| {
        passage(move |_, t| {
            let (s, k) = beat(t, 0.5);
            pluck(s, hz * [1.0, 1.33, 1.5][k % 3], 0.7)
        })
    };
    judge(
        "rumble",
        [
            (voice(0.4, 22.0), plain(-24.0)),
            (voice(0.5, 31.0), plain(-22.0)),
            (voice(0.35, 18.0), plain(-26.0)),
            (voice(0.5, 40.0), plain(-20.0)),
            (voice(0.6, 27.0), plain(-24.0)),
        ],
        [
            (voice(0.004, 22.0), plain(-24.0)),
            (voice(0.4, 22.0), json!({"threshold_db": -24, "ratio": 4, "key_low_cut_hz": 100})),
            (bass(82.0), plain(-24.0)),
            (bass(98.0), plain(-20.0)),
            (voice(0.02, 30.0), plain(-24.0)),
        ],
    );
}

#[test]
fn pumping_is_said_where_what_sounds_on_moves_with_the_beat() {
    // Strokes over a pad that goes on.
    let song = |every: f64, pad: f64| {
        passage(move |n, t| {
            let (s, _) = beat(t, every);
            0.8 * (-s / 0.05).exp() * tau(70.0 * s)
                + pad * (tau(330.0 * t) + tau(415.0 * t) + tau(494.0 * t)) / 3.0
                + 0.001 * noise(n, 2)
        })
    };
    let fast = |threshold: f64, release: f64| json!({"threshold_db": threshold, "ratio": 8, "attack_ms": 1, "release_ms": release});
    judge(
        "pumping",
        [
            (song(0.5, 0.2), fast(-20.0, 120.0)),
            (song(0.4, 0.25), fast(-18.0, 90.0)),
            (song(0.6, 0.2), fast(-22.0, 150.0)),
            (song(0.75, 0.25), fast(-20.0, 180.0)),
            (song(0.35, 0.3), fast(-18.0, 80.0)),
        ],
        [
            (song(0.5, 0.2), fast(-20.0, 3000.0)),
            (song(0.5, 0.2), fast(-3.0, 120.0)),
            (
                passage(|_, t| {
                    let (s, _) = beat(t, 0.5);
                    drum(s, 180.0, 1.0, 0.4)
                }),
                fast(-20.0, 120.0),
            ),
            (passage(|_, t| wall(t, 98.0)), fast(-20.0, 120.0)),
            (
                passage(|_, t| {
                    let (s, k) = beat(t, 0.5);
                    pluck(s, 147.0 + 15.0 * (k % 3) as f64, 0.5)
                }),
                json!({"threshold_db": -14, "ratio": 2, "attack_ms": 10, "release_ms": 120}),
            ),
        ],
    );
}

#[test]
fn soft_notes_ducked_after_loud_ones_are_said() {
    // Loud, then soft, by turns.
    let melody = |every: f64, soft: f64, hz: f64| {
        passage(move |_, t| {
            let (s, k) = beat(t, every);
            pluck(s, hz * (1.0 + 0.12 * (k % 5) as f64), 0.09) * if k % 2 == 0 { 2.0 } else { 2.0 * soft }
        })
    };
    let with = |release: f64, threshold: f64| json!({"threshold_db": threshold, "ratio": 6, "knee_db": 0, "attack_ms": 2, "release_ms": release});
    judge(
        "ducked-after",
        [
            (melody(0.4, 0.15, 220.0), with(1500.0, -16.0)),
            (melody(0.5, 0.12, 165.0), with(2500.0, -16.0)),
            (melody(0.35, 0.2, 294.0), with(1200.0, -14.0)),
            (melody(0.45, 0.1, 196.0), with(2000.0, -18.0)),
            (melody(0.6, 0.15, 130.0), with(3500.0, -15.0)),
        ],
        [
            (melody(0.4, 0.15, 220.0), with(40.0, -16.0)),
            (melody(0.4, 0.9, 220.0), with(1500.0, -16.0)),
            (melody(0.4, 0.15, 220.0), with(1500.0, -2.0)),
            (melody(0.5, 0.15, 196.0), json!({"threshold_db": -16, "ratio": 1.3, "attack_ms": 2, "release_ms": 1500})),
            (melody(0.5, 0.7, 165.0), with(800.0, -16.0)),
        ],
    );
}

#[test]
fn a_unit_that_always_works_on_a_dynamic_part_is_said() {
    // Swells like a bowed part, its soft moments far below its loud ones.
    let swell = |deep_db: f64, every: f64, hz: f64| {
        passage(move |_, t| {
            let level = -12.0 - 0.5 * deep_db * (1.0 - (std::f64::consts::TAU * t / every).cos());
            10f64.powf(level / 20.0) * (tau(hz * t) + 0.5 * tau(2.0 * hz * t) + 0.3 * tau(3.0 * hz * t))
        })
    };
    let with = |threshold: f64| json!({"threshold_db": threshold, "ratio": 3, "attack_ms": 10, "release_ms": 200});
    judge(
        "always-working",
        [
            (swell(18.0, 5.0, 196.0), with(-45.0)),
            (swell(20.0, 4.0, 294.0), with(-50.0)),
            (swell(18.0, 6.0, 147.0), with(-48.0)),
            (swell(24.0, 4.5, 220.0), with(-55.0)),
            (swell(17.0, 5.5, 330.0), with(-42.0)),
        ],
        [
            (swell(18.0, 3.0, 196.0), with(-18.0)),
            (swell(4.0, 3.0, 196.0), with(-45.0)),
            (swell(20.0, 2.0, 294.0), with(-22.0)),
            (swell(18.0, 3.0, 220.0), json!({"threshold_db": -45, "ratio": 1.02})),
            (passage(|_, t| wall(t, 110.0)), with(-40.0)),
        ],
    );
}

#[test]
fn nothing_to_compress_is_said_of_even_parts_and_of_thresholds_never_reached() {
    let strings = |hz: f64| {
        passage(move |_, t| {
            let (s, k) = beat(t, 0.5);
            pluck(s, hz * (1.0 + 0.1 * (k % 4) as f64), 0.3)
        })
    };
    let with = |threshold: f64| json!({"threshold_db": threshold, "ratio": 4, "attack_ms": 5, "release_ms": 100});
    judge(
        "nothing-to-do",
        [
            (passage(|_, t| wall(t, 82.0)), with(-20.0)),
            (passage(|_, t| wall(t, 110.0)), with(-18.0)),
            (passage(|_, t| 0.3 * (tau(220.0 * t) + tau(277.0 * t))), with(-24.0)),
            (strings(110.0), with(0.0)),
            (passage(|n, _| 0.2 * noise(n, 5)), with(-24.0)),
        ],
        [
            (strings(110.0), with(-24.0)),
            (strings(220.0), with(-18.0)),
            (
                passage(|_, t| {
                    let (s, _) = beat(t, 0.4);
                    drum(s, 190.0, 1.0, 0.3)
                }),
                with(-20.0),
            ),
            (strings(147.0), json!({"threshold_db": 0, "ratio": 1})),
            (
                passage(|_, t| {
                    let (s, _) = beat(t, 1.0);
                    wall(t, 98.0) * if s < 0.5 { 1.0 } else { 0.3 }
                }),
                with(-20.0),
            ),
        ],
    );
}

#[test]
fn compressed_but_quieter_is_said_where_the_body_falls_and_the_peaks_stay() {
    let kit = |every: f64, body: f64| {
        passage(move |_, t| {
            let (s, _) = beat(t, every);
            drum(s, 180.0, 1.0, body)
        })
    };
    let slow =
        |makeup: f64| json!({"threshold_db": -30, "ratio": 6, "attack_ms": 30, "release_ms": 300, "makeup_db": makeup});
    judge(
        "quieter",
        [
            (kit(0.5, 0.5), slow(0.0)),
            (kit(0.4, 0.45), slow(0.0)),
            (kit(0.3, 0.4), slow(0.0)),
            (kit(0.6, 0.6), slow(0.0)),
            (kit(0.5, 0.4), json!({"threshold_db": -28, "ratio": 10, "attack_ms": 40, "release_ms": 400})),
        ],
        [
            (kit(0.5, 0.5), slow(17.0)),
            (kit(0.5, 0.4), json!({"threshold_db": -14, "ratio": 4, "attack_ms": 0, "release_ms": 60})),
            (kit(0.5, 0.5), json!({"threshold_db": -3, "ratio": 2, "attack_ms": 30})),
            (
                passage(|_, t| {
                    let (s, k) = beat(t, 0.5);
                    pluck(s, 110.0 + 9.0 * (k % 3) as f64, 0.5)
                }),
                json!({"threshold_db": -20, "ratio": 2, "attack_ms": 0, "release_ms": 100}),
            ),
            (passage(|_, t| wall(t, 82.0)), json!({"threshold_db": -12, "ratio": 2, "attack_ms": 1})),
        ],
    );
}
