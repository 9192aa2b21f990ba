//! What speaks for a resonance at a frequency, and what against it.
//!
//! A resonance lifts everything that passes it by the same dB, quiet moments and loud
//! ones, and always in the shape of a bell. A note lifts its partials only while it
//! sounds, in lines narrower than any resonance, and together: a partial is no stronger
//! than those beside it allow. A formant is broader. No one of these tells them apart
//! alone; a [forest](super::forest) weighs them together.

use super::earlier::EARLIER;
use super::forest::Tree;
use super::trees::TREES;

/// What was measured at one frequency.
#[derive(Clone, Debug, PartialEq)]
pub struct Evidence {
    /// Gain in dB of the bell in the level exceeded at nine of ten moments, lines of partials
    /// taken out.
    pub always_db: f64,
    /// The same at two of ten moments.
    pub loud_db: f64,
    /// As `always_db`, with the lines of partials.
    pub lines_always_db: f64,
    /// As `loud_db`, with the lines of partials.
    pub lines_loud_db: f64,
    /// Q of that bell.
    pub q: f64,
    /// How high it lies, in octaves over 1 Hz.
    pub height: f64,
    /// dB by which it stands out at three of four moments that no note explains; -40 if
    /// there are too few.
    pub unexplained_db: f64,
    /// dB by which it stands out of what lies beside it at nine of ten moments.
    pub contrast_low_db: f64,
    /// The same at half of the moments.
    pub contrast_db: f64,
    /// The same at one of four.
    pub contrast_high_db: f64,
    /// dB that no note accounts for by its partials, at one of four moments.
    pub surplus_db: f64,
    /// The same at one of ten.
    pub surplus_high_db: f64,
    /// As `surplus_db`, two partials being asked to account for it.
    pub strict_surplus_db: f64,
    /// The same at one of ten.
    pub strict_surplus_high_db: f64,
    /// dB over the lines around them that four of five lines here exceed; -40 if there are
    /// too few.
    pub peers_low_db: f64,
    /// The same for half of the lines.
    pub peers_db: f64,
    /// Lines here for each moment.
    pub crowd: f64,
    /// How closely it goes with one note, 0..1.
    pub one_note: f64,
}

impl Evidence {
    /// How many figures there are.
    pub const FIGURES: usize = 18;

    /// The figures in the order of the fields.
    #[must_use]
    pub fn figures(&self) -> [f64; Self::FIGURES] {
        [
            self.always_db,
            self.loud_db,
            self.lines_always_db,
            self.lines_loud_db,
            self.q,
            self.height,
            self.unexplained_db,
            self.contrast_low_db,
            self.contrast_db,
            self.contrast_high_db,
            self.surplus_db,
            self.surplus_high_db,
            self.strict_surplus_db,
            self.strict_surplus_high_db,
            self.peers_low_db,
            self.peers_db,
            self.crowd,
            self.one_note,
        ]
    }

    /// Natural logarithm of the odds that it is a ring.
    #[must_use]
    pub fn log_odds(&self) -> f64 {
        let figures = self.figures();
        let sum = |trees: &[Tree]| trees.iter().map(|tree| tree.says(&figures)).sum::<f64>();
        0.5 * (sum(&TREES) + sum(&EARLIER))
    }
}
