//! The player: the mix of a page, the other side of its comparison, the place in the
//! song, what is listened to, and the meters.

use serde::Deserialize;
use serde_json::Value as Json;

use super::deck::{Deck, Stores};
use super::meters::{OutputMeters, Scope, Trace};
use super::monitor::{Check, Monitor};
use super::store::ChunkStore;
use super::transport::{Read, Transport};
use crate::rack::RackError;
use crate::render::{Plan, View};
use crate::session::{Edit, EditError, Reference, Session, Touch, routing};
use crate::signal::{BLOCK, Ramp, StereoBlock};

/// Most stores a player keeps; a guard against a page gone wrong.
const MOST_STORES: usize = 4096;
/// Blocks a new mix runs unheard before it takes over: 0.2 s at 48 kHz, so that
/// filters and ordinary detectors have settled.
const WARM_BLOCKS: u32 = 75;
/// Blocks of the crossfade from one mix to the next: 21 ms at 48 kHz.
const FADE_BLOCKS: u32 = 8;

/// Which side of the comparison is heard.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub enum Side {
    /// The session as it is.
    #[default]
    Worked,
    /// The other side.
    Other,
    /// The session minus the other side.
    Difference,
}

impl Side {
    /// Shares of the session and of the other side.
    fn shares(self) -> [f64; 2] {
        match self {
            Self::Worked => [1.0, 0.0],
            Self::Other => [0.0, 1.0],
            Self::Difference => [1.0, -1.0],
        }
    }
}

/// What a player is to play.
#[derive(Clone, Debug, PartialEq)]
pub struct Setup {
    /// The document.
    pub session: Session,
    /// Which mix of it.
    pub view: View,
    /// The other side of the comparison, if there is one.
    pub reference: Option<Reference>,
    /// Number of the store of each lane of the mix.
    pub lanes: Vec<usize>,
    /// The same for the other side.
    pub reference_lanes: Vec<usize>,
}

impl Setup {
    /// Reads `{"session", "view", "reference", "lanes", "reference_lanes"}`.
    ///
    /// # Errors
    /// What is missing or wrong, in words.
    pub fn from_json(json: &Json) -> Result<Self, String> {
        #[derive(Deserialize)]
        struct Frame {
            view: View,
            reference: Option<Reference>,
            lanes: Vec<usize>,
            reference_lanes: Vec<usize>,
        }
        let session = Session::from_json(&json["session"]).map_err(|e| e.to_string())?;
        let frame: Frame = serde_json::from_value(json.clone()).map_err(|e| e.to_string())?;
        let Frame { view, reference, lanes, reference_lanes } = frame;
        Ok(Self { session, view, reference, lanes, reference_lanes })
    }
}

/// Why a setup cannot be played.
#[derive(Debug)]
pub enum SetupError {
    /// The view names a strip that does not exist.
    NoStrip(u32),
    /// The other side's rack.
    Reference(RackError),
}

impl core::fmt::Display for SetupError {
    fn fmt(&self, f: &mut core::fmt::Formatter<'_>) -> core::fmt::Result {
        match self {
            Self::NoStrip(id) => write!(f, "there is no strip {id} in this session"),
            Self::Reference(e) => write!(f, "the other side of the comparison cannot be played: {e}"),
        }
    }
}

impl std::error::Error for SetupError {}

/// Both sides of a comparison, played together.
struct Sides {
    worked: Deck,
    other: Option<(Reference, Deck)>,
}

impl Sides {
    fn new(setup: Setup) -> Result<Self, SetupError> {
        let plan = |session: &Session| setup.view.plan(session).ok_or(SetupError::NoStrip(setup.view.strip));
        let other = match setup.reference {
            None => None,
            Some(reference) => {
                let session = reference.of(&setup.session).map_err(SetupError::Reference)?;
                let plan = plan(&session)?;
                Some((reference, Deck::new(session, plan, setup.reference_lanes)))
            }
        };
        let plan = plan(&setup.session)?;
        Ok(Self { worked: Deck::new(setup.session, plan, setup.lanes), other })
    }

