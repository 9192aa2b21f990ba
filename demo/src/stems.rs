//! The fourteen stems: what each player plays, and the fault planted in it.

use zinc_core::session::Family;
use zinc_core::signal::math::{TAU, sin};

use crate::instrument::drum::{self, kick, plate, shaker, snare};
use crate::instrument::string::{StringKind, pluck};
use crate::instrument::{bowed, organ, tine, voice};
use crate::player::{Chance, Hands, Note};
use crate::song::{BARS, BEAT_S, Part, at, chord, part_of};
use crate::tools::{
    FS, add, add_noise, bell, frame, high_cut, high_shelf, low_cut, low_shelf, set_peak, shape, silence,
};

/// One track of the demo.
#[derive(Clone, Copy)]
pub struct Stem {
    /// Track name.
    pub name: &'static str,
    /// Instrument family.
    pub family: Family,
    /// Plays it.
    pub render: fn() -> StemAudio,
}

/// What a stem sounds like: one channel, or left and right.
pub struct StemAudio {
    /// Samples by channel, all of the song's length.
    pub channels: Vec<Vec<f32>>,
}

/// How a drum is struck: into a channel, when, how hard.
type Stroke<'a> = &'a dyn Fn(&mut [f32], f64, f64, &mut Chance);

/// All stems in session order.
pub const STEMS: [Stem; 14] = [
    Stem { name: "Kick", family: Family::Dr, render: kick_track },
    Stem { name: "Snare", family: Family::Dr, render: snare_track },
    Stem { name: "Overheads", family: Family::Dr, render: overheads },
    Stem { name: "Bass DI", family: Family::Bs, render: bass_di },
    Stem { name: "Bass cabinet", family: Family::Bs, render: bass_cabinet },
    Stem { name: "Rhythm left DI", family: Family::Gt, render: || rhythm(61, 0.0) },
    Stem { name: "Rhythm right DI", family: Family::Gt, render: || rhythm(62, 1.0) },
    Stem { name: "Acoustic", family: Family::Gt, render: acoustic },
    Stem { name: "Lead DI", family: Family::Gt, render: lead },
    Stem { name: "Electric piano", family: Family::Ky, render: electric_piano },
    Stem { name: "Organ", family: Family::Ky, render: organ_track },
    Stem { name: "Cellos", family: Family::Or, render: cellos },
    Stem { name: "Violins", family: Family::Or, render: violins },
    Stem { name: "Voice", family: Family::Vo, render: voice_track },
];

/// Ring of the acoustic guitar's body, in Hz.
pub const ACOUSTIC_RING_HZ: f64 = 452.0;
/// Resonance of the violins' room, in Hz.
pub const VIOLIN_ROOM_HZ: f64 = 1244.5;
/// How much later the bass cabinet's microphone hears, in frames (0.9 ms).
pub const CABINET_LATE_FRAMES: usize = 43;

fn finish(mut channels: Vec<Vec<f32>>, peak_db: f64, seed: u64) -> StemAudio {
    set_peak(&mut channels, peak_db);
    for (i, channel) in channels.iter_mut().enumerate() {
        // The noise floor of a preamplifier.
        add_noise(channel, seed + 1000 * (i as u64 + 1), -82.0, &[]);
    }
    StemAudio { channels }
}

fn note(start_s: f64, beats: f64, midi: i32, velocity: f64) -> Note {
    Note { start_s, length_s: beats * BEAT_S, midi: f64::from(midi), velocity, muted: false }
}

fn drums_play(bar: usize) -> bool {
    !matches!(part_of(bar), Part::Intro | Part::Break)
}

