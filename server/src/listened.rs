//! What is found by listening to what goes into a strip's rack: what stands out, what its
//! compressors do wrong, which units should change places; and what is made from it: a return by a
//! recipe, a unit that gives way.

use serde_json::{Value as Json, json};
use zinc_core::advice::by_hand::ByHand;
use zinc_core::advice::duck::{self, Duck};
use zinc_core::advice::parallel::{beside, there};
use zinc_core::advice::recipe::{self, Heard, Recipe};
use zinc_core::advice::{adds, blend, hold, noise, order, watch};
use zinc_core::course::Courses;
use zinc_core::measure::events::EventMeter;
use zinc_core::rack::RackSpec;
use zinc_core::render::{Plan, Source};
use zinc_core::session::document::OFF_DB;
use zinc_core::session::{Edit, Role, Session};
use zinc_core::signal::StereoBlock;
use zinc_core::signal::decibel::db_to_gain;
use zinc_core::trial::{Passage, Take};

use crate::jobs::{Job, Stopped, side_by_side};
use crate::prints::Prints;

/// Seconds of the song that are listened to, and that compressors are listened to on.
const LONGEST_S: f64 = 120.0;
const ADVISED_S: f64 = 60.0;
/// Events that are offered, the strongest.
const OFFERED: usize = 6;
/// Seconds of a part that an amplifier is heard on.
const AMPLIFIED_S: f64 = 20.0;

impl Prints {
    /// What goes into a strip's rack between two moments of the song, in seconds.
    ///
    /// # Errors
    /// As [`Prints::ensure`]; no such strip.
    pub fn passage_into(&self, session: &Session, strip: u32, within: [f64; 2], job: &Job) -> Result<Passage, Stopped> {
        self.passage_led_into(session, strip, within, 0.0, job)
    }

    /// The same, led in by so many seconds of what sounds before it, as far as there are any.
    ///
    /// # Errors
    /// As [`Prints::ensure`]; no such strip.
    pub fn passage_led_into(
        &self,
        session: &Session,
        strip: u32,
        [from, to]: [f64; 2],
        lead_s: f64,
        job: &Job,
    ) -> Result<Passage, Stopped> {
        let gone = || Stopped::Failed(format!("There is no strip {strip} in this session."));
        let mut bare = session.clone();
        let path = bare.strip_mut(strip).ok_or_else(gone)?;
        path.rack.units.clear();
        path.courses = Courses::default();
        let set = path.set_control("level_db", &json!(0)).and_then(|()| path.set_control("muted", &json!(false)));
        set.map_err(|e| Stopped::Failed(e.to_string()))?;
        let lead_s = lead_s.min(from.max(0.0));
        let whole = self.passage_of(&bare, strip, [from - lead_s, to], job)?;
        let lead = (lead_s * whole.rate) as usize;
        Ok(whole.cut_led(lead, whole.frames(), lead))
    }

    /// What a strip gives to its sends after its fader between two moments of the song, in seconds.
    ///
    /// # Errors
    /// As [`Prints::ensure`]; no such strip.
    pub fn passage_sent(&self, session: &Session, strip: u32, within: [f64; 2], job: &Job) -> Result<Passage, Stopped> {
        let mut passage = self.passage_of(session, strip, within, job)?;
        // A track is heard before its fader; what is off will be raised.
        let fader_db = session.strip(strip).filter(|s| s.is_track()).map_or(0.0, |s| s.controls.number("level_db"));
        if fader_db > OFF_DB {
            let gain = db_to_gain(fader_db) as f32;
            passage.left.iter_mut().chain(&mut passage.right).for_each(|x| *x *= gain);
        }
        Ok(passage)
    }

