//! Where a new band of an equaliser begins: the shape that its place suggests, and, where no place was shown, one that is
//! free beside the band last worked on, or where the part has most too much.

use serde::Serialize;

use crate::measure::third_octave::centre_hz;
use crate::signal::math::{log, pow};

/// Under this, in Hz, what is taken away is what lies below, and over that what lies above.
const FAR_LOW_HZ: f64 = 45.0;
const FAR_HIGH_HZ: f64 = 11_000.0;
/// Q of a shelf or a cut that bends without a bump (Butterworth), and of a bell.
pub const FLAT_Q: f64 = 0.7;
const BELL_Q: f64 = 1.0;
/// Where the first band begins, in Hz, and between what the next ones do.
const FIRST_HZ: f64 = 1000.0;
const WITHIN_HZ: [f64; 2] = [40.0, 12_000.0];
/// Bands are told apart from so many octaves on.
const APART_OCT: f64 = 1.0 / 3.0;
/// A third of an octave stands out from so many dB over those around it on, unless it lies so far below the loudest that
/// it is of no matter.
const EXCESS_DB: f64 = 3.0;
const OF_NO_MATTER_DB: f64 = 40.0;
/// Thirds of an octave on either side that it is held against; the next one to it is still its own skirt.
const AROUND: [usize; 2] = [2, 3];
/// Those count as no lower than so many dB under it: a gap between two notes makes neither of them too loud.
const GAP_DB: f64 = 9.0;
/// Where all that lies lower is down by so many dB it is what the part stands on, its lowest notes.
const FOUNDATION_DB: f64 = 15.0;

/// What a new band begins as.
#[derive(Clone, Copy, Debug, PartialEq, Serialize)]
pub struct NewBand {
    /// Its shape, as bands have it.
    pub shape: &'static str,
    /// Where.
    pub freq_hz: f64,
    /// How much it lifts or cuts, in dB; of no matter for a cut of all that lies beyond.
    pub gain_db: f64,
    /// How narrow.
    pub q: f64,
}

/// The band that a place of a field of frequency and level suggests: far low what cuts or lifts the lows, far high the
/// highs, and a bell between.
#[must_use]
pub fn at_place(freq_hz: f64, gain_db: f64) -> NewBand {
    let takes = gain_db < 0.0;
    let shape = match freq_hz {
        hz if hz < FAR_LOW_HZ => ["low-shelf", "high-pass"][usize::from(takes)],
        hz if hz > FAR_HIGH_HZ => ["high-shelf", "low-pass"][usize::from(takes)],
        _ => "bell",
    };
    NewBand { shape, freq_hz, gain_db, q: if shape == "bell" { BELL_Q } else { FLAT_Q } }
}

/// The next band beside others at these frequencies in Hz, of which `last` was last worked on: a bell as near to that as
/// one finds it, in steps of an octave.
#[must_use]
pub fn beside(others: &[f64], last: Option<f64>) -> NewBand {
    let start = last.unwrap_or(FIRST_HZ).clamp(WITHIN_HZ[0], WITHIN_HZ[1]);
    let steps = [0, 1, -1, 2, -2, 3, -3, 4, -4, 5, -5, 6, -6, 7, -7, 8, -8];
    // Where all octaves are taken: between them; at last wherever most room is left.
    let parts = [0.0, 0.5, 0.25, 0.75];
    let places = parts.iter().flat_map(|part| steps.map(|step| start * pow(2.0, f64::from(step) + part)));
    let within: Vec<f64> = places.filter(|hz| (WITHIN_HZ[0]..=WITHIN_HZ[1]).contains(hz)).collect();
    let room = |hz: &f64| others.iter().map(|other| octaves(*hz, *other)).fold(f64::INFINITY, f64::min);
    let free = within.iter().find(|hz| room(hz) >= APART_OCT);
    let freq_hz = *free.or(within.iter().max_by(|a, b| room(a).total_cmp(&room(b)))).unwrap_or(&start);
    NewBand { shape: "bell", freq_hz, gain_db: 0.0, q: BELL_Q }
}

/// The next band beside others, where no place was shown: beside `last`, that last worked on; without one where the part,
/// with these levels in dB by third of an octave, has most too much.
#[must_use]
pub fn next(others: &[f64], last: Option<f64>, thirds_db: &[f64]) -> NewBand {
    match excess_hz(thirds_db, others).filter(|_| last.is_none()) {
        Some(freq_hz) => NewBand { shape: "bell", freq_hz, gain_db: 0.0, q: BELL_Q },
        None => beside(others, last),
    }
}

/// Where a part has most too much, in Hz: the third of an octave that stands furthest out of those around it, given all of
/// their levels in dB, where none of the bands at `others` is at work; none where nothing stands out. The lowest notes of a
/// part are no excess, though nothing lies below them.
#[must_use]
pub fn excess_hz(thirds_db: &[f64], others: &[f64]) -> Option<f64> {
    let loudest = thirds_db.iter().copied().fold(f64::NEG_INFINITY, f64::max);
    let over = |i: usize| -> Option<f64> {
        let below = AROUND.map(|k| i.checked_sub(k).map(|at| thirds_db[at]));
        let above = AROUND.map(|k| thirds_db.get(i + k).copied());
        let around: Vec<f64> =
            below.into_iter().chain(above).flatten().map(|db| db.max(thirds_db[i] - GAP_DB)).collect();
        // At either end of the spectrum there is nothing to hold it against.
        let is_within = (WITHIN_HZ[0]..=WITHIN_HZ[1]).contains(&centre_hz(i)) && around.len() == 2 * AROUND.len();
        let is_heard = thirds_db[i] > loudest - OF_NO_MATTER_DB;
        let lower = &thirds_db[..i.saturating_sub(1)];
        let is_founded = lower.iter().any(|db| *db > thirds_db[i] - FOUNDATION_DB);
        let is_free = others.iter().all(|hz| octaves(*hz, centre_hz(i)) > APART_OCT);
        (is_within && is_heard && is_founded && is_free)
            .then(|| thirds_db[i] - around.iter().sum::<f64>() / around.len() as f64)
    };
    let found = (0..thirds_db.len()).filter_map(|i| over(i).map(|db| (i, db))).max_by(|a, b| a.1.total_cmp(&b.1));
    found.filter(|(_, db)| *db >= EXCESS_DB).map(|(i, _)| centre_hz(i))
}

