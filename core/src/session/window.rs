//! The session as one window holds it: what the server has kept, and over it what waits for the server.
//!
//! A change is shown before it is kept, also a unit that is put in: under the identity that the server will give it,
//! unless another window was quicker; then what waits here is about the one it gives.
//! When the server answers, with the edits that were made since as they were
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

/// What became of an edit that waited.
#[derive(Clone, Copy, Debug, Default)]
struct Answered {
    was_shown: bool,
    /// Whether a unit it had shown has another identity.
    is_renamed: bool,
}

/// The identity of no unit: what is about it is refused.
const NO_UNIT: u32 = u32::MAX;

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
    /// Whether a unit that was shown already is another now: all that knows units is to be read anew.
    pub is_renamed: bool,
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
        self.begin(number, edit, None)
    }

    fn begin(&mut self, number: u32, mut edit: Edit, instead_of: Option<&Edit>) -> Result<Vec<Touch>, EditError> {
        let at_once = edit.facts().at_once;
        if at_once {
            edit.identify(self.shown.next_id);
        }
        let as_drawn = edit.as_drawn();
        edit.draw_over(&self.shown, instead_of);
        let made = at_once.then(|| as_drawn.apply(&mut self.shown)).transpose();
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
        let before = self.waiting.pop()?;
        Some(self.begin(last, edit.clone(), Some(&before.edit)))
    }

    /// Follows what the server has kept, in order.
    ///
    /// # Errors
    /// An edit that does not fit what is kept here: something was missed, and the whole session is to be read anew
    /// ([`Self::replace`]).
    pub fn follow(&mut self, all: &[Kept]) -> Result<News, EditError> {
        // What is answered waits no more, whether or not all of it can be followed.
        let answers: Vec<Answered> = all.iter().map(|kept| self.answered(kept.number, Some(&kept.edit))).collect();
        let mut is_renamed = answers.iter().any(|answered| answered.is_renamed);
        let mut told = Vec::with_capacity(all.len());
        for (kept, Answered { was_shown, .. }) in all.iter().zip(answers) {
            let (edit, _) = kept.edit.apply_kept(&mut self.kept)?;
            told.push(Told { facts: edit.facts(), was_shown });
        }
        // What is shown holds what was shown already, in the order it was made here.
        let mut parts = Vec::new();
        if is_renamed || told.iter().any(|told| !told.was_shown) {
            let (other, renamed) = self.show_again();
            (parts, is_renamed) = (other, is_renamed || renamed);
        }
        Ok(News { parts, told, is_renamed })
    }

    /// An edit is not kept: it is taken out of what is shown.
    pub fn refuse(&mut self, number: u32) -> Vec<Touch> {
        // What waits behind a unit that is not put in is about none.
        self.answered(Some(number), None);
        self.show_again().0
    }

    /// The whole session was read anew, with the edit in it that was `answered` by it, if one was; what waits still does.
    pub fn replace(&mut self, kept: Session, answered: Option<u32>) {
        if let Some(at) = answered.and_then(|number| self.place_of(number)) {
            self.waiting.remove(at);
        }
        self.kept = kept;
        self.show_again();
    }

    fn place_of(&self, number: u32) -> Option<usize> {
        self.waiting.iter().position(|waiting| waiting.number == number)
    }

    /// An edit waits no more: it is kept as it says, or not kept at all.
    fn answered(&mut self, number: Option<u32>, kept: Option<&Edit>) -> Answered {
        let Some(at) = number.and_then(|number| self.place_of(number)) else { return Answered::default() };
        let Waiting { edit, is_shown, .. } = self.waiting.remove(at);
        let given = kept.map_or_else(|| vec![NO_UNIT; edit.put_in().len()], Edit::put_in);
        let is_renamed = self.rename_from(at, &edit.put_in(), &given);
        Answered { was_shown: is_shown, is_renamed: is_renamed && is_shown }
    }

    /// What waits from a place on is about other units now; whether any is.
    fn rename_from(&mut self, at: usize, were: &[u32], are: &[u32]) -> bool {
        let other: Vec<(u32, u32)> =
            were.iter().copied().zip(are.iter().copied()).filter(|(was, is)| was != is && *was != 0).collect();
        for waiting in self.waiting.iter_mut().skip(at) {
            waiting.edit.rename_units(&other);
        }
        !other.is_empty()
    }

    /// Makes what waits again over what is kept. Returns what is other than before, and whether a unit that waits has
    /// another identity now.
    fn show_again(&mut self) -> (Vec<Touch>, bool) {
        let mut shown = self.kept.clone();
        let mut is_renamed = false;
        for at in 0..self.waiting.len() {
            let edit = self.waiting[at].edit.clone();
            let made = edit.facts().at_once.then(|| edit.apply(&mut shown).ok()).flatten();
            self.waiting[at].is_shown = made.is_some();
            if let Some((applied, _)) = made {
                is_renamed |= self.rename_from(at, &edit.put_in(), &applied.put_in());
            }
        }
        let parts = differences(&self.shown, &shown);
        self.shown = shown;
        (parts, is_renamed)
    }

    /// What waits under a number, as it is to be sent.
    #[must_use]
    pub fn edit(&self, number: u32) -> Option<&Edit> {
        self.place_of(number).map(|at| &self.waiting[at].edit)
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
