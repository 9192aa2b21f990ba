//! Pulling a curve like a spline ruler: the place in hand moves, its neighbours follow.

use std::f64::consts::LN_2;

use super::curve::{Point, drawn};
use crate::signal::math::{PI, cos, log, pow};

/// Where a curve can be held, in Hz from low to high, for a grid of the table: octaves,
/// thirds and sixths from 1 kHz, semitones from A4.
#[must_use]
pub fn grid(id: &str) -> Vec<f64> {
    let (anchor, steps) = match id {
        "octave" => (1000.0, 1.0),
        "sixth" => (1000.0, 6.0),
        "semitone" => (440.0, 12.0),
        _ => (1000.0, 3.0),
    };
    let hz = |k: i32| anchor * pow(2.0, f64::from(k) / steps);
    (-100..=80).map(hz).filter(|hz| (19.0..=20_500.0).contains(hz)).map(hundredth).collect()
}

/// Where the ruler is taken and how far it is moved.
#[derive(Clone, Copy, Debug, serde::Deserialize)]
pub struct Hold {
    /// Frequency in Hz; the nearest place of the grid is taken.
    pub hz: f64,
    /// Gain in dB to which it is pulled.
    pub gain_db: f64,
    /// Octaves either side over which neighbours follow; 0 for none.
    pub reach: f64,
}

/// The curve after a pull: what lies within reach of the place in hand follows by a raised
/// cosine, held at the grid's places there. Points farther away stay.
#[must_use]
pub fn pull(points: &[Point], contour: f64, grid: &[f64], hold: Hold) -> Vec<Point> {
    let octaves = |a: f64, b: f64| (log(a / b) / LN_2).abs();
    let nearest = |a: &f64, b: &f64| octaves(*a, hold.hz).total_cmp(&octaves(*b, hold.hz));
    let Some(held) = grid.iter().copied().min_by(nearest) else { return points.to_vec() };
    let followed: Vec<f64> =
        grid.iter().copied().filter(|hz| *hz == held || octaves(*hz, held) <= hold.reach).collect();
    let was = drawn(points, contour, &followed);
    let by = hold.gain_db - drawn(points, contour, &[held])[0];
    let mut pulled: Vec<Point> = followed
        .iter()
        .zip(was)
        .map(|(hz, was)| {
            let t = (octaves(*hz, held) / hold.reach.max(1e-3)).min(1.0);
            let gain_db = was + by * (0.5 + 0.5 * cos(PI * t));
            Point { freq_hz: *hz, gain_db: hundredth(gain_db).clamp(-30.0, 30.0) }
        })
        .collect();
    let (low, high) = (pulled[0].freq_hz, pulled[pulled.len() - 1].freq_hz);
    pulled.extend(points.iter().filter(|p| p.freq_hz < low * 0.999 || p.freq_hz > high * 1.001));
    pulled.sort_by(|a, b| a.freq_hz.total_cmp(&b.freq_hz));
    pulled
}

fn hundredth(x: f64) -> f64 {
    (x * 100.0).round() / 100.0
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_third_octave_grid_counts_from_a_kilohertz() {
        let grid = grid("third");
        assert!(grid.contains(&1000.0) && grid.contains(&2000.0) && grid.contains(&500.0));
        assert!(grid.windows(2).all(|w| (w[1] / w[0] - 2f64.powf(1.0 / 3.0)).abs() < 1e-3));
    }

    #[test]
    fn the_place_in_hand_goes_where_it_is_pulled_and_neighbours_follow_by_a_cosine() {
        let pulled = pull(&[], 0.5, &grid("third"), Hold { hz: 990.0, gain_db: -6.0, reach: 1.0 });
        let gain = |hz: f64| pulled.iter().find(|p| (p.freq_hz / hz - 1.0).abs() < 1e-3).map(|p| p.gain_db);
        assert_eq!(gain(1000.0), Some(-6.0));
        // A third of the reach away: (1 + cos 60 degrees) / 2 = 3/4.
        assert_eq!(gain(1259.92), Some(-4.5));
        assert_eq!(gain(2000.0), Some(0.0));
        assert_eq!(gain(2519.84), None);
    }

    #[test]
    fn points_out_of_reach_stay_where_they_were() {
        let far = Point { freq_hz: 8123.0, gain_db: 3.0 };
        let pulled = pull(&[far], 0.5, &grid("octave"), Hold { hz: 125.0, gain_db: 4.0, reach: 0.0 });
        assert_eq!(pulled, vec![Point { freq_hz: 125.0, gain_db: 4.0 }, far]);
    }
}
