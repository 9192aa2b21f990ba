//! What units of tone have in common: a level that is held while drive moves.

use crate::unit::param::{Domain, Param};

/// Loudness given back.
pub const HOLD_LEVEL: Param = Param::new(
    "hold_level",
    "match loudness",
    "As loud as it came in, however hard it is driven: the ear judges the sound and not the level.",
    Domain::Switch { default: true },
)
.glides()
.listens();

/// Level of an ordinary part, against full scale.
pub const ORDINARY: f64 = 0.12;

/// Power that an ordinary part keeps when it is driven into a soft bend by this gain and brought
/// back by as much: what a held level expects before it has heard any.
pub fn kept(gain: f64) -> f64 {
    1.0 / (1.0 + gain * gain * ORDINARY * ORDINARY)
}
