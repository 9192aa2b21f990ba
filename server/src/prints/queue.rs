//! The prints on their way, and which of them comes next.

use std::collections::HashMap;
use std::sync::Arc;
use std::time::{Duration, Instant};

use zinc_core::render::offline::run_in;
use zinc_core::render::{Plan, Source};
use zinc_core::session::Session;

use super::cache::Cache;
use super::growth::{GrowingReader, Growth, Urgency};
use super::making::{Input, Making, Purpose};
use super::source::resolve;
use crate::jobs::JobError;

/// Passages kept of one print that nothing else is made from: one for each of two windows.
const PASSAGES: usize = 2;
/// How long a passage of a print that is whole by now may still be heard, and go over to it.
const HEARD_FOR: Duration = Duration::from_secs(20);
/// Frames that a passage may be behind what is wanted of it, and still be what comes there: ten stretches of a page.
const GOES_ON: u64 = 10 << 15;

/// What is to be made, and how far all of it has come.
#[derive(Default)]
pub(super) struct Queue {
    /// Those that nobody is working on just now.
    pub(super) waiting: Vec<Making>,
    pub(super) in_hand: usize,
    /// Prints begun so far.
    pub(super) begun: u64,
    /// What is kept in the end, by its key.
    pub(super) planted: HashMap<String, Planted>,
    /// What is heard meanwhile, the oldest first.
    pub(super) passages: Vec<Passage>,
    /// How many wait for each.
    pub(super) wanted: HashMap<String, usize>,
}

/// A print that is made to be kept.
pub(super) struct Planted {
    pub(super) growth: Arc<Growth>,
    /// What it is of.
    pub(super) session: Arc<Session>,
    pub(super) source: Source,
    /// Frames that a passage of it is run in for.
    pub(super) lead_in: u64,
}

/// A passage of a print that grows.
pub(super) struct Passage {
    /// Key of the print.
    pub(super) of: String,
    growth: Arc<Growth>,
    /// When the print was whole.
    since: Option<Instant>,
}

impl Passage {
    /// Whether it can be heard at a frame of the song, or will have come there.
    fn covers(&self, at: u64) -> bool {
        let growth = &self.growth;
        growth.failure().is_none() && growth.from() <= at && at <= growth.written() + GOES_ON
    }

    /// Whether another passage is made from it: who makes it and this list have it too.
    fn is_a_source(&self) -> bool {
        Arc::strong_count(&self.growth) > 2
    }
}

impl Queue {
    pub(super) fn growth(&self, key: &str) -> Option<Arc<Growth>> {
        self.planted.get(key).map(|planted| &planted.growth).filter(|growth| !growth.is_over()).cloned()
    }

    pub(super) fn known_passage(&self, key: &str, at: u64) -> Option<Arc<Growth>> {
        let known = self.passages.iter().find(|passage| passage.of == key && passage.covers(at));
        known.map(|passage| Arc::clone(&passage.growth))
    }

    /// Nobody waits for a print any more: its passages go with it, unless it is whole and they may still be in the ear.
    pub(super) fn give_up_passages(&mut self, key: &str, is_whole: bool) {
        if !is_whole {
            let given_up = self.passages.extract_if(.., |passage| passage.of == key);
            given_up.for_each(|passage| passage.growth.give_up());
        }
        let of_it = self.passages.iter_mut().filter(|passage| passage.of == key);
        of_it.for_each(|passage| passage.since = passage.since.or(Some(Instant::now())));
    }

    /// Passages of prints that have been whole for long hold no file any more.
    pub(super) fn forget_old_passages(&mut self) {
        self.passages.retain(|passage| passage.since.is_none_or(|since| since.elapsed() < HEARD_FOR));
    }