fn kick_track() -> StemAudio {
    let mut out = silence();
    let mut hands = Hands::new(1, 3.0, 0.12, 0.0);
    for bar in (2..BARS).filter(|b| drums_play(*b) || *b >= 2 && *b < 4) {
        let beats: &[f64] = match part_of(bar) {
            Part::Chorus | Part::LastChorus => &[0.0, 1.5, 2.0, 3.5],
            _ => &[0.0, 2.0, 2.75],
        };
        for beat in beats {
            let hit = hands.play(note(at(bar, *beat), 0.2, 0, 0.85));
            // The head is tuned to 58 Hz, right among the bass's fundamentals.
            kick(&mut out, hit.start_s, hit.velocity, 58.0, hands.chance());
        }
    }
    shape(&mut out, &[bell(58.0, 4.0, 1.5)]);
    finish(vec![out], -4.0, 1)
}

fn snare_track() -> StemAudio {
    let mut out = silence();
    let mut hands = Hands::new(2, 4.0, 0.14, 0.0);
    for bar in (0..BARS).filter(|b| drums_play(*b)) {
        for beat in [1.0, 3.0] {
            let hit = hands.play(note(at(bar, beat), 0.2, 0, 0.8));
            snare(&mut out, hit.start_s, hit.velocity, 1.1, hands.chance());
        }
        if bar % 4 == 3 {
            for beat in [2.5, 2.75, 3.25, 3.5, 3.75] {
                let ghost = hands.play(note(at(bar, beat), 0.1, 0, 0.3));
                snare(&mut out, ghost.start_s, ghost.velocity, 1.1, hands.chance());
            }
        }
    }
    shape(&mut out, &[low_cut(60.0)]);
    finish(vec![out], -3.5, 2)
}

fn overheads() -> StemAudio {
    let mut sides = vec![silence(), silence()];
    let mut hands = Hands::new(3, 4.0, 0.25, 0.0);
    let hit = |sides: &mut Vec<Vec<f32>>, place: f64, one: Stroke, hands: &mut Hands, n: Note| {
        let played = hands.play(n);
        let mut chance = hands.chance().clone();
        hands.chance().unit();
        // The same stroke in both microphones, later and softer in the far one.
        one(
            &mut sides[0],
            played.start_s + 0.0006 * place.max(0.0),
            played.velocity * (1.0 - 0.5 * place.max(0.0)),
            &mut chance.clone(),
        );
        one(
            &mut sides[1],
            played.start_s + 0.0006 * (-place).max(0.0),
            played.velocity * (1.0 - 0.5 * (-place).max(0.0)),
            &mut chance,
        );
    };
    for bar in (0..BARS).filter(|b| drums_play(*b)) {
        let loud = matches!(part_of(bar), Part::Chorus | Part::LastChorus);
        for eighth in 0..8 {
            let accent = if eighth % 2 == 0 { 0.5 } else { 0.32 };
            let n = note(at(bar, f64::from(eighth) * 0.5), 0.1, 0, accent);
            let length = if loud { 0.45 } else { 0.12 };
            hit(&mut sides, -0.6, &move |o, t, v, c| plate(o, t, v, length, 3900.0, c), &mut hands, n);
            hit(
                &mut sides,
                0.5,
                &|o, t, v, c| shaker(o, t, v * 0.25, c),
                &mut hands,
                note(at(bar, f64::from(eighth) * 0.5 + 0.25), 0.1, 0, 0.5),
            );
        }
        if bar % 8 == 0 || (loud && bar % 4 == 0) {
            hit(
                &mut sides,
                0.8,
                &|o, t, v, c| plate(o, t, v, 2.8, 1900.0, c),
                &mut hands,
                note(at(bar, 0.0), 1.0, 0, 0.9),
            );
        }
        for beat in [0.0, 2.0] {
            hit(
                &mut sides,
                0.0,
                &|o, t, v, c| kick(o, t, v * 0.18, 58.0, c),
                &mut hands,
                note(at(bar, beat), 0.2, 0, 0.8),
            );
        }
        for beat in [1.0, 3.0] {
            hit(
                &mut sides,
                0.1,
                &|o, t, v, c| snare(o, t, v * 0.3, 0.5, c),
                &mut hands,
                note(at(bar, beat), 0.2, 0, 0.8),
            );
        }
    }
    finish(sides, -6.0, 3)
}

