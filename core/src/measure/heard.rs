//! How loud a strip is where it is heard: through its rack, its bus and the main.
//!
//! Two sides of a comparison that are equally loud behind the strip's own rack need
//! not be so at the ear: a compressor on the bus answers to their different crest,
//! an equaliser there to their different spectrum. So the match is measured at the
//! end of the path, and [`next_match`] corrects it until both sides agree.

use super::loudness::{LoudnessMeter, integrated_lufs};
use crate::render::{Mixer, Plan};
use crate::session::{Session, routing};
use crate::signal::{BLOCK, StereoBlock};

/// Plays one strip alone on its Bench and measures what comes out.
pub struct HeardAlone {
    mixer: Mixer,
    /// Where in the song the sources stand.
    song_frame: i64,
    meter: LoudnessMeter,
    tenths: Vec<f64>,
    /// Frames of output still to be left out: the run-up and the latency.
    skip: usize,
}

impl HeardAlone {
    /// From rest at a frame of the song; `run_up` frames are played and not measured, so that filters and
    /// detectors are where they would be. `None` for a strip that does not exist.
    #[must_use]
    pub fn new(session: &Session, strip: u32, song_frame: u64, run_up: usize) -> Option<Self> {
        let plan = Plan::bench(session, strip, &[])?;
        let mut mixer = Mixer::new(&plan, session);
        mixer.hear_only(Some(&routing::heard_with(session, &[strip])));
        mixer.snap();
        Some(Self {
            skip: run_up + mixer.latency(),
            mixer,
            song_frame: song_frame as i64,
            meter: LoudnessMeter::new(f64::from(session.rate), 2),
            tenths: Vec::new(),
        })
    }

    /// Takes in the next block of every lane of the strip's Bench.
    pub fn push(&mut self, inputs: &[StereoBlock]) {
        let mut out = StereoBlock::SILENT;
        self.mixer.process(inputs, self.song_frame, &mut out, |_, _| {});
        self.song_frame += BLOCK as i64;
        if self.skip >= BLOCK {
            self.skip -= BLOCK;
            return;
        }
        if self.skip > 0 {
            // Less than a block against a gating window of 400 ms.
            out.left[..self.skip].fill(0.0);
            out.right[..self.skip].fill(0.0);
            self.skip = 0;
        }
        self.meter.push(&out, BLOCK, |tenth| self.tenths.push(tenth));
    }

    /// Gated loudness in LUFS; `None` for silence.
    #[must_use]
    pub fn lufs(&self) -> Option<f64> {
        integrated_lufs(&self.tenths)
    }
}

/// Whether anything between a strip's rack and the ear may treat two sides of a
/// comparison differently: a unit that is on in what it sounds through.
#[must_use]
pub fn is_treated_downstream(session: &Session, strip: u32) -> bool {
    let below = routing::downstream_sound(session, strip);
    let below = below.iter().filter(|id| **id != strip).filter_map(|id| session.strip(*id));
    below.flat_map(|s| &s.rack.units).any(|u| u.common.is_on("on"))
}
/// The gain in dB to try next, from those tried and the loudness they gave, so that
/// the untouched side reaches `goal_lufs`: by the secant through the last two, and
/// dB for LU after the first.
#[must_use]
pub fn next_match(tried: &[(f64, f64)], goal_lufs: f64) -> f64 {
    match tried {
        [] => 0.0,
        [.., (x0, y0), (x1, y1)] if (y1 - y0).abs() > 1e-3 => {
            // A compressor gives at most what it is given; a slope outside that is noise.
            let slope = ((y1 - y0) / (x1 - x0)).clamp(0.1, 1.5);
            x1 + (goal_lufs - y1) / slope
        }
        [.., (x, y)] => x + goal_lufs - y,
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_search_closes_in_on_the_goal_behind_a_compressor() {
        // A path that gives back a third of a gain.
        let path = |gain: f64| -24.0 + gain / 3.0;
        let mut tried: Vec<(f64, f64)> = Vec::new();
        for _ in 0..3 {
            let gain = next_match(&tried, -22.0);
            tried.push((gain, path(gain)));
        }
        assert!((tried[2].1 + 22.0).abs() < 1e-9, "{tried:?}");
    }
}
