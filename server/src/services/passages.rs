//! Passages of a session: what goes into a rack, what is sent.

use zinc_core::course::Courses;
use zinc_core::render::Plan;
use zinc_core::session::controls::OFF_DB;
use zinc_core::signal::StereoBlock;
use zinc_core::signal::decibel::db_to_gain;
use zinc_core::trial::Passage;

use super::work::Work;
use crate::jobs::JobError;

/// Stretches of the song in memory, between two moments.
pub struct Passages<'a>(pub Work<'a>);

impl Passages<'_> {
    /// What goes into a strip's rack between two moments of the song, in seconds.
    ///
    /// # Errors
    /// As [`crate::prints::Prints::ensure`]; no such strip.
    pub fn before_rack(&self, strip: u32, within: [f64; 2]) -> Result<Passage, JobError> {
        self.led_before_rack(strip, within, 0.0)
    }

    /// The same, led in by so many seconds of what sounds before it, as far as there are any.
    ///
    /// # Errors
    /// As [`crate::prints::Prints::ensure`]; no such strip.
    pub fn led_before_rack(&self, strip: u32, [from, to]: [f64; 2], lead_s: f64) -> Result<Passage, JobError> {
        let gone = || JobError::Failed(format!("There is no strip {strip} in this session."));
        let mut bare = self.0.session.clone();
        let path = bare.strip_mut(strip).ok_or_else(gone)?;
        path.rack.units.clear();
        path.courses = Courses::default();
        let set = path.set_control("level_db", &0.into()).and_then(|_| path.set_control("muted", &false.into()));
        set.map_err(|e| JobError::Failed(e.to_string()))?;
        let lead_s = lead_s.min(from.max(0.0));
        let whole = Passages(self.0.on(&bare)).of(strip, [from - lead_s, to])?;
        let lead = (lead_s * whole.rate) as usize;
        Ok(whole.cut_led(lead, whole.frames(), lead))
    }

    /// What a strip gives to its sends after its fader between two moments of the song, in seconds.
    ///
    /// # Errors
    /// As [`crate::prints::Prints::ensure`]; no such strip.
    pub fn sent(&self, strip: u32, within: [f64; 2]) -> Result<Passage, JobError> {
        let mut passage = self.of(strip, within)?;
        // A track is heard before its fader; what is off will be raised.
        let fader_db =
            self.0.session.strip(strip).filter(|s| s.is_track()).map_or(0.0, |s| s.controls.number("level_db"));
        if fader_db > OFF_DB {
            let gain = db_to_gain(fader_db) as f32;
            passage.left.iter_mut().chain(&mut passage.right).for_each(|x| *x *= gain);
        }
        Ok(passage)
    }

    /// A strip as it would be printed, between two moments.
    fn of(&self, strip: u32, [from, to]: [f64; 2]) -> Result<Passage, JobError> {
        let session = self.0.session;
        let gone = || JobError::Failed(format!("There is no strip {strip} in this session."));
        let plan = Plan::stem(session, strip).ok_or_else(gone)?;
        let channels = session.strip(strip).and_then(|s| s.audio()).map_or(2, |a| a.channels as usize);
        let mut passage = Passage::new(f64::from(session.rate), channels.clamp(1, 2));
        let frame = |seconds: f64| (seconds * passage.rate) as usize;
        let (mut at, first, last) = (0, frame(from), frame(to));
        self.0.run(&plan, |block: &StereoBlock, frames| {
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
}