    fn decks(&mut self) -> impl Iterator<Item = &mut Deck> {
        std::iter::once(&mut self.worked).chain(self.other.as_mut().map(|(_, deck)| deck))
    }

    fn is_fed(&self, stores: &Stores, transport: &Transport) -> bool {
        self.worked.is_fed(stores, transport) && self.other.as_ref().is_none_or(|(_, d)| d.is_fed(stores, transport))
    }

    fn reads(&self, store: usize) -> bool {
        self.worked.reads(store) || self.other.as_ref().is_some_and(|(_, d)| d.reads(store))
    }

    /// Takes an edit over. Whether the shape of the mix is still the same.
    fn edit(&mut self, edit: &Edit, view: &View) -> Result<bool, EditError> {
        // As applied: a unit that others follow changes them too.
        let (edit, _) = edit.apply(&mut self.worked.session)?;
        let same = view.plan(&self.worked.session).as_ref() == Some(&self.worked.plan);
        match edit.touches() {
            Touch::Strip(strip) | Touch::Rack(strip) | Touch::Paths(strip) => {
                self.worked.mixer.update(&self.worked.session, strip);
            }
            Touch::Strips | Touch::Everything => {
                for strip in &self.worked.session.strips {
                    self.worked.mixer.update(&self.worked.session, strip.id);
                }
            }
            Touch::Frame | Touch::Notebook => {}
        }
        self.follow();
        Ok(same)
    }

    /// Brings the other side to the session's present state.
    fn follow(&mut self) {
        let Some((reference, deck)) = &mut self.other else { return };
        let Ok(session) = reference.of(&self.worked.session) else { return };
        let changed: Vec<u32> = session
            .strips
            .iter()
            .filter(|s| deck.session.strip(s.id).is_none_or(|old| old != *s))
            .map(|s| s.id)
            .collect();
        deck.session = session;
        for strip in changed {
            deck.mixer.update(&deck.session, strip);
        }
    }

    /// Changes the other side. False where that takes another mix.
    fn compare(&mut self, reference: &Reference, view: &View) -> bool {
        let Ok(session) = reference.of(&self.worked.session) else { return false };
        match &mut self.other {
            Some((present, deck)) if view.plan(&session).as_ref() == Some(&deck.plan) => {
                present.clone_from(reference);
                self.follow();
                true
            }
            _ => false,
        }
    }

    fn hear_only(&mut self, chosen: Option<&[u32]>) {
        for deck in self.decks() {
            let strips = chosen.map(|list| routing::heard_with(&deck.session, list));
            deck.mixer.hear_only(strips.as_deref());
        }
    }
}

/// A mix that is about to take over.
struct Incoming {
    sides: Sides,
    view: View,
    warm_blocks_left: u32,
    fade_blocks_left: u32,
}

/// Plays one session on one page.
pub struct Player {
    view: View,
    sides: Sides,
    incoming: Option<Incoming>,
    /// Mixes done with, freed at the next message and not on the audio path.
    retired: Vec<Sides>,
    transport: Transport,
    stores: Vec<Option<ChunkStore>>,
    side: Side,
    /// Strips heard alone; everything when there is no list.
    chosen: Option<Vec<u32>>,
    /// Passes of a loop after which the side changes by itself; 0 for never.
    alternate: u32,
    passes: u32,
    worked_share: Ramp,
    other_share: Ramp,
    monitor: Monitor,
    watched: usize,
    scope: Scope,
    trace: Trace,
    meters: OutputMeters,
    /// Blocks for which sound was wanted and had not arrived.
    starved_blocks: u32,
    work: StereoBlock,
}

