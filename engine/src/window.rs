//! The session of the page: one for the module's life, with what waits for the server, and questions about it.

use std::cell::RefCell;

use serde::Deserialize;
use serde_json::{Value as Json, json};
use zinc_core::advice::dirt::dirt;
use zinc_core::rack::UnitSpec;
use zinc_core::session::controls::sent_to;
use zinc_core::session::grouping::{buses_by_family, new_path, removal};
use zinc_core::session::partners::likely_partners;
use zinc_core::session::strip_of_any_version::in_words as kept_in_words;
use zinc_core::session::window::{Kept, WindowSession};
use zinc_core::session::{Edit, EditError, Role, Section, Session, Strip, Touch};
use zinc_core::unit::value::write_value;

thread_local! {
    static HELD: RefCell<Option<WindowSession>> = const { RefCell::new(None) };
}

/// What is asked of the page's session, or told about it.
#[derive(Deserialize)]
#[serde(tag = "do", rename_all = "kebab-case")]
pub enum SessionQuestion {
    /// Here it is, at first or anew; with the edit in it that was answered by it.
    Open { opened: Json, answered: Option<u32> },
    /// An edit begins to wait, if it can in place of the last.
    Wait { number: u32, edit: Edit, instead_of: Option<u32> },
    /// What waits under a number, as it is to be sent.
    Waiting { number: u32 },
    /// The server has kept these.
    Follow { kept: Vec<Kept> },
    /// The server has not kept one.
    Refuse { number: u32 },
    /// The least edit that leads from a unit to its next state; null where nothing differs.
    Between { strip: u32, before: Json, after: Json },
    /// The edit that does in a section what this one does everywhere; null where that cannot be.
    InSection { edit: Edit, section: u32 },
    /// What stands under a path of a unit or a strip (unit 0): its table, its words, its value everywhere; null where it
    /// is gone.
    Value { strip: u32, unit: u32, param: String },
    /// The strips a unit of one is likely copied to, likeliest first.
    Partners { strip: u32 },
    /// The edit that makes a new bus or return fed by some strips.
    NewPath { role: String, name: String, from: Vec<u32> },
    /// The edit that puts dirt beside a strip; null where there can be none.
    Dirt { strip: u32 },
    /// The edit that gives every family a bus; null where there is nothing to group.
    BusesByFamily,
    /// The edit that removes a strip with the sends and feeds that lead to it.
    Removal { strip: u32 },
    /// The edit that puts a section at its limits, and the names of those it cuts shorter.
    PlaceSection { section: Section },
    /// The edit that splits a section at a frame.
    SplitSection { section: u32, at: u64 },
    /// Where a new section has room from a frame on, for so many frames at most.
    RoomForSection { from: u64, frames: u64 },
    /// What is to be said of what another version has written of a strip; null where nothing is.
    KeptOf { strip: u32 },
}

/// Answers.
pub fn about(question: SessionQuestion) -> Result<Json, String> {
    HELD.with_borrow_mut(|held| match question {
        SessionQuestion::Open { opened, answered } => {
            let session = Session::from_json(&opened).map_err(words)?;
            match held {
                Some(held) => held.replace(session, answered),
                None => *held = Some(WindowSession::new(session)),
            }
            Ok(held.as_ref().map_or(Json::Null, |held| held.part(Touch::Everything)))
        }
        question => of(held.as_mut().ok_or("no session is open")?, question),
    })
}