/// The bass performance both bass tracks record.
fn bass_performance() -> Vec<f32> {
    let mut out = silence();
    let mut hands = Hands::new(4, 5.0, 0.55, 2.0);
    for bar in (0..BARS).filter(|b| *b >= 4 || *b == 3) {
        let root = chord(bar).root_above(28);
        let picked = matches!(part_of(bar), Part::Chorus | Part::LastChorus | Part::Lift);
        let kind = StringKind {
            t60_s: 6.0,
            damping: if picked { 0.16 } else { 0.3 },
            pick_at: if picked { 0.11 } else { 0.24 },
            pickup_at: 0.17,
            brightness: if picked { 0.8 } else { 0.3 },
            stiffness: 0.12,
        };
        let pattern: &[(f64, f64, i32, f64)] = if picked {
            &[
                (0.0, 0.48, 0, 0.8),
                (0.5, 0.48, 0, 0.6),
                (1.0, 0.48, 0, 0.7),
                (1.5, 0.48, 0, 0.6),
                (2.0, 0.48, 7, 0.75),
                (2.5, 0.48, 7, 0.55),
                (3.0, 0.48, 12, 0.8),
                (3.5, 0.48, 7, 0.6),
            ]
        } else {
            &[(0.0, 1.4, 0, 0.75), (1.5, 0.45, 7, 0.5), (2.0, 0.9, 12, 0.7), (3.0, 0.9, 7, 0.55)]
        };
        for (beat, length, step, velocity) in pattern {
            // Very uneven: every fifth note or so is thrown.
            let thrown = if hands.chance().unit() < 0.2 { 1.6 } else { 1.0 };
            let n = hands.play(note(at(bar, *beat), *length, root + step, velocity * thrown));
            pluck(&mut out, n, kind, hands.chance());
        }
    }
    out
}

fn bass_di() -> StemAudio {
    let mut out = bass_performance();
    shape(&mut out, &[low_shelf(90.0, 3.0), high_cut(6500.0)]);
    let mut channels = vec![out];
    set_peak(&mut channels, -5.0);
    // A pump somewhere below: 25 Hz with a slow swell.
    for (i, x) in channels[0].iter_mut().enumerate() {
        let t = i as f64 / FS;
        *x += (0.012 * sin(TAU * 25.0 * t) * (1.0 + 0.5 * sin(TAU * 0.11 * t))) as f32;
    }
    add_noise(&mut channels[0], 44, -80.0, &[]);
    StemAudio { channels }
}

fn bass_cabinet() -> StemAudio {
    let mut direct = bass_performance();
    // A closed box with a big cone, the microphone near its edge: nasal.
    shape(
        &mut direct,
        &[low_cut(48.0), bell(95.0, 5.0, 1.2), bell(820.0, 9.0, 1.6), high_cut(3400.0), high_cut(5200.0)],
    );
    let mut out = silence();
    // 43.2 frames is 0.9 ms; the whole part of it, and the other way up.
    add(&mut out, &direct, -1.0, CABINET_LATE_FRAMES);
    finish(vec![out], -6.5, 5)
}