    /// A strip as it would be printed, between two moments.
    fn passage_of(&self, session: &Session, strip: u32, [from, to]: [f64; 2], job: &Job) -> Result<Passage, Stopped> {
        let gone = || Stopped::Failed(format!("There is no strip {strip} in this session."));
        let plan = Plan::stem(session, strip).ok_or_else(gone)?;
        let sources: Vec<Source> = plan.lanes().map(|(_, source)| source.clone()).collect();
        self.ensure(session, &sources, job)?;
        let channels = session.strip(strip).and_then(|s| s.audio()).map_or(2, |a| a.channels as usize);
        let mut passage = Passage::new(f64::from(session.rate), channels.clamp(1, 2));
        let frame = |seconds: f64| (seconds * passage.rate) as usize;
        let (mut at, first, last) = (0, frame(from), frame(to));
        self.run(session, &plan, job, |block: &StereoBlock, frames| {
            // By whole blocks; what is too much at either end is cut off below.
            if at + frames > first {
                passage.push(block, frames);
            }
            at += frames;
            Ok(at < last)
        })?;
        let skipped = at - passage.frames();
        passage.start = skipped as i64;
        Ok(passage.cut(first.saturating_sub(skipped), last.saturating_sub(skipped)))
    }

    /// Moments of a strip at which one region stands out, with the unit that holds each.
    ///
    /// # Errors
    /// As [`Prints::passage_into`].
    pub fn events(&self, session: &Session, strip: u32, region: Option<[f64; 2]>, job: &Job) -> Result<Json, Stopped> {
        let passage = self.passage_into(session, strip, [0.0, LONGEST_S], job)?;
        let events = listened(&passage).found(region);
        let held = side_by_side(&events[..events.len().min(OFFERED)], |done, event| {
            job.progress("finding what holds each", done)?;
            let mut report = json!(event);
            report["bands"] = hold::bands(&passage, event, &events);
            Ok(report)
        })?;
        Ok(json!(held))
    }

    /// What stands out of a strip at a moment that somebody has marked, with the unit that holds it.
    ///
    /// # Errors
    /// As [`Prints::passage_into`]; nothing that rises there.
    pub fn marked(&self, session: &Session, strip: u32, at_s: f64, job: &Job) -> Result<Json, Stopped> {
        let passage = self.passage_into(session, strip, [0.0, LONGEST_S], job)?;
        let meter = listened(&passage);
        let none =
            || Stopped::Failed("Nothing rises over its usual level at that moment; mark it where it is heard.".into());
        let event = meter.marked(at_s).ok_or_else(none)?;
        let mut report = json!(event);
        report["bands"] = hold::bands(&passage, &event, &[event]);
        Ok(report)
    }

    /// Four ways to hold the event of a strip that is nearest to a moment, of those of a region if one is given,
    /// measured.
    ///
    /// # Errors
    /// As [`Prints::passage_into`]; nothing that stands out.
    pub fn ways(
        &self,
        session: &Session,
        strip: u32,
        at_s: f64,
        region: Option<[f64; 2]>,
        job: &Job,
    ) -> Result<Json, Stopped> {
        let passage = self.passage_into(session, strip, [0.0, LONGEST_S], job)?;
        let meter = listened(&passage);
        let events = meter.found(region);
        // One that somebody has marked is none of those found.
        let marked = meter.marked(at_s).filter(|_| region.is_none());
        let found = events.iter().find(|event| (event.from_s..=event.to_s).contains(&at_s));
        let nearest = events.iter().min_by(|a, b| (a.at_s - at_s).abs().total_cmp(&(b.at_s - at_s).abs()));
        let nearest = found.or(marked.as_ref()).or(nearest);
        let none = || Stopped::Failed("Nothing stands out of its usual level here.".into());
        let event = nearest.ok_or_else(none)?;
        let held = side_by_side(&hold::Way::ALL, |done, way| {
            job.progress("holding it four ways", done)?;
            Ok(way.hold(&passage, event, &events))
        })?;
        Ok(json!(held))
    }

