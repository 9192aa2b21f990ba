//! Hearing the region of one band, without boosting it.

use super::design::{BandSpec, Shape};
use crate::unit::settings::Settings;

/// Width of a tilt's region: an octave and a half either side of its pivot.
const TILT_Q: f64 = 0.4;

/// Settings under which only the region of band `row` is heard: a bell, notch or band-pass
/// plays its own bandwidth, a shelf its side of the corner, and a cut what it removes: the
/// cut of the same slope the other way, whose power and its own add up to the whole. (Input
/// less output was refused: the phase of a steep cut leaves much there that it lets through.)
pub fn to(settings: &Settings, row: usize) -> Option<Settings> {
    let mut band = settings.rows().get(row)?.clone();
    let shape = BandSpec::new(&band, 1.0).shape;
    band.switch("on", true);
    band.switch("dynamic.on", false);
    band.choose("place", "stereo");
    let region = match shape {
        Shape::HighPass | Shape::LowShelf => "low-pass",
        Shape::LowPass | Shape::HighShelf => "high-pass",
        Shape::Bell | Shape::Notch | Shape::BandPass | Shape::Tilt => "band-pass",
    };
    band.choose("shape", region);
    if shape == Shape::Tilt {
        band.put_number("q", TILT_Q);
    }
    // What is heard is the region as loud as it is: auto level would lift it by what the cut
    // of everything else takes away.
    let mut fixed = settings.fixed.clone();
    fixed.switch("auto_level", false);
    Some(Settings { fixed, lists: vec![vec![band]], tempo_bpm: settings.tempo_bpm })
}