/// One of the two rhythm guitars; `edge` shifts the pickup's colour.
fn rhythm(seed: u64, edge: f64) -> StemAudio {
    let mut out = silence();
    let mut hands = Hands::new(seed, 6.0, 0.15, 3.0);
    let kind = StringKind {
        t60_s: 4.5,
        damping: 0.08,
        pick_at: 0.13,
        pickup_at: 0.15 + 0.03 * edge,
        brightness: 0.85,
        stiffness: 0.04,
    };
    for bar in 4..BARS {
        let root = chord(bar).root_above(40);
        match part_of(bar) {
            Part::Verse => {
                for (beat, muted) in
                    [(0.0, true), (0.5, true), (0.75, true), (1.5, false), (2.5, true), (2.75, true), (3.0, false)]
                {
                    strum(
                        &mut out,
                        &mut hands,
                        bar,
                        beat,
                        if muted { 0.3 } else { 0.45 },
                        &[root, root + 7, root + 12],
                        muted,
                        kind,
                        0.75,
                    );
                }
            }
            Part::Lift => {
                for eighth in 0..8 {
                    strum(
                        &mut out,
                        &mut hands,
                        bar,
                        f64::from(eighth) * 0.5,
                        0.4,
                        &[root, root + 7],
                        true,
                        kind,
                        0.6 + 0.04 * f64::from(eighth),
                    );
                }
            }
            Part::Chorus | Part::LastChorus => {
                for (beat, length) in [(0.0, 1.9), (2.0, 1.4), (3.5, 0.5)] {
                    strum(
                        &mut out,
                        &mut hands,
                        bar,
                        beat,
                        length,
                        &[root, root + 7, root + 12, root + 12 + chord(bar).triad()[1]],
                        false,
                        kind,
                        0.85,
                    );
                }
            }
            _ => {}
        }
    }
    // The palm on the bridge lets 135 Hz build up; both compete around 2.6 kHz.
    shape(&mut out, &[bell(135.0, 7.0, 2.0), bell(2600.0 + 200.0 * edge, 6.0, 1.0), high_cut(7500.0), low_cut(60.0)]);
    finish(vec![out], -5.0, seed)
}

#[allow(clippy::too_many_arguments)] // one stroke has this many sides
fn strum(
    out: &mut [f32],
    hands: &mut Hands,
    bar: usize,
    beat: f64,
    beats: f64,
    strings: &[i32],
    muted: bool,
    kind: StringKind,
    velocity: f64,
) {
    let stroke = hands.play(Note { muted, ..note(at(bar, beat), beats, 0, velocity) });
    let spread = 0.004 + 0.008 * hands.chance().unit();
    for (i, midi) in strings.iter().enumerate() {
        let late = spread * i as f64;
        let n =
            Note { start_s: stroke.start_s + late, midi: f64::from(*midi) + 0.03 * hands.chance().around(), ..stroke };
        pluck(out, n, kind, hands.chance());
    }
}

fn acoustic() -> StemAudio {
    let mut strings = silence();
    let mut hands = Hands::new(8, 6.0, 0.3, 3.0);
    let kind =
        StringKind { t60_s: 4.0, damping: 0.05, pick_at: 0.2, pickup_at: 0.0, brightness: 0.95, stiffness: 0.06 };
    for bar in 0..BARS {
        let c = chord(bar);
        let root = c.root_above(40);
        let [_, third, fifth] = c.triad();
        let shape = [root, root + fifth, root + 12, root + 12 + third, root + 12 + fifth, root + 24];
        let beats: &[(f64, f64)] =
            &[(0.0, 0.85), (1.0, 0.55), (1.5, 0.45), (2.0, 0.75), (2.5, 0.4), (3.0, 0.6), (3.5, 0.5)];
        for (beat, velocity) in beats {
            // The loudest strums are played into the top: boomy.
            let loud = if hands.chance().unit() < 0.18 { 1.45 } else { 1.0 };
            strum(&mut strings, &mut hands, bar, *beat, 0.9, &shape, false, kind, velocity * loud);
        }
    }
    let mut left = strings.clone();
    let mut right = silence();
    add(&mut right, &strings, 1.0, 11);
    shape(
        &mut left,
        &[bell(105.0, 6.0, 1.8), bell(205.0, 4.0, 1.5), bell(ACOUSTIC_RING_HZ, 15.0, 34.0), high_shelf(5000.0, 2.0)],
    );
    shape(
        &mut right,
        &[bell(112.0, 5.0, 1.8), bell(190.0, 4.0, 1.5), bell(ACOUSTIC_RING_HZ, 14.0, 34.0), bell(3200.0, 3.0, 1.0)],
    );
    let mut channels = vec![left, right];
    set_peak(&mut channels, -4.5);
    for (i, channel) in channels.iter_mut().enumerate() {
        add_noise(channel, 80 + i as u64, -52.0, &[high_cut(45.0), high_cut(60.0)]);
        add_noise(channel, 90 + i as u64, -78.0, &[]);
    }
    StemAudio { channels }
}

