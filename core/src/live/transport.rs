//! Where in the song we are: play, stop, seek, loop.
//!
//! Every jump (a loop's end, a seek while playing) crossfades over 256 frames
//! from where playing would have gone on to where it goes, so that a jump in the
//! material makes no click. A start fades in, except at the very beginning,
//! where the song starts as printed. What fades out at a stop is the output, not what is read
//! here: what is still inside a late unit must fade with it.

/// Frames of the crossfade at a jump: 5.3 ms at 48 kHz.
pub const JUMP_FADE: u32 = 256;

/// What to read for one output frame.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Read {
    /// Song position and its gain.
    pub at: u64,
    /// Gain of `at`.
    pub gain: f32,
    /// The position faded from, with its gain, during a jump.
    pub from: Option<(u64, f32)>,
    /// Whether a loop began anew with this frame.
    pub wrapped: bool,
}

/// The state of playing.
#[derive(Clone, Debug)]
pub struct Transport {
    position: u64,
    playing: bool,
    /// First frame and one past the last of the stretch that is asked to be looped; what of it lies within the song
    /// is [`Self::looped`].
    asked_loop: Option<(u64, u64)>,
    /// Where the sound before the jump would be now, and frames of fade left.
    leaving: Option<(u64, u32)>,
    /// Frames of fade-in still to go after a start.
    starting: u32,
    end: u64,
    /// Frames read beyond the end, so that all that is inside comes out.
    run_out: u64,
}

impl Transport {
    /// At the start of a song of `end` frames, stopped.
    #[must_use]
    pub fn new(end: u64) -> Self {
        Self { position: 0, playing: false, asked_loop: None, leaving: None, starting: 0, end, run_out: 0 }
    }

    /// Starts from the present position, or from the top if at the end.
    pub fn play(&mut self) {
        if self.position >= self.end {
            self.position = self.looped().map_or(0, |l| l.0);
        }
        self.starting = if self.position == 0 { 0 } else { JUMP_FADE };
        self.leaving = None;
        self.playing = true;
    }

    /// Stops and stands at `frame`.
    pub fn stop_at(&mut self, frame: u64) {
        self.playing = false;
        self.leaving = None;
        self.position = frame.min(self.end);
    }

    /// Goes to `frame`.
    pub fn seek(&mut self, frame: u64) {
        self.jump_to(frame.min(self.end));
    }

    /// Loops a stretch, or no longer.
    pub fn set_loop(&mut self, looped: Option<(u64, u64)>) {
        self.asked_loop = looped;
    }

    /// The loop within the song as long as it is now: a song changes its length while it plays, and an end of a loop that
    /// is never reached would end the playing instead.
    fn looped(&self) -> Option<(u64, u64)> {
        self.asked_loop.map(|(a, b)| (a, b.min(self.end))).filter(|(a, b)| a < b)
    }

    /// Changes the length of the song, and how far beyond it is read.
    pub fn set_end(&mut self, end: u64, run_out: u64) {
        (self.end, self.run_out) = (end, run_out);
    }

    /// Position in frames.
    #[must_use]
    pub fn position(&self) -> u64 {
        self.position
    }

    /// Whether it plays.
    #[must_use]
    pub fn is_playing(&self) -> bool {
        self.playing
    }

    /// The same transport, standing `by` frames after `from` along the way it goes: round its
    /// loop where there is one.
    #[must_use]
    pub fn ahead(&self, from: u64, by: u64) -> Self {
        let mut position = from + by;
        // At its end the loop has not begun anew yet, and does with the next frame.
        if let Some((start, end)) = self.looped()
            && from <= end
            && position >= end
        {
            position = start + (position - end) % (end - start);
        }
        Self { position, leaving: None, starting: 0, ..self.clone() }
    }

    /// The stretches of the song needed for the next `count` frames.
    #[must_use]
    pub fn needs(&self, count: u64) -> [Option<(u64, u64)>; 3] {
        let ahead = count + u64::from(JUMP_FADE);
        let wrap = self.looped().filter(|(_, b)| self.position < *b && self.position + count >= *b);
        [Some((self.position, ahead)), wrap.map(|(a, _)| (a, ahead)), self.leaving.map(|(p, n)| (p, u64::from(n)))]
    }

