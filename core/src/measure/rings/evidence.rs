//! What speaks for a resonance at a frequency, and what against it.
//!
//! A resonance lifts everything that passes it by the same dB, quiet moments and loud
//! ones, and always in the shape of a bell. A note lifts its partials only while it
//! sounds, in lines narrower than any resonance, and several at once in whole ratios. A
//! formant is broader. No one of these tells them apart alone; weighed together they do.

/// What was measured at one frequency. Values are held within the ranges given, so that
/// no single one decides alone.
#[derive(Clone, Debug, PartialEq)]
pub struct Evidence {
    /// Gain in dB of the bell in the level exceeded at nine of ten moments: 0 to 12.
    pub always_db: f64,
    /// By how many dB the gain rises from the quiet moments to the loud: 0 to 14.
    pub rises_db: f64,
    /// By how many dB the gain changes from the quiet moments to the middling, less where it
    /// fades: -10 to 2.
    pub fades_db: f64,
    /// dB by which it stands out at moments no note explains: -6 to 12; -6 if there are too few.
    pub unexplained_db: f64,
    /// Octaves by which its Q is under 18, above 600 Hz: 0 to 1.
    pub broad: f64,
    /// Octaves by which its Q is over 38: 0 to 2.
    pub narrow: f64,
    /// How many other bumps stand in whole ratios to it: 0 to 5, less from 1 to 2 kHz.
    pub kin: f64,
    /// The same, times the octaves by which the Q of its lines is over 26.
    pub kin_of_line: f64,
    /// How high it lies, in octaves over 1 Hz.
    pub height: f64,
}

/// Weights of the evidence, in the order of its fields, and the ground: a logistic
/// regression on seeded pieces with and without planted rings, which `cargo run --release
/// --example ring_weights -p zinc-demo` prints. The ground is 0.35 lower than fitted:
/// a ring invented costs the engineer more than one found by ear.
const WEIGHTS: [f64; 10] = [0.772, -0.220, -0.027, 0.410, -1.197, -1.720, -0.393, -0.285, -0.939, -0.963];

impl Evidence {
    /// The figures in the order of the fields.
    #[must_use]
    pub fn figures(&self) -> [f64; 9] {
        [
            self.always_db,
            self.rises_db,
            self.fades_db,
            self.unexplained_db,
            self.broad,
            self.narrow,
            self.kin,
            self.kin_of_line,
            self.height,
        ]
    }

    /// Natural logarithm of the odds that it is a ring.
    #[must_use]
    pub fn log_odds(&self) -> f64 {
        let [weights @ .., ground] = WEIGHTS;
        self.figures().iter().zip(weights).map(|(x, w)| x * w).sum::<f64>() + ground
    }
}