    /// A return beside a strip by a recipe, its settings derived from the part: the edit that makes
    /// it, and what was heard.
    ///
    /// # Errors
    /// As [`Prints::passage_into`]; a part that is silent.
    pub fn beside(&self, session: &Session, strip: u32, recipe: Recipe, job: &Job) -> Result<Json, Stopped> {
        if let Some(there) = there(session, strip, recipe.name()) {
            return Ok(json!({"there": there}));
        }
        let passage = self.passage_sent(session, strip, [0.0, LONGEST_S], job)?;
        let silent = || Stopped::Failed("There is nothing to hear on this strip yet; nothing was made.".into());
        let heard = Heard::of(&passage).ok_or_else(silent)?;
        let units = recipe::units(recipe, &heard, session.tempo_bpm);
        job.progress("hearing what it adds", 0.7)?;
        let adds = adds::of(&passage, &units);
        let edit = beside(session, strip, recipe.name(), units).ok_or_else(silent)?;
        Ok(json!({"edit": edit, "heard": heard, "adds": adds}))
    }

    /// The level of a unit set by hand: the edit that makes it leave the whole part as loud as it came,
    /// and the trim.
    ///
    /// # Errors
    /// As [`Prints::ensure`]; no such unit, a part that is silent.
    pub fn by_hand(&self, session: &Session, strip: u32, unit: u32, job: &Job) -> Result<Json, Stopped> {
        let none = || Stopped::Failed("This unit is no longer there; nothing was changed.".into());
        let by_hand = ByHand::of(session, strip, unit).ok_or_else(none)?;
        let treatment = self.treatment(&by_hand.session, strip, job)?;
        let silent = || Stopped::Failed("Nothing plays on this strip yet; nothing was changed.".into());
        let trim_db = by_hand.trim_db(&treatment).ok_or_else(silent)?;
        Ok(json!({"edit": by_hand.edit(trim_db), "trim_db": trim_db}))
    }

    /// What an amplifier does to its part: what its dry blend takes away and what mends it, and what it makes of the
    /// pauses, with a gate before it.
    ///
    /// # Errors
    /// As [`Prints::passage_into`]; no such unit.
    pub fn amplified(&self, session: &Session, strip: u32, unit: u32, job: &Job) -> Result<Json, Stopped> {
        let gone = || Stopped::Failed("This unit is no longer there; nothing was changed.".into());
        let rack = session.strip(strip).map(|s| s.rack.clone()).ok_or_else(gone)?;
        let at = rack.units.iter().position(|u| u.id == unit).ok_or_else(gone)?;
        let part = self.passage_into(session, strip, [0.0, AMPLIFIED_S], job)?;
        job.progress("hearing the amplifier", 0.4)?;
        let before = Take::of(&part, &RackSpec { units: rack.units[..at].to_vec() }, None).sound;
        let behind = Take::of(&before, &RackSpec { units: vec![rack.units[at].clone()] }, None).sound;
        let found = noise::noise(&before, &behind);
        let gate = found.as_ref().and_then(|found| found.gate.clone()).map(|unit| Edit::AddUnit { strip, at, unit });
        Ok(json!({"blend": blend::blend(&before, &rack.units[at]), "noise": found, "gate": gate}))
    }

    /// The unit that makes a strip give way by so many dB at each hit of another.
    ///
    /// # Errors
    /// As [`Prints::passage_into`]; a key that never hits.
    pub fn duck(&self, session: &Session, strip: u32, key: u32, depth_db: f64, job: &Job) -> Result<Json, Stopped> {
        if !(0.5..=24.0).contains(&depth_db) || strip == key {
            return Err(Stopped::Failed(
                "Ask for 0.5 to 24 dB, at the hits of another strip; nothing was made.".into(),
            ));
        }
        let passage = self.passage_into(session, key, [0.0, LONGEST_S], job)?;
        job.progress("solving", 0.5)?;
        let none = || Stopped::Failed("No hits were found on that strip; nothing was made.".into());
        let Duck { mut unit, hits, depths_db } = duck::solve(&passage, depth_db).ok_or_else(none)?;
        let at = session.strip(strip).map_or(0, |s| s.rack.units.len());
        let name = session.strip(key).map_or("", |s| &s.name);
        unit["key"] = json!({"strip": key, "tap": "before-rack"});
        unit["why"] = json!(format!("gives way by {depth_db} dB at each hit of {name}"));
        let most = |pick: fn(f64, f64) -> f64, from: f64| depths_db.iter().copied().fold(from, pick);
        Ok(json!({
            "edit": Edit::AddUnit { strip, at, unit }, "hits": hits.len(),
            "least_db": most(f64::min, f64::MAX), "most_db": most(f64::max, f64::MIN),
        }))
    }

