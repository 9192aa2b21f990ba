//! Identities of units that a window gives away before the server has answered.
//!
//! A unit that is put in is there at once, under the identity the server will give it if nobody was quicker. Where
//! somebody was, the server gives it another, and what waits behind it is about that one.

use super::change::Edit;
use crate::rack::UnitSpec;

impl Edit {
    /// Gives the units it puts in identities from `next` on, where they have none yet.
    pub(in crate::session) fn identify(&mut self, mut next: u32) {
        for unit in self.put_in_mut().filter(|unit| unit.id == 0) {
            unit.id = next;
            next = next.saturating_add(1);
        }
    }

    /// The identities of the units it puts in, in order.
    pub(in crate::session) fn put_in(&self) -> Vec<u32> {
        self.clone().put_in_mut().map(|unit| unit.id).collect()
    }

    fn put_in_mut(&mut self) -> impl Iterator<Item = &mut UnitSpec> {
        let parts = match self {
            Self::Several { edits } => edits.as_mut_slice(),
            single => std::slice::from_mut(single),
        };
        parts.iter_mut().filter_map(|edit| match edit {
            Self::AddUnit { unit, .. } => Some(unit.as_mut()),
            _ => None,
        })
    }

    /// Is about other units where it was about the first of one of these pairs: about the second.
    pub(in crate::session) fn rename_units(&mut self, other: &[(u32, u32)]) {
        let renamed = |id: &mut u32| *id = other.iter().find(|(was, _)| was == id).map_or(*id, |(_, is)| *is);
        match self {
            Self::Several { edits } => edits.iter_mut().for_each(|edit| edit.rename_units(other)),
            Self::AddUnit { unit, .. } | Self::SetUnit { unit, .. } => {
                renamed(&mut unit.id);
                unit.follows.iter_mut().for_each(|follow| renamed(&mut follow.unit));
            }
            Self::SetFollows { unit, follows, .. } => {
                renamed(unit);
                follows.iter_mut().for_each(|follow| renamed(&mut follow.unit));
            }
            Self::RemoveUnit { unit, .. }
            | Self::MoveUnit { unit, .. }
            | Self::SetParam { unit, .. }
            | Self::AddRow { unit, .. }
            | Self::RemoveRow { unit, .. }
            | Self::SetHere { unit, .. }
            | Self::SetLane { unit, .. }
            | Self::NameUnit { unit, .. }
            | Self::SetWhy { unit, .. }
            | Self::SetKey { unit, .. }
            | Self::CopyUnit { unit, .. } => renamed(unit),
            Self::ReplaceRack { rack, .. } => {
                for unit in &mut rack.units {
                    renamed(&mut unit.id);
                    unit.follows.iter_mut().for_each(|follow| renamed(&mut follow.unit));
                }
            }
            Self::SetControl { .. }
            | Self::Rename { .. }
            | Self::SetNote { .. }
            | Self::SetPointsOn { .. }
            | Self::CopyRack { .. }
            | Self::AddStrip { .. }
            | Self::RemoveStrip { .. }
            | Self::MoveStrip { .. }
            | Self::SetFeeds { .. }
            | Self::SetSends { .. }
            | Self::SetPart { .. }
            | Self::SetTakeSet { .. }
            | Self::SetStart { .. }
            | Self::SetTempo { .. }
            | Self::AddSection { .. }
            | Self::SetSection { .. }
            | Self::RemoveSection { .. }
            | Self::SetSections { .. }
            | Self::Note { .. } => {}
        }
    }
}