impl Player {
    /// A stopped player.
    ///
    /// # Errors
    /// A strip that does not exist, or an other side that cannot be read.
    pub fn new(setup: Setup) -> Result<Self, SetupError> {
        let (view, rate) = (setup.view.clone(), f64::from(setup.session.rate));
        let transport = Transport::new(setup.session.frames());
        Ok(Self {
            view,
            sides: Sides::new(setup)?,
            incoming: None,
            retired: Vec::with_capacity(4),
            transport,
            stores: Vec::new(),
            side: Side::Worked,
            chosen: None,
            alternate: 0,
            passes: 0,
            worked_share: Ramp::new(1.0, rate),
            other_share: Ramp::new(0.0, rate),
            monitor: Monitor::new(rate),
            watched: 0,
            scope: Scope::default(),
            trace: Trace::default(),
            meters: OutputMeters::new(rate),
            starved_blocks: 0,
            work: StereoBlock::SILENT,
        })
    }

    /// Plays something else from now on, without stopping: the new mix waits for its
    /// sound, runs unheard until it has settled, and is faded in.
    ///
    /// # Errors
    /// As [`Self::new`]; what plays now then plays on.
    pub fn change_to(&mut self, setup: Setup) -> Result<(), SetupError> {
        let (view, end) = (setup.view.clone(), setup.session.frames());
        let mut sides = Sides::new(setup)?;
        sides.hear_only(self.chosen.as_deref());
        sides.decks().for_each(|d| d.mixer.snap());
        self.transport.set_end(end);
        if self.transport.is_running() {
            let incoming = Incoming { sides, view, warm_blocks_left: WARM_BLOCKS, fade_blocks_left: FADE_BLOCKS };
            self.incoming = Some(incoming);
        } else {
            (self.sides, self.view) = (sides, view);
            self.forget_unread();
        }
        Ok(())
    }

    /// Declares what a store holds and where in the song it begins; forgets what had
    /// arrived of it.
    pub fn set_store(&mut self, store: usize, channels: usize, frames: u64, start: u64) {
        if store < MOST_STORES {
            if self.stores.len() <= store {
                self.stores.resize_with(store + 1, || None);
            }
            self.stores[store] = Some(ChunkStore::new(channels.clamp(1, 2), frames, start));
        }
    }

    /// Takes in a stretch of a store.
    pub fn put_chunk(&mut self, store: usize, index: usize, samples: &[f32]) {
        if let Some(Some(store)) = self.stores.get_mut(store) {
            store.put(index, samples);
        }
    }

    /// Lets go of a stretch of a store.
    pub fn drop_chunk(&mut self, store: usize, index: usize) {
        if let Some(Some(store)) = self.stores.get_mut(store) {
            store.drop_chunk(index);
        }
    }

    /// Applies an edit to the document and lets the mix glide to it. False where the
    /// edit changed the shape of the mix, so that [`Self::change_to`] is needed for it
    /// to be heard.
    ///
    /// # Errors
    /// As [`Edit::apply`].
    pub fn edit(&mut self, edit: &Edit) -> Result<bool, EditError> {
        if let Some(incoming) = &mut self.incoming {
            // It was made from a document that may hold this edit already.
            let _ = incoming.sides.edit(edit, &incoming.view);
        }
        self.sides.edit(edit, &self.view)
    }

    /// Chooses which side is heard.
    pub fn listen(&mut self, side: Side) {
        self.side = side;
        self.passes = 0;
        let [worked, other] = side.shares();
        self.worked_share.glide_to(worked);
        self.other_share.glide_to(other);
    }

    /// Changes the other side. False where that takes another mix ([`Self::change_to`]).
    pub fn compare(&mut self, reference: &Reference) -> bool {
        self.sides.compare(reference, &self.view)
    }

    /// Lets the side change by itself after so many passes of a loop; 0 for never.
    pub fn alternate(&mut self, passes: u32) {
        (self.alternate, self.passes) = (passes, 0);
    }

