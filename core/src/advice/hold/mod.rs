//! Holding what stands out: units that work on an event, and only there and then.
//!
//! [`bands`] proposes a multiband from the edges of an event; [`ways`] sets it beside a moving band
//! of an EQ, a plain compressor and a static cut with the same aim, each measured.

mod bands;
mod split;
mod ways;

pub use bands::bands;
pub use ways::{Held, Way};
