//! From the controls to the curve of each side.
//!
//! **Law of the bells.** With constant Q a bell is [`CONSTANT_Q`] wide at every gain; with
//! proportional Q it is [`WIDEST_Q`] at 0 dB and grows narrower by a factor of ten in
//! [`DECADE_DB`]. In between the geometric mean weighted by the law:
//!
//! ```text
//! Q = CONSTANT_Q^(1 - law) (WIDEST_Q 10^(|gain| / DECADE_DB))^law
//! ```
//!
//! **Sides.** Parts of five per cent: each section's frequency, gain and width stray by a fixed
//! share of what the control allows, one way on the left and the other on the right, so that the
//! middle keeps its curve but for the second order.

use std::f64::consts::FRAC_1_SQRT_2;

use crate::filter::analog::{self, Side};
use crate::filter::equaliser::Sections;
use crate::signal::math::pow;
use crate::unit::eq::shared::AMOUNT;
use crate::unit::settings::{Record, Settings};

/// Sections of a side: high-pass of third order, four bands, low-pass.
pub const SECTIONS: usize = 7;

/// Q of a bell whose width stays.
pub const CONSTANT_Q: f64 = 1.0;
/// Q of a bell that narrows, at 0 dB.
pub const WIDEST_Q: f64 = 0.45;
/// Gain in dB over which it would narrow by a factor of ten.
pub const DECADE_DB: f64 = 24.0;

/// Most by which a frequency and a gain stray, as shares.
const STRAY: f64 = 0.05;
/// How each band strays in frequency, gain and Q, from -1 to 1: drawn once, and kept.
const STRAYS: [[f64; 3]; 4] = [[0.7, -0.9, 0.3], [-0.8, 0.5, -0.6], [0.4, 0.8, 0.9], [-0.5, -0.7, 0.6]];

/// Q of a bell by its gain and its law.
pub fn q(gain_db: f64, law: f64) -> f64 {
    let proportional = WIDEST_Q * pow(10.0, gain_db.abs() / DECADE_DB);
    pow(CONSTANT_Q, 1.0 - law) * pow(proportional, law)
}

/// One band as its controls stand.
struct BellDesign {
    bell: bool,
    hz: f64,
    gain_db: f64,
    q: f64,
}

impl BellDesign {
    fn strayed(self, [hz, gain, q]: [f64; 3], by: f64) -> Self {
        Self {
            hz: self.hz * (1.0 + by * hz),
            gain_db: self.gain_db * (1.0 + by * gain),
            q: self.q * (1.0 + by * q),
            ..self
        }
    }
}

fn hz(record: &Record, id: &str) -> Option<f64> {
    record.choice(id).parse().ok()
}

fn bands(record: &Record) -> [BellDesign; 4] {
    let amount = record.number(AMOUNT.id);
    let band = |[at, gain, law]: [&str; 3], bell: bool| {
        let gain_db = amount * record.number(gain);
        BellDesign { bell, hz: hz(record, at).unwrap_or(1000.0), gain_db, q: q(gain_db, record.number(law)) }
    };
    let is_bell = |id: &str| record.choice(id) == "bell";
    [
        band(["low_hz", "low_db", "low_law"], is_bell("low_shape")),
        band(["low_mid_hz", "low_mid_db", "low_mid_law"], true),
        band(["high_mid_hz", "high_mid_db", "high_mid_law"], true),
        band(["high_hz", "high_db", "high_law"], is_bell("high_shape")),
    ]
}

/// The curve of the left (`side` 0) or the right (1).
pub fn sections(settings: &Settings, side: usize) -> Sections<SECTIONS> {
    let record = &settings.fixed;
    let by = STRAY * record.number("sides") * if side == 0 { 1.0 } else { -1.0 };
    let mut all = [None; SECTIONS];
    if let Some(hz) = hz(record, "high_pass") {
        all.iter_mut().zip(analog::cut(Side::Low, hz, 3)).for_each(|(place, section)| *place = Some(section));
    }
    for (n, (band, stray)) in bands(record).into_iter().zip(STRAYS).enumerate() {
        let BellDesign { bell, hz, gain_db, q } = band.strayed(stray, by);
        let shelf = |side| analog::shelf(side, hz, gain_db, FRAC_1_SQRT_2, 2).next();
        all[2 + n] = match n {
            _ if gain_db == 0.0 => None,
            _ if bell => Some(analog::bell(hz, gain_db, q)),
            0 => shelf(Side::Low),
            _ => shelf(Side::High),
        };
    }
    all[SECTIONS - 1] = hz(record, "low_pass").and_then(|hz| analog::cut(Side::High, hz, 2).next());
    all
}
