//! What is wrong with a recording before anybody touched a control: the import check.
//!
//! One pass over the sound. Every finding carries its figure and, where there is one,
//! the single edit that mends it.

use crate::unit::value::Written;
use serde::{Deserialize, Serialize};
use serde_json::json;

use super::third_octave::{BANDS, ThirdOctaves, centre_hz};
use super::width::{MONO_DB, WidthMeter};
use crate::rack::proposed::{because, unit_of_rows};
use crate::session::controls::INPUT_LIMIT_DB;
use crate::session::{Edit, Part, Strip};
use crate::signal::decibel::{gain_to_db, power_to_db};
use crate::signal::{BLOCK, StereoBlock};
use crate::unit::eq::surgical::KIND as SURGICAL;
use crate::unit::proposed::values;

/// A sample this close to full scale counts as at it: one step of a 16-bit file.
const FULL_SCALE: f32 = 1.0 - 1.0 / 32_768.0;
/// Samples in a row at one extreme value that make a clip. Two may be chance.
const CLIP_RUN: u32 = 3;
/// Peaks above this were normalised, not tracked: nobody leaves half a dB of room.
const HOT_DB: f64 = -0.5;
/// Peak a trim aims at: the room tracks are usually recorded with.
const TRIM_TO_DB: f64 = -6.0;
/// Peaks below this are silence: far below any converter's noise.
const SILENT_DB: f64 = -90.0;
/// An offset above this, against full scale, is worth mending.
const DC_DB: f64 = -60.0;
/// A block louder than this below the loudest counts as playing.
const PLAYING_DB: f64 = -40.0;
/// Gap between two stretches of playing that joins them, in seconds.
const JOIN_S: f64 = 1.0;
/// Rumble counts from this many dB under the whole.
const RUMBLE_DB: f64 = -30.0;

/// What was found.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case")]
pub enum Fault {
    /// Runs of samples at one extreme value.
    Clipped,
    /// Peaks at full scale without clipping.
    Hot,
    /// Nothing on it.
    Silent,
    /// An offset.
    Dc,
    /// Two sides that carry the same.
    MonoInStereo,
    /// Sound below the instrument.
    Rumble,
}

/// One finding.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct Finding {
    /// What.
    pub fault: Fault,
    /// One sentence with its figure.
    pub sentence: String,
    /// What mends it, in a word for a button; empty where nothing does.
    pub mend: String,
    /// The edits that mend it.
    pub edits: Vec<Edit>,
}

/// What one pass over a recording tells.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct Intake {
    /// Sample peak in dBFS.
    pub peak_db: f64,
    /// Runs of clipped samples.
    pub clips: u32,
    /// Mean of the samples, of the side where it is larger.
    pub dc: f64,
    /// Side against mid in dB.
    pub width_db: f64,
    /// Third-octave levels in dBFS.
    pub third_octave: Vec<f64>,
    /// Stretches in which it plays, in frames.
    pub plays: Vec<[u64; 2]>,
    /// 1 or 2.
    pub channels: u8,
}

/// Takes a recording in.
pub struct IntakeMeter {
    rate: f64,
    channels: u8,
    peak: f32,
    clips: u32,
    /// Samples in a row at the present extreme, by side, and that extreme.
    run: [(u32, f32); 2],
    sums: [f64; 2],
    frames: u64,
    width: WidthMeter,
    third_octaves: ThirdOctaves,
    /// Power of every block.
    powers: Vec<f32>,
}

impl IntakeMeter {
    /// For a recording of 1 or 2 channels at `rate` Hz.
    #[must_use]
    pub fn new(rate: f64, channels: u8) -> Self {
        Self {
            rate,
            channels,
            peak: 0.0,
            clips: 0,
            run: [(0, 0.0); 2],
            sums: [0.0; 2],
            frames: 0,
            width: WidthMeter::default(),
            third_octaves: ThirdOctaves::new(rate, ThirdOctaves::LONG),
            powers: Vec::new(),
        }
    }

