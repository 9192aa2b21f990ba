//! The acoustic guitar, in stereo.

use super::electric::Strum;
use super::stem::{FLOOR_DB, StemAudio};
use crate::instrument::string::kinds::{STEEL, steel_body};
use crate::instrument::string::squeak;
use crate::player::Hands;
use crate::song::{BARS, at, chord};
use crate::tools::{add, add_noise, bell, high_cut, high_shelf, set_peak, shape, silence};

/// Ring of the guitar's body, in Hz.
pub const ACOUSTIC_RING_HZ: f64 = 452.0;

/// Beat, and how hard.
const STRUMS: [(f64, f64); 7] =
    [(0.0, 0.85), (1.0, 0.55), (1.5, 0.45), (2.0, 0.75), (2.5, 0.4), (3.0, 0.6), (3.5, 0.5)];

/// The strings' force on the bridge.
fn strings() -> Vec<f32> {
    let mut out = silence();
    let mut hands = Hands::new(8, 6.0, 0.3, 3.0);
    for bar in 0..BARS {
        let c = chord(bar);
        let root = c.root_above(40);
        let [_, third, fifth] = c.triad();
        let grip = [root, root + fifth, root + 12, root + 12 + third, root + 12 + fifth, root + 24];
        for (k, (beat, velocity)) in STRUMS.into_iter().enumerate() {
            // The loudest strums are played into the top: boomy.
            let loud = if hands.chance().unit() < 0.18 { 1.45 } else { 1.0 };
            let strum = Strum {
                start_s: at(bar, beat),
                beats: 0.9,
                muted: false,
                velocity: velocity * loud,
                spread_s: 0.004 + 0.008 * hands.chance().unit(),
            };
            // Light strokes catch the high strings, upwards.
            if k % 2 == 0 || velocity > 0.5 {
                strum.play(&mut out, &mut hands, &STEEL, &grip);
            } else {
                let up: Vec<i32> = grip.iter().rev().take(4).copied().collect();
                strum.play(&mut out, &mut hands, &STEEL, &up);
            }
        }
        if hands.chance().unit() < 0.4 {
            squeak(&mut out, at(bar, 3.86), 0.05, hands.chance());
        }
    }
    out
}

pub(super) fn acoustic() -> StemAudio {
    let mut left = strings();
    let mut right = silence();
    add(&mut right, &left, 1.0, 11);
    // The two of a pair stand in different places.
    shape(&mut left, &steel_body(103.0, 203.0, 4800.0));
    shape(&mut right, &steel_body(110.0, 192.0, 3200.0));
    shape(&mut left, &[bell(ACOUSTIC_RING_HZ, 17.0, 34.0), high_shelf(6000.0, 2.0)]);
    shape(&mut right, &[bell(ACOUSTIC_RING_HZ, 16.0, 34.0)]);
    let mut channels = vec![left, right];
    set_peak(&mut channels, -4.5);
    for (i, channel) in channels.iter_mut().enumerate() {
        // Rumble of the room, and the preamplifier.
        add_noise(channel, 80 + i as u64, -58.0, &[high_cut(45.0), high_cut(60.0)]);
        add_noise(channel, 90 + i as u64, FLOOR_DB, &[]);
    }
    StemAudio { channels }
}
