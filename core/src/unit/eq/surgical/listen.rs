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

/// Where what is then heard is at half its power. The edges of a band-pass of quality Q lie at the roots of
/// f^2 -+ f f0 / Q - f0^2 (its definition).
pub fn edges(settings: &Settings, row: usize) -> Option<[Option<f64>; 2]> {
    let alone = to(settings, row)?;
    let band = BandSpec::new(alone.rows().first()?, 1.0);
    Some(match band.shape {
        Shape::LowPass => [None, Some(band.hz)],
        Shape::HighPass => [Some(band.hz), None],
        _ => {
            let half = 0.5 / band.q;
            let wide = (1.0 + half * half).sqrt();
            [Some(band.hz * (wide - half)), Some(band.hz * (wide + half))]
        }
    })
}

#[cfg(test)]
mod tests {
    use super::super::KIND;
    use super::*;
    use crate::signal::decibel::gain_to_db;
    use serde_json::json;

    /// The gains heard at the edges said of each shape are those of half the power in the middle of the region.
    #[test]
    fn the_region_said_of_a_band_is_the_one_that_is_heard() {
        let shapes = ["bell", "notch", "band-pass", "tilt", "low-shelf", "high-shelf", "high-pass", "low-pass"];
        for shape in shapes {
            let band = json!({"shape": shape, "freq_hz": 1000, "q": 1.4, "gain_db": 6, "slope_db_oct": 12});
            let settings = Settings::from_json(&KIND.tables, &json!({"bands": [band]})).unwrap();
            let edges = edges(&settings, 0).unwrap();
            let alone = to(&settings, 0).unwrap();
            let gain = |hz: f64| gain_to_db((KIND.response)(&alone, 48_000.0, &[hz])[0].norm_sqr().sqrt());
            let middle = match edges {
                [Some(low), Some(high)] => (low * high).sqrt(),
                [None, Some(high)] => high / 16.0,
                [Some(low), None] => low * 8.0,
                [None, None] => panic!("a region has an edge"),
            };
            for edge in edges.into_iter().flatten() {
                let down = gain(middle) - gain(edge);
                assert!((down - 3.01).abs() < 0.1, "{shape}: {down} dB down at {edge} Hz");
            }
        }
    }
}
