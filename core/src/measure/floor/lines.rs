//! The lines of one moment's low end: narrow tops that stand over what is about them.

/// Bins to either side of a line in which it is the highest.
const LINE: usize = 2;
/// Bins to either side between which lies what it stands over: close by where chords lie thick, further off where a
/// tone wavers or many play it. Either will do.
const ABOUT: [[usize; 2]; 2] = [[3, 5], [4, 7]];
/// The lowest bin that has all that about it.
pub const FIRST_BIN: usize = ABOUT[1][1] + 2;
/// How far a partial may be off its place, as a share, and in bins.
const OFF: f64 = 0.006;
const OFF_BINS: f64 = 0.75;

/// Levels of low bins in dB, at a moment or of several, and of what steadily lies under them (a bed of rumble or hiss,
/// which slopes: what it alone puts beside a line does not count against that line).
#[derive(Clone, Copy)]
pub struct Lines<'m> {
    /// Level of each bin.
    pub db: &'m [f32],
    /// Level of each bin of the bed.
    pub bed_db: &'m [f32],
}

impl Lines<'_> {
    /// Place in bins of the line at a bin, by a parabola; none where it does not stand out by `over_db`, or where
    /// there is too little beside it.
    pub fn line(&self, at: usize, over_db: f32) -> Option<f64> {
        let db = self.db;
        if at < FIRST_BIN || at + ABOUT[1][1] >= db.len() || (at - LINE..=at + LINE).any(|n| db[n] > db[at]) {
            return None;
        }
        (self.over(at) >= over_db).then(|| at as f64 + between([at - 1, at, at + 1].map(|n| f64::from(db[n]))))
    }

    /// By how much a bin stands over what is about it, in dB.
    fn over(&self, at: usize) -> f32 {
        let stands = |n: usize| self.db[n] - self.bed_db[n];
        let most = |from: usize, to: usize| (from..=to).map(stands).fold(f32::MIN, f32::max);
        let beside = |[near, far]: [usize; 2]| most(at - far, at - near).max(most(at + near, at + far));
        stands(at) - ABOUT.map(beside).into_iter().fold(f32::MAX, f32::min)
    }

    /// Place in bins of a line near a place, where one stands out by `over_db`.
    pub fn near(&self, bin: f64, over_db: f32) -> Option<f64> {
        let reach = (OFF * bin + OFF_BINS).ceil() as usize;
        let middle = bin.round() as usize;
        let best = (middle.saturating_sub(reach)..=middle + reach)
            .filter(|at| *at < self.db.len())
            .max_by(|a, b| self.db[*a].total_cmp(&self.db[*b]))?;
        let place = self.line(best, over_db)?;
        ((place - bin).abs() <= OFF * bin + OFF_BINS).then_some(place)
    }
}

/// Where between the bins the top of three levels lies, -0.5..0.5 (parabola).
pub fn between([a, b, c]: [f64; 3]) -> f64 {
    let bend = a - 2.0 * b + c;
    if bend < 0.0 { (0.5 * (a - c) / bend).clamp(-0.5, 0.5) } else { 0.0 }
}
