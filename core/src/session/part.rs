//! What a track is: the instrument and how it was recorded.

use serde::{Deserialize, Serialize};

use super::family::Family;

/// The part a track plays. Decides its family mark and what is offered for it.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Hash, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case")]
#[cfg_attr(feature = "types", derive(ts_rs::TS))]
pub enum Part {
    /// Not known, and not guessed with any confidence.
    #[default]
    Unknown,
    /// Bass drum, close.
    Kick,
    /// Snare drum, close.
    Snare,
    /// Toms, close.
    Toms,
    /// Cymbals and kit from above, hats, shakers.
    Overheads,
    /// Bass straight from the instrument.
    BassDi,
    /// Bass through a cabinet and a microphone.
    BassMic,
    /// Rhythm guitar.
    RhythmGuitar,
    /// Acoustic guitar.
    AcousticGuitar,
    /// Lead guitar: melodies.
    LeadGuitar,
    /// Electric piano.
    ElectricPiano,
    /// Piano.
    Piano,
    /// Organ.
    Organ,
    /// Synthesiser.
    Synth,
    /// Low bowed strings.
    Cellos,
    /// High bowed strings.
    Violins,
    /// Winds and brass.
    Winds,
    /// Voices.
    Voice,
    /// Return of an effect.
    EffectsReturn,
}

/// A part with its words.
struct Entry {
    part: Part,
    id: &'static str,
    label: &'static str,
    family: Family,
    /// Words and abbreviations found in track names, lower case.
    words: &'static [&'static str],
}

const fn entry(
    part: Part,
    id: &'static str,
    label: &'static str,
    family: Family,
    words: &'static [&'static str],
) -> Entry {
    Entry { part, id, label, family, words }
}

/// More telling words stand above less telling ones: "bass drum" before "bass".
const PARTS: &[Entry] = &[
    entry(Part::Kick, "kick", "kick drum", Family::Dr, &["kick", "bass drum", "bassdrum", "bd", "kik"]),
    entry(Part::Snare, "snare", "snare drum", Family::Dr, &["snare", "snr", "sd"]),
    entry(Part::Toms, "toms", "toms", Family::Dr, &["tom", "toms", "floor tom"]),
    entry(
        Part::Overheads,
        "overheads",
        "overheads",
        Family::Dr,
        &[
            "overhead",
            "overheads",
            "oh",
            "hat",
            "hats",
            "hihat",
            "hh",
            "cymbal",
            "cymbals",
            "ride",
            "shaker",
            "room",
            "perc",
            "percussion",
            "drum",
            "drums",
            "tambourine",
        ],
    ),
    entry(
        Part::BassMic,
        "bass-mic",
        "bass, microphone",
        Family::Bs,
        &["bass mic", "bass cab", "bass cabinet", "bass amp", "bassamp", "basscab"],
    ),
    entry(Part::BassDi, "bass-di", "bass, direct", Family::Bs, &["bass di", "bass", "bs", "bassdi"]),
    entry(
        Part::ElectricPiano,
        "electric-piano",
        "electric piano",
        Family::Ky,
        &["electric piano", "epiano", "e piano", "ep", "tine", "reed piano"],
    ),
    entry(Part::Piano, "piano", "piano", Family::Ky, &["piano", "pno", "grand", "upright"]),
    entry(Part::Organ, "organ", "organ", Family::Ky, &["organ", "org"]),
    entry(Part::Synth, "synth", "synthesiser", Family::Ky, &["synth", "pad", "keys", "key", "arp"]),
    entry(
        Part::AcousticGuitar,
        "acoustic-guitar",
        "acoustic guitar",
        Family::Gt,
        &["acoustic", "acoustic guitar", "ac gtr", "acgtr", "nylon", "agtr", "strum"],
    ),
    entry(Part::LeadGuitar, "lead-guitar", "lead guitar", Family::Gt, &["lead", "solo", "lead guitar", "ld gtr"]),
    entry(
        Part::RhythmGuitar,
        "rhythm-guitar",
        "rhythm guitar",
        Family::Gt,
        &["rhythm", "rhy", "guitar", "gtr", "gt", "elgtr", "egtr"],
    ),
    entry(
        Part::Cellos,
        "cellos",
        "cellos",
        Family::Or,
        &["cello", "cellos", "celli", "vc", "double bass", "contrabass", "low strings"],
    ),
    entry(
        Part::Violins,
        "violins",
        "violins",
        Family::Or,
        &["violin", "violins", "viola", "violas", "vln", "vla", "strings", "string", "fiddle"],
    ),
    entry(
        Part::Winds,
        "winds",
        "winds and brass",
        Family::Or,
        &["horn", "horns", "trumpet", "trombone", "flute", "clarinet", "sax", "oboe", "brass"],
    ),
    entry(
        Part::Voice,
        "voice",
        "voice",
        Family::Vo,
        &[
            "lead vox",
            "lead vocal",
            "lead voice",
            "voice",
            "vox",
            "vocal",
            "vocals",
            "voc",
            "vo",
            "choir",
            "singer",
            "sing",
            "bv",
            "guide",
        ],
    ),
    entry(
        Part::EffectsReturn,
        "effects-return",
        "effects return",
        Family::Fx,
        &["reverb", "verb", "delay", "echo", "fx", "return", "rev"],
    ),
    entry(Part::Unknown, "unknown", "not known", Family::Fx, &[]),
];