/// How many octaves two frequencies are apart.
fn octaves(a: f64, b: f64) -> f64 {
    (log(a / b) / std::f64::consts::LN_2).abs()
}

/// The Q that a band goes to with its shape, where it has that of a fresh bell; none where it stays.
#[must_use]
pub fn q_with_shape(shape: &str, q: f64) -> Option<f64> {
    let is_flat = matches!(shape, "low-shelf" | "high-shelf" | "high-pass" | "low-pass");
    (is_flat && q == BELL_Q).then_some(FLAT_Q)
}

#[cfg(test)]
#[allow(clippy::unwrap_used)]
mod tests {
    use super::*;

    #[test]
    fn a_place_at_the_ends_of_the_spectrum_is_a_cut_or_a_shelf_and_one_between_is_a_bell() {
        let shape = |hz, db| at_place(hz, db).shape;
        assert_eq!([shape(25.0, -6.0), shape(25.0, 3.0)], ["high-pass", "low-shelf"]);
        assert_eq!([shape(14_000.0, -6.0), shape(14_000.0, 3.0)], ["low-pass", "high-shelf"]);
        assert_eq!([shape(80.0, -6.0), shape(4000.0, 3.0)], ["bell", "bell"]);
        assert_eq!((at_place(14_000.0, 3.0).q, at_place(300.0, 3.0).q), (0.7, 1.0));
    }

    #[test]
    fn one_after_another_no_two_bands_begin_in_one_place() {
        let mut others: Vec<f64> = Vec::new();
        for n in 0..24 {
            let band = beside(&others, others.last().copied());
            assert!((40.0..=12_000.0).contains(&band.freq_hz));
            let nearest = others.iter().map(|hz| octaves(band.freq_hz, *hz)).fold(9.0, f64::min);
            // Sixteen have half an octave each; after that they crowd.
            assert!(nearest >= if n < 16 { 1.0 / 3.0 } else { 0.2 }, "band {n} at {:.0} Hz", band.freq_hz);
            others.push(band.freq_hz);
        }
        assert_eq!(others[0], 1000.0);
        assert_eq!(beside(&[220.0], Some(220.0)).freq_hz, 440.0, "beside what was worked on");
        assert_eq!(beside(&[10_000.0], Some(10_000.0)).freq_hz, 5000.0);
    }

    #[test]
    fn without_a_band_in_hand_the_next_one_begins_where_a_part_stands_out_and_the_one_after_it_where_it_does_so_next() {
        // A part that falls by 3 dB an octave, with 6 dB too much at 250 Hz and 4 at 3150.
        let index = |hz: f64| (0..31).min_by(|a, b| octaves(centre_hz(*a), hz).total_cmp(&octaves(centre_hz(*b), hz)));
        let mut thirds: Vec<f64> = (0..31).map(|i| -20.0 - f64::from(i)).collect();
        thirds[index(250.0).unwrap()] += 6.0;
        thirds[index(3150.0).unwrap()] += 4.0;
        let at = |others: &[f64]| excess_hz(&thirds, others);
        assert!(octaves(at(&[]).unwrap(), 250.0) < 0.05, "{:?}", at(&[]));
        assert!(octaves(at(&[260.0]).unwrap(), 3150.0) < 0.05);
        assert_eq!(at(&[260.0, 3000.0]), None, "nothing else stands out");
        assert_eq!(next(&[260.0, 3000.0], None, &thirds), beside(&[260.0, 3000.0], None));
        assert!(octaves(next(&[], None, &thirds).freq_hz, 250.0) < 0.05);
        assert_eq!(next(&[], Some(700.0), &thirds).freq_hz, 700.0, "where it was worked on last");
    }

    #[test]
    fn what_does_not_play_and_the_ends_of_the_spectrum_stand_out_of_nothing() {
        let mut thirds = vec![-150.0; 31];
        assert_eq!(excess_hz(&thirds, &[]), None);
        // Two tones, and rumble of the stage far below a part.
        thirds[13] = -22.0;
        thirds[17] = -20.0;
        thirds[2] = -90.0;
        assert_eq!(excess_hz(&thirds, &[]), Some(centre_hz(17)), "the lower one is what it stands on");
        assert_eq!(excess_hz(&thirds, &[centre_hz(17)]), None, "what lies 70 dB below is no excess");
        assert_eq!(excess_hz(&[], &[]), None);
        assert_eq!(excess_hz(&[-10.0, -50.0], &[]), None);
    }

    #[test]
    fn a_fresh_bell_that_becomes_a_shelf_loses_its_bump_and_a_chosen_width_stays() {
        assert_eq!(q_with_shape("high-shelf", 1.0), Some(0.7));
        assert_eq!(q_with_shape("high-shelf", 1.4), None);
        assert_eq!(q_with_shape("notch", 1.0), None);
    }
}
