//! What a change is, in a few words, for whoever did not make it.

use super::change::Edit;
use crate::session::Session;

impl Edit {
    /// What it changes, as in "ratio of the Compressor on Lead". `session` is the document it
    /// belongs to, before or after.
    #[must_use]
    pub fn in_words(&self, session: &Session) -> String {
        let on = |strip: &u32| session.strip(*strip).map_or_else(|| "a strip".to_string(), |s| s.name.clone());
        let unit = |strip: &u32, unit: &u32| {
            let found = session.strip(*strip).and_then(|s| s.rack.units.iter().find(|u| u.id == *unit));
            format!("the {} on {}", found.map_or("unit", |u| u.kind.name), on(strip))
        };
        match self {
            Self::SetParam { strip, unit: id, param, .. } => {
                let found = session.strip(*strip).and_then(|s| s.rack.units.iter().find(|u| u.id == *id));
                let label = found.map_or_else(|| param.clone(), |u| u.label(param));
                format!("{label} of {}", unit(strip, id))
            }
            Self::SetHere { strip, unit: 0, param, .. } | Self::SetLane { strip, unit: 0, param, .. } => {
                let param = session.strip(*strip).and_then(|s| s.changing(param));
                format!("{} of {} over the song", param.map_or("a value", |p| p.label), on(strip))
            }
            Self::SetHere { strip, unit: id, param, .. } | Self::SetLane { strip, unit: id, param, .. } => {
                let found = session.strip(*strip).and_then(|s| s.rack.units.iter().find(|u| u.id == *id));
                let label = found.map_or_else(|| param.clone(), |u| u.label(param));
                format!("{label} of {} over the song", unit(strip, id))
            }
            Self::SetPointsOn { .. } => "what the points of lanes stay on".to_string(),
            Self::SetControl { strip, control, .. } => {
                let label = crate::session::STRIP.iter().find(|p| p.id == control).map_or("a control", |p| p.label);
                format!("{label} of {}", on(strip))
            }
            Self::AddRow { strip, unit: id, list, at, .. } | Self::RemoveRow { strip, unit: id, list, at } => {
                let found = session.strip(*strip).and_then(|s| s.rack.units.iter().find(|u| u.id == *id));
                let rows = found.and_then(|u| u.kind.tables.lists.iter().find(|rows| rows.id == list));
                format!("{} {} of {}", rows.map_or("row", |rows| rows.label), at + 1, unit(strip, id))
            }
            Self::NameUnit { strip, unit: id, .. } => format!("the name of {}", unit(strip, id)),
            Self::SetWhy { strip, unit: id, .. } => format!("the reason for {}", unit(strip, id)),
            Self::SetKey { strip, unit: id, .. } => format!("what drives {}", unit(strip, id)),
            Self::SetFollows { strip, unit: id, .. } => format!("the link of {}", unit(strip, id)),
            Self::SetUnit { strip, .. } => format!("a unit on {}", on(strip)),
            Self::AddUnit { strip, unit, .. } => format!("the {} on {}", unit.kind.name, on(strip)),
            Self::RemoveUnit { strip, unit: id } => unit(strip, id),
            Self::MoveUnit { strip, .. }
            | Self::CopyUnit { to: strip, .. }
            | Self::CopyRack { to: strip, .. }
            | Self::ReplaceRack { strip, .. } => format!("the rack of {}", on(strip)),
            Self::Rename { strip, .. } => format!("the name of {}", on(strip)),
            Self::SetNote { strip, .. } => format!("the note on {}", on(strip)),
            Self::SetFeeds { strip, .. } | Self::SetSends { strip, .. } => format!("the paths of {}", on(strip)),
            Self::SetPart { strip, .. } | Self::SetTakeSet { strip, .. } | Self::SetStart { strip, .. } => {
                format!("what {} is", on(strip))
            }
            Self::AddStrip { strip, .. } => format!("\"{}\"", strip.name),
            Self::RemoveStrip { strip } | Self::MoveStrip { strip, .. } => on(strip),
            Self::SetTempo { .. } => "the tempo".into(),
            Self::AddSection { section } => format!("the section {}", section.name),
            Self::SetSection { section: change } => {
                let named = session.sections.iter().find(|section| section.id == change.id).map(|s| s.name.clone());
                format!("the section {}", change.name.clone().or(named).unwrap_or_default())
            }
            Self::RemoveSection { section } => {
                let named = session.sections.iter().find(|one| one.id == *section);
                format!("the section {}", named.map(|one| one.name.clone()).unwrap_or_default()).trim().into()
            }
            Self::SetSections { .. } => "the sections".into(),
            Self::Note { .. } => "the notebook".into(),
            Self::Several { edits } => match edits.as_slice() {
                [] => "nothing".into(),
                [one] => one.in_words(session),
                [first, ..] => format!("{} and more", first.in_words(session)),
            },
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::rack::UnitSpec;
    use crate::session::{Family, Role};
    use serde_json::json;

    #[test]
    fn a_change_is_said_as_an_engineer_would_say_it() {
        let mut s = Session::new("words", 48_000);
        let bus = s.add_strip("Guitars", Family::Gt, Role::Bus, 1);
        let eq = json!({"kind": "surgical-eq", "params": {"bands": [{}, {}]}});
        s.add_unit(bus, UnitSpec::from_json(&eq, 1).unwrap());
        let unit = s.strip(bus).unwrap().rack.units[0].id;
        let param = |param: &str| Edit::SetParam { strip: bus, unit, param: param.into(), value: 0.into() };
        assert_eq!(param("bands[1].freq_hz").in_words(&s), "frequency of band 2 of the Surgical EQ on Guitars");
        assert_eq!(param("mix").in_words(&s), "mix of the Surgical EQ on Guitars");
        let level = Edit::SetControl { strip: bus, control: "level_db".into(), value: 0.into() };
        assert_eq!(level.in_words(&s), "level of Guitars");
        assert_eq!(Edit::Several { edits: vec![level, param("mix")] }.in_words(&s), "level of Guitars and more");
    }
}
