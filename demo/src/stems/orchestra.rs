//! Cellos and violins.

use super::stem::{StemAudio, finish, note};
use crate::instrument::bowed::{cello_body, section, violin_body};
use crate::instrument::room::room;
use crate::instrument::string::kinds::PIZZICATO;
use crate::instrument::string::pluck;
use crate::player::Hands;
use crate::song::{BARS, Part, at, chord, part_of};
use crate::tools::{add, add_noise, bell, high_cut, high_shelf, mono, set_peak, shape, silence};

/// Resonance of the violins' room, in Hz.
pub const VIOLIN_ROOM_HZ: f64 = 1085.0;

/// What a quiet room rumbles, in dBFS.
const ROOM_DB: f64 = -75.0;

pub(super) fn cellos() -> StemAudio {
    let mut out = silence();
    let mut hands = Hands::new(12, 15.0, 0.08, 3.0);
    for bar in 0..BARS {
        if part_of(bar) == Part::Verse && bar < 8 {
            continue;
        }
        let root = chord(bar).root_above(36);
        for (beat, length, step) in [(0.0, 1.95, 0), (2.0, 1.95, 7)] {
            section(&mut out, hands.play(note(at(bar, beat), length, root + step, 0.7)), 5, hands.chance());
        }
    }
    shape(&mut out, &cello_body());
    set_peak(std::slice::from_mut(&mut out), -8.0);
    // Two plucks that jump out.
    for bar in [15usize, 25] {
        let mut plucked = silence();
        pluck(&mut plucked, note(at(bar, 3.0), 0.9, chord(bar).root_above(36), 0.9), &PIZZICATO, hands.chance());
        shape(&mut plucked, &cello_body());
        set_peak(std::slice::from_mut(&mut plucked), -8.0);
        add(&mut out, &plucked, 1.0, 0);
    }
    let mut audio = finish(vec![out], -5.0, 12);
    add_noise(&mut audio.channels[0], 120, ROOM_DB, &[high_cut(60.0)]);
    audio
}

/// The firsts' long line and, below it, the seconds'.
const FIRSTS: [i32; 8] = [79, 78, 74, 76, 79, 83, 81, 78];
const SECONDS: [i32; 8] = [64, 62, 62, 59, 64, 67, 66, 59];

pub(super) fn violins() -> StemAudio {
    let mut desks = [silence(), silence()];
    let mut hands = Hands::new(13, 15.0, 0.05, 3.0);
    for bar in (0..BARS).filter(|b| matches!(part_of(*b), Part::Chorus | Part::LastChorus | Part::Lift)) {
        for (desk, line) in desks.iter_mut().zip([FIRSTS, SECONDS]) {
            let n = hands.play(note(at(bar, 0.0), 3.95, line[bar % 8], 0.7));
            section(desk, n, 4, hands.chance());
        }
    }
    // Each microphone stands before one desk and hears the other a little later.
    let mut sides = vec![desks[0].clone(), desks[1].clone()];
    let heard = room(&mono(&desks), 1.1);
    for ((side, other), room) in sides.iter_mut().zip([&desks[1], &desks[0]]).zip(&heard) {
        add(side, other, 0.45, 96);
        add(side, room, 0.5, 400);
        shape(side, &violin_body());
        // The room answers one note, and the microphone is hard on top.
        shape(side, &[bell(VIOLIN_ROOM_HZ, 16.0, 28.0), high_shelf(5200.0, 4.0)]);
    }
    let mut audio = finish(sides, -7.5, 13);
    for (seed, side) in audio.channels.iter_mut().enumerate() {
        add_noise(side, 130 + seed as u64, ROOM_DB, &[high_cut(110.0)]);
    }
    audio
}