    /// Hears these strips only, with what they sound through; everything without a list.
    pub fn hear_only(&mut self, chosen: Option<Vec<u32>>) {
        self.sides.hear_only(chosen.as_deref());
        if let Some(incoming) = &mut self.incoming {
            incoming.sides.hear_only(chosen.as_deref());
        }
        self.chosen = chosen;
    }

    /// Checks the mix on another system, for the ear alone.
    pub fn check_on(&mut self, check: Check) {
        self.monitor.set(check);
    }

    /// Starts playing. A start from rest begins with empty filters, as a print does.
    pub fn play(&mut self) {
        if !self.transport.is_running() {
            if let Some(incoming) = self.incoming.take() {
                (self.sides, self.view) = (incoming.sides, incoming.view);
                self.forget_unread();
            }
            self.sides.decks().for_each(Deck::restart);
            self.sides.hear_only(self.chosen.as_deref());
            self.sides.decks().for_each(|d| d.mixer.snap());
            self.worked_share.snap();
            self.other_share.snap();
        }
        self.meters.reset();
        self.passes = 0;
        self.transport.play();
    }

    /// The transport, to stop, seek and loop.
    pub fn transport(&mut self) -> &mut Transport {
        &mut self.transport
    }

    /// Starts the maxima of the output's meters anew.
    pub fn reset_maxima(&mut self) {
        self.meters.reset();
    }

    /// Which station's input and output the scope shows.
    pub fn watch_station(&mut self, station: usize) {
        self.watched = station;
    }

    /// Finishes waiting changes; to be called between blocks.
    pub fn catch_up(&mut self) {
        if !self.retired.is_empty() {
            self.retired.clear();
            self.forget_unread();
        }
        self.sides.decks().for_each(|d| d.mixer.catch_up());
    }

    /// Stores that nothing reads any more give their memory back.
    fn forget_unread(&mut self) {
        let (sides, incoming) = (&self.sides, &self.incoming);
        for (i, store) in self.stores.iter_mut().enumerate() {
            if !sides.reads(i) && !incoming.as_ref().is_some_and(|n| n.sides.reads(i)) {
                *store = None;
            }
        }
    }

    /// Fills one block of output.
    pub fn process(&mut self, out: &mut StereoBlock) {
        if !self.transport.is_running() {
            out.clear();
            return;
        }
        if !self.sides.is_fed(&self.stores, &self.transport) {
            // Hold still rather than play some of the parts.
            self.starved_blocks += 1;
            out.clear();
            return;
        }
        // Asked before the transport moves on: may the new mix play this block too?
        let ready = self.incoming.as_ref().is_some_and(|n| n.sides.is_fed(&self.stores, &self.transport));
        let reads = self.next_reads();
        self.play_sides(&reads, ready, out);
        self.meters.push(out);
        self.monitor.process(out);
    }

    fn next_reads(&mut self) -> [Option<Read>; BLOCK] {
        let mut reads = [None; BLOCK];
        for read in &mut reads {
            if !self.transport.is_running() {
                break;
            }
            let next = self.transport.next_read();
            if next.wrapped {
                self.count_pass();
            }
            *read = Some(next);
        }
        reads
    }

    fn count_pass(&mut self) {
        self.passes += 1;
        if self.alternate > 0 && self.passes >= self.alternate {
            self.listen(if self.side == Side::Worked { Side::Other } else { Side::Worked });
        }
    }

    fn play_sides(&mut self, reads: &[Option<Read>; BLOCK], ready: bool, out: &mut StereoBlock) {
        let (watched, scope) = (self.watched, &mut self.scope);
        let shares = (self.worked_share, self.other_share);
        let sides = &mut self.sides;
        sides.worked.play(&self.stores, reads, out, |point, block| scope.see(watched, point, block));
        self.scope.advance();
        self.trace.take(self.sides.worked.mixer.focus_rack(), self.watched);
        if let Some((_, other)) = &mut self.sides.other {
            other.play(&self.stores, reads, &mut self.work, |_, _| {});
            blend(out, &self.work, &mut self.worked_share, &mut self.other_share);
        }
        if ready && let Some(mut incoming) = self.incoming.take() {
            incoming.join(&self.stores, reads, shares, out, &mut self.work);
            if incoming.fade_blocks_left > 0 {
                self.incoming = Some(incoming);
            } else {
                self.view = incoming.view;
                self.retired.push(std::mem::replace(&mut self.sides, incoming.sides));
            }
        }
    }

