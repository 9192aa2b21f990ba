//! What several pages show alike.

use std::sync::Arc;

use serde_json::json;
use zinc_core::session::{Session, Strip};

use super::modules;
use crate::store::Stored;

/// The frame around a page: heading, navigation, the document for the scripts.
pub struct Shell {
    /// Title of the window.
    pub title: String,
    /// Which entry of the navigation is marked.
    pub active: &'static str,
    /// Addresses of the modules of its script.
    pub modules: Arc<Vec<String>>,
    /// The session in hand.
    pub session: Option<SessionHead>,
}

/// A session's part of the frame.
pub struct SessionHead {
    /// Identity.
    pub id: i32,
    /// Name.
    pub name: String,
    /// The strip the Bench opens on.
    pub bench: u32,
    /// Edits that can be undone.
    pub undo: i32,
    /// Whether sound plays on this page.
    pub listens: bool,
    /// Sections by number, for the listen bar.
    pub sections: Vec<(usize, String)>,
    /// Why it can only be read, if that is so.
    pub trouble: Option<String>,
    /// The document and its version, safe inside a script element.
    pub document: String,
}

impl Shell {
    /// A page without a session, with its script's path among the modules.
    pub fn plain(title: &str, script: &str) -> Self {
        Self { title: title.to_string(), active: "sessions", modules: modules::of(script), session: None }
    }

    /// A page of a session; `strip` is the one in hand, 0 for none.
    pub fn of(title: &str, active: &'static str, id: i32, stored: &Stored, strip: u32) -> Self {
        let session = &stored.session;
        let first = session.tracks().next().map_or(session.main_id(), |t| t.id);
        let document = json!({
            "id": id, "version": stored.version, "undo": stored.undo, "redo": stored.redo,
            "page": active, "strip": strip, "session": session.to_json(),
        });
        Self {
            title: title.to_string(),
            active,
            modules: modules::of(&format!("views/{active}.js")),
            session: Some(SessionHead {
                id,
                name: session.name.clone(),
                bench: if strip == 0 { first } else { strip },
                undo: stored.undo,
                listens: !matches!(active, "prints" | "measure"),
                sections: session.sections.iter().map(|s| s.name.clone()).enumerate().collect(),
                trouble: stored.trouble(),
                // "</script>" inside a name must not end the element.
                document: document.to_string().replace('<', "\\u003c"),
            }),
        }
    }
}

/// A strip as a row or a heading.
pub struct StripView {
    /// Identity.
    pub id: u32,
    /// Family letters.
    pub mark: &'static str,
    /// Family in words.
    pub family: &'static str,
    /// Name.
    pub name: String,
    /// track, bus or main.
    pub role: &'static str,
    /// One line about it.
    pub about: String,
    /// Muted.
    pub muted: bool,
    /// Names of its units in order.
    pub units: Vec<&'static str>,
}

impl StripView {
    /// Of a strip.
    pub fn of(session: &Session, strip: &Strip) -> Self {
        use zinc_core::session::Role;
        let role = match strip.role {
            Role::Track(_) => "track",
            Role::Bus => "bus",
            Role::Return => "return",
            Role::Main => "main",
        };
        let fed_by = session.strips.iter().filter(|s| s.feeds == Some(strip.id)).count();
        let about = match &strip.role {
            Role::Track(audio) if audio.channels == 2 => "stereo".to_string(),
            Role::Track(_) => "mono".to_string(),
            Role::Bus => format!("bus \u{b7} {fed_by} {}", if fed_by == 1 { "strip" } else { "strips" }),
            Role::Return => {
                let sent = session.strips.iter().filter(|s| s.sends.iter().any(|send| send.to == strip.id)).count();
                format!("return \u{b7} {sent} sent to it")
            }
            Role::Main => "everything".to_string(),
        };
        Self {
            id: strip.id,
            mark: strip.family.mark(),
            family: strip.family.name(),
            name: strip.name.clone(),
            role,
            about,
            muted: strip.controls.is_on("muted"),
            units: strip.rack.units.iter().map(|u| u.kind.name).collect(),
        }
    }
}