fn of(held: &mut WindowSession, question: SessionQuestion) -> Result<Json, String> {
    Ok(match question {
        SessionQuestion::Open { .. } => Json::Null,
        SessionQuestion::Wait { number, edit, instead_of } => wait(held, number, edit, instead_of),
        SessionQuestion::Waiting { number } => json!(held.edit(number)),
        SessionQuestion::Follow { kept } => {
            let news = held.follow(&kept).map_err(words)?;
            json!({ "parts": parts(held, &news.parts), "told": news.told, "renamed": news.is_renamed, "waiting": held.waiting().collect::<Vec<_>>() })
        }
        SessionQuestion::Refuse { number } => {
            let other = held.refuse(number);
            json!({ "parts": parts(held, &other) })
        }
        SessionQuestion::Between { strip, before, after } => {
            let [before, after] = [before, after].map(|unit| UnitSpec::of_any_version(&unit, 1).map_err(words));
            json!(Edit::between(strip, &before?, &after?))
        }
        SessionQuestion::InSection { edit, section } => json!(edit.in_section(section)),
        SessionQuestion::Value { strip, unit, param } => json!(value(held.shown(), strip, unit, &param)),
        SessionQuestion::Partners { strip } => json!(likely_partners(held.shown(), strip)),
        SessionQuestion::NewPath { role, name, from } => {
            let role = if role == "return" { Role::Return } else { Role::Bus };
            json!(new_path(held.shown(), role, &name, &from))
        }
        SessionQuestion::Dirt { strip } => json!(dirt(held.shown(), strip)),
        SessionQuestion::BusesByFamily => json!(buses_by_family(held.shown())),
        SessionQuestion::Removal { strip } => json!(removal(held.shown(), strip)),
        SessionQuestion::PlaceSection { section } => {
            let placing = held.shown().placing(&section)?;
            json!({ "edit": placing.edit, "cut": placing.cut })
        }
        SessionQuestion::SplitSection { section, at } => json!(held.shown().splitting(section, at)?),
        SessionQuestion::RoomForSection { from, frames } => json!(held.shown().room_for_section(from, frames)),
        SessionQuestion::KeptOf { strip } => json!(held.shown().strip(strip).and_then(|s| kept_in_words(&s.kept))),
    })
}

fn words(error: impl std::fmt::Display) -> String {
    error.to_string()
}

/// What is other than before, whether it waits in place of the last, and what is to be known of the edit.
fn wait(held: &mut WindowSession, number: u32, edit: Edit, instead_of: Option<u32>) -> Json {
    let facts = edit.facts();
    let instead = instead_of.and_then(|last| held.wait_instead(last, &edit));
    let is_instead = instead.is_some();
    // What the core refuses the server refuses too, in the same words.
    let made: Result<Vec<Touch>, EditError> = instead.unwrap_or_else(|| held.wait(number, edit));
    let is_shown = facts.at_once && made.is_ok();
    json!({
        "edit": held.edit(instead_of.filter(|_| is_instead).unwrap_or(number)).map(Edit::as_drawn), "parts": parts(held, &made.unwrap_or_default()), "instead": is_instead, "shown": is_shown, "facts": facts,
    })
}

fn parts(held: &WindowSession, parts: &[Touch]) -> Vec<Json> {
    parts.iter().map(|part| held.part(*part)).collect()
}

fn value(session: &Session, strip: u32, unit: u32, path: &str) -> Option<Json> {
    let strip = session.strip(strip)?;
    if unit == 0 {
        return of_strip(session, strip, path);
    }
    let unit = strip.rack.units.iter().find(|u| u.id == unit)?;
    let param = unit.param(path)?;
    let row = unit.kind.tables.find(path).and_then(|at| at.row);
    let list = row.map(|(list, _)| format!("/{}", unit.kind.tables.lists[list].id)).unwrap_or_default();
    let table = if unit.common.has(path) { "common".to_string() } else { format!("{}{list}", unit.kind.id) };
    let label = format!("{}, {}", unit.label(path), unit.kind.name);
    Some(json!({
        "table": table, "param": param.id, "label": label,
        "everywhere": write_value(&param.domain, &unit.value(path)?),
    }))
}

fn of_strip(session: &Session, strip: &Strip, path: &str) -> Option<Json> {
    let param = strip.changing(path)?;
    let send = sent_to(path).and_then(|to| strip.sends.iter().find(|send| send.to == to));
    let everywhere = match send {
        Some(send) => send.level_db.into(),
        None => write_value(&param.domain, strip.controls.value(path)?),
    };
    let label = session.label(strip, path);
    Some(json!({ "table": "strip", "param": param.id, "label": label, "everywhere": everywhere }))
}
