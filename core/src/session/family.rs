//! Instrument families and their letter marks.

use serde::{Deserialize, Serialize};

/// The family of a strip; marked by letters so that colour is never the only sign.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash, Serialize, Deserialize)]
#[cfg_attr(feature = "types", derive(ts_rs::TS))]
pub enum Family {
    /// Drums and percussion.
    Dr,
    /// Basses.
    Bs,
    /// Guitars.
    Gt,
    /// Keyboards.
    Ky,
    /// Orchestral instruments.
    Or,
    /// Voices.
    Vo,
    /// Effects returns and anything else.
    Fx,
}

impl Family {
    /// All families in signal order.
    pub const ALL: [Self; 7] = [Self::Dr, Self::Bs, Self::Gt, Self::Ky, Self::Or, Self::Vo, Self::Fx];

    /// The two letters.
    #[must_use]
    pub fn mark(self) -> &'static str {
        match self {
            Self::Dr => "Dr",
            Self::Bs => "Bs",
            Self::Gt => "Gt",
            Self::Ky => "Ky",
            Self::Or => "Or",
            Self::Vo => "Vo",
            Self::Fx => "Fx",
        }
    }

    /// The family in words.
    #[must_use]
    pub fn name(self) -> &'static str {
        match self {
            Self::Dr => "Drums",
            Self::Bs => "Bass",
            Self::Gt => "Guitars",
            Self::Ky => "Keys",
            Self::Or => "Orchestral",
            Self::Vo => "Voice",
            Self::Fx => "Other",
        }
    }

    /// The family with these two letters.
    #[must_use]
    pub fn from_mark(mark: &str) -> Option<Self> {
        Self::ALL.into_iter().find(|f| f.mark() == mark)
    }

    /// A guess from a track's name; `Fx` where nothing in it is a known word.
    #[must_use]
    pub fn guess(name: &str) -> Self {
        const WORDS: &[(&str, Family)] = &[
            ("kick", Family::Dr),
            ("snare", Family::Dr),
            ("drum", Family::Dr),
            ("tom", Family::Dr),
            ("hat", Family::Dr),
            ("cymbal", Family::Dr),
            ("overhead", Family::Dr),
            ("perc", Family::Dr),
            ("shaker", Family::Dr),
            ("bass", Family::Bs),
            ("guitar", Family::Gt),
            ("gtr", Family::Gt),
            ("acoustic", Family::Gt),
            ("rhythm", Family::Gt),
            ("lead", Family::Gt),
            ("piano", Family::Ky),
            ("organ", Family::Ky),
            ("key", Family::Ky),
            ("synth", Family::Ky),
            ("cello", Family::Or),
            ("violin", Family::Or),
            ("viola", Family::Or),
            ("string", Family::Or),
            ("horn", Family::Or),
            ("voice", Family::Vo),
            ("vocal", Family::Vo),
            ("vox", Family::Vo),
            ("sing", Family::Vo),
        ];
        let name = name.to_lowercase();
        WORDS.iter().find(|(word, _)| name.contains(word)).map_or(Self::Fx, |(_, family)| *family)
    }
}
