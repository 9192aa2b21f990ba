//! The session as one window holds it: what the server has kept, and over it what waits for the server.
//!
//! A change is shown before it is kept. When the server answers, with the edits that were made since as they were
//! applied, what is kept follows them one by one, and what still waits is made again over it: nothing is shown that is
//! not on its way to being kept. Server and window follow the same edits with the same code, so that no document has
//! to be sent again.

use serde::{Deserialize, Serialize};
use serde_json::{Value as Json, json};

use super::document::{Session, Strip};
use super::edit::{Edit, EditError, Facts, Touch};

/// A session with what waits over it.
#[derive(Clone, Debug)]
pub struct WindowSession {
    kept: Session,
    shown: Session,
    waiting: Vec<Waiting>,
}

/// An edit that the server has not answered yet.
#[derive(Clone, Debug)]
struct Waiting {
    /// What the window calls it.
    number: u32,
    edit: Edit,
    /// Whether it is in what is shown.
    is_shown: bool,
}

/// An edit that the server has kept.
#[derive(Clone, Debug, PartialEq, Deserialize)]
pub struct Kept {
    /// The edit as applied.
    pub edit: Edit,
    /// What this window calls it, if it was asked for here.
    #[serde(default)]
    pub number: Option<u32>,
}

/// A kept edit, as far as the window has to tell of it.
#[derive(Clone, Debug, PartialEq, Eq, Serialize)]
#[cfg_attr(feature = "types", derive(ts_rs::TS))]
pub struct Told {
    /// What is to be known of it.
    pub facts: Facts,
    /// Whether it was shown and heard here before.
    pub was_shown: bool,
}

/// What a piece of news did to what is shown.
#[derive(Clone, Debug, PartialEq)]
pub struct News {
    /// What of the session is other than before, see [`WindowSession::part`].
    pub parts: Vec<Touch>,
    /// The kept edits in order.
    pub told: Vec<Told>,
}

impl WindowSession {
    /// A session of which nothing waits.
    #[must_use]
    pub fn new(kept: Session) -> Self {
        Self { shown: kept.clone(), kept, waiting: Vec::new() }
    }

    /// What is shown: what is kept, and what waits and can be shown over it.
    #[must_use]
    pub fn shown(&self) -> &Session {
        &self.shown
    }

    /// An edit begins to wait, called `number` from now on. Returns what of the session is other than before: nothing
    /// for one that cannot be shown yet.
    ///
    /// # Errors
    /// What the core says against it. It waits all the same: the server, which may know more, decides.
    pub fn wait(&mut self, number: u32, edit: Edit) -> Result<Vec<Touch>, EditError> {
        let made = edit.facts().at_once.then(|| edit.apply(&mut self.shown)).transpose();
        let is_shown = matches!(made, Ok(Some(_)));
        self.waiting.push(Waiting { number, edit, is_shown });
        Ok(made?.map_or_else(Vec::new, |(edit, _)| edit.parts()))
    }

    /// The same, in place of the last that waits, if that is called `last` and sets the very same values. Returns none
    /// where it does not, and nothing is changed.
    ///
    /// # Errors
    /// As [`Self::wait`].
    pub fn wait_instead(&mut self, last: u32, edit: &Edit) -> Option<Result<Vec<Touch>, EditError>> {
        let at = self.waiting.len().checked_sub(1)?;
        let waiting = &self.waiting[at];
        if waiting.number != last || !waiting.edit.same_target(edit) {
            return None;
        }
        self.waiting.pop();
        Some(self.wait(last, edit.clone()))
    }

    /// Follows what the server has kept, in order.
    ///
    /// # Errors
    /// An edit that does not fit what is kept here: something was missed, and the whole session is to be read anew
    /// ([`Self::replace`]).
    pub fn follow(&mut self, all: &[Kept]) -> Result<News, EditError> {
        // What is answered waits no more, whether or not all of it can be followed.
        let was_shown: Vec<bool> = all.iter().map(|kept| kept.number.is_some_and(|n| self.answered(n))).collect();
        let mut told = Vec::with_capacity(all.len());
        for (kept, was_shown) in all.iter().zip(was_shown) {
            let (edit, _) = kept.edit.apply(&mut self.kept)?;
            told.push(Told { facts: edit.facts(), was_shown });
        }
        // What is shown holds what was shown already, in the order it was made here.
        let parts = if told.iter().all(|told| told.was_shown) { Vec::new() } else { self.show_again() };
        Ok(News { parts, told })
    }

