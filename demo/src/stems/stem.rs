//! A track of the demo, and what all of them share.

use zinc_core::session::Family;

use crate::player::Note;
use crate::song::BEAT_S;
use crate::tools::{add_noise, high_cut, high_shelf, set_peak};

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

/// Noise of a preamplifier in dBFS.
pub(super) const FLOOR_DB: f64 = -82.0;

/// Sets the level and adds the noise floor of a preamplifier, a little brighter than white.
pub(super) fn finish(mut channels: Vec<Vec<f32>>, peak_db: f64, seed: u64) -> StemAudio {
    set_peak(&mut channels, peak_db);
    for (i, channel) in channels.iter_mut().enumerate() {
        add_noise(channel, seed + 1000 * (i as u64 + 1), FLOOR_DB, &[high_shelf(3000.0, 3.0)]);
    }
    StemAudio { channels }
}

/// What a cable and hands add below everything, in dBFS.
pub(super) fn handling(channel: &mut [f32], seed: u64) {
    add_noise(channel, seed, -79.0, &[high_cut(45.0)]);
}

pub(super) fn note(start_s: f64, beats: f64, midi: i32, velocity: f64) -> Note {
    Note { start_s, length_s: beats * BEAT_S, midi: f64::from(midi), velocity, muted: false }
}
