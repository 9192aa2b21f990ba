//! Where a mix reads the song, and what of it is heard now.

use super::transport::{Read, Transport};
use crate::signal::BLOCK;

/// Blocks remembered: a lateness of 2.7 s at 48 kHz.
const REMEMBERED: usize = 1024;

/// A transport with the frames at which its last blocks were read.
#[derive(Clone)]
pub(super) struct Playhead {
    pub(super) transport: Transport,
    read_at: Vec<u64>,
    next: usize,
    /// Whether nothing has been read since the start.
    is_fresh: bool,
}

impl Playhead {
    pub(super) fn new(transport: Transport) -> Self {
        let read_at = vec![transport.position(); REMEMBERED];
        Self { transport, read_at, next: 0, is_fresh: true }
    }

    /// Goes to where a mix that is `latency` frames late has to read so as to give out what
    /// `other`, whose mix is `other_latency` late, gives out now. That is ahead of it or behind
    /// it: all of the song is there.
    pub(super) fn step_beside(&mut self, other: &Self, other_latency: usize, latency: usize) {
        self.transport = other.transport.ahead(other.heard(other_latency), latency as u64);
        self.forget();
    }

    pub(super) fn is_fresh(&self) -> bool {
        self.is_fresh
    }

    /// Starts from where the transport stands.
    pub(super) fn play(&mut self) {
        self.transport.play();
        self.forget();
    }

    /// Stops and stands at `frame`.
    pub(super) fn stop_at(&mut self, frame: u64) {
        self.transport.stop_at(frame);
        self.forget();
    }

    fn forget(&mut self) {
        self.read_at.fill(self.transport.position());
        self.is_fresh = true;
    }

    /// What to read for the next block, and how often a loop began anew in it.
    pub(super) fn next_reads(&mut self) -> ([Option<Read>; BLOCK], u32) {
        let (mut reads, mut passes) = ([None; BLOCK], 0);
        for read in &mut reads {
            if !self.transport.is_playing() {
                break;
            }
            let next = self.transport.next_read();
            passes += u32::from(next.wrapped);
            *read = Some(next);
        }
        self.read_at[self.next] = reads[0].map_or(self.transport.position(), |read| read.at);
        self.next = (self.next + 1) % REMEMBERED;
        self.is_fresh = false;
        (reads, passes)
    }

    /// The frame that comes out next of a mix that is `latency` frames late.
    pub(super) fn heard(&self, latency: usize) -> u64 {
        let back = latency.div_ceil(BLOCK).min(REMEMBERED);
        if back == 0 {
            return self.transport.position();
        }
        let begun = self.read_at[(self.next + REMEMBERED - back) % REMEMBERED];
        self.transport.ahead(begun, (back * BLOCK).saturating_sub(latency) as u64).position()
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn what_is_heard_lags_what_is_read_by_the_latency_through_the_seam_of_a_loop() {
        let mut transport = Transport::new(100_000);
        transport.set_loop(Some((1024, 2048)));
        transport.seek(1024);
        let mut head = Playhead::new(transport);
        head.play();
        for n in 1..40u64 {
            head.next_reads();
            let read = 1024 + n * 128;
            let in_loop = |frame: u64| 1024 + (frame - 1024) % 1024;
            let position = head.transport.position();
            assert!(position == in_loop(read) || position == 2048, "{position} after {n} blocks");
            if n > 5 {
                assert_eq!(head.heard(500), in_loop(read - 500), "after {n} blocks");
            }
        }
    }

    #[test]
    fn a_playhead_in_step_gives_out_the_same_frame_however_late_its_mix_is() {
        for looped in [None, Some((0, 3000))] {
            let mut transport = Transport::new(100_000);
            transport.set_loop(looped);
            let mut head = Playhead::new(transport);
            head.play();
            for _ in 0..60 {
                head.next_reads();
            }
            for (own, other) in [(0, 0), (0, 700), (700, 0), (300, 1000)] {
                let mut twin = Playhead::new(Transport::new(0));
                twin.step_beside(&head, own, other);
                let mut head = head.clone();
                for _ in 0..20 {
                    head.next_reads();
                    twin.next_reads();
                }
                // By then the twin has read all that it gives out.
                assert_eq!(head.heard(own), twin.heard(other), "{own} and {other}, looped {looped:?}");
            }
        }
    }

    #[test]
    fn a_playhead_that_steps_in_at_the_seam_of_a_loop_stays_in_it() {
        let mut at_the_seam = 0;
        for looped in [(0, 3000), (128, 1152), (0, 24_000)] {
            let mut transport = Transport::new(100_000);
            transport.set_loop(Some(looped));
            transport.seek(looped.0);
            let mut head = Playhead::new(transport);
            head.play();
            for _ in 0..400 {
                head.next_reads();
                at_the_seam += u32::from(head.transport.position() == looped.1);
                for (own, other) in [(0, 0), (0, 66), (66, 0), (128, 700)] {
                    let mut twin = Playhead::new(Transport::new(0));
                    twin.step_beside(&head, own, other);
                    let begun = twin.transport.position();
                    assert!(begun <= looped.1, "{begun} is out of {looped:?}, late by {own} and {other}");
                }
            }
        }
        assert!(at_the_seam >= 10, "the seam fell between two blocks only {at_the_seam} times");
    }
}
