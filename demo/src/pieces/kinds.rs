//! What plays in each kind of piece.

use zinc_core::filter::AnalogSection;
use zinc_core::signal::math::{TAU, sin};

use super::tone::Tone;
use crate::instrument::drum::{SHELL_HZ, kick, plate, shaker, snare};
use crate::instrument::string::kinds::{ELECTRIC, FINGERED_BASS, STEEL, bass_coil, coil, steel_body};
use crate::instrument::string::pluck;
use crate::instrument::{bowed, organ, tine, voice};
use crate::player::{Chance, Hands, Note};
use crate::tools::{FS, add_noise, set_peak, shape};

/// How long each piece is.
const SECONDS: f64 = 24.0;
const BEAT_S: f64 = 0.5;
const BEATS: usize = (SECONDS / BEAT_S) as usize;

/// What plays in a piece.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Kind {
    /// A plucked bass.
    Bass,
    /// An electric guitar, chords.
    Strummed,
    /// A steel-strung guitar, chords.
    Acoustic,
    /// An electric guitar, single notes.
    Melody,
    /// Tines, chords.
    ElectricPiano,
    /// Held chords.
    Organ,
    /// Five bowed players, low.
    Cellos,
    /// Six bowed players, high, with vibrato.
    Violins,
    /// A wordless voice.
    Sung,
    /// Syllables and hisses.
    Spoken,
    /// Kick, snare, hats, shaker.
    Drums,
    /// Swells of noise.
    Noise,
    /// Held tones of twelve partials.
    Reeds,
    /// The same, dying away.
    Bells,
    /// Held tones drawn by chance.
    Held,
    /// The same, chords.
    HeldChords,
    /// Struck tones drawn by chance.
    Struck,
    /// The same, chords.
    StruckChords,
    /// Pairs of bowed players, chords.
    Quartet,
}

impl Kind {
    /// Whether what stands at `hz` rings of itself: the drum's shell does, if only shortly.
    #[must_use]
    pub fn has_mode_at(self, hz: f64) -> bool {
        self == Self::Drums && SHELL_HZ.iter().any(|mode| (hz / mode - 1.0).abs() < 0.03)
    }
}

/// Every kind.
pub const KINDS: [Kind; 19] = [
    Kind::Bass,
    Kind::Strummed,
    Kind::Acoustic,
    Kind::Melody,
    Kind::ElectricPiano,
    Kind::Organ,
    Kind::Cellos,
    Kind::Violins,
    Kind::Sung,
    Kind::Spoken,
    Kind::Drums,
    Kind::Noise,
    Kind::Reeds,
    Kind::Bells,
    Kind::Held,
    Kind::HeldChords,
    Kind::Struck,
    Kind::StruckChords,
    Kind::Quartet,
];

/// A piece of one kind; another `seed` is another key, line and player.
#[must_use]
pub fn piece(kind: Kind, seed: u64) -> Vec<f32> {
    let mut out = vec![0.0; (SECONDS * FS) as usize];
    let mut band = Band { chance: Chance::new(seed.wrapping_mul(977) + kind as u64), key: 0, out: &mut out };
    band.key = (12.0 * band.chance.unit()) as i32;
    band.play(kind, seed);
    let heard = heard_through(kind, &mut band.chance);
    shape(&mut out, &heard);
    set_peak(std::slice::from_mut(&mut out), -6.0);
    add_noise(&mut out, seed + 5000, -80.0, &[]);
    out
}

/// The coil or the body an instrument is heard through, never quite the same.
fn heard_through(kind: Kind, chance: &mut Chance) -> Vec<Vec<AnalogSection>> {
    let mut about = |hz: f64| hz * (1.0 + 0.2 * chance.noise());
    match kind {
        Kind::Bass => bass_coil(),
        Kind::Strummed | Kind::Melody => coil(about(4200.0)),
        Kind::Acoustic => steel_body(about(105.0), about(200.0), about(4200.0)),
        Kind::Violins => bowed::violin_body(),
        Kind::Cellos | Kind::Quartet => bowed::cello_body(),
        _ => Vec::new(),
    }
}

/// Lengths of fast notes and of slow ones, in beats.
const FAST: [f64; 3] = [0.25, 0.5, 1.0];
const SLOW: [f64; 3] = [1.0, 2.0, 4.0];

/// Steps of the major scale.
const SCALE: [i32; 7] = [0, 2, 4, 5, 7, 9, 11];

