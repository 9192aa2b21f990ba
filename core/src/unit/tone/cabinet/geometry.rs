//! Where the cones are, and how far each ring of them is from a microphone.
//!
//! The Rayleigh integral over the cone in rings: what arrives is the sum of what every part of
//! the surface sends, each by its own way. Parts of one ring move together, as long as the cone moves
//! as one; above that the coil takes only the dome with it ([`super::response`]).

use crate::signal::math::{PI, cos, sin};

/// Metres a second in air at 20 degrees.
pub const SPEED_OF_SOUND: f64 = 343.0;
const INCH_M: f64 = 0.0254;
/// Share of the frame that is cone.
const CONE_SHARE: f64 = 0.84;
/// Depth of a cone against its radius.
const DEPTH: f64 = 0.45;
/// Distance of two cones' axes against their frames.
const SPACED: f64 = 1.06;

/// Rings of a cone, the dome first; and points around half of one (the other half is alike).
pub const RINGS: usize = 10;
const AROUND: usize = 6;

/// The loudspeakers.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Cones {
    pub inches: f64,
    pub count: usize,
    pub open: bool,
    /// Level of a horn above them against theirs; 0 for none.
    pub horn: f64,
}

/// What arrives from a part of a ring.
#[derive(Clone, Copy, Debug)]
pub struct Arrival {
    /// Which cone, that before the microphone first, and which of its rings, the dome first.
    pub cone: usize,
    pub ring: usize,
    pub metres: f64,
    /// Cosine of the angle to the microphone's axis from which it comes.
    pub cosine: f64,
    /// Against the pressure of a whole cone whose every part is as far as its rim.
    pub gain: f64,
}

impl Cones {
    /// Radius of a cone in metres.
    pub fn radius_m(&self) -> f64 {
        0.5 * CONE_SHARE * self.inches * INCH_M
    }

    /// Width of the front in metres.
    pub fn front_m(&self) -> f64 {
        let across = if self.count > 1 { 2.0 } else { 1.0 };
        (0.3 + across * SPACED * self.inches) * INCH_M + 0.1
    }

    /// Axes of the cones against that before which the microphones stand.
    fn axes(&self) -> &'static [[f64; 2]] {
        const ALL: [[f64; 2]; 4] = [[0.0, 0.0], [-1.0, 0.0], [0.0, -1.0], [-1.0, -1.0]];
        &ALL[..self.count.clamp(1, 4)]
    }

    /// Hands all arrivals at a place to `take`: so far in metres from the plane of the rims, and off
    /// the axis by a share of a cone's radius, up and away from the other cones.
    pub fn arrivals(&self, distance_m: f64, offset: f64, mut take: impl FnMut(Arrival)) {
        let (radius, spacing) = (self.radius_m(), SPACED * self.inches * INCH_M);
        let offset = offset * radius;
        let nearest = distance_m.max(0.005);
        for (cone, axis) in self.axes().iter().enumerate() {
            let off_axis = off_axis(offset, *axis, spacing);
            for ring in 0..RINGS {
                let r = radius * (ring as f64 + 0.5) / RINGS as f64;
                // The further in, the deeper.
                let away = nearest + DEPTH * (radius - r);
                let area = (2 * ring + 1) as f64 / (RINGS * RINGS) as f64;
                for n in 0..AROUND {
                    let turn = PI * (n as f64 + 0.5) / AROUND as f64;
                    let (along, across) = (off_axis - r * cos(turn), r * sin(turn));
                    let metres = (away * away + along * along + across * across).sqrt();
                    take(Arrival {
                        cone,
                        ring,
                        metres,
                        cosine: away / metres,
                        gain: area / AROUND as f64 * nearest / metres,
                    });
                }
            }
        }
    }

    /// The squared sine of the angle at which each cone's dome sees the microphone, off its axis.
    pub fn off_axis(&self, distance_m: f64, offset: f64) -> impl Iterator<Item = f64> {
        let (radius, spacing) = (self.radius_m(), SPACED * self.inches * INCH_M);
        let away = distance_m.max(0.005) + DEPTH * radius;
        self.axes().iter().map(move |axis| {
            let across = off_axis(offset * radius, *axis, spacing);
            across * across / (across * across + away * away)
        })
    }
}

/// Metres from a cone's axis to a place `offset` metres off that of the first, up and away from the others.
fn off_axis(offset: f64, axis: [f64; 2], spacing: f64) -> f64 {
    let to = [offset * 0.6 - axis[0] * spacing, offset * 0.8 - axis[1] * spacing];
    (to[0] * to[0] + to[1] * to[1]).sqrt()
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn what_comes_twice_as_far_comes_half_as_loud() {
        let cones = Cones { inches: 12.0, count: 4, open: false, horn: 0.0 };
        let mut all = Vec::new();
        cones.arrivals(0.05, 0.3, |arrival| all.push(arrival));
        // A small source is heard by one over its distance: of one ring of two cones, gain times metres is the same.
        let of = |cone: usize, ring: usize| all.iter().filter(move |a| a.cone == cone && a.ring == ring);
        let mut far = 0;
        for ring in 0..RINGS {
            for (near, other) in of(0, ring).zip(of(3, ring)) {
                far += usize::from(other.metres > 3.0 * near.metres);
                let share = (other.gain * other.metres) / (near.gain * near.metres);
                assert!((share - 1.0).abs() < 1e-12, "ring {ring}: {share}");
            }
        }
        assert!(far > 10, "{far} pairs far apart");
        // At the rims' distance from the middle of the first cone nothing is lost.
        assert!(all.iter().all(|a| a.gain <= 1.0 / AROUND as f64));
    }
}