    /// Takes in the first `frames` of a block.
    pub fn push(&mut self, block: &StereoBlock, frames: usize) {
        let sides = usize::from(self.channels);
        for (side, samples) in [&block.left, &block.right].into_iter().enumerate().take(sides) {
            for x in &samples[..frames] {
                self.sums[side] += f64::from(*x);
                self.count_clip(side, *x);
            }
        }
        self.peak = self.peak.max(block.peak());
        self.width.push(block, frames);
        self.third_octaves.push(block, frames);
        let power: f32 = block.left[..frames].iter().chain(&block.right[..frames]).map(|x| x * x).sum();
        self.powers.push(power / (2 * frames.max(1)) as f32);
        self.frames += frames as u64;
    }

    fn count_clip(&mut self, side: usize, x: f32) {
        let (count, value) = &mut self.run[side];
        if x.abs() < FULL_SCALE || x != *value {
            (*count, *value) = (1, x);
            return;
        }
        *count += 1;
        self.clips += u32::from(*count == CLIP_RUN);
    }

    /// What it is like.
    #[must_use]
    pub fn finish(mut self) -> Intake {
        let mean = |sum: f64| sum / self.frames.max(1) as f64;
        let [l, r] = self.sums.map(mean);
        Intake {
            peak_db: gain_to_db(f64::from(self.peak)),
            clips: self.clips,
            dc: if l.abs() >= r.abs() { l } else { r },
            width_db: self.width.width_db(),
            third_octave: self.third_octaves.levels_db().to_vec(),
            plays: stretches(&self.powers, self.rate, self.frames),
            channels: self.channels,
        }
    }
}

/// Stretches in which blocks of these powers play, in frames.
fn stretches(powers: &[f32], rate: f64, frames: u64) -> Vec<[u64; 2]> {
    let loudest = powers.iter().fold(0.0f32, |m, p| m.max(*p));
    let floor_db = power_to_db(f64::from(loudest)) + PLAYING_DB;
    let join = (JOIN_S * rate) as u64;
    let mut found: Vec<[u64; 2]> = Vec::new();
    for (i, power) in powers.iter().enumerate() {
        if loudest <= 0.0 || power_to_db(f64::from(*power)) < floor_db {
            continue;
        }
        let (from, to) = ((i * BLOCK) as u64, (((i + 1) * BLOCK) as u64).min(frames));
        match found.last_mut() {
            Some(last) if from <= last[1] + join => last[1] = to,
            _ => found.push([from, to]),
        }
    }
    found
}

/// Lowest fundamental in Hz that a part plays; what lies well below it is not the
/// instrument. Lowest notes of ordinary tunings and ranges, rounded down.
fn lowest_hz(part: Part) -> f64 {
    match part {
        Part::BassDi | Part::BassMic => 36.0,
        Part::Kick => 35.0,
        Part::RhythmGuitar | Part::AcousticGuitar | Part::LeadGuitar => 75.0,
        Part::Cellos => 60.0,
        Part::Violins => 180.0,
        Part::Snare | Part::Voice => 85.0,
        Part::Overheads => 120.0,
        Part::Organ | Part::ElectricPiano => 55.0,
        _ => 30.0,
    }
}

impl Intake {
    /// What is worth saying, for a strip with this part.
    #[must_use]
    pub fn findings(&self, strip: u32, part: Part) -> Vec<Finding> {
        if self.peak_db < SILENT_DB {
            let sentence = format!("Silent: its loudest sample is at {:.0} dBFS.", self.peak_db);
            return vec![Finding {
                fault: Fault::Silent,
                sentence,
                mend: "mute".into(),
                edits: vec![set(strip, "muted", true)],
            }];
        }
        [self.level(strip), self.offset(strip), self.sides(strip), self.rumble(strip, part)]
            .into_iter()
            .flatten()
            .collect()
    }

    fn level(&self, strip: u32) -> Option<Finding> {
        let trim = (TRIM_TO_DB - self.peak_db).round().clamp(-INPUT_LIMIT_DB, INPUT_LIMIT_DB);
        let (fault, sentence) = if self.clips > 0 {
            let times = if self.clips == 1 { "once".to_string() } else { format!("{} times", self.clips) };
            (
                Fault::Clipped,
                format!("Clipped {times} in the recording; a trim makes room but does not mend the edges."),
            )
        } else if self.peak_db > HOT_DB {
            (Fault::Hot, format!("Brought to full scale before it came here: peak {:+.1} dBFS.", self.peak_db))
        } else {
            return None;
        };
        Some(Finding {
            fault,
            sentence,
            mend: format!("trim {trim:+.0} dB"),
            edits: vec![set(strip, "input_db", trim)],
        })
    }