    /// An edit is not kept: it is taken out of what is shown.
    pub fn refuse(&mut self, number: u32) -> Vec<Touch> {
        self.answered(number);
        self.show_again()
    }

    /// The whole session was read anew, with the edit in it that was `answered` by it, if one was; what waits still does.
    pub fn replace(&mut self, kept: Session, answered: Option<u32>) {
        if let Some(number) = answered {
            self.answered(number);
        }
        self.kept = kept;
        self.show_again();
    }

    /// An edit waits no more. Returns whether it was shown.
    fn answered(&mut self, number: u32) -> bool {
        let waited = self.waiting.iter().position(|waiting| waiting.number == number);
        waited.is_some_and(|at| self.waiting.remove(at).is_shown)
    }

    /// Makes what waits again over what is kept. Returns what is other than before.
    fn show_again(&mut self) -> Vec<Touch> {
        let mut shown = self.kept.clone();
        for waiting in &mut self.waiting {
            waiting.is_shown = waiting.edit.facts().at_once && waiting.edit.apply(&mut shown).is_ok();
        }
        let parts = differences(&self.shown, &shown);
        self.shown = shown;
        parts
    }

    /// The numbers of what waits and is shown, first to last.
    pub fn waiting(&self) -> impl Iterator<Item = u32> {
        self.waiting.iter().filter(|waiting| waiting.is_shown).map(|waiting| waiting.number)
    }

    /// A part of what is shown as JSON: `{"session": …}` for all of it, `{"frame": …}` for what is neither strip nor
    /// notebook, `{"notebook": …}`, `{"strip": …}`, or `{"strip": 4, "unit": …}`; null for what is not there.
    #[must_use]
    pub fn part(&self, part: Touch) -> Json {
        let session = &self.shown;
        match part {
            Touch::Strip(id) | Touch::Rack(id) | Touch::Paths(id) => {
                session.strip(id).map_or(Json::Null, |strip| json!({ "strip": strip.to_json() }))
            }
            Touch::Unit(id, unit) => {
                let found = session.strip(id).and_then(|s| s.rack.units.iter().find(|u| u.id == unit));
                found.map_or(Json::Null, |unit| json!({ "strip": id, "unit": unit.to_json() }))
            }
            Touch::Frame => json!({ "frame": session.frame_json() }),
            Touch::Notebook => json!({ "notebook": session.notebook }),
            Touch::Strips | Touch::Everything => json!({ "session": session.to_json() }),
        }
    }
}

/// What differs between two states of a session.
fn differences(was: &Session, is: &Session) -> Vec<Touch> {
    let ids = |s: &Session| s.strips.iter().map(|strip| strip.id).collect::<Vec<_>>();
    if ids(was) != ids(is) {
        return vec![Touch::Everything];
    }
    let strips = was.strips.iter().zip(&is.strips).filter(|(was, is)| was != is);
    let mut parts: Vec<Touch> = strips.flat_map(|(was, is)| of_strip(was, is)).collect();
    if was.frame_json() != is.frame_json() {
        parts.push(Touch::Frame);
    }
    if was.notebook != is.notebook {
        parts.push(Touch::Notebook);
    }
    parts
}

/// Units, where only units differ.
fn of_strip(was: &Strip, is: &Strip) -> Vec<Touch> {
    let ids = |strip: &Strip| strip.rack.units.iter().map(|unit| unit.id).collect::<Vec<_>>();
    let bare = |strip: &Strip| Strip { rack: Default::default(), ..strip.clone() };
    if ids(was) != ids(is) || bare(was) != bare(is) {
        return vec![Touch::Strip(is.id)];
    }
    let pairs = was.rack.units.iter().zip(&is.rack.units).filter(|(was, is)| was != is);
    pairs.map(|(_, unit)| Touch::Unit(is.id, unit.id)).collect()
}