    /// Writes what the page draws, and starts the next stretch of it:
    /// `[position, playing, starved, latency, momentary LUFS, true peak dBTP, peak dBFS,
    /// reduction now dB, side heard, changing, width dB, trace length, trace...,
    /// meter count, (strip, peak)..., scope before..., scope after..., moves now in dB of
    /// each row of the watched station...]`.
    pub fn report(&mut self, out: &mut Vec<f32>) {
        out.clear();
        out.extend([
            self.transport.position() as f32,
            f32::from(u8::from(self.transport.is_playing())),
            self.starved_blocks as f32,
            self.sides.worked.mixer.latency() as f32,
        ]);
        out.extend(self.meters.take());
        out.extend([self.trace.now(), self.side as u8 as f32, f32::from(u8::from(self.incoming.is_some()))]);
        out.push(self.meters.width_db());
        self.trace.drain_into(out);
        let count_at = out.len();
        out.push(0.0);
        self.sides.worked.mixer.take_peaks(|strip, peak| out.extend([strip as f32, peak]));
        out[count_at] = ((out.len() - count_at - 1) / 2) as f32;
        self.scope.copy_to(out);
        let rack = self.sides.worked.mixer.focus_rack();
        out.extend(rack.and_then(|r| r.stations().get(self.watched)).map_or(&[][..], |s| s.moves()));
    }
}

impl Incoming {
    /// Runs the new mix beside the old one in `out`, unheard at first, then fading in.
    fn join(
        &mut self,
        stores: &Stores,
        reads: &[Option<Read>; BLOCK],
        (mut worked, mut other): (Ramp, Ramp),
        out: &mut StereoBlock,
        work: &mut StereoBlock,
    ) {
        let mut fresh = StereoBlock::SILENT;
        self.sides.worked.play(stores, reads, &mut fresh, |_, _| {});
        if let Some((_, deck)) = &mut self.sides.other {
            deck.play(stores, reads, work, |_, _| {});
            blend(&mut fresh, work, &mut worked, &mut other);
        }
        if self.warm_blocks_left > 0 {
            self.warm_blocks_left -= 1;
            return;
        }
        for i in 0..BLOCK {
            let old = (self.fade_blocks_left as f32 - (i + 1) as f32 / BLOCK as f32) / FADE_BLOCKS as f32;
            out.left[i] = fresh.left[i] + (out.left[i] - fresh.left[i]) * old;
            out.right[i] = fresh.right[i] + (out.right[i] - fresh.right[i]) * old;
        }
        self.fade_blocks_left -= 1;
    }
}

/// Shares of both sides; exactly the session's sound at rest on it.
fn blend(worked: &mut StereoBlock, other: &StereoBlock, worked_share: &mut Ramp, other_share: &mut Ramp) {
    let resting = worked_share.at_rest() && other_share.at_rest();
    if resting && worked_share.value() == 1.0 && other_share.value() == 0.0 {
        return;
    }
    for i in 0..BLOCK {
        let (w, o) = (worked_share.next_value() as f32, other_share.next_value() as f32);
        worked.left[i] = worked.left[i] * w + other.left[i] * o;
        worked.right[i] = worked.right[i] * w + other.right[i] * o;
    }
}

impl View {
    /// The plan of this view; none for a strip that does not exist.
    fn plan(&self, session: &Session) -> Option<Plan> {
        Plan::of_view(session, self)
    }
}
