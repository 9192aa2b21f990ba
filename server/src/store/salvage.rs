//! What of a session can be read whose rows are damaged: all but what is named.
//!
//! Nothing is written back: the rows stay as they are, the session can only be read, and a copy of what can be read is
//! what is worked on (`readable_copy`).

use serde::de::DeserializeOwned;
use serde_json::{Value as Json, json};
use zinc_core::rack::RackSpec;
use zinc_core::rack::spec::RACK_VERSION;
use zinc_core::session::routing;
use zinc_core::session::{DocumentError, Edit, Family, Role, Session, Strip};

/// Rates in Hz that a session can have.
const RATES_HZ: std::ops::RangeInclusive<u32> = 8_000..=384_000;
/// A rate for one that has none.
const USUAL_RATE_HZ: u32 = 48_000;

/// How much of what could not be read is named in a sentence.
const NAMED: usize = 6;

/// What could not be read, in words.
#[derive(Debug, Default, PartialEq, Eq)]
pub struct Lost(Vec<String>);

impl Lost {
    /// Whether all could be read.
    #[must_use]
    pub fn is_empty(&self) -> bool {
        self.0.is_empty()
    }

    pub(super) fn say(&mut self, what: impl Into<String>) {
        self.0.push(what.into());
    }

    /// In a row, of much the first: `the settings of "Bass DI", a unit of "Keys"`.
    #[must_use]
    pub fn words(&self) -> String {
        match self.0.get(NAMED..) {
            Some(more) if more.len() > 1 => format!("{} and {} more parts", self.0[..NAMED].join(", "), more.len()),
            _ => self.0.join(", "),
        }
    }

    /// What a text holds; named where it does not hold that.
    pub(super) fn read<T: DeserializeOwned>(&mut self, text: &str, what: impl FnOnce() -> String) -> Option<T> {
        let read = serde_json::from_str(text).ok();
        if read.is_none() {
            self.say(what());
        }
        read
    }

    /// A strip as it is written, without what of it cannot be read; none where that is all.
    pub(super) fn strip(&mut self, mut written: Json) -> Option<Strip> {
        let name = written["name"].as_str().unwrap_or_default().to_string();
        // Each is tried without one more thing: what is named is what was in the way.
        for _ in 0..4 {
            let why = match Strip::from_json(&written) {
                Ok(strip) => return Some(strip),
                Err(why) => why,
            };
            match why {
                DocumentError::Rack(_) => self.readable_units(&mut written["rack"], &name),
                DocumentError::Control(_) => self.leave(&mut written["controls"], "the settings", &name),
                DocumentError::Field("sends") => self.leave(&mut written["sends"], "the sends", &name),
                _ => break,
            }
        }
        self.say(format!("\"{name}\""));
        None
    }

    fn leave(&mut self, part: &mut Json, what: &str, name: &str) {
        *part = Json::Null;
        self.say(format!("{what} of \"{name}\""));
    }

    fn readable_units(&mut self, rack: &mut Json, name: &str) {
        let all = rack["units"].as_array().cloned().unwrap_or_default();
        let alone = |unit: &Json| json!({ "zinc_rack": RACK_VERSION, "units": [unit] });
        let (read, not): (Vec<_>, Vec<_>) =
            all.into_iter().partition(|unit| RackSpec::of_any_version(&alone(unit)).is_ok());
        not.iter().for_each(|_| self.say(format!("a unit of \"{name}\"")));
        let units = if not.is_empty() {
            // Each reads alone and not all together.
            self.say(format!("the rack of \"{name}\""));
            Vec::new()
        } else {
            read
        };
        *rack = json!({ "zinc_rack": RACK_VERSION, "units": units });
    }

    /// Makes a document of what has been read that can be shown and heard.
    pub(super) fn mend(&mut self, session: &mut Session) {
        if !RATES_HZ.contains(&session.rate) {
            session.rate = USUAL_RATE_HZ;
            self.say("the sample rate");
        }
        let (tempo_bpm, beats_per_bar) = (session.tempo_bpm, session.beats_per_bar);
        // As the core would let it be set.
        let empty = &mut Session::new("", session.rate);
        if (Edit::SetTempo { tempo_bpm, beats_per_bar }).apply(empty).is_err() {
            (session.tempo_bpm, session.beats_per_bar) = (empty.tempo_bpm, empty.beats_per_bar);
            self.say("the tempo");
        }
        let sections = session.sections.len();
        session.sections.retain(|section| section.start < section.end);
        if session.sections.len() < sections {
            self.say("a section");
        }
        // No fresh identity is one that is in use.
        let used = session.strips.iter().flat_map(|s| s.rack.units.iter().map(|u| u.id).chain([s.id]));
        let used: Vec<u32> = used.chain(session.sections.iter().map(|s| s.id)).collect();
        used.into_iter().for_each(|id| session.reserve_id(id));
        self.mend_paths(session);
    }

    fn mend_paths(&mut self, session: &mut Session) {
        if session.main_id() == 0 {
            let main = Strip::new(session.take_id(), "Main", Family::Fx, Role::Main, None);
            session.strips.push(main);
            self.say("the main");
        }
        let main = session.main_id();
        let there: Vec<u32> = session.strips.iter().map(|s| s.id).collect();
        for strip in session.strips.iter_mut().filter(|s| s.id != main) {
            if !strip.feeds.is_some_and(|to| there.contains(&to)) {
                strip.feeds = Some(main);
                self.say(format!("where \"{}\" leads", strip.name));
            }
            let sends = strip.sends.len();
            strip.sends.retain(|send| there.contains(&send.to));
            if strip.sends.len() < sends {
                self.say(format!("a send of \"{}\"", strip.name));
            }
        }
        if routing::order(session).is_err() {
            for strip in session.strips.iter_mut().filter(|s| s.id != main) {
                strip.feeds = Some(main);
                strip.sends.clear();
            }
            self.say("the paths, which ran in a circle");
        }
    }
}
