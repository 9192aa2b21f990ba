//! By how much a level exceeds what a note that sounds would put there.
//!
//! Whatever stands at a frequency may be a partial of some note. A note's partials follow
//! each other without great leaps, so each reading of the level, as first, second...
//! twelfth partial, says how high it may be by the partials beside it. What remains over
//! the reading that fits best is the surplus: about nothing for any note, chord or vibrato,
//! about the gain of the resonance where one lifts a single partial.

/// Partials a level may be read as.
const PARTIALS: u32 = 12;
/// Lowest fundamental, in Hz.
const LOWEST_NOTE_HZ: f64 = 40.0;
/// How far a partial may lie from its multiple, as a share of its frequency.
const OFF: f64 = 0.003;
/// By how many dB a fundamental may exceed the second partial: readily, and at most.
const FIRST_OVER_DB: [f32; 2] = [10.0, 16.0];
/// Where there is no partial.
const NONE_DB: f32 = -300.0;

/// The levels of a spectrum, each the highest within reach of a partial that is a little off.
pub(super) struct Partials {
    highest: Vec<f32>,
    bin_hz: f64,
}

/// Surplus in dB at one frequency in one moment.
#[derive(Clone, Copy, Debug, PartialEq)]
pub(super) struct Surplus {
    /// Over readings by the stronger of the two partials beside it.
    pub over_one: f32,
    /// Over readings by the second strongest of the four nearest partials: one that is there
    /// by chance does not count.
    pub over_two: f32,
}

impl Partials {
    /// Of a spectrum in dB, bins from 0 on.
    pub fn of(bins: &[f32], bin_hz: f64) -> Self {
        let highest = |at: usize| {
            let off = ((at as f64 * OFF).round() as usize).max(1);
            bins[at.saturating_sub(off)..(at + off + 1).min(bins.len())].iter().copied().fold(NONE_DB, f32::max)
        };
        Self { highest: (0..bins.len()).map(highest).collect(), bin_hz }
    }

    /// The surplus at a frequency in Hz.
    pub fn surplus(&self, hz: f64) -> Surplus {
        let here = self.level(hz);
        let readings = (1..=PARTIALS).filter(|n| hz / f64::from(*n) >= LOWEST_NOTE_HZ);
        let expected = readings.map(|n| self.expected(hz / f64::from(n), n));
        let best = expected.fold([NONE_DB; 2], |best, [one, two]| [best[0].max(one), best[1].max(two)]);
        let [over_one, over_two] = best.map(|expected| here - expected);
        Surplus { over_one, over_two }
    }

    /// How high partial `n` may be by those beside it.
    fn expected(&self, fundamental: f64, n: u32) -> [f32; 2] {
        let of = |k: u32| if k == 0 { NONE_DB } else { self.level(fundamental * f64::from(k)) };
        if n == 1 {
            return FIRST_OVER_DB.map(|over| of(2) + over);
        }
        let mut near = [of(n - 1), of(n + 1), of(n - 2), of(n + 2)];
        let one = near[0].max(near[1]);
        near.sort_by(f32::total_cmp);
        [one, near[2]]
    }

    fn level(&self, hz: f64) -> f32 {
        self.highest.get((hz / self.bin_hz).round() as usize).copied().unwrap_or(NONE_DB)
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    const BIN_HZ: f64 = 1.5;

    /// A spectrum at -90 dB with the partials of notes in it, `lifted` by 15 dB at one frequency.
    fn spectrum(fundamentals: &[f64], lifted: f64) -> Partials {
        let mut bins = vec![-90.0_f32; 8000];
        for hz in fundamentals.iter().flat_map(|f| (1..=20).map(move |n| f * f64::from(n))) {
            let at = (hz / BIN_HZ).round() as usize;
            let lift = if (hz / lifted - 1.0).abs() < 0.005 { 15.0 } else { 0.0 };
            // 6 dB an octave.
            let level = (-20.0 - 20.0 * (hz / 100.0).log10()) as f32 + lift;
            bins[at] = bins[at].max(level);
        }
        Partials::of(&bins, BIN_HZ)
    }

    #[test]
    fn the_partials_of_notes_and_chords_have_no_surplus() {
        for notes in [&[220.0][..], &[196.0, 246.9, 293.7], &[110.0, 440.0, 523.3]] {
            let partials = spectrum(notes, 1.0);
            for hz in notes.iter().flat_map(|f| (1..=12).map(move |n| f * f64::from(n))) {
                let Surplus { over_one, over_two } = partials.surplus(hz);
                // One partial of 1/n is at most 6 dB over the next.
                assert!(over_one < 1.0 && over_two < 7.0, "{hz} of {notes:?}: {over_one} {over_two}");
            }
        }
    }

    #[test]
    fn a_partial_that_a_resonance_lifts_keeps_most_of_the_lift_as_surplus() {
        for (note, n) in [(220.0, 3.0), (146.8, 5.0), (98.0, 7.0)] {
            let hz = note * n;
            let Surplus { over_one, over_two } = spectrum(&[note], hz).surplus(hz);
            // Read as a fundamental it stands 15 + 6 dB over its second partial, 10 or 16 of them
            // readily; the partial below is higher by the slope, 3.5 dB at the third.
            assert!(over_one > 10.0 && over_two > 4.0, "partial {n} of {note}: {over_one} {over_two}");
        }
    }

    #[test]
    fn where_nothing_sounds_nothing_is_in_surplus() {
        let Surplus { over_one, over_two } = spectrum(&[220.0], 1.0).surplus(770.0);
        assert!(over_one <= 0.0 && over_two <= 0.0, "{over_one} {over_two}");
    }
}
