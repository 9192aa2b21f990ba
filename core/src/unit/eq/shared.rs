//! Parameters that all equalisers have.

use crate::unit::param::{Domain, Param, Quantity, Taper, number};
use crate::unit::settings::Settings;

/// By how much a curve is applied; below 0 it is turned over.
pub const SCALE: Domain = number(-2.0, 2.0, 1.0, 0.05, Taper::Linear, Quantity::Percent);

/// The same of gains that go both ways.
pub const AMOUNT: Param = Param::new(
    "amount",
    "amount",
    "Scales every gain; below 0 the curve is inverted, for the partner of a doubled part.",
    SCALE,
);

/// Loudness given back.
pub const AUTO_LEVEL: Param = Param::new(
    "auto_level",
    "auto level",
    "Gives back the loudness the curve takes or adds, so that the ear judges tone and not level.",
    Domain::Switch { default: false },
)
.glides()
.listens();

/// Whether its loudness is given back.
pub fn is_levelled(settings: &Settings) -> bool {
    settings.fixed.is_on("auto_level")
}
