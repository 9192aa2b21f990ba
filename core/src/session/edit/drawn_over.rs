//! What points of a lane were drawn over: known to a window, so that what is drawn elsewhere meanwhile stays, and points meant
//! for a beat come to it whatever the tempo is by then.

use super::change::{DrawnOver, Edit};
use crate::course::json::write_points;
use crate::session::Session;

impl DrawnOver {
    /// What takes its frames to the session's tempo, where points stay on their beats.
    pub(super) fn factor(&self, session: &Session) -> f64 {
        let is_tempo = self.tempo_bpm.is_finite() && self.tempo_bpm > 0.0;
        if session.points_on_beats && is_tempo { self.tempo_bpm / session.tempo_bpm } else { 1.0 }
    }

    /// The lane of a value as it is in a session; empty where there is none.
    fn of(session: &Session, (strip, unit, param): (u32, u32, &str)) -> Self {
        let written = || {
            let strip = session.strip(strip)?;
            let unit = strip.rack.units.iter().find(|one| one.id == unit);
            let (found, courses) = match unit {
                Some(unit) => (unit.param(param)?, &unit.courses),
                None => (strip.changing(param)?, &strip.courses),
            };
            Some(write_points(&found.domain, &courses.of(param)?.points))
        };
        Self { tempo_bpm: session.tempo_bpm, points: written().unwrap_or_default() }
    }
}

impl Edit {
    fn each_mut(&mut self) -> &mut [Self] {
        match self {
            Self::Several { edits } => edits,
            single => std::slice::from_mut(single),
        }
    }

    /// Notes over what its lanes are drawn: what is shown in a window; where it stands in place of an edit of the same hand,
    /// what that one was drawn over.
    pub(in crate::session) fn draw_over(&mut self, shown: &Session, instead_of: Option<&Self>) {
        for edit in self.each_mut() {
            let before = instead_of.and_then(|last| last.each().iter().find(|part| part.same_target(edit)));
            let Self::SetLane { strip, unit, param, over, .. } = edit else { continue };
            *over = match before {
                Some(Self::SetLane { over, .. }) => over.clone(),
                _ => Some(Box::new(DrawnOver::of(shown, (*strip, *unit, param)))),
            };
        }
    }

    /// The edit as it is made over the very session that it was made for: lanes are what is drawn.
    #[must_use]
    pub fn as_drawn(&self) -> Self {
        let mut edit = self.clone();
        for part in edit.each_mut() {
            if let Self::SetLane { over, .. } = part {
                *over = None;
            }
        }
        edit
    }
}
