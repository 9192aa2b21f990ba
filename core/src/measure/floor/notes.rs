//! Which low frequencies are notes.
//!
//! A note is a narrow line with lines at twice and three times its frequency in the same moment
//! (Fletcher & Rossing, *The Physics of Musical Instruments*, 2nd ed., ch. 1: strings, reeds and pipes
//! have harmonic partials). Rumble, thumps, hum and a neighbour's bleed are lines or bands without them, or
//! stand still while the part plays and rests. High enough up a line alone may be a note, if it stays for a while.

/// Bins to either side of a line in which it is the highest, and between which lies what it stands over.
const LINE: usize = 2;
const ABOUT: [usize; 2] = [4, 7];
/// dB by which a fundamental stands over what is about it, and a partial does.
const FIRST_DB: f32 = 9.0;
const PARTIAL_DB: f32 = 6.0;
/// How far a partial may be off its place, as a share, beside half a bin.
const OFF: f64 = 0.006;
/// A fundamental may be softer than its second partial by so much, and a partial than the fundamental, in dB.
const SOFTER_DB: f32 = 26.0;
const PARTIAL_UNDER_DB: f32 = 45.0;
/// From here on, in Hz, a line without partials may be a note if it stays for so many moments.
const PURE_FROM_HZ: f64 = 90.0;
const STAYS: usize = 3;
/// A line further under the strongest of the low end than this is none of the instrument's, in dB.
const REACH_DB: f32 = 42.0;
/// Share of the moments played for which a note has to sound, and the fewest moments.
const SHARE: f64 = 0.02;
const FEWEST: usize = 2;

/// One moment's lines among its low bins, in dB.
struct Lines<'m> {
    db: &'m [f32],
}

impl Lines<'_> {
    /// Place in bins of a line near a place, where one stands over what is about it by `over_db`.
    fn near(&self, bin: f64, over_db: f32) -> Option<f64> {
        let reach = (OFF * bin + 0.75).ceil() as usize;
        let middle = bin.round() as usize;
        let first = middle.saturating_sub(reach).max(ABOUT[1] + 1);
        let best = (first..=middle + reach)
            .filter(|at| at + ABOUT[1] < self.db.len())
            .max_by(|a, b| self.db[*a].total_cmp(&self.db[*b]))?;
        let place = self.line(best, over_db)?;
        ((place - bin).abs() <= OFF * bin + 0.75).then_some(place)
    }

    /// Place in bins of the line at a bin, by a parabola.
    fn line(&self, at: usize, over_db: f32) -> Option<f64> {
        let db = self.db;
        let highest = (at - LINE..=at + LINE).all(|n| db[n] <= db[at]);
        let about = |from: usize, to: usize| db[from..=to].iter().copied().fold(f32::MIN, f32::max);
        let over = db[at] - about(at - ABOUT[1], at - ABOUT[0]).max(about(at + ABOUT[0], at + ABOUT[1]));
        (highest && over >= over_db).then(|| {
            let (a, b, c) = (f64::from(db[at - 1]), f64::from(db[at]), f64::from(db[at + 1]));
            let bend = a - 2.0 * b + c;
            at as f64 + if bend < 0.0 { (0.5 * (a - c) / bend).clamp(-0.5, 0.5) } else { 0.0 }
        })
    }

    /// Whether a fundamental with its partials stands at a bin.
    fn note(&self, at: usize) -> bool {
        let Some(place) = self.line(at, FIRST_DB) else { return false };
        [2.0, 3.0].into_iter().all(|partial| {
            self.near(partial * place, PARTIAL_DB).is_some_and(|line| {
                let db = self.db[line.round() as usize];
                db > self.db[at] - PARTIAL_UNDER_DB && (partial > 2.0 || db < self.db[at] + SOFTER_DB)
            })
        })
    }
}

/// The lowest bin at which a note sounds often enough, of the powers of low bins at the moments played; `rises`
/// says whether a bin rises over its ground at all.
pub fn lowest(
    moments: &[&[f32]],
    bins: std::ops::RangeInclusive<usize>,
    bin_hz: f64,
    rises: impl Fn(usize) -> bool,
) -> Option<usize> {
    let db: Vec<Vec<f32>> =
        moments.iter().map(|powers| powers.iter().map(|p| 10.0 * (p + 1e-20).log10()).collect()).collect();
    let (first, last) = (*bins.start(), *bins.end());
    let strongest = db.iter().flat_map(|moment| &moment[first..=last]).copied().fold(f32::MIN, f32::max);
    let loud = |moment: &[f32], at: usize| moment[at] > strongest - REACH_DB;
    let enough = ((SHARE * moments.len() as f64).ceil() as usize).max(FEWEST);
    let found = bins.filter(|bin| *bin > ABOUT[1] + 1 && rises(*bin)).find(|bin| {
        // A note wavers over a bin or so.
        let about = [bin - 1, *bin, bin + 1];
        let sounds: Vec<bool> = db
            .iter()
            .map(|moment| about.iter().any(|at| loud(moment, *at) && Lines { db: moment }.note(*at)))
            .collect();
        if sounds.iter().filter(|sounds| **sounds).count() >= enough {
            return true;
        }
        let stays = |moment: &Vec<f32>| {
            about.iter().any(|at| loud(moment, *at) && Lines { db: moment }.line(*at, FIRST_DB).is_some())
        };
        let longest = db.iter().map(stays).fold((0, 0), |(longest, now), stays| {
            let now = if stays { now + 1 } else { 0 };
            (usize::max(longest, now), now)
        });
        *bin as f64 * bin_hz >= PURE_FROM_HZ && longest.0 >= STAYS.max(enough)
    })?;
    // The first bin that hears the note is beside it.
    let mean = |bin: usize| moments.iter().map(|powers| powers[bin]).sum::<f32>();
    (found - 1..=found + 2).max_by(|a, b| mean(*a).total_cmp(&mean(*b)))
}
