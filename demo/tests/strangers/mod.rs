//! Parts that nobody here has made: a General MIDI collection of sampled instruments as Debian
//! packages it, played at test time from made-up scores. Nothing of it is kept.
//!
//! `ZINC_COLLECTION=/path/to/other.sf2` plays another instead, so that what was tuned beside this one
//! can be tried on one that was not heard before.
#![allow(dead_code, clippy::expect_used, clippy::panic)] // each test file plays some of them

#[path = "scores.rs"]
mod scores;

use std::fs::File;
use std::sync::Arc;

use rustysynth::{SoundFont, Synthesizer, SynthesizerSettings};
use zinc_demo::player::Note;
use zinc_demo::song::RATE;

/// Seconds of every part.
pub const SECONDS: f64 = 16.0;
/// Peak of every part in dBFS, as parts are tracked.
pub const PEAK_DB: f64 = -8.0;
/// MIDI channel of drums.
const DRUMS: i32 = 9;

/// The collection every machine that runs the tests has, and the package that brings it.
const COLLECTION: (&str, &str) = ("/usr/share/sounds/sf2/TimGM6mb.sf2", "timgm6mb-soundfont");

/// A collection of sampled instruments.
pub struct Collection {
    font: Arc<SoundFont>,
}

/// The collection there is.
pub fn collection() -> Collection {
    collection_at(&std::env::var("ZINC_COLLECTION").unwrap_or_else(|_| COLLECTION.0.into()))
}

/// The collection in a file.
pub fn collection_at(path: &str) -> Collection {
    let package = COLLECTION.1;
    let mut file =
        File::open(path).unwrap_or_else(|e| panic!("{path}: {e}; apt-get install {package} (./zinc test does)"));
    Collection { font: Arc::new(SoundFont::new(&mut file).expect("a sound font")) }
}

/// What is played, and by which instrument of a General MIDI collection.
#[derive(Clone, Copy)]
pub struct Played {
    /// Its name, as a track would be called.
    pub name: &'static str,
    /// Program, from 0; of drums the kit.
    pub program: i32,
    drums: bool,
    score: fn() -> Vec<Note>,
}

const fn tuned(name: &'static str, program: i32, score: fn() -> Vec<Note>) -> Played {
    Played { name, program, drums: false, score }
}

const fn struck(name: &'static str, score: fn() -> Vec<Note>) -> Played {
    Played { name, program: 0, drums: true, score }
}

pub const BASS_FINGERED: Played = tuned("bass, fingered", 33, scores::bass_line);
pub const BASS_PICKED: Played = tuned("bass, picked", 34, scores::bass_eighths);
pub const GUITAR_CLEAN: Played = tuned("guitar, clean", 27, scores::strummed);
pub const GUITAR_CLEAN_PICKED: Played = tuned("guitar, clean, picked", 27, scores::picked);
pub const GUITAR_MUTED: Played = tuned("guitar, muted", 28, scores::chugged);
pub const GUITAR_LINE: Played = tuned("guitar, clean, line", 26, scores::line);
pub const NYLON: Played = tuned("nylon guitar, picked", 24, scores::picked);
pub const STEEL: Played = tuned("steel guitar, strummed", 25, scores::strummed);
pub const STEEL_PICKED: Played = tuned("steel guitar, picked", 25, scores::picked);
pub const TINES: Played = tuned("electric piano", 4, scores::chords);
pub const ORGAN: Played = tuned("organ", 16, scores::held);
pub const PIANO: Played = tuned("piano", 0, scores::chords);
pub const CELLO: Played = tuned("cello", 42, scores::low_line);
pub const STRINGS_LOW: Played = tuned("strings, low", 48, scores::low_held);
pub const VIOLIN: Played = tuned("violin", 40, scores::high_line);
pub const STRINGS_HIGH: Played = tuned("strings, high", 48, scores::high_line);
pub const BRASS: Played = tuned("brass", 61, scores::stabs);
pub const KICK: Played = struck("kick", scores::kick);
pub const SNARE: Played = struck("snare", scores::snare);
pub const HATS: Played = struck("hats", scores::hats);
pub const TOMS: Played = struck("toms", scores::toms);

