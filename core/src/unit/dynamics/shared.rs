//! What units that follow the level have in common: the key's filters, what is seen ahead, and how a
//! release may depend on what came before.

use crate::filter::analog;
use crate::filter::matched::{high_cut, low_cut, matched};
use crate::filter::{Svf, SvfDesign};
use crate::signal::decibel::db_to_gain;
use crate::signal::ramp::GLIDE_S;
use crate::signal::{BLOCK, Frame, Ramp};
use crate::unit::param::{Domain, Param, Quantity, Taper, hertz, number};
use crate::unit::settings::Settings;

/// Longest lookahead in ms.
const MAX_LOOKAHEAD_MS: f64 = 10.0;
/// Positions of the key's filters that leave it alone, in Hz.
const KEY_LOW_CUT_OFF_HZ: f64 = 10.0;
const KEY_HIGH_CUT_OFF_HZ: f64 = 20_000.0;
/// Where the tilt of a key turns, in Hz.
const TILT_HZ: f64 = 700.0;

/// How far ahead it sees.
pub const LOOKAHEAD: Param = Param::new(
    "lookahead_ms",
    "lookahead",
    "Sees peaks coming, at the cost of latency.",
    number(0.0, MAX_LOOKAHEAD_MS, 0.0, 0.1, Taper::Linear, Quantity::Milliseconds),
)
.renews()
.within("timing");

/// Frames by which a lookahead delays.
pub fn lookahead_frames(settings: &Settings, rate: f64) -> usize {
    (settings.fixed.number("lookahead_ms") / 1000.0 * rate).round() as usize
}

/// What is taken from the key below.
pub const KEY_LOW_CUT: Param = Param::new(
    "key_low_cut_hz",
    "key low cut",
    "Keeps lows from driving it. 10 Hz leaves the key alone.",
    hertz(KEY_LOW_CUT_OFF_HZ, 2000.0, KEY_LOW_CUT_OFF_HZ),
)
.within("key");

/// What is taken from the key above.
pub const KEY_HIGH_CUT: Param = Param::new(
    "key_high_cut_hz",
    "key high cut",
    "Keeps the top from driving it. 20 kHz leaves the key alone.",
    hertz(200.0, KEY_HIGH_CUT_OFF_HZ, KEY_HIGH_CUT_OFF_HZ),
)
.within("key");

/// A release that depends on what came before, off in a fresh unit or on.
pub const fn auto_release(default: bool) -> Param {
    Param::new("auto_release", "auto release", "Lets strokes go fast and long work slowly.", Domain::Switch { default })
        .glides()
        .within("timing")
}

/// The filters of a key: low cut, high cut, tilt.
#[derive(Clone)]
pub struct KeyFilters {
    rate: f64,
    filters: [Svf; 3],
}

impl KeyFilters {
    /// At rest, passing.
    pub fn new(rate: f64) -> Self {
        Self { rate, filters: [(); 3].map(|()| Svf::new(SvfDesign::IDENTITY, rate, GLIDE_S)) }
    }

    /// Glides to the settings, and to a tilt in dB about 700 Hz.
    pub fn take(&mut self, settings: &Settings, tilt_db: f64) {
        let p = &settings.fixed;
        let designs = [
            low_cut(p.number("key_low_cut_hz"), KEY_LOW_CUT_OFF_HZ, self.rate),
            high_cut(p.number("key_high_cut_hz"), KEY_HIGH_CUT_OFF_HZ, self.rate),
            (tilt_db != 0.0).then(|| matched(&analog::tilt(TILT_HZ, tilt_db), self.rate)),
        ];
        self.filters.iter_mut().zip(designs).for_each(|(filter, design)| filter.glide_to_or_idle(design));
    }

    /// Its moves end within so many seconds; 0 is at once.
    pub fn arrive(&mut self, within_s: f64) {
        self.filters.iter_mut().for_each(|x| x.arrive(within_s));
    }

    /// Forgets the past.
    pub fn reset(&mut self) {
        self.filters.iter_mut().for_each(Svf::reset);
    }

    /// Filters a block in place.
    pub fn process(&mut self, frames: &mut [Frame; BLOCK]) {
        for filter in self.filters.iter_mut().filter(|filter| !filter.is_idle()) {
            filter.process(frames);
        }
    }
}

/// Factors of a ramp of decibels at each frame.
pub fn gliding(ramp: &mut Ramp) -> [f64; BLOCK] {
    if ramp.at_rest() { [db_to_gain(ramp.value()); BLOCK] } else { [(); BLOCK].map(|()| db_to_gain(ramp.next_value())) }
}
