//! A mix with the stretches of sound it reads: one side of what is played.

use super::store::ChunkStore;
use super::transport::{Read, Transport};
use crate::render::{Length, Mixer, Plan};
use crate::session::Session;
use crate::signal::{BLOCK, StereoBlock};

/// The stores of a player, by the number the page gave them.
pub(super) type Stores = [Option<ChunkStore>];

/// A running mix and where its lanes read.
pub(super) struct Deck {
    pub(super) session: Session,
    pub(super) plan: Plan,
    pub(super) mixer: Mixer,
    /// Number of the store of each lane.
    lanes: Vec<usize>,
    inputs: Vec<StereoBlock>,
    /// How long it sounds, when last found.
    pub(super) length: Length,
}

impl Deck {
    pub(super) fn new(session: Session, plan: Plan, lanes: Vec<usize>) -> Self {
        let mixer = Mixer::new(&plan, &session);
        Self::with(session, plan, lanes, mixer)
    }

    /// One that goes on from another: units in both keep their state.
    pub(super) fn carried(session: Session, plan: Plan, lanes: Vec<usize>, before: &Self) -> Self {
        let mixer = Mixer::carried(&plan, &session, &before.mixer);
        Self::with(session, plan, lanes, mixer)
    }

    fn with(session: Session, plan: Plan, lanes: Vec<usize>, mixer: Mixer) -> Self {
        let inputs = vec![StereoBlock::SILENT; mixer.lane_count()];
        let length = Length::of_song(&session);
        Self { session, plan, mixer, lanes, inputs, length }
    }

    /// The same mix for the present document, going on from this one.
    pub(super) fn again(&self) -> Self {
        Self::carried(self.session.clone(), self.plan.clone(), self.lanes.clone(), self)
    }

    /// Finds how long it sounds.
    pub(super) fn measure(&mut self) {
        self.length = self.plan.length(&self.session);
    }

    /// From rest again, on its present document.
    pub(super) fn restart(&mut self) {
        self.mixer = Mixer::new(&self.plan, &self.session);
    }

    /// Whether every source has the sound of the next `frames` frames.
    pub(super) fn is_fed(&self, stores: &Stores, transport: &Transport, frames: u64) -> bool {
        transport.needs(frames).iter().flatten().all(|(from, count)| self.has(stores, *from, *count))
    }

    /// Whether every source has the sound of `count` frames of the song.
    pub(super) fn has(&self, stores: &Stores, from: u64, count: u64) -> bool {
        self.lanes.len() >= self.inputs.len()
            && self.lanes.iter().all(|lane| {
                let store = stores.get(*lane).and_then(Option::as_ref);
                store.is_some_and(|s| s.has(from, count))
            })
    }

    /// Whether it reads a store.
    pub(super) fn reads(&self, store: usize) -> bool {
        self.lanes.contains(&store)
    }

    /// Plays one block from the places `reads` names.
    pub(super) fn play(
        &mut self,
        stores: &Stores,
        reads: &[Option<Read>; BLOCK],
        out: &mut StereoBlock,
        tap: impl FnMut(usize, &StereoBlock),
    ) {
        for (lane, input) in self.lanes.iter().zip(&mut self.inputs) {
            input.clear();
            let Some(store) = stores.get(*lane).and_then(Option::as_ref) else { continue };
            for (i, read) in reads.iter().enumerate() {
                let Some(read) = read else { break };
                store.add_frame(read.at, read.gain, input, i);
                if let Some((from, gain)) = read.from {
                    store.add_frame(from, gain, input, i);
                }
            }
        }
        let song_frame = reads.iter().flatten().next().map_or(0, |read| read.at as i64);
        self.mixer.process(&self.inputs, song_frame, out, tap);
        self.length.fade(song_frame - self.mixer.latency() as i64, out);
    }
}
