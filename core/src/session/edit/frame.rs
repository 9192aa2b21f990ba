//! Edits of the frame of a session: tempo and sections.

use super::change::{Applied, Edit};
use super::courses;
use super::error::EditError;
use crate::session::{Section, SectionChange, Session};

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
    let from_bpm = session.tempo_bpm;
    (session.tempo_bpm, session.beats_per_bar) = (tempo_bpm, beats_per_bar);
    courses::follow_tempo(session, from_bpm);
    Ok((Edit::SetTempo { tempo_bpm, beats_per_bar }, old))
}

/// Whether a section can stand.
fn check(s: &Section) -> Result<(), EditError> {
    if s.start < s.end {
        return Ok(());
    }
    let why = format!("section \"{}\" needs an end after its start; the old sections were kept", s.name);
    Err(EditError::BadSections(why))
}

fn at(session: &Session, id: u32) -> Result<usize, EditError> {
    let gone = || EditError::BadSections("that section is not there any more; the others were kept".into());
    session.sections.iter().position(|s| s.id == id).ok_or_else(gone)
}

/// What sections stand in the order of; those that begin together by their identity, so that one
/// taken out comes back to where it was.
fn place(section: &Section) -> (u64, u32) {
    (section.start, section.id)
}

/// Puts a section where it begins.
fn insert(session: &mut Session, section: Section) {
    let at = session.sections.partition_point(|s| place(s) <= place(&section));
    session.sections.insert(at, section);
}

/// An identity that no section has, neither of the session nor of these.
fn fresh_id(session: &mut Session, others: &[Section]) -> u32 {
    loop {
        let id = session.take_id();
        if session.sections.iter().chain(others).all(|s| s.id != id) {
            return id;
        }
    }
}

pub(super) fn add_section(session: &mut Session, section: &Section) -> Applied {
    check(section)?;
    let mut section = section.clone();
    if !session.may_have(section.id) || session.sections.iter().any(|s| s.id == section.id) {
        section.id = fresh_id(session, &[]);
    }
    session.reserve_id(section.id);
    insert(session, section.clone());
    Ok((Edit::AddSection { section: section.clone() }, Edit::RemoveSection { section: section.id }))
}

pub(super) fn set_section(session: &mut Session, change: &SectionChange) -> Applied {
    let at = at(session, change.id)?;
    let section = change.of(&session.sections[at]);
    check(&section)?;
    let back = change.back(&session.sections.remove(at));
    insert(session, section);
    Ok((Edit::SetSection { section: change.clone() }, Edit::SetSection { section: back }))
}

pub(super) fn remove_section(session: &mut Session, section: u32) -> Applied {
    let at = at(session, section)?;
    let old = session.sections.remove(at);
    courses::keep_sections(session);
    Ok((Edit::RemoveSection { section }, Edit::AddSection { section: old }))
}

pub(super) fn set_sections(session: &mut Session, sections: &[Section]) -> Applied {
    sections.iter().try_for_each(check)?;
    let mut sections = sections.to_vec();
    for i in 0..sections.len() {
        if !session.may_have(sections[i].id) || sections[..i].iter().any(|s| s.id == sections[i].id) {
            sections[i].id = fresh_id(session, &sections);
        }
    }
    sections.iter().for_each(|section| session.reserve_id(section.id));
    sections.sort_by_key(place);
    let old = std::mem::replace(&mut session.sections, sections.clone());
    courses::keep_sections(session);
    Ok((Edit::SetSections { sections }, Edit::SetSections { sections: old }))
}
