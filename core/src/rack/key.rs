//! Keys: the outside sound that drives a unit.

use serde::{Deserialize, Serialize};
use serde_json::{Value as Json, json};

use crate::signal::StereoBlock;

/// Where a key listens to its strip.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case")]
#[cfg_attr(feature = "types", derive(ts_rs::TS))]
pub enum KeyTap {
    /// Before the strip's rack.
    BeforeRack,
    /// After it, before the fader.
    AfterRack,
}

/// What a unit with a key listens to.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash)]
pub enum Key {
    /// A strip of the session.
    Strip {
        /// Which.
        strip: u32,
        /// Where it is heard.
        tap: KeyTap,
    },
    /// A sound given beside the rack (`zinc-rack process --key`); not for sessions.
    Outside,
}

impl Key {
    /// Reads `"self"` (none), `"outside"`, or `{"strip": 4, "tap": "after-rack"}`.
    ///
    /// # Errors
    /// What the field could be, for anything else.
    pub fn from_json(json: &Json) -> Result<Option<Self>, String> {
        #[derive(Deserialize)]
        #[serde(deny_unknown_fields)]
        struct Named {
            strip: u32,
            #[serde(default = "after_rack")]
            tap: KeyTap,
        }
        fn after_rack() -> KeyTap {
            KeyTap::AfterRack
        }
        match json {
            Json::Null => Ok(None),
            Json::String(s) if s == "self" => Ok(None),
            Json::String(s) if s == "outside" => Ok(Some(Self::Outside)),
            other => {
                let named: Named = serde_json::from_value(other.clone()).map_err(|_| {
                    "it takes \"self\", \"outside\", or {\"strip\": number, \"tap\": \"before-rack\" or \"after-rack\"}"
                        .to_string()
                })?;
                Ok(Some(Self::Strip { strip: named.strip, tap: named.tap }))
            }
        }
    }

    /// As a rack file holds it.
    #[must_use]
    pub fn to_json(self) -> Json {
        match self {
            Self::Strip { strip, tap } => json!({ "strip": strip, "tap": tap }),
            Self::Outside => json!("outside"),
        }
    }

    /// The strip it listens to.
    #[must_use]
    pub fn strip(self) -> Option<u32> {
        match self {
            Self::Strip { strip, .. } => Some(strip),
            Self::Outside => None,
        }
    }
}

/// A key, or none, as a field of an edit has it.
pub mod written {
    use serde::de::Error;
    use serde::{Deserialize, Deserializer, Serialize, Serializer};
    use serde_json::Value as Json;

    use super::Key;

    /// As [`Key::to_json`], `"self"` for none.
    ///
    /// # Errors
    /// Those of the format.
    pub fn serialize<S: Serializer>(key: &Option<Key>, into: S) -> Result<S::Ok, S::Error> {
        match key {
            Some(key) => key.to_json().serialize(into),
            None => into.serialize_str("self"),
        }
    }

    /// As [`Key::from_json`].
    ///
    /// # Errors
    /// What the field could be, for anything else.
    pub fn deserialize<'de, D: Deserializer<'de>>(from: D) -> Result<Option<Key>, D::Error> {
        Key::from_json(&Json::deserialize(from)?).map_err(D::Error::custom)
    }
}

/// The key sounds of one block, by unit.
#[derive(Clone, Debug, Default)]
pub struct Keys {
    blocks: Vec<(u32, StereoBlock)>,
}

impl Keys {
    /// Room for the keys of these units, silent.
    #[must_use]
    pub fn for_units(units: impl Iterator<Item = u32>) -> Self {
        Self { blocks: units.map(|unit| (unit, StereoBlock::SILENT)).collect() }
    }

    /// Silences all.
    pub fn clear(&mut self) {
        self.blocks.iter_mut().for_each(|(_, block)| block.clear());
    }

    /// Adds to a unit's key; ignored for a unit without room.
    pub fn add(&mut self, unit: u32, sound: &StereoBlock) {
        if let Some((_, block)) = self.blocks.iter_mut().find(|(id, _)| *id == unit) {
            block.add(sound);
        }
    }

    /// The key of a unit; none for one that listens to itself.
    #[must_use]
    pub fn of(&self, unit: u32) -> Option<&StereoBlock> {
        self.blocks.iter().find(|(id, _)| *id == unit).map(|(_, block)| block)
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn keys_read_back_as_written_and_nonsense_is_explained() {
        for key in [Key::Outside, Key::Strip { strip: 7, tap: KeyTap::BeforeRack }] {
            assert_eq!(Key::from_json(&key.to_json()).unwrap(), Some(key));
        }
        assert_eq!(Key::from_json(&json!("self")).unwrap(), None);
        assert!(Key::from_json(&json!({"strip": 7})).is_ok());
        for bad in [json!("kick"), json!(3), json!({"strip": "a"}), json!({"strip": 1, "tap": "middle"})] {
            assert!(Key::from_json(&bad).unwrap_err().contains("before-rack"), "{bad}");
        }
    }
}