/// Guitars as they come from a pick-up.
pub const GUITAR_DIS: [Played; 4] = [GUITAR_CLEAN, GUITAR_CLEAN_PICKED, GUITAR_MUTED, GUITAR_LINE];
/// Basses as they come from a pick-up.
pub const BASS_DIS: [Played; 2] = [BASS_FINGERED, BASS_PICKED];
/// Drums, each by itself.
pub const DRUM_PARTS: [Played; 4] = [KICK, SNARE, HATS, TOMS];
/// Everything that has notes.
pub const TUNED: [Played; 17] = [
    BASS_FINGERED,
    BASS_PICKED,
    GUITAR_CLEAN,
    GUITAR_CLEAN_PICKED,
    GUITAR_MUTED,
    GUITAR_LINE,
    NYLON,
    STEEL,
    STEEL_PICKED,
    TINES,
    ORGAN,
    PIANO,
    CELLO,
    STRINGS_LOW,
    VIOLIN,
    STRINGS_HIGH,
    BRASS,
];

impl Played {
    /// MIDI numbers of the notes that are played.
    pub fn notes(&self) -> Vec<f64> {
        (self.score)().iter().map(|note| note.midi).collect()
    }

    /// Seconds at which its loudest strokes begin: of each second or more, the notes of most force.
    pub fn hard_strokes(&self) -> Vec<f64> {
        let score = (self.score)();
        let most = score.iter().fold(0.0f64, |most, note| most.max(note.velocity));
        let mut begins: Vec<f64> =
            score.iter().filter(|note| note.velocity > 0.9 * most).map(|note| note.start_s).collect();
        begins.sort_by(f64::total_cmp);
        begins.dedup_by(|later, earlier| *later - *earlier < 1.0);
        begins
    }

    /// Played by a collection, both sides in one, its peak at [`PEAK_DB`].
    pub fn by(&self, collection: &Collection) -> Vec<f32> {
        self.transposed_by(collection, 0.0)
    }

    /// One note of its instrument, held for a second.
    pub fn single(&self, collection: &Collection, midi: f64) -> Vec<f32> {
        let mut synth = self.synth(collection);
        played(&mut synth, 0, &[Note { start_s: 0.0, length_s: 1.0, midi, velocity: 0.7, muted: false }])
    }

    /// The same so many semitones higher.
    pub fn transposed_by(&self, collection: &Collection, semitones: f64) -> Vec<f32> {
        let mut synth = self.synth(collection);
        let channel = if self.drums { DRUMS } else { 0 };
        let mut score = (self.score)();
        score.iter_mut().for_each(|note| note.midi += semitones);
        let mut sound = played(&mut synth, channel, &score);
        let peak = sound.iter().fold(0.0f32, |peak, x| peak.max(x.abs()));
        assert!(peak > 1e-4, "{} plays nothing", self.name);
        let gain = 10f32.powf(PEAK_DB as f32 / 20.0) / peak;
        sound.iter_mut().for_each(|x| *x *= gain);
        sound
    }
}

impl Played {
    /// A synthesiser with its instrument.
    fn synth(&self, collection: &Collection) -> Synthesizer {
        let mut settings = SynthesizerSettings::new(RATE as i32);
        settings.enable_reverb_and_chorus = false;
        let mut synth = Synthesizer::new(&collection.font, &settings).expect("settings it takes");
        let channel = if self.drums { DRUMS } else { 0 };
        synth.process_midi_message(channel, 0xC0, self.program, 0);
        synth
    }
}

/// The notes played by a synthesiser, to the sample.
fn played(synth: &mut Synthesizer, channel: i32, score: &[Note]) -> Vec<f32> {
    let frame = |seconds: f64| (seconds * f64::from(RATE)) as usize;
    let mut events: Vec<(usize, bool, i32, i32)> = Vec::new();
    for note in score {
        let (key, velocity) = (note.midi as i32, (127.0 * note.velocity).clamp(1.0, 127.0) as i32);
        events.push((frame(note.start_s), true, key, velocity));
        events.push((frame(note.start_s + note.length_s), false, key, 0));
    }
    // What ends before what begins, so that a note struck again sounds.
    events.sort_by_key(|(at, begins, key, _)| (*at, *begins, *key));
    let frames = frame(SECONDS);
    let (mut sound, mut at) = (Vec::with_capacity(frames), 0);
    let mut render = |synth: &mut Synthesizer, to: usize| {
        let (mut left, mut right) = (vec![0.0; to - at], vec![0.0; to - at]);
        synth.render(&mut left, &mut right);
        sound.extend(left.iter().zip(&right).map(|(l, r)| 0.5 * (l + r)));
        at = to;
    };
    for (when, begins, key, velocity) in events.into_iter().filter(|event| event.0 < frames) {
        render(synth, when);
        if begins {
            synth.note_on(channel, key, velocity);
        } else {
            synth.note_off(channel, key);
        }
    }
    render(synth, frames);
    sound
}