fn lead() -> StemAudio {
    let mut out = silence();
    let mut hands = Hands::new(9, 7.0, 0.18, 2.0);
    let kind =
        StringKind { t60_s: 5.0, damping: 0.07, pick_at: 0.18, pickup_at: 0.22, brightness: 0.7, stiffness: 0.03 };
    let melody: [(f64, f64, i32); 12] = [
        (0.0, 1.5, 76),
        (1.5, 0.5, 74),
        (2.0, 1.9, 71),
        (4.0, 1.0, 69),
        (5.0, 1.0, 71),
        (6.0, 1.9, 74),
        (8.0, 1.5, 79),
        (9.5, 0.5, 78),
        (10.0, 1.9, 74),
        (12.0, 0.9, 76),
        (13.0, 0.9, 74),
        (14.0, 1.9, 71),
    ];
    for start in [24usize, 28] {
        for (beat, length, midi) in melody {
            let n = hands.play(note(at(start, beat), length, midi, 0.7));
            pluck(&mut out, n, kind, hands.chance());
        }
    }
    shape(&mut out, &[high_cut(1900.0), low_cut(70.0)]);
    finish(vec![out], -7.0, 9)
}

fn electric_piano() -> StemAudio {
    let mut out = silence();
    let mut hands = Hands::new(10, 6.0, 0.25, 0.0);
    for bar in 0..BARS {
        let c = chord(bar);
        let root = c.root_above(52);
        let rhythm: &[(f64, f64)] = match part_of(bar) {
            Part::Intro | Part::Break => &[(0.0, 3.8)],
            Part::Verse => &[(0.0, 1.4), (1.5, 0.9), (2.5, 1.4)],
            _ => &[(0.0, 0.9), (1.0, 0.9), (2.0, 0.9), (3.0, 0.9)],
        };
        for (beat, length) in rhythm {
            for step in [-12, 0, c.triad()[1], 7, 12] {
                tine::strike(&mut out, hands.play(note(at(bar, *beat), *length, root + step, 0.5)));
            }
        }
    }
    shape(&mut out, &[bell(410.0, 7.0, 1.1), low_cut(50.0), high_cut(9000.0)]);
    finish(vec![out], -8.0, 10)
}

fn organ_track() -> StemAudio {
    let mut out = silence();
    let mut hands = Hands::new(11, 8.0, 0.05, 0.0);
    for bar in (12..BARS).filter(|b| part_of(*b) != Part::Break) {
        let c = chord(bar);
        let root = c.root_above(55);
        for step in [0, c.triad()[1], 7, 12] {
            organ::key(&mut out, hands.play(note(at(bar, 0.0), 3.95, root + step, 0.8)), hands.chance());
        }
    }
    shape(&mut out, &[low_cut(45.0)]);
    let mut channels = vec![out];
    set_peak(&mut channels, -9.0);
    // Leakage of the generator and the rotor's fan, there even when nobody plays.
    for (i, x) in channels[0].iter_mut().enumerate() {
        let t = i as f64 / FS;
        *x += (0.0022 * sin(TAU * 61.7 * t) + 0.0014 * sin(TAU * 123.5 * t)) as f32;
    }
    add_noise(&mut channels[0], 110, -66.0, &[bell(240.0, 8.0, 0.8), high_cut(1800.0)]);
    StemAudio { channels }
}