    fn jump_to(&mut self, frame: u64) {
        if self.playing && frame != self.position {
            self.leaving = Some((self.position, JUMP_FADE));
        }
        self.position = frame;
    }

    /// What to read for the next frame; moves on.
    pub fn next_read(&mut self) -> Read {
        let mut wrapped = false;
        if let Some((a, b)) = self.looped()
            && self.position == b
        {
            self.jump_to(a);
            wrapped = true;
        }
        let mut read = Read { at: self.position, gain: self.start_gain(), from: None, wrapped };
        if let Some((from, left)) = self.leaving {
            let old = left as f32 / JUMP_FADE as f32;
            read.from = Some((from, read.gain * old));
            read.gain *= 1.0 - old;
            self.leaving = (left > 1).then_some((from + 1, left - 1));
        }
        self.position += 1;
        if self.position >= self.end + self.run_out && self.looped().is_none_or(|(_, b)| b != self.position) {
            self.playing = false;
        }
        read
    }

    /// Gain of a start's fade-in.
    fn start_gain(&mut self) -> f32 {
        if self.starting == 0 {
            return 1.0;
        }
        let gain = 1.0 - self.starting as f32 / JUMP_FADE as f32;
        self.starting -= 1;
        gain
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_loop_returns_on_the_frame_and_crossfades() {
        let mut t = Transport::new(10_000);
        t.set_loop(Some((1000, 3000)));
        t.seek(2990);
        t.play();
        let reads: Vec<Read> = (0..600).map(|_| t.next_read()).collect();
        assert_eq!(reads[9].at, 2999);
        assert_eq!(reads[10].at, 1000);
        assert_eq!(reads[10].from.map(|f| f.0), Some(3000));
        assert_eq!(reads[10 + JUMP_FADE as usize].from, None);
        for r in &reads[JUMP_FADE as usize + 1..] {
            let sum = r.gain + r.from.map_or(0.0, |f| f.1);
            assert!((sum - 1.0).abs() < 1e-6);
        }
    }

    #[test]
    fn a_loop_stays_within_a_song_that_becomes_shorter_and_is_whole_again_when_it_grows() {
        let mut t = Transport::new(1000);
        t.set_loop(Some((200, 800)));
        t.play();
        for end in [500, 1000, 300] {
            t.set_end(end, 400);
            // The pass in which it changes may be beyond the new end already.
            t.seek(200);
            let reads: Vec<u64> = (0..3000).map(|_| t.next_read().at).collect();
            assert!(t.is_playing(), "of {end}");
            assert_eq!((reads.iter().min(), reads.iter().max()), (Some(&200), Some(&(end.min(800) - 1))));
        }
        t.set_end(150, 0);
        t.seek(0);
        for _ in 0..150 {
            t.next_read();
        }
        assert!(!t.is_playing(), "a loop beyond the end is none");
    }

    #[test]
    fn the_song_starts_as_printed_and_any_other_place_fades_in() {
        let mut t = Transport::new(10_000);
        t.play();
        assert_eq!(t.next_read().gain, 1.0);
        let mut t = Transport::new(10_000);
        t.seek(500);
        t.play();
        assert_eq!(t.next_read().gain, 0.0);
    }

    #[test]
    fn it_reads_on_beyond_the_end_for_as_long_as_it_is_told() {
        let mut t = Transport::new(300);
        t.set_end(300, 500);
        t.play();
        let last = (0..800).map(|_| t.next_read().at).last();
        assert_eq!((last, t.is_playing()), (Some(799), false));
        t.play();
        assert_eq!(t.position(), 0);
    }

    #[test]
    fn it_stops_at_the_end_and_starts_again_from_the_top() {
        let mut t = Transport::new(300);
        t.play();
        for _ in 0..300 {
            t.next_read();
        }
        assert!(!t.is_playing());
        t.play();
        assert_eq!(t.position(), 0);
    }
}
