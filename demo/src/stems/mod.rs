//! The fourteen stems: what each player plays, and the fault planted in it. One file for
//! each chair of the band.

mod acoustic;
mod bass;
mod drums;
mod electric;
mod keys;
mod orchestra;
mod stem;
mod voice;

use zinc_core::session::Family;

use crate::instrument::drum;

pub use acoustic::ACOUSTIC_RING_HZ;
pub use bass::CABINET_LATE_FRAMES;
pub use orchestra::VIOLIN_ROOM_HZ;
pub use stem::{Stem, StemAudio};

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