fn cellos() -> StemAudio {
    let mut out = silence();
    let mut hands = Hands::new(12, 15.0, 0.12, 3.0);
    for bar in 0..BARS {
        if part_of(bar) == Part::Verse && bar < 8 {
            continue;
        }
        let root = chord(bar).root_above(36);
        for (beat, length, step) in [(0.0, 1.95, 0), (2.0, 1.95, 7)] {
            bowed::section(&mut out, hands.play(note(at(bar, beat), length, root + step, 0.7)), 5, hands.chance());
        }
    }
    shape(
        &mut out,
        &[bell(110.0, 4.0, 2.0), bell(220.0, 3.0, 2.5), bell(440.0, 2.0, 2.0), high_cut(2800.0), low_cut(40.0)],
    );
    set_peak(std::slice::from_mut(&mut out), -10.0);
    // Two plucks that jump out.
    let kind = StringKind { t60_s: 2.2, damping: 0.2, pick_at: 0.3, pickup_at: 0.0, brightness: 0.5, stiffness: 0.02 };
    for bar in [15usize, 25] {
        let mut plucked = silence();
        pluck(&mut plucked, note(at(bar, 3.0), 0.9, chord(bar).root_above(36), 0.9), kind, hands.chance());
        set_peak(std::slice::from_mut(&mut plucked), -5.0);
        add(&mut out, &plucked, 1.0, 0);
    }
    finish(vec![out], -5.0, 12)
}

fn violins() -> StemAudio {
    let mut sides = vec![silence(), silence()];
    let mut hands = Hands::new(13, 15.0, 0.1, 3.0);
    let line = [79, 78, 74, 76, 79, 83, 81, 78];
    for bar in (0..BARS).filter(|b| matches!(part_of(*b), Part::Chorus | Part::LastChorus | Part::Lift)) {
        let top = line[bar % 8];
        let n = hands.play(note(at(bar, 0.0), 3.95, top, 0.7));
        bowed::section(&mut sides[0], n, 3, hands.chance());
        bowed::section(&mut sides[1], n, 3, hands.chance());
    }
    for side in &mut sides {
        shape(
            side,
            &[
                bell(290.0, 3.0, 3.0),
                bell(460.0, 3.0, 3.0),
                bell(VIOLIN_ROOM_HZ, 11.0, 30.0),
                high_shelf(5200.0, 7.0),
                low_cut(150.0),
            ],
        );
    }
    finish(sides, -7.5, 13)
}

fn voice_track() -> StemAudio {
    let mut out = silence();
    let mut hands = Hands::new(14, 18.0, 0.2, 4.0);
    let verse = [(0.0, 0.9, 64), (1.0, 0.9, 67), (2.0, 1.8, 66)];
    let chorus = [(0.0, 1.8, 71), (2.0, 0.9, 74), (3.0, 0.9, 72)];
    for bar in 4..BARS {
        let phrase: &[(f64, f64, i32)] = match part_of(bar) {
            Part::Verse => &verse,
            Part::Chorus | Part::LastChorus => &chorus,
            Part::Lift => &verse[..2],
            _ => &[],
        };
        for (beat, length, midi) in phrase {
            let n = hands.play(note(at(bar, *beat), *length, *midi, 0.6));
            voice::sing(&mut out, n, hands.chance());
        }
    }
    // In the Verse the singer comes close to the microphone: lows swell.
    let mut close = out.clone();
    shape(&mut close, &[low_shelf(260.0, 9.0)]);
    let (from, to) = (frame(at(4, 0.0)), frame(at(12, 0.0)));
    out[from..to].copy_from_slice(&close[from..to]);
    shape(&mut out, &[low_cut(55.0), high_shelf(9000.0, -3.0)]);
    finish(vec![out], -6.0, 14)
}

/// The snare's planted ring, in Hz.
pub const SNARE_RING_HZ: f64 = drum::RING_HZ;