    fn offset(&self, strip: u32) -> Option<Finding> {
        let db = gain_to_db(self.dc);
        (db > DC_DB).then(|| Finding {
            fault: Fault::Dc,
            sentence: format!(
                "An offset of {:.2} % of full scale ({db:.0} dBFS) takes room and clicks at cuts.",
                self.dc * 100.0
            ),
            mend: "high-pass 20 Hz".into(),
            edits: vec![high_pass(strip, 20.0, 12, "the recording has an offset")],
        })
    }

    fn sides(&self, strip: u32) -> Option<Finding> {
        (self.channels == 2 && self.width_db < MONO_DB).then(|| Finding {
            fault: Fault::MonoInStereo,
            sentence: "A stereo file whose two sides are the same.".into(),
            mend: "use it as mono".into(),
            edits: vec![set(strip, "image", "mono")],
        })
    }

    fn rumble(&self, strip: u32, part: Part) -> Option<Finding> {
        let lowest = lowest_hz(part);
        let power = |keep: &dyn Fn(f64) -> bool| -> f64 {
            let bands = (0..BANDS.min(self.third_octave.len())).filter(|i| keep(centre_hz(*i)));
            bands.map(|i| crate::signal::math::pow(10.0, self.third_octave[i] / 10.0)).sum()
        };
        // The bands wholly below the lowest note.
        let below = power(&|hz| hz < lowest * 0.8);
        let share_db = power_to_db(below) - power_to_db(power(&|_| true));
        (share_db > RUMBLE_DB && part != Part::Unknown).then(|| Finding {
            fault: Fault::Rumble,
            sentence: format!(
                "Rumble below the instrument: {share_db:.0} dB under the whole, below {:.0} Hz.",
                lowest * 0.8
            ),
            mend: format!("high-pass {:.0} Hz", lowest * 0.85),
            edits: vec![high_pass(strip, (lowest * 0.85).round(), 24, "rumble below the instrument")],
        })
    }
}

impl Finding {
    /// Whether the strip has been mended since: its control stands away from where it
    /// was, or its rack begins with a high-pass.
    #[must_use]
    pub fn is_mended(&self, strip: &Strip) -> bool {
        let control = |id: &str| strip.controls.to_json().get(id).cloned();
        match self.fault {
            Fault::Clipped | Fault::Hot => strip.controls.number("input_db") != 0.0,
            Fault::Silent => strip.controls.is_on("muted"),
            Fault::MonoInStereo => control("image") != Some(json!("as-recorded")),
            Fault::Dc | Fault::Rumble => {
                let cuts =
                    |u: &crate::rack::UnitSpec| u.settings.rows().iter().any(|r| r.choice("shape") == "high-pass");
                strip.rack.units.iter().any(|u| u.kind.id == SURGICAL.id && cuts(u))
            }
        }
    }
}

fn set(strip: u32, control: &str, value: impl Into<Written>) -> Edit {
    Edit::SetControl { strip, control: control.into(), value: value.into() }
}