impl Part {
    /// All parts in the order they are offered.
    pub fn all() -> impl Iterator<Item = Self> {
        PARTS.iter().map(|e| e.part)
    }

    fn entry(self) -> &'static Entry {
        let found = PARTS.iter().find(|e| e.part == self);
        // The table holds every part (a test says so); the last is "not known".
        found.unwrap_or(&PARTS[PARTS.len() - 1])
    }

    /// Name in documents.
    #[must_use]
    pub fn id(self) -> &'static str {
        self.entry().id
    }

    /// Words on the page.
    #[must_use]
    pub fn label(self) -> &'static str {
        self.entry().label
    }

    /// Its family.
    #[must_use]
    pub fn family(self) -> Family {
        self.entry().family
    }

    /// The part with this name.
    #[must_use]
    pub fn from_id(id: &str) -> Option<Self> {
        PARTS.iter().find(|e| e.id == id).map(|e| e.part)
    }

    /// What a track's name says it is; `Unknown` where nothing in it is a known word.
    /// The longest known word decides, then the more telling part.
    #[must_use]
    pub fn from_name(name: &str) -> Self {
        let name = spaced(name);
        let mut best = (0, Self::Unknown);
        for entry in PARTS {
            for word in entry.words.iter().filter(|w| name.contains(&format!(" {w} "))) {
                if word.len() > best.0 {
                    best = (word.len(), entry.part);
                }
            }
        }
        best.1
    }
}

/// A name as lower-case words between single spaces: at anything that is no letter,
/// and where a small letter meets a capital ("BassDI L-02" is " bass di l ").
fn spaced(name: &str) -> String {
    let mut out = String::from(" ");
    let mut last = ' ';
    for c in name.chars() {
        if c.is_uppercase() && last.is_lowercase() {
            out.push(' ');
        }
        if c.is_alphabetic() {
            out.extend(c.to_lowercase());
        } else if !out.ends_with(' ') {
            out.push(' ');
        }
        last = c;
    }
    if !out.ends_with(' ') {
        out.push(' ');
    }
    out
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn names_from_anyones_recorder_are_understood() {
        for (name, part) in [
            ("Kick in", Part::Kick),
            ("01_BassDrum", Part::Kick),
            ("SNR top", Part::Snare),
            ("OH_L", Part::Overheads),
            ("Bass DI", Part::BassDi),
            ("BassDI_03", Part::BassDi),
            ("bass cabinet", Part::BassMic),
            ("Bass-Amp", Part::BassMic),
            ("gtr-left", Part::RhythmGuitar),
            ("Rhythm left DI", Part::RhythmGuitar),
            ("Lead Gtr", Part::LeadGuitar),
            ("Acoustic", Part::AcousticGuitar),
            ("Electric piano", Part::ElectricPiano),
            ("Grand Piano 2", Part::Piano),
            ("Organ", Part::Organ),
            ("Cello section", Part::Cellos),
            ("Vln II", Part::Violins),
            ("LeadVox", Part::Voice),
            ("BV 3", Part::Voice),
            ("take 7", Part::Unknown),
            ("Audio 12", Part::Unknown),
            ("", Part::Unknown),
        ] {
            assert_eq!(Part::from_name(name), part, "{name}");
        }
    }

    #[test]
    fn every_part_stands_in_the_table_once() {
        for part in Part::all() {
            assert_eq!(PARTS.iter().filter(|e| e.part == part).count(), 1);
            assert_eq!(Part::from_id(part.id()), Some(part));
            assert_eq!(serde_json::to_value(part).unwrap(), part.id());
        }
        assert_eq!(Part::all().count(), 19);
    }
}
