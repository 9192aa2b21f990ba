//! Which low frequencies are notes.
//!
//! A note is a narrow line with lines at twice and three times its frequency in the same moment
//! (Fletcher & Rossing, *The Physics of Musical Instruments*, 2nd ed., ch. 1: strings, reeds and pipes
//! have harmonic partials). Rumble, thumps, hum and a neighbour's bleed are lines or bands without them, or
//! stand still while the part plays and rests. High enough up, or strong enough, a line alone may be a note, if it
//! stays for a while. A fundamental that rumble covers shows in the mean of the moments in which its partials sound.

use super::lines::{FIRST_BIN, Lines};

/// dB by which a fundamental stands over what is about it, and a partial does.
const FIRST_DB: f32 = 9.0;
const PARTIAL_DB: f32 = 6.0;
/// A fundamental may be softer than its second partial by so much, and a partial than the fundamental, in dB.
const SOFTER_DB: f32 = 26.0;
const PARTIAL_UNDER_DB: f32 = 45.0;
/// From here on, in Hz, a line without partials may be a note if it stays for so many moments; below, if it is also no
/// further under the strongest of the low end than this, in dB.
const PURE_FROM_HZ: f64 = 90.0;
const STAYS: usize = 3;
const STRONG_DB: f32 = 12.0;
/// A line further under the strongest of the low end than this is none of the instrument's, in dB.
const REACH_DB: f32 = 42.0;
/// Share of the moments played for which a note has to sound, and the fewest moments.
const SHARE: f64 = 0.02;
const FEWEST: usize = 2;
/// Moments of its partials in which a covered fundamental is looked for together, at least, and the least it stands out
/// if it were at one of them, in dB: three and a half times what the level of noise strays by. (The power at a bin is
/// exponentially distributed, 4.3 dB about its mean: Oppenheim & Schafer, *Discrete-Time Signal Processing*, ch. 10.)
const TOGETHER: usize = 4;
const TOGETHER_DB: f32 = 15.5;

/// The low bins of the moments in which a part plays.
pub struct Moments<'m> {
    powers: &'m [&'m [f32]],
    db: Vec<Vec<f32>>,
    bed_db: &'m [f32],
    rises: &'m [bool],
    bin_hz: f64,
}

impl<'m> Moments<'m> {
    /// Of the powers of low bins at each moment, bins so many Hz apart, the level in dB of what steadily lies under
    /// them, and whether each rises over its ground: what does not (hum) is no note, nor makes one of what is beside it.
    pub fn new(powers: &'m [&'m [f32]], bed_db: &'m [f32], rises: &'m [bool], bin_hz: f64) -> Self {
        let db = powers.iter().map(|moment| moment.iter().map(|power| db(*power)).collect()).collect();
        Self { powers, db, bed_db, rises, bin_hz }
    }

    /// Place in bins of the lowest note that sounds often enough.
    pub fn lowest_note(&self, bins: std::ops::RangeInclusive<usize>) -> Option<f64> {
        let low_end = self.db.iter().flat_map(|moment| &moment[bins.clone()]);
        let strongest = low_end.copied().fold(f32::MIN, f32::max);
        bins.filter(|bin| *bin >= FIRST_BIN && self.rises[*bin]).find_map(|bin| self.note(bin, strongest))
    }

    /// Place of the note about a bin, if one is played there.
    fn note(&self, bin: usize, strongest_db: f32) -> Option<f64> {
        let audible_db = strongest_db - REACH_DB;
        let pure_db = if bin as f64 * self.bin_hz >= PURE_FROM_HZ { audible_db } else { strongest_db - STRONG_DB };
        self.seen(bin, audible_db).or_else(|| self.together(bin, audible_db)).or_else(|| self.pure(bin, pure_db))
    }

    fn lines(&self, moment: usize) -> Lines<'_> {
        Lines { db: &self.db[moment], bed_db: self.bed_db }
    }

    fn enough(&self) -> usize {
        ((SHARE * self.db.len() as f64).ceil() as usize).max(FEWEST)
    }

    /// Place of a line about a bin at a moment, where there is one as loud as that and it is one that is wanted. A note
    /// wavers over a bin or so.
    fn line_about(&self, moment: usize, bin: usize, least_db: f32, wanted: impl Fn(usize, f64) -> bool) -> Option<f64> {
        (bin - 1..=bin + 1)
            .filter(|at| self.rises[*at] && self.db[moment][*at] > least_db)
            .find_map(|at| self.lines(moment).line(at, FIRST_DB).filter(|place| wanted(at, *place)))
    }

    /// A line with its partials, at enough of the moments.
    fn seen(&self, bin: usize, least_db: f32) -> Option<f64> {
        let with_partials =
            |moment| self.line_about(moment, bin, least_db, |at, place| has_partials(&self.lines(moment), at, place));
        let places: Vec<f64> = (0..self.db.len()).filter_map(with_partials).collect();
        (places.len() >= self.enough()).then(|| median(places))
    }

    /// A line that noise covers at any one moment, but which stands out of the mean of those in which its partials
    /// sound. What is random about a mean of n falls with the root of n: the more there are, the less it has to.
    fn together(&self, bin: usize, least_db: f32) -> Option<f64> {
        let sounds = |moment: &usize| has_partials(&self.lines(*moment), bin, bin as f64);
        let moments: Vec<usize> = (0..self.db.len()).filter(sounds).collect();
        if moments.len() < TOGETHER.max(self.enough()) {
            return None;
        }
        let mean = |at: usize| moments.iter().map(|n| self.powers[*n][at]).sum::<f32>() / moments.len() as f32;
        // Over the bed, which is not flat.
        let over_bed: Vec<f32> =
            (0..(2 * bin).min(self.bed_db.len())).map(|at| db(mean(at)) - self.bed_db[at]).collect();
        let flat = vec![0.0; over_bed.len()];
        let over_db = TOGETHER_DB / (moments.len() as f32).sqrt();
        let line = Lines { db: &over_bed, bed_db: &flat }.line(bin, over_db);
        line.filter(|_| db(mean(bin)) > least_db)
    }

    /// A line without partials that stays.
    fn pure(&self, bin: usize, least_db: f32) -> Option<f64> {
        let places: Vec<Option<f64>> =
            (0..self.db.len()).map(|moment| self.line_about(moment, bin, least_db, |_, _| true)).collect();
        let longest = places.split(Option::is_none).max_by_key(|run| run.len())?;
        (longest.len() >= STAYS.max(self.enough())).then(|| median(longest.iter().flatten().copied().collect()))
    }
}

/// Whether the second and third partials of a tone at a place sound, of about the level they have over it.
fn has_partials(lines: &Lines, at: usize, place: f64) -> bool {
    [2.0, 3.0].into_iter().all(|partial| {
        lines.near(partial * place, PARTIAL_DB).is_some_and(|line| {
            let db = lines.db[line.round() as usize];
            db > lines.db[at] - PARTIAL_UNDER_DB && (partial > 2.0 || db < lines.db[at] + SOFTER_DB)
        })
    })
}

fn db(power: f32) -> f32 {
    10.0 * (power + 1e-20).log10()
}

fn median(mut places: Vec<f64>) -> f64 {
    let middle = places.len() / 2;
    *places.select_nth_unstable_by(middle, f64::total_cmp).1
}
