//! Edits of the frame of a session: tempo and sections.

use super::error::EditError;
use super::{Applied, Edit, MAX_NAME};
use crate::session::{Section, Session};

/// Slowest and fastest tempo in quarter notes per minute.
const TEMPO_RANGE: std::ops::RangeInclusive<f64> = 20.0..=400.0;

pub(super) fn set_tempo(session: &mut Session, tempo_bpm: f64, beats_per_bar: u32) -> Applied {
    if !TEMPO_RANGE.contains(&tempo_bpm) {
        return Err(EditError::BadNumber("a tempo is 20 to 400 quarter notes a minute; the old one was kept"));
    }
    if !(1..=16).contains(&beats_per_bar) {
        return Err(EditError::BadNumber("a bar has 1 to 16 quarter notes; the old metre was kept"));
    }
    let old = Edit::SetTempo { tempo_bpm: session.tempo_bpm, beats_per_bar: session.beats_per_bar };
    (session.tempo_bpm, session.beats_per_bar) = (tempo_bpm, beats_per_bar);
    Ok((Edit::SetTempo { tempo_bpm, beats_per_bar }, old))
}

pub(super) fn set_sections(session: &mut Session, sections: &[Section]) -> Applied {
    for s in sections {
        if s.start >= s.end || s.name.trim().is_empty() || s.name.chars().count() > MAX_NAME {
            return Err(EditError::BadSections(format!(
                "section \"{}\" needs a name and an end after its start; the old sections were kept",
                s.name
            )));
        }
    }
    let old = std::mem::replace(&mut session.sections, sections.to_vec());
    Ok((Edit::SetSections { sections: sections.to_vec() }, Edit::SetSections { sections: old }))
}
