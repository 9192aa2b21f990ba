//! Sounds as values of parameters: a response that is convolved with, by the hash of its
//! content.
//!
//! What is written down is the name alone. Whoever is about to run, draw or print what names
//! sounds supplies them ([`Sounds`]); from then on the settings hold them, and every fact of a
//! unit is a function of its settings as ever.

use std::collections::BTreeMap;
use std::str::FromStr;
use std::sync::Arc;

use crate::signal::Sound;

/// Name of a sound: the hash of its content on the audio shelf, 64 hexadecimal digits in
/// writing.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, PartialOrd, Ord)]
pub struct SoundId([u8; 32]);

/// A text that is no name of a sound.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct NotASoundId;

impl FromStr for SoundId {
    type Err = NotASoundId;

    fn from_str(text: &str) -> Result<Self, NotASoundId> {
        let digits = text.as_bytes();
        if digits.len() != 64 || digits.iter().any(|d| !matches!(d, b'0'..=b'9' | b'a'..=b'f')) {
            return Err(NotASoundId);
        }
        let value = |digit: u8| if digit < b'a' { digit - b'0' } else { digit - b'a' + 10 };
        Ok(Self(std::array::from_fn(|i| 16 * value(digits[2 * i]) + value(digits[2 * i + 1]))))
    }
}

impl core::fmt::Display for SoundId {
    fn fmt(&self, f: &mut core::fmt::Formatter<'_>) -> core::fmt::Result {
        self.0.iter().try_for_each(|byte| write!(f, "{byte:02x}"))
    }
}

/// Value of a parameter that takes a sound: its name, and the sound itself once supplied.
#[derive(Clone, Debug)]
pub struct NamedSound {
    /// Its name.
    pub id: SoundId,
    /// The sound; none before it is supplied, or where it is missing.
    pub sound: Option<Arc<Sound>>,
}

impl PartialEq for NamedSound {
    /// One name is one content: beyond it only whether the sound is there counts.
    fn eq(&self, other: &Self) -> bool {
        self.id == other.id && self.sound.is_some() == other.sound.is_some()
    }
}

/// Sounds by their names.
#[derive(Clone, Debug, Default)]
pub struct Sounds(BTreeMap<SoundId, Arc<Sound>>);

impl PartialEq for Sounds {
    fn eq(&self, other: &Self) -> bool {
        self.0.keys().eq(other.0.keys())
    }
}

impl Sounds {
    /// Takes a sound in.
    pub fn put(&mut self, id: SoundId, sound: Arc<Sound>) {
        self.0.insert(id, sound);
    }

    /// Lets go of a sound; units that hold it keep it.
    pub fn forget(&mut self, id: SoundId) {
        self.0.remove(&id);
    }

    /// The sound of a name.
    #[must_use]
    pub fn get(&self, id: SoundId) -> Option<&Arc<Sound>> {
        self.0.get(&id)
    }

    /// Whether there is none.
    #[must_use]
    pub fn is_empty(&self) -> bool {
        self.0.is_empty()
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_name_reads_as_it_is_written_and_nothing_else_is_one() {
        let text = "0123456789abcdef".repeat(4);
        assert_eq!(text.parse::<SoundId>().map(|id| id.to_string()), Ok(text.clone()));
        for wrong in ["", &text[1..], &text.to_uppercase(), &format!("{text}0"), &text.replace('0', "ä")] {
            assert_eq!(wrong.parse::<SoundId>(), Err(NotASoundId), "{wrong}");
        }
    }
}
