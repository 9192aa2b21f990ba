//! Four ways to hold an event, measured by the same figures, so that they can be compared.
//!
//! The multiband has the edges that [`bands`] proposes, a moving band and a plain compressor are driven by the event's
//! region; the threshold of each is as low as leaves every stretch without an event alone. A static cut takes the event
//! down to what is usual and shows what that costs everywhere else.

use crate::rack::UnitSpec;
use crate::unit::proposed::id;
use crate::unit::value::WrittenRow;
use serde::{Deserialize, Serialize};

use super::bands::{ABOUT_S, ATTACK_MS, RATIO, RELEASE_MS, bands};
use super::split::{Split, power};
use crate::measure::events::Event;
use crate::rack::RackSpec;
use crate::rack::proposed::{unit, unit_of_rows};
use crate::signal::decibel::power_to_db;
use crate::trial::{Passage, Take};
use crate::unit::Param;
use crate::unit::dynamics::compressor::KIND as COMPRESSOR;
use crate::unit::dynamics::multiband::KIND as MULTIBAND;
use crate::unit::eq::surgical::KIND as SURGICAL;
use crate::unit::proposed::values;

/// The parameters of a band.
const BAND: &[Param] = SURGICAL.tables.lists[0].params;

/// Seconds about an event that are not held against a way; where events leave no stretch so far apart, fewer.
const APART_S: [f64; 3] = [1.0, 0.3, 0.0];
/// Stretches that are compared elsewhere, in seconds, down to so many dB under the loudest.
const STRETCH_S: f64 = 1.0;
const HEARD_DB: f64 = 40.0;
/// Change in dB that is allowed elsewhere.
const ALLOWED_DB: f64 = 0.25;
/// Halvings of the search for a threshold.
const HALVINGS: u32 = 7;
/// Widest and narrowest bell, however wide or narrow the region.
const Q: [f64; 2] = [0.1, 30.0];
/// Deepest static cut in dB.
const DEEPEST_DB: f64 = 24.0;
/// Ratio of a compressor of the whole.
const WHOLE_RATIO: f64 = 20.0;

/// A way to hold an event.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case")]
pub enum Way {
    /// Its region alone, between steep edges.
    Multiband,
    /// A moving band of an EQ about its region.
    MovingBand,
    /// The whole sound, driven by its region.
    Compressor,
    /// A bell of an EQ about its region, at all times.
    StaticCut,
}

/// What a way does.
#[derive(Clone, Debug, Serialize)]
pub struct Held {
    /// Which.
    pub way: Way,
    /// The unit.
    pub unit: UnitSpec,
    /// dB by which the event's region falls at the event.
    pub down_db: f64,
    /// dB by which everything beside the region falls with it.
    pub beside_db: f64,
    /// Largest change in dB of any second without an event.
    pub elsewhere_db: f64,
}

impl Way {
    /// All of them.
    pub const ALL: [Self; 4] = [Self::Multiband, Self::MovingBand, Self::Compressor, Self::StaticCut];

    /// The unit that holds an event this way, and what it does.
    #[must_use]
    pub fn hold(self, passage: &Passage, event: &Event, all: &[Event]) -> Held {
        let proposed = if self == Self::Multiband { bands(passage, event, all) } else { Vec::new() };
        let unit = self.solved(passage, event, all, &proposed);
        let out = through(passage, &unit);
        let edges = [event.from_hz, event.to_hz];
        let (was, is) = (Split::of(passage, edges), Split::of(&out, edges));
        let fell = |was: &[[f64; 2]], is: &[[f64; 2]]| {
            let [from, to] = [event.from_s - ABOUT_S, event.to_s + ABOUT_S].map(|s| frame(s, passage.rate, was.len()));
            power_to_db(power(&was[from..to])) - power_to_db(power(&is[from..to]))
        };
        Held {
            way: self,
            unit,
            down_db: fell(&was.inside, &is.inside),
            beside_db: fell(&was.beside, &is.beside),
            elsewhere_db: elsewhere_db(passage, &out, all),
        }
    }

