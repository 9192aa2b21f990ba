//! Where two parts are in each other's way.

use super::third_octave::{BANDS, centre_hz};

/// A band this far under a part's loudest one matters to it; further down it does not.
const MATTERS_DB: f64 = 18.0;

/// How much two parts collide in each third octave, 0 (not) to 1 (the loudest band of
/// both): where both have a band that matters, the product of how much it does. Levels
/// in dBFS; compared after bringing both to their own loudest band, since their balance
/// is the faders' business.
#[must_use]
pub fn collisions(first: &[f64; BANDS], second: &[f64; BANDS]) -> [f64; BANDS] {
    let weight = |levels: &[f64; BANDS], i: usize| {
        let loudest = levels.iter().fold(f64::MIN, |m, l| m.max(*l));
        ((levels[i] - loudest + MATTERS_DB) / MATTERS_DB).clamp(0.0, 1.0)
    };
    std::array::from_fn(|i| weight(first, i) * weight(second, i))
}

/// The band in which they collide most, in Hz, with how much; `None` where they leave
/// each other alone.
#[must_use]
pub fn worst(collisions: &[f64; BANDS]) -> Option<(f64, f64)> {
    let (i, most) = collisions.iter().enumerate().max_by(|a, b| a.1.total_cmp(b.1))?;
    (*most > 0.25).then(|| (centre_hz(i), *most))
}

#[cfg(test)]
mod tests {
    use super::*;

    fn part(at: usize) -> [f64; BANDS] {
        std::array::from_fn(|i| -20.0 - 6.0 * (i as f64 - at as f64).abs())
    }

    #[test]
    fn parts_on_the_same_band_collide_there_and_distant_ones_do_not() {
        assert_eq!(worst(&collisions(&part(10), &part(10))), Some((centre_hz(10), 1.0)));
        let (hz, most) = worst(&collisions(&part(10), &part(12))).unwrap();
        assert!(hz > centre_hz(9) && hz < centre_hz(13) && most < 1.0);
        assert_eq!(worst(&collisions(&part(3), &part(25))), None);
    }

    #[test]
    fn levels_do_not_matter_only_where_each_part_lives() {
        let softer = part(10).map(|l| l - 30.0);
        assert_eq!(collisions(&part(11), &softer), collisions(&part(11), &part(10)));
    }
}