    /// What the compressors of a strip do wrong, and which units should change places, each as a
    /// sentence with its mend.
    ///
    /// # Errors
    /// As [`Prints::passage_into`].
    pub fn watch(&self, session: &Session, strip: u32, job: &Job) -> Result<Vec<Json>, Stopped> {
        // A return is meant to be extreme.
        let Some(path) = session.strip(strip).filter(|s| s.role != Role::Return) else { return Ok(Vec::new()) };
        let rack = &path.rack;
        if !rack.units.iter().any(|unit| unit.is_on() && unit.kind.reduces) {
            return Ok(Vec::new());
        }
        // The same as long as what comes in and the rack are the same; its mends name the strip and the
        // units, which a copy of both has others of.
        let names: Vec<u32> = std::iter::once(strip).chain(rack.units.iter().map(|unit| unit.id)).collect();
        let what = format!(
            "watched {names:?} {} {} {}",
            Self::key(session, &Source::Racked { strip }),
            session.rate,
            rack.to_json()
        );
        self.remembered(&what, || self.watch_anew(session, strip, job))
    }

    fn watch_anew(&self, session: &Session, strip: u32, job: &Job) -> Result<Vec<Json>, Stopped> {
        let Some(rack) = session.strip(strip).map(|s| &s.rack) else { return Ok(Vec::new()) };
        let passage = self.passage_into(session, strip, [0.0, ADVISED_S], job)?;
        job.progress("listening to the compressors", 0.5)?;
        let faults = watch::faults(&passage, rack).into_iter().map(|watch::Fault { unit: place, found: fault }| {
            let unit = rack.units[place - 1].id;
            let with = |set: &[(&str, Json)]| shown(rack, place - 1, set);
            let edits: Vec<Edit> = fault
                .set
                .iter()
                .map(|(param, value)| Edit::SetParam { strip, unit, param: (*param).into(), value: value.clone() })
                .collect();
            let mend = (!edits.is_empty()).then(|| json!([fault.mend, Edit::Several { edits }]));
            json!({"stations": [place - 1], "says": fault.says, "mend": mend, "code": fault.code, "at_s": fault.at_s,
                "shown": [with(&fault.worse), with(&fault.set)]})
        });
        let mut all: Vec<Json> = faults.collect();
        // Lifts of a surgical EQ before a compressor are said in figures already.
        let pairs = order::pairs(rack).into_iter().filter(|(eq, _)| rack.units[*eq].kind.id != "surgical-eq");
        for (eq, by) in pairs {
            job.progress("listening to both orders", 0.8)?;
            if let Some(found) = order::check(&passage, rack, eq, by).filter(|order| order.matters) {
                let edit = Edit::MoveUnit { strip, unit: rack.units[eq].id, to: by };
                let words = if eq < by { "put it after" } else { "put it before" };
                all.push(json!({"stations": [eq, by], "says": found.says, "mend": [words, edit]}));
            }
        }
        Ok(all)
    }
}

/// A passage, looked at for what stands out.
fn listened(passage: &Passage) -> EventMeter {
    let mut meter = EventMeter::new(passage.rate);
    passage.blocks().for_each(|(block, frames)| meter.push(&block, frames));
    meter
}

/// A rack with other values of one unit, to be heard; none where there are none.
fn shown(rack: &RackSpec, at: usize, set: &[(&str, Json)]) -> Option<Json> {
    let mut rack = rack.clone();
    let unit = rack.units.get_mut(at)?;
    for (param, value) in set {
        unit.set(param, value).ok()?;
    }
    (!set.is_empty()).then(|| rack.to_json())
}
