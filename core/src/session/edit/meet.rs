//! Two windows on one session: what becomes of an edit made before others were known.
//!
//! An edit names the least it changes, so most edits of two windows meet without a word: each
//! changes its own. Where both set the very same value the later one stands, and both are told.
//! Where one replaces a whole that the other has changed a part of, or counts rows that the
//! other has moved, the later one is refused and told: nothing is lost in silence.

use super::change::Edit;

/// How an edit meets one that was made before it and not known to who made it.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub enum Meeting {
    /// Each changes its own.
    Apart,
    /// Both set the same value: the later stands.
    Overtakes,
    /// It would undo or misplace what the other did: it is refused.
    Collides,
}

/// What an edit changes, as far as it can meet another.
#[derive(Clone, Copy, Debug, PartialEq)]
enum Spot<'a> {
    /// One value of a unit.
    Param(u32, &'a str),
    /// One value of a unit, or of a strip (unit 0), in a section.
    Here(u32, &'a str, u32),
    /// The lane of one.
    Lane(u32, &'a str),
    /// How many rows a list of a unit has, and in what order.
    Rows(u32, &'a str),
    /// All of a unit's values.
    Unit(u32),
    /// Something else of a unit, by name.
    Of(u32, &'static str),
    /// A unit is gone.
    Gone(u32),
    /// The order of a rack.
    Order(u32),
    /// A whole rack.
    Rack(u32),
    /// One value of a strip, by name.
    Strip(u32, &'a str),
    /// A strip is gone.
    StripGone(u32),
    /// A section as a whole: it comes or goes.
    Section(u32),
    /// Name, start or end of one.
    OfSection(u32, usize),
    /// All sections.
    Sections,
    /// Tempo and metre.
    Tempo,
    /// Nothing that another could be in the way of.
    Free,
}

impl Edit {
    /// How this edit, made without knowing of `earlier`, meets it.
    #[must_use]
    pub fn meets(&self, earlier: &Self) -> Meeting {
        let (mut own, mut theirs) = (Vec::new(), Vec::new());
        self.places(&mut own);
        earlier.places(&mut theirs);
        let pairs = own.iter().flat_map(|a| theirs.iter().map(move |b| meeting(a, b)));
        pairs.max().unwrap_or(Meeting::Apart)
    }

    fn places<'a>(&'a self, out: &mut Vec<(u32, Spot<'a>)>) {
        let place = match self {
            Self::Several { edits } => return edits.iter().for_each(|edit| edit.places(out)),
            Self::SetParam { strip, unit, param, .. } => (*strip, Spot::Param(*unit, param)),
            Self::SetHere { strip, unit, param, section, .. } => (*strip, Spot::Here(*unit, param, *section)),
            Self::SetLane { strip, unit, param, .. } => (*strip, Spot::Lane(*unit, param)),
            Self::AddRow { strip, unit, list, .. } | Self::RemoveRow { strip, unit, list, .. } => {
                (*strip, Spot::Rows(*unit, list))
            }
            Self::SetUnit { strip, unit } => (*strip, Spot::Unit(unit.id)),
            Self::NameUnit { strip, unit, .. } => (*strip, Spot::Of(*unit, "name")),
            Self::SetWhy { strip, unit, .. } => (*strip, Spot::Of(*unit, "why")),
            Self::SetKey { strip, unit, .. } => (*strip, Spot::Of(*unit, "key")),
            Self::SetFollows { strip, unit, .. } => (*strip, Spot::Of(*unit, "link")),
            Self::RemoveUnit { strip, unit } => (*strip, Spot::Gone(*unit)),
            Self::MoveUnit { strip, unit, .. } => (*strip, Spot::Order(*unit)),
            Self::ReplaceRack { strip, .. } | Self::CopyRack { to: strip, .. } => (*strip, Spot::Rack(*strip)),
            Self::SetControl { strip, control, .. } => (*strip, Spot::Strip(*strip, control)),
            Self::Rename { strip, .. } => (*strip, Spot::Strip(*strip, "name")),
            Self::SetNote { strip, .. } => (*strip, Spot::Strip(*strip, "note")),
            Self::SetFeeds { strip, .. } => (*strip, Spot::Strip(*strip, "feeds")),
            Self::SetSends { strip, .. } => (*strip, Spot::Strip(*strip, "sends")),
            Self::SetPart { strip, .. } => (*strip, Spot::Strip(*strip, "part")),
            Self::SetTakeSet { strip, .. } => (*strip, Spot::Strip(*strip, "take set")),
            Self::SetStart { strip, .. } => (*strip, Spot::Strip(*strip, "start")),
            Self::RemoveStrip { strip } => (*strip, Spot::StripGone(*strip)),
            Self::SetSection { section } => {
                let set = section.sets().into_iter().enumerate().filter(|(_, is_set)| *is_set);
                return out.extend(set.map(|(which, _)| (0, Spot::OfSection(section.id, which))));
            }
            Self::RemoveSection { section } => (0, Spot::Section(*section)),
            Self::SetSections { .. } => (0, Spot::Sections),
            Self::AddSection { .. } => (0, Spot::Section(0)),
            Self::SetTempo { .. } | Self::SetPointsOn { .. } => (0, Spot::Tempo),
            Self::AddUnit { strip, .. } | Self::CopyUnit { to: strip, .. } => (*strip, Spot::Order(0)),
            Self::AddStrip { .. } | Self::MoveStrip { .. } | Self::Note { .. } => (0, Spot::Free),
        };
        out.push(place);
    }
}

/// How a later place meets an earlier one.
fn meeting((strip, later): &(u32, Spot<'_>), (other, earlier): &(u32, Spot<'_>)) -> Meeting {
    use Meeting::{Apart, Collides, Overtakes};
    use Spot::{Here, Lane, Of, OfSection, Order, Param, Rack, Rows, Section, Sections, Strip, Unit};
    if strip != other {
        return Apart;
    }
    let unit_of = |place: &Spot<'_>| match place {
        Param(unit, _) | Rows(unit, _) | Unit(unit) | Of(unit, _) | Here(unit, ..) | Lane(unit, _) => Some(*unit),
        _ => None,
    };
    let is_row = |param: &str, list: &str| param.strip_prefix(list).is_some_and(|rest| rest.starts_with('['));
    match (later, earlier) {
        (Strip(_, "sends"), Strip(_, "sends")) => Collides,
        (a, b)
            if a == b
                && matches!(
                    a,
                    Param(..) | Here(..) | Lane(..) | Of(..) | Strip(..) | Section(1..) | OfSection(..) | Spot::Tempo
                ) =>
        {
            Overtakes
        }
        (Param(a, param) | Here(a, param, _) | Lane(a, param), Rows(b, list)) if a == b && is_row(param, list) => {
            Collides
        }
        // The lists of two windows are counted from the same start only if nobody moved rows.
        (Rows(a, x), Rows(b, y)) if a == b && x == y => Collides,
        // The whole of a unit has set this one too.
        (Param(a, _) | Of(a, _), Unit(b)) if a == b => Overtakes,
        (Unit(_), b) if unit_of(b) == unit_of(later) => Collides,
        (Rack(_), b) if unit_of(b).is_some() || matches!(b, Order(_) | Rack(_) | Spot::Gone(_)) => Collides,
        // What was set of a section that goes.
        (Section(a), OfSection(b, _)) if a == b => Overtakes,
        (Sections, Section(_) | OfSection(..) | Sections) => Collides,
        // What is gone cannot be set; the core says so itself.
        _ => Apart,
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::rack::{RackSpec, UnitSpec};
    use crate::session::SectionChange;
    use crate::unit::catalogue::kind;
    use crate::unit::value::WrittenRow;

    fn param(unit: u32, param: &str) -> Edit {
        Edit::SetParam { strip: 4, unit, param: param.into(), value: 1.into() }
    }

    fn whole(unit: u32) -> Edit {
        Edit::SetUnit { strip: 4, unit: Box::new(UnitSpec { id: unit, ..UnitSpec::new(kind("compressor").unwrap()) }) }
    }

    #[test]
    fn edits_of_two_windows_meet_as_an_engineer_would_expect() {
        let add_row = || Edit::AddRow { strip: 4, unit: 9, list: "bands".into(), at: 0, row: WrittenRow::new() };
        let rack = || Edit::ReplaceRack { strip: 4, rack: RackSpec::default() };
        let level = |strip| Edit::SetControl { strip, control: "level_db".into(), value: (-3).into() };
        let together = |edits| Edit::Several { edits };
        let limits = |id| Edit::SetSection { section: SectionChange::limits(id, 0, 9) };
        let named =
            |id| Edit::SetSection { section: SectionChange { id, name: Some("A".into()), ..SectionChange::default() } };
        for (later, earlier, want) in [
            (param(9, "ratio"), param(9, "attack_ms"), Meeting::Apart),
            (param(9, "ratio"), param(8, "ratio"), Meeting::Apart),
            (param(9, "ratio"), param(9, "ratio"), Meeting::Overtakes),
            (param(9, "bands[1].q"), add_row(), Meeting::Collides),
            (param(9, "amount"), add_row(), Meeting::Apart),
            (add_row(), param(9, "bands[1].q"), Meeting::Apart),
            (add_row(), add_row(), Meeting::Collides),
            (whole(9), param(9, "ratio"), Meeting::Collides),
            (whole(9), param(8, "ratio"), Meeting::Apart),
            (param(9, "ratio"), whole(9), Meeting::Overtakes),
            (rack(), param(9, "ratio"), Meeting::Collides),
            (rack(), level(4), Meeting::Apart),
            (level(4), level(4), Meeting::Overtakes),
            (level(4), level(5), Meeting::Apart),
            (named(3), limits(3), Meeting::Apart),
            (limits(3), named(3), Meeting::Apart),
            (limits(3), limits(3), Meeting::Overtakes),
            (limits(3), limits(4), Meeting::Apart),
            (Edit::RemoveSection { section: 3 }, limits(3), Meeting::Overtakes),
            (Edit::SetSections { sections: Vec::new() }, named(3), Meeting::Collides),
            (together(vec![level(5), param(9, "ratio")]), param(9, "ratio"), Meeting::Overtakes),
            (together(vec![whole(9), level(4)]), together(vec![param(9, "ratio")]), Meeting::Collides),
        ] {
            assert_eq!(later.meets(&earlier), want, "{later:?} after {earlier:?}");
        }
    }
}
