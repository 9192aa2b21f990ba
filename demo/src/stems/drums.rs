//! The kit: close microphones on kick and snare, a pair above.

use super::stem::{StemAudio, finish, note};
use crate::instrument::drum::{kick, plate, shaker, snare};
use crate::instrument::room::room;
use crate::player::{Chance, Hands, Note};
use crate::song::{BARS, Part, at, part_of};
use crate::tools::{add, bell, frame, high_cut, low_cut, roll_off, shape, silence};

/// What the kick's head is tuned to: right among the bass's fundamentals.
const KICK_HZ: f64 = 58.0;

fn drums_play(bar: usize) -> bool {
    !matches!(part_of(bar), Part::Intro | Part::Break)
}

fn loud(bar: usize) -> bool {
    matches!(part_of(bar), Part::Chorus | Part::LastChorus)
}

/// When the kick is struck, and how hard.
fn kicks() -> Vec<(f64, f64)> {
    let mut hands = Hands::new(1, 3.0, 0.12, 0.0);
    let mut hits = Vec::new();
    for bar in (2..BARS).filter(|b| drums_play(*b) || *b < 4) {
        let beats: &[f64] = if loud(bar) { &[0.0, 1.5, 2.0, 3.5] } else { &[0.0, 2.0, 2.75] };
        for beat in beats {
            let hit = hands.play(note(at(bar, *beat), 0.2, 0, 0.85));
            hits.push((hit.start_s, hit.velocity));
        }
    }
    hits
}

/// When the snare is struck, and how hard: ghosts before every fifth bar.
fn snares() -> Vec<(f64, f64)> {
    let mut hands = Hands::new(2, 4.0, 0.14, 0.0);
    let mut hits = Vec::new();
    for bar in (0..BARS).filter(|b| drums_play(*b)) {
        let mut hit = |beat: f64, velocity: f64| {
            let hit = hands.play(note(at(bar, beat), 0.2, 0, velocity));
            hits.push((hit.start_s, hit.velocity));
        };
        hit(1.0, 0.8);
        hit(3.0, 0.8);
        if bar % 4 == 3 {
            [2.5, 2.75, 3.25, 3.5, 3.75].into_iter().for_each(|beat| hit(beat, 0.3));
        }
    }
    hits
}

pub(super) fn kick_track() -> StemAudio {
    let (mut out, mut chance) = (silence(), Chance::new(21));
    for (start_s, velocity) in kicks() {
        kick(&mut out, start_s, velocity, KICK_HZ, &mut chance);
    }
    shape(&mut out, &[bell(KICK_HZ, 2.0, 1.2), bell(320.0, -2.0, 0.9), low_cut(22.0)]);
    spill(&mut out, &snares(), 0.02, &|o, t, v, c| snare(o, t, v, 0.3, c));
    finish(vec![out], -4.0, 1)
}

pub(super) fn snare_track() -> StemAudio {
    let (mut out, mut chance) = (silence(), Chance::new(22));
    for (start_s, velocity) in snares() {
        snare(&mut out, start_s, velocity, 1.1, &mut chance);
    }
    shape(&mut out, &[low_cut(115.0), low_cut(95.0), roll_off(11_000.0)]);
    spill(&mut out, &kicks(), 0.016, &|o, t, v, c| kick(o, t, v, KICK_HZ, c));
    finish(vec![out], -3.5, 2)
}

/// How a drum is struck: into a channel, when, how hard.
type Stroke<'a> = &'a dyn Fn(&mut [f32], f64, f64, &mut Chance);

/// Another drum as a close microphone hears it: late, dull, every time the same.
fn spill(out: &mut [f32], hits: &[(f64, f64)], level: f32, stroke: Stroke) {
    let mut one = stroke_alone(1.0, stroke, &mut Chance::new(211));
    shape(&mut one, &[high_cut(2500.0)]);
    for (start_s, velocity) in hits {
        add(out, &one, level * *velocity as f32, frame(start_s + 0.0013));
    }
}

/// One stroke from its start until nothing is left.
fn stroke_alone(velocity: f64, stroke: Stroke, chance: &mut Chance) -> Vec<f32> {
    let mut one = vec![0.0; frame(3.4)];
    stroke(&mut one, 0.0, velocity, chance);
    let end = one.iter().rposition(|x| *x != 0.0).map_or(0, |at| at + 1);
    one.truncate(end);
    one
}

/// A pair of microphones, and the sum that the room hears.
struct Pair {
    sides: [Vec<f32>; 2],
    floor: Vec<f32>,
    hands: Hands,
}

impl Pair {
    /// One stroke at `place` (-1 left, 1 right): later and softer in the far microphone.
    fn hit(&mut self, place: f64, stroke: Stroke, played: Note) {
        let one = stroke_alone(played.velocity, stroke, self.hands.chance());
        for (side, far) in self.sides.iter_mut().zip([place.max(0.0), (-place).max(0.0)]) {
            add(side, &one, (1.0 - 0.5 * far) as f32, frame(played.start_s + 0.0006 * far + 0.0022));
        }
        add(&mut self.floor, &one, 0.5, frame(played.start_s));
    }

    fn play(&mut self, place: f64, stroke: Stroke, n: Note) {
        let played = self.hands.play(n);
        self.hit(place, stroke, played);
    }
}

pub(super) fn overheads() -> StemAudio {
    let mut pair = Pair { sides: [silence(), silence()], floor: silence(), hands: Hands::new(3, 4.0, 0.25, 0.0) };
    let struck = |(start_s, velocity): (f64, f64)| Note { start_s, ..note(0.0, 0.2, 0, velocity) };
    for hit in kicks() {
        pair.hit(0.0, &|o, t, v, c| kick(o, t, v * 0.18, KICK_HZ, c), struck(hit));
    }
    for hit in snares() {
        pair.hit(0.1, &|o, t, v, c| snare(o, t, v * 0.34, 0.35, c), struck(hit));
    }
    for bar in (0..BARS).filter(|b| drums_play(*b)) {
        cymbals(&mut pair, bar);
    }
    let Pair { sides: [mut left, mut right], floor, .. } = pair;
    let [far_left, far_right] = room(&floor, 0.55);
    add(&mut left, &far_left, 0.8, 0);
    add(&mut right, &far_right, 0.8, 0);
    for side in [&mut left, &mut right] {
        shape(side, &[low_cut(24.0), bell(750.0, 4.0, 0.5)]);
    }
    finish(vec![left, right], -6.0, 3)
}

/// Hats on the left, a shaker on the right, a crash to open a part.
fn cymbals(pair: &mut Pair, bar: usize) {
    let loud = loud(bar);
    for eighth in 0..8 {
        let beat = f64::from(eighth) * 0.5;
        let accent = if eighth % 2 == 0 { 0.32 } else { 0.2 };
        let length = if loud { 0.45 } else { 0.12 };
        pair.play(-0.6, &move |o, t, v, c| plate(o, t, v, length, 3100.0, c), note(at(bar, beat), 0.1, 0, accent));
        pair.play(0.5, &|o, t, v, c| shaker(o, t, v * 0.12, c), note(at(bar, beat + 0.25), 0.1, 0, 0.5));
    }
    let opens = part_of(bar) != part_of(bar.saturating_sub(1)) || (loud && bar.is_multiple_of(4));
    if opens {
        pair.play(0.8, &|o, t, v, c| plate(o, t, v, 2.8, 480.0, c), note(at(bar, 0.0), 1.0, 0, 0.75));
    }
}