fn high_pass(strip: u32, hz: f64, slope: u32, why: &str) -> Edit {
    let band = values!(SURGICAL.tables.lists[0].params, {"shape": "high-pass", "freq_hz": hz, "slope_db_oct": slope});
    Edit::AddUnit { strip, at: 0, unit: Box::new(because(why, unit_of_rows(&SURGICAL, &[band]))) }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::signal::math::{TAU, sin};

    const RATE: f64 = 48_000.0;

    fn taken(channels: u8, seconds: f64, sound: impl Fn(f64) -> [f64; 2]) -> Intake {
        let mut meter = IntakeMeter::new(RATE, channels);
        for n in 0..(seconds * RATE) as usize / BLOCK {
            let mut block = StereoBlock::SILENT;
            for i in 0..BLOCK {
                block.set_frame(i, sound((n * BLOCK + i) as f64 / RATE));
            }
            meter.push(&block, BLOCK);
        }
        meter.finish()
    }

    fn tone(hz: f64, amplitude: f64) -> impl Fn(f64) -> f64 {
        move |t| amplitude * sin(TAU * hz * t)
    }

    fn faults(intake: &Intake, part: Part) -> Vec<Fault> {
        intake.findings(7, part).iter().map(|f| f.fault).collect()
    }

    #[test]
    fn a_clean_recording_has_no_findings() {
        let intake = taken(1, 3.0, |t| [tone(220.0, 0.3)(t); 2]);
        assert_eq!(faults(&intake, Part::RhythmGuitar), []);
        assert_eq!(intake.plays.len(), 1);
    }

    #[test]
    fn a_trim_is_proposed_as_far_as_its_control_goes_and_can_be_made() {
        let intake = taken(1, 2.0, |t| [tone(220.0, 2000.0)(t); 2]);
        let found = intake.findings(2, Part::RhythmGuitar);
        let mend = found.iter().find(|f| f.fault == Fault::Clipped || f.fault == Fault::Hot).unwrap();
        assert_eq!(mend.mend, "trim -24 dB");
        let mut session = crate::session::Session::new("hot", 48_000);
        let main = session.main_id();
        let track = session.add_strip("t", crate::session::Family::Gt, crate::session::Role::Bus, main);
        assert_eq!(track, 2);
        mend.edits[0].apply(&mut session).unwrap();
    }

    #[test]
    fn each_fault_is_found_alone_and_mended_by_one_edit() {
        let both = |x: f64| [x; 2];
        let cases: Vec<(Intake, Fault, &str)> = vec![
            (taken(1, 2.0, |t| both(tone(220.0, 1.5)(t).clamp(-1.0, 1.0))), Fault::Clipped, "trim -6 dB"),
            (taken(1, 2.0, |t| both(tone(221.3, 0.99)(t))), Fault::Hot, "trim -6 dB"),
            (taken(1, 2.0, |_| both(1e-6)), Fault::Silent, "mute"),
            (taken(1, 2.0, |t| both(tone(220.0, 0.3)(t) + 0.01)), Fault::Dc, "high-pass 20 Hz"),
            (taken(2, 2.0, |t| both(tone(220.0, 0.3)(t))), Fault::MonoInStereo, "use it as mono"),
            (taken(1, 4.0, |t| both(tone(220.0, 0.3)(t) + tone(25.0, 0.1)(t))), Fault::Rumble, "high-pass 64 Hz"),
        ];
        for (intake, fault, mend) in cases {
            let found = intake.findings(7, Part::RhythmGuitar);
            let named = found.iter().find(|f| f.fault == fault).unwrap_or_else(|| panic!("{fault:?}: {found:?}"));
            assert_eq!((named.mend.as_str(), named.edits.len()), (mend, 1), "{fault:?}");
            assert!(fault == Fault::Dc || found.len() == 1, "{fault:?}: {found:?}");
        }
    }

    #[test]
    fn where_it_plays_is_told_within_a_block_and_short_rests_are_joined() {
        let played = |t: f64| (1.0..2.0).contains(&t) || (2.5..3.0).contains(&t) || (6.0..7.0).contains(&t);
        let intake = taken(1, 8.0, |t| [if played(t) { tone(500.0, 0.5)(t) } else { 0.0 }; 2]);
        assert_eq!(intake.plays.len(), 2, "{:?}", intake.plays);
        for (found, want) in intake.plays.iter().flatten().zip([48_000u64, 144_000, 288_000, 336_000]) {
            assert!(found.abs_diff(want) <= BLOCK as u64, "{:?}", intake.plays);
        }
    }

    #[test]
    fn two_samples_at_full_scale_are_chance_and_three_are_a_clip() {
        for (run, clips) in [(2, 0), (3, 1), (9, 1)] {
            let mut meter = IntakeMeter::new(RATE, 1);
            let mut block = StereoBlock::SILENT;
            block.left[10..10 + run].fill(1.0);
            meter.push(&block, BLOCK);
            assert_eq!(meter.finish().clips, clips, "{run} in a row");
        }
    }
}
