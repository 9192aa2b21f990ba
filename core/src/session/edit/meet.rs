//! Two windows on one session: what becomes of an edit made before others were known.
//!
//! An edit names the least it changes, so most edits of two windows meet without a word: each
//! changes its own. Where both set the very same value the later one stands, and both are told.
//! Where one replaces a whole that the other has changed a part of, or counts rows that the
//! other has moved, the later one is refused and told: nothing is lost in silence.

use super::change::{DrawnOver, Edit};
use crate::course::json::{WrittenPoint, differing};
use crate::session::Section;

/// How an edit meets one that was made before it and not known to who made it.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub enum Meeting {
    /// Each changes its own.
    Apart,
    /// Both set the same value: the later stands.
    Overtakes,
    /// It removes what the other has set something of: it is removed, both are told, and it can be brought back.
    Removes,
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
    /// The lane of one, with its points and what they were drawn over.
    Lane(u32, &'a str, &'a [WrittenPoint], Option<&'a DrawnOver>),
    /// How many rows a list of a unit has, and in what order; with the row that goes, where one does.
    Rows(u32, &'a str, Option<usize>),
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
    /// All sections: those that there are then.
    Sections(&'a [Section]),
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
            Self::SetLane { strip, unit, param, points, over } => {
                (*strip, Spot::Lane(*unit, param, points, over.as_deref()))
            }
            Self::AddRow { strip, unit, list, .. } => (*strip, Spot::Rows(*unit, list, None)),
            Self::RemoveRow { strip, unit, list, at } => (*strip, Spot::Rows(*unit, list, Some(*at))),
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
            Self::SetSections { sections } => (0, Spot::Sections(sections)),
            Self::AddSection { .. } => (0, Spot::Section(0)),
            Self::SetTempo { .. } | Self::SetPointsOn { .. } => (0, Spot::Tempo),
            Self::AddUnit { strip, .. } | Self::CopyUnit { to: strip, .. } => (*strip, Spot::Order(0)),
            Self::AddStrip { .. } | Self::MoveStrip { .. } | Self::Note { .. } => (0, Spot::Free),
        };
        out.push(place);
    }
}

/// Whether a path names something of a row of a list: of this one, or of any.
fn is_of_row(param: &str, list: &str, row: Option<usize>) -> bool {
    let rest = param.strip_prefix(list).and_then(|rest| rest.strip_prefix('['));
    rest.and_then(|rest| rest.split_once(']')).is_some_and(|(at, _)| row.is_none_or(|row| at == row.to_string()))
}

/// How a later place meets an earlier one.
fn meeting((strip, later): &(u32, Spot<'_>), (other, earlier): &(u32, Spot<'_>)) -> Meeting {
    use Meeting::{Apart, Collides, Overtakes};
    use Spot::{Here, Lane, Of, OfSection, Order, Param, Rack, Rows, Section, Sections, Strip, Unit};
    if removes((*strip, later), (*other, earlier)) {
        return Meeting::Removes;
    }
    if strip != other {
        return Apart;
    }
    match (later, earlier) {
        (Strip(_, "sends"), Strip(_, "sends")) => Collides,
        (Lane(a, x, points, over), Lane(b, y, theirs, _)) if a == b && x == y => {
            let Some(over) = over else { return Overtakes };
            let own = differing(&over.points, points);
            if own.is_disjoint(&differing(&over.points, theirs)) { Apart } else { Overtakes }
        }
        (a, b)
            if a == b
                && matches!(
                    a,
                    Param(..) | Here(..) | Of(..) | Strip(..) | Section(1..) | OfSection(..) | Spot::Tempo
                ) =>
        {
            Overtakes
        }
        (Param(a, param) | Here(a, param, _) | Lane(a, param, ..), Rows(b, list, _))
            if a == b && is_of_row(param, list, None) =>
        {
            Collides
        }
        // The lists of two windows are counted from the same start only if nobody moved rows.
        (Rows(a, x, _), Rows(b, y, _)) if a == b && x == y => Collides,
        // The whole of a unit has set this one too.
        (Param(a, _) | Of(a, _), Unit(b)) if a == b => Overtakes,
        (Unit(_), b) if unit_of(b) == unit_of(later) => Collides,
        (Rack(_), b) if unit_of(b).is_some() || matches!(b, Order(_) | Rack(_) | Spot::Gone(_)) => Collides,
        (Sections(_), Section(_) | OfSection(..) | Sections(_)) => Collides,
        // What is gone cannot be set; the core says so itself.
        _ => Apart,
    }
}