    /// Gives up the oldest passage of a print where there are too many that nothing is made from.
    fn limit_passages(&mut self, key: &str) {
        let mut free = self.passages.iter().enumerate().filter(|(_, one)| one.of == key && !one.is_a_source());
        let oldest = free.next().map(|(at, _)| at).filter(|_| free.count() + 1 >= PASSAGES);
        if let Some(at) = oldest {
            let given_up = self.passages.remove(at);
            given_up.growth.give_up();
            self.waiting.retain(|making| !Arc::ptr_eq(&making.growth(), &given_up.growth));
        }
    }

    /// A passage of a print, from a frame of the song on; its sources are passages in turn where they have not come there.
    pub(super) fn passage(&mut self, cache: &Cache, key: &str, at: u64) -> Result<Option<Arc<Growth>>, JobError> {
        self.passage_for(cache, key, at, (at, 0))
    }

    /// The same for one that is heard from frame `heard` on, where the longest run-in of what stands behind this one is
    /// `longest`: it begins no further before that than the longest of all in a row, and settles while they do.
    fn passage_for(
        &mut self,
        cache: &Cache,
        key: &str,
        at: u64,
        (heard, longest): (u64, u64),
    ) -> Result<Option<Arc<Growth>>, JobError> {
        if let Some(known) = self.known_passage(key, at) {
            return Ok(Some(known));
        }
        let Some(planted) = self.planted.get(key) else { return Ok(None) };
        let longest = longest.max(planted.lead_in);
        let from = run_in(at, planted.lead_in).max(run_in(heard, longest));
        let (session, source) = (Arc::clone(&planted.session), planted.source.clone());
        let Some(plan) = Plan::of_source(&session, &source) else { return Ok(None) };
        let (mut inputs, mut awaited) = (Vec::new(), Vec::new());
        for (_, needed) in plan.lanes() {
            let needed = resolve(&session, needed);
            let key = Cache::key(&session, &needed);
            let grown = self.growth(&key);
            let grows = match grown {
                Some(growth) if growth.written() < from => self.passage_for(cache, &key, from, (heard, longest))?,
                grown => grown,
            };
            inputs.push(if let Some(growth) = grows {
                awaited.push(Arc::clone(&growth));
                Input::Growing(GrowingReader::new(growth, from))
            } else {
                let mut whole = cache.open_one(&session, &needed)?;
                whole.skip_to(from)?;
                Input::Whole(whole)
            });
        }
        let of = (key.to_string(), self.begun, &plan);
        self.begun += 1;
        let making = Making::new(cache, &session, of, inputs, awaited, Purpose::Passage { at, from })?;
        let growth = making.growth();
        self.waiting.push(making);
        self.passages.push(Passage { of: key.to_string(), growth: Arc::clone(&growth), since: None });
        self.limit_passages(key);
        Ok(Some(growth))
    }

    /// Whether somebody wants what has come so far.
    pub(super) fn is_wanted(&self, key: &str, growth: &Arc<Growth>) -> bool {
        // Given up meanwhile it may have been begun anew by somebody else.
        let is_kept = self.planted.get(key).is_some_and(|planted| Arc::ptr_eq(&planted.growth, growth));
        is_kept || self.passages.iter().any(|passage| Arc::ptr_eq(&passage.growth, growth))
    }

    /// Which of those that wait comes next, of those whose sources have come far enough.
    pub(super) fn next(&self) -> Option<usize> {
        let awaited = |making: &&Making| making.growth().urgency() == Urgency::Awaited && !making.is_ready();
        self.waiting.iter().filter(awaited).for_each(Making::ask);
        let rank = |making: &Making| match making.growth().urgency() {
            // What was asked for first is whole first.
            Urgency::Whole => (Urgency::Whole, making.number, 0),
            urgency => (urgency, making.read(), making.number),
        };
        let is_due = |making: &Making| !making.is_passage() || making.growth().urgency() == Urgency::Awaited;
        let ready = self.waiting.iter().enumerate().filter(|(_, making)| is_due(making) && making.is_ready());
        ready.min_by_key(|(_, making)| rank(making)).map(|(at, _)| at)
    }
}
