//! What a microphone adds: its own curve, the lift of the lows close by, what it loses turned
//! away.

use crate::filter::FirstOrder;
use crate::filter::analog::{self, AnalogSection, Side};
use crate::signal::math::TAU;
use crate::unit::settings::Record;

use super::geometry::SPEED_OF_SOUND;

/// The kinds.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Capsule {
    /// A coil: presence, no more top than a loudspeaker has.
    Dynamic,
    /// A strip between magnets: figure of eight, smooth.
    Ribbon,
    /// A thin film: extended, a lift of air.
    Condenser,
}

/// A microphone and where it stands.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Microphone {
    pub capsule: Capsule,
    /// From the plane of the cone's rim, in metres.
    pub distance_m: f64,
    /// From the cone's axis, as a share of its radius.
    pub offset: f64,
    /// Turned away from the cone, in degrees.
    pub turned_deg: f64,
}

impl Microphone {
    /// By its parameters: type, distance, offset, angle.
    pub fn of(record: &Record, [capsule, distance, offset, turned]: [&str; 4]) -> Self {
        Self {
            capsule: match record.choice(capsule) {
                "ribbon" => Capsule::Ribbon,
                "condenser" => Capsule::Condenser,
                _ => Capsule::Dynamic,
            },
            distance_m: 0.01 * record.number(distance),
            offset: record.number(offset),
            turned_deg: record.number(turned),
        }
    }

    /// Share of it that hears the pressure gradient: half of a cardioid, all of a figure of eight.
    fn gradient(&self) -> f64 {
        if self.capsule == Capsule::Ribbon { 1.0 } else { 0.5 }
    }

    /// What it hears from a direction, against its axis: `(1 - g) + g cos` for a share `g` of gradient (Olson,
    /// *Acoustical Engineering*, ch. 8).
    pub fn hears(&self, cosine: f64) -> f64 {
        1.0 - self.gradient() + self.gradient() * cosine
    }

    /// The lift of lows near by: the gradient of a spherical wave is `1 + c / (s r)` times that
    /// of a flat one (Beranek, *Acoustics*), whose centre is as far as the rim of a cone of this
    /// radius in metres: right before a wide source its waves are flatter than those of a point.
    /// A capsule's own high-pass ends it.
    pub fn proximity(&self, radius_m: f64, rate: f64) -> FirstOrder {
        /// Where the lift ends.
        const ENDS_HZ: f64 = 30.0;
        let r = (self.distance_m * self.distance_m + radius_m * radius_m).sqrt();
        let begins_hz = self.gradient() * SPEED_OF_SOUND / (TAU * r);
        let gain = (begins_hz / ENDS_HZ).max(1.0);
        FirstOrder::low_shelf((begins_hz * ENDS_HZ).sqrt(), gain, rate)
    }

    /// Its curve, and what it loses turned away: the top goes by the path across its face.
    pub fn curve(&self) -> impl Iterator<Item = AnalogSection> {
        let turned = self.turned_deg / 70.0;
        let (own, lost_db) = match self.capsule {
            Capsule::Dynamic => (
                [analog::bell(5200.0, 3.0, 0.9), analog::bell(350.0, -1.5, 0.7), analog::bell(12_000.0, -4.0, 1.2)],
                -9.0,
            ),
            Capsule::Ribbon => {
                ([analog::bell(2600.0, 1.0, 0.8), analog::bell(200.0, 1.5, 0.6), analog::bell(9500.0, -4.4, 0.7)], -6.0)
            }
            Capsule::Condenser => (
                [analog::bell(9500.0, 7.2, 0.9), analog::bell(3000.0, 0.5, 0.7), analog::bell(120.0, -0.5, 0.7)],
                -12.0,
            ),
        };
        let low = analog::cut(Side::Low, if self.capsule == Capsule::Dynamic { 70.0 } else { 25.0 }, 1);
        let away = analog::shelf(Side::High, 4500.0, lost_db * turned * turned, 0.7, 1);
        own.into_iter().chain(low).chain(away)
    }
}
