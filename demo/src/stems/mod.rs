//! The fourteen stems: what each player plays, and the fault planted in it. One file for
//! each chair of the band.

mod acoustic;
mod bass;
mod drums;
mod electric;
mod keys;
mod orchestra;
mod voice;

use zinc_core::session::Family;

use crate::instrument::drum;
use crate::player::Note;
use crate::song::BEAT_S;
use crate::tools::{add_noise, high_cut, high_shelf, set_peak};

pub use acoustic::ACOUSTIC_RING_HZ;
pub use bass::CABINET_LATE_FRAMES;
pub use orchestra::VIOLIN_ROOM_HZ;

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

/// All stems in session order.
pub const STEMS: [Stem; 14] = [
    Stem { name: "Kick", family: Family::Dr, render: drums::kick_track },
    Stem { name: "Snare", family: Family::Dr, render: drums::snare_track },
    Stem { name: "Overheads", family: Family::Dr, render: drums::overheads },
    Stem { name: "Bass DI", family: Family::Bs, render: bass::direct },
    Stem { name: "Bass cabinet", family: Family::Bs, render: bass::cabinet },
    Stem { name: "Rhythm left DI", family: Family::Gt, render: electric::rhythm_left },
    Stem { name: "Rhythm right DI", family: Family::Gt, render: electric::rhythm_right },
    Stem { name: "Acoustic", family: Family::Gt, render: acoustic::acoustic },
    Stem { name: "Lead DI", family: Family::Gt, render: electric::lead },
    Stem { name: "Electric piano", family: Family::Ky, render: keys::electric_piano },
    Stem { name: "Organ", family: Family::Ky, render: keys::organ },
    Stem { name: "Cellos", family: Family::Or, render: orchestra::cellos },
    Stem { name: "Violins", family: Family::Or, render: orchestra::violins },
    Stem { name: "Voice", family: Family::Vo, render: voice::voice },
];

/// The snare's planted ring, in Hz.
pub const SNARE_RING_HZ: f64 = drum::RING_HZ;

/// Noise of a preamplifier in dBFS.
const FLOOR_DB: f64 = -82.0;

/// Sets the level and adds the noise floor of a preamplifier, a little brighter than white.
fn finish(mut channels: Vec<Vec<f32>>, peak_db: f64, seed: u64) -> StemAudio {
    set_peak(&mut channels, peak_db);
    for (i, channel) in channels.iter_mut().enumerate() {
        add_noise(channel, seed + 1000 * (i as u64 + 1), FLOOR_DB, &[high_shelf(3000.0, 3.0)]);
    }
    StemAudio { channels }
}

/// What a cable and hands add below everything, in dBFS.
fn handling(channel: &mut [f32], seed: u64) {
    add_noise(channel, seed, -79.0, &[high_cut(45.0)]);
}

fn note(start_s: f64, beats: f64, midi: i32, velocity: f64) -> Note {
    Note { start_s, length_s: beats * BEAT_S, midi: f64::from(midi), velocity, muted: false }
}