struct Band<'a> {
    chance: Chance,
    key: i32,
    out: &'a mut [f32],
}

impl Band<'_> {
    fn play(&mut self, kind: Kind, seed: u64) {
        let mut hands = Hands::new(seed + 31, 8.0, 0.2, 3.0);
        match kind {
            Kind::Bass => {
                let bass = FINGERED_BASS.another(&mut self.chance);
                self.line(&mut hands, 28, 45, &[0.5, 1.0, 1.0, 2.0], |o, n, c| pluck(o, n, &bass, c));
            }
            Kind::Melody => {
                let guitar = ELECTRIC.another(&mut self.chance);
                self.line(&mut hands, 59, 79, &[0.5, 1.0, 1.5, 2.0], |o, n, c| pluck(o, n, &guitar, c));
            }
            Kind::Cellos => self.line(&mut hands, 36, 57, &[1.0, 2.0, 4.0], |o, n, c| bowed::section(o, n, 5, c)),
            Kind::Violins => self.line(&mut hands, 62, 86, &[1.0, 2.0, 4.0], |o, n, c| bowed::section(o, n, 6, c)),
            Kind::Sung => self.line(&mut hands, 57, 74, &[1.0, 1.0, 2.0], voice::sing),
            Kind::Reeds | Kind::Bells => {
                let tone = Tone::plain((kind == Kind::Bells).then_some(1.2));
                self.line(&mut hands, 45, 76, &[0.5, 1.0, 1.5], |o, n, c| tone.play(o, n, c));
            }
            Kind::Held | Kind::Struck => self.tones(&mut hands, kind == Kind::Struck),
            Kind::HeldChords | Kind::StruckChords => self.tone_chords(&mut hands, kind == Kind::StruckChords),
            Kind::Quartet => self.chords(&mut hands, 48, &SLOW, 4, |o, n, c| bowed::section(o, n, 2, c)),
            Kind::Strummed => {
                let guitar = ELECTRIC.another(&mut self.chance);
                self.chords(&mut hands, 40, &[0.5, 1.0, 1.5], 4, |o, n, c| pluck(o, n, &guitar, c));
            }
            Kind::Acoustic => {
                let guitar = STEEL.another(&mut self.chance);
                self.chords(&mut hands, 40, &[0.5, 0.5, 1.0], 6, |o, n, c| pluck(o, n, &guitar, c));
            }
            Kind::ElectricPiano => self.chords(&mut hands, 52, &[1.0, 1.5, 2.0], 4, tine::strike),
            Kind::Organ => self.chords(&mut hands, 52, &[2.0, 4.0], 4, organ::key),
            Kind::Spoken => self.speech(),
            Kind::Drums => self.drums(&mut hands),
            Kind::Noise => self.bursts(),
        }
    }

    /// One note after another, walking up and down the scale.
    fn line(
        &mut self,
        hands: &mut Hands,
        low: i32,
        high: i32,
        lengths: &[f64],
        play: impl Fn(&mut [f32], Note, &mut Chance),
    ) {
        let mut beat = 0.0;
        while beat < BEATS as f64 - 4.0 {
            let beats = *self.pick(lengths);
            let midi = low + (self.chance.unit() * f64::from(high - low)) as i32;
            let midi = self.in_scale(midi);
            if self.chance.unit() > 0.12 {
                let note = Note {
                    start_s: beat * BEAT_S,
                    length_s: beats * BEAT_S * 0.95,
                    midi: f64::from(midi),
                    velocity: 0.45 + 0.45 * self.chance.unit(),
                    muted: false,
                };
                play(self.out, hands.play(note), &mut self.chance);
            }
            beat += beats;
        }
    }

    /// A line of plain tones, in a range and of a speed drawn by chance.
    fn tones(&mut self, hands: &mut Hands, struck: bool) {
        let tone = Tone::by_chance(&mut self.chance, struck);
        let low = 36 + (24.0 * self.chance.unit()) as i32;
        let lengths = self.pick(&[FAST, SLOW]);
        let high = low + 10 + (20.0 * self.chance.unit()) as i32;
        self.line(hands, low, high, lengths, |o, n, c| tone.play(o, n, c));
    }

    /// Chords of two to five plain tones.
    fn tone_chords(&mut self, hands: &mut Hands, struck: bool) {
        let tone = Tone::by_chance(&mut self.chance, struck);
        let low = 36 + (24.0 * self.chance.unit()) as i32;
        let voices = 2 + (4.0 * self.chance.unit()) as usize;
        let lengths = self.pick(&[FAST, SLOW]);
        self.chords(hands, low, lengths, voices, |o, n, c| tone.play(o, n, c));
    }

    /// Chords of the key, each four beats.
    fn chords(
        &mut self,
        hands: &mut Hands,
        lowest: i32,
        lengths: &[f64],
        voices: usize,
        play: impl Fn(&mut [f32], Note, &mut Chance),
    ) {
        for bar in 0..BEATS / 4 - 1 {
            let degree = (7.0 * self.chance.unit()) as usize;
            let step = |n: usize| SCALE[(degree + n) % 7] + 12 * ((degree + n) / 7) as i32;
            let root = lowest + (self.key + step(0) - lowest).rem_euclid(12) - step(0);
            let stack = [step(0), step(4), step(0) + 12, step(2) + 12, step(4) + 12, step(0) + 24];
            let mut beat = 0.0;
            while beat < 4.0 {
                let beats = self.pick(lengths).min(4.0 - beat);
                let velocity = 0.4 + 0.5 * self.chance.unit();
                let muted = self.chance.unit() < 0.2;
                for (i, above) in stack.iter().enumerate().take(voices) {
                    let note = Note {
                        start_s: (4 * bar) as f64 * BEAT_S + beat * BEAT_S + 0.008 * i as f64,
                        length_s: beats * BEAT_S * 0.95,
                        midi: f64::from(root + above),
                        velocity,
                        muted,
                    };
                    play(self.out, hands.play(note), &mut self.chance);
                }
                beat += beats;
            }
        }
    }

    /// Syllables of moving pitch, hisses between them, pauses.
    fn speech(&mut self) {
        let mut at_s = 0.1;
        while at_s < SECONDS - 1.5 {
            let length_s = 0.09 + 0.2 * self.chance.unit();
            let midi = 45.0 + 12.0 * self.chance.unit();
            let note = Note { start_s: at_s, length_s, midi, velocity: 0.3 + 0.5 * self.chance.unit(), muted: false };
            voice::sing(self.out, note, &mut self.chance);
            at_s += length_s;
            if self.chance.unit() < 0.4 {
                self.hiss(at_s, 0.08, 0.08);
                at_s += 0.09;
            }
            at_s += if self.chance.unit() < 0.15 { 0.5 } else { 0.03 };
        }
    }

    fn drums(&mut self, hands: &mut Hands) {
        for beat in 0..2 * BEATS - 6 {
            let note = Note {
                start_s: beat as f64 * BEAT_S / 2.0,
                length_s: 0.2,
                midi: 0.0,
                velocity: 0.4 + 0.5 * self.chance.unit(),
                muted: false,
            };
            let hit = hands.play(note);
            match beat % 4 {
                0 => kick(self.out, hit.start_s, hit.velocity, 55.0, &mut self.chance),
                // The shell damped: what remains of it is as short as the strokes.
                2 => snare(self.out, hit.start_s, hit.velocity, 0.06, &mut self.chance),
                _ => plate(self.out, hit.start_s, 0.6 * hit.velocity, 0.3, 3900.0, &mut self.chance),
            }
            shaker(self.out, hit.start_s + 0.1, 0.2, &mut self.chance);
        }
    }

    fn bursts(&mut self) {
        let mut at_s = 0.0;
        while at_s < SECONDS - 1.0 {
            let length_s = 0.1 + 0.6 * self.chance.unit();
            self.hiss(at_s, length_s, 0.4);
            at_s += length_s + 0.1;
        }
    }

    /// Noise that swells and dies.
    fn hiss(&mut self, start_s: f64, length_s: f64, level: f64) {
        let frames = (length_s * FS) as usize;
        for (i, x) in self.out.iter_mut().skip((start_s * FS) as usize).take(frames).enumerate() {
            let at = i as f64 / frames as f64;
            *x += (level * self.chance.noise() * sin(0.5 * TAU * at)) as f32;
        }
    }

    fn pick<'t, T>(&mut self, from: &'t [T]) -> &'t T {
        &from[(self.chance.unit() * from.len() as f64) as usize]
    }

    fn in_scale(&self, midi: i32) -> i32 {
        let inside = |m: i32| SCALE.contains(&(m - self.key).rem_euclid(12));
        if inside(midi) { midi } else { midi + 1 }
    }
}