/// The unit that something of is set.
fn unit_of(place: &Spot<'_>) -> Option<u32> {
    use Spot::{Here, Lane, Of, Param, Rows, Unit};
    match place {
        Param(unit, _) | Rows(unit, ..) | Unit(unit) | Of(unit, _) | Here(unit, ..) | Lane(unit, ..) => Some(*unit),
        _ => None,
    }
}

/// Whether the later takes away what the earlier has set something of.
fn removes((strip, later): (u32, &Spot<'_>), (other, earlier): (u32, &Spot<'_>)) -> bool {
    use Spot::{Gone, Here, Lane, OfSection, Order, Param, Rack, Rows, Section, Sections, Strip, StripGone};
    let here_in = |known: &dyn Fn(u32) -> bool| matches!(earlier, Here(_, _, section) if !known(*section));
    match later {
        StripGone(_) => {
            strip == other && (unit_of(earlier).is_some() || matches!(earlier, Strip(..) | Order(_) | Rack(_)))
        }
        Gone(unit) => strip == other && unit_of(earlier) == Some(*unit) && *unit != 0,
        Rows(unit, list, Some(row)) => match earlier {
            Param(b, param) | Here(b, param, _) | Lane(b, param, ..) => {
                strip == other && unit == b && is_of_row(param, list, Some(*row))
            }
            _ => false,
        },
        Section(gone) if *gone != 0 => {
            matches!(earlier, OfSection(section, _) if section == gone) || here_in(&|section| section != *gone)
        }
        Sections(left) => here_in(&|section| left.iter().any(|one| one.id == section)),
        _ => false,
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
        let remove_row = |at| Edit::RemoveRow { strip: 4, unit: 9, list: "bands".into(), at };
        let section = |id| Section { id, name: "S".into(), start: 0, end: 9 };
        let here = |section| Edit::SetHere { strip: 7, unit: 2, param: "mix".into(), section, value: Some(1.into()) };
        let lane = |unit, points: &[u64], over: Option<&[u64]>| {
            let read = |points: &[u64]| {
                let all: Vec<_> = points.iter().map(|at| serde_json::json!({"at": at, "value": 1})).collect();
                serde_json::from_value(serde_json::json!(all)).unwrap()
            };
            let over = over.map(|was| Box::new(DrawnOver { tempo_bpm: 120.0, points: read(was) }));
            Edit::SetLane { strip: 4, unit, param: "ratio".into(), points: read(points), over }
        };
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
            (Edit::RemoveSection { section: 3 }, limits(3), Meeting::Removes),
            (Edit::RemoveSection { section: 3 }, limits(4), Meeting::Apart),
            (Edit::RemoveSection { section: 3 }, here(3), Meeting::Removes),
            (Edit::RemoveSection { section: 3 }, here(4), Meeting::Apart),
            (Edit::SetSections { sections: vec![section(3)] }, here(3), Meeting::Apart),
            (Edit::SetSections { sections: vec![section(3)] }, here(4), Meeting::Removes),
            (Edit::RemoveUnit { strip: 4, unit: 9 }, param(9, "ratio"), Meeting::Removes),
            (Edit::RemoveUnit { strip: 4, unit: 9 }, param(8, "ratio"), Meeting::Apart),
            (Edit::RemoveUnit { strip: 4, unit: 9 }, lane(9, &[1], None), Meeting::Removes),
            (param(9, "ratio"), Edit::RemoveUnit { strip: 4, unit: 9 }, Meeting::Apart),
            (Edit::RemoveStrip { strip: 4 }, param(9, "ratio"), Meeting::Removes),
            (Edit::RemoveStrip { strip: 4 }, level(4), Meeting::Removes),
            (Edit::RemoveStrip { strip: 4 }, level(5), Meeting::Apart),
            (remove_row(1), param(9, "bands[1].q"), Meeting::Removes),
            (remove_row(1), param(9, "bands[11].q"), Meeting::Apart),
            (remove_row(1), remove_row(1), Meeting::Collides),
            (lane(9, &[1], None), lane(9, &[2], None), Meeting::Overtakes),
            (lane(9, &[1, 5], Some(&[5])), lane(9, &[2, 5], None), Meeting::Apart),
            (lane(9, &[1], Some(&[5])), lane(9, &[2], None), Meeting::Overtakes),
            (lane(9, &[1], Some(&[])), lane(8, &[1], None), Meeting::Apart),
            (Edit::SetSections { sections: Vec::new() }, named(3), Meeting::Collides),
            (together(vec![level(5), param(9, "ratio")]), param(9, "ratio"), Meeting::Overtakes),
            (together(vec![whole(9), level(4)]), together(vec![param(9, "ratio")]), Meeting::Collides),
        ] {
            assert_eq!(later.meets(&earlier), want, "{later:?} after {earlier:?}");
        }
    }
}
