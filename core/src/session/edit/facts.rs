//! What whoever shows or plays a session has to know of an edit. Every edit is named here once, so that a new one does
//! not compile until this has been said of it.

use serde::Serialize;

use super::change::Edit;
use crate::session::controls::INPUT_CONTROLS;

/// What of a session an edit is about, as a page draws it.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize)]
#[serde(rename_all = "kebab-case")]
#[cfg_attr(feature = "types", derive(ts_rs::TS))]
pub enum About {
    /// Values and words of units; which units there are, and in what order, stays.
    Units,
    /// Which units a rack has, and in what order.
    Rack,
    /// Controls of a strip, everywhere or over the song.
    Controls,
    /// Where a strip is sent to beside what it feeds.
    Sends,
    /// What was noted of a strip, and which recordings it belongs to.
    Words,
    /// What a strip is called.
    Name,
    /// What it is, where it begins, what it feeds.
    Standing,
    /// Which strips there are, and in what order.
    Strips,
    /// Sections, tempo, what points stay on.
    Song,
    /// What is kept beside the sound.
    Notebook,
    /// More than one of these.
    Mixed,
}

/// How far an edit reaches into what is heard; each further one includes those before it.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Serialize)]
#[serde(rename_all = "kebab-case")]
#[cfg_attr(feature = "types", derive(ts_rs::TS))]
pub enum Reach {
    /// Nothing sounds otherwise.
    Nothing,
    /// What a mix does with what leaves the racks: no rack gives out anything else by it.
    Mix,
    /// What leaves a rack, so that what was printed of it is of another session now.
    Racks,
}

/// What has to be known of an edit.
#[derive(Clone, Debug, PartialEq, Eq, Serialize)]
#[cfg_attr(feature = "types", derive(ts_rs::TS))]
pub struct Facts {
    /// The strips that are other than before, each once.
    pub strips: Vec<u32>,
    /// What it is about.
    pub about: About,
    /// How far it is heard.
    pub reach: Reach,
    /// Whether it can be shown and heard before it is known whether it will be kept: it gives no identity away, but those
    /// of units, of which a window can tell what they will be ([`crate::session::window`]).
    pub at_once: bool,
    /// Whether it brings units in that may have come from another session.
    #[serde(skip)]
    pub(super) brings_units: bool,
    /// Whether it may take something along of what changes with the song.
    #[serde(skip)]
    pub(super) takes_along: bool,
}

impl Facts {
    fn of(strip: Option<u32>, about: About, reach: Reach) -> Self {
        let strips = strip.into_iter().collect();
        Self { strips, about, reach, at_once: false, brings_units: false, takes_along: false }
    }

    fn at_once(self) -> Self {
        Self { at_once: true, ..self }
    }

    fn brings_units(self) -> Self {
        Self { brings_units: true, ..self }
    }

    fn takes_along(self) -> Self {
        Self { takes_along: true, ..self }
    }

    /// Those of two edits made as one.
    fn and(mut self, other: Self) -> Self {
        for strip in other.strips {
            if !self.strips.contains(&strip) {
                self.strips.push(strip);
            }
        }
        Self {
            strips: self.strips,
            about: self.about.and(other.about),
            reach: self.reach.max(other.reach),
            at_once: self.at_once && other.at_once,
            brings_units: self.brings_units || other.brings_units,
            takes_along: self.takes_along || other.takes_along,
        }
    }
}

impl About {
    fn and(self, other: Self) -> Self {
        match (self, other) {
            (a, b) if a == b => a,
            (Self::Units, Self::Rack) | (Self::Rack, Self::Units) => Self::Rack,
            _ => Self::Mixed,
        }
    }
}

