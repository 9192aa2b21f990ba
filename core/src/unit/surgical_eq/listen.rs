//! Hearing the region of one band, without boosting it.

use super::design::{BandSpec, Shape};
use crate::unit::catalogue::Heard;
use crate::unit::settings::Settings;

/// Width of a tilt's region: an octave and a half either side of its pivot.
const TILT_Q: f64 = 0.4;

/// Settings under which only the region of band `row` is heard: a bell, notch or band-pass
/// plays its own bandwidth, a shelf its side of the corner, and a cut what it removes.
pub fn to(settings: &Settings, row: usize) -> Option<(Settings, Heard)> {
    let mut band = settings.rows.get(row)?.clone();
    let shape = BandSpec::new(&band, 1.0).shape;
    band.switch("on", true);
    band.switch("dynamic.on", false);
    band.choose("place", "stereo");
    let heard = match shape {
        Shape::HighPass | Shape::LowPass => Heard::Removed,
        Shape::LowShelf => {
            band.choose("shape", "low-pass");
            Heard::Output
        }
        Shape::HighShelf => {
            band.choose("shape", "high-pass");
            Heard::Output
        }
        Shape::Bell | Shape::Notch | Shape::BandPass | Shape::Tilt => {
            band.choose("shape", "band-pass");
            if shape == Shape::Tilt {
                band.put_number("q", TILT_Q);
            }
            Heard::Output
        }
    };
    Some((Settings { fixed: settings.fixed.clone(), rows: vec![band] }, heard))
}