    fn unit(self, event: &Event, threshold_db: f64, bands: &[WrittenRow]) -> UnitSpec {
        let centre = (event.from_hz * event.to_hz).sqrt();
        let q = (100.0 * centre / (event.to_hz - event.from_hz)).round() / 100.0;
        let q = q.clamp(Q[0], Q[1]);
        match self {
            Self::Multiband => {
                let mut multiband = unit_of_rows(&MULTIBAND, bands);
                if let Some(held) = multiband.settings.lists[0].first_mut() {
                    held.put_number(id!(MULTIBAND.tables.lists[0].params, "threshold_db"), threshold_db);
                }
                multiband
            }
            Self::MovingBand => {
                let band = values!(BAND, {
                    "shape": "bell", "freq_hz": centre.round(), "gain_db": 0, "q": q,
                    "dynamic.threshold_db": threshold_db, "dynamic.ratio": RATIO, "dynamic.range_db": 24,
                    "dynamic.attack_ms": ATTACK_MS, "dynamic.release_ms": RELEASE_MS,
                });
                unit_of_rows(&SURGICAL, &[band])
            }
            Self::Compressor => {
                let params = values!(COMPRESSOR.tables.params, {
                    "threshold_db": threshold_db, "ratio": WHOLE_RATIO, "knee_db": 0, "attack_ms": ATTACK_MS,
                    "release_ms": RELEASE_MS, "key_low_cut_hz": event.from_hz.clamp(20.0, 2000.0).round(),
                    "key_high_cut_hz": event.to_hz.clamp(200.0, 20_000.0).round(),
                });
                unit(&COMPRESSOR, &params)
            }
            Self::StaticCut => {
                let gain_db = (-10.0 * event.over_db.clamp(0.0, DEEPEST_DB)).round() / 10.0;
                let band = values!(BAND, {"shape": "bell", "freq_hz": centre.round(), "q": q, "gain_db": gain_db});
                unit_of_rows(&SURGICAL, &[band])
            }
        }
    }

    /// With the lowest threshold that leaves everything else alone; what has none is as it is.
    fn solved(self, passage: &Passage, event: &Event, all: &[Event], bands: &[WrittenRow]) -> UnitSpec {
        if self == Self::StaticCut {
            return self.unit(event, 0.0, bands);
        }
        let (mut low, mut high) = (self.lowest_db(), 0.0);
        for _ in 0..HALVINGS {
            let middle = 0.5 * (low + high);
            let out = through(passage, &self.unit(event, middle, bands));
            if elsewhere_db(passage, &out, all) <= ALLOWED_DB { high = middle } else { low = middle }
        }
        self.unit(event, (10.0 * high).ceil() / 10.0, bands)
    }

    /// Lowest threshold of its unit in dBFS.
    fn lowest_db(self) -> f64 {
        if self == Self::Compressor { -60.0 } else { -80.0 }
    }
}

fn frame(seconds: f64, rate: f64, frames: usize) -> usize {
    ((seconds.max(0.0) * rate) as usize).min(frames)
}

fn through(passage: &Passage, unit: &UnitSpec) -> Passage {
    Take::of(passage, &RackSpec { units: vec![unit.clone()] }, None).sound
}

/// Largest change of power of any second that no event is near.
fn elsewhere_db(was: &Passage, is: &Passage, all: &[Event]) -> f64 {
    let size = (STRETCH_S * was.rate) as usize;
    let powers = |of: &Passage| -> Vec<f64> {
        let both = of.left.iter().zip(&of.right).map(|(l, r)| f64::from(l * l + r * r)).collect::<Vec<f64>>();
        both.chunks(size).map(|part| power_to_db(part.iter().sum::<f64>() / part.len() as f64)).collect()
    };
    let (was, is) = (powers(was), powers(is));
    let loudest = was.iter().copied().fold(f64::MIN, f64::max);
    let heard = |at: &usize| was[*at] > loudest - HEARD_DB;
    let apart = |at: usize, by_s: f64| {
        let (from, to) = (at as f64 * STRETCH_S - by_s, (at + 1) as f64 * STRETCH_S + by_s);
        all.iter().all(|event| event.to_s < from || event.from_s > to)
    };
    let stretches = |by_s: f64| (0..was.len()).filter(heard).filter(|at| apart(*at, by_s)).collect::<Vec<usize>>();
    let elsewhere = APART_S.into_iter().map(stretches).find(|found| !found.is_empty()).unwrap_or_default();
    elsewhere.into_iter().fold(0.0, |most: f64, at| most.max((was[at] - is[at]).abs()))
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::signal::math::{TAU, sin};
    use serde_json::json;

    #[test]
    fn an_event_in_a_region_however_narrow_or_wide_gets_units_that_can_be() {
        let tone = |n: usize| (0.1 * sin(TAU * 200.0 * n as f64 / 48_000.0)) as f32;
        let side: Vec<f32> = (0..3 * 48_000).map(tone).collect();
        let passage = Passage { left: side.clone(), right: side, ..Passage::new(48_000.0, 1) };
        for [from_hz, to_hz] in [[200.0, 200.5], [20.0, 20_000.0], [19_000.0, 20_000.0]] {
            let event = Event { from_s: 1.0, to_s: 1.4, from_hz, to_hz, over_db: 40.0, at_s: 1.2 };
            for way in Way::ALL {
                let unit = way.hold(&passage, &event, &[event]).unit;
                let spec = RackSpec::from_json(&json!({"zinc_rack": 1, "units": [unit]}));
                assert!(spec.is_ok(), "{way:?} from {from_hz} to {to_hz} Hz: {:?}", spec.err());
            }
        }
    }
}