impl Edit {
    /// What has to be known of it; of several, what is true of all of them together.
    #[must_use]
    pub fn facts(&self) -> Facts {
        use About::{Controls, Name, Notebook, Rack, Sends, Song, Standing, Strips, Units, Words};
        use Reach::{Mix, Nothing, Racks};
        match self {
            Self::SetControl { strip, control, .. } => {
                let before_rack = INPUT_CONTROLS.contains(&control.as_str());
                Facts::of(Some(*strip), Controls, if before_rack { Racks } else { Mix }).at_once()
            }
            Self::SetHere { strip, unit: 0, .. } | Self::SetLane { strip, unit: 0, .. } => {
                Facts::of(Some(*strip), Controls, Mix).at_once()
            }
            Self::SetHere { strip, .. }
            | Self::SetLane { strip, .. }
            | Self::SetParam { strip, .. }
            | Self::SetKey { strip, .. }
            | Self::SetFollows { strip, .. } => Facts::of(Some(*strip), Units, Racks).at_once(),
            Self::AddRow { strip, .. } => Facts::of(Some(*strip), Units, Racks).at_once(),
            Self::RemoveRow { strip, .. } => Facts::of(Some(*strip), Units, Racks).at_once().takes_along(),
            Self::SetUnit { strip, .. } => Facts::of(Some(*strip), Units, Racks).at_once().brings_units(),
            Self::NameUnit { strip, .. } | Self::SetWhy { strip, .. } => {
                Facts::of(Some(*strip), Units, Nothing).at_once()
            }
            Self::AddUnit { strip, .. } => Facts::of(Some(*strip), Rack, Racks).at_once().brings_units(),
            Self::RemoveUnit { strip, .. } | Self::MoveUnit { strip, .. } => {
                Facts::of(Some(*strip), Rack, Racks).at_once()
            }
            Self::ReplaceRack { strip, .. } => Facts::of(Some(*strip), Rack, Racks).brings_units(),
            Self::CopyUnit { to: strip, .. } | Self::CopyRack { to: strip, .. } => Facts::of(Some(*strip), Rack, Racks),
            Self::SetSends { strip, .. } => Facts::of(Some(*strip), Sends, Mix).at_once().takes_along(),
            Self::SetNote { strip, .. } | Self::SetTakeSet { strip, .. } => {
                Facts::of(Some(*strip), Words, Nothing).at_once()
            }
            Self::Rename { strip, .. } => Facts::of(Some(*strip), Name, Nothing).at_once(),
            Self::SetPart { strip, .. } => Facts::of(Some(*strip), Standing, Nothing).at_once(),
            Self::SetStart { strip, .. } | Self::SetFeeds { strip, .. } => Facts::of(Some(*strip), Standing, Racks),
            Self::AddStrip { .. } => Facts::of(None, Strips, Racks).brings_units(),
            Self::RemoveStrip { strip } => Facts::of(Some(*strip), Strips, Racks),
            Self::MoveStrip { strip, .. } => Facts::of(Some(*strip), Strips, Mix),
            Self::SetTempo { .. } | Self::RemoveSection { .. } | Self::SetSections { .. } => {
                Facts::of(None, Song, Racks).takes_along()
            }
            Self::SetSection { .. } => Facts::of(None, Song, Racks),
            Self::AddSection { .. } | Self::SetPointsOn { .. } => Facts::of(None, Song, Nothing),
            Self::Note { .. } => Facts::of(None, Notebook, Nothing).at_once(),
            Self::Several { edits } => {
                let all = edits.iter().map(Self::facts).reduce(Facts::and);
                all.unwrap_or_else(|| Facts::of(None, About::Mixed, Nothing))
            }
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn param(strip: u32) -> Edit {
        Edit::SetParam { strip, unit: 9, param: "ratio".into(), value: 4.into() }
    }

    fn facts(edits: Vec<Edit>) -> Facts {
        Edit::Several { edits }.facts()
    }

    #[test]
    fn what_enters_a_rack_changes_its_print_and_a_fader_does_not() {
        let control = |name: &str| Edit::SetControl { strip: 2, control: name.into(), value: 0.into() }.facts();
        assert_eq!(control("input_db").reach, Reach::Racks);
        assert_eq!(control("level_db").reach, Reach::Mix);
        assert_eq!(Edit::SetNote { strip: 2, note: String::new() }.facts().reach, Reach::Nothing);
    }

    #[test]
    fn several_are_about_what_all_of_them_are_and_reach_as_far_as_the_furthest() {
        let copy = Edit::CopyRack { strip: 9, to: 4, linked: false };
        let both = facts(vec![param(4), param(5), param(4)]);
        assert_eq!((both.strips, both.about, both.at_once), (vec![4, 5], About::Units, true));
        let rack = facts(vec![param(4), copy]);
        assert_eq!((rack.about, rack.at_once), (About::Rack, false));
        let mixed = facts(vec![Edit::Rename { strip: 4, name: "a".into() }, param(4)]);
        assert_eq!((mixed.about, mixed.reach), (About::Mixed, Reach::Racks));
    }
}
