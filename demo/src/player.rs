//! Players: seeded people with uneven hands.

/// A seeded source of chance (xorshift64*; Vigna, 2016).
#[derive(Clone, Debug)]
pub struct Chance(u64);

impl Chance {
    /// A stream of its own for each `seed`.
    #[must_use]
    pub fn new(seed: u64) -> Self {
        Self(seed.wrapping_mul(0x9E37_79B9_7F4A_7C15) | 1)
    }

    fn next_u64(&mut self) -> u64 {
        self.0 ^= self.0 >> 12;
        self.0 ^= self.0 << 25;
        self.0 ^= self.0 >> 27;
        self.0.wrapping_mul(0x2545_F491_4F6C_DD1D)
    }

    /// Evenly between 0 and 1.
    pub fn unit(&mut self) -> f64 {
        (self.next_u64() >> 11) as f64 / (1u64 << 53) as f64
    }

    /// Evenly between -1 and 1.
    pub fn noise(&mut self) -> f64 {
        2.0 * self.unit() - 1.0
    }

    /// Around 0, mostly within one unit: the mean of four even draws, scaled.
    pub fn around(&mut self) -> f64 {
        (self.noise() + self.noise() + self.noise() + self.noise()) * 0.5
    }
}

/// A note to be played.
#[derive(Clone, Copy, Debug)]
pub struct Note {
    /// Start in seconds.
    pub start_s: f64,
    /// Length in seconds.
    pub length_s: f64,
    /// Pitch as a MIDI number.
    pub midi: f64,
    /// Loudness 0..1.
    pub velocity: f64,
    /// Stopped by the palm.
    pub muted: bool,
}

/// A player's hands: how far off the grid, how uneven, how out of tune.
#[derive(Clone, Debug)]
pub struct Hands {
    chance: Chance,
    /// Typical distance from the grid in ms.
    timing_ms: f64,
    /// Typical unevenness of velocity.
    unevenness: f64,
    /// Typical detuning in cents.
    cents: f64,
}

impl Hands {
    /// Hands of one performance; another seed is another take.
    #[must_use]
    pub fn new(seed: u64, timing_ms: f64, unevenness: f64, cents: f64) -> Self {
        Self { chance: Chance::new(seed), timing_ms, unevenness, cents }
    }

    /// The note as it comes out.
    pub fn play(&mut self, note: Note) -> Note {
        let late = self.timing_ms / 1000.0 * self.chance.around();
        Note {
            start_s: (note.start_s + late).max(0.0),
            velocity: (note.velocity * (1.0 + self.unevenness * self.chance.around())).clamp(0.05, 1.0),
            midi: note.midi + self.cents / 100.0 * self.chance.around(),
            ..note
        }
    }

    /// The player's own chance, for strums and noises.
    pub fn chance(&mut self) -> &mut Chance {
        &mut self.chance
    }
}
