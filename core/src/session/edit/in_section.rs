//! An edit made where changes hold in one section alone.

use super::change::Edit;
use crate::session::controls::CHANGING;
use crate::unit::value::Written;

impl Edit {
    /// The edit that does in a section what this one does everywhere; none where that cannot differ from section to
    /// section. What is written of a thing, what drives it and what it follows is one for the whole song.
    #[must_use]
    pub fn in_section(&self, section: u32) -> Option<Self> {
        let here = |strip: u32, unit: u32, param: &str, value: &Written| {
            Some(Self::SetHere { strip, unit, param: param.to_string(), section, value: Some(value.clone()) })
        };
        match self {
            Self::SetParam { strip, unit, param, value } => here(*strip, *unit, param, value),
            Self::SetControl { strip, control, value } if CHANGING.contains(&control.as_str()) => {
                here(*strip, 0, control, value)
            }
            Self::Several { edits } => {
                let edits = edits.iter().map(|edit| edit.in_section(section)).collect::<Option<_>>()?;
                Some(Self::Several { edits })
            }
            Self::NameUnit { .. }
            | Self::SetWhy { .. }
            | Self::SetKey { .. }
            | Self::SetFollows { .. }
            | Self::Rename { .. }
            | Self::SetNote { .. } => Some(self.clone()),
            Self::SetControl { .. }
            | Self::AddUnit { .. }
            | Self::RemoveUnit { .. }
            | Self::MoveUnit { .. }
            | Self::AddRow { .. }
            | Self::RemoveRow { .. }
            | Self::SetHere { .. }
            | Self::SetLane { .. }
            | Self::SetPointsOn { .. }
            | Self::SetUnit { .. }
            | Self::CopyUnit { .. }
            | Self::CopyRack { .. }
            | Self::ReplaceRack { .. }
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
            | Self::Note { .. } => None,
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn control(name: &str) -> Edit {
        Edit::SetControl { strip: 2, control: name.into(), value: (-3).into() }
    }

    #[test]
    fn a_value_differs_in_a_section_where_it_can_and_nothing_is_done_by_half() {
        let here = Edit::SetHere { strip: 2, unit: 0, param: "pan".into(), section: 7, value: Some((-3).into()) };
        assert_eq!(control("pan").in_section(7), Some(here.clone()));
        assert_eq!(control("delay_ms").in_section(7), None);
        let both = |second: &str| Edit::Several { edits: vec![control("pan"), control(second)] }.in_section(7);
        assert_eq!(both("delay_ms"), None);
        assert_eq!(both("pan"), Some(Edit::Several { edits: vec![here.clone(), here] }));
    }
}
