//! How long a render is: the song, and what rings beyond its last track.

use crate::rack::RackSpec;
use crate::session::Session;
use crate::signal::{BLOCK, StereoBlock};
use crate::unit::Tail;

/// Longest time in seconds that is played and printed beyond the song; what rings longer, or
/// for ever, is faded out at its end.
pub const LONGEST_TAIL_S: u64 = 20;
/// Seconds of that fade.
const FADE_S: u64 = 2;

/// Where a sound ends.
#[derive(Clone, Copy, Default)]
pub(super) struct End {
    /// Frame of the song from which it is silent.
    pub(super) frames: u64,
    /// Whether it goes on for ever after it.
    pub(super) endless: bool,
}

impl End {
    pub(super) fn later(self, other: Self) -> Self {
        Self { frames: self.frames.max(other.frames), endless: self.endless || other.endless }
    }

    /// With a tail; silence has none.
    pub(super) fn after(self, tail: Tail) -> Self {
        match tail {
            _ if self.frames == 0 => self,
            Tail::Frames(frames) => Self { frames: self.frames + frames as u64, ..self },
            Tail::Endless => Self { endless: true, ..self },
        }
    }
}

/// Length of a render in frames, counted from the start of the song.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Length {
    /// Frames in all; never less than the song.
    pub frames: u64,
    /// Frames of them that lie beyond the song's last track.
    pub tail: u64,
    /// Frames of a fade at the end; 0 where what rings ends by itself.
    pub fade: u64,
}

impl Length {
    /// That of the song alone.
    #[must_use]
    pub fn of_song(session: &Session) -> Self {
        Self::cut_at(session.frames())
    }

    /// That of a sound of so many frames, and no longer.
    #[must_use]
    pub fn cut_at(frames: u64) -> Self {
        Self { frames, tail: 0, fade: 0 }
    }

    /// That of a sound of so many frames through a rack, at a rate in Hz.
    #[must_use]
    pub fn of(rack: &RackSpec, rate: u32, frames: u64) -> Self {
        Self::beyond(frames, rate, End { frames, endless: false }.after(rack.tail(f64::from(rate))))
    }

    pub(super) fn new(session: &Session, end: End) -> Self {
        Self::beyond(session.frames(), session.rate, end)
    }

    fn beyond(song: u64, rate: u32, end: End) -> Self {
        let rate = u64::from(rate);
        let longest = song + LONGEST_TAIL_S * rate;
        let cut = end.endless || end.frames > longest;
        let frames = if cut { longest } else { end.frames.max(song) };
        Self { frames, tail: frames - song, fade: if cut { FADE_S * rate } else { 0 } }
    }

    /// Fades the frames of a block that begins at frame `at`.
    pub fn fade(&self, at: i64, block: &mut StereoBlock) {
        if self.fade == 0 {
            return;
        }
        for i in 0..BLOCK {
            let left = self.frames as i64 - (at + i as i64);
            if left < self.fade as i64 {
                let gain = left.max(0) as f32 / self.fade as f32;
                block.left[i] *= gain;
                block.right[i] *= gain;
            }
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_short_tail_is_added_and_a_long_or_endless_one_is_faded_out() {
        let session = Session::new("empty", 48_000);
        let of = |frames, endless| Length::new(&session, End { frames, endless });
        assert_eq!(of(4800, false), Length { frames: 4800, tail: 4800, fade: 0 });
        let longest = LONGEST_TAIL_S * 48_000;
        for cut in [of(longest + 1, false), of(10, true)] {
            assert_eq!((cut.frames, cut.fade), (longest, 96_000));
            let mut block = StereoBlock { left: [1.0; BLOCK], right: [1.0; BLOCK] };
            cut.fade(longest as i64 - 48_000, &mut block);
            assert!((block.left[0] - 0.5).abs() < 1e-4 && block.left[127] < block.left[0]);
            cut.fade(longest as i64, &mut block);
            assert_eq!(block.left[0], 0.0);
        }
    }
}
